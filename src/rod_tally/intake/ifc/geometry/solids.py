"""Measuring bare solids: the direction they run in, their length, and the section by slicing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ....model.geometry.vectors import Array, local_axes
from .slicing import slices


class SolidError(ValueError):
    """A solid that is not the body of a member; the message says why."""


Size = tuple[float, float]
Ends = tuple[Size, Size]
TAPERS = 0.02  # share by which width or depth changes along a body before it counts as tapered


@dataclass(slots=True)
class Measured:
    """A prism's line, its section's axes and outline about the line, and misfit: 1 - volume / (area x
    length).

    `ends` are width and depth at both ends where the body tapers, None where it keeps its section."""

    line: Array
    y_axis: Array
    z_axis: Array
    outer: list[tuple[float, float]]
    voids: list[list[tuple[float, float]]]
    width: float
    depth: float
    misfit: float
    ends: Ends | None = None


def triangles(element: Any) -> tuple[Array, NDArray[np.int64]]:
    """Vertices (n, 3) in world coordinates, m, and faces (k, 3) of an element's body, by the library's
    kernel."""
    import ifcopenshell.geom

    settings = ifcopenshell.geom.settings()
    settings.set("use-world-coords", True)
    try:
        shape = ifcopenshell.geom.create_shape(settings, element)
    except RuntimeError as error:
        raise SolidError(
            f"its body cannot be built ({str(error).splitlines()[0] if str(error) else 'no reason'})"
        ) from None
    vertices = np.array(shape.geometry.verts, float).reshape(-1, 3)
    faces = np.array(shape.geometry.faces, np.int64).reshape(-1, 3)
    if len(faces) == 0 or not np.isfinite(vertices).all():
        raise SolidError("its body is empty")
    return vertices, faces


def along(line: Array, vertices: Array) -> tuple[Array, float]:
    """The line cut to the reach of the vertices along it, and the share of its length that was cut off.

    An end cut at a slant is taken in the middle between its nearest and its farthest point.
    """
    d = line[1] - line[0]
    length = float(np.linalg.norm(d))
    unit = d / length
    t = (vertices - line[0]) @ unit
    third = (t.max() - t.min()) / 3
    low, high = t[t < t.min() + third], t[t > t.max() - third]
    r = np.linalg.norm(vertices - line[0] - np.outer(t, unit), axis=1)
    slant = min(float(r.max()) * 2, third)
    low, high = low[low < low.min() + slant], high[high > high.max() - slant]
    t0, t1 = float(low.min() + low.max()) / 2, float(high.min() + high.max()) / 2
    return np.array([line[0] + t0 * unit, line[0] + t1 * unit]), 1 - (t1 - t0) / length


def ends_of(p: Array, low: float, high: float) -> Ends | None:
    """Width and depth (m) at both ends of a body of triangles (n, 3, 3) in local axes, x from `low` to
    `high`; None where they are the same.

    Sliced at a quarter and three quarters, since ends may be cut at a slant, and taken on in a straight line.
    """
    sizes = []
    for share in (0.25, 0.75):
        y0, z0, y1, z1 = _slice(p, low + share * (high - low)).bounds
        sizes.append((y1 - y0, z1 - z0))
    (w0, d0), (w1, d1) = sizes
    if abs(w1 - w0) <= TAPERS * max(w0, w1) and abs(d1 - d0) <= TAPERS * max(d0, d1):
        return None
    return (1.5 * w0 - 0.5 * w1, 1.5 * d0 - 0.5 * d1), (1.5 * w1 - 0.5 * w0, 1.5 * d1 - 0.5 * d0)


def measure(vertices: Array, faces: NDArray[np.int64]) -> Measured:
    """Line and section of a prism given by triangles.

    The long direction is the one most faces lie along: the smallest eigenvector of sum(area n n'), the end
    faces then left out. Raises SolidError when the body is no longer than it is wide, or cannot be sliced.
    """
    p = vertices[faces]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1) / 2
    good = area > 1e-12
    if not good.any():
        raise SolidError("its body has no surface")
    normal, area, p = cross[good] / (2 * area[good, None]), area[good], p[good]
    sides = np.ones(len(area), bool)
    x = np.array([1.0, 0, 0])
    for _ in range(4):
        w, v = np.linalg.eigh((normal[sides] * area[sides, None]).T @ normal[sides])
        x = v[:, 0]
        sides = np.abs(normal @ x) < 0.3
        if not sides.any():
            raise SolidError("no long direction can be found in its body")
    if x[np.argmax(np.abs(x))] < 0:
        x = -x
    widest = normal[sides][np.argmax(area[sides])]
    z_axis = widest - (widest @ x) * x
    axes = local_axes(x, z_axis)
    if abs(axes[1] @ [0, 0, 1]) > abs(axes[2] @ [0, 0, 1]) + 1e-9:  # the steeper of the two is local z
        axes = local_axes(x, axes[1])
    if axes[2] @ [0, 0, 1] < -1e-9:
        axes = local_axes(x, -axes[2])
    local = (vertices - vertices.mean(axis=0)) @ axes.T
    low, high = local.min(axis=0), local.max(axis=0)
    size = high - low
    if size[0] < 1.2 * max(size[1], size[2]):
        raise SolidError("its body is no longer than it is wide")
    own = (p - vertices.mean(axis=0)) @ axes.T
    section = _slice(own, float(low[0] + high[0]) / 2)
    centre = np.array([section.centroid.x, section.centroid.y])
    base = vertices.mean(axis=0) + axes[1] * centre[0] + axes[2] * centre[1]
    line = np.array([base + axes[0] * low[0], base + axes[0] * high[0]])
    line, _ = along(line, vertices)
    # about the mean point, so that map coordinates do not drown it
    q = p - vertices.mean(axis=0)
    volume = abs(float(np.einsum("ni,ni->n", q[:, 0], np.cross(q[:, 1], q[:, 2])).sum())) / 6
    length = float(np.linalg.norm(line[1] - line[0]))

    def ring(coords: Any) -> list[tuple[float, float]]:
        return [(float(a - centre[0]), float(b - centre[1])) for a, b in coords][:-1]

    return Measured(
        line,
        axes[1],
        axes[2],
        ring(section.exterior.coords),
        [ring(r.coords) for r in section.interiors],
        float(np.ptp(np.array(section.exterior.coords)[:, 0])),
        float(np.ptp(np.array(section.exterior.coords)[:, 1])),
        abs(1 - volume / (section.area * length)),
        ends_of(own, float(low[0]), float(high[0])),
    )


def _slice(p: Array, x: float) -> Polygon:
    """The largest polygon cut out of triangles (n, 3, 3) by the plane at local x."""
    pieces = slices(p, x)
    if not pieces:
        raise SolidError("its body cannot be sliced: it is not closed")
    if pieces[0].area <= 1e-8:
        raise SolidError("its body cannot be sliced: the slice has no area")
    return pieces[0]
