"""Slabs, walls, plates, roofs and ramps: the prisms their bodies and openings are made of."""

from __future__ import annotations

from typing import Any

import numpy as np

from ....model.entities.log import Skipped
from ....model.geometry.vectors import Array
from ...readers import Progress
from ...source import Prism, SourceModel, SourceSurface
from ..damage import UNREADABLE, first_line, for_each, ident, text
from ..geometry import solids
from ..geometry.bodies import BodyError, representation
from ..geometry.placement import FARTHEST, Placements, Rigid, compose, matrix, rigid
from ..geometry.profiles import Profiles
from ..geometry.sheets import LOOSE, footprint, measure_sheets
from ..materials import Materials
from .elements import SURFACES, skip


def read_surfaces(
    file: Any,
    source: SourceModel,
    placements: Placements,
    profiles: Profiles,
    materials: Materials,
    storeys: dict[int, str],
    bearing: dict[int, bool],
    progress: Progress,
) -> None:
    """Fill `source` with the surfaces of the file: prisms as they are drawn, other bodies measured as
    built."""
    total = sum(len(file.by_type(k)) for k in SURFACES) or 1
    done = 0
    prisms = _Prisms(placements, profiles)
    voids: dict[int, list[Any]] = {}
    wholes: set[int] = set()
    for_each(file, "IfcRelVoidsElement", lambda r: _keep(voids, r), source.log)
    for_each(file, "IfcRelAggregates", lambda r: wholes.add(r.RelatingObject.id()), source.log)
    for kind, cls in SURFACES.items():
        for element in file.by_type(kind):
            source.counts[cls] = source.counts.get(cls, 0) + 1
            done += 1
            if done % 20 == 1:
                progress("Reading surfaces", done / total)
            try:
                placements.sound(element)
                if element.Representation is None and element.id() in wholes:
                    raise BodyError("it is an assembly; its parts are read")
                source.surfaces.append(
                    _surface(element, cls, prisms, voids, materials, storeys, source.skipped)
                )
                source.surfaces[-1].bearing = bearing.get(element.id())
            except UNREADABLE as error:
                source.skipped.append(skip(element, cls, error))


def _surface(
    element: Any,
    cls: str,
    prisms: _Prisms,
    voids: dict[int, list[Any]],
    materials: Materials,
    storeys: dict[int, str],
    skipped: list[Skipped],
) -> SourceSurface:
    made_of = materials.of(element)
    out = SourceSurface(
        ident(element),
        text(element.Name),
        cls,
        element.is_a(),
        storeys.get(element.id(), ""),
        None,
        [],
        made_of.material,
        layers=made_of.thickness,
        kind=getattr(element, "PredefinedType", None) or "",
        tag=text(element.Tag),
    )
    reason: Exception | None = None
    try:
        body, clipped = prisms.of(element)
        if not clipped and len(body) == 1:
            out.body = body[0]
    except BodyError as error:
        reason = error
    if out.body is None:
        _measure(element, out, reason)
        return out
    for opening in voids.get(element.id(), ()):
        try:
            prisms.placements.sound(opening)
            out.openings += prisms.of(opening)[0]
        except UNREADABLE as error:
            why = f"an opening of {out.name or out.id} is missing there: {first_line(error)}"
            skipped.append(Skipped("opening", ident(opening), why, text(opening.Name), opening.is_a()))
    return out


def _measure(element: Any, out: SourceSurface, reason: Exception | None) -> None:
    """From the body as built, openings cut: a flat sheet, else a standing body by its footprint."""
    if not representation(element, "Body"):
        raise reason or BodyError("it has no body")
    vertices, faces = solids.triangles(element)
    if not np.abs(vertices).max() <= FARTHEST:
        raise BodyError("a coordinate of it is not a number or lies beyond any building")
    out.how = "measured"
    try:
        out.sheets = measure_sheets(vertices, faces)
    except solids.SolidError:
        if out.cls != "wall":
            raise
        out.body, misfit = footprint(vertices, faces)
        if abs(misfit) > LOOSE:
            raise


def _keep(voids: dict[int, list[Any]], rel: Any) -> None:
    voids.setdefault(rel.RelatingBuildingElement.id(), []).append(rel.RelatedOpeningElement)


class _Prisms:
    def __init__(self, placements: Placements, profiles: Profiles) -> None:
        self.placements, self.profiles = placements, profiles

    def of(self, element: Any) -> tuple[list[Prism], bool]:
        """Prisms of an element's body in world coordinates, and whether something is cut off them."""
        world = self.placements.rigid_local(element.ObjectPlacement)
        found: list[Prism] = []
        clipped = False
        reason = "it has no body"
        for item in representation(element, "Body"):
            try:
                prism, cut = self._item(item, world, 0)
            except BodyError as error:
                reason = str(error)
                continue
            found.append(prism)
            clipped |= cut
        if not found:
            raise BodyError(reason)
        return found, clipped

    def _item(self, item: Any, world: Rigid, depth: int) -> tuple[Prism, bool]:
        if depth > 12:
            raise BodyError("its body refers back to itself")
        if item.is_a("IfcExtrudedAreaSolid"):
            return self._extrusion(item, world), False
        if item.is_a("IfcMappedItem"):
            source = item.MappingSource
            m = compose(
                compose(world, rigid(self.placements.operator(item.MappingTarget))),
                self.placements.rigid_axis(source.MappingOrigin),
            )
            for inner in source.MappedRepresentation.Items:
                return self._item(inner, m, depth + 1)
            raise BodyError("its mapped body is empty")
        if item.is_a("IfcBooleanResult"):
            return self._item(item.FirstOperand, world, depth + 1)[0], True
        raise BodyError(f"a body of kind {item.is_a()} is not read as a surface")

    def _extrusion(self, item: Any, world: Rigid) -> Prism:
        m = matrix(compose(world, self.placements.rigid_axis(item.Position)))
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
