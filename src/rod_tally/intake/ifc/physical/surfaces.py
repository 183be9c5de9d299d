"""Slabs, walls, plates, roofs and ramps: the prisms their bodies and openings are made of."""

from __future__ import annotations

from typing import Any

import numpy as np

from ....model.entities.log import Skipped
from ....model.geometry.vectors import Array
from ...readers import Progress
from ...source import Prism, SourceModel, SourceSurface
from ..context import Openings
from ..damage import UNREADABLE, first_line, for_each, ident, text
from ..geometry import solids
from ..geometry.items import BodyError, Solid, representation, solids_of
from ..geometry.placement import FARTHEST, Placements, compose, matrix
from ..geometry.prisms import rest_volume
from ..geometry.profiles import Profiles
from ..geometry.sheets import LOOSE, equivalent_plate, footprint, measure_sheets
from ..materials import Materials
from .elements import SURFACES, building_parts, skip


def read_surfaces(
    file: Any,
    source: SourceModel,
    placements: Placements,
    profiles: Profiles,
    materials: Materials,
    storeys: dict[int, str],
    bearing: dict[int, bool],
    openings: Openings,
    progress: Progress,
) -> None:
    """Fill `source` with the surfaces of the file: prisms as they are drawn, other bodies measured as
    built."""
    total = sum(len(file.by_type(k)) for k in SURFACES) or 1
    done = 0
    prisms = _Prisms(placements, profiles)
    wholes: set[int] = set()
    for_each(file, "IfcRelAggregates", lambda r: wholes.add(r.RelatingObject.id()), source.log)
    for kind, cls in SURFACES.items():
        for element in file.by_type(kind):
            source.counts[cls] = source.counts.get(cls, 0) + 1
            done += 1
            if done % 20 == 1:
                progress("Reading surfaces", done / total)
            parts = building_parts(element)
            for one in parts or [element]:
                try:
                    placements.sound(one)
                    if one.Representation is None and one.id() in wholes:
                        raise BodyError("it is an assembly; its parts are read")
                    found = _surface(one, element, cls, prisms, openings, materials, storeys, source.skipped)
                    found.bearing = bearing.get(one.id(), bearing.get(element.id()))
                    source.surfaces.append(found)
                except UNREADABLE as error:
                    source.skipped.append(skip(one, cls, error))


def _surface(
    element: Any,
    whole: Any,
    cls: str,
    prisms: _Prisms,
    openings: Openings,
    materials: Materials,
    storeys: dict[int, str],
    skipped: list[Skipped],
) -> SourceSurface:
    """`element` is the `whole`, or one of its building element parts."""
    made_of = materials.of(element)
    if not made_of.material and element != whole:
        made_of = materials.of(whole)
    out = SourceSurface(
        ident(element),
        text(element.Name),
        cls,
        element.is_a(),
        storeys.get(element.id(), "") or storeys.get(whole.id(), ""),
        None,
        [],
        made_of.material,
        layers=made_of.thickness if element == whole else None,
        kind=getattr(whole, "PredefinedType", None) or "",
        tag=text(element.Tag),
        whole=ident(whole) if element != whole else "",
        type_name=materials.type_name(whole),
        built_up=made_of.layers if element == whole else (),
    )
    reason: Exception | None = None
    voids = openings.of(element.id())
    try:
        body, plain = prisms.of(element)
        if plain and len(body) == 1:
            out.body = body[0]
    except BodyError as error:
        reason = error
    if out.body is None:
        _measure(element, out, reason)
        return out
    whole_openings = True
    for opening in voids:
        try:
            prisms.placements.sound(opening)
            found, plain = prisms.of(opening)
        except BodyError:
            whole_openings = False
            continue
        except UNREADABLE as error:
            why = f"an opening of {out.name or out.id} is missing there: {first_line(error)}"
            skipped.append(Skipped("opening", ident(opening), why, text(opening.Name), opening.is_a()))
            continue
        whole_openings &= plain
        out.openings += found
    try:
        if not whole_openings:  # what is cut out is no prism: the kernel cuts it
            out.body, out.openings = None, []
            _measure(element, out, None)
            return out
        out.volume = rest_volume(out.body, out.openings)
        if out.volume is None:
            out.volume = solids.triangles(element).volume
    except solids.SolidError as error:
        if out.body is None:
            raise
        out.told = f"its volume is not known: {error}"
    return out


