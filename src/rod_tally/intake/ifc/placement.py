"""Placements as 4x4 matrices in metres, each computed once."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...model.geometry import Array

FARTHEST = 1e9  # m; nothing that is built lies farther from anywhere


class PlacementError(ValueError):
    """A placement that leads nowhere; the message says why."""


def _unit(v: Array) -> Array:
    n = float(np.sqrt(v @ v))
    if not 0 < n < np.inf:
        raise PlacementError("an axis of its placement has no direction")
    return v / n


def frame(z: Array | None, x: Array | None, origin: Array) -> Array:
    """Matrix of an IfcAxis2Placement3D: z as given, x made perpendicular to it. Absent axes are the global ones."""
    m = np.eye(4)
    if z is not None or x is not None:
        zz = _unit(z) if z is not None else np.array([0.0, 0, 1])
        ref = x if x is not None else np.array([1.0, 0, 0])
        if x is None and abs(zz[0]) > 0.999999:
            ref = np.array([0.0, 0, 1])
        xx = _unit(ref - (ref @ zz) * zz)
        m[:3, 0], m[:3, 2] = xx, zz
        # written out: numpy.cross costs ten times as much on single vectors
        m[0, 1] = zz[1] * xx[2] - zz[2] * xx[1]
        m[1, 1] = zz[2] * xx[0] - zz[0] * xx[2]
        m[2, 1] = zz[0] * xx[1] - zz[1] * xx[0]
    m[:3, 3] = origin
    return m


class Placements:
    """Matrices of placements and transformation operators, cached by entity id. `scale` is metres a file unit."""

    def __init__(self, scale: float) -> None:
        self.scale = scale
        self._axis: dict[int, Array] = {}
        self._local: dict[int, Array] = {}

    def point(self, entity: Any) -> Array:
        c = entity.Coordinates
        p = np.array((*c, 0.0)[:3] if len(c) < 3 else c, float) * self.scale
        if not np.isfinite(p).all() or np.abs(p).max() > FARTHEST:
            raise PlacementError("a coordinate is not a number or lies beyond any building")
        return p

    @staticmethod
    def direction(entity: Any) -> Array | None:
        if entity is None:
            return None
        r = entity.DirectionRatios
        return np.array((*r, 0.0)[:3] if len(r) < 3 else r, float)

    def axis(self, entity: Any) -> Array:
        """Matrix of an IfcAxis2Placement3D or 2D (identity for None)."""
        if entity is None:
            return np.eye(4)
        key = entity.id()
        if key not in self._axis:
            origin = self.point(entity.Location)
            if entity.is_a("IfcAxis2Placement2D"):
                self._axis[key] = frame(None, self.direction(entity.RefDirection), origin)
            else:
                self._axis[key] = frame(
                    self.direction(entity.Axis), self.direction(getattr(entity, "RefDirection", None)), origin
                )
        return self._axis[key]

    def local(self, entity: Any) -> Array:
        """Matrix of an IfcObjectPlacement down to the world. Raises PlacementError for one that refers to itself."""
        chain, seen = [], set()
        base = np.eye(4)
        while entity is not None:
            key = entity.id()
            if key in self._local:
                base = self._local[key]
                break
            if key in seen:
                raise PlacementError("its placement refers back to itself")
            seen.add(key)
            chain.append(entity)
            entity = entity.PlacementRelTo if entity.is_a("IfcLocalPlacement") else None
        for item in reversed(chain):
            if item.is_a("IfcLocalPlacement"):
                base = base @ self.axis(item.RelativePlacement)
            elif item.is_a("IfcLinearPlacement"):
                if item.CartesianPosition is None:
                    raise PlacementError("it is placed along an alignment without a Cartesian position")
                base = self.axis(item.CartesianPosition)
            else:
                raise PlacementError(f"its placement is an {item.is_a()}, which is not read")
            if not np.isfinite(base).all() or np.abs(base).max() > FARTHEST:
                raise PlacementError("its placement lies beyond any building")
            self._local[item.id()] = base
        return base

    def operator(self, entity: Any) -> Array:
        """Matrix of an IfcCartesianTransformationOperator3D, scale included."""
        z, x, y = (self.direction(getattr(entity, a, None)) for a in ("Axis3", "Axis1", "Axis2"))
        m = frame(z, x, self.point(entity.LocalOrigin))
        if y is not None and m[:3, 1] @ y < 0:
            m[:3, 1] = -m[:3, 1]
        s = entity.Scale or 1.0
        scales = [s, getattr(entity, "Scale2", None) or s, getattr(entity, "Scale3", None) or s]
        m[:3, :3] = m[:3, :3] * np.array(scales)
        return m
