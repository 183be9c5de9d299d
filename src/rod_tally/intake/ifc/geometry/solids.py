"""Measuring bare solids: the direction they run in, their length, and the section by slicing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.polygon import orient

from ....model.catalogue.shapes import polygon_moments
from ....model.geometry.vectors import Array, local_axes
from ...source import SourceProfile
from .slicing import slices


class SolidError(ValueError):
    """A solid that is not the body of a member; the message says why."""


Size = tuple[float, float]
Ends = tuple[Size, Size]
STATIONS = (0.5, 0.1, 0.3, 0.7, 0.9)  # shares of a body's length at which it is sliced
SAME_END = 1e-4  # m
END_FACE = 0.4  # cosine to the axis above which a face is an end, not a side that slopes
TAPERS = 0.02  # share by which width or depth changes along a body before it counts as tapered


@dataclass(slots=True)
class Triangles:
    """A body as the library's kernel builds it, openings cut: corners (n, 3) in world coordinates, m,
    faces (k, 3), and which solid of the body each face (k,) belongs to, counted from 0."""

    vertices: Array
    faces: NDArray[np.int64]
    solid: NDArray[np.int64]

    @property
    def volume(self) -> float:
        """m3; solids that overlap count each by themselves."""
        return volume_of((self.vertices - self.vertices.mean(axis=0))[self.faces])

    def each(self) -> list[Triangles]:
        """Its solids one by one."""
        out = []
        for k in np.unique(self.solid):
            faces = self.faces[self.solid == k]
            used, index = np.unique(faces, return_inverse=True)
            out.append(Triangles(self.vertices[used], index.reshape(-1, 3), np.zeros(len(faces), np.int64)))
        return out


def volume_of(p: Array) -> float:
    """Volume between triangles (n, 3, 3) that enclose it, m3."""
    return abs(float(np.einsum("ni,ni->n", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum())) / 6


@dataclass(slots=True)
class Measured:
    """A prism's line, its section's axes and the profile measured about the line, and misfit: 1 - volume /
    (area x length).

    `ends` are width and depth at both ends where the body tapers, None where it keeps its section."""

    line: Array
    y_axis: Array
    z_axis: Array
    profile: SourceProfile
    misfit: float
    ends: Ends | None = None


def triangles(element: Any) -> Triangles:
    """An element's body by the library's kernel. Raises SolidError for one that it cannot build."""
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
    items = np.array(getattr(shape.geometry, "item_ids", ()) or (), np.int64)
    if len(items) != len(faces):
        items = np.zeros(len(faces), np.int64)
    return Triangles(vertices, faces, np.unique(items, return_inverse=True)[1].astype(np.int64))


def along(line: Array, body: Triangles) -> tuple[Array, float]:
    """The line cut to the reach of a body along it, and the share of its length that was cut off.

    An end cut at a slant is taken in the middle of the cut: the mean of the faces that look out there.
    What stands out beside the end, such as a column's head, has its own end there too."""
    d = line[1] - line[0]
    length = float(np.linalg.norm(d))
    unit = d / length
    p = (body.vertices - line[0])[body.faces]
    t = p @ unit
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1)
    facing = np.divide(cross @ unit, area, out=np.zeros(len(area)), where=area > 0)
    r = np.linalg.norm(p - t[..., None] * unit, axis=2)
    slant = min(float(r.max()) * 2, float(t.max() - t.min()) / 3)
    ends = []
    for sign in (-1.0, 1.0):
        far = float((sign * t).max())
        # only of the solids that reach so far: another's end may be covered by them
        last = np.isin(body.solid, body.solid[(sign * t).max(axis=1) > far - SAME_END])
        out = last & (sign * facing > END_FACE) & ((sign * t).min(axis=1) > far - slant)
        ends.append(float(np.average(t[out].mean(axis=1), weights=area[out])) if out.any() else sign * far)
    return np.array([line[0] + ends[0] * unit, line[0] + ends[1] * unit]), 1 - (ends[1] - ends[0]) / length


def ends_of(p: Array, low: float, high: float, solid: NDArray[np.int64] | None = None) -> Ends | None:
    """Width and depth (m) at both ends of a body of triangles (n, 3, 3) in local axes, x from `low` to
    `high`; None where they are the same.

    Sliced at a quarter and three quarters, since ends may be cut at a slant, and taken on in a straight line.
    """
    sizes = []
    for share in (0.25, 0.75):
        y0, z0, y1, z1 = MultiPolygon(_sliced(p, low + share * (high - low), solid)).bounds
        sizes.append((y1 - y0, z1 - z0))
    (w0, d0), (w1, d1) = sizes
    if abs(w1 - w0) <= TAPERS * max(w0, w1) and abs(d1 - d0) <= TAPERS * max(d0, d1):
        return None
    return (1.5 * w0 - 0.5 * w1, 1.5 * d0 - 0.5 * d1), (1.5 * w1 - 0.5 * w0, 1.5 * d1 - 0.5 * d0)