def _measure(element: Any, out: SourceSurface, reason: Exception | None) -> None:
    """From the body as built, openings cut: a flat sheet or several; else a standing body by its
    footprint, or a plate of the same weight."""
    if not representation(element, "Body"):
        raise reason or BodyError("it has no body")
    body = solids.triangles(element)
    if not np.abs(body.vertices).max() <= FARTHEST:
        raise BodyError("a coordinate of it is not a number or lies beyond any building")
    out.how, out.volume = "measured", body.volume
    each = body.each()
    if len(each) > 1:
        out.told = f"it is made of {len(each)} solids"
    try:
        out.sheets = measure_sheets(body)
        return
    except solids.SolidError as error:
        no_sheet = error
    try:
        if len(each) > 1:
            out.sheets = [sheet for one in each for sheet in measure_sheets(one)]
            return
    except solids.SolidError:
        pass
    if out.cls == "wall":
        out.body, misfit = footprint(body)
        if abs(misfit) > LOOSE:
            raise no_sheet
    else:
        out.sheets = [equivalent_plate(body)]


class _Prisms:
    def __init__(self, placements: Placements, profiles: Profiles) -> None:
        self.placements, self.profiles = placements, profiles

    def of(self, element: Any) -> tuple[list[Prism], bool]:
        """Prisms of an element's body in world coordinates, and whether they are all of it. Raises
        BodyError for a body without any."""
        found: list[Prism] = []
        plain = True
        reason = "it has no body"
        for solid in solids_of(
            element, self.placements.rigid_local(element.ObjectPlacement), self.placements
        ):
            if not solid.item.is_a("IfcExtrudedAreaSolid"):
                reason = f"a body of kind {solid.item.is_a()} is not read as a surface"
                plain = False
                continue
            try:
                found.append(self._extrusion(solid))
            except BodyError as error:
                reason, plain = str(error), False
            plain &= not solid.cut and solid.item.is_a() == "IfcExtrudedAreaSolid"
        if not found:
            raise BodyError(reason)
        return found, plain

    def _extrusion(self, solid: Solid) -> Prism:
        item = solid.item
        m = matrix(compose(solid.world, self.placements.rigid_axis(item.Position)))
        outer, voids = self._rings(self.profiles.key(item.SweptArea))
        along = self.placements.direction(item.ExtrudedDirection)
        if along is None or not np.linalg.norm(along) > 0:
            raise BodyError("its extrusion has no direction")
        vector = m[:3, :3] @ (along / np.linalg.norm(along)) * item.Depth * self.placements.scale
        if not np.isfinite(vector).all() or not 1e-6 < np.linalg.norm(vector) < 1e5:
            raise BodyError(f"its depth of {np.linalg.norm(vector):g} m is none")
        prism = Prism(_lifted(outer, m), [_lifted(v, m) for v in voids], vector)
        if not all(np.abs(r).max(initial=0.0) <= FARTHEST for r in (prism.outer, *prism.voids)):
            raise BodyError("a coordinate of it is not a number or lies beyond any building")
        return prism

    def _rings(self, key: str) -> tuple[Array, list[Array]]:
        """Outline and voids of a profile (n, 2), placed."""
        p = self.profiles.found[key]
        if p.shape == "rectangle":
            y, z = p.dims["width"] / 2, p.dims["depth"] / 2
            rings = [np.array([(-y, -z), (y, -z), (y, z), (-y, z)])]
        elif p.outer:
            rings = [np.array(r) for r in (p.outer, *p.voids)]
        else:
            raise BodyError(p.reason or f"profile {p.name} is not read as a surface")
        c, s = np.cos(p.turn), np.sin(p.turn)
        rings = [r @ np.array([[c, s], [-s, c]]) + np.array(p.shift) for r in rings]
        return rings[0], rings[1:]


def _lifted(flat: Array, m: Array) -> Array:
    return np.column_stack([flat, np.zeros(len(flat))]) @ m[:3, :3].T + m[:3, 3]
