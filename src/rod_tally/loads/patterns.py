"""Patterns of an imposed load: every span, alternate spans, adjacent pairs, in both directions of the
columns."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from shapely.geometry import Polygon, box

from ..model import AreaLoad, LoadCase, MemberLoad, Model, SpaceLoad
from ..model.edits import load_values
from ..model.entities.surface import normal_of, sound
from ..model.geometry.directions import lies_at, turn
from ..model.geometry.vectors import Array

LEVEL = 0.7  # cosine to vertical above which a free area lies like a slab
SHORT = 1e-6  # m
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
    slabs = [a for a in case.area_loads if _level(model, a)]
    if not slabs:
        return []
    members = [x for x in case.member_loads if x.member in model.members]
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
            chosen = [spans[k] for k in loaded]
            loads += [load_values(x) for m in members for x in _along_bands(model, m, chosen, axis, angle)]
            loads += [load_values(x) for p in case.space_loads for x in _placed_on(p, chosen, axis, angle)]
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
    own = turn(angle)[:2, :2]
    holes: list[Polygon] = []
    if load.surface:
        surface = model.surfaces[load.surface]
        outline = surface.outer if load.outline is None else load.outline
        n, base = surface.plain_axes[2], surface.outer[0]
        if load.outline is None:
            holes = [sound(Polygon(r[:, :2] @ own)) for r in surface.openings]
            if surface.area_share != 1.0:  # all of the body, on what of it the model's plane has
                values = np.array(load.values) * surface.area_share
                load = replace(load, values=tuple((float(a), float(b), float(c)) for a, b, c in values))
    else:
        assert load.outline is not None
        outline = load.outline
        n, base = normal_of(outline), outline[0]
    plan = sound(Polygon(outline[:, :2] @ own))
    low, high = np.array(plan.bounds[:2]) - 1, np.array(plan.bounds[2:]) + 1
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
                out += [_piece(load, base, n, p, own) for p in _simple(piece)]
    return out


def _level(model: Model, load: AreaLoad) -> bool:
    """Return whether an area load lies on a slab, or freely in space like one."""
    if load.surface:
        return load.surface in model.surfaces and not model.surfaces[load.surface].upright
    return load.outline is not None and load.onto == "surfaces" and abs(normal_of(load.outline)[2]) > LEVEL


def _parts(x0: float, x1: float, spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Which shares (from, to) of a way from x0 to x1 across the direction lie on the spans. What runs
    along a line between two spans belongs to the one before it."""
    out = []
    for a, b in spans:
        if abs(x1 - x0) < SHORT:
            if a < x0 - SHORT <= b or (a - SHORT <= x0 - SHORT < b and a == -np.inf):
                return [(0.0, 1.0)]
            continue
        s, t = sorted(((a - x0) / (x1 - x0), (b - x0) / (x1 - x0)))
        s, t = max(s, 0.0), min(t, 1.0)
        if t > s:
            out.append((s, t))
    return out


def _along_bands(
    model: Model, load: MemberLoad, spans: list[tuple[float, float]], axis: int, angle: float
) -> list[MemberLoad]:
    """Return what of a load on a member lies on the spans."""
    line = model.line(model.members[load.member])
    own = turn(angle)[:, axis]
    way = (line[1] - line[0]) / float(np.linalg.norm(line[1] - line[0]))
    x0, x1 = (float((line[0] + way * d) @ own) for d in (load.a, load.b))
    qa, qb = np.array(load.qa), np.array(load.qb)
    out = []
    for s, t in _parts(x0, x1, spans):
        a, b = (load.a + (load.b - load.a) * x for x in (s, t))
        va, vb = (tuple(float(v) for v in qa + (qb - qa) * x) for x in (s, t))
        out.append(replace(load, a=a, b=b, qa=va, qb=vb, by="pattern"))  # type: ignore[arg-type]
    return out


def _placed_on(load: SpaceLoad, spans: list[tuple[float, float]], axis: int, angle: float) -> list[SpaceLoad]:
    """Return what of a load placed in space lies on the spans."""
    own = turn(angle)[:, axis]
    x = (load.line @ own).tolist()
    if len(x) == 1:
        return [replace(load, by="pattern")] if _parts(x[0], x[0], spans) else []
    qa, qb = np.array(load.qa), np.array(load.qb)
    out = []
    for s, t in _parts(x[0], x[1], spans):
        va, vb = (tuple(float(v) for v in qa + (qb - qa) * y) for y in (s, t))
        ends = load.line[0] + np.outer([s, t], load.line[1] - load.line[0])
        out.append(replace(load, line=ends, qa=va, qb=vb, by="pattern"))  # type: ignore[arg-type]
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
