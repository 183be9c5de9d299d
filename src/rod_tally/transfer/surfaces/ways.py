"""Ways in which slabs carry, decided slab by slab: what is carried along its edges hands its load on and
stiffens its storey in plane; what is flat or has free edges is a shell."""

from __future__ import annotations

import numpy as np
import shapely
from shapely.geometry import Polygon

from ...loads.floors.floor import columns_below, places, stands_below
from ...model import LogEntry, Model, Surface
from ...model.entities.surface import sound
from ...model.geometry.vectors import Array
from ...words import few

BESIDE = 0.6  # m; a beam or wall this near to an edge carries it
FREE = 0.10  # share of a slab's edges that may be carried by nothing
ROUNDING = 1e-6  # m


def decide_ways(model: Model, set_by_hand: set[str]) -> None:
    """Set `way` and `diaphragm` of every slab that nobody set by hand, with an entry of the log for each way;
    walls and rafts are left.

    A wall counts as a carrier where it stands below the slab.
    """
    handing: list[str] = []
    reasons: dict[str, list[str]] = {}
    upper = columns_below(model)
    known: dict[tuple[object, ...], str] = {}
    standing = nodes_on_slabs_alone(model)
    for s in model.surfaces.values():
        if s.id in set_by_hand or s.upright or s.on_ground:
            continue
        reason = why_shell(model, s, upper, known)
        if not reason and any(j.node in standing for j in s.joints):
            reason = "what stands on them has nothing else below it"
        if reason:
            s.way, s.diaphragm = "shell", False
            reasons.setdefault(reason, []).append(s.name or s.id)
        else:
            s.way, s.diaphragm = "two-way", True
            handing.append(s.id)
    if handing:
        message = (
            f"{len(handing)} slabs are carried along their edges by beams or walls: they hand their load on and stiffen their "
            "storey in plane (transfer.slabs = auto)"
        )
        model.log.append(LogEntry("guessed", tuple(handing), message))
    for reason, names in reasons.items():
        shown = few(names, 4)
        message = (
            f"{len(names)} slabs are computed as shells, because {reason}: {shown} (transfer.slabs = auto)"
        )
        model.log.append(LogEntry("guessed", (), message))


def nodes_on_slabs_alone(model: Model) -> set[str]:
    """Feet of columns that only a slab holds: no support, wall, column or beam there."""
    on_walls = {j.node for s in model.surfaces.values() if s.upright for j in s.joints if j.node}
    at = model.members_at()
    out = set()
    for m in model.members.values():
        if m.cls != "column":
            continue
        a, b = model.line(m)
        node = m.start if a[2] <= b[2] else m.end
        others = [i for i in at[node] if i != m.id and not _rises(model, i, node)]
        if not others and node not in on_walls and not model.nodes[node].support.any:
            out.add(node)
    return out


def _rises(model: Model, member: str, node: str) -> bool:
    """Return whether a member begins at a node and goes up from it, as braces from a foot do."""
    m = model.members[member]
    line = model.line(m)
    z = line[0, 2] if m.start == node else line[1, 2] if m.end == node else None
    return z is not None and bool(line[:, 2].max() > z + 0.05 and line[:, 2].min() >= z - 0.05)


def why_shell(model: Model, s: Surface, heads: set[str], known: dict[tuple[object, ...], str]) -> str:
    """Why a slab cannot hand its load on by itself, in words; "" where it can. `heads` are nodes that columns
    come up to; `known`: what slabs of the same shape, carried alike, gave."""
    lines, columns = [], []
    for j in s.joints:
        if j.kind == "member" and j.other in model.members and len(j.line) == 2:
            lines.append(j.line)
        elif j.kind == "surface" and len(j.line) == 2:
            wall = model.surfaces.get(j.other)
            if wall is not None and wall.upright and stands_below(wall.outer, j.line):
                lines.append(j.line)
        elif j.kind == "end" and j.node in heads:
            columns.append(j.line[:1])
    if not lines:
        return "no beam or wall carries them"
    flat = s.flat(np.concatenate([*lines, *columns]))
    carriers, points = flat[: 2 * len(lines)].reshape(-1, 2, 2), flat[2 * len(lines) :]
    rings = [s.flat(r) for r in (s.outer, *s.openings)]
    key = (
        *(places(r) for r in rings),
        tuple(sorted(map(places, carriers))),
        tuple(sorted(map(places, points))),
    )
    if key not in known:
        known[key] = _why(sound(s.polygon), carriers, points)
    return known[key]


def _why(polygon: Polygon, carriers: Array, columns: Array) -> str:
    """The same for an outline, lines (n, 2, 2) that carry it and columns (k, 2) under it, in its own
    plane."""
    near = shapely.union_all(shapely.buffer(shapely.linestrings(carriers), BESIDE, cap_style="square"))
    edge = polygon.boundary
    free = edge.difference(near).length
    if free > FREE * edge.length + ROUNDING:
        return "some of their edges are free"
    if len(columns) and not shapely.contains(near, shapely.points(columns)).all():
        return "columns carry them between beams and walls"
    return ""
