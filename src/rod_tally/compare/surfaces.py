"""Surfaces of a revision held against those of its baseline, by the rules for members as far as they have a
meaning.

A wall is the same one while its centroid lies, in plan, within the footprint of the original and their
heights overlap; a slab while its level lies within the original's thickness and half of the smaller of the
two lies over the other."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely import union_all
from shapely.affinity import translate
from shapely.geometry import LineString, Point, Polygon
from shapely.geometry.base import BaseGeometry

from ..model import Model, Surface
from ..model.entities.surface import sound
from ..model.geometry.proximity import near_boxes
from ..model.geometry.vectors import Array
from .align import SAME, Transform
from .changes import APART, Change, drawn_outline, material_change, mixed_kinds, numbers
from .members import MemberMatch
from .pieces import further_surfaces

COVER = 0.5  # of the smaller slab
EXACT = 1e-6  # m; outlines whose corners differ by less are one
FOOT = 1e-3  # m; corners of a wall this near to its lowest point are its foot
NEAR = 1.0  # m; surfaces farther apart than this are not looked at as one


def match_surfaces(base: Model, revised: Model, transform: Transform | None) -> list[MemberMatch]:
    """Every surface of either side once."""
    mixed = mixed_kinds(base, revised)
    old = {s.id: _Placed(s, drawn_outline(s, mixed) + base.origin) for s in base.surfaces.values()}
    new = {}
    for s in revised.surfaces.values():
        outer = drawn_outline(s, mixed) + revised.origin
        new[s.id] = _Placed(s, transform.undo(outer) if transform is not None else outer)
    pairs = []
    olds, news = list(old.values()), list(new.values())
    boxes = [(np.array([p.low for p in side]), np.array([p.high for p in side])) for side in (olds, news)]
    for i, j in zip(*(k.tolist() for k in near_boxes(boxes[0], boxes[1], NEAR))):
        a, b = olds[i], news[j]
        if a.surface.cls == b.surface.cls:
            if a.same_place(b):
                pairs.append((a.surface.id != b.surface.id, 0.0, 0.0, a.surface.id, b.surface.id, 0.0))
                continue
            shift = a.shift(b, APART if mixed else 0.0)
            if shift is not None:
                # of several that lie over each other, the one that covers it best
                left = round(a.uncovered(b), 3)
                other = a.surface.id != b.surface.id
                pairs.append((other, round(shift, 4), left, a.surface.id, b.surface.id, shift))
    partner: dict[str, tuple[str, float]] = {}
    taken: set[str] = set()
    said = {r: b for r, b in revised.pairing.items() if r in new and (b == "" or b in old)}
    for b_id, a_id in said.items():  # by hand first, wherever it lies
        if a_id:
            step = old[a_id].centre - new[b_id].centre
            up = 0.0 if old[a_id].upright else old[a_id].level - new[b_id].level
            partner[b_id] = (a_id, abs(up) if not old[a_id].upright else float(np.linalg.norm(step)))
            taken.add(a_id)
    pairs = [p for p in pairs if p[4] not in said]
    for *_, a_id, b_id, shift in sorted(pairs):
        if a_id not in taken and b_id not in partner:
            partner[b_id] = (a_id, shift)
            taken.add(a_id)
    # what was paired by hand stays as it was said, and has no further pieces
    by_place = {b: a for b, (a, _) in partner.items() if b not in said}
    near = list(zip(*(k.tolist() for k in near_boxes(boxes[0], boxes[1], NEAR))))
    close = [(olds[i].surface.id, news[j].surface.id) for i, j in near]
    close = [(a, b) for a, b in close if b not in said and old[a].surface.cls == new[b].surface.cls]
    pieces = further_surfaces(
        {a: p.outer for a, p in old.items()},
        {b: p.outer for b, p in new.items()},
        {a: p.surface for a, p in old.items()},
        close,
        by_place,
        APART if mixed else SAME,
    )
    several = {a for a, _ in pieces} | {b for _, b in pieces}
    rows = [(a, b, shift, False) for b, (a, shift) in partner.items()] + [
        (a, b, 0.0, True) for a, b in pieces
    ]
    out = []
    for a_id, b_id, shift, piece in rows:
        was, now = base.surfaces[a_id], revised.surfaces[b_id]
        part = a_id in several or b_id in several
        if part:
            shift = _off(was, old[a_id].outer, new[b_id].outer)
        pair = _Pair(was, now, old[a_id].outer, new[b_id].outer, part)
        found = _changes(base, revised, pair, transform, APART if mixed else SAME)
        shift = shift if shift >= SAME else 0.0
        resized = any(c.what == "thickness" for c in found)
        status = "resized" if resized else "moved" if shift else "changed" if found else "same"
        row = MemberMatch(
            status, now.cls, a_id, b_id, shift, described(was), described(now), found, piece=piece
        )
        out.append(row)
    known_b = {b for _, b, *_ in rows}
    known_a = {a for a, *_ in rows}
    for ident, placed in new.items():
        if ident not in known_b:
            out.append(
                MemberMatch("added", placed.surface.cls, None, ident, 0.0, None, described(placed.surface))
            )
    for ident, placed in old.items():
        if ident not in known_a:
            out.append(
                MemberMatch("removed", placed.surface.cls, ident, None, 0.0, described(placed.surface), None)
            )
    return out


@dataclass(slots=True)
class _Pair:
    """A matched pair; outlines (n, 3) in the baseline's coordinates; `part`: one is a piece of the other."""

    was: Surface
    now: Surface
    old: Array
    new: Array
    part: bool


