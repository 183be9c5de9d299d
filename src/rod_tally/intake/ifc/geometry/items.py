"""The solids that a body is made of: through mapped items, and what is cut off or added."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from .placement import Placements, Rigid, compose, rigid

DEEPEST = 12  # mapped items and cuts inside each other; more refer back to themselves
UNSCALED = 1e-6  # by which an axis of a mapped body's place may differ from unit length


class BodyError(ValueError):
    """A body nothing can be read from; the message says why."""


@dataclass(slots=True, frozen=True)
class Solid:
    """One solid of a body and where it stands. `cut`: something is cut off it or joined to it; `scaled`:
    it is mapped at another size than it is drawn."""

    item: Any
    world: Rigid
    cut: bool = False
    scaled: bool = False


def representation(element: Any, identifier: str) -> list[Any]:
    """Items of the element's representation of that identifier ([] for none)."""
    shape = element.get_argument(6)  # Representation of an IfcProduct
    if shape is None:
        return []
    items: list[Any] = []
    for rep in shape.get_argument(2):  # Representations
        name = rep.get_argument(1)  # RepresentationIdentifier
        if name == identifier or (identifier == "Body" and name in (None, "", "Facetation")):
            items.extend(rep.get_argument(3))  # Items
    return items


def solids_of(element: Any, world: Rigid, placements: Placements) -> list[Solid]:
    """All solids of an element's body, [] for none. Raises BodyError for a body that refers back to
    itself."""
    out: list[Solid] = []
    for item in representation(element, "Body"):
        _gather(Solid(item, world), placements, out, 0)
    return out


def _gather(solid: Solid, placements: Placements, out: list[Solid], depth: int) -> None:
    if depth > DEEPEST:
        raise BodyError("its body refers back to itself")
    item = solid.item
    kind = item.is_a()
    if kind == "IfcExtrudedAreaSolid":  # most bodies of most files
        out.append(solid)
    elif kind == "IfcMappedItem":
        source = item.MappingSource
        place = rigid(placements.operator(item.MappingTarget))
        scaled = solid.scaled or any(
            abs(a * a + b * b + c * c - 1) > UNSCALED for a, b, c in (place[:3], place[3:6], place[6:9])
        )
        world = compose(compose(solid.world, place), placements.rigid_axis(source.MappingOrigin))
        for inner in source.MappedRepresentation.Items:
            _gather(Solid(inner, world, solid.cut, scaled), placements, out, depth + 1)
    elif item.is_a("IfcBooleanResult"):
        added = item.Operator == "UNION"
        for operand in (item.FirstOperand, item.SecondOperand) if added else (item.FirstOperand,):
            _gather(Solid(operand, solid.world, True, solid.scaled), placements, out, depth + 1)
    elif kind == "IfcCsgSolid":
        _gather(Solid(item.TreeRootExpression, solid.world, True, solid.scaled), placements, out, depth + 1)
    else:
        out.append(solid)
