"""Levels and grid lines of two revisions: the same, moved, renamed, added, removed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model import Model
from ..model.entities.grid import GridLine
from ..model.geometry.vectors import Array
from .align import SAME, Transform

LEVEL = 0.01  # m; levels closer than this are the same one


@dataclass(slots=True)
class LevelMatch:
    elevation: float
    name: str
    status: str


@dataclass(slots=True)
class GridMatch:
    """A grid line. `was` and `is_` are its ends in plan (four numbers, m, in the baseline's axes), None where
    it is not there."""

    name: str
    status: str
    baseline_name: str | None
    revised_name: str | None
    was: list[float] | None
    is_: list[float] | None


def match_levels(base: Model, revised: Model, transform: Transform | None) -> list[LevelMatch]:
    """Every level of either side once, by height; the revised one's heights are its own."""
    raised = transform.shift[2] if transform else 0.0
    old = [(s.elevation + float(base.origin[2]), s.name) for s in base.storeys]
    new = [(s.elevation + float(revised.origin[2]) - raised, s.name) for s in revised.storeys]
    out = []
    for z, name in new:
        known = any(abs(z - other) <= LEVEL for other, _ in old)
        out.append(LevelMatch(z + raised, name, "same" if known else "added"))
    for z, name in old:
        if not any(abs(z - other) <= LEVEL for other, _ in new):
            out.append(LevelMatch(z, name, "removed"))
    return sorted(out, key=lambda level: level.elevation)


def match_grids(base: Model, revised: Model, transform: Transform | None) -> list[GridMatch]:
    """Every grid line of either side once: by place, then by name. One on the same line is the same, however
    far it is drawn."""
    old = [(g, _ends(g, base.origin, None)) for g in base.grids]
    new = [(g, _ends(g, revised.origin, transform)) for g in revised.grids]
    pairs: dict[int, int] = {}
    for by_place in (True, False):
        for j, (now, is_) in enumerate(new):
            if j in pairs:
                continue
            free = [i for i in range(len(old)) if i not in pairs.values()]
            fit = [
                i for i in free if (_off(old[i][1], is_) < SAME if by_place else old[i][0].name == now.name)
            ]
            same_name = [i for i in fit if old[i][0].name == now.name]
            if fit:
                pairs[j] = (same_name or fit)[0]
    out = []
    for j, (now, is_) in enumerate(new):
        if j not in pairs:
            out.append(GridMatch(now.name, "added", None, now.name, None, is_))
            continue
        was, place = old[pairs[j]]
        status = "moved" if _off(place, is_) >= SAME else "renamed" if was.name != now.name else "same"
        out.append(GridMatch(now.name, status, was.name, now.name, place, is_))
    gone = [g for i, g in enumerate(old) if i not in pairs.values()]
    return out + [GridMatch(g.name, "removed", g.name, None, place, None) for g, place in gone]


def _ends(line: GridLine, origin: Array, transform: Transform | None) -> list[float]:
    """First and last point in plan in the baseline's axes, the smaller one first."""
    points = np.column_stack([line.points[[0, -1]], np.zeros(2)]) + origin
    if transform is not None:
        points = transform.undo(points)
    first, last = sorted(np.round(points[:, :2], 9).tolist())
    return [*first, *last]


def _off(a: list[float], b: list[float]) -> float:
    """How far the ends of `b` lie off the straight line through `a`, m."""
    p, q = np.array(a).reshape(2, 2), np.array(b).reshape(2, 2)
    u = p[1] - p[0]
    length = float(np.hypot(*u))
    if length == 0:
        return float(np.abs(q - p).max())
    d = q - p[0]
    return float(np.abs(d[:, 0] * u[1] - d[:, 1] * u[0]).max() / length)
