"""Results that an IFC file brings: groups of reactions at points, along members and over surfaces."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import ifcopenshell
import numpy as np

from ....model.geometry.vectors import Array
from ...readers import IntakeError
from ..damage import ident, text


@dataclass(slots=True)
class FileResults:
    """The results of one load case, in the file's own units: `reactions` and `displacements` (6,) by the
    point's id; of each member the places (k,) and values (k, 6); of each surface and kind of value the places
    (k, 2) and values (k, 3)."""

    case: str
    reactions: dict[str, Array] = field(default_factory=dict)
    displacements: dict[str, Array] = field(default_factory=dict)
    members: dict[str, tuple[Array, Array]] = field(default_factory=dict)
    surfaces: dict[tuple[str, str], tuple[Array, Array]] = field(default_factory=dict)


def read_results(path: Path) -> list[FileResults]:
    """Result groups of a file, in its order; [] where it has none. Raises IntakeError for a file that cannot
    be read."""
    try:
        file = ifcopenshell.open(str(path))
    except Exception as error:  # the library raises plain errors of several kinds
        raise IntakeError(f"{path}: cannot be read as IFC: {error}") from error
    out = []
    for group in file.by_type("IfcStructuralResultGroup"):
        found = FileResults(text(group.Name))
        for rel in group.IsGroupedBy or ():
            for answer in rel.RelatedObjects or ():
                _take(found, answer)
        out.append(found)
    return out


def _take(found: FileResults, answer: Any) -> None:
    load = getattr(answer, "AppliedLoad", None)
    if load is None:
        return
    linked = [rel.RelatingElement for rel in answer.AssignedToStructuralItem or ()]
    key = ident(linked[0]) if linked and linked[0] is not None else ident(answer)
    if answer.is_a("IfcStructuralPointReaction"):
        if load.is_a("IfcStructuralLoadSingleForce"):
            found.reactions[key] = _numbers(load, 6)
        elif load.is_a("IfcStructuralLoadSingleDisplacement"):
            found.displacements[key] = _numbers(load, 6)
    elif load.is_a("IfcStructuralLoadConfiguration"):
        places = np.array([list(p) for p in load.Locations or ()], float)
        if answer.is_a("IfcStructuralCurveReaction"):
            found.members[key] = places[:, 0], np.array([_numbers(v, 6) for v in load.Values])
        elif answer.is_a("IfcStructuralSurfaceReaction"):
            found.surfaces[key, text(answer.Name)] = places, np.array([_numbers(v, 3) for v in load.Values])


def _numbers(load: Any, count: int) -> Array:
    """The values of a load after its name; absent ones are zero."""
    values = [0.0 if v is None else float(getattr(v, "wrappedValue", v)) for v in list(load)[1 : count + 1]]
    return np.array(values + [0.0] * (count - len(values)))
