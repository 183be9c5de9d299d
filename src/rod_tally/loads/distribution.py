"""Distribution of every load of a case: slabs to beams, walls and columns, cladding to bars, loads in space
to what lies there."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from ..model import AreaLoad, LoadCase, Model, Surface
from ..model.changes import changed
from ..model.entities.surface import across, normal_of, sound
from ..model.geometry.vectors import Array
from ..progress import Progress, silent
from .arrival import Arrival, Collector, HeldLoad, Share
from .fields import cut_back, drawn_polygon, field_force, polygons_of, pressure_field
from .floors.floor import REACH, Carrier, Floor, Known, columns_below, cut, floor_of
from .floors.panel import second_moments
from .floors.rows import Whole, put_rows
from .floors.spread import spread_part
from .placed import put_in_space

NOTHING_CARRIES = "no beam, wall or column carries this part of the slab"
OUTSIDE = "it lies past the slab's edge or above an opening"
PARALLEL = 0.98  # cosine; a free load and a surface are in one plane when their normals agree this well


class Distribution:
    """The loads of a model's cases handed on. Panels are cut when first asked for, and each case once."""

    def __init__(self, model: Model) -> None:
        self.model = model
        self._floors: dict[str, Floor] = {}
        self._wholes: dict[str, Whole] = {}
        self._firsts: dict[Floor, Whole] = {}
        self._known: Known = {}
        self._cases: dict[str, Arrival] = {}
        self._columns: set[str] | None = None
        self._lines: dict[str, Array] | None = None

    def beside(self, model: Model) -> Distribution:
        """The same for a model that differs in cases only; what is worked out already is shared."""
        other = Distribution(model)
        other._floors, other._wholes, other._columns = self._floors, self._wholes, self._columns
        other._known, other._firsts = self._known, self._firsts
        other._cases = {n: a for n, a in self._cases.items() if model.cases.get(n) is self.model.cases.get(n)}
        return other

    def after(self, was: Model, model: Model) -> Distribution:
        """The same for a later state of the model; `was` is the state it was in here. Slabs whose beams,
        walls and columns are the same keep their panels, and cases whose loads and surroundings are the same
        what arrived where."""
        other, differs = Distribution(model), changed(was, model)
        members = differs.members | {
            m.id for m in model.members.values() if m.start in differs.nodes or m.end in differs.nodes
        }
        if self._columns is not None and not members:
            other._columns = self._columns
        held = columns_below(model) if other._columns is None else other._columns
        other._columns = held
        again = held ^ (columns_below(was) if self._columns is None else self._columns)
        again |= differs.nodes | members | differs.surfaces
        same = {
            i
            for i in self._floors
            if i in model.surfaces
            and i not in differs.surfaces
            and not any(j.other in again or j.node in again for j in model.surfaces[i].joints)
        }
        other._floors = {i: f for i, f in self._floors.items() if i in same}
        other._wholes = {i: w for i, w in self._wholes.items() if i in same}
        other._known, other._firsts = self._known, self._firsts
        if not differs.aspects & {"geometry", "materials"}:
            other._cases = {n: a for n, a in self._cases.items() if model.cases.get(n) is was.cases.get(n)}
        return other

    def floor(self, ident: str) -> Floor:
        """The panels of a slab."""
        if ident not in self._floors:
            if self._columns is None:
                self._columns = columns_below(self.model)
            if self._lines is None:
                self._lines = dict(zip(self.model.members, self.model.lines()))
            self._floors[ident] = floor_of(
                self.model, self.model.surfaces[ident], self._columns, self._known, self._lines
            )
        return self._floors[ident]

    def whole(self, ident: str) -> Whole:
        """Return what pressures over all of a slab put on what carries it, worked out once."""
        if ident not in self._wholes:
            floor = self.floor(ident)
            like = None if floor.like is None else self._first(floor.like)
            self._wholes[ident] = self._first(floor) if like is None or like.held else Whole.like(like, floor)
        return self._wholes[ident]

    def _first(self, floor: Floor) -> Whole:
        """That of a floor which others may be like; its slab may be another by now."""
        if floor not in self._firsts:
            self._firsts[floor] = Whole(floor)
        return self._firsts[floor]

    def floors(self, progress: Progress = silent) -> list[Floor]:
        """Panels of all slabs."""
        slabs = [s for s in self.model.surfaces.values() if not s.keeps_loads]
        out = []
        for k, s in enumerate(slabs):
            progress(f"Panels of {s.name or s.id}", k / len(slabs))
            out.append(self.floor(s.id))
        return out

    def case(self, name: str) -> Arrival:
        """Return what of a case arrived where; loads that stand on nodes and members already are counted as
        arrived."""
        if name not in self._cases:
            self._cases[name] = self.of(self.model.cases[name])
        return self._cases[name]

    def of(self, case: LoadCase) -> Arrival:
        """The same for a case that is not in the model."""
        return _arrive(self, case)