def section_at(
    p: Array, low: float, high: float, solid: NDArray[np.int64]
) -> tuple[SourceProfile, float, float]:
    """The profile that most of a body of triangles (n, 3, 3) in local axes has, x from `low` to `high`: of
    slices along it the one of middle area, about its centroid, whose y and z come with it, m."""
    found = []
    for share in STATIONS:
        try:
            found.append(_sliced(p, low + share * (high - low), solid))
        except SolidError:
            continue
    if not found:
        raise SolidError("its body cannot be sliced: it is not closed")
    found.sort(key=lambda pieces: sum(q.area for q in pieces))
    return _profile_of(found[(len(found) - 1) // 2])


def _profile_of(pieces: list[Polygon]) -> tuple[SourceProfile, float, float]:
    """A profile of these polygons acting as one, about their centroid, and where that lies. Of several
    that do not touch only the values are known."""
    y0, z0, y1, z1 = MultiPolygon(pieces).bounds
    name = f"measured {(y1 - y0) * 1000:.0f}x{(z1 - z0) * 1000:.0f}"
    centre = MultiPolygon(pieces).centroid
    cy, cz = centre.x, centre.y

    def ring(coords: Any) -> list[tuple[float, float]]:
        return [(float(a - cy), float(b - cz)) for a, b in coords][:-1]

    if len(pieces) == 1:
        (q,) = pieces
        outer, voids = ring(q.exterior.coords), [ring(r.coords) for r in q.interiors]
        return SourceProfile(name, "arbitrary", outer=outer, voids=voids), cy, cz
    values = dict.fromkeys(("area", "iy", "iz", "iyz", "j"), 0.0)
    for q in pieces:
        own = orient(q)
        for sign, r in ((1.0, own.exterior), *((-1.0, r) for r in own.interiors)):
            area, _, _, iyy, izz, iyz = polygon_moments(ring(orient(Polygon(r)).exterior.coords))
            for key, value in (("area", area), ("iy", iyy), ("iz", izz), ("iyz", iyz)):
                values[key] += sign * value
        # parts beside each other twist each by itself: Saint-Venant's A^4 / (40 Ip) of a solid section
        iy, iz = (polygon_moments(ring(own.exterior.coords))[k] for k in (3, 4))
        about = iy + iz - own.area * ((own.centroid.x - cy) ** 2 + (own.centroid.y - cz) ** 2)
        values["j"] += own.area**4 / (40 * about)
    name += f" in {len(pieces)} parts"
    return SourceProfile(name, "values", values=values), cy, cz


def measure(body: Triangles) -> Measured:
    """Line and section of a prism given by triangles.

    The long direction is the one most faces lie along: the smallest eigenvector of sum(area n n'), the end
    faces then left out. Raises SolidError when the body is no longer than it is wide, or cannot be sliced.
    """
    vertices, faces, solid = body.vertices, body.faces, body.solid
    p = vertices[faces]
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    area = np.linalg.norm(cross, axis=1) / 2
    good = area > 1e-12
    if not good.any():
        raise SolidError("its body has no surface")
    normal, area, p, solid = cross[good] / (2 * area[good, None]), area[good], p[good], solid[good]
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
    profile, y, z = section_at(own, float(low[0]), float(high[0]), solid)
    base = vertices.mean(axis=0) + axes[1] * y + axes[2] * z
    line = np.array([base + axes[0] * low[0], base + axes[0] * high[0]])
    line, _ = along(line, body)
    length = float(np.linalg.norm(line[1] - line[0]))
    middle = sum(q.area for q in _sliced(own, float(low[0] + high[0]) / 2, solid))
    return Measured(
        line,
        axes[1],
        axes[2],
        profile,
        abs(1 - body.volume / (middle * length)),
        ends_of(own, float(low[0]), float(high[0]), solid),
    )


def _sliced(p: Array, x: float, solid: NDArray[np.int64] | None) -> list[Polygon]:
    """Return what the plane at local x cuts out of triangles (n, 3, 3). Raises SolidError for nothing."""
    pieces = slices(p, x, solid)
    if not pieces:
        raise SolidError("its body cannot be sliced: it is not closed")
    pieces = [q for q in pieces if q.area > 1e-8]
    if not pieces:
        raise SolidError("its body cannot be sliced: the slice has no area")
    return pieces
