"""Load cases and their loads as IFC4 actions."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...model import AreaLoad, LoadCase, MemberLoad, SpaceLoad, TemperatureLoad
from ...model.entities.load_words import spectrum_words
from ...model.entities.loads import Vector
from ...model.entities.surface import across, normal_of
from ...model.geometry.vectors import Array
from .writer import IfcModelWriter

# kind of a case to (ActionType, ActionSource); the reverse of what intake reads
ACTIONS = {
    "self-weight": ("PERMANENT_G", "DEAD_LOAD_G"),
    "dead": ("PERMANENT_G", "DEAD_LOAD_G"),
    "live": ("VARIABLE_Q", "LIVE_LOAD_Q"),
    "snow": ("VARIABLE_Q", "SNOW_S"),
    "wind": ("VARIABLE_Q", "WIND_W"),
    "prestress": ("PERMANENT_G", "PRESTRESSING_P"),
    "settlement": ("VARIABLE_Q", "SETTLEMENT_U"),
    "temperature": ("VARIABLE_Q", "TEMPERATURE_T"),
    "seismic": ("EXTRAORDINARY_A", "EARTHQUAKE_E"),
    "accidental": ("EXTRAORDINARY_A", "IMPACT"),
}
CLADDING = "cladding"
DESCRIBED = ("self-weight", "notional")  # kinds that IFC has no word for: said in the case's description


class LoadWriter:
    """Writes cases through the writer of the model, whose members, points and surfaces are there already."""

    def __init__(self, writer: IfcModelWriter) -> None:
        self.w, self.f = writer, writer.f

    def case(self, case: LoadCase) -> Any:
        action, source = ACTIONS.get(case.kind, ("NOTDEFINED", "NOTDEFINED"))
        entity = self.w.root(
            "IfcStructuralLoadCase",
            f"case {case.name}",
            case.name,
            PredefinedType="LOAD_CASE",
            ActionType=action,
            ActionSource=source,
        )
        said = {
            "kind": case.kind if case.kind in DESCRIBED else "",
            "category": case.category,
            "alternatives": case.together,
        }
        words = [f"{k}: {v}" for k, v in said.items() if v]
        if case.spectrum is not None:
            words.append(spectrum_words(case.spectrum))
        entity.Description = "; ".join(words) or None
        if any(case.self_weight):
            entity.SelfWeightCoefficients = [float(v) for v in case.self_weight]
        actions = []
        for load in case.node_loads:
            value = self._single((*load.force, *load.moment))
            actions.append(self._action("IfcStructuralPointAction", self.w.points[load.node], value, False))
        actions += [self._on_member(m) for m in case.member_loads if m.member in self.w.members]
        actions += [self._area(a) for a in case.area_loads if not a.surface or a.surface in self.w.surfaces]
        actions += [self._placed(p) for p in case.space_loads]
        actions += [self._warm(t) for t in case.temperatures if t.member in self.w.members]
        for s in case.settlements:
            value = self.f.create_entity(
                "IfcStructuralLoadSingleDisplacement", None, *(float(v) for v in s.movement)
            )
            actions.append(self._action("IfcStructuralPointAction", self.w.points[s.node], value, False))
        if actions:
            self.w.root(
                "IfcRelAssignsToGroup",
                f"loads {case.name}",
                None,
                RelatedObjects=actions,
                RelatingGroup=entity,
            )
        return entity

    def _single(self, values: tuple[float, ...]) -> Any:
        return self.f.create_entity("IfcStructuralLoadSingleForce", None, *(float(v) for v in values))

    def _linear(self, values: tuple[float, ...]) -> Any:
        return self.f.create_entity("IfcStructuralLoadLinearForce", None, *(float(v) for v in values))

    def _spread(self, values: list[Any], places: list[list[float]]) -> Any:
        return self.f.create_entity("IfcStructuralLoadConfiguration", None, values, places)

    def _on_member(self, load: MemberLoad) -> Any:
        def six(q: Vector) -> tuple[float, ...]:
            return (*q, 0.0, 0.0, 0.0) if load.kind == "force" else (0.0, 0.0, 0.0, *q)

        if load.a == load.b:
            values, places, kind = [self._single(six(load.qa))], [[load.a]], "DISCRETE"
        else:
            values, places = [self._linear(six(load.qa)), self._linear(six(load.qb))], [[load.a], [load.b]]
            kind = "LINEAR"
        target = self.w.members[load.member]
        action = self._action("IfcStructuralCurveAction", target, self._spread(values, places), load.local)
        action.ProjectedOrTrue = "PROJECTED_LENGTH" if load.projected else "TRUE_LENGTH"
        action.PredefinedType = kind
        return action

    def _area(self, load: AreaLoad) -> Any:
        surface = self.w.model.surfaces.get(load.surface)
        outline = load.outline if load.outline is not None else surface.outer if surface is not None else None
        assert outline is not None
        given = np.array(load.values, float)
        if surface is not None:
            if load.local:  # along the axes of the plane that is written, not of those turned by hand
                given = given @ surface.axes @ surface.plain_axes.T
            if load.outline is None:  # over all of the body, of which the model's plane has less or more
                given = given * surface.area_share
        values = [
            self.f.create_entity("IfcStructuralLoadPlanarForce", None, *(float(x) for x in v)) for v in given
        ]
        value, kind = values[0], "CONST"
        if len(values) == 3 and load.at is not None:
            if surface is not None:
                flat = (load.at - surface.outer[0]) @ surface.plain_axes[:2].T
            else:
                flat = (load.at - outline[0]) @ np.array(across(normal_of(outline))).T
            value, kind = self._spread(values, [[float(x) for x in p] for p in flat]), "BILINEAR"
        target = self.w.surfaces[load.surface] if load.surface else None
        action = self._action("IfcStructuralSurfaceAction", target, value, load.local)
        action.ProjectedOrTrue = "PROJECTED_LENGTH" if load.projected else "TRUE_LENGTH"
        action.PredefinedType = kind
        action.Name = load.name or None
        if load.onto == "members":
            span = "" if load.span is None else " along " + " ".join(repr(float(v)) for v in load.span)
            action.Description = CLADDING + span
        if load.outline is not None:
            action.Representation = self.w.shape(self._face(load.outline), "Face")
        return action

    def _placed(self, load: SpaceLoad) -> Any:
        target = self.w.surfaces.get(load.to)
        qa, qb = (*load.qa, 0.0, 0.0, 0.0), (*load.qb, 0.0, 0.0, 0.0)
        points = [self.w.vertex(p + self.w.model.origin) for p in load.line]
        if len(points) == 1:
            action = self._action("IfcStructuralPointAction", target, self._single(qa), False)
            action.Representation = self.w.shape(points[0], "Vertex")
        else:
            size = float(np.linalg.norm(load.line[1] - load.line[0]))
            value = self._spread([self._linear(qa), self._linear(qb)], [[0.0], [size]])
            action = self._action("IfcStructuralCurveAction", target, value, False)
            action.ProjectedOrTrue, action.PredefinedType = "TRUE_LENGTH", "LINEAR"
            action.Representation = self.w.shape(self.f.create_entity("IfcEdge", *points), "Edge")
        action.Name = load.name or None
        return action

    def _warm(self, load: TemperatureLoad) -> Any:
        member = self.w.model.members[load.member]
        section = self.w.model.sections.get(member.section)
        y0, y1, z0, z1 = section.bounds if section is not None else (0.0, 0.0, 0.0, 0.0)
        values = (load.uniform, load.grad_y * (y1 - y0), load.grad_z * (z1 - z0))
        value = self.f.create_entity("IfcStructuralLoadTemperature", None, *(float(v) for v in values))
        action = self._action("IfcStructuralCurveAction", self.w.members[load.member], value, True)
        action.PredefinedType = "CONST"
        return action

    def _face(self, outline: Array) -> Any:
        loop = self.f.create_entity("IfcPolyLoop", [self.w.point(p + self.w.model.origin) for p in outline])
        return self.f.create_entity("IfcFace", [self.f.create_entity("IfcFaceOuterBound", loop, True)])

    def _action(self, kind: str, target: Any, load: Any, local: bool) -> Any:
        frame = "LOCAL_COORDS" if local else "GLOBAL_COORDS"
        entity = self.w.root(kind, f"action {len(self.w.used)}", None, AppliedLoad=load, GlobalOrLocal=frame)
        if target is not None:
            self.w.root(
                "IfcRelConnectsStructuralActivity",
                f"activity {len(self.w.used)}",
                None,
                RelatingElement=target,
                RelatedStructuralActivity=entity,
            )
        return entity
