"""Points of IFC curves, in metres; arcs become chords."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ....model.geometry.vectors import Array
from .placement import Placements

ARC_STEP = math.radians(7.5)  # chords of an arc: an area error of 0.3 % on a full circle


class CurveError(ValueError):
    """A curve this reader cannot follow; the message names its entity."""


def points_of(curve: Any, placements: Placements, angle: float = 1.0, depth: int = 0) -> Array:
    """Points (n, 3) along a curve. `angle`: radians of the file's plane angle unit. Raises CurveError."""
    if depth > 20:
        raise CurveError("a curve refers back to itself")
    kind = curve.is_a()
    if kind == "IfcPolyline":
        return np.array([placements.point(p) for p in curve.Points])
    if kind == "IfcIndexedPolyCurve":
        return _indexed(curve, placements)
    if kind in ("IfcCompositeCurve", "Ifc2DCompositeCurve", "IfcCompositeCurveOnSurface"):
        parts = []
        for segment in curve.Segments:
            part = points_of(segment.ParentCurve, placements, angle, depth + 1)
            parts.append(part if segment.SameSense in (True, None) else part[::-1])
        return _without_repeats(np.concatenate(parts))
    if kind == "IfcTrimmedCurve":
        return _trimmed(curve, placements, angle)
    if kind in ("IfcCircle", "IfcEllipse"):
        return _conic(curve, placements, 0.0, 2 * math.pi)
    raise CurveError(f"curves of kind {kind} are not read")


def _without_repeats(points: Array) -> Array:
    if len(points) < 2:
        return points
    keep = np.concatenate([[True], np.linalg.norm(np.diff(points, axis=0), axis=1) > 1e-9])
    return points[keep]


def _indexed(curve: Any, placements: Placements) -> Array:
    raw = np.array([(*p, 0.0)[:3] for p in curve.Points.CoordList], float) * placements.scale
    if not curve.Segments:
        return raw
    parts = []
    for segment in curve.Segments:
        index = [i - 1 for i in segment.wrappedValue]
        parts.append(_arc_through(*raw[index]) if segment.is_a("IfcArcIndex") else raw[index])
    return _without_repeats(np.concatenate(parts))


def _arc_through(a: Array, b: Array, c: Array) -> Array:
    """Points of the arc from a through b to c (a straight line when they are in line)."""
    u, v = b - a, c - a
    w = np.cross(u, v)
    ww = w @ w
    if ww < 1e-24:
        return np.array([a, c])
    centre = a + (np.cross(w, u) * (v @ v) + np.cross(v, w) * (u @ u)) / (2 * ww)
    e1 = a - centre
    e2 = np.cross(w / math.sqrt(ww), e1)
    sweep = math.atan2((c - centre) @ e2, (c - centre) @ e1) % (2 * math.pi)
    t = np.linspace(0, sweep, max(2, math.ceil(sweep / ARC_STEP) + 1))
    return centre + np.outer(np.cos(t), e1) + np.outer(np.sin(t), e2)


def _conic(curve: Any, placements: Placements, a0: float, a1: float) -> Array:
    s = placements.scale
    radii = (curve.Radius * s,) * 2 if curve.is_a("IfcCircle") else (curve.SemiAxis1 * s, curve.SemiAxis2 * s)
    m = placements.axis(curve.Position)
    t = np.linspace(a0, a1, max(3, math.ceil(abs(a1 - a0) / ARC_STEP) + 1))
    flat = np.column_stack([radii[0] * np.cos(t), radii[1] * np.sin(t), np.zeros_like(t), np.ones_like(t)])
    return (flat @ m.T)[:, :3]


def _trimmed(curve: Any, placements: Placements, angle: float) -> Array:
    basis = curve.BasisCurve

    def trim(select: Any) -> tuple[float | None, Array | None]:
        value, point = None, None
        for item in select:
            if item.is_a("IfcCartesianPoint"):
                point = placements.point(item)
            else:
                value = float(item.wrappedValue)
        return value, point

    (v1, p1), (v2, p2) = trim(curve.Trim1), trim(curve.Trim2)
    if basis.is_a("IfcLine"):
        start = placements.point(basis.Pnt)
        along = placements.direction(basis.Dir.Orientation)
        if along is None:
            raise CurveError("a line has no direction")
        step = along / np.linalg.norm(along) * basis.Dir.Magnitude * placements.scale
        ends = []
        for v, p in ((v1, p1), (v2, p2)):
            if p is None and v is None:
                raise CurveError("a trimmed line has no trim")
            ends.append(p if p is not None else start + (v or 0.0) * step)
        return np.array(ends)
    if basis.is_a("IfcConic"):
        m = np.linalg.inv(placements.axis(basis.Position))
        ratio = 1.0 if basis.is_a("IfcCircle") else basis.SemiAxis1 / basis.SemiAxis2

        def parameter(v: float | None, p: Array | None) -> float:
            if v is not None:
                return v * angle
            if p is None:
                raise CurveError("a trimmed arc has no trim")
            q = m @ np.append(p, 1.0)
            return math.atan2(q[1] * ratio, q[0])

        a0, a1 = parameter(v1, p1), parameter(v2, p2)
        if curve.SenseAgreement in (True, None):
            a1 = a0 + ((a1 - a0) % (2 * math.pi) or 2 * math.pi)
        else:
            a1 = a0 - ((a0 - a1) % (2 * math.pi) or 2 * math.pi)
        return _conic(basis, placements, a0, a1)
    if basis.is_a("IfcPolyline"):
        return points_of(basis, placements, angle)
    raise CurveError(f"trimmed curves on {basis.is_a()} are not read")
