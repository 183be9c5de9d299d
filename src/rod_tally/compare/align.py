"""A whole building shifted, turned or raised between two exports: found once, so that no member counts as
moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..model.geometry.directions import main_angles, turn
from ..model.geometry.vectors import Array

SAME = 1e-3  # m
NEAR = 0.03  # m; members that a first guess brings this near to each other are one
EXACT = 1e-9  # m, or rad; less is rounding
ALIKE = 0.7  # cosine from which two axes point the same way
FITS = 20  # rounds of fitting and leaving out
MOST = 0.9  # of the members of one identity must make a motion together
FEWEST_NAMED = 5  # members of one identity below which they say nothing
IMAGE = np.array([-1.0, 1.0, 1.0])  # what a mirror image is, before it is turned
MIRRORED = 1.1  # times as many members must be in place in a mirror image
ENOUGH = 0.6  # of the smaller model's members must fall into place


@dataclass(slots=True, frozen=True)
class Transform:
    """Revised = turn(angle about Z) of the baseline + shift; radians and metres. `by`: "identity" where most
    parts also lie where others were, and their identities said which motion it is. `mirrored`: x is turned
    round before that; a mirror image about any upright plane is one of x, turned and shifted."""

    angle: float
    shift: tuple[float, float, float]
    by: str = ""
    mirrored: bool = False

    @property
    def matrix(self) -> Array:
        """Return what brings directions of the baseline (as columns) to those of the revision (3, 3)."""
        return turn(self.angle) @ np.diag(IMAGE) if self.mirrored else turn(self.angle)

    def apply(self, points: Array) -> Array:
        """Baseline coordinates (..., 3) to revised ones."""
        return points @ self.matrix.T + np.array(self.shift)

    def undo(self, points: Array) -> Array:
        """Revised coordinates (..., 3) to baseline ones."""
        return (points - np.array(self.shift)) @ self.matrix

    @property
    def reverse(self) -> Transform:
        """From the revision to the baseline."""
        x, y, z = -(np.array(self.shift) @ self.matrix)
        # a mirror image of a mirror image, turned the same way, is what it was
        angle = self.angle if self.mirrored else -self.angle
        return Transform(angle, (float(x), float(y), float(z)), self.by, self.mirrored)


def find_motion(
    base: Array,
    revised: Array,
    base_class: list[str],
    revised_class: list[str],
    axes: tuple[Array, Array] | None = None,
    named: tuple[NDArray[np.int64], NDArray[np.int64]] | None = None,
) -> Transform | None:
    """As `find_transform`; a mirror image where nearly all members are in place in one, and much rather than
    turned and shifted alone, or where nearly all of one identity are, as a symmetric building has it."""
    plain = find_transform(base, revised, base_class, revised_class, axes, named)
    if len(base) < 3 or len(revised) < 3 or (plain is not None and plain.by):
        return plain
    if named is not None and len(named[0]) >= FEWEST_NAMED:
        mine, theirs = base[named[0]], revised[named[1]]
        if _together(mine if plain is None else plain.apply(mine), theirs, np.zeros(3)) < MOST:
            image = _of_named(mine * IMAGE, theirs)
            if image is None and _together(mine * IMAGE, theirs, np.zeros(3)) >= MOST:
                image = Transform(0.0, (0.0, 0.0, 0.0))
            if image is not None:
                in_place = _in_place(base if plain is None else plain.apply(base), revised)[0]
                by = "identity" if in_place >= ENOUGH * min(len(base), len(revised)) else ""
                return Transform(image.angle, image.shift, by, True)
    smaller = min(len(base), len(revised))
    count = _in_place(base if plain is None else plain.apply(base), revised)[0]
    if count >= MOST * smaller:
        return plain
    own = base * IMAGE
    image = find_transform(
        own, revised, base_class, revised_class, None if axes is None else (axes[0] * IMAGE, axes[1])
    )
    image = Transform(0.0, (0.0, 0.0, 0.0)) if image is None else image
    there = _in_place(image.apply(own), revised)[0]
    if there >= MOST * smaller and there > MIRRORED * count:
        return Transform(image.angle, image.shift, "", True)
    return plain


def find_transform(
    base: Array,
    revised: Array,
    base_class: list[str],
    revised_class: list[str],
    axes: tuple[Array, Array] | None = None,
    named: tuple[NDArray[np.int64], NDArray[np.int64]] | None = None,
) -> Transform | None:
    """The transform between two sets of member lines (n, 2, 3), None when they lie in place or none fits.

    Directions give the angle up to quarter turns; the shift is the commonest difference between members of
    one class and length. It is taken only when it brings six tenths of the members of the smaller model to
    within a millimetre, and half as many again as lie in place without it. Of several that do so equally (a
    building that is its own half turn) the one that turns most local z `axes` (n, 3) of either side along.

    `named`: members of one identity, (baseline, revised). Where nearly all of them went one way together,
    that is the motion, though in a regular building most members then lie where others were: a bay added at
    its beginning.
    """
    if len(base) < 3 or len(revised) < 3:
        return None
    smaller = min(len(base), len(revised))
    still, _, _ = _in_place(base, revised)
    if named is not None:
        by_name = _of_named(base[named[0]], revised[named[1]])
        if by_name is not None:
            return by_name if still >= ENOUGH * smaller else Transform(by_name.angle, by_name.shift)
        if still < ENOUGH * smaller and _together(base[named[0]], revised[named[1]], np.zeros(3)) >= MOST:
            return None
    if still >= ENOUGH * smaller:
        return None
    best: tuple[tuple[int, int, float, float], Transform] | None = None
    spins = {
        (b - a + np.pi / 4) % (np.pi / 2) - np.pi / 4 for a in main_angles(base) for b in main_angles(revised)
    }
    for angle in sorted({0.0, *(float(spin + k * np.pi / 2) for spin in spins for k in range(4))}):
        turned = base @ turn(angle).T
        shift = _common_shift(turned, revised, base_class, revised_class)
        if shift is None:
            continue
        own, fitted = _refined(base, revised, angle, shift)
        count, off, near = _in_place(base @ turn(own).T + fitted, revised)
        agree = 0
        if axes is not None:
            mine, theirs = axes[0] @ turn(own).T, axes[1]
            agree = int((np.einsum("ni,ni->n", mine[near[0]], theirs[near[1]]) > ALIKE).sum())
        wrapped = (own + np.pi) % (2 * np.pi) - np.pi
        # most members in place; of equals (a building that is its own half turn) most local axes, then the
        # closest fit, then the smallest turn
        merit = (count, agree, -round(off, 6), -round(abs(wrapped), 9))
        if best is None or merit > best[0]:
            best = merit, Transform(float(wrapped), (float(fitted[0]), float(fitted[1]), float(fitted[2])))
    if best is None or best[0][0] < ENOUGH * smaller or best[0][0] < 1.5 * still:
        return None
    return best[1]


def _of_named(base: Array, revised: Array) -> Transform | None:
    """The motion that nearly all members of one identity made together; None for none, or for none at all."""
    if len(base) < FEWEST_NAMED or _together(base, revised, np.zeros(3)) > 1 - MOST:
        return None
    spins = {
        (b - a + np.pi / 4) % (np.pi / 2) - np.pi / 4 for a in main_angles(base) for b in main_angles(revised)
    }
    best: tuple[float, float, Transform] | None = None
    for angle in sorted({0.0, *(float(spin + k * np.pi / 2) for spin in spins for k in range(4))}):
        turned = base @ turn(angle).T
        shift = np.median(_keys(revised) - _keys(turned), axis=0)
        share = _together(turned, revised, shift)
        wrapped = (angle + np.pi) % (2 * np.pi) - np.pi
        merit = share, -round(abs(float(wrapped)), 9)
        if best is None or merit > best[:2]:
            own = Transform(float(wrapped), (float(shift[0]), float(shift[1]), float(shift[2])), "identity")
            best = *merit, own
    return best[2] if best is not None and best[0] >= MOST else None


def _together(base: Array, revised: Array, shift: Array) -> float:
    """The share of pairs of lines (n, 2, 3) whose middles lie within a millimetre after a shift."""
    if not len(base):
        return 0.0
    off = np.linalg.norm(_keys(revised) - _keys(base) - shift, axis=1)
    return float((off <= SAME).mean())


def _keys(lines: Array) -> Array:
    """Middle of each line (n, 3)."""
    return lines.mean(axis=1)


def _laid(lines: Array) -> Array:
    """Middle, direction in plan and rise of each line (n, 6), m, the same whichever way round it runs: beams
    above each other have one middle however the building is turned."""
    d = (lines[:, 1] - lines[:, 0]) / 2
    size = np.maximum(np.linalg.norm(d, axis=1), EXACT)
    lies = np.column_stack(
        [(d[:, 0] ** 2 - d[:, 1] ** 2) / size, 2 * d[:, 0] * d[:, 1] / size, np.abs(d[:, 2])]
    )
    return np.column_stack([lines.mean(axis=1), lies / 2])


def _in_place(base: Array, revised: Array) -> tuple[int, float, tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """How many revised members lie within a millimetre of one of the baseline, their mean distance, and which
    ones (baseline, revised)."""
    from scipy.spatial import cKDTree

    distance, j = cKDTree(_laid(base)).query(_laid(revised), distance_upper_bound=SAME * 2)
    near = np.flatnonzero(distance < SAME)
    return len(near), float(distance[near].mean()) if len(near) else 0.0, (j[near], near)


def _common_shift(
    base: Array, revised: Array, base_class: list[str], revised_class: list[str]
) -> Array | None:
    def grouped(lines: Array, classes: list[str]) -> dict[tuple[str, int], list[int]]:
        out: dict[tuple[str, int], list[int]] = {}
        for k, length in enumerate(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)):
            out.setdefault((classes[k], round(float(length) * 100)), []).append(k)
        return out

    a, b = grouped(base, base_class), grouped(revised, revised_class)
    shared = sorted((k for k in a if k in b), key=lambda k: (len(a[k]) * len(b[k]), k))
    pa, pb = _keys(base), _keys(revised)
    steps = []
    budget = 400_000
    for key in shared:
        if budget <= 0:
            break
        i, j = a[key][:600], b[key][:600]
        budget -= len(i) * len(j)
        steps.append(np.round((pb[j][None] - pa[i][:, None]).reshape(-1, 3) * 100).astype(np.int64))
    if not steps:
        return None
    cells = np.concatenate(steps)
    low = cells.min(axis=0) - 1
    wide = cells.max(axis=0) - low + 2
    # a number for each cell: counting these is much the quicker
    place = np.array([wide[1] * wide[2], wide[2], 1])
    numbers, count = np.unique((cells - low) @ place, return_counts=True)
    best = np.argsort(-count, kind="stable")[:20]
    # neighbouring cells share one shift that falls on their border
    around = np.array([(x, y, z) for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1)]) @ place
    near = numbers[best][:, None] + around
    at = np.minimum(np.searchsorted(numbers, near), len(numbers) - 1)
    votes = np.where(numbers[at] == near, count[at], 0).sum(axis=1)
    shifts = np.stack(np.unravel_index(numbers[best], tuple(wide)), axis=1) + low
    # of those that fit equally well (a part of a regular building) the shortest
    top = shifts[np.lexsort((np.linalg.norm(shifts, axis=1), -votes))[0]]
    return np.asarray(top / 100)


def _refined(base: Array, revised: Array, angle: float, shift: Array) -> tuple[float, Array]:
    """Angle and shift fitted to the members that they bring within 3 cm, of which those that lie farthest off
    are left out again and again (least trimmed squares): a few that moved by a centimetre must not turn the
    rest."""
    from scipy.spatial import cKDTree

    own, theirs = _keys(base), _keys(revised)
    distance, j = cKDTree(theirs).query(own @ turn(angle).T + shift, distance_upper_bound=NEAR)
    good = np.isfinite(distance)
    if not good.any():
        return angle, shift
    p, q = own[good], theirs[j[good]]
    kept = np.ones(len(p), bool)
    fitted, step = angle, np.asarray(np.median(q - p @ turn(angle).T, axis=0))
    for _ in range(FITS):
        if kept.sum() >= 2:
            a, b = p[kept] - p[kept].mean(axis=0), q[kept] - q[kept].mean(axis=0)
            sine, cosine = (
                float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()),
                float((a[:, :2] * b[:, :2]).sum()),
            )
            if cosine**2 + sine**2 > EXACT**4:
                fitted = float(np.arctan2(sine, cosine))
        step = np.median(q[kept] - p[kept] @ turn(fitted).T, axis=0)
        off = np.linalg.norm(p @ turn(fitted).T + step - q, axis=1)
        closest = off <= max(float(np.median(off)), EXACT)
        if (closest == kept).all():
            break
        kept = closest
    if abs((fitted - angle + np.pi) % (2 * np.pi) - np.pi) < EXACT:  # a turn that is a plain one stays so
        fitted, step = angle, np.asarray(np.median(q[kept] - p[kept] @ turn(angle).T, axis=0))
    return fitted, step
