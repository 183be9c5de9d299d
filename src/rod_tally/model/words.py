"""Parts of a model chosen by words: `columns of First floor with HE 200 B`, `beams longer than 8 m or braces`,
`walls not of Roof`."""

from __future__ import annotations

import re
from collections.abc import Callable

from .entities.model import Model
from .entities.structure import Member
from .entities.surface import Surface
from .units import UnitError, parse_unit

Part = Member | Surface
Test = Callable[[Part], bool]

CLASSES = ("beam", "column", "brace", "wall", "slab", "footing")
KINDS: dict[str, Test] = {
    "part": lambda p: True,
    "member": lambda p: isinstance(p, Member),
    "surface": lambda p: isinstance(p, Surface),
    **{c: (lambda p, c=c: p.cls == c) for c in CLASSES},  # type: ignore[misc]
}
HELP = (
    'Such as "columns of First floor with HE 200 B" or "beams longer than 8 m". '
    "A class (beams, columns, braces, walls, slabs, members, surfaces, parts), then any of: of STOREY, with SECTION or thickness, made of MATERIAL, in group GROUP, "
    "named TEXT, longer, shorter, thicker or thinner than LENGTH, without section, material or thickness. "
    '"not" before one of them turns it, "or" puts two together.'
)
CLAUSE = re.compile(
    r"\b(not\s+)?(?:(made of)|(in group)|(named)|(without)|(longer|shorter|thicker|thinner) than|(with)|(of|on|in))\s+",
    re.IGNORECASE,
)


class WordsError(ValueError):
    """Words that choose nothing that can be understood; the message says which and what could stand there."""


def chosen(model: Model, words: str) -> list[str]:
    """Ids of the members and surfaces that words choose, in the model's order. Raises WordsError.

    `HELP` says what the words may be. Names of storeys, sections, materials and groups count whatever their
    capitals; where none is exactly the text, those that hold it."""
    options = [o.strip() for o in re.split(r"\s+or\s+|,", words.strip(), flags=re.IGNORECASE)]
    if not any(options):
        raise WordsError(f"No words. {HELP}")
    tests = [_option(model, o) for o in options if o]
    return [p.id for p in model.parts() if any(all(t(p) for t in option) for option in tests)]


def _option(model: Model, words: str) -> list[Test]:
    head, tests = words, []
    found = list(CLAUSE.finditer(words))
    if found:
        head = words[: found[0].start()]
    for k, m in enumerate(found):
        rest = words[m.end() : found[k + 1].start() if k + 1 < len(found) else len(words)].strip()
        turned, made, group, named, without, size, with_, _ = m.groups()
        if not rest:
            raise WordsError(f"{m[0].strip()!r} of what? {HELP}")
        key = (
            "made"
            if made
            else "group"
            if group
            else "named"
            if named
            else "without"
            if without
            else "with"
            if with_
            else size or "storey"
        )
        test = _clause(model, key.lower(), rest)
        tests.append((lambda p, t=test: not t(p)) if turned else test)
    head = re.sub(r"^(all|every|the)\s+", "", head.strip(), flags=re.IGNORECASE).lower()
    turned_head = head.startswith("not ")
    head = head.removeprefix("not ").strip()
    kind = (
        KINDS.get(head)
        or KINDS.get(head.removesuffix("s"))
        or (KINDS["part"] if not head and tests else None)
    )
    if kind is None:
        raise WordsError(f"{head!r} is no class of parts. {HELP}")
    return [(lambda p, t=kind: not t(p)) if turned_head else kind, *tests]


def _clause(model: Model, key: str, text: str) -> Test:
    if key in ("longer", "shorter", "thicker", "thinner"):
        limit = _length(text)
        more = key in ("longer", "thicker")
        if key in ("longer", "shorter"):
            return lambda p: isinstance(p, Member) and (model.length(p) > limit) == more
        return lambda p: isinstance(p, Surface) and (p.thickness > limit) == more
    if key == "without":
        what = text.lower()
        if what not in ("section", "material", "thickness"):
            raise WordsError(f"without {text!r}: it may be section, material or thickness")
        return lambda p: hasattr(p, what) and not getattr(p, what)
    if key == "named":
        return lambda p: (
            text.lower() in (p.name or p.id).lower() or text.lower() == getattr(p, "tag", "").lower()
        )
    if key == "group":
        names = _among(model.groups, text, "group")
        ids = {i for n in names for i in model.groups[n]}
        return lambda p: p.id in ids
    if key == "made":
        names = _among({p.material for p in model.parts() if p.material}, text, "material")
        return lambda p: p.material in names
    if key == "with":
        sections = {p.section for p in model.members.values() if p.section}
        try:
            thick = _length(text)
        except WordsError:
            names = _among(sections, text, "section")
            return lambda p: isinstance(p, Member) and p.section in names
        own = {n for n in sections if n.lower() == text.lower()}
        return lambda p: p.section in own if isinstance(p, Member) else abs(p.thickness - thick) < 5e-4
    names = _among(
        {s.name for s in model.storeys} | {p.storey for p in model.parts() if p.storey}, text, "storey"
    )
    return lambda p: p.storey in names


def _among(known: object, text: str, what: str) -> set[str]:
    names = {str(n) for n in known}  # type: ignore[attr-defined]
    plain = " ".join(text.lower().split())
    exact = {n for n in names if " ".join(n.lower().split()) == plain}
    found = exact or {n for n in names if plain in " ".join(n.lower().split())}
    if not found:
        some = ", ".join(sorted(names)[:8]) + (" …" if len(names) > 8 else "")
        raise WordsError(f"There is no {what} {text!r}; there are {some or 'none'}")
    return found


def _length(text: str) -> float:
    m = re.fullmatch(r"\s*([\d.,]+)\s*([A-Za-z]*)\s*", text)
    if m is None:
        raise WordsError(f"{text!r} is no length, such as 6 m or 200 mm")
    try:
        unit = parse_unit(m[2] or "m")
        if unit.dimension != parse_unit("m").dimension:
            raise WordsError(f"{text!r} is no length, such as 6 m or 200 mm")
        return float(m[1].replace(",", ".")) * unit.factor
    except (UnitError, ValueError) as error:
        raise WordsError(f"{text!r} is no length, such as 6 m or 200 mm") from error
