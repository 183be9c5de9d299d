"""Do members meet where they should?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...model import Finding
from ...model.geometry.proximity import end_pairs
from ..registry import Subject, check, mm, point

CANTILEVER = 3.0  # m; longer free ends are asked about. Common practice, no source.


def loose_ends(s: Subject) -> list[int]:
    """Ends (2 m for the start of member m, 2 m + 1 for its end) whose node no other member, support or
    surface shares."""
    return s.once("loose ends", lambda: _loose_ends(s), ("geometry", "supports"))


def _loose_ends(s: Subject) -> list[int]:
    at, tied, nodes = s.members_at, s.tied, s.model.nodes
    out = []
    for k, m in enumerate(s.model.members.values()):
        for which, node in ((0, m.start), (1, m.end)):
            if len(at[node]) == 1 and not nodes[node].support.any and node not in tied:
                out.append(2 * k + which)
    return out


def gaps(s: Subject) -> dict[int, tuple[int, float]]:
    """For each end that comes close to a member without meeting it: that member's index and the clear
    distance."""
    return s.once("gaps", lambda: _gaps(s), ("geometry", "sections", "supports", "names"))


def _gaps(s: Subject) -> dict[int, tuple[int, float]]:
    if len(s.ids) < 2:
        return {}
    pairs = end_pairs(s.rods, s.model.search)
    # the nearest are the joined ones, and there are many of them
    pairs = pairs.take(np.flatnonzero(pairs.clear > s.model.snap))
    members = list(s.model.members.values())
    loose = np.zeros(2 * len(members), bool)
    loose[loose_ends(s)] = True
    # of ends that are joined to something only those beside a column are asked about
    columns = np.array([m.cls == "column" for m in members], bool)
    pairs = pairs.take(np.flatnonzero(loose[pairs.end] | columns[pairs.member]))
    best: dict[int, tuple[int, float]] = {}
    order = np.argsort(pairs.clear, kind="stable")
    for e, m, clear in zip(
        pairs.end[order].tolist(), pairs.member[order].tolist(), pairs.clear[order].tolist()
    ):
        if e in best:
            continue
        own = members[e // 2]
        node = own.end if e % 2 else own.start
        if node in s.nodes_of(members[m].id):
            continue
        if loose[e] or _apart(s, node, members[m].id):
            best[e] = (m, clear)
    return best


def _apart(s: Subject, node: str, column: str) -> bool:
    """Whether a node of beams alone (no column, no support) lies beside a column it is not tied to nearby."""
    if s.model.nodes[node].support.any:
        return False
    around = s.members_at[node]
    if any(s.model.members[i].cls != "beam" for i in around):
        return False
    mine = set(s.nodes_of(column))
    return not any(mine & set(s.nodes_of(i)) for i in around)


@check("join.gap", looks_at=("geometry", "sections", "supports"))
def find_gaps(s: Subject) -> Iterator[Finding]:
    """Ends that stop short of what they were meant for: farther than the snap, within the search distance."""
    seen: set[tuple[str, str]] = set()
    loose = set(loose_ends(s))
    for e, (m, clear) in sorted(gaps(s).items(), key=lambda item: _gap_order(s, *item)):
        own, other = s.ids[e // 2], s.ids[m]
        pair = (min(own, other), max(own, other))
        if pair in seen:
            continue
        seen.add(pair)
        alone = e in loose
        face = "the face of " if s.model.physical else ""
        rest = "nothing carries its end" if alone else "the node it ends at is not tied to it"
        yield Finding(
            "join.gap",
            "blocking" if alone else "warning",
            f"The {s.name(own)} ends {mm(clear)} before {face}{s.name(other)}; {rest}.",
            (own, other),
            point(s.rods.lines[e // 2, e % 2]),
            (f"Extend it to {s.name(other)} ({mm(clear)})", "Accept, because…"),
            {"distance": clear},
        )


def _gap_order(s: Subject, end: int, gap: tuple[int, float]) -> tuple[float, bool, str]:
    """Nearest first; of a beam and a column that miss each other the beam is the one that stops short."""
    own = s.model.members[s.ids[end // 2]]
    return round(gap[1], 6), own.cls == "column", own.id


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
    """Whether an end is the lower one of a column: support.base_free reports it."""
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


@check("join.island", looks_at=("geometry", "supports"))
def find_islands(s: Subject) -> Iterator[Finding]:
    """Parts of the model that no support holds, when others are held."""
    if not any(held for _, held in s.whole_parts):
        return
    for part, held in s.whole_parts:
        if held or _free_surface(s, part):
            continue
        ids = tuple(sorted(part))
        names = ", ".join(s.name(i) for i in ids[:4]) + (f" and {len(ids) - 4} more" if len(ids) > 4 else "")
        verb = "is" if len(ids) == 1 else "are"
        yield Finding(
            "join.island",
            "blocking",
            f"{names[0].upper()}{names[1:]} {verb} joined to no support; nothing of it can be computed.",
            ids,
            s.middle(ids[0]),
            ("Join it to the rest", "Support it"),
        )


def _free_surface(s: Subject, part: set[str]) -> bool:
    """Whether a part is one surface alone: surface.free reports it."""
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
