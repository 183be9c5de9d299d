"""Use of a member's elastic section by axial force and bending together, along its length."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import MultiPoint

from ...model import Combination, Model, Section
from ...model.catalogue.taper import section_at
from ...model.geometry.vectors import Array
from ..results.results import Results
from ..results.superpose import factors_of

AT_ONCE = 100_000  # forces that are held at once: six components each
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
    # members of one section that the same combinations compute are worked out at once
    alike: dict[tuple[int, bytes], list[tuple[str, int]]] = {}
    sections: dict[int, Section] = {}
    every = np.ascontiguousarray(~(used @ ~results.member_done)) if used.size else np.zeros((0, 0), bool)
    order = list(dict.fromkeys(members))
    for ident in order:
        k, m = index.get(ident), model.members.get(ident)
        if k is None or m is None or begin[k] == begin[k + 1]:
            continue
        section = model.sections.get(m.section)
        if section is None or not section.usable or len(section.outline) < 3:
            continue
        done = every[:, k]
        if done.any():
            sections[id(section)] = section
            alike.setdefault((id(section), done.tobytes()), []).append((ident, k))
    corners: dict[Section, Array] = {}
    found: dict[str, tuple[float, float]] = {}
    for (which, pattern), own in alike.items():
        section, done = sections[which], np.frombuffer(pattern, bool)
        for part in _in_blocks(own, begin, int(done.sum())):
            stations = np.concatenate([np.arange(begin[k], begin[k + 1]) for _, k in part])
            lengths = np.array([begin[k + 1] - begin[k] for _, k in part])
            force = results.force[:, stations]
            if section.end is None:
                low, high = _extremes(section, force, plain[done], roots[done], corners)
            else:
                length = np.repeat([model.length(model.members[i]) for i, _ in part], lengths)
                shares = np.round(results.station_x[stations] / length, 6)
                low, high = np.zeros(len(stations)), np.zeros(len(stations))
                for share in np.unique(shares):
                    at = shares == share
                    there = section_at(section, float(share))
                    low[at], high[at] = _extremes(there, force[:, at], plain[done], roots[done], corners)
            first = np.concatenate([[0], np.cumsum(lengths)[:-1]])
            lows, highs = np.minimum.reduceat(low, first), np.maximum.reduceat(high, first)
            for (ident, _), least, most in zip(part, lows.tolist(), highs.tolist()):
                found[ident] = min(least, 0.0), max(most, 0.0)
    return {i: found[i] for i in order if i in found}


def _in_blocks(
    own: list[tuple[str, int]], begin: NDArray[np.int64], combinations: int
) -> Iterator[list[tuple[str, int]]]:
    """Members a few at a time, so that their forces in all combinations stay small in memory."""
    part: list[tuple[str, int]] = []
    held = 0
    for ident, k in own:
        part.append((ident, k))
        held += int(begin[k + 1] - begin[k]) * combinations
        if held > AT_ONCE:
            yield part
            part, held = [], 0
    if part:
        yield part


def _extremes(
    section: Section, forces: Array, plain: Array, roots: Array, corners: dict[Section, Array]
) -> tuple[Array, Array]:
    """The lowest and the highest stress (n,) in Pa at the corners of a section over combinations of forces
    (C, n, 6), by factors (K, C) of what is added and of what enters as a root of squares."""
    if section not in corners:
        corners[section] = hull(section)
    cases, count = forces.shape[:2]
    if not roots.any():
        # stress is linear in forces: that of each case at each corner is combined
        own = normal_stress(section, forces.reshape(-1, 6), corners[section]).reshape(cases, count, -1)
        low, high = np.full(count, np.inf), np.full(count, -np.inf)
        for k in range(own.shape[2]):
            of = plain @ own[:, :, k]
            np.minimum(low, of.min(axis=0), out=low)
            np.maximum(high, of.max(axis=0), out=high)
        return low, high
    both = plain @ forces.reshape(cases, -1)
    root = np.sqrt(roots**2 @ forces.reshape(cases, -1) ** 2)
    both = np.concatenate([both + root, both - root])
    stress = normal_stress(section, both.reshape(-1, 6), corners[section])
    return (
        stress.min(axis=1).reshape(-1, count).min(axis=0),
        stress.max(axis=1).reshape(-1, count).max(axis=0),
    )


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
