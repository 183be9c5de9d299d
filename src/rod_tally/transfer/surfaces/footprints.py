"""A footprint taken apart into strips of one thickness each: walls with pilasters, tees, crosses, cores."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.geometry.polygon import orient

from ...model.geometry.vectors import Array

FACING = -math.cos(math.radians(15))  # cosine between two sides of one strip
COVERED = 0.98  # share of a strip that lies in the footprint
SHORTEST = 0.02  # m; shorter strips are chamfers
OWN = 0.5  # share of a strip that no other has taken
LEFT = 0.03  # share of a footprint that may belong to no strip and no joint between strips
TOUCHES = 1e-4  # m
SAME_WAY = math.sin(math.radians(5))


@dataclass(slots=True)
class Strip:
    """A piece of a wall in plan: middle line (2, 2) and thickness, m, which is `ends` at both of its ends;
    `corners` (n, 2) as it is drawn. `moved` (m): how far its middle was brought aside to that of the wall
    it thickens."""

    line: Array
    thickness: float
    ends: tuple[float, float]
    corners: Polygon
    moved: float = 0.0

    @property
    def length(self) -> float:
        return float(np.linalg.norm(self.line[1] - self.line[0]))

    @property
    def way(self) -> Array:
        return (self.line[1] - self.line[0]) / self.length


def strips_of(flat: Polygon) -> list[Strip] | None:
    """The strips of a footprint with voids, longest first; None where it is not made of such.

    Two sides that face each other through the inside make a strip as long as they lie opposite; the
    slenderest are taken first, each from what is left. Squares where strips meet belong to no one: the
    middle lines go on to where they cross."""
    found: list[Strip] = []
    rest: BaseGeometry = flat
    for s in sorted(_candidates(flat), key=lambda s: (-s.length / s.thickness, -s.length)):
        if s.corners.intersection(rest).area > OWN * s.corners.area:
            found.append(s)
            rest = rest.difference(s.corners.buffer(TOUCHES, join_style="mitre"))
            if rest.area < 1e-6 * flat.area:
                break
    if not found:
        return None
    _thickened(found)
    left = 0.0
    for piece in getattr(rest, "geoms", [rest]):
        if piece.is_empty or not isinstance(piece, Polygon):
            continue
        if piece.area < 1e-4 * flat.area:
            pass
        elif not _joined(found, piece):
            left += piece.area
    if left > LEFT * flat.area:
        return None
    _closed_up(found)
    return sorted(found, key=lambda s: -s.length)


def _candidates(flat: Polygon) -> list[Strip]:
    """A strip for every two sides that face each other through the inside."""
    whole = orient(flat)
    sides = []
    for ring in (whole.exterior, *whole.interiors):
        points = np.array(ring.coords)
        sides += [(a, b) for a, b in zip(points, points[1:]) if np.linalg.norm(b - a) > SHORTEST]
    if not sides:
        return []
    a, b = (np.array(x) for x in zip(*sides))
    way = (b - a) / np.linalg.norm(b - a, axis=1)[:, None]
    out = []
    i, j = np.nonzero(np.triu(way @ way.T < FACING, 1))
    for one, other in zip(i.tolist(), j.tolist()):
        u = way[one] - way[other]
        u = u / np.linalg.norm(u)
        n = np.array([-u[1], u[0]])  # to the left of side `one`, which is inside
        (s0, s1), (t1, t0) = (a[one] @ u, b[one] @ u), (a[other] @ u, b[other] @ u)
        low, high = max(s0, t0), min(s1, t1)
        if high - low < SHORTEST:
            continue

        quad = np.array(
            [
                a[k] + way[k] * ((x - a[k] @ u) / (way[k] @ u))
                for k, x in ((one, low), (one, high), (other, high), (other, low))
            ]
        )
        thick = [float((quad[3] - quad[0]) @ n), float((quad[2] - quad[1]) @ n)]
        if min(thick) <= SHORTEST / 2:
            continue
        corners = Polygon(quad)
        if corners.intersection(flat).area < COVERED * corners.area:
            continue
        out.append(
            Strip(
                np.array([(quad[0] + quad[3]) / 2, (quad[1] + quad[2]) / 2]),
                sum(thick) / 2,
                (thick[0], thick[1]),
                corners,
            )
        )
    return out


def _thickened(strips: list[Strip]) -> None:
    """A short strip that goes on in line with a longer one beside it, such as a pilaster's, has the middle
    line of that: pieces of one wall lie in one plane."""
    for s in sorted(strips, key=lambda s: s.length):
        for other in sorted(strips, key=lambda o: -o.length):
            if other is s or other.length <= s.length or abs(_cross(s.way, other.way)) > SAME_WAY:
                continue
            if not s.corners.buffer(2 * TOUCHES).intersects(other.corners):
                continue
            n = np.array([-other.way[1], other.way[0]])
            off = (s.line - other.line[0]) @ n
            if np.abs(off).max() > max(s.thickness, other.thickness) / 2:
                continue
            s.line = s.line - off[:, None] * n
            s.moved = float(np.abs(off).max())
            break


def _joined(strips: list[Strip], piece: Polygon) -> bool:
    """Bring the ends of the strips that end at what is left between them to where their lines cross; False
    where fewer than two do."""
    near = piece.buffer(10 * TOUCHES, join_style="mitre")
    ends: list[tuple[Strip, int]] = []
    middle = np.array(piece.centroid.coords[0])
    for s in strips:
        if not near.intersects(s.corners):
            continue
        which = int(np.linalg.norm(s.line[1] - middle) < np.linalg.norm(s.line[0] - middle))
        ends.append((s, which))
    if len(ends) < 2 or piece.area > 4 * max(s.thickness for s, _ in ends) ** 2:
        return False
    meet = middle
    best = SAME_WAY
    for k, (s, _) in enumerate(ends):
        for other, _ in ends[k + 1 :]:
            c = abs(_cross(s.way, other.way))
            if c > best:
                best = c
                w = other.line[0] - s.line[0]
                meet = s.line[0] + s.way * (_cross(w, other.way) / _cross(s.way, other.way))
    for s, which in ends:
        s.line[which] = s.line[0] + s.way * float((meet - s.line[0]) @ s.way)
    return True


def _closed_up(strips: list[Strip]) -> None:
    """Ends of strips whose corners touch and whose lines cross near there meet where they cross."""
    for k, s in enumerate(strips):
        for other in strips[k + 1 :]:
            c = _cross(s.way, other.way)
            if abs(c) <= 1e-9 or not s.corners.buffer(2 * TOUCHES).intersects(other.corners):
                continue
            w = other.line[0] - s.line[0]
            meet = s.line[0] + s.way * (_cross(w, other.way) / c)
            reach = max(s.thickness, other.thickness)
            for one in (s, other):
                far = np.linalg.norm(one.line - meet, axis=1)
                which = int(far[1] < far[0])
                if TOUCHES < far[which] <= reach and shapely.Point(meet).distance(one.corners) <= reach:
                    one.line[which] = meet


def _cross(u: Array, v: Array) -> float:
    return float(u[0] * v[1] - u[1] * v[0])
