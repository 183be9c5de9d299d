"""A source that brings both sides: each member held against its element, and either side gone on with."""

from __future__ import annotations

from copy import deepcopy
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.compare import compare
from rod_tally.compare.results import Side
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.model import Finding, Model, Settings
from rod_tally.review.tallies.tally import tally
from rod_tally.transfer import transfer


class Both(IfcWriter):
    """Columns and beams with analytical members beside them."""

    def build(self) -> Both:
        self.storey("Ground", 0.0)
        self.steel = self.material("S355", YoungModulus=210e9, MassDensity=7850)
        self.other = self.material("S235", YoungModulus=210e9, MassDensity=7850)
        self.box = self.profile("Rectangle", "R300", XDim=0.3, YDim=0.3)
        self.slim = self.profile("Rectangle", "R200", XDim=0.2, YDim=0.2)
        self.elements = {
            name: self.member(
                kind, name, a, b, self.box, self.steel, "Ground", (1, 0, 0) if kind == "IfcColumn" else None
            )
            for kind, name, a, b in (
                ("IfcColumn", "K1", (0, 0, 0), (0, 0, 3)),
                ("IfcColumn", "K2", (6, 0, 0), (6, 0, 3)),
                ("IfcColumn", "K3", (12, 0, 0), (12, 0, 3)),
                ("IfcBeam", "B1", (0.15, 0, 2.8), (5.85, 0, 2.8)),
            )
        }
        self.stick("A1", (0, 0, 0), (0, 0, 3), self.box, self.steel, "K1")
        self.stick("A2", (6.7, 0, 0), (6.7, 0, 3), self.box, self.steel, "K2")  # linked, and 0.7 m off
        self.stick("A4", (0, 0, 2.9), (6, 0, 2.9), self.slim, self.other)  # by place: the beam, in two halves
        self.stick("A5", (0, 20, 0), (0, 20, 3), self.box, self.steel)
        return self

    def stick(self, name: str, a: Any, b: Any, profile: Any, material: Any, of: str = "") -> None:
        f = self.file
        ends = [f.create_entity("IfcVertexPoint", self.point(p)) for p in (a, b)]
        edge = f.create_entity("IfcEdge", *ends)
        rep = f.create_entity("IfcTopologyRepresentation", self.context, "Reference", "Edge", [edge])
        shape = f.create_entity("IfcProductDefinitionShape", None, None, [rep])
        entity = self.root(
            "IfcStructuralCurveMember",
            name,
            Representation=shape,
            PredefinedType="RIGID_JOINED_MEMBER",
            Axis=self.direction((0, 1, 0)),
        )
        one = f.create_entity("IfcMaterialProfile", None, None, material, profile, None, None)
        group = f.create_entity("IfcMaterialProfileSet", None, None, [one], None)
        self.root("IfcRelAssociatesMaterial", None, RelatedObjects=[entity], RelatingMaterial=group)
        if of:
            self.root(
                "IfcRelAssignsToProduct", None, RelatedObjects=[entity], RelatingProduct=self.elements[of]
            )


@pytest.fixture
def both(tmp_path: Path) -> Path:
    Both("both", "IFC4", "MILLIMETRE").build().write(tmp_path / "both.ifc")
    return tmp_path / "both.ifc"


def taken(path: Path, side: str = "analytical") -> Model:
    settings = Settings().transfer
    settings.side = side
    return transfer(read_source(path), settings)


def sides(m: Model) -> list[Finding]:
    codes = ("source.counterpart", "source.off_element", "source.differs")
    return [f for f in run_checks(Subject(m)) if f.code in codes]


def test_pairs_are_found_by_link_and_by_place(both: Path) -> None:
    m = taken(both)
    rows = {p.name: p for p in m.counterparts}
    assert (rows["K1"].how, rows["K1"].distance) == ("linked", pytest.approx(0.0, abs=1e-9))
    assert rows["K2"].how == "linked" and rows["K2"].distance == pytest.approx(0.7)
    assert rows["B1"].how == "placed" and rows["B1"].distance == pytest.approx(0.1)
    assert not rows["A5"].physical and not rows["K3"].analytical


def test_what_differs_is_said(both: Path) -> None:
    said = {(f.code, f.message) for f in sides(taken(both))}
    text = "\n".join(m for _, m in sorted(said))
    assert "1 analytical member without a physical element: A5." in text
    assert "1 physical element of class column without an analytical member: K3." in text
    assert "lies 700 mm off the element it stands for (linked)" in text
    assert "has section R200, the element R300" in text and "has material S235, the element S355" in text


def test_either_side_is_gone_on_with(both: Path) -> None:
    one, two = taken(both), taken(both, "physical")
    assert {m.name for m in one.members.values()} == {"A1", "A2", "A4", "A5"}
    assert {m.name for m in two.members.values()} == {"K1", "K2", "K3", "B1"}
    assert len([s for s in two.skipped if "physical members were chosen" in s.reason]) == 4
    assert len([s for s in one.skipped if "those are the model" in s.reason]) == 4
    assert [p.how for p in one.counterparts] == [p.how for p in two.counterparts]


