"""Do members, slabs and walls reach what they are meant for?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString

from ...model import Finding, Member, Surface, SurfaceJoint
from ...model.geometry.panels import lying_along, touching_ends
from ...model.geometry.proximity import end_pairs
from ...model.geometry.vectors import Array
from ..registry import Subject, check, listed, mm, point

BESIDE = 0.6  # m; what carries a slab this near to a beam carries it there
ASKED = "Accept, because…"


def loose_ends(s: Subject) -> list[int]:
    """Ends (2 m for the start of member m, 2 m + 1 for its end) whose node no other member, support or
    surface shares, and that lie on no slab or wall which carries the member there."""
    return s.once("loose ends", lambda: _loose_ends(s), ("geometry", "supports"))


def _loose_ends(s: Subject) -> list[int]:
    at, tied, nodes = s.members_at, s.tied, s.model.nodes
    along: dict[str, list[Array]] = {}
    for x in s.model.surfaces.values():
        for j in x.joints:
            if j.kind == "member" and len(j.line) == 2 and _carries(s, x, j):
                along.setdefault(j.other, []).append(j.line)
    out = []
    for k, m in enumerate(s.model.members.values()):
        for which, node in ((0, m.start), (1, m.end)):
            alone = len(at[node]) == 1 and not nodes[node].support.any and node not in tied
            if alone and not (m.id in along and _along(s, m, which, along[m.id])):
                out.append(2 * k + which)
    return out


def _carries(s: Subject, surface: Surface, joint: SurfaceJoint) -> bool:
    """Return whether a surface carries a member along a joint: a wall does, a slab that the member lies on.
    What lies under a slab carries it."""
    m = s.model.members.get(joint.other)
    if m is None or surface.upright:
        return m is not None
    line = s.model.line(m)
    return float(line[:, 2].min() - joint.line[:, 2].max()) >= max(surface.reach) - s.model.snap


def _along(s: Subject, m: Member, which: int, lines: list[Array]) -> bool:
    """Return whether a member's end lies along one of the lines by which it is joined to surfaces."""
    axis = s.model.line(m)
    x = axis[1] - axis[0]
    length = float(np.linalg.norm(x))
    at = length if which else 0.0
    spans = [np.sort((line - axis[0]) @ x / length) for line in lines]
    return any(low - s.model.search <= at <= high + s.model.search for low, high in spans)


