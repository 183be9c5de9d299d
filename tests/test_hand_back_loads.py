"""Loads handed back as IFC4 actions and read again: the same cases, the same distribution, a valid file; odd
actions reported."""

from __future__ import annotations

from pathlib import Path

import ifcopenshell
import ifcopenshell.validate
import numpy as np
import pytest

from rod_tally.intake import read_source
from rod_tally.loads import Distribution
from rod_tally.model import (
    AreaLoad,
    Combination,
    LoadCase,
    Model,
    Section,
    Settings,
    Settlement,
    SpaceLoad,
    Spectrum,
    Storey,
    TemperatureLoad,
)
from rod_tally.output.ifc import write_ifc
from rod_tally.transfer import transfer

from .analytical_ifc import portal
from .floors import floor

DOWN = (0.0, 0.0, -2000.0)
AT = np.array([(0, 0, 3.0), (6, 0, 3), (0, 4, 3)])
FACE = np.array([(0, 0, 0.0), (6, 0, 0), (6, 0, 3), (0, 0, 3)])
BOX = ((-0.1, -0.2), (0.1, -0.2), (0.1, 0.2), (-0.1, 0.2))


def rich() -> Model:
    m = floor(openings=True)
    m.name, m.origin = "rich", np.array([100.0, 200.0, 10.0])
    m.storeys = [Storey("L0", 0.0), Storey("L1", 3.0)]
    m.sections["plain"] = Section("plain", "box", 0.08, 1e-3, 3e-4, 0.0, 7e-4, 0.0, 0.0, outline=BOX)
    m.surfaces["s"].way, m.surfaces["s"].span = "one-way", (0.0, 1.0, 0.0)
    m.cases = {
        "Own": LoadCase("Own", "self-weight", (0.0, 0.0, -1.0)),
        "Office": LoadCase("Office", "live", category="B", together="floor"),
        "Wind": LoadCase("Wind", "wind"),
        "Sway": LoadCase("Sway", "notional"),
        "Heat": LoadCase("Heat", "temperature", temperatures=[TemperatureLoad("m4", 30.0, 25.0, -50.0)]),
        "Sunk": LoadCase(
            "Sunk", "settlement", settlements=[Settlement("n1", (0.0, 0.0, -0.01, 0.0, 1e-3, 0.0))]
        ),
    }
    m.cases["Office"].area_loads = [
        AreaLoad("s", (DOWN,), name="all over"),
        AreaLoad("s", (DOWN, (0.0, 0.0, -500.0), DOWN), at=AT),
        AreaLoad("s", (DOWN,), AT, local=True, projected=True),
    ]
    m.cases["Office"].space_loads = [
        SpaceLoad(np.array([(1, 2.5, 3.0), (5, 2.5, 3)]), DOWN, (0.0, 0.0, -1000.0), "s", name="partition"),
        SpaceLoad(np.array([(3, 0, 3.0)]), DOWN, (0.0, 0.0, 0.0)),
    ]
    m.cases["Wind"].area_loads = [
        AreaLoad("", ((0.0, 600.0, 0.0),), FACE, onto="members", span=(1.0, 0.0, 0.0))
    ]
    return m


