"""Convex pieces cut by half-planes, in plain floats: every cut keeps the whole, however nearly its lines
coincide."""

from __future__ import annotations

import math
from collections.abc import Iterable

from shapely.geometry import Polygon

from ...model.geometry.triangles import triangles_of

Half = tuple[float, float, float]  # a x + b y <= c, with (a, b) of length 1
Corners = list[tuple[float, float]]


def half(a: float, b: float, c: float) -> Half | None:
    """a x + b y <= c, scaled; None where there is no direction."""
    size = math.hypot(a, b)
    return (a / size, b / size, c / size) if size > 1e-12 else None


def clip(points: Corners, cut: Half) -> tuple[Corners, Corners]:
    """A convex piece's parts inside and outside a half-plane, either [] where there is none."""
    a, b, c = cut
    value = [a * x + b * y - c for x, y in points]
    if max(value) <= 1e-12:
        return points, []
    if min(value) >= -1e-12:
        return [], points
    inside: Corners = []
    outside: Corners = []
    q, w = points[-1], value[-1]
    for p, v in zip(points, value):
        if (v <= 0) != (w <= 0):
            t = w / (w - v)
            between = (q[0] + t * (p[0] - q[0]), q[1] + t * (p[1] - q[1]))
            inside.append(between)
            outside.append(between)
        (inside if v <= 0 else outside).append(p)
        q, w = p, v
    return inside, outside


def clip_all(points: Corners, cuts: Iterable[Half]) -> tuple[Corners, list[Corners]]:
    """Return what of a convex piece lies in all half-planes, and the pieces that do not."""
    rest: list[Corners] = []
    for cut in cuts:
        points, outside = clip(points, cut)
        if outside:
            rest.append(outside)
        if not points:
            break
    return points, rest


def triangles(polygon: Polygon) -> list[Corners]:
    """A polygon, openings left out, as triangles that run against the clock."""
    out = []
    for (ax, ay), (bx, by), (cx, cy) in triangles_of(polygon).tolist():
        corners = [(ax, ay), (bx, by), (cx, cy)]
        out.append(corners if (bx - ax) * (cy - ay) > (by - ay) * (cx - ax) else corners[::-1])
    return out


def halves_of(points: Corners) -> list[Half]:
    """The half-planes whose common part a convex piece is; the piece runs against the clock."""
    out = []
    for (x0, y0), (x1, y1) in zip(points, points[1:] + points[:1]):
        cut = half(y1 - y0, x0 - x1, (y1 - y0) * x0 + (x0 - x1) * y0)
        if cut is not None:
            out.append(cut)
    return out


def area(points: Corners) -> float:
    return moments(points)[0]


def moments(points: Corners) -> tuple[float, float, float]:
    """Area and its first moments (int x, int y) of a piece that runs against the clock."""
    x0, y0 = points[0]
    a = sx = sy = 0.0
    for (ux, uy), (vx, vy) in zip(points[1:], points[2:]):
        cross = ((ux - x0) * (vy - y0) - (vx - x0) * (uy - y0)) / 2
        a += cross
        sx += cross * (x0 + ux + vx) / 3
        sy += cross * (y0 + uy + vy) / 3
    return a, sx, sy
