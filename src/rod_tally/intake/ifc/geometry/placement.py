"""Placements as 4x4 matrices in metres, each computed once."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ....model.geometry.vectors import Array

FARTHEST = 1e9  # m; nothing that is built lies farther from anywhere


class PlacementError(ValueError):
    """A placement that leads nowhere; the message says why."""


def _unit(v: tuple[float, ...]) -> tuple[float, float, float]:
    x, y, z = v
    n = math.sqrt(x * x + y * y + z * z)
    if not 0 < n < math.inf:
        raise PlacementError("an axis of its placement has no direction")
    return x / n, y / n, z / n


# A placement in plain floats: columns x, y, z and the origin. There are several a member, and numpy costs
# several times as much on single vectors.
Rigid = tuple[float, float, float, float, float, float, float, float, float, float, float, float]
IDENTITY: Rigid = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0)


def frame(z: tuple[float, ...] | None, x: tuple[float, ...] | None, origin: tuple[float, ...]) -> Rigid:
    """An IfcAxis2Placement3D: z as given, x made perpendicular to it. Absent axes are the global ones."""
    o0, o1, o2 = origin
    if z is None and x is None:
        return (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0, o0, o1, o2)
    z0, z1, z2 = _unit(z) if z is not None else (0.0, 0.0, 1.0)
    r0, r1, r2 = x if x is not None else ((0.0, 0.0, 1.0) if abs(z0) > 0.999999 else (1.0, 0.0, 0.0))
    dot = r0 * z0 + r1 * z1 + r2 * z2
    x0, x1, x2 = _unit((r0 - dot * z0, r1 - dot * z1, r2 - dot * z2))
    return (x0, x1, x2, z1 * x2 - z2 * x1, z2 * x0 - z0 * x2, z0 * x1 - z1 * x0, z0, z1, z2, o0, o1, o2)


def compose(a: Rigid, b: Rigid) -> Rigid:
    """First b, then a."""
    a0, a1, a2, b0, b1, b2, c0, c1, c2, o0, o1, o2 = a
    x, y, z, p, q, r, u, v, w, s, t, k = b
    return (
        a0 * x + b0 * y + c0 * z,
        a1 * x + b1 * y + c1 * z,
        a2 * x + b2 * y + c2 * z,
        a0 * p + b0 * q + c0 * r,
        a1 * p + b1 * q + c1 * r,
        a2 * p + b2 * q + c2 * r,
        a0 * u + b0 * v + c0 * w,
        a1 * u + b1 * v + c1 * w,
        a2 * u + b2 * v + c2 * w,
        a0 * s + b0 * t + c0 * k + o0,
        a1 * s + b1 * t + c1 * k + o1,
        a2 * s + b2 * t + c2 * k + o2,
    )


def matrix(r: Rigid) -> Array:
    """The same as a 4x4 matrix."""
    m = np.eye(4)
    m[:3] = np.array(r).reshape(4, 3).T
    return m


def rigid(m: Array) -> Rigid:
    """A 4x4 matrix in plain floats (a scale in it stays)."""
    return tuple(m[:3].T.ravel().tolist())  # type: ignore[return-value]


class Placements:
    """Matrices of placements and transformation operators, cached by entity id. `scale` is metres a file
    unit.

    `damaged` are products whose place or shape leads to a line that cannot be read, by entity id with the
    reason.

    Attributes on this path are read by their index, the same in all three schemas: by name it takes five
    times as long."""

    def __init__(self, scale: float) -> None:
        self.scale = scale
        self.damaged: dict[int, str] = {}
        self._axis: dict[int, Rigid] = {}
        self._local: dict[int, Rigid] = {}

    def sound(self, product: Any) -> None:
        """Raises PlacementError for a product whose place or shape leads to a line that cannot be read."""
        reason = self.damaged.get(product.id())
        if reason is not None:
            raise PlacementError(reason)

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
        if r is None:
            return None
        most = max(map(abs, r))
        return np.array(r, float) / most if 0 < most < math.inf else np.array(r, float)

    def axis(self, entity: Any) -> Array:
        """Matrix of an IfcAxis2Placement3D or 2D (identity for None)."""
        return matrix(self.rigid_axis(entity))

    def local(self, entity: Any) -> Array:
        """Matrix of an IfcObjectPlacement down to the world. Raises PlacementError for one that refers to
        itself."""
        return matrix(self.rigid_local(entity))

    def rigid_axis(self, entity: Any) -> Rigid:
        if entity is None:
            return IDENTITY
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

    def rigid_local(self, entity: Any) -> Rigid:
        chain, seen = [], set()
        base: Rigid | None = None
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
                own = self.rigid_axis(item.get_argument(1))  # RelativePlacement
                base = own if base is None else compose(base, own)
            elif item.is_a("IfcLinearPlacement"):
                if item.CartesianPosition is None:
                    raise PlacementError("it is placed along an alignment without a Cartesian position")
                base = self.rigid_axis(item.CartesianPosition)
            else:
                raise PlacementError(f"its placement is an {item.is_a()}, which is not read")
            self._local[key] = base
        return base if base is not None else IDENTITY

    def operator(self, entity: Any) -> Array:
        """Matrix of an IfcCartesianTransformationOperator3D, scale included."""
        z, x, y = (self.ratios(getattr(entity, a, None)) for a in ("Axis3", "Axis1", "Axis2"))
        m = matrix(frame(z, x, self.coordinates(entity.LocalOrigin)))
        if y is not None and m[:3, 1] @ np.array(y) < 0:
            m[:3, 1] = -m[:3, 1]
        s = entity.Scale or 1.0
        scales = [s, getattr(entity, "Scale2", None) or s, getattr(entity, "Scale3", None) or s]
        m[:3, :3] = m[:3, :3] * np.array(scales)
        return m
