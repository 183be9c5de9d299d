"""How much of a member's elastic section is used by axial force and bending together, along its length."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np
from shapely.geometry import MultiPoint

from ...model import Combination, Model, Section
from ...model.catalogue.taper import section_at
from ...model.geometry.vectors import Array
from ..results.results import Results
from ..results.superpose import factors_of

KINDS = ("steel", "aluminium", "timber")  # whose section resists tension as it does compression
FORMULA = (
    "largest |N/A + M_y z/I_y - M_z y/I_z| at the corners of the section, over its characteristic strength: elastic, "
    "no partial factor, no shear, torsion or buckling"
)


def utilisations(
    model: Model, results: Results, combinations: list[Combination], members: Iterable[str]
) -> dict[str, float]:
    """The largest use of the elastic section over these combinations, 1.0 for all of it, of those members of
    which it can be said: section with outline, material of `KINDS` with a strength, computed in every case of
    a combination. Raises KeyError for a case that was not computed."""
    members = list(members)
    stresses = section_stresses(model, results, combinations, [i for i in members if _strength(model, i)])
    return {i: use for i in stresses if (use := use_of(model, i, stresses)) is not None}


def use_of(model: Model, ident: str, stresses: Mapping[str, tuple[float, float]]) -> float | None:
    """The use of a member's elastic section by such stresses; None where it cannot be said."""
    strength = _strength(model, ident)
    found = stresses.get(ident)
    return max(abs(found[0]), abs(found[1])) / strength if strength and found is not None else None


def has_strength(model: Model, ident: str) -> bool:
    """Return whether the use of a member's section can be said."""
    return _strength(model, ident) > 0


def _strength(model: Model, ident: str) -> float:
    """The strength of a member's material, Pa, where it is of `KINDS`; 0 for none."""
    m = model.members.get(ident)
    material = model.materials.get(m.material) if m is not None else None
    return (material.strength or 0.0) if material is not None and material.kind in KINDS else 0.0


def section_stresses(
    model: Model, results: Results, combinations: list[Combination], members: Iterable[str]
) -> dict[str, tuple[float, float]]:
    """The lowest and the highest stress along the axis, Pa, tension positive, over these combinations at the
    corners of the section, of axial force and bending together: of members with an outline that were computed
    in every case of a combination.

    The stress is that of EN 1993-1-1 6.2.1 (5) without shear, with the product moment of sections that are
    not symmetric (bending about inclined principal axes). Raises KeyError for a case that was not computed.
    """
    plain, roots = factors_of(results, combinations)
    used = (plain != 0) | (roots != 0)
    index = {m: k for k, m in enumerate(results.member_ids)}
    begin = np.searchsorted(results.station_member, np.arange(len(results.member_ids) + 1))
    corners: dict[Section, Array] = {}
    out: dict[str, tuple[float, float]] = {}
    for ident in members:
        k, m = index.get(ident), model.members.get(ident)
        if k is None or m is None or ident in out:
            continue
        section = model.sections.get(m.section)
        if section is None or not section.usable or len(section.outline) < 3:
            continue
        done = ~(used & ~results.member_done[:, k]).any(axis=1)
        own = results.force[:, begin[k] : begin[k + 1]]
        if done.any() and own.shape[1]:
            force = np.tensordot(plain[done], own, axes=1)
            root = np.sqrt(np.tensordot(roots[done] ** 2, own**2, axes=1))
            both = np.concatenate([force + root, force - root]) if root.any() else force
            if section.end is None:
                groups = [(section, both.reshape(-1, 6))]
            else:
                shares = results.station_x[begin[k] : begin[k + 1]] / model.length(m)
                groups = [
                    (section_at(section, float(s)), both[:, i]) for i, s in enumerate(np.round(shares, 6))
                ]
            low = high = 0.0
            for at, forces in groups:
                if at not in corners:
                    corners[at] = hull(at)
                stress = normal_stress(at, forces, corners[at])
                low, high = min(low, float(stress.min())), max(high, float(stress.max()))
            out[ident] = low, high
    return out


def hull(section: Section) -> Array:
    """(k, 2): y and z of the corners of the outline's convex hull, where stresses by plane sections are
    largest."""
    ring = MultiPoint(section.outline).convex_hull
    return np.array(getattr(ring, "exterior", ring).coords)


def normal_stress(section: Section, force: Array, points: Array) -> Array:
    """Stress along the axis (n, k) in Pa, tension positive, of forces (n, 6) in `COMPONENTS` at points (k, 2)
    of the section.

    With sigma = N/A + b y + c z: M_y = b I_yz + c I_y and -M_z = b I_z + c I_yz.
    """
    n, my, mz = force[:, 0], force[:, 4], force[:, 5]
    iy, iz, iyz = section.iy, section.iz, section.iyz
    det = iy * iz - iyz**2
    b = (-mz * iy - my * iyz) / det
    c = (my * iz + mz * iyz) / det
    stress = n[:, None] / section.area + np.outer(b, points[:, 0]) + np.outer(c, points[:, 1])
    return np.asarray(stress)
