"""The middle line of a strip: a footprint of one thickness that is bent, curved or closed in itself."""

from __future__ import annotations

import math

import numpy as np
from shapely.geometry import LineString, Polygon

from ...model.geometry.vectors import Array

EVEN = 0.04  # share by which the thickness along a strip may differ
TURN = math.radians(20)  # a turn of the middle line sharper than this is a corner, not a curve


def middle_line(flat: Polygon) -> tuple[Array, float, float, bool] | None:
    """Points (n, 2) along the middle of a strip, its thickness, the largest chord error (m), and whether it
    is curved.

    For a strip A = t L and P = 2 L + 2 t. The two ends are the two sides of about that thickness that lie
    farthest apart; None where there are none, or the sides between them are not everywhere t apart."""
    ring = _simple(np.array(flat.exterior.coords)[:-1])
    half = float(Polygon(ring).length) / 2
    root = half * half / 4 - flat.area
    if root <= 0 or len(ring) < 4:
        return None
    t = half / 2 - math.sqrt(root)
    sides = np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1)
    ends = [k for k in np.flatnonzero(np.abs(sides - t) < 0.1 * t) if _square(ring, int(k))]
    best: tuple[float, int, int] | None = None
    for i, a in enumerate(ends):
        for b in ends[i + 1 :]:
            apart = min((b - a) % len(ring), (a - b) % len(ring))
            one, two = _between(ring, int(a), int(b))
            uneven = abs(_length(one) - _length(two))
            if apart > 1 and (best is None or uneven < best[0] - 1e-9):
                best = (uneven, int(a), int(b))
    if best is None:
        return None
    one, two = _between(ring, best[1], best[2])
    line = _middle(one, two, t)
    if line is None:
        return None
    path = LineString(line)
    # what a strip of that thickness along the line would cover
    drawn = path.buffer(t / 2, cap_style="flat", join_style="mitre")
    missed = drawn.symmetric_difference(flat).area / flat.area
    if missed > EVEN:
        return None
    steps = np.diff(line, axis=0)
    angle = np.abs(np.diff(np.unwrap(np.arctan2(steps[:, 1], steps[:, 0]))))
    curved = bool(len(angle) and (angle < TURN).any())
    error = 0.0
    for k, turn in enumerate(angle):
        if turn < TURN:
            longest = max(float(np.linalg.norm(steps[k])), float(np.linalg.norm(steps[k + 1])))
            # sagitta of a chord that turns by that angle
            error = max(error, longest / 2 * math.tan(turn / 4))
    return line, t, error, curved


def _simple(ring: Array) -> Array:
    """The ring without corners that lie on a straight line."""
    u, v = ring - np.roll(ring, 1, axis=0), np.roll(ring, -1, axis=0) - ring
    turn = np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0])
    return ring[turn > 1e-6 * np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1) + 1e-12]


def _square(ring: Array, k: int) -> bool:
    """Return whether side k meets both its neighbours at about a right angle, as the end of a strip does."""
    n = len(ring)
    u = ring[(k + 1) % n] - ring[k]
    for v in (ring[k] - ring[k - 1], ring[(k + 2) % n] - ring[(k + 1) % n]):
        if abs(float(u @ v)) > 0.35 * float(np.linalg.norm(u) * np.linalg.norm(v)):
            return False
    return True


def _between(ring: Array, a: int, b: int) -> tuple[Array, Array]:
    """The two chains between sides a and b, both from a to b."""
    n = len(ring)
    one = ring[[(a + 1 + k) % n for k in range((b - a - 1) % n + 1)]]
    two = ring[[(a - k) % n for k in range((a - b - 1) % n + 1)]]
    return one, two


def _length(chain: Array) -> float:
    return float(np.linalg.norm(np.diff(chain, axis=0), axis=1).sum())


def _middle(one: Array, two: Array, t: float) -> Array | None:
    """Half-way points: corner with corner where both chains have as many, else each corner with the nearest
    opposite."""
    if len(one) == len(two):
        return np.asarray((one + two) / 2)
    if len(one) < len(two):
        one, two = two, one
    other = LineString(two)
    points = []
    for p in one:
        q = np.array(other.interpolate(other.project(LineString([p, p]).centroid)).coords[0])
        if abs(float(np.linalg.norm(p - q)) - t) > 0.5 * t:
            return None
        points.append((p + q) / 2)
    return np.array(points)