def test_every_kind_of_load_comes_back_equal(tmp_path: Path) -> None:
    m = rich()
    b = transfer(read_source(write_ifc(m, tmp_path / "back.ifc")), Settings().transfer)
    shift = m.origin - b.origin
    assert [(c.name, c.kind, c.category, c.together) for c in b.cases.values()] == [
        (c.name, c.kind, c.category, c.together) for c in m.cases.values()
    ]
    name = {x.name: x.id for x in (*b.members.values(), *b.surfaces.values())}
    for case in m.cases.values():
        other = b.cases[case.name]
        assert other.self_weight == case.self_weight and not other.lost
        for x, y in zip(case.area_loads, other.area_loads, strict=True):
            # what is given in a surface's own axes comes back along the global ones: turning those turns no
            # load
            assert (x.onto, x.span, x.name) == (y.onto, y.span, y.name) and not y.local
            values = np.array(x.values)
            if x.local:
                values = (values * [0.0, 0.0, 1.0] if x.projected else values) @ m.surfaces[x.surface].axes
            else:
                assert y.projected == x.projected
            assert np.array(y.values) == pytest.approx(values, rel=1e-9)
            for p, q in ((x.outline, y.outline), (x.at, y.at)):
                assert (p is None) == (q is None)
                if p is not None and q is not None:
                    assert q == pytest.approx(p + shift, abs=1e-9)
        for u, v in zip(case.space_loads, other.space_loads, strict=True):
            assert (v.qa, v.qb, v.name) == (u.qa, u.qb, u.name)
            assert v.line == pytest.approx(u.line + shift, abs=1e-9)
            assert v.to == (name["Slab"] if u.to else "")
        for s, t in zip(case.temperatures, other.temperatures, strict=True):
            assert (t.uniform, t.grad_y, t.grad_z) == pytest.approx((s.uniform, s.grad_y, s.grad_z))
        for c, d in zip(case.settlements, other.settlements, strict=True):
            assert d.movement == pytest.approx(c.movement)
    slab = b.surfaces[name["Slab"]]
    assert (slab.way, slab.span) == ("one-way", (0.0, 1.0, 0.0))


def test_what_arrives_is_the_same_after_the_file(tmp_path: Path) -> None:
    m = rich()
    b = transfer(read_source(write_ifc(m, tmp_path / "back.ifc")), Settings().transfer)
    for case in ("Own", "Office", "Wind"):
        for what in ("applied", "on_members", "on_surfaces", "lost"):
            one, two = Distribution(m).case(case).total(what), Distribution(b).case(case).total(what)
            assert two == pytest.approx(one, rel=1e-9, abs=1e-6), (case, what)


def test_the_file_with_loads_is_valid(tmp_path: Path) -> None:
    path = write_ifc(rich(), tmp_path / "back.ifc")
    log = ifcopenshell.validate.json_logger()
    ifcopenshell.validate.validate(str(path), log)
    assert log.statements == []


@pytest.mark.parametrize(
    ("length", "force", "value"), [("METRE", "NEWTON", -1.0), ("MILLIMETRE", "KILONEWTON", -1e9)]
)
def test_pressures_are_read_in_their_units(tmp_path: Path, length: str, force: str, value: float) -> None:
    """kN/mm2 is 1e9 N/m2."""
    w = portal("IFC4", length, force)
    points = [w.cartesian(p) for p in ((0, 0, 4), (6, 0, 4), (6, 5, 4), (0, 5, 4))]
    loop = w.f.create_entity("IfcPolyLoop", points)
    face = w.f.create_entity("IfcFace", [w.f.create_entity("IfcFaceOuterBound", loop, True)])
    load = w.f.create_entity("IfcStructuralLoadPlanarForce", None, 0.0, 0.0, -1.0)
    w.case("Area")
    w.action("IfcStructuralSurfaceAction", "Area", None, load, Representation=w.shape(face, "Face"))
    m = transfer(read_source(w.write(tmp_path / "m.ifc")), Settings().transfer)
    area = m.cases["Area"].area_loads[0]
    assert area.values[0][2] == pytest.approx(value) and area.outline is not None
    assert Distribution(m).case("Area").total("lost")[2] == pytest.approx(30 * value)  # there is no slab


def test_area_without_extent_is_lost_in_words(tmp_path: Path) -> None:
    w = portal()
    w.case("Flat")
    points = [w.cartesian(p) for p in ((0, 0, 4), (3, 0, 4), (6, 0, 4))]
    face = w.f.create_entity(
        "IfcFace", [w.f.create_entity("IfcFaceOuterBound", w.f.create_entity("IfcPolyLoop", points), True)]
    )
    load = w.f.create_entity("IfcStructuralLoadPlanarForce", None, 0.0, 0.0, -1.0)
    w.action("IfcStructuralSurfaceAction", "Flat", None, load, Representation=w.shape(face, "Face"))
    m = transfer(read_source(w.write(tmp_path / "m.ifc")), Settings().transfer)
    assert not m.cases["Flat"].area_loads and "encloses no area" in m.cases["Flat"].lost[0][1]
    assert not Distribution(m).case("Flat").shares


