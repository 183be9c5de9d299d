"""Placements as 4x4 matrices in metres, each computed once."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ...model.geometry import Array

FARTHEST = 1e9  # m; nothing that is built lies farther from anywhere


class PlacementError(ValueError):
    """A placement that leads nowhere; the message says why."""


def _unit(v: tuple[float, ...]) -> tuple[float, float, float]:
    x, y, z = v
    n = math.sqrt(x * x + y * y + z * z)
    if not 0 < n < math.inf:
        raise PlacementError("an axis of its placement has no direction")
    return x / n, y / n, z / n


def frame(z: tuple[float, ...] | None, x: tuple[float, ...] | None, origin: tuple[float, ...]) -> Array:
    """Matrix of an IfcAxis2Placement3D: z as given, x made perpendicular to it. Absent axes are the global ones.

    In plain floats: there are several placements a member, and numpy costs ten times as much on single vectors.
    """
    o0, o1, o2 = origin
    if z is None and x is None:
        return np.array(((1.0, 0.0, 0.0, o0), (0.0, 1.0, 0.0, o1), (0.0, 0.0, 1.0, o2), _LAST))
    z0, z1, z2 = _unit(z) if z is not None else (0.0, 0.0, 1.0)
    r = x if x is not None else ((0.0, 0.0, 1.0) if abs(z0) > 0.999999 else (1.0, 0.0, 0.0))
    dot = r[0] * z0 + r[1] * z1 + r[2] * z2
    x0, x1, x2 = _unit((r[0] - dot * z0, r[1] - dot * z1, r[2] - dot * z2))
    return np.array(
        (
            (x0, z1 * x2 - z2 * x1, z0, o0),
            (x1, z2 * x0 - z0 * x2, z1, o1),
            (x2, z0 * x1 - z1 * x0, z2, o2),
            _LAST,
        )
    )


_LAST = (0.0, 0.0, 0.0, 1.0)


class Placements:
    """Matrices of placements and transformation operators, cached by entity id. `scale` is metres a file unit.

    Attributes on this path are read by their index, the same in all three schemas: by name it takes five times as long.
    """

    def __init__(self, scale: float) -> None:
        self.scale = scale
        self._axis: dict[int, Array] = {}
        self._local: dict[int, Array] = {}

    def coordinates(self, entity: Any) -> tuple[float, float, float]:
        """A point in m. Raises PlacementError for one that is not finite or lies beyond any building."""
        c = entity.get_argument(0)  # Coordinates
        s = self.scale
        p = (c[0] * s, c[1] * s, c[2] * s if len(c) > 2 else 0.0)
        for v in p:
            if not -FARTHEST <= v <= FARTHEST:
                raise PlacementError("a coordinate is not a number or lies beyond any building")
        return p

    def point(self, entity: Any) -> Array:
        return np.array(self.coordinates(entity))

    @staticmethod
    def ratios(entity: Any) -> tuple[float, float, float] | None:
        """Components of an IfcDirection, None for None."""
        if entity is None:
            return None
        r = entity.get_argument(0)  # DirectionRatios
        return (r[0], r[1], r[2]) if len(r) > 2 else (r[0], r[1], 0.0)

    def direction(self, entity: Any) -> Array | None:
        r = self.ratios(entity)
        return None if r is None else np.array(r, float)

    def axis(self, entity: Any) -> Array:
        """Matrix of an IfcAxis2Placement3D or 2D (identity for None)."""
        if entity is None:
            return np.eye(4)
        key = entity.id()
        found = self._axis.get(key)
        if found is None:
            origin = self.coordinates(entity.get_argument(0))  # Location
            kind = entity.is_a()
            second = self.ratios(entity.get_argument(1))  # Axis, or RefDirection of a 2D one
            if kind == "IfcAxis2Placement3D":
                found = frame(second, self.ratios(entity.get_argument(2)), origin)  # RefDirection
            elif kind == "IfcAxis2Placement2D":
                found = frame(None, second, origin)
            else:  # IfcAxis1Placement
                found = frame(second, None, origin)
            self._axis[key] = found
        return found

    def local(self, entity: Any) -> Array:
        """Matrix of an IfcObjectPlacement down to the world. Raises PlacementError for one that refers to itself."""
        chain, seen = [], set()
        base: Array | None = None
        while entity is not None:
            key = entity.id()
            base = self._local.get(key)
            if base is not None:
                break
            if key in seen:
                raise PlacementError("its placement refers back to itself")
            seen.add(key)
            is_local = entity.is_a() == "IfcLocalPlacement"
            chain.append((entity, key, is_local))
            entity = entity.get_argument(0) if is_local else None  # PlacementRelTo
        for item, key, is_local in reversed(chain):
            if is_local:
                own = self.axis(item.get_argument(1))  # RelativePlacement
                base = own if base is None else base @ own
            elif item.is_a("IfcLinearPlacement"):
                if item.CartesianPosition is None:
                    raise PlacementError("it is placed along an alignment without a Cartesian position")
                base = self.axis(item.CartesianPosition)
            else:
                raise PlacementError(f"its placement is an {item.is_a()}, which is not read")
            self._local[key] = base
        return base if base is not None else np.eye(4)

    def operator(self, entity: Any) -> Array:
        """Matrix of an IfcCartesianTransformationOperator3D, scale included."""
        z, x, y = (self.ratios(getattr(entity, a, None)) for a in ("Axis3", "Axis1", "Axis2"))
        m = frame(z, x, self.coordinates(entity.LocalOrigin))
        if y is not None and m[:3, 1] @ np.array(y) < 0:
            m[:3, 1] = -m[:3, 1]
        s = entity.Scale or 1.0
        scales = [s, getattr(entity, "Scale2", None) or s, getattr(entity, "Scale3", None) or s]
        m[:3, :3] = m[:3, :3] * np.array(scales)
        return m