def _arrive(d: Distribution, case: LoadCase) -> Arrival:
    into = Collector(case.name)
    if any(case.self_weight):
        _own_weight(d, case, into)
    for area in case.area_loads:
        _area(d, area, into)
    for placed in case.space_loads:
        put_in_space(d.model, d.floor, placed, into)
    return into.done()


def _own_weight(d: Distribution, case: LoadCase, into: Collector) -> None:
    """Weight of slabs and walls; that of members is put on them by the analysis."""
    model, direction = d.model, np.array(case.self_weight)
    for s in model.surfaces.values():
        weight = model.surface_weight(s) * direction
        if not weight.any():
            continue
        k = into.share(Share("self-weight", s.id, "", "self-weight", s.name, weight))
        pressure = np.zeros((3, 3))
        pressure[0] = weight / s.area
        if s.keeps_loads:
            into.on_surface(HeldLoad(s.id, s.centroid[None], weight, np.zeros(3), k, pressure))
            continue
        _whole(d, s.id, pressure, into, k)
        _settle(into, k)


def _whole(d: Distribution, ident: str, pressure: Array, into: Collector, share: int) -> None:
    """A pressure (3 basis, 3 components) over all panels of a slab."""
    floor, whole = d.floor(ident), d.whole(ident)
    for panel in whole.idle:
        force = second_moments(panel.polygon)[0] @ pressure
        into.lose(share, force, floor.lifted(np.array(panel.polygon.exterior.coords)), NOTHING_CARRIES)
    whole.put(pressure, into, share)


def _part(floor: Floor, area: BaseGeometry, pressure: Array, into: Collector, share: int) -> None:
    """A pressure over an area of a floor's plane that lies within the floor's outline."""
    for k in floor.tree.query(area, predicate="intersects").tolist():
        panel = floor.panels[k]
        for piece in polygons_of(panel.polygon.intersection(area)):
            if piece.area < 1e-9:
                continue
            if panel.empty:
                force = second_moments(piece)[0] @ pressure
                into.lose(share, force, floor.lifted(np.array(piece.exterior.coords)), NOTHING_CARRIES)
                continue
            if piece.area > panel.polygon.area * (1 - 1e-9):
                rows = floor.unit(k)
            else:
                span = floor.span_of(panel) if floor.way == "one-way" else None
                rows = spread_part(panel, piece, floor.way, span)
            put_rows(floor, panel, rows, rows.qa @ pressure, rows.qb @ pressure, into, share)


def _settle(into: Collector, share: int) -> None:
    """Give rounding, and one-way strips between two free edges, their place: what is neither arrived nor lost
    yet is lost when it is more than rounding."""
    s = into.arrival.shares[share]
    rest = s.applied - s.on_members - s.on_surfaces - s.lost
    if np.abs(rest).max() > 1e-6 * max(float(np.abs(s.applied).max()), 1e-9):
        into.lose(share, rest, None, "it lies on a strip that nothing carries")