def test_one_way_members_are_said(tmp_path: Path) -> None:
    w = Both("both", "IFC4", "METRE").build()
    next(
        e for e in w.file.by_type("IfcStructuralCurveMember") if e.Name == "A1"
    ).PredefinedType = "TENSION_MEMBER"
    w.write(tmp_path / "m.ifc")
    found = [f for f in run_checks(Subject(taken(tmp_path / "m.ifc"))) if f.code == "source.one_way"]
    assert len(found) == 1 and "act in tension only" in found[0].message


@pytest.mark.parametrize(("unit", "scale"), [("METRE", 1.0), ("FOOT", 0.3048)])
def test_analytical_surfaces_with_their_connections(tmp_path: Path, unit: str, scale: float) -> None:
    """A slab of an analytical file: face with an opening, thickness, an edge held by springs, bedding, a tied
    point."""
    w = IfcWriter("faces", "IFC4", unit)
    f = w.file
    w.storey("Ground", 0.0)

    def loop(points: list[tuple[float, float, float]]) -> Any:
        return f.create_entity("IfcPolyLoop", [w.point(p) for p in points])

    outer = f.create_entity("IfcFaceOuterBound", loop([(0, 0, 3), (6, 0, 3), (6, 4, 3), (0, 4, 3)]), True)
    inner = f.create_entity("IfcFaceBound", loop([(1, 1, 3), (2, 1, 3), (2, 2, 3), (1, 2, 3)]), True)
    face = f.create_entity(
        "IfcFaceSurface", [outer, inner], f.create_entity("IfcPlane", w.axes((0, 0, 3))), True
    )

    def shape(item: Any, kind: str) -> Any:
        rep = f.create_entity("IfcTopologyRepresentation", w.context, "Reference", kind, [item])
        return f.create_entity("IfcProductDefinitionShape", None, None, [rep])

    slab = w.root(
        "IfcStructuralSurfaceMember",
        "S",
        Representation=shape(face, "Face"),
        PredefinedType="SHELL",
        Thickness=0.2 / scale,
    )
    ends = [f.create_entity("IfcVertexPoint", w.point(p)) for p in ((0, 0, 3), (6, 0, 3))]
    yes, no = (f.create_entity("IfcBoolean", v) for v in (True, False))
    spring = f.create_entity("IfcModulusOfLinearSubgradeReactionMeasure", 5e6)
    held = f.create_entity("IfcBoundaryEdgeCondition", None, no, yes, spring, no, no, no)
    side = w.root(
        "IfcStructuralCurveConnection",
        "edge",
        Representation=shape(f.create_entity("IfcEdge", *ends), "Edge"),
        AppliedCondition=held,
        Axis=w.direction((0, 0, 1)),
    )
    bed = f.create_entity(
        "IfcBoundaryFaceCondition", None, no, no, f.create_entity("IfcModulusOfSubgradeReactionMeasure", 2e7)
    )
    ground = w.root("IfcStructuralSurfaceConnection", "bed", AppliedCondition=bed)
    point = w.root(
        "IfcStructuralPointConnection",
        "P",
        Representation=shape(f.create_entity("IfcVertexPoint", w.point((6, 4, 3))), "Vertex"),
    )
    for connection in (side, ground, point):
        w.root(
            "IfcRelConnectsStructuralMember",
            None,
            RelatingStructuralMember=slab,
            RelatedStructuralConnection=connection,
        )
    w.write(tmp_path / "m.ifc")
    m = transfer(read_source(tmp_path / "m.ifc"), Settings().transfer)
    s = next(iter(m.surfaces.values()))
    assert (s.cls, s.thickness) == ("slab", pytest.approx(0.2)) and s.area == pytest.approx(23.0)
    assert s.bedding == pytest.approx(2e7) and s.supports[0].support.held == (
        False,
        True,
        False,
        False,
        False,
        False,
    )
    assert s.supports[0].support.stiffness[2] == pytest.approx(5e6)
    assert s.supports[0].line == pytest.approx(np.array([[0, 0, 3], [6, 0, 3]], float))
    assert [j.node for j in s.joints] == [point.GlobalId] and point.GlobalId in m.nodes
    assert not m.skipped


def test_the_physical_side_is_a_physical_model_whatever_stands_beside_it(both: Path) -> None:
    """The kind of the source is told as it is; joins, tallies and comparisons go by the side that was gone on
    with."""
    one, two = taken(both, "physical"), taken(both)
    assert (one.kind, one.side, one.physical) == ("both", "physical", True)
    assert (two.kind, two.side, two.physical) == ("both", "analytical", False)
    alone = deepcopy(one)
    alone.kind, alone.side = "physical", ""
    found = compare(Side(alone), Side(one))
    assert {r.status for r in found.parts} == {"same"} and not any(
        f.code == "match.kinds" for f in found.findings
    )
    assert any(f.code == "match.kinds" for f in compare(Side(two), Side(one)).findings)
    assert [(r.cls, r.source, r.model) for r in tally(alone)] == [
        (r.cls, r.source, r.model) for r in tally(one)
    ]
