"""Surroundings of the elements: grids, true north, groups, load-bearing flags, which member stands for which
element."""

from __future__ import annotations

import math
from typing import Any

from ...model.entities.grid import GridLine
from ...model.entities.log import LogEntry
from ..source import SourceModel
from .damage import UNREADABLE, for_each
from .geometry.curves import points_of
from .geometry.placement import Placements

STRUCTURAL_GROUPS = ("IfcStructuralLoadGroup", "IfcStructuralResultGroup", "IfcStructuralAnalysisModel")


def read_grids(file: Any, source: SourceModel, placements: Placements) -> None:
    """Grid axes in plan, m; a damaged axis costs itself."""

    def keep(grid: Any) -> None:
        m = placements.local(grid.ObjectPlacement)
        for family, axes in (("u", grid.UAxes), ("v", grid.VAxes), ("w", grid.WAxes)):
            for axis in axes or ():
                try:
                    points = points_of(axis.AxisCurve, placements)
                except UNREADABLE:
                    continue
                if axis.SameSense is False:
                    points = points[::-1]
                flat = (points @ m[:3, :3].T + m[:3, 3])[:, :2]
                source.grids.append(GridLine(axis.AxisTag or "", flat, family, grid.Name or ""))

    for_each(file, "IfcGrid", keep, source.log)


def true_north(file: Any) -> float:
    """Angle (rad) from the y axis to true north, against the clock; 0 where the file does not say."""
    for context in file.by_type("IfcGeometricRepresentationContext"):
        north = getattr(context, "TrueNorth", None)
        if north is not None and context.is_a() == "IfcGeometricRepresentationContext":
            x, y = (*north.DirectionRatios, 0.0)[:2]
            if math.isfinite(x) and math.isfinite(y) and (x or y):
                return math.atan2(-x, y)
    return 0.0


def read_groups(file: Any, source: SourceModel) -> None:
    """Element and system groups by name (not those of the structural domain, which are cases and models)."""

    def keep(rel: Any) -> None:
        group = rel.RelatingGroup
        if group is None or any(group.is_a(k) for k in STRUCTURAL_GROUPS):
            return
        name = (group.Name or "").strip() or f"group #{group.id()}"
        ids = source.groups.setdefault(name, [])
        ids.extend(o.GlobalId for o in rel.RelatedObjects or () if o.is_a("IfcProduct"))

    for_each(file, "IfcRelAssignsToGroup", keep, source.log)
    source.groups = {k: sorted(set(v)) for k, v in source.groups.items() if v}


def bearing_flags(file: Any, source: SourceModel) -> dict[int, bool]:
    """Entity id to its load-bearing flag, for elements whose property sets have one (their own before their
    type's)."""
    flag: dict[int, bool] = {}
    for prop in file.by_type("IfcPropertySingleValue"):
        # by index, Name and NominalValue: there are very many properties in a file
        if prop.get_argument(0) == "LoadBearing":
            value = prop.get_argument(2)
            if value is not None and isinstance(value.wrappedValue, bool):
                flag[prop.id()] = value.wrappedValue
    if not flag:
        return {}
    of_set: dict[int, bool] = {}

    def look(pset: Any) -> None:
        for prop in pset.HasProperties or ():
            if prop.id() in flag:
                of_set[pset.id()] = flag[prop.id()]

    for_each(file, "IfcPropertySet", look, source.log)
    own: dict[int, bool] = {}
    by_type: dict[int, bool] = {}

    def define(rel: Any) -> None:
        definition = rel.RelatingPropertyDefinition
        if definition is not None and definition.id() in of_set:
            for item in rel.RelatedObjects or ():
                own[item.id()] = of_set[definition.id()]

    def typed(rel: Any) -> None:
        for pset in rel.RelatingType.HasPropertySets or ():
            if pset.id() in of_set:
                for item in rel.RelatedObjects or ():
                    by_type[item.id()] = of_set[pset.id()]

    for_each(file, "IfcRelDefinesByProperties", define, source.log)
    for_each(file, "IfcRelDefinesByType", typed, source.log)
    return by_type | own


class Openings:
    """The openings of every element, with those of the whole that it is a part of."""

    def __init__(self, file: Any, log: list[LogEntry]) -> None:
        self._own: dict[int, list[Any]] = {}
        self._whole: dict[int, int] = {}
        for_each(file, "IfcRelVoidsElement", self._void, log)
        for_each(file, "IfcRelAggregates", self._gather, log)

    def _void(self, rel: Any) -> None:
        self._own.setdefault(rel.RelatingBuildingElement.id(), []).append(rel.RelatedOpeningElement)

    def _gather(self, rel: Any) -> None:
        for part in rel.RelatedObjects or ():
            self._whole[part.id()] = rel.RelatingObject.id()

    def of(self, element: int) -> list[Any]:
        """Opening entities of an element, by its entity id."""
        out: list[Any] = []
        seen: set[int] = set()
        at: int | None = element
        while at is not None and at not in seen:
            seen.add(at)
            out += self._own.get(at, ())
            at = self._whole.get(at)
        return out


def read_links(file: Any, source: SourceModel) -> None:
    """Which analytical member stands for which physical element, as far as the file says."""

    def product(rel: Any) -> None:
        whole = rel.RelatingProduct
        for item in rel.RelatedObjects or ():
            if item.is_a("IfcStructuralMember") and whole is not None and whole.is_a("IfcElement"):
                source.links[item.GlobalId] = whole.GlobalId
            elif item.is_a("IfcElement") and whole is not None and whole.is_a("IfcStructuralMember"):
                source.links[whole.GlobalId] = item.GlobalId

    def element(rel: Any) -> None:
        source.links[rel.RelatedStructuralMember.GlobalId] = rel.RelatingElement.GlobalId

    for_each(file, "IfcRelAssignsToProduct", product, source.log)
    if file.schema == "IFC2X3":
        for_each(file, "IfcRelConnectsStructuralElement", element, source.log)