def _area(d: Distribution, load: AreaLoad, into: Collector) -> None:
    model = d.model
    share = into.share(Share("area", load.surface, load.source, load.by, load.name))
    if load.surface:
        surface = model.surfaces.get(load.surface)
        if surface is None:
            into.arrival.shares[share].reason = "the surface it acts on is not in the model"
            return
        _on_surface(d, surface, load, into, share)
        _settle(into, share)
        return
    assert load.outline is not None
    normal = normal_of(load.outline)
    x, y = across(normal)
    axes = np.array([x, y, normal])
    origin = load.outline[0]
    flat = (load.outline - origin) @ axes[:2].T
    whole = sound(Polygon(flat))
    pressure = pressure_field(load, axes, origin, axes)
    into.arrival.shares[share].applied = field_force(whole, pressure)
    rest: BaseGeometry = whole
    if load.onto == "members":
        floor = _cladding(model, load, origin, axes, whole)
        _part(floor, whole, pressure, into, share)
    else:
        for surface in model.surfaces.values():
            if rest.is_empty:
                break
            if abs(float(surface.plain_axes[2] @ normal)) < PARALLEL:
                continue
            middle = np.array([[*rest.centroid.coords[0]]]) @ axes[:2] + origin
            if abs(float(surface.height(middle)[0])) > REACH + surface.thickness / 2:
                continue
            own = Polygon(
                (surface.outer - origin) @ axes[:2].T, [(r - origin) @ axes[:2].T for r in surface.openings]
            )
            own = sound(own)
            here = own.intersection(rest)
            if here.area < 1e-9:
                continue
            # the strips that transfer took off the slab's edges, such as those over walls, belong to it
            drawn = (
                drawn_polygon(surface, lambda ring: (ring - origin) @ axes[:2].T)
                if cut_back(surface)
                else own
            )
            more = drawn.intersection(rest).area / here.area
            for piece in polygons_of(here):
                corners = np.array(piece.exterior.coords)[:-1] @ axes[:2] + origin
                holes = [np.array(r.coords)[:-1] @ axes[:2] + origin for r in piece.interiors]
                _piece_on(d, surface, corners, holes, pressure * more, axes, origin, into, share)
            rest = rest.difference(drawn)
        for piece in polygons_of(rest):
            if piece.area > 1e-6:
                place = np.array(piece.exterior.coords) @ axes[:2] + origin
                into.lose(share, field_force(piece, pressure), place, OUTSIDE)
    _settle(into, share)


def _piece_on(
    d: Distribution,
    surface: Surface,
    corners: Array,
    holes: list[Array],
    pressure: Array,
    axes: Array,
    origin: Array,
    into: Collector,
    share: int,
) -> None:
    """A free load's part on one surface: in the surface's own plane coordinates."""
    at, own = surface.outer[0], surface.plain_axes
    floor = None if surface.keeps_loads else d.floor(surface.id)
    if floor is not None:
        at, own = floor.origin, floor.axes
    # the field over the load's plane as one over the surface's:
    # x = base[1,0] + base[1,1] u + base[1,2] v in the load's plane for (u, v) in the surface's
    base = np.eye(3)
    base[1:, 0] = (at - origin) @ axes[:2].T
    base[1:, 1:] = axes[:2] @ own[:2].T
    field = np.asarray(base.T @ pressure)
    if floor is None:
        piece = Polygon((corners - origin) @ axes[:2].T, [(h - origin) @ axes[:2].T for h in holes])
        flat = sound(Polygon(surface.flat(corners), [surface.flat(h) for h in holes]))
        place = corners.mean(axis=0)[None]
        into.on_surface(
            HeldLoad(surface.id, place, field_force(piece, pressure), np.zeros(3), share, field, flat)
        )
        return
    flat = sound(Polygon(floor.flat(corners), [floor.flat(h) for h in holes]))
    _part(floor, flat, field, into, share)


