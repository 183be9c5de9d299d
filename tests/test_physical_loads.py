"""Loads that a file puts on beams, columns, slabs and walls of a physical model: taken over like any, or
reported one by one."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.loads import Distribution
from rod_tally.model import Model, Settings
from rod_tally.transfer import transfer


class Loaded(IfcWriter):
    """A physical model with load cases."""

    def __init__(self, unit: str = "MILLIMETRE") -> None:
        super().__init__("loaded", "IFC4", unit)
        self.cases: dict[str, list[Any]] = {}
        self.storey("Ground", 0.0)
        self.storey("Roof", 4.0)
        steel = self.material("S355", YoungModulus=210e9, MassDensity=7850)
        i = self.i_profile("HE", 0.3, 0.3, 0.011, 0.019, 0.0)
        self.parts = {}
        for name, x in (("K1", 0.0), ("K2", 6.0)):
            for y in (0.0, 5.0):
                key = f"{name}{y:g}"
                self.parts[key] = self.member(
                    "IfcColumn", key, (x, y, 0), (x, y, 4), i, steel, "Ground", (1, 0, 0)
                )
        for y in (0.0, 5.0):
            key = f"B{y:g}"
            self.parts[key] = self.member("IfcBeam", key, (0.15, y, 3.85), (5.85, y, 3.85), i, steel, "Roof")
        self.parts["S"] = self.block(
            "IfcSlab", "S", (0, 0, 4.0), (6, 5, 4.2), self.material("C30/37"), "Roof"
        )
        self.parts["stair"] = self.block("IfcStair", "stair", (8, 0, 0), (9, 1, 4), None, "Ground")

    def act(self, kind: str, case: str, part: str, load: Any, **attributes: Any) -> None:
        action = self.root(kind, f"on {part}", AppliedLoad=load, GlobalOrLocal="GLOBAL_COORDS", **attributes)
        self.root(
            "IfcRelConnectsStructuralActivity",
            None,
            RelatingElement=self.parts[part],
            RelatedStructuralActivity=action,
        )
        self.cases.setdefault(case, []).append(action)

    def load(self, kind: str, **values: float) -> Any:
        entity = self.file.create_entity(f"IfcStructuralLoad{kind}")
        for name, value in values.items():
            setattr(entity, name, value)
        return entity

    def model(self, tmp_path: Path) -> Model:
        for name, actions in self.cases.items():
            case = self.root(
                "IfcStructuralLoadCase",
                name,
                PredefinedType="LOAD_CASE",
                ActionType="VARIABLE_Q",
                ActionSource="LIVE_LOAD_Q",
            )
            case.Description = "kind: live; category: B; alternatives: Spans"
            self.root("IfcRelAssignsToGroup", None, RelatedObjects=actions, RelatingGroup=case)
        self.write(tmp_path / "loaded.ifc")
        return transfer(read_source(tmp_path / "loaded.ifc"), Settings().transfer)


# the file states no unit of force: linear, point and planar loads are SI
@pytest.mark.parametrize("unit", ["METRE", "MILLIMETRE", "FOOT"])
def test_loads_on_physical_parts_arrive_where_they_are(tmp_path: Path, unit: str) -> None:
    """10 kN/m over a beam 5.7 m between faces is 57 kN, about its middle, though its axis is 6 m; 2 kN/m2 on
    30 m2 is 60."""
    w = Loaded(unit)
    w.act(
        "IfcStructuralLinearAction",
        "Q",
        "B0",
        w.load("LinearForce", LinearForceZ=-10e3),
        PredefinedType="CONST",
    )
    w.act(
        "IfcStructuralPlanarAction",
        "Q",
        "S",
        w.load("PlanarForce", PlanarForceZ=-2e3),
        PredefinedType="CONST",
    )
    m = w.model(tmp_path)
    case = m.cases["Q"]
    assert (case.kind, case.category, case.together) == ("live", "B", "Spans")
    (line,) = case.member_loads
    beam = m.members[line.member]
    at = m.line(beam)[0] + (m.line(beam)[1] - m.line(beam)[0]) * np.array([[line.a], [line.b]]) / m.length(
        beam
    )
    assert sorted(at[:, 0]) == pytest.approx([0.15, 5.85], abs=1e-6)
    total = Distribution(m).case("Q").total("applied")[2] + line.qa[2] * (line.b - line.a)
    assert total == pytest.approx(-57e3 - 60e3, rel=1e-9)


def test_a_point_load_on_a_beam_stands_where_it_says(tmp_path: Path) -> None:
    w = Loaded("METRE")
    vertex = w.file.create_entity("IfcVertexPoint", w.point((2.0, 0.0, 3.85)))
    rep = w.file.create_entity("IfcTopologyRepresentation", w.context, "Reference", "Vertex", [vertex])
    shape = w.file.create_entity("IfcProductDefinitionShape", None, None, [rep])
    w.act("IfcStructuralPointAction", "Q", "B0", w.load("SingleForce", ForceZ=-5e3), Representation=shape)
    m = w.model(tmp_path)
    (load,) = m.cases["Q"].member_loads
    line = m.line(m.members[load.member])
    place = line[0] + (line[1] - line[0]) * load.a / np.linalg.norm(line[1] - line[0])
    assert place[0] == pytest.approx(2.0) and load.qa[2] == -5e3


def test_a_load_on_what_is_not_in_the_model_is_told(tmp_path: Path) -> None:
    w = Loaded("METRE")
    w.act(
        "IfcStructuralLinearAction",
        "Q",
        "stair",
        w.load("LinearForce", LinearForceZ=-10e3),
        PredefinedType="CONST",
    )
    m = w.model(tmp_path)
    found = [f for f in run_checks(Subject(m)) if f.code in ("source.unread", "load.uncarried")]
    assert {f.code for f in found} == {"source.unread", "load.uncarried"} or any(
        "IfcStair" in f.message for f in found
    )
    assert any("IfcStair that is not in the model" in f.message and f.severity == "warning" for f in found)
