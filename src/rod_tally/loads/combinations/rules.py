"""Rule sets of combinations: an open text format, read into plain values, written back the same.

    set NAME
    psi KIND[.CATEGORY] PSI0 PSI1 PSI2
    group LETTERS = KIND[.CATEGORY | !CATEGORY], …
    combination KIND NUMBER: TERM + TERM …

A TERM is `FACTOR [psi0|psi1|psi2] [must|lead|others|others?|any|all] GROUP {| [FACTOR] GROUP}`; `+-` before a
factor takes both signs; a factor may be a product, `0.85*1.35`. `lead` takes each action of the group in
turn, `others` all the rest, `others?` every selection of the rest, `any` every selection of the group, none
included, `all` (or no word) all of them; a term with `must` or `lead` whose group is empty drops the
combination, any other such term drops out. `|` parts alternatives. `#` starts a comment."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from importlib.resources import files
from pathlib import Path

from ...model.entities.loads import CATEGORIES, KINDS

SHIPPED = {
    "EN 1990": "en-1990.rules",
    "EN 1990, 6.10a and 6.10b": "en-1990-ab.rules",
    "ASCE 7": "asce-7-strength.rules",
    "ASCE 7, allowable stress": "asce-7-allowable.rules",
}
MODES = ("must", "lead", "others", "others?", "any", "all")


class RulesError(ValueError):
    """A rule file that cannot be used; the message gives file, line and what is wrong."""


@dataclass(slots=True)
class Term:
    """`choices` are (factor, group) alternatives; `psi` 0, 1, 2 or None; `mode` one of MODES; `signs` (1,) or
    (1, -1)."""

    choices: list[tuple[float, str]]
    psi: int | None = None
    mode: str = "all"
    signs: tuple[int, ...] = (1,)


@dataclass(slots=True)
class Rule:
    kind: str
    number: str
    terms: list[Term]


@dataclass(slots=True)
class Selector:
    """Cases of a kind; of a category only, or of all but one."""

    kind: str
    category: str = ""
    without: str = ""

    def takes(self, kind: str, category: str) -> bool:
        if kind != self.kind or (self.without and category == self.without):
            return False
        return not self.category or category == self.category


@dataclass(slots=True)
class RuleSet:
    """`psi` by kind or kind.category; `groups` by letters; `rules` in their order; `text` as it was
    written."""

    name: str = ""
    psi: dict[str, tuple[float, float, float]] = field(default_factory=dict)
    groups: dict[str, list[Selector]] = field(default_factory=dict)
    rules: list[Rule] = field(default_factory=list)
    text: str = ""

    def psi_of(self, kind: str, category: str) -> tuple[float, float, float]:
        """Combination factors; those of the kind where the category has none of its own, else 1."""
        return self.psi.get(f"{kind}.{category}", self.psi.get(kind, (1.0, 1.0, 1.0)))


def shipped(name: str) -> RuleSet:
    """A rule set that comes with the application. Raises RulesError for a name it does not have."""
    if name not in SHIPPED:
        raise RulesError(
            f"{name!r} is no rule set that ships; known are {', '.join(SHIPPED)}, or give a file"
        )
    text = (files("rod_tally.loads") / "data" / SHIPPED[name]).read_text(encoding="utf-8")
    return parse(text, name)


def read_rules(name: str) -> RuleSet:
    """A shipped rule set by its name, else a rule file by its path. Raises RulesError."""
    if name in SHIPPED:
        return shipped(name)
    try:
        text = Path(name).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise RulesError(
            f"{name}: no shipped rule set ({', '.join(SHIPPED)}) and no readable file: {error}"
        ) from error
    return parse(text, name)


def parse(text: str, where: str = "rules") -> RuleSet:
    """A rule set from its text. Raises RulesError with the line that is wrong."""
    out = RuleSet(text=text)
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.split("#", 1)[0].strip()
        if not line:
            continue
        word, _, rest = line.partition(" ")
        reader = {"set": _set, "psi": _psi, "group": _group, "combination": _combination}.get(word)
        try:
            if reader is None:
                raise RulesError(f"{word!r} starts no line; known are set, psi, group, combination")
            reader(out, rest.strip())
        except (RulesError, ValueError) as error:
            raise RulesError(f"{where}, line {number}: {error}") from None
    if not out.rules:
        raise RulesError(f"{where}: it holds no combination")
    return out


def _set(out: RuleSet, rest: str) -> None:
    out.name = rest


def _known(name: str) -> tuple[str, str, str]:
    match = re.fullmatch(r"([a-z-]+)(?:([.!])([A-Z]))?", name)
    if match is None or match[1] not in KINDS:
        raise RulesError(f"{name!r} is no kind of load case; known are {', '.join(KINDS)}")
    if match[3] and match[3] not in CATEGORIES:
        raise RulesError(f"{match[3]} is no category of imposed load; known are {', '.join(CATEGORIES)}")
    category = match[3] or ""
    return match[1], category if match[2] == "." else "", category if match[2] == "!" else ""


def _psi(out: RuleSet, rest: str) -> None:
    parts = rest.split()
    if len(parts) != 4:
        raise RulesError("psi needs a kind and three numbers, such as: psi live.B 0.7 0.5 0.3")
    _known(parts[0])
    values = [_number(p) for p in parts[1:]]
    out.psi[parts[0]] = (values[0], values[1], values[2])


def _group(out: RuleSet, rest: str) -> None:
    letters, equals, kinds = rest.partition("=")
    letters = letters.strip()
    if not equals or not re.fullmatch(r"[A-Za-z][A-Za-z0-9]*", letters):
        raise RulesError("group needs letters and kinds, such as: group G = self-weight, dead")
    out.groups[letters] = [Selector(*_known(k.strip())) for k in kinds.split(",")]


def _number(text: str) -> float:
    value = 1.0
    for part in text.split("*"):
        try:
            value *= float(part)
        except ValueError:
            raise RulesError(f"{text!r} is not a number") from None
    if not abs(value) < 1e3:
        raise RulesError(f"{text} is no factor of a load")
    return value


def _combination(out: RuleSet, rest: str) -> None:
    head, colon, body = rest.partition(":")
    names = head.split()
    if not colon or len(names) != 2:
        raise RulesError(
            "combination needs a kind, a number, a colon and terms, such as: combination strength 6.10: 1.35 G"
        )
    terms = [_term(out, t.strip()) for t in re.split(r"\+(?!-)", body)]
    if sum(t.mode == "lead" for t in terms) > 1:
        raise RulesError("a combination has one leading action at most")
    if any(t.mode in ("others", "others?") for t in terms) and not any(t.mode == "lead" for t in terms):
        raise RulesError("'others' are those beside a 'lead', and there is none")
    out.rules.append(Rule(names[0], names[1], terms))


def _term(out: RuleSet, text: str) -> Term:
    signs: tuple[int, ...] = (1,)
    if text.startswith("+-"):
        signs, text = (1, -1), text[2:].strip()
    term = Term([], signs=signs)
    factor: float | None = None
    for k, part in enumerate(text.split("|")):
        words = part.split()
        if words and re.match(r"[0-9.]", words[0]):
            factor = _number(words.pop(0))
        if factor is None:
            raise RulesError(f"{text!r} has no factor")
        while words and (words[0] in MODES or re.fullmatch(r"psi[012]", words[0])):
            word = words.pop(0)
            if k:
                raise RulesError(f"{word!r} belongs before the first alternative")
            if word in MODES:
                term.mode = word
            else:
                term.psi = int(word[3])
        if len(words) != 1 or words[0] not in out.groups:
            raise RulesError(
                f"{part.strip()!r} does not end with a group; known are {', '.join(out.groups) or 'none yet'}"
            )
        term.choices.append((factor, words[0]))
    return term
