"""Patterns of an imposed load: every span, alternate spans, adjacent pairs, in both directions of the
columns."""

from __future__ import annotations

from typing import Any

import numpy as np
from shapely.geometry import Polygon, box

from ..model import AreaLoad, LoadCase, Model
from ..model.edits import load_values
from ..model.entities.surface import sound
from ..model.geometry.directions import lies_at, turn
from ..model.geometry.vectors import Array

SAME_LINE = 0.5  # m; columns this near across a direction stand on one line


def bands(model: Model, axis: int, angle: float = 0.0) -> list[tuple[float, float]]:
    """Spans between successive lines of columns and walls along x (0) or y (1) of axes turned by `angle`
    (rad) about Z; [] for fewer than two lines."""
    own = turn(angle)[:, axis]
    at: list[float] = []
    for m in model.members.values():
        if m.cls == "column":
            at.append(float(model.nodes[m.start].point @ own))
    for s in model.surfaces.values():
        if s.upright and abs(s.plain_axes[2] @ own) > 0.9:
            at.append(float(s.centroid @ own))
    lines: list[float] = []
    for x in sorted(at):
        if not lines or x - lines[-1] > SAME_LINE:
            lines.append(x)
    if len(lines) < 2:
        return []
    # the outermost spans take the overhangs along
    ends = [-np.inf, *lines[1:-1], np.inf]
    return list(zip(ends[:-1], ends[1:]))


def choices(spans: int) -> dict[str, list[int]]:
    """Which of so many spans are loaded, by the pattern's name: odd, even, and each pair of neighbours with
    every other span beyond (EN 1992-1-1 5.1.3(1)P: alternate spans, any two adjacent spans)."""
    if spans < 2:
        return {}
    out = {"odd": list(range(0, spans, 2)), "even": list(range(1, spans, 2))}
    for k in range(spans - 1):
        if spans > 2:
            out[f"{k + 1}+{k + 2}"] = sorted({*range(k, -1, -2), *range(k + 1, spans, 2)})
    return out


def patterns(model: Model, case: LoadCase) -> list[dict[str, Any]]:
    """Cases for `AddCases` that put the case's loads on slabs on some spans only; they and the case exclude
    each other.

    [] when it has no load on a slab, or there are no two spans in either direction. The case itself is the
    pattern "all". Of a building that is turned the directions are its own."""
    slabs = [
        a for a in case.area_loads if a.surface in model.surfaces and not model.surfaces[a.surface].upright
    ]
    if not slabs:
        return []
    out: list[dict[str, Any]] = []
    angle = lies_at(model)
    lies = f", along the building's own axes, turned by {np.degrees(angle):.4g} degrees" if angle else ""
    for axis, direction in ((0, "x"), (1, "y")):
        spans = bands(model, axis, angle)
        for name, loaded in choices(len(spans)).items():
            loads = [
                load_values(x)
                for load in slabs
                for x in _on_bands(model, load, [spans[k] for k in loaded], axis, angle)
            ]
            if loads:
                out.append(
                    {
                        "name": f"{case.name} {direction} {name}",
                        "kind": case.kind,
                        "category": case.category,
                        "together": case.together or case.name,
                        "loads": loads,
                        "by": f"pattern of {case.name}{lies}",
                    }
                )
    return out


def _on_bands(
    model: Model, load: AreaLoad, spans: list[tuple[float, float]], axis: int, angle: float
) -> list[AreaLoad]:
    surface = model.surfaces[load.surface]
    own = turn(angle)[:2, :2]
    outline = surface.outer if load.outline is None else load.outline
    plan = sound(Polygon(outline[:, :2] @ own))
    holes = [sound(Polygon(r[:, :2] @ own)) for r in surface.openings] if load.outline is None else []
    low, high = np.array(plan.bounds[:2]) - 1, np.array(plan.bounds[2:]) + 1
    n = surface.plain_axes[2]
    out = []
    for a, b in spans:
        frame = [*low, *high]
        frame[axis], frame[axis + 2] = max(a, frame[axis]), min(b, frame[axis + 2])
        if frame[axis] >= frame[axis + 2]:
            continue
        part = plan.intersection(box(*frame))
        for hole in holes:
            part = part.difference(hole)
        for piece in getattr(part, "geoms", [part]):
            if isinstance(piece, Polygon) and piece.area > 1e-6:
                out += [_piece(load, surface.outer[0], n, p, own) for p in _simple(piece)]
    return out


def _simple(piece: Polygon) -> list[Polygon]:
    """A polygon as such without openings: cut through each opening's middle."""
    if not piece.interiors:
        return [piece]
    x = piece.interiors[0].centroid.x
    x0, y0, x1, y1 = piece.bounds
    out = []
    for frame in (box(x0 - 1, y0 - 1, x, y1 + 1), box(x, y0 - 1, x1 + 1, y1 + 1)):
        part = piece.intersection(frame)
        for p in getattr(part, "geoms", [part]):
            if isinstance(p, Polygon) and p.area > 1e-9:
                out += _simple(p)
    return out


def _piece(load: AreaLoad, base: Array, n: Array, piece: Polygon, own: Array) -> AreaLoad:
    flat = np.array(piece.exterior.coords)[:-1] @ own.T
    z = base[2] - ((flat - base[:2]) @ n[:2]) / n[2]
    return AreaLoad(
        load.surface,
        load.values,
        np.column_stack([flat, z]),
        load.at,
        load.local,
        load.projected,
        source=load.source,
        by="pattern",
        name=load.name,
    )