def _behind(s: Subject, end: int, place: Array) -> float:
    """How far a place lies behind a member's end, along the member, m; negative before it."""
    out = s.rods.axes[end // 2, 0] * (1.0 if end % 2 else -1.0)
    return float((s.rods.lines[end // 2, end % 2] - place) @ out)


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
    size = np.abs(s.rods.bounds).max(axis=1)
    for e, m, clear, along in zip(
        pairs.end[order].tolist(),
        pairs.member[order].tolist(),
        pairs.clear[order].tolist(),
        pairs.along[order].tolist(),
    ):
        if e in best:
            continue
        place = s.rods.lines[m, 0] + s.rods.axes[m, 0] * along
        if _behind(s, e, place) > size[m] + size[e // 2] + s.model.snap:
            continue  # it goes past that one: it does not stop short of it
        own = members[e // 2]
        node = own.end if e % 2 else own.start
        if node in s.nodes_of(members[m].id):
            continue
        if loose[e] or _apart(s, node, members[m].id):
            best[e] = (m, clear)
    return best


def _apart(s: Subject, node: str, column: str) -> bool:
    """Return whether a node of beams alone (no column, no support) lies beside a column it is not tied to
    nearby."""
    if s.model.nodes[node].support.any:
        return False
    around = s.members_at[node]
    if any(s.model.members[i].cls != "beam" for i in around):
        return False
    mine = set(s.nodes_of(column))
    return not any(mine & set(s.nodes_of(i)) for i in around)


@check("join.gap", looks_at=("geometry", "sections", "supports"))
def find_gaps(s: Subject) -> Iterator[Finding]:
    """Ends that stop short of the member, slab or wall they were meant for: farther than the snap, within
    the search distance; and slabs that lie above beams without being joined to them, with nothing else
    that carries them there."""
    yield from _between_members(s)
    if s.model.surfaces and s.model.members:
        yield from _short_ends(s)
        yield from _slabs_above(s)


def _between_members(s: Subject) -> Iterator[Finding]:
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


def _short_ends(s: Subject) -> Iterator[Finding]:
    loose = set(loose_ends(s))
    tied = {(x.id, j.node) for x in s.model.surfaces.values() for j in x.joints}
    best: dict[int, tuple[float, int]] = {}
    which = np.zeros(2 * len(s.rods), bool)
    which[list(loose)] = True
    for t in touching_ends(s.rods, s.panels, s.model.search, which) if loose else ():
        m = s.model.members[s.ids[t.end // 2]]
        node = m.end if t.end % 2 else m.start
        known = (s.panels.surfaces[t.surface].id, node) in tied
        reach = max(s.panels.surfaces[t.surface].reach)
        past = _behind(s, t.end, t.point) > reach + s.model.snap
        if not known and t.clear > s.model.snap and not past:
            best[t.end] = min(best.get(t.end, (t.clear, t.surface)), (t.clear, t.surface))
    for end, (clear, k) in sorted(best.items()):
        own, other = s.ids[end // 2], s.panels.surfaces[k]
        yield Finding(
            "join.gap",
            "blocking",
            f"The {s.name(own)} ends {mm(clear)} before {s.name(other.id)}; nothing goes from one to the other.",
            (own, other.id),
            point(s.rods.lines[end // 2, end % 2]),
            (f"Tie it to {s.name(other.id)} ({mm(clear)})", ASKED),
            {"distance": clear},
        )


def _slabs_above(s: Subject) -> Iterator[Finding]:
    """Members that lie along slabs within the search distance, joined to them nowhere along their way."""
    reach = s.model.search
    tied = {(x.id, j.other) for x in s.model.surfaces.values() for j in x.joints if j.kind == "member"}
    found: dict[str, list[tuple[float, str]]] = {}
    beams = np.array([s.model.members[i].cls == "beam" for i in s.ids], bool)
    level = np.array([not x.upright for x in s.panels.surfaces], bool)

    def wanted(m: NDArray[np.intp], k: NDArray[np.intp]) -> NDArray[np.bool_]:
        ids, slabs = s.ids, s.panels.surfaces
        untied = [(slabs[b].id, ids[a]) not in tied for a, b in zip(m.tolist(), k.tolist())]
        return np.asarray(beams[m] & level[k] & np.array(untied, bool))

    for m, k, place, height in lying_along(s.rods, s.panels, reach, wanted):
        slab, member = s.panels.surfaces[k], s.model.members[s.ids[m]]
        if s.model.physical and not s.rods.bounds[m].any():
            continue  # of unknown section: how deep it is is not known
        low, high = float(s.rods.bounds[m, 2]), float(s.rods.bounds[m, 3])
        depth = max(abs(low), abs(high)) if s.model.physical else 0.0
        clear = max(abs(height) - depth - max(slab.reach), 0.0)
        if s.model.physical and clear <= s.model.snap:
            continue
        if not s.model.physical and abs(height) > reach:
            continue
        line = LineString(slab.flat(place))
        # what carries the slab along there already
        near = shapely.union_all(
            [LineString(slab.flat(j.line)) for j in slab.joints if len(j.line) == 2]
        ).buffer(BESIDE, cap_style="flat")
        if line.difference(near).length > line.length / 2:
            found.setdefault(slab.id, []).append((clear if s.model.physical else abs(height), member.id))
    for ident, under in sorted(found.items()):
        slab = s.model.surfaces[ident]
        under.sort()
        names = [s.name(i) for _, i in under[:3]] + ([f"{len(under) - 3} more"] if len(under) > 3 else [])
        carried = any(len(j.line) == 2 for j in slab.joints) or slab.on_ground
        how = (
            f"lies {mm(under[-1][0])} above {listed(names)} and is joined to none of them"
            if s.model.physical
            else f"shares points at most with {listed(names)}, which lie{'s' if len(under) == 1 else ''} along it"
        )
        yield Finding(
            "join.gap",
            "warning" if carried else "blocking",
            f"The {s.name(ident)} {how}: {'there' if carried else 'it is carried by nothing, and'} no load goes from it to them.",
            (*(i for _, i in under), ident),
            s.middle(ident),
            (f"Tie them to {s.name(ident)}", ASKED),
            {"distance": under[-1][0]},
        )
