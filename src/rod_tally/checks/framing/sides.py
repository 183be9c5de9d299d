"""Both sides of a source that brings both, held against each other; what the source says and the model cannot
do."""

from __future__ import annotations

from collections.abc import Iterator, Sized

from ...model import Counterpart, Finding
from ..registry import Subject, check, mm

ASKED = "Accept, because…"


@check("source.counterpart", "source.off_element", "source.differs")
def find_unmatched_sides(s: Subject) -> Iterator[Finding]:
    """Members without an element, elements without a member (by class), members off their element, other
    sections and materials (by pair)."""
    pairs = s.model.counterparts
    if not pairs:
        return
    lonely: dict[str, list[Counterpart]] = {}
    for p in pairs:
        if not p.physical or not p.analytical:
            lonely.setdefault("" if p.analytical else p.cls, []).append(p)
    for cls, items in sorted(lonely.items()):
        ids = tuple(sorted(p.analytical or p.physical for p in items))
        names = ", ".join((p.name or p.analytical or p.physical) for p in items[:4]) + (
            " …" if len(items) > 4 else ""
        )
        if cls:
            text = f"{len(items)} physical element{_s(items)} of class {cls} without an analytical member: {names}."
        else:
            text = f"{len(items)} analytical member{_s(items)} without a physical element: {names}."
        yield Finding(
            "source.counterpart", "warning", text, ids, None, (ASKED,), {"count": float(len(items))}
        )
    limit = s.settings.transfer.off_element
    for p in pairs:
        if p.physical and p.analytical and p.distance > limit:
            text = f"The {p.cls} {p.name or p.analytical} lies {mm(p.distance)} off the element it stands for ({p.how})."
            yield Finding(
                "source.off_element",
                "warning",
                text,
                (p.analytical, p.physical),
                None,
                (ASKED,),
                {"distance": p.distance},
            )
    for what, own, other in (
        ("section", "analytical_section", "physical_section"),
        ("material", "analytical_material", "physical_material"),
    ):
        groups: dict[tuple[str, str], list[Counterpart]] = {}
        for p in pairs:
            a, b = getattr(p, own), getattr(p, other)
            if p.physical and p.analytical and a and b and a.strip().lower() != b.strip().lower():
                groups.setdefault((a, b), []).append(p)
        for (a, b), items in sorted(groups.items()):
            text = f"{len(items)} member{_s(items)} {'has' if len(items) == 1 else 'have'} {what} {a}, the element{_s(items)} {b}."
            ids = tuple(sorted(p.analytical for p in items))
            yield Finding("source.differs", "warning", text, ids, None, (ASKED,))


def _s(items: Sized) -> str:
    return "" if len(items) == 1 else "s"


@check("source.one_way")
def find_one_way(s: Subject) -> Iterator[Finding]:
    """Members that act in tension or compression only, where the run lets them act both ways."""
    if s.settings.run.one_way:
        standing = dict.fromkeys([*s.model.standing, *s.model.leaning])
        columns = [i for i in standing if i in s.model.surfaces and s.model.surfaces[i].way != "shell"]
        if columns:
            text = (
                f"{len(columns)} wall{_s(columns)} only press along joints that the run joins: only walls that are computed as shells "
                "can open there."
            )
            yield Finding(
                "source.one_way", "warning", text, tuple(sorted(columns)), None, ("Accept, because…",)
            )
        return
    found: dict[str, list[str]] = {}
    for ident, way in s.model.one_way.items():
        if ident in s.model.members:
            found.setdefault(way, []).append(ident)
    for way, ids in sorted(found.items()):
        text = f"{len(ids)} member{'s' if len(ids) != 1 else ''} act in {way} only; the run lets them act both ways (one_way = true under [run] would not)."
        yield Finding("source.one_way", "warning", text, tuple(sorted(ids)), s.middle(ids[0]), (ASKED,))
    pressing = [i for i in dict.fromkeys([*s.model.standing, *s.model.leaning]) if i in s.model.surfaces]
    if pressing:
        text = f"{len(pressing)} wall{_s(pressing)} only press along joints that the run joins (one_way = true under [run] would not)."
        yield Finding("source.one_way", "warning", text, tuple(sorted(pressing)), None, (ASKED,))
    lifting = [i for i in s.model.lifting if i in s.model.nodes or i in s.model.surfaces]
    if lifting:
        text = f"{len(lifting)} support{_s(lifting)} push only; the run lets them pull as well (one_way = true under [run] would not)."
        yield Finding("source.one_way", "warning", text, tuple(sorted(lifting)), None, (ASKED,))
