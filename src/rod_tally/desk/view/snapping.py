"""Places that a pointer goes to when something is drawn: nodes, middles, corners, crossings of grid lines,
members' axes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely import LineString
from shapely.ops import nearest_points

from ...model import Model, Surface
from ...model.entities.grid import GridLine
from ...model.geometry.vectors import Array

SAME = 1e-3  # m; places nearer to each other are one
STEP = 0.05  # m; places along an axis are whole steps from its start


@dataclass(frozen=True, slots=True)
class Place:
    """A place (m, the model's axes) and what lies there. `rank`: the lower one is taken where two are as
    near."""

    at: tuple[float, float, float]
    what: str
    rank: int = 0


def places(
    model: Model, members: Sequence[str], surfaces: Sequence[Surface], levels: Sequence[tuple[str, float]]
) -> list[Place]:
    """Return the places of the shown members and surfaces, and the crossings of grid lines on levels (name,
    height); each place once."""
    found: dict[tuple[int, int, int], Place] = {}

    def add(at: Array, what: str, rank: int) -> None:
        key = (round(at[0] / SAME), round(at[1] / SAME), round(at[2] / SAME))
        if key not in found or rank < found[key].rank:
            found[key] = Place((float(at[0]), float(at[1]), float(at[2])), what, rank)

    for ident in members:
        m = model.members[ident]
        for node in (m.start, *(j.node for j in m.joints), m.end):
            add(model.nodes[node].point, f"node {node}", 0)
        add(model.line(m).mean(axis=0), f"middle of {m.cls} {m.name or m.id}", 2)
    for s in surfaces:
        for ring in (s.outer, *s.openings):
            for a, b in zip(ring, np.roll(ring, -1, axis=0)):
                add(a, f"corner of {s.cls} {s.name or s.id}", 1)
                add((a + b) / 2, f"middle of an edge of {s.cls} {s.name or s.id}", 2)
    for name, (x, y) in crossings(model.grids):
        for level, z in levels:
            add(np.array([x, y, z]), f"{name} at {level}", 1)
    return list(found.values())


def crossings(grids: Sequence[GridLine]) -> list[tuple[str, tuple[float, float]]]:
    """Where grid lines cross or meet, as "A / 2"; lines of one family do not."""
    grids = [g for g in grids if len(g.points) > 1]
    lines = [LineString(g.points) for g in grids]
    out = []
    for k, (a, one) in enumerate(zip(grids, lines)):
        for b, other in zip(grids[k + 1 :], lines[k + 1 :]):
            if (a.family == b.family and a.grid == b.grid) or one.distance(other) > SAME:
                continue
            at = one.intersection(other)
            if at.is_empty:  # one ends at the other, but for rounding
                at = nearest_points(one, other)[0]
            if at.geom_type == "Point":
                out.append((f"{a.name} / {b.name}", (float(at.x), float(at.y))))
    return out


def nearest(found: Sequence[Place], screen: Array, at: tuple[float, float], reach: float) -> Place | None:
    """The place whose pixels (n, 3; the third is depth) are nearest to `at`, in front before behind; None
    beyond `reach`."""
    if not len(found):
        return None
    off = np.linalg.norm(screen[:, :2] - at, axis=1)
    near = np.flatnonzero(off <= reach)
    if not len(near):
        return None
    order = sorted(
        near.tolist(), key=lambda k: (round(off[k] / 3), found[k].rank, round(float(screen[k, 2]), 4))
    )
    return found[order[0]]


def on_axis(line: Array, screen: Array, at: tuple[float, float], name: str) -> Place:
    """The place on a member's axis (2, 3) that is seen at `at` (px; `screen` (2, 2) are its ends), by whole
    steps from its start."""
    way = screen[1] - screen[0]
    t = float(np.clip(((np.array(at) - screen[0]) @ way) / max(float(way @ way), 1e-9), 0.0, 1.0))
    length = float(np.linalg.norm(line[1] - line[0]))
    along = min(round(t * length / STEP) * STEP, length)
    x = line[0] + (line[1] - line[0]) * along / max(length, 1e-9)
    return Place((float(x[0]), float(x[1]), float(x[2])), f"{along:.2f} m along {name}", 3)
