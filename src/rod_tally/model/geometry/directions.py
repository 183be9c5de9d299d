"""Orientation of a building in plan: the directions of its grid."""

from __future__ import annotations

import numpy as np

from ..entities.model import Model
from .vectors import Array

BIN = np.radians(0.25)
DIRECTIONS = 2  # of the plan's grid that are told
STRAIGHT = np.radians(0.5)  # a building that is turned by less lies along x and y


def turn(angle: float) -> Array:
    """The rotation (3, 3) about Z by an angle in radians."""
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])


def lies_at(model: Model) -> float:
    """The angle (rad, -pi/4 to pi/4) by which the building's own axes are turned from x and y: the commonest
    direction of beams, walls and edges of slabs. 0 for one that lies along them."""
    lines = [model.line(m) for m in model.members.values() if m.cls == "beam"]
    for s in model.surfaces.values():
        lines += [
            np.array([a, b]) for a, b in zip(s.outer, np.roll(s.outer, -1, axis=0)) if abs(a[2] - b[2]) < 0.01
        ]
    if not lines:
        return 0.0
    angle = main_angles(np.array(lines))[0]
    angle = float((angle + np.pi / 4) % (np.pi / 2) - np.pi / 4)
    return 0.0 if abs(angle) < STRAIGHT else angle


def main_angles(lines: Array) -> list[float]:
    """Directions that the plan's grid may have, modulo a quarter turn: the commonest ones by length, at most
    `DIRECTIONS`. `lines` (n, 2, 3); radians, [0] where none has a direction in plan.

    The mean of all would be turned by a few skew members, by more than the far end of a long building bears.
    """
    d = (lines[:, 1] - lines[:, 0])[:, :2]
    size = np.hypot(d[:, 0], d[:, 1])
    flat = size > 0.1
    if not flat.any():
        return [0.0]
    size, quarter = size[flat], np.arctan2(d[flat, 1], d[flat, 0]) % (np.pi / 2)
    bins = np.round(quarter / BIN).astype(int) % round(np.pi / 2 / BIN)
    weight = np.bincount(bins, size, minlength=round(np.pi / 2 / BIN))
    wide = weight + np.roll(weight, 1) + np.roll(weight, -1)  # a direction that falls on the border of two
    out: list[float] = []
    for top in np.argsort(-wide, kind="stable"):
        off = (quarter - top * BIN + np.pi / 4) % (np.pi / 2) - np.pi / 4
        near = np.abs(off) <= 1.5 * BIN
        if not near.any() or len(out) == DIRECTIONS:
            break
        # the median by length: the members of the grid itself, not those that are nearly in line
        order = np.argsort(off[near], kind="stable")
        reached = np.cumsum(size[near][order])
        angle = float(top * BIN + off[near][order][int(np.searchsorted(reached, reached[-1] / 2))])
        if all(abs((angle - x + np.pi / 4) % (np.pi / 2) - np.pi / 4) > BIN for x in out):
            out.append(angle)
    return out