def test_action_without_place_or_value_is_told(tmp_path: Path) -> None:
    w = portal()
    w.case("Odd")
    load = w.f.create_entity("IfcStructuralLoadPlanarForce", None, 0.0, 0.0, -1.0)
    w.action("IfcStructuralSurfaceAction", "Odd", None, load)
    hot = w.f.create_entity("IfcStructuralLoadTemperature", None, 1e9, 0.0, 0.0)
    w.action("IfcStructuralCurveAction", "Odd", w.members["beam"], hot)
    m = transfer(read_source(w.write(tmp_path / "m.ifc")), Settings().transfer)
    reasons = " ".join(s.reason for s in m.skipped)
    assert "no area of its own" in reasons and "beyond any load" in reasons
    assert len(m.cases["Odd"].lost) == 2


def test_a_response_spectrum_and_roots_come_back(tmp_path: Path) -> None:
    m = rich()
    m.cases["EX"] = LoadCase(
        "EX",
        "seismic",
        spectrum=Spectrum("y", [(0.0, 1.25), (0.15, 3.1), (2.0, 0.4)], 0.04, "SRSS", 0.05, 0.3),
    )
    m.cases["EY; kind: live"] = LoadCase("EY; kind: live", "seismic", spectrum=Spectrum("x", [(0.0, 2.0)]))
    m.combinations.append(
        Combination(
            "E1", "seismic", {"Wind": 1.0, "EX": 1.0, "EY; kind: live": 0.3}, roots=["EX", "EY; kind: live"]
        )
    )
    b = transfer(read_source(write_ifc(m, tmp_path / "back.ifc")), Settings().transfer)
    for name in ("EX", "EY; kind: live"):
        assert b.cases[name].spectrum == m.cases[name].spectrum and b.cases[name].kind == "seismic"
    assert b.combinations[-1].factors == m.combinations[-1].factors
    assert b.combinations[-1].roots == ["EX", "EY; kind: live"]
    assert not [c for c in b.combinations[:-1] if c.roots]


@pytest.mark.parametrize(
    "words",
    [
        "spectrum: w, CQC, damping 0.05, eccentricity 0.0, turned 0.0, curve 0.0 1.0",
        "spectrum: x, SUM, damping 0.05, eccentricity 0.0, turned 0.0, curve 0.0 1.0",
        "spectrum: x, CQC, damping 1.0, eccentricity 0.0, turned 0.0, curve 0.0 1.0",
        "spectrum: x, CQC, damping 0.05, eccentricity 1.0, turned 0.0, curve 0.0 1.0",
        "spectrum: x, CQC, damping 0.05, eccentricity 0.0, turned 0.0, curve 0.0",
        "spectrum: x, CQC, damping 0.05, eccentricity 0.0, turned 0.0, curve 0.0 1.0 0.0 2.0",
        "spectrum: x, CQC, damping 0.05, eccentricity 0.0, turned 0.0, curve 0.0 -1.0",
        "spectrum: x, CQC, damping 0.05, eccentricity 0.0, turned 0.0, curve 0.0 nan",
        "spectrum: x, CQC, damping 0.05, turned 0.0, curve 0.0 1.0",
        "spectrum: x",
    ],
)
def test_a_spectrum_that_is_none_is_told(tmp_path: Path, words: str) -> None:
    m = rich()
    m.cases["EX"] = LoadCase("EX", "seismic", spectrum=Spectrum("y", [(0.0, 1.25)]))
    path = write_ifc(m, tmp_path / "back.ifc")
    file = ifcopenshell.open(str(path))
    (case,) = (c for c in file.by_type("IfcStructuralLoadCase") if c.Name == "EX")
    case.Description = words
    file.write(str(path))
    b = transfer(read_source(path), Settings().transfer)
    assert b.cases["EX"].spectrum is None
    (told,) = (e for e in b.log if e.kind == "skipped" and "spectrum" in e.message)
    assert "load case EX" in told.message
