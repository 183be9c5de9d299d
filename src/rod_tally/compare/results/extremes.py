"""The value of largest size of a quantity on either side of a pair, with its sign: along a member, over a
surface, over cases."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...analysis.results.results import Results
from ...analysis.shells.fields import PlateFields
from ...model.geometry.vectors import Array

TIE = 1e-3  # share by which two values of opposite sign may differ in size and still count as equally large


@dataclass(slots=True)
class Extremes:
    """Least and largest values (n, q) on either side of n pairs."""

    low_old: Array
    high_old: Array
    low_new: Array
    high_new: Array

    @classmethod
    def of(cls, old: Array, new: Array) -> Extremes:
        """Return the extremes of single values (n, q)."""
        return cls(old, old, new, new)

    def grow(self, other: Extremes, good: NDArray[np.bool_]) -> None:
        """Take in those of one more case, where it was computed (n,)."""
        keep = good[:, None]
        self.low_old = np.where(keep, np.minimum(self.low_old, other.low_old), self.low_old)
        self.high_old = np.where(keep, np.maximum(self.high_old, other.high_old), self.high_old)
        self.low_new = np.where(keep, np.minimum(self.low_new, other.low_new), self.low_new)
        self.high_new = np.where(keep, np.maximum(self.high_new, other.high_new), self.high_new)

    def largest(self) -> tuple[Array, Array]:
        """The values of largest size, with their signs, old and new (n, q).

        A beam under a uniform load has equal shears of opposite sign at its ends: which of them is larger is
        rounding, and must not be read as a change of sign. Where the two sides would show opposite signs and
        one of them has a value of the other's sign that is as large, within TIE, that one is shown."""
        old = np.where(-self.low_old > self.high_old, self.low_old, self.high_old)
        new = np.where(-self.low_new > self.high_new, self.low_new, self.high_new)
        other_old = np.where(old < 0, self.high_old, self.low_old)
        other_new = np.where(new < 0, self.high_new, self.low_new)
        apart = old * new < 0
        as_large_new = apart & (other_new * old > 0) & (np.abs(other_new) >= (1 - TIE) * np.abs(new))
        as_large_old = apart & ~as_large_new & (other_old * new > 0)
        as_large_old &= np.abs(other_old) >= (1 - TIE) * np.abs(old)
        return np.where(as_large_old, other_old, old), np.where(as_large_new, other_new, new)


def along_members(results: Results, case: int = 0) -> tuple[Array, Array]:
    """Least and largest (M, 6) of each member and component along it; zero without stations."""
    low, high = np.zeros((2, len(results.member_ids), 6))
    if len(results.station_member):
        begin = np.flatnonzero(np.diff(results.station_member, prepend=-1))
        of = results.station_member[begin]
        low[of] = np.minimum.reduceat(results.force[case], begin)
        high[of] = np.maximum.reduceat(results.force[case], begin)
    return low, high


def over_surfaces(fields: PlateFields, results: Results, turned: dict[int, Array]) -> tuple[Array, Array]:
    """Least and largest (S, 8) of each surface and component at its corners.

    `turned`: for surfaces by number whose axes are not those to compare in, the matrix (8, 8) of
    `between_axes`."""
    surface = fields.averaged_surfaces()

    def compared(values: Array) -> Array:
        for s, matrix in turned.items():
            own = surface == s
            values[own] = values[own] @ matrix.T
        return values

    of, _, values = fields.averaged_forces(results, 0, compared)
    low, high = np.zeros((2, len(fields.plates.surfaces), 8))
    if len(of):
        order = np.argsort(of, kind="stable")
        of, values = of[order], values[order]
        begin = np.flatnonzero(np.diff(of, prepend=-1))
        low[of[begin]] = np.minimum.reduceat(values, begin)
        high[of[begin]] = np.maximum.reduceat(values, begin)
    return low, high


def between_axes(own: Array, shown: Array) -> Array:
    """The matrix (8, 8) that brings nx, ny, nxy, mx, my, mxy, vx, vy of axes `own` to axes `shown` (rows x,
    y, z).

    Both lie in one plane: membrane forces and moments are tensors of it, shear forces a vector; moments and
    shear forces change sign where the normal does."""
    q = shown[:2] @ own[:2].T
    u, _, v = np.linalg.svd(q)  # planes that are not quite parallel
    q = u @ v
    sign = 1.0 if shown[2] @ own[2] >= 0 else -1.0
    out = np.zeros((8, 8))
    tensor = np.zeros((3, 3))
    for k, part in enumerate(([[1, 0], [0, 0]], [[0, 0], [0, 1]], [[0, 1], [1, 0]])):
        t = q @ np.array(part, float) @ q.T
        tensor[:, k] = t[0, 0], t[1, 1], t[0, 1]
    out[:3, :3], out[3:6, 3:6], out[6:, 6:] = tensor, sign * tensor, sign * q
    return out
