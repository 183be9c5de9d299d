"""Normal, shear and equivalent stress of members over their sections, at every place along them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ...model import Model, Section
from ...model.catalogue.taper import section_at
from ...model.geometry.vectors import Array
from ..results.results import Results
from .utilisation import normal_stress

STRESSES = ("normal", "shear", "equivalent")
FORMULA = (
    "normal: N/A with bending by plane sections; shear: V S/(I b) averaged over slices along y and z, with torsion by "
    "the formulas of thin walls, a rectangle or a circle; equivalent: root of normal squared + 3 shear squared"
)
INSIDE = 1e-4  # how far within the outline stresses are taken, as a share of the section's size
SLICES = 9  # heights along each axis at which points of the outline are added to its corners


@dataclass(slots=True, frozen=True)
class Places:
    """Points (k, 2) of a section in m, what a unit Vy and Vz (k, 2) give there as stress across y and across
    z in 1/m2, and the stress of a unit torque in 1/m3, the same for all."""

    points: Array
    across_y: Array
    across_z: Array
    torque: float


def member_stresses(model: Model, results: Results, case: int) -> tuple[dict[str, Array], dict[str, str]]:
    """By name, in Pa at every station (K,): "lowest" and "highest" normal stress (tension positive), the
    largest "shear" and "equivalent" stress over the section; NaN where they are not known, and why not by
    member. See `FORMULA`; the equivalent stress is that of EN 1993-1-1 6.2.1 (5) without transverse stresses
    (Huber, von Mises)."""
    count = len(results.station_member)
    out = {name: np.full(count, np.nan) for name in ("lowest", "highest", "shear", "equivalent")}
    unknown: dict[str, str] = {}
    by_section: dict[str, list[int]] = {}
    for k, ident in enumerate(results.member_ids):
        m = model.members.get(ident)
        section = model.sections.get(m.section) if m is not None else None
        if m is None:
            unknown[ident] = "a wall as a column"
        elif section is None or not section.usable or len(section.outline) < 3:
            unknown[ident] = f"section {m.section or 'none'} has no outline"
        elif not results.member_done[case, k]:
            unknown[ident] = "not computed in this case"
        else:
            by_section.setdefault(m.section, []).append(k)
    length = np.array(
        [model.length(model.members[i]) if i in model.members else 1.0 for i in results.member_ids]
    )
    groups: list[tuple[Section, NDArray[np.int64]]] = []
    for name, members in by_section.items():
        at = np.flatnonzero(np.isin(results.station_member, members))
        section = model.sections[name]
        shares = np.round(results.station_x[at] / length[results.station_member[at]], 6)
        # a section that tapers is another one at every place
        groups += (
            [(section_at(section, s), at[shares == s]) for s in np.unique(shares)]
            if section.end
            else [(section, at)]
        )
    for section, at in groups:
        force = results.force[case, at]
        found = places(section)
        normal = normal_stress(section, force, found.points)
        shear = shear_stress(found, force)
        out["lowest"][at], out["highest"][at] = normal.min(axis=1), normal.max(axis=1)
        out["shear"][at] = shear.max(axis=1)
        out["equivalent"][at] = np.sqrt(normal**2 + 3 * shear**2).max(axis=1)
    return out, unknown


def shear_stress(at: Places, force: Array) -> Array:
    """Size of the shear stress (n, k) in Pa at the points of a section, of forces (n, 6) in `COMPONENTS`:
    that of the shear forces, with that of the torque added whichever way it turns."""
    v = force[:, 1:3]
    return np.asarray(np.hypot(v @ at.across_y.T, v @ at.across_z.T) + np.abs(force[:, 3:4]) * at.torque)


def places(section: Section) -> Places:
    """Where stresses of a section are looked at: the corners of its outline, and points of the outline and of
    its voids between them, taken just inside the material.

    The shear stress of a slice is what holds the part beyond it in balance: the change of the normal stresses
    over that part along the member, over the slice's width (Jourawski; any textbook on strength of
    materials), for bending about inclined axes too. Raises ValueError for a section without outline."""
    if len(section.outline) < 3:
        raise ValueError(f"section {section.name!r} has no outline")
    solid: Any = Polygon(section.outline, section.voids)
    if not solid.is_valid:
        solid = solid.buffer(0)
    size = float(np.sqrt(section.area))
    inside: Any = solid.buffer(-INSIDE * size, join_style="mitre")
    if inside.is_empty:
        inside = solid
    rings = _rings(inside)
    low, high = np.array(solid.bounds[:2]), np.array(solid.bounds[2:])
    found = [np.array(ring.coords)[:-1] for ring in rings]
    for axis in (0, 1):
        levels = np.append(np.linspace(low[axis], high[axis], SLICES + 2)[1:-1], 0.0)
        lines = _slices(levels, axis, low - size, high + size)
        for ring in rings:
            crossed = shapely.get_coordinates(shapely.intersection(lines, shapely.LinearRing(ring.coords)))
            found.append(crossed.reshape(-1, 2))
    points = np.unique(np.round(np.concatenate(found), 9), axis=0)
    per_axis = [_unit_shear(section, solid, points[:, axis], axis, low, high, size) for axis in (0, 1)]
    # normal stresses are largest at the corners themselves
    corners = np.array(solid.convex_hull.exterior.coords)[:-1]
    near = np.hypot(*(points[:, None] - corners[None]).transpose(2, 0, 1)).argmin(axis=0)
    points[near] = corners
    return Places(points, per_axis[0], per_axis[1], _unit_torsion(section, solid))


def _rings(shape: Any) -> list[Any]:
    parts = list(getattr(shape, "geoms", [shape]))
    return [ring for part in parts for ring in (part.exterior, *part.interiors)]


def _slices(levels: Array, axis: int, low: Array, high: Array) -> Any:
    """Lines across the section at these places along an axis, 0 for y."""
    ends = np.empty((len(levels), 2, 2))
    ends[:, :, axis] = levels[:, None]
    ends[:, 0, 1 - axis], ends[:, 1, 1 - axis] = low[1 - axis], high[1 - axis]
    return shapely.linestrings(ends)


def _unit_shear(
    section: Section, solid: Any, levels: Array, axis: int, low: Array, high: Array, size: float
) -> Array:
    """(k, 2): stress on slices at these places along an axis, of a unit Vy and of a unit Vz.

    With sigma = b y + c z (see `normal_stress`), dMy/dx = Vz and dMz/dx = -Vy, the force on the part beyond a
    slice changes by b' int y + c' int z over that part."""
    levels, back = np.unique(levels, return_inverse=True)
    width = shapely.length(shapely.intersection(_slices(levels, axis, low - size, high + size), solid))
    corner = np.array([low - size, high + size])
    boxes = []
    for level in levels:
        b = corner.copy()
        b[0, axis] = level
        boxes.append(shapely.box(*b[0], *b[1]))
    beyond = shapely.intersection(np.array(boxes), solid)
    first = shapely.area(beyond)[:, None] * shapely.get_coordinates(shapely.centroid(beyond)).reshape(-1, 2)
    iy, iz, iyz = section.iy, section.iz, section.iyz
    det = iy * iz - iyz**2
    # rows: b' and c' of a unit Vy (dMz/dx = -1) and of a unit Vz (dMy/dx = 1)
    rate = np.array([[iy / det, -iyz / det], [-iyz / det, iz / det]])
    stress = first @ rate.T / np.maximum(width, 1e-9 * size)[:, None]
    return np.asarray(stress[back])


def _unit_torsion(section: Section, solid: Any) -> float:
    """Largest shear stress of a unit torque in 1/m3: T r/J of a circle, that of a rectangle (Roark's formulas
    for stress and strain), T (t + 2 A/u)/J of a closed wall (EN 10210-2 annex A), that where the largest
    circle fits in otherwise (Roark, any shape: about T d/J, up to a third too high where thin parts meet in a
    fillet)."""
    if section.j <= 0:
        return 0.0
    if section.round:
        return section.depth / 2 / section.j
    if section.shape == "rectangle" and not section.voids:
        a, b = sorted((section.depth / 2, section.width / 2), reverse=True)
        r = b / a
        return 3 / (8 * a * b**2) * (1 + 0.6095 * r + 0.8865 * r**2 - 1.8023 * r**3 + 0.91 * r**4)
    if len(section.voids) == 1 and section.shape != "i":
        outer, void = Polygon(section.outline), Polygon(section.voids[0])
        wall = float(shapely.distance(void.exterior, outer.exterior))
        return (wall + 2 * (outer.area + void.area) / (outer.length + void.length)) / section.j
    d = 2 * float(
        shapely.length(shapely.maximum_inscribed_circle(solid, tolerance=1e-3 * float(np.sqrt(section.area))))
    )
    share = np.pi**2 * d**4 / (16 * section.area**2)
    return d * (1 + 0.15 * share) / (1 + share) / section.j
