"""A close-up of the spot where two members miss or meet each other: their outlines in one plane, the true
distance."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely.geometry import MultiPoint

from ..entities.model import Model
from ..entities.structure import Member
from .panels import Panels
from .vectors import Array, Bodies, clear_distance, local_axes

REACH = 3.0  # how many section sizes of each member are drawn, either way


@dataclass(slots=True)
class CloseUp:
    """Outlines (n, 2) in a plane through the first member's axis, m; nearest points and the clear distance
    between."""

    own: Array
    other: Array
    own_name: str
    other_name: str
    near_own: Array
    near_other: Array
    distance: float


def close_up(model: Model, own: str, other: str) -> CloseUp:
    """Two members or surfaces as the source draws them, seen across the plane of their axes (or upright, for
    parallel ones). Of a surface the axis is its long side."""
    (line_a, body_a, size_a, name_a), (line_b, body_b, size_b, name_b) = (
        _drawn(model, i) for i in (own, other)
    )
    distance, on_a, on_b = clear_distance(body_a, body_b)
    u = (line_a[1] - line_a[0]) / np.linalg.norm(line_a[1] - line_a[0])
    v = line_b[1] - line_b[0]
    across = v - (v @ u) * u
    gap = on_b[0] - on_a[0]
    if distance[0] > 1e-6 and abs(float(gap @ u)) < 0.95 * float(distance[0]):
        across = gap - (gap @ u) * u  # so that the distance is drawn in its true length
        v = across
    if np.linalg.norm(across) < 0.05 * np.linalg.norm(v):
        across = np.array([0, 0, 1.0]) - u[2] * u if abs(u[2]) < 0.9 else np.array([1.0, 0, 0]) - u[0] * u
    w = across / np.linalg.norm(across)
    w = w if w[2] > -1e-9 else -w
    plane = np.array([u, w])
    middle = (on_a[0] + on_b[0]) / 2
    size = max(size_a, size_b, float(distance[0]))

    def outline(body: Bodies, line: Array) -> Array:
        """The body's corners near the spot, as a hull in the plane."""
        axes, half = body.axes[0], body.half[0].copy()
        along = float((middle - line[0]) @ axes[0])
        length = float(np.linalg.norm(line[1] - line[0]))
        t0, t1 = max(along - REACH * size, 0.0), min(along + REACH * size, length)
        if t1 <= t0:
            t0, t1 = 0.0, length
        corners = []
        centre = body.centre[0] + axes[0] * ((t0 + t1) / 2 - length / 2)
        half[0] = (t1 - t0) / 2
        for sx in (-1, 1):
            for sy in (-1, 1):
                for sz in (-1, 1):
                    corners.append(centre + axes.T @ (half * [sx, sy, sz]))
        flat = (np.array(corners) - middle) @ plane.T
        hull = MultiPoint(flat).convex_hull
        return np.array(hull.exterior.coords) if hull.geom_type == "Polygon" else np.array(hull.coords)

    return CloseUp(
        outline(body_a, line_a),
        outline(body_b, line_b),
        name_a,
        name_b,
        (on_a[0] - middle) @ plane.T,
        (on_b[0] - middle) @ plane.T,
        float(distance[0]),
    )


def _drawn(model: Model, ident: str) -> tuple[Array, Bodies, float, str]:
    """Line, body, size across and name of a member or surface."""
    part = model.part(ident)
    if isinstance(part, Member):
        line = _line(model, part)
        return line, _body(model, part, line), model_size(model, part), part.name or ident
    if part is None:
        raise KeyError(ident)
    body = Panels([part]).bodies
    half = body.half[0]
    lead = int(half[:2].argmax())
    if lead == 1:  # the long side first, as along a member
        axes = body.axes[:, [1, 0, 2]] * np.array([1.0, 1, -1])[:, None]
        body = Bodies(body.centre, axes, body.half[:, [1, 0, 2]], body.rounded)
    reach = body.axes[0, 0] * body.half[0, 0]
    line = np.array([body.centre[0] - reach, body.centre[0] + reach])
    return line, body, max(part.thickness, 0.1), part.name or ident


def nearest_part(model: Model, own: str) -> str | None:
    """The member or surface that comes nearest to a member without sharing a node with it; None for none."""
    line, body, _, _ = _drawn(model, own)
    m = model.members[own]
    mine = {m.start, m.end, *(j.node for j in m.joints)}
    best: tuple[float, str] | None = None
    low, high = body.boxes()
    for ident, other in model.members.items():
        if ident == own or mine & {other.start, other.end, *(j.node for j in other.joints)}:
            continue
        their = model.line(other)
        if (their.min(axis=0) > high[0] + 2.0).any() or (their.max(axis=0) < low[0] - 2.0).any():
            continue
        distance, _, _ = clear_distance(body, _drawn(model, ident)[1])
        if best is None or (float(distance[0]), ident) < best:
            best = float(distance[0]), ident
    for s in model.surfaces.values():
        if any(j.other == own or j.node in mine for j in s.joints):
            continue
        distance, _, _ = clear_distance(body, _drawn(model, s.id)[1])
        if distance[0] < 2.0 and (best is None or (float(distance[0]), s.id) < best):
            best = float(distance[0]), s.id
    return best[1] if best is not None else None


def _line(model: Model, m: Member) -> Array:
    return m.source_line if m.source_line is not None else model.line(m)


def _bounds(model: Model, m: Member) -> tuple[float, float, float, float]:
    section = model.sections.get(m.section)
    return section.bounds if section is not None and section.usable else (0.0, 0.0, 0.0, 0.0)


def model_size(model: Model, m: Member) -> float:
    y0, y1, z0, z1 = _bounds(model, m)
    return max(y1 - y0, z1 - z0, 0.1)


def _body(model: Model, m: Member, line: Array) -> Bodies:
    y0, y1, z0, z1 = _bounds(model, m)
    axes = local_axes(line[1] - line[0], m.z_axis)
    length = float(np.linalg.norm(line[1] - line[0]))
    centre = line.mean(axis=0) + axes[1] * (y0 + y1) / 2 + axes[2] * (z0 + z1) / 2
    half = np.array([length / 2, (y1 - y0) / 2, (z1 - z0) / 2])
    section = model.sections.get(m.section)
    return Bodies(centre[None], axes[None], half[None], np.array([section is not None and section.round]))
