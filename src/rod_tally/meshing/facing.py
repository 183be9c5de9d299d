"""Axes for the mesh of a face that turn with it: the generator's mesh depends on how a face lies, and a
building that is turned as a whole, or drawn in another order, must get the same elements."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.entities.surface import Surface
from ..model.geometry.vectors import Array

STRAIGHT = 1 - 1e-9  # cosine beyond which two sides of an outline go straight on
AS_LONG = 1e-6  # share by which sides may differ and still count as equally long
ASIDE = 0.37  # any share but 0 and 1: what tells apart directions that lie alike to another one
MOST = 16  # directions that are tried: a round face has as many as sides
GRAIN = 1e-5  # m; places in a face are rounded to this
BETWEEN = 0.37  # where they are rounded up: not half way, as lengths are often divided by two


@dataclass(slots=True)
class Facing:
    """`turn` (2, 2): rows are the axes of the mesh in those of the surface's plane; `mirrored`: its normal
    looks the other way."""

    turn: Array
    mirrored: bool

    def there(self, flat: Array) -> Array:
        """Points (n, 2) of the plane's own axes in those of the mesh."""
        return flat @ self.turn.T

    def back(self, points: Array) -> Array:
        """The reverse of `there`."""
        return points @ self.turn


def rounded(points: Array) -> Array:
    """Places (n, 2) from their least on, without the last digits, which a turn changes: they must not decide
    how elements lie."""
    return np.floor((points - points.min(axis=0)) / GRAIN + BETWEEN) * GRAIN


def facing(surface: Surface, ring: Array, points: Array, towards: Array) -> Facing:
    """Along one of the longest straight sides of a face's outline `ring` (n, 2), seen from either side: so
    that `points` (m, 2), all that its mesh must keep, come first in order. Of a face that is its own mirror
    image, or its own turn, the axes that look best towards the place `towards` (3,), the middle of the
    building, then as the surface is drawn."""
    plane = surface.plain_axes
    inwards = plane @ (towards - surface.lifted(points.mean(axis=0)[None])[0])
    drawn = plane @ _first_edge(surface.outer)
    ways = []
    for mirrored in (False, True):
        sides = _straight_sides(ring[::-1] if mirrored else ring)
        length = np.linalg.norm(sides, axis=1)
        alike = sides[length >= (1 - AS_LONG) * length.max()]
        for x in (alike / np.linalg.norm(alike, axis=1)[:, None])[:MOST]:
            y = np.array([x[1], -x[0]]) if mirrored else np.array([-x[1], x[0]])
            normal = -1.0 if mirrored else 1.0
            axes = np.array([[*x, 0.0], [*y, 0.0], [0.0, 0.0, normal]])
            looks = [float(np.round((axes @ v) @ (1.0, ASIDE, ASIDE**2), 6)) for v in (inwards, drawn)]
            ways.append((Facing(np.array([x, y]), mirrored), looks))
    if len(ways) == 1:
        return ways[0][0]
    keys = [_key(rounded(way.there(points))) for way, _ in ways]
    first = min(keys)
    return max((w for w, k in zip(ways, keys) if k == first), key=lambda w: w[1])[0]


def _key(places: Array) -> bytes:
    order = np.lexsort((places[:, 1], places[:, 0]))
    return np.round(places[order] / GRAIN).astype(">i8").tobytes()


def _first_edge(outer: Array) -> Array:
    edges = np.diff(outer, axis=0, append=outer[:1])
    return np.asarray(edges[int(np.argmax(np.linalg.norm(edges, axis=1) > 1e-9))])


def _straight_sides(ring: Array) -> Array:
    """Vectors (k, 2) from corner to corner of a closed outline (n, 2), nodes along straight sides left
    out."""
    steps = np.diff(ring, axis=0, append=ring[:1])
    steps = steps[np.linalg.norm(steps, axis=1) > 0]
    u = steps / np.linalg.norm(steps, axis=1)[:, None]
    begins = np.flatnonzero(np.einsum("ni,ni->n", u, np.roll(u, 1, axis=0)) < STRAIGHT)
    if not len(begins):
        return steps
    steps = np.roll(steps, -int(begins[0]), axis=0)
    return np.add.reduceat(steps, begins - begins[0], axis=0)
