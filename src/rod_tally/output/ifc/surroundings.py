"""Surroundings of the parts in the exported file: grid lines, groups, true north."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ...model.entities.grid import GridLine
from .writer import IfcModelWriter


def true_north(w: IfcModelWriter) -> Any:
    """The direction of true north in plan; None where it is y."""
    angle = w.model.north
    return w.f.create_entity("IfcDirection", [-math.sin(angle), math.cos(angle)]) if angle else None


def write_grids(w: IfcModelWriter, building: Any) -> None:
    """An IfcGrid for each grid of the model, in the building."""
    by_grid: dict[str, list[GridLine]] = {}
    for line in w.model.grids:
        by_grid.setdefault(line.grid, []).append(line)
    written = [entity for name, lines in by_grid.items() if (entity := _grid(w, name, lines)) is not None]
    if written:
        w.root(
            "IfcRelContainedInSpatialStructure",
            "grids",
            None,
            RelatedElements=written,
            RelatingStructure=building,
        )


def _grid(w: IfcModelWriter, name: str, lines: list[GridLine]) -> Any:
    """One grid; None for a single line, which the schema does not allow."""
    families: dict[str, list[Any]] = {"u": [], "v": [], "w": []}
    for line in lines:
        flat = [
            w.f.create_entity("IfcCartesianPoint", [float(v) for v in p])
            for p in line.points + w.model.origin[:2]
        ]
        axis = w.f.create_entity("IfcGridAxis", line.name, w.f.create_entity("IfcPolyline", flat), True)
        families.get(line.family, families["u"]).append(axis)
    for empty, full in (("u", "w"), ("v", "w"), ("v", "u"), ("u", "v")):
        if not families[empty] and len(families[full]) > (full != "w"):
            families[empty].append(families[full].pop())
    if not (families["u"] and families["v"]):
        return None
    at = w.f.create_entity("IfcAxis2Placement3D", w.point(np.zeros(3)), None, None)
    return w.root(
        "IfcGrid",
        f"grid {name}",
        name or None,
        ObjectPlacement=w.f.create_entity("IfcLocalPlacement", None, at),
        UAxes=families["u"],
        VAxes=families["v"],
        WAxes=families["w"] or None,
    )


def write_groups(w: IfcModelWriter) -> None:
    """A group of the model as IfcGroup with its members and surfaces; an empty one is left out."""
    for name, ids in w.model.groups.items():
        parts = [e for i in ids if (e := w.members.get(i) or w.surfaces.get(i)) is not None]
        if parts:
            group = w.root("IfcGroup", f"group {name}", name)
            w.root(
                "IfcRelAssignsToGroup", f"group of {name}", None, RelatedObjects=parts, RelatingGroup=group
            )
