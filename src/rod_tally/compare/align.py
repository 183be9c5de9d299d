"""A whole building shifted, turned or raised between two exports: found once, so that no member counts as moved."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ..model.geometry.vectors import Array

SAME = 1e-3  # m
ENOUGH = 0.6  # of the smaller model's members must fall into place


@dataclass(slots=True, frozen=True)
class Transform:
    """Revised = turn(angle about Z) of the baseline + shift; radians and metres."""

    angle: float
    shift: tuple[float, float, float]

    def apply(self, points: Array) -> Array:
        """Baseline coordinates (..., 3) to revised ones."""
        return points @ turn(self.angle).T + np.array(self.shift)

    def undo(self, points: Array) -> Array:
        """Revised coordinates (..., 3) to baseline ones."""
        return (points - np.array(self.shift)) @ turn(self.angle)


def turn(angle: float) -> Array:
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])


def find_transform(base: Array, revised: Array, base_class: list[str], revised_class: list[str]) -> Transform | None:
    """The transform between two sets of member lines (n, 2, 3), None when they lie in place or none fits.

    Directions give the angle up to quarter turns; the shift is the commonest difference between members of one class
    and length. It is taken only when it brings six tenths of the members of the smaller model to within a millimetre,
    and half as many again as lie in place without it.
    """
    if len(base) < 3 or len(revised) < 3:
        return None
    smaller = min(len(base), len(revised))
    still, _ = _in_place(base, revised)
    if still >= ENOUGH * smaller:
        return None
    best: tuple[tuple[int, float, float], Transform] | None = None
    spin = _main_angle(revised) - _main_angle(base)
    spin = (spin + np.pi / 4) % (np.pi / 2) - np.pi / 4
    for angle in {0.0, *(float(spin + k * np.pi / 2) for k in range(4))}:
        turned = base @ turn(angle).T
        shift = _common_shift(turned, revised, base_class, revised_class)
        if shift is None:
            continue
        fitted = _refined(turned, revised, shift)
        count, off = _in_place(turned + fitted, revised)
        wrapped = (angle + np.pi) % (2 * np.pi) - np.pi
        # most members in place; of equals the closest fit, then the smallest turn
        merit = (count, -round(off, 6), -round(abs(wrapped), 9))
        if best is None or merit > best[0]:
            best = merit, Transform(float(wrapped), (float(fitted[0]), float(fitted[1]), float(fitted[2])))
    if best is None or best[0][0] < ENOUGH * smaller or best[0][0] < 1.5 * still:
        return None
    return best[1]


def _keys(lines: Array) -> Array:
    """Middle and half extent of each line: the same whichever way round it runs."""
    return lines.mean(axis=1)


def _in_place(base: Array, revised: Array) -> tuple[int, float]:
    """How many revised members lie within a millimetre of one of the baseline, and their mean distance."""
    distance, _ = cKDTree(_keys(base)).query(_keys(revised), distance_upper_bound=SAME * 2)
    near = distance[distance < SAME]
    return len(near), float(near.mean()) if len(near) else 0.0


def _main_angle(lines: Array) -> float:
    """The direction of the plan's grid, modulo a quarter turn: mean of exp(4 i angle), by length."""
    d = (lines[:, 1] - lines[:, 0])[:, :2]
    size = np.hypot(d[:, 0], d[:, 1])
    flat = size > 0.1
    if not flat.any():
        return 0.0
    total = (size[flat] * np.exp(4j * np.arctan2(d[flat, 1], d[flat, 0]))).sum()
    return float(np.angle(total) / 4) if abs(total) > 1e-6 * size.sum() else 0.0


def _common_shift(base: Array, revised: Array, base_class: list[str], revised_class: list[str]) -> Array | None:
    def grouped(lines: Array, classes: list[str]) -> dict[tuple[str, int], list[int]]:
        out: dict[tuple[str, int], list[int]] = {}
        for k, length in enumerate(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)):
            out.setdefault((classes[k], round(float(length) * 100)), []).append(k)
        return out

    a, b = grouped(base, base_class), grouped(revised, revised_class)
    shared = sorted((k for k in a if k in b), key=lambda k: (len(a[k]) * len(b[k]), k))
    pa, pb = _keys(base), _keys(revised)
    votes: Counter[tuple[int, int, int]] = Counter()
    budget = 400_000
    for key in shared:
        if budget <= 0:
            break
        i, j = a[key][:600], b[key][:600]
        budget -= len(i) * len(j)
        steps = np.round((pb[j][None] - pa[i][:, None]).reshape(-1, 3) * 100).astype(int)
        votes.update(map(tuple, steps.tolist()))
    if not votes:
        return None
    # neighbouring cells share one shift that falls on their border
    top = max(
        (k for k, _ in votes.most_common(20)),
        key=lambda k: sum(
            votes.get((k[0] + x, k[1] + y, k[2] + z), 0) for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1)
        ),
    )
    return np.array(top) / 100


def _refined(base: Array, revised: Array, shift: Array) -> Array:
    """The shift as the median over members that it brings within 3 cm."""
    tree = cKDTree(_keys(revised))
    distance, j = tree.query(_keys(base) + shift, distance_upper_bound=0.03)
    good = np.isfinite(distance)
    if not good.any():
        return shift
    return np.median(_keys(revised)[j[good]] - _keys(base)[good], axis=0)