def _on_surface(d: Distribution, surface: Surface, load: AreaLoad, into: Collector, share: int) -> None:
    if not surface.keeps_loads:
        _on_floor(d, surface, load, into, share)
        return
    pressure = pressure_field(load, surface.plain_axes, surface.outer[0], surface.axes)
    pressure = _of_body(surface, load, pressure)
    entry = into.arrival.shares[share]
    outline = None if load.outline is None else sound(Polygon(surface.flat(load.outline)))
    net = surface.polygon if outline is None else surface.polygon.intersection(outline)
    force = field_force(net, pressure)
    plain = pressure_field(load, surface.plain_axes, surface.outer[0], surface.axes)
    entry.applied = force if outline is None else field_force(outline, plain)
    if np.abs(force).max() > 0:
        place = surface.lifted(np.array(net.centroid.coords))
        part = None if outline is None else net
        into.on_surface(HeldLoad(surface.id, place, force, np.zeros(3), share, pressure, part))
    if outline is not None:
        _lose_outside(
            surface.lifted, outline.difference(drawn_polygon(surface, surface.flat)), plain, into, share
        )


def _of_body(surface: Surface, load: AreaLoad, pressure: Array) -> Array:
    """The pressure as it acts on the model's plane: one over all of a body, or over the strips that
    transfer took off its edges (such as those over walls), acts on what is left of it."""
    if load.outline is None:
        return pressure * surface.area_share
    if not cut_back(surface):
        return pressure
    outline = sound(Polygon(surface.flat(load.outline)))
    drawn = drawn_polygon(surface, surface.flat)
    left = outline.intersection(surface.polygon).area
    if left <= 0:
        return pressure
    return pressure * (outline.intersection(drawn).area / left)


def _on_floor(d: Distribution, surface: Surface, load: AreaLoad, into: Collector, share: int) -> None:
    """A pressure on a slab that hands its load on, in the axes of its panels."""
    floor = d.floor(surface.id)
    pressure = _of_body(surface, load, pressure_field(load, floor.axes, floor.origin, surface.axes))
    entry = into.arrival.shares[share]
    if load.outline is None:
        entry.applied = field_force(floor.outline, pressure)
        _whole(d, surface.id, pressure, into, share)
        return
    outline = sound(Polygon(floor.flat(load.outline)))
    plain = pressure_field(load, floor.axes, floor.origin, surface.axes)
    entry.applied = field_force(outline, plain)
    _part(floor, outline, pressure, into, share)
    _lose_outside(floor.lifted, outline.difference(drawn_polygon(surface, floor.flat)), plain, into, share)


def _lose_outside(
    lifted: Callable[[Array], Array], rest: BaseGeometry, pressure: Array, into: Collector, share: int
) -> None:
    for piece in polygons_of(rest):
        if piece.area > 1e-6:
            into.lose(share, field_force(piece, pressure), lifted(np.array(piece.exterior.coords)), OUTSIDE)


def _cladding(model: Model, load: AreaLoad, origin: Array, axes: Array, whole: Polygon) -> Floor:
    """The members in a free load's plane as carriers of it."""
    members = list(model.members.values())
    lines = model.lines_of(members)
    height = np.abs((lines - origin) @ axes[2])
    flat = (lines - origin) @ axes[:2].T
    grown = whole.buffer(REACH)
    carriers = []
    for k in np.flatnonzero((height <= REACH).all(axis=1)).tolist():
        if LineString(flat[k]).intersects(grown):
            carriers.append(
                Carrier("member", members[k].id, flat[k], float(np.linalg.norm(lines[k, 1] - lines[k, 0])))
            )
    span = None
    if load.span is not None:
        v = np.array(load.span) @ axes[:2].T
        span = v / np.linalg.norm(v) if np.linalg.norm(v) > 1e-9 else None
    return cut(
        load.name or "cladding",
        origin,
        axes,
        whole,
        carriers,
        "one-way" if span is not None else "two-way",
        span,
    )
