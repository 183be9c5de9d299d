"""Do members meet where they should?"""

from __future__ import annotations

from collections.abc import Iterator

from ...analysis.solve.parts import NOT_HELD
from ...model import Finding
from ...words import and_more
from ..registry import Subject, check, mm, point
from .gaps import gaps, loose_ends

ON_GROUND = "Lay its lowest slab on the ground"
CANTILEVER = 3.0  # m; longer free ends are asked about. Common practice, no source.


@check("join.loose_end", looks_at=("geometry", "sections", "supports", "releases"))
def find_loose_ends(s: Subject) -> Iterator[Finding]:
    """Ends joined to nothing that are no plausible cantilever or free top."""
    near = gaps(s)
    islands = {next(iter(part)) for part, held in s.whole_parts if len(part) == 1 and not held}
    by_member: dict[str, list[int]] = {}
    for e in loose_ends(s):
        if e not in near and s.ids[e // 2] not in islands and not _foot(s, e):
            by_member.setdefault(s.ids[e // 2], []).append(e)
    for ident, ends in by_member.items():
        if len(ends) == 1 and _plausible(s, ident, ends[0]):
            continue
        for e in ends:
            p = s.rods.lines[e // 2, e % 2]
            held = _overhang(s, ident, e)
            yield Finding(
                "join.loose_end",
                "warning",
                f"The {s.name(ident)} is joined to nothing at its {'end' if e % 2 else 'start'}, "
                f"{mm(held)} from its last joint: is a cantilever intended?",
                (ident,),
                point(p),
                ("Join it by hand", "Accept, because…"),
                {"length": held},
            )


def _foot(s: Subject, end: int) -> bool:
    """Return whether an end is the lower one of a column: support.base_free reports it."""
    m = s.model.members[s.ids[end // 2]]
    line = s.model.line(m)
    return m.cls == "column" and bool(line[end % 2, 2] < line[1 - end % 2, 2])


def _overhang(s: Subject, ident: str, end: int) -> float:
    """Free length from the loose end to the next joint along the member, m."""
    m = s.model.members[ident]
    length = s.model.length(m)
    places = [0.0, *(j.distance for j in m.joints), length]
    return places[-1] - places[-2] if end % 2 else places[1] - places[0]


def _plausible(s: Subject, ident: str, end: int) -> bool:
    m = s.model.members[ident]
    a, b = s.model.line(m)
    if m.cls == "column":
        top = 1 if b[2] > a[2] else 0
        return end % 2 == top or bool(s.model.nodes[m.start if end % 2 else m.end].support.any)
    other = m.start if end % 2 else m.end
    release = m.release_start if end % 2 else m.release_end
    if m.joints:
        return _overhang(s, ident, end) <= CANTILEVER
    if any(release.released[3:]):
        return False
    support = s.model.nodes[other].support
    if all(support.held[3:]) and len(s.members_at[other]) == 1:
        return True  # fixed at its root: meant as it is, however long
    return _overhang(s, ident, end) <= CANTILEVER


@check("join.island", looks_at=("geometry", "supports", "sections", "materials"))
def find_islands(s: Subject) -> Iterator[Finding]:
    """Parts of the model that no support holds, when others are held."""
    if not any(held for _, held in s.whole_parts):
        return
    told: set[str] = set()
    for part, held in s.whole_parts:
        if held or _free_surface(s, part):
            continue
        told |= part
        yield _island(s, tuple(sorted(part)), "")
    left = s.results.left_out if s.results is not None and not s.results.empty else {}
    rest = tuple(
        sorted(
            i for i, why in left.items() if why == NOT_HELD and i not in told and s.model.part(i) is not None
        )
    )
    if rest:
        yield _island(s, rest, " by anything that takes part in the run")


def _island(s: Subject, ids: tuple[str, ...], more: str) -> Finding:
    names = ", ".join(s.name(i) for i in ids[:4]) + and_more(ids, 4)
    verb = "is" if len(ids) == 1 else "are"
    level = any(i in s.model.surfaces and not s.model.surfaces[i].upright for i in ids)
    return Finding(
        "join.island",
        "blocking",
        f"{names[0].upper()}{names[1:]} {verb} joined to no support{more}; nothing of it can be computed.",
        ids,
        s.middle(ids[0]),
        ("Join it to the rest", "Support it", *((ON_GROUND,) if level else ())),
    )


def _free_surface(s: Subject, part: set[str]) -> bool:
    """Return whether a part is one surface alone: surface.free reports it."""
    return len(part) == 1 and next(iter(part)) in s.model.surfaces


@check("join.short", looks_at=("geometry",))
def find_short_pieces(s: Subject) -> Iterator[Finding]:
    """Members, or pieces between two joints, shorter than the set length."""
    limit = s.settings.transfer.short
    for (ident, m), length in zip(s.model.members.items(), s.lengths):
        if not m.joints and length >= limit:
            continue
        places = [0.0, *(j.distance for j in m.joints), length]
        for a, b in zip(places, places[1:]):
            if b - a < limit:
                whole = "The" if len(places) == 2 else "A piece of the"
                line = s.model.line(m)
                p = line[0] + (line[1] - line[0]) * (a + b) / 2 / max(places[-1], 1e-12)
                yield Finding(
                    "join.short",
                    "warning",
                    f"{whole} {s.name(ident)} is {mm(b - a)} long, shorter than {mm(limit)}.",
                    (ident,),
                    point(p),
                    ("Accept, because…",),
                    {"length": b - a},
                )


RESIZED = 1e-3  # m; sizes that differ by less join the same


@check("join.undecided", looks_at=("geometry", "sections"))
def find_undecided_joins(s: Subject) -> Iterator[Finding]:
    """Parts that were given another size after they were joined, and were not joined again with it."""
    apart: list[tuple[float, str]] = []
    for m in s.model.members.values():
        section = s.model.sections.get(m.section)
        if section is None or not section.usable or m.source_line is None or not s.model.taken_with:
            continue
        off = max(abs(section.width - m.joined_as[0]), abs(section.depth - m.joined_as[1]))
        apart.append((off, m.id))
    apart += [(abs(x.thickness - x.joined_as), x.id) for x in s.model.surfaces.values() if x.joined_as > 0]
    found = sorted(((round(off, 6), i) for off, i in apart if off > RESIZED), key=lambda x: (-x[0], x[1]))
    if found and s.model.physical:
        far, first = found[0]
        ids = tuple(sorted(i for _, i in found))
        many = f"{len(ids)} parts have" if len(ids) > 1 else f"The {s.name(first)} has"
        yield Finding(
            "join.undecided",
            "warning",
            f"{many} another size now than when the model was joined, by up to {mm(far)} ({s.name(first)}): which "
            "ends meet, ties, releases and ways of slabs are those of the size before. Taking the source in again "
            "with the same corrections decides them anew.",
            ids,
            s.middle(first),
            ("Accept, because…",),
            {"distance": far},
        )
