"""Surfaces of a revision held against those of its baseline, by the rules for members as far as they have a meaning.

A wall is the same one while its centroid lies, in plan, within the footprint of the original and their heights
overlap; a slab while its level lies within the original's thickness and half of the smaller of the two lies over the
other.
"""

from __future__ import annotations

import numpy as np
from shapely.geometry import LineString, Point, Polygon

from ..model import Model, Surface
from ..model.geometry.vectors import Array
from .align import SAME, Transform
from .match import MemberMatch

SIZE = 0.01  # share by which an area may differ before a surface counts as resized
COVER = 0.5  # of the smaller slab


def match_surfaces(base: Model, revised: Model, transform: Transform | None) -> list[MemberMatch]:
    """Every surface of either side once."""
    old = {s.id: _Placed(s, _drawn(s) + base.origin) for s in base.surfaces.values()}
    new = {}
    for s in revised.surfaces.values():
        outer = _drawn(s) + revised.origin
        new[s.id] = _Placed(s, transform.undo(outer) if transform is not None else outer)
    pairs = []
    for b in new.values():
        for a in old.values():
            if a.surface.cls == b.surface.cls and a.near(b):
                shift = a.shift(b)
                if shift is not None:
                    pairs.append((a.surface.id != b.surface.id, round(shift, 4), a.surface.id, b.surface.id, shift))
    partner: dict[str, tuple[str, float]] = {}
    taken: set[str] = set()
    for _, _, a_id, b_id, shift in sorted(pairs):
        if a_id not in taken and b_id not in partner:
            partner[b_id] = (a_id, shift)
            taken.add(a_id)
    out = []
    for ident, placed in new.items():
        s = placed.surface
        if ident not in partner:
            out.append(MemberMatch("added", s.cls, None, ident, 0.0, None, described(s)))
            continue
        a_id, shift = partner[ident]
        was = base.surfaces[a_id]
        shift = shift if shift >= SAME else 0.0
        same = abs(was.thickness - s.thickness) < 1e-4 and abs(was.source_area - s.source_area) <= SIZE * max(
            was.source_area, s.source_area
        )
        status = "resized" if not same else "moved" if shift else "same"
        out.append(MemberMatch(status, s.cls, a_id, ident, shift, described(was), described(s)))
    for ident, placed in old.items():
        if ident not in taken:
            out.append(MemberMatch("removed", placed.surface.cls, ident, None, 0.0, described(placed.surface), None))
    return out


def described(s: Surface) -> str:
    """Thickness and area, which stand for a surface's section."""
    return f"{s.thickness * 1000:.0f} mm, {s.source_area:.2f} m2"


def _drawn(s: Surface) -> Array:
    """Its outline as the source draws it: where transfer moved an edge to is not the modeller's doing."""
    return s.source_outer if s.source_outer is not None else s.outer


class _Placed:
    """A surface in the baseline's coordinates, as the comparison asks of it."""

    def __init__(self, surface: Surface, outer: Array) -> None:
        self.surface = surface
        self.low, self.high = outer.min(axis=0), outer.max(axis=0)
        self.upright = abs(surface.axes[2, 2]) < 0.5
        if self.upright:
            ends = outer[np.lexsort((outer[:, 1], outer[:, 0]))][[0, -1], :2]
            self.plan = LineString(ends).buffer(surface.thickness / 2, cap_style="flat")
            self.centre = ends.mean(axis=0)
        else:
            self.plan = Polygon(outer[:, :2]).buffer(0)
            self.centre = outer[:, :2].mean(axis=0)
        self.level = float(outer[:, 2].mean())

    def near(self, other: _Placed) -> bool:
        return bool((self.low - 1.0 <= other.high).all() and (other.low - 1.0 <= self.high).all())

    def shift(self, other: _Placed) -> float | None:
        """How far the other one has moved from this, m; None when it is another surface."""
        if self.upright != other.upright:
            return None
        if self.upright:
            overlap = min(self.high[2], other.high[2]) - max(self.low[2], other.low[2])
            inside = self.plan.buffer(1e-6).contains(Point(other.centre))
            return float(np.linalg.norm(other.centre - self.centre)) if overlap > 0 and inside else None
        smaller = min(self.plan.area, other.plan.area)
        step = abs(other.level - self.level)
        covered = smaller > 0 and self.plan.intersection(other.plan).area >= COVER * smaller
        return step if covered and step <= self.surface.thickness / 2 else None
