"""Results that an IFC file brings: groups of reactions at points, along members and over surfaces."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

import ifcopenshell
import numpy as np

from ....model.geometry.vectors import Array
from ...readers import IntakeError
from ..damage import UNREADABLE, first_line, ident, text
from ..geometry.placement import PlacementError, Placements
from ..units import Units, assignment
from .members import vertex
from .state import brought_results

T = TypeVar("T")


@dataclass(slots=True)
class FileResults:
    """The results of one load case or combination, in SI: `reactions` and `displacements` (6,) by the point's
    id; of each member the places (k,) and values (k, 6); of each surface and kind of value the places (k, 2)
    and values (k, 3). `places` (3,) of points, where the file gives them."""

    case: str
    reactions: dict[str, Array] = field(default_factory=dict)
    displacements: dict[str, Array] = field(default_factory=dict)
    members: dict[str, tuple[Array, Array]] = field(default_factory=dict)
    surfaces: dict[tuple[str, str], tuple[Array, Array]] = field(default_factory=dict)
    places: dict[str, Array] = field(default_factory=dict)
    unread: dict[str, int] = field(default_factory=dict)  # why answers were not read, and how many


def read_results(path: Path) -> list[FileResults]:
    """Result groups of a file, in its order; [] where it has none. Raises IntakeError for a file that cannot
    be read."""
    return _whole(path, results_in)


def opened(path: Path) -> Any:
    """An IFC file, open. Raises IntakeError for one that cannot be read."""
    try:
        return ifcopenshell.open(str(path))
    except Exception as error:  # the library raises plain errors of several kinds
        raise IntakeError(f"{path}: cannot be read as IFC: {error}") from error


def _whole(path: Path, read: Callable[[Any], T]) -> T:
    """Return what is read of an IFC file. Raises IntakeError for one that cannot be read, or is damaged where
    its results stand."""
    file = opened(path)
    try:
        return read(file)
    except UNREADABLE as error:
        raise IntakeError(f"{path}: its results cannot be read: {first_line(error)}") from error


def results_in(file: Any) -> list[FileResults]:
    """Result groups of an open file, as `read_results`."""
    reader = _Reader(Units(assignment(file)))
    return [reader.group(g) for g in file.by_type("IfcStructuralResultGroup")]


class _Reader:
    """Takes the answers of result groups, in the units of their file."""

    def __init__(self, units: Units) -> None:
        self.placements = Placements(units["LENGTHUNIT"])
        self.length = units["LENGTHUNIT"]
        self.forces = np.array([units["FORCEUNIT"]] * 3 + [units["TORQUEUNIT"]] * 3)
        self.moves = np.array([self.length] * 3 + [units["PLANEANGLEUNIT"]] * 3)
        # what surfaces answer is written as planar forces, whatever it is
        self.planar = units["FORCEUNIT"] / self.length**2

    def group(self, group: Any) -> FileResults:
        found = FileResults(text(group.Name))
        for rel in group.IsGroupedBy or ():
            for answer in rel.RelatedObjects or ():
                self._take(found, answer)
        return found

    def _take(self, found: FileResults, answer: Any) -> None:
        load: Any = getattr(answer, "AppliedLoad", None)
        why = _not_read(answer, load)
        if why:
            found.unread[why] = found.unread.get(why, 0) + 1
            return
        linked = [rel.RelatingElement for rel in answer.AssignedToStructuralItem or ()]
        part = linked[0] if linked and linked[0] is not None else None
        key = ident(part if part is not None else answer)
        if answer.is_a("IfcStructuralPointReaction"):
            if load.is_a("IfcStructuralLoadSingleForce"):
                found.reactions[key] = _numbers(load, 6) * self.forces
            elif load.is_a("IfcStructuralLoadSingleDisplacement"):
                found.displacements[key] = _numbers(load, 6) * self.moves
            with contextlib.suppress(PlacementError):
                found.places[key] = vertex(part if part is not None else answer, self.placements)
        elif load.is_a("IfcStructuralLoadConfiguration"):
            places = np.array([list(p) for p in load.Locations or ()], float) * self.length
            if answer.is_a("IfcStructuralCurveReaction"):
                values = np.array([_numbers(v, 6) for v in load.Values]) * self.forces
                found.members[key] = places[:, 0], values
            elif answer.is_a("IfcStructuralSurfaceReaction"):
                values = np.array([_numbers(v, 3) for v in load.Values]) * self.planar
                found.surfaces[key, text(answer.Name)] = places, values


def _numbers(load: Any, count: int) -> Array:
    """The values of a load after its name; absent ones are zero."""
    values = [0.0 if v is None else float(getattr(v, "wrappedValue", v)) for v in list(load)[1 : count + 1]]
    return np.array(values + [0.0] * (count - len(values)))


def _not_read(answer: Any, load: Any) -> str:
    """Why an answer cannot stand beside ours: another frame, or another kind of value; "" where it can."""
    at_point, along = answer.is_a("IfcStructuralPointReaction"), answer.is_a("IfcStructuralCurveReaction")
    if load is None:
        return "it has no value"
    if at_point and answer.GlobalOrLocal != "GLOBAL_COORDS":
        return "it is given in axes of its own"
    if along and answer.GlobalOrLocal != "LOCAL_COORDS":
        return "it is not given in the member's axes"
    kinds = ("IfcStructuralLoadSingleForce", "IfcStructuralLoadSingleDisplacement")
    if at_point and not any(load.is_a(k) for k in kinds):
        return f"a value of kind {load.is_a()} is not compared"
    if along and not (load.is_a("IfcStructuralLoadConfiguration") and load.Locations):
        return "it has no places along the member"
    if along and not all(v.is_a(kinds[0]) for v in load.Values):
        return "its values are no forces at places"
    return ""


HEADINGS = {
    "displacements": ["case", "node", "x", "y", "z", "ux", "uy", "uz", "rx", "ry", "rz"],
    "reactions": ["case", "node", "x", "y", "z", "fx", "fy", "fz", "mx", "my", "mz"],
    "member_forces": ["case", "id", "distance", "n", "vy", "vz", "mt", "my", "mz"],
}


def unread_in(path: Path) -> list[tuple[str, str]]:
    """Return which answers of a file were not read, by case, and why. Raises IntakeError."""
    return [
        (f"{path}, case {found.case}", f"{count} answers: {why}")
        for found in read_results(path)
        for why, count in found.unread.items()
    ]


def result_rows(path: Path) -> dict[str, list[list[str]]]:
    """Results of a file as rows of tables by their names, with headings, SI: displacements, reactions and
    member forces. Raises IntakeError for a file that cannot be read, or holds none."""
    groups = read_results(path)
    rows: dict[str, list[list[str]]] = {name: [] for name in HEADINGS}
    for found in groups:
        for name, values in (("displacements", found.displacements), ("reactions", found.reactions)):
            for node, six in values.items():
                at = found.places.get(node)
                place = [repr(float(v)) for v in at] if at is not None else [""] * 3
                rows[name].append([found.case, node, *place, *(repr(float(v)) for v in six)])
        for ident_, (x, forces) in found.members.items():
            for a, six in zip(x, forces):
                rows["member_forces"].append(
                    [found.case, ident_, repr(float(a)), *(repr(float(v)) for v in six)]
                )
    out = {name: [HEADINGS[name], *own] for name, own in rows.items() if own}
    if not out:
        raise IntakeError(f"{path}: holds no results of nodes, supports or members")
    return out


def told_of(path: Path) -> list[tuple[str, bool]]:
    """Sentences on the runs that the results of a file come from, and whether they are of the model as it
    holds it. Raises IntakeError for a file that cannot be read."""
    return [(found.words, found.differs == ()) for found in _whole(path, brought_results)]