def _off(was: Surface, old: Array, new: Array) -> float:
    """How far an outline lies off the plane of another, m."""
    return float(np.abs((new - old[0]) @ was.plain_axes[2]).max())


def _changes(base: Model, revised: Model, p: _Pair, transform: Transform | None, near: float) -> list[Change]:
    """Outline, openings, thickness, material and place of a matched pair, one within `near` (m) of each
    other."""
    out: list[Change] = []
    if not _same_lines(p, base, revised, transform):
        out += _moved_or_cut(p, base, revised, transform, near)
    if abs(p.was.thickness - p.now.thickness) > 1e-4:
        out.append(Change("thickness", float(p.was.thickness), float(p.now.thickness)))
    change = material_change(base, p.was.material, revised, p.now.material)
    if change is not None:
        out.append(change)
    for what, of in (("foot", "standing"), ("sides", "leaning")):
        feet = [x.id in getattr(m, of) for m, x in ((base, p.was), (revised, p.now))]
        if feet[0] != feet[1]:
            out.append(
                Change(
                    what,
                    *(("only stands" if what == "foot" else "only press") if f else "joined" for f in feet),
                )
            )
    return out


def _same_lines(p: _Pair, base: Model, revised: Model, transform: Transform | None) -> bool:
    """Return whether outline and openings are the same, corner by corner."""
    pairs = [(p.old, p.new)]
    if len(p.was.openings) != len(p.now.openings):
        return False
    for a, b in zip(p.was.openings, p.now.openings):
        brought = b + revised.origin
        pairs.append((a + base.origin, transform.undo(brought) if transform is not None else brought))
    return all(a.shape == b.shape and np.abs(a - b).max() < EXACT for a, b in pairs)


def _moved_or_cut(
    p: _Pair, base: Model, revised: Model, transform: Transform | None, near: float
) -> list[Change]:
    """Outline, openings and place."""
    out: list[Change] = []
    was, now, old, new = p.was, p.now, p.old, p.new
    flat_old, flat_new = _in_plane(was, old), _in_plane(was, new)
    off = _off(was, old, new)
    doors_old, doors_new = (_doors(was, flat) for flat in (flat_old, flat_new))
    whole_old, whole_new = sound(flat_old.union(doors_old)), sound(flat_new.union(doors_new))
    step = whole_new.centroid.distance(whole_old.centroid)
    limit = near * max(whole_old.length, whole_new.length)
    alike = whole_old.symmetric_difference(_moved(whole_new, whole_old)).area <= limit
    if off > near or (alike and step > near):
        out.append(Change("place", numbers(old.mean(axis=0)), numbers(new.mean(axis=0))))
    if not alike:
        out.append(Change("outline", numbers(old), numbers(new)))
    holes_old = _openings(was, [r + base.origin for r in was.openings]).union(doors_old)
    turned = [r + revised.origin for r in now.openings]
    holes_new = _openings(
        was, [transform.undo(r) for r in turned] if transform is not None else turned
    ).union(doors_new)
    if p.part:  # what lies in the other pieces is their row's
        both = whole_old.intersection(whole_new)
        holes_old, holes_new = holes_old.intersection(both), holes_new.intersection(both)
    # openings of a slab that was moved as a whole went with it
    compared = translate(holes_new, *_step(whole_new, whole_old)) if alike and near == SAME else holes_new
    if holes_old.symmetric_difference(compared).area > SAME * max(holes_old.length + holes_new.length, 1e-6):
        out.append(
            Change("openings", [_box(h) for h in _parts(holes_old)], [_box(h) for h in _parts(holes_new)])
        )
    return out


