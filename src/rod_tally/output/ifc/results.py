"""Results of a run as IFC4: a group of results for each load case, with reactions as IFC calls whatever a
structure answers.

Reactions and displacements stand at points, forces along members at their stations, forces of slabs and walls
at the corners of elements averaged within the surface: three planar values in the surface's plane, named by
`SURFACE_PARTS`."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from ... import __version__
from ...analysis.results.results import Results
from ...analysis.results.superpose import combined
from ...analysis.shells.fields import PlateFields
from ...intake.ifc.structural.state import FINGERPRINT, PROGRAM, REVISION, RUN, SETTINGS, as_text, state_of
from ...model import Combination, Settings
from ...model.geometry.vectors import Array
from .writer import IfcModelWriter

REACTION, DISPLACEMENT, FORCES = "reaction", "displacement", "member forces"
SURFACE_PARTS = {
    "membrane forces nx ny nxy": (0, 1, 2),
    "moments mx my mxy": (3, 4, 5),
    "shears vx vy": (6, 7),
}


class ResultWriter:
    """Writes results through the writer of the model, whose nodes, members, surfaces and cases are there
    already. `settings` are those of the run."""

    def __init__(
        self,
        writer: IfcModelWriter,
        results: Results,
        fields: PlateFields | None,
        settings: Settings | None = None,
    ) -> None:
        self.w, self.f, self.r, self.fields = writer, writer.f, results, fields
        self.run = _run_record(writer, settings or Settings())

    def groups(self, cases: dict[str, Any], combinations: list[Combination] | None = None) -> list[Any]:
        """The result groups of all cases, and of `combinations`; `cases` are the entities of the model's load
        cases and combinations by name."""
        out = [self._case(c, name, cases.get(name)) for c, name in enumerate(self.r.cases)]
        run = self.r
        for combination in combinations or ():
            self.r = combined(run, combination)
            out.append(self._case(0, combination.name, cases.get(combination.name)))
        self.r = run
        if out:
            self.w.root("IfcRelDefinesByProperties", "run of results", None, RelatedObjects=out,
                        RelatingPropertyDefinition=self.run)  # fmt: skip
        return out

    def _case(self, c: int, name: str, of: Any) -> Any:
        second = name in self.r.second_order
        group = self.w.root(
            "IfcStructuralResultGroup",
            f"results {name}",
            name,
            TheoryType="SECOND_ORDER_THEORY" if second else "FIRST_ORDER_THEORY",
            ResultForLoadGroup=of,
            IsLinear=not (second or self.r.slack or self.r.yielded or self.r.lifted),
        )
        items = self._points(c) + self._members(c) + self._surfaces(c)
        if items:
            self.w.root(
                "IfcRelAssignsToGroup", f"answers {name}", None, RelatedObjects=items, RelatingGroup=group
            )
        return group

    def _points(self, c: int) -> list[Any]:
        out = []
        r = self.r
        index = {n: k for k, n in enumerate(r.node_ids)}
        for s, node in enumerate(r.support_ids):
            if r.node_done[c, index[node]]:
                out.append(
                    self._at(
                        node, REACTION, "IfcStructuralLoadSingleForce", r.reaction[c, s], r.xyz[index[node]]
                    )
                )
        for node in self.w.points:
            k = index.get(node)
            if k is not None and r.node_done[c, k]:
                out.append(
                    self._at(
                        node, DISPLACEMENT, "IfcStructuralLoadSingleDisplacement", r.displacement[c, k], None
                    )
                )
        return out

    def _at(self, node: str, name: str, kind: str, values: Array, place: Array | None) -> Any:
        load = self.f.create_entity(kind, None, *(float(v) for v in values))
        target = self.w.points.get(node)
        entity = self._answer("IfcStructuralPointReaction", name, load, "GLOBAL_COORDS", target)
        # a corner of elements on a held edge, which is no node of the model
        if target is None and place is not None:
            entity.Representation = self.w.shape(self.w.vertex(place), "Vertex")
        return entity

    def _members(self, c: int) -> list[Any]:
        out = []
        r = self.r
        order = np.argsort(r.station_member, kind="stable")
        starts = np.searchsorted(r.station_member[order], np.arange(len(r.member_ids) + 1))
        for m, ident in enumerate(r.member_ids):
            target = self.w.members.get(ident) or self.w.surfaces.get(ident)
            if not r.member_done[c, m] or target is None:
                continue
            mine = order[starts[m] : starts[m + 1]]
            values = [
                self.f.create_entity("IfcStructuralLoadSingleForce", None, *v)
                for v in r.force[c, mine].tolist()
            ]
            places = [[x] for x in r.station_x[mine].tolist()]
            load = self.f.create_entity("IfcStructuralLoadConfiguration", None, values, places)
            entity = self._answer("IfcStructuralCurveReaction", FORCES, load, "LOCAL_COORDS", target)
            entity.PredefinedType = "DISCRETE"
            out.append(entity)
        return out

    def _surfaces(self, c: int) -> list[Any]:
        out: list[Any] = []
        if self.fields is None:
            return out
        of, node, values = self.fields.averaged_forces(self.r, c)
        for k, ident in enumerate(self.fields.plates.surfaces):
            target = self.w.surfaces.get(ident)
            mine = np.flatnonzero((of == k) & self.r.node_done[c][node])
            if target is None or not len(mine):
                continue
            surface = self.fields.plates.shapes[ident]
            places = surface.flat(self.fields.plates.points[node[mine]]).tolist()
            for name, parts in SURFACE_PARTS.items():
                loads = [
                    self.f.create_entity("IfcStructuralLoadPlanarForce", None, *v)
                    for v in values[mine][:, list(parts)].tolist()
                ]
                load = self.f.create_entity("IfcStructuralLoadConfiguration", None, loads, places)
                entity = self._answer("IfcStructuralSurfaceReaction", name, load, "LOCAL_COORDS", target)
                entity.PredefinedType = "DISCRETE"
                out.append(entity)
        return out

    def _answer(self, kind: str, name: str, load: Any, frame: str, target: Any) -> Any:
        entity = self.w.root(kind, f"answer {len(self.w.used)}", name, AppliedLoad=load, GlobalOrLocal=frame)
        if target is not None:
            self.w.root(
                "IfcRelConnectsStructuralActivity",
                f"answers {len(self.w.used)}",
                None,
                RelatingElement=target,
                RelatedStructuralActivity=entity,
            )
        return entity


def _run_record(w: IfcModelWriter, settings: Settings) -> Any:
    """The run that results come from: source, settings, release, and a fingerprint of the model as the file
    holds it, by which a reader can tell whether results still belong to it."""
    corrections = sum(1 for e in w.model.log if e.kind == "corrected")
    source = Path(w.model.source_file).name or w.model.name or "a model without a file"
    said = {
        REVISION: source + (f" with {corrections} corrections" if corrections else ""),
        SETTINGS: json.dumps({k: v for k, v in settings.to_dict().items() if k in ("run", "mesh")}, sort_keys=True),
        PROGRAM: f"Rod Tally {__version__}",
        FINGERPRINT: as_text(state_of(w.f)),
    }  # fmt: skip
    properties = [
        w.f.create_entity("IfcPropertySingleValue", name, None, w.f.create_entity("IfcText", value), None)
        for name, value in said.items()
    ]
    return w.root("IfcPropertySet", "run", RUN, HasProperties=properties)
