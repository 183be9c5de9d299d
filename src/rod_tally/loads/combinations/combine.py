"""Combinations of load cases by a rule set: every expression expanded over the cases that the model has."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from itertools import combinations as selections
from itertools import product

from ...model import Combination, LoadCase
from .rules import Rule, RuleSet, Term

MOST = 20_000  # combinations; more than that nobody looks at: only those that govern something are kept
SELECTED = (
    6  # so many cases of one category at the most enter in every selection; more of them only all at once
)
PERMANENT = ("self-weight", "dead", "prestress", "settlement")  # cases of these act together
SELECTABLE = ("live", "snow")  # and any selection of these
SCHEMES = {
    "plain": "each direction by itself, both ways",
    "100+30": "one direction whole with 30 % of the other, EN 1998-1 4.3.3.5.1(3)",
    "square root": "the square root of the sum of the squares of both, EN 1998-1 4.3.3.5.1(2)",
}
Part = dict[str, float]


class CombineError(ValueError):
    """Combinations that cannot be made; the message says why."""


@dataclass(slots=True)
class Action:
    """Cases that act as one: `parts` are alternatives, each the factors of the cases in it."""

    kind: str
    category: str
    parts: list[Part]
    roots: bool = False


@dataclass(slots=True)
class Combined:
    """The combinations that a rule set makes of a model's cases. `untyped` cases can enter no combination;
    `unused` entered none.

    `count` is how many the rules give, which is more than are held where `reduced` says which were kept."""

    combinations: list[Combination] = field(default_factory=list)
    untyped: list[str] = field(default_factory=list)
    unused: list[str] = field(default_factory=list)
    count: int = 0
    reduced: str = ""


def combine(
    cases: Iterable[LoadCase],
    rules: RuleSet,
    scheme: str = "plain",
    direction: dict[str, str] | None = None,
    fewer: bool = False,
) -> Combined:
    """Expand a rule set over cases.

    `scheme` is one of SCHEMES, for seismic cases, whose `direction` (x, y or z) is given by name; one without
    a direction stands alone. Notional cases of one direction and sign (+x, -x …) act together. Cases of one
    `together` name never do, whatever their kinds; patterns of an imposed load are such. With `fewer` imposed
    cases of a category act all at once or not at all. Raises CombineError when there would be more than MOST.
    """
    cases = list(cases)
    out = Combined(untyped=[c.name for c in cases if c.untyped])
    out.count = count_combinations(cases, rules, scheme, direction, fewer)
    if out.count > 25 * MOST:
        raise CombineError(TOO_MANY.format(f"about {out.count:,}"))
    for c in expand(cases, rules, scheme, direction, fewer):
        if len(out.combinations) >= MOST:
            raise CombineError(TOO_MANY.format(f"more than {MOST:,}"))
        out.combinations.append(c)
    out.count = len(out.combinations)
    used = {name for c in out.combinations for name in c.factors}
    out.unused = [c.name for c in cases if c.kind and c.name not in used]
    return out


TOO_MANY = (
    "{} combinations: give patterns and directions that exclude each other one name in 'together', or take a set with "
    "fewer selections"
)


def expand(
    cases: Iterable[LoadCase],
    rules: RuleSet,
    scheme: str = "plain",
    direction: dict[str, str] | None = None,
    fewer: bool = False,
) -> Iterator[Combination]:
    """Every combination of a rule set, each once, one at a time. Raises CombineError for a scheme that is not
    known."""
    if scheme not in SCHEMES:
        raise CombineError(f"{scheme!r} is no way to combine directions; known are {', '.join(SCHEMES)}")
    usable = [c for c in cases if c.kind]
    actions = {g: _actions(usable, rules, g, scheme, direction or {}, fewer) for g in rules.groups}
    apart = {c.name: c.together for c in usable if c.together}
    seen: set[tuple[str, frozenset[tuple[str, float]], frozenset[str]]] = set()
    numbers: dict[str, int] = {}
    for rule in rules.rules:
        for factors, roots in _expand(rule, rules, actions):
            factors = {k: v for k, v in factors.items() if v != 0}
            key = (rule.kind, frozenset((k, round(v, 12)) for k, v in factors.items()), frozenset(roots))
            if not factors or key in seen or _excluded(factors, apart):
                continue
            seen.add(key)
            numbers[rule.number] = numbers.get(rule.number, 0) + 1
            name = f"{rule.number}/{numbers[rule.number]}"
            yield Combination(name, rule.kind, factors, f"{rules.name} {rule.number}".strip(), sorted(roots))


def count_combinations(
    cases: Iterable[LoadCase],
    rules: RuleSet,
    scheme: str = "plain",
    direction: dict[str, str] | None = None,
    fewer: bool = False,
) -> int:
    """How many there would be at the most, without making them: those that come out the same are counted
    twice."""
    usable = [c for c in cases if c.kind]
    actions = {g: _actions(usable, rules, g, scheme, direction or {}, fewer) for g in rules.groups}
    return sum(_count(rule, actions) for rule in rules.rules)


def _count(rule: Rule, actions: dict[str, list[Action]]) -> int:
    lead = next((t for t in rule.terms if t.mode == "lead"), None)
    total = 0
    for first in [a for _, g in lead.choices for a in actions[g]] if lead is not None else [None]:
        here = 1
        for term in rule.terms:
            if term.mode == "lead":
                assert first is not None
                n = len(first.parts)
            else:
                n = 0
                for _, g in term.choices:
                    mine = [a for a in actions[g] if a is not first]
                    if not mine:
                        continue
                    each = [len(a.parts) + (term.mode in ("others?", "any")) for a in mine]
                    product_of = 1
                    for k in each:
                        product_of *= k
                    n += product_of
                if n == 0:
                    n = 0 if term.mode == "must" else 1
            here *= n * len(term.signs)
        total += here
    return total


def _excluded(factors: Part, apart: dict[str, str]) -> bool:
    """Return whether two cases of one name in `together` are in it."""
    names = [apart[k] for k in factors if k in apart]
    return len(names) != len(set(names))


def _actions(
    cases: list[LoadCase], rules: RuleSet, letters: str, scheme: str, direction: dict[str, str], fewer: bool
) -> list[Action]:
    """The independent actions of a group, in the order of its kinds."""
    out: list[Action] = []
    permanent: list[LoadCase] = []
    for selector in rules.groups[letters]:
        mine = [c for c in cases if selector.takes(c.kind, c.category)]
        if not mine:
            continue
        kind = selector.kind
        if kind in ("self-weight", "dead"):
            permanent += mine
        elif kind == "seismic":
            out.append(Action(kind, "", *_seismic(mine, scheme, direction)))
        elif kind == "notional":
            out.append(Action(kind, "", _notional(mine, direction)))
        elif kind in SELECTABLE:
            for category in dict.fromkeys(c.category for c in mine):
                own = [c for c in mine if c.category == category]
                out.append(Action(kind, category, _selected(own, fewer)))
        elif kind in PERMANENT:
            out.append(Action(kind, "", _together(mine)))
        else:
            out.append(Action(kind, "", [{c.name: 1.0} for c in mine]))
    if permanent:
        out.insert(0, Action("dead", "", _together(permanent)))
    return out


def _together(cases: list[LoadCase]) -> list[Part]:
    """All cases at once; of those that share a `together` name one at a time."""
    fixed = {c.name: 1.0 for c in cases if not c.together}
    sets = [
        [{c.name: 1.0} for c in cases if c.together == name]
        for name in dict.fromkeys(c.together for c in cases)
        if name
    ]
    return [fixed | {k: v for part in choice for k, v in part.items()} for choice in product(*sets)]


def _selected(cases: list[LoadCase], fewer: bool) -> list[Part]:
    """Every selection of cases but none at all; of those that share a `together` name one at the most."""
    free: list[list[Part]] = []
    plain = [c for c in cases if not c.together]
    if fewer or len(plain) > SELECTED:
        free += [[{}, {c.name: 1.0 for c in plain}]] if plain else []
    else:
        free += [[{}, {c.name: 1.0}] for c in plain]
    for name in dict.fromkeys(c.together for c in cases if c.together):
        free.append([{}, *({c.name: 1.0} for c in cases if c.together == name)])
    parts = [{k: v for part in choice for k, v in part.items()} for choice in product(*free)]
    # the fullest first: that is the one a reader looks for
    return sorted((p for p in parts if p), key=lambda p: -len(p))


def _notional(cases: list[LoadCase], direction: dict[str, str]) -> list[Part]:
    """Those of one direction and sign at once (of dead and of imposed load, say), one direction at a time."""
    ways: dict[str, Part] = {}
    for c in cases:
        ways.setdefault(direction.get(c.name, "") or f"/{c.name}", {})[c.name] = 1.0
    return list(ways.values())


def _seismic(cases: list[LoadCase], scheme: str, direction: dict[str, str]) -> tuple[list[Part], bool]:
    by = {d: [c.name for c in cases if direction.get(c.name) == d] for d in "xyz"}
    alone = [
        {c.name: s}
        for c in cases
        if c.name not in {n for names in by.values() for n in names}
        for s in (1.0, -1.0)
    ]
    if scheme == "plain" or not (by["x"] and by["y"]):
        return [{n: s} for names in by.values() for n in names for s in (1.0, -1.0)] + alone, False
    if scheme == "square root":
        return [dict.fromkeys(names, 1.0) for names in product(*(n for n in by.values() if n))] + alone, True
    out: list[Part] = []
    present = [names for names in by.values() if names]
    for names in product(*present):
        for whole in range(len(names)):
            for signs in product((1.0, -1.0), repeat=len(names)):
                out.append(
                    {n: s * (1.0 if k == whole else 0.3) for k, (n, s) in enumerate(zip(names, signs))}
                )
    return out + alone, False


def _expand(rule: Rule, rules: RuleSet, actions: dict[str, list[Action]]) -> Iterable[tuple[Part, set[str]]]:
    """Every combination of a rule as factors, with the cases that enter as the root of their squares."""
    lead = next((t for t in rule.terms if t.mode == "lead"), None)
    leading = [(f, a) for f, g in lead.choices for a in actions[g]] if lead is not None else [(1.0, None)]
    for first_factor, first in leading:
        options: list[list[tuple[Part, set[str]]]] = []
        for term in rule.terms:
            if term.mode == "lead":
                assert first is not None
                found = [_scaled(first, p, first_factor, term, rules) for p in first.parts]
            else:
                found = _choices(term, rules, actions, first)
                if not found:
                    if term.mode == "must":
                        break
                    found = [({}, set())]
            if len(term.signs) > 1:
                found = [({k: s * v for k, v in p.items()}, r) for p, r in found for s in term.signs]
            options.append(found)
        else:
            for choice in product(*options):
                factors: Part = {}
                roots: set[str] = set()
                for part, root in choice:
                    for name, value in part.items():
                        factors[name] = factors.get(name, 0.0) + value
                    roots |= root
                yield factors, roots


def _choices(
    term: Term, rules: RuleSet, actions: dict[str, list[Action]], lead: Action | None
) -> list[tuple[Part, set[str]]]:
    """Return what a term other than the leading one can be; [] when none of its groups has a case."""
    out: list[tuple[Part, set[str]]] = []
    for factor, letters in term.choices:
        mine = [a for a in actions[letters] if a is not lead]
        if not mine:
            continue
        takes: Iterable[tuple[Action, ...]] = [tuple(mine)]
        if term.mode in ("others?", "any"):
            takes = [s for n in range(len(mine) + 1) for s in selections(mine, n)]
        for chosen in takes:
            for parts in product(*(a.parts for a in chosen)):
                whole: Part = {}
                roots: set[str] = set()
                for action, part in zip(chosen, parts):
                    scaled, root = _scaled(action, part, factor, term, rules)
                    whole |= scaled
                    roots |= root
                out.append((whole, roots))
    return out


def _scaled(action: Action, part: Part, factor: float, term: Term, rules: RuleSet) -> tuple[Part, set[str]]:
    if term.psi is not None:
        factor *= rules.psi_of(action.kind, action.category)[term.psi]
    scaled = {name: factor * value for name, value in part.items()}
    return scaled, set(scaled) if action.roots and factor else set()