def _doors(s: Surface, flat: Polygon) -> BaseGeometry:
    """Notches in the foot of a wall, which doors are: what a straight line along its foot would close.
    Nothing for a slab."""
    if not s.upright:
        return Polygon()
    up = s.plain_axes[:2, 2]
    points = np.array(flat.exterior.coords)[:-1]
    height = points @ up
    foot = points[height <= height.min() + FOOT]
    side = np.array([-up[1], up[0]])
    along = foot @ side
    strip = [foot[along.argmin()], foot[along.argmax()]]
    top = float(height.max() - height.min()) * up
    below = sound(Polygon([strip[0], strip[1], strip[1] + top, strip[0] + top]))
    found = below.difference(flat)
    # a gable's or a sloping top's own edge is no door: those stand on the foot
    line = LineString(strip)
    return union_all([p for p in _parts(found) if p.area > SAME and p.distance(line) < SAME])


def _in_plane(s: Surface, outer: Array) -> Polygon:
    """An outline in the plane's own axes, absolute."""
    return sound(Polygon(outer @ s.plain_axes[:2].T))


def _step(flat: Polygon, onto: Polygon) -> tuple[float, float]:
    a, b = flat.centroid, onto.centroid
    return b.x - a.x, b.y - a.y


def _moved(flat: Polygon, onto: Polygon) -> Polygon:
    return translate(flat, *_step(flat, onto))


def _openings(s: Surface, rings: list[Array]) -> BaseGeometry:
    return union_all([sound(Polygon(r @ s.plain_axes[:2].T)) for r in rings]) if rings else Polygon()


def _parts(shape: BaseGeometry) -> list[BaseGeometry]:
    return [] if shape.is_empty else list(getattr(shape, "geoms", [shape]))


def _box(shape: BaseGeometry) -> list[float]:
    """Centre and size of an opening in the plane's own axes, m."""
    x0, y0, x1, y1 = shape.bounds
    return [round(v, 6) for v in ((x0 + x1) / 2, (y0 + y1) / 2, x1 - x0, y1 - y0)]


def described(s: Surface) -> str:
    """Thickness and area, which stand for a surface's section."""
    return f"{s.thickness * 1000:.0f} mm, {s.source_area:.2f} m2"


class _Placed:
    """A surface in the baseline's coordinates, as the comparison asks of it."""

    def __init__(self, surface: Surface, outer: Array) -> None:
        self.surface, self.outer = surface, outer
        self.low, self.high = outer.min(axis=0), outer.max(axis=0)
        self.upright = abs(surface.axes[2, 2]) < 0.5
        self.ends = outer[np.lexsort((outer[:, 1], outer[:, 0]))][[0, -1], :2]
        self.centre = self.ends.mean(axis=0) if self.upright else outer[:, :2].mean(axis=0)
        self.level = float(outer[:, 2].mean())

    @cached_property
    def plan(self) -> BaseGeometry:
        """Return what it covers in plan."""
        if self.upright:
            return LineString(self.ends).buffer(self.surface.thickness / 2, cap_style="flat")
        return Polygon(self.outer[:, :2]).buffer(0)

    def same_place(self, other: _Placed) -> bool:
        """Return whether both outlines are the same, corner by corner: most are, and much the quicker to
        see."""
        return self.outer.shape == other.outer.shape and bool(np.abs(self.outer - other.outer).max() < EXACT)

    def uncovered(self, other: _Placed) -> float:
        """Share of the area of both in plan that only one of them covers."""
        both = self.plan.area + other.plan.area
        return 1 - 2 * float(self.plan.intersection(other.plan).area) / both if both else 1.0

    def shift(self, other: _Placed, apart: float) -> float | None:
        """How far the other one has moved from this, m; None when it is another surface. `apart` (m) is
        added to its thickness on either side."""
        if self.upright != other.upright:
            return None
        if self.upright:
            overlap = min(self.high[2], other.high[2]) - max(self.low[2], other.low[2])
            inside = self.plan.buffer(apart + 1e-6).contains(Point(other.centre))
            return float(np.linalg.norm(other.centre - self.centre)) if overlap > 0 and inside else None
        step = abs(other.level - self.level)
        if step > self.surface.thickness / 2 + apart:
            return None
        common = np.minimum(self.high, other.high) - np.maximum(self.low, other.low)
        if common[:2].min() <= 0:
            return None
        smaller = min(self.plan.area, other.plan.area)
        if common[0] * common[1] < COVER * smaller:
            return None
        covered = smaller > 0 and self.plan.intersection(other.plan).area >= COVER * smaller
        return step if covered else None
