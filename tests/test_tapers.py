"""Members that taper: values, deflections and stresses against integrals, through IFC, corrections,
comparison and the window."""

from __future__ import annotations

from copy import deepcopy
from dataclasses import astuple, replace
from pathlib import Path

import ifcopenshell
import ifcopenshell.api.context
import ifcopenshell.api.geometry
import ifcopenshell.api.project
import ifcopenshell.api.root
import ifcopenshell.api.unit
import numpy as np
import pytest
from pytestqt.qtbot import QtBot
from scipy.integrate import cumulative_trapezoid

from rod_tally.analysis.frame.shape import member_shapes
from rod_tally.analysis.stress.section_stress import member_stresses
from rod_tally.checks.framing.properties import find_measured_sections
from rod_tally.checks.registry import Subject
from rod_tally.compare import compare
from rod_tally.compare.results import Side
from rod_tally.desk.window import Window
from rod_tally.model import LoadCase, Model, NodeLoad, Settings, TemperatureLoad
from rod_tally.model.catalogue.catalogue import catalogue_section
from rod_tally.model.catalogue.shapes import ShapeError, rectangle
from rod_tally.model.catalogue.taper import other_way, section_at, tapered
from rod_tally.model.edits import (
    AddMembers,
    EditError,
    MergeMembers,
    ReverseMembers,
    SplitMember,
    TaperMembers,
    mirror_images,
)
from rod_tally.output.ifc.model import write_ifc
from rod_tally.review import Review, review
from rod_tally.review.tallies.takeoff import takeoff
from rod_tally.review.work import read_model

from .desk_help import act, fill, model_of
from .frames import E, frame
from .physical_models import COLUMN, bay
from .physical_models import model as taken_in
from .verification import verified

P, L, DEEP, SHALLOW, WIDE = 1e4, 4.0, 0.6, 0.3, 0.25
DEEP_ONE, SHALLOW_ONE = (rectangle(f"{WIDE * 1e3:g}x{d * 1e3:g}", WIDE, d)[0] for d in (DEEP, SHALLOW))
TAPER = tapered(DEEP_ONE, SHALLOW_ONE, "250x600 to 250x300")


def cantilever(turned: bool = False) -> Model:
    """4 m, deep at its foot, a load at its tip; `turned`: drawn from its tip."""
    section = other_way(TAPER) if turned else TAPER
    m = frame([(0, 0, 0), (L, 0, 0)], [(1, 0) if turned else (0, 1)], {0: "fixed"}, section=section)
    m.cases["P"] = LoadCase("P", "live", node_loads=[NodeLoad("n1", (0, 0, -P))])
    m.cases["own"] = LoadCase("own", "self-weight", (0, 0, -1.0))
    return m


def run(m: Model) -> Review:
    settings = Settings()
    settings.run.shear_flexible = False
    return review(m, settings)


def tip(done: Review, case: int = 0) -> float:
    return float(done.results.displacement[case, done.results.node_ids.index("n1"), 2])


@pytest.mark.parametrize("turned", [False, True])
def test_a_cantilever_that_tapers(turned: bool) -> None:
    """The unit load method, w = integral of M m / (E I(x)), with I(x) = b d(x)^3 / 12 (any textbook on
    structural analysis)."""
    done = run(cantilever(turned))
    x = np.linspace(0, L, 20001)
    depth = DEEP + (SHALLOW - DEEP) * x / L
    wanted = float(np.trapezoid(P * (L - x) ** 2 / (E * WIDE * depth**3 / 12), x))
    verified(
        f"Tapered cantilever{', drawn from its tip' * turned}, deflection",
        "unit load method",
        -tip(done),
        wanted,
        2e-3,
    )
    volume = WIDE * (DEEP + SHALLOW) / 2 * L
    weight = float(done.results.reaction[1, 0, 2])
    assert weight == pytest.approx(volume * 7850 * 9.80665, rel=1e-9)
    assert done.model.weight(done.model.members["m0"]) == pytest.approx(weight)
    assert sum(r.volume or 0 for r in takeoff(done.model, "class")) == pytest.approx(volume)
    stress, unknown = member_stresses(done.model, done.results, 0)
    at = done.results.station_x if not turned else L - done.results.station_x
    modulus = WIDE * (DEEP + (SHALLOW - DEEP) * at / L) ** 2 / 6
    assert not unknown and stress["highest"] == pytest.approx(P * (L - at) / modulus, abs=1.0)
    assert not [f for f in done.findings if f.severity != "note"]


def test_a_taper_to_the_same_section_is_no_taper(loft_a: Path) -> None:
    """Of a whole building: movements, reactions, storeys, modes, centres, cuts and findings are those without
    it."""
    settings = Settings()
    settings.transfer.slabs = "two-way"
    m = read_model(loft_a, settings)
    m.cases["Warm"] = LoadCase(
        "Warm",
        "temperature",
        temperatures=[TemperatureLoad(i, 20.0, 15.0, -30.0) for i, x in m.members.items() if x.cls == "beam"],
    )
    t = deepcopy(m)
    t.sections |= {k: tapered(s, s, k) for k, s in t.sections.items() if s.usable}
    a, b = review(m, settings), review(t, settings)
    assert a.results.node_ids == b.results.node_ids
    for k in ("displacement", "reaction", "force"):
        mine, theirs = getattr(a.results, k), getattr(b.results, k)
        assert np.abs(mine - theirs).max() < 1e-9 * np.abs(mine).max(), k
    for x, y in zip(a.storeys, b.storeys, strict=True):
        assert astuple(x)[2:] == pytest.approx(astuple(y)[2:], rel=1e-6, abs=1e-6)
    assert [x.period for x in a.modes] == pytest.approx([x.period for x in b.modes], rel=1e-6)
    assert [x.stiff_x for x in a.centres] == pytest.approx([x.stiff_x for x in b.centres], rel=1e-5)
    assert [(f.code, f.ids) for f in a.findings] == [(f.code, f.ids) for f in b.findings]
    for case in ("Self-weight", "Warm"):
        mine, theirs = (member_shapes(x.model, x.results, case) for x in (a, b))
        assert np.abs(mine.displacement - theirs.displacement).max() < 1e-6 * np.abs(mine.displacement).max()
        for one, two in zip(a.storey_cuts(case)[0], b.storey_cuts(case)[0], strict=True):
            assert {k: list(v) for k, v in one.parts.items()} == {
                k: pytest.approx(v, abs=1e-3) for k, v in two.parts.items()
            }


def test_a_warmed_bar_that_tapers() -> None:
    """Held at both ends it presses with alpha T L / (integral of dx / E A) (any textbook on strength of
    materials)."""
    m = frame([(0, 0, 0), (L, 0, 0)], [(0, 1)], {0: "fixed", 1: "fixed"}, section=TAPER)
    m.cases["T"] = LoadCase("T", "temperature", temperatures=[TemperatureLoad("m0", 30.0)])
    done = run(m)
    x = np.linspace(0, L, 20001)
    soft = float(np.trapezoid(1 / (E * WIDE * (DEEP + (SHALLOW - DEEP) * x / L)), x))
    wanted = m.materials["steel"].expansion * 30.0 * L / soft
    verified(
        "Tapered bar, warmed between fixed ends: N",
        "strain and statics",
        -float(done.results.force[0, 0, 0]),
        wanted,
        1e-3,
    )


def test_its_deflection_along_it() -> None:
    """Of the cantilever, at every shown point: moments over E I(x), integrated twice."""
    done = run(cantilever())
    shapes = member_shapes(done.model, done.results, "P", 49, shear_flexible=False)
    x = np.linspace(0, L, 48001)
    bent = P * (L - x) / (E * WIDE * (DEEP + (SHALLOW - DEEP) * x / L) ** 3 / 12)
    w = cumulative_trapezoid(cumulative_trapezoid(bent, x, initial=0), x, initial=0)
    assert -shapes.displacement[0, :, 2] == pytest.approx(w[::1000], abs=3e-3 * w[-1])


def test_what_lies_between_two_sections() -> None:
    middle = section_at(TAPER, 0.5)
    assert (middle.area, middle.iy) == pytest.approx((WIDE * 0.45, WIDE * 0.45**3 / 12))
    assert middle.j == pytest.approx(rectangle("x", WIDE, 0.45)[0].j, rel=5e-3)
    assert section_at(TAPER, 0.0) == replace(TAPER, end=None) and section_at(TAPER, 1.0) == SHALLOW_ONE
    assert TAPER.mean_area == pytest.approx(WIDE * 0.45) and TAPER.depth == pytest.approx(DEEP)
    assert other_way(other_way(TAPER)) == replace(TAPER, end=replace(SHALLOW_ONE, name="250x300"))
    both = tapered(catalogue_section("IPE 200"), catalogue_section("IPE 400"), "haunch")
    at = np.linspace(0, 1, 401)
    assert both.mean_area == pytest.approx(np.trapezoid([section_at(both, s).area for s in at], at), rel=1e-5)
    for k in ("area", "iy", "iz", "avz"):
        values = [getattr(section_at(both, s), k) for s in np.linspace(0, 1, 9)]
        assert np.all(np.diff(values) > 0), k
    with pytest.raises(ShapeError, match="not of one shape"):
        tapered(DEEP_ONE, catalogue_section("IPE 200"), "no")


def test_through_ifc_and_compared(tmp_path: Path) -> None:
    m = cantilever()
    path = write_ifc(m, tmp_path / "t.ifc")
    back = read_model(path, Settings())
    (member,) = back.members.values()
    section = back.sections[member.section]
    assert section.end is not None and section.end.depth == pytest.approx(SHALLOW)
    assert not [f for f in review(back, Settings()).findings if f.code == "source.unread"]
    (row,) = compare(Side(m), Side(back)).members
    assert row.status == "same"
    (row,) = compare(Side(m), Side(cantilever(turned=True))).members
    assert row.status == "same", row.changes
    other = cantilever()
    other.sections[TAPER.name] = replace(TAPER, end=rectangle("250x350", WIDE, 0.35)[0])
    (row,) = compare(Side(m), Side(other)).members
    assert row.status == "resized" and [c.what for c in row.changes] == ["section"]
    plain = cantilever()
    plain.sections[TAPER.name] = DEEP_ONE
    assert compare(Side(m), Side(plain)).members[0].status == "resized"


def solid(path: Path, end: tuple[str, tuple[float, ...]], reach: float = 4000.0) -> Path:
    """A beam whose body tapers, in millimetres, with straight top: the smaller rectangle is placed higher."""
    f = ifcopenshell.api.project.create_file(version="IFC4")
    project = ifcopenshell.api.root.create_entity(f, ifc_class="IfcProject", name="taper")
    ifcopenshell.api.unit.assign_unit(f)
    root = ifcopenshell.api.context.add_context(f, context_type="Model")
    body = ifcopenshell.api.context.add_context(
        f, context_type="Model", context_identifier="Body", target_view="MODEL_VIEW", parent=root
    )
    assert project is not None
    beam = ifcopenshell.api.root.create_entity(f, ifc_class="IfcBeam", name="B")

    def at(y: float) -> object:
        return f.create_entity("IfcAxis2Placement2D", f.create_entity("IfcCartesianPoint", (0.0, y)))

    first = f.create_entity("IfcRectangleProfileDef", "AREA", "250x600", at(-300.0), 250.0, 600.0)
    kind, sizes = end
    last = f.create_entity(kind, "AREA", "end", at(-150.0), *sizes)
    z, x = (f.create_entity("IfcDirection", d) for d in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0)))
    place = f.create_entity(
        "IfcAxis2Placement3D", f.create_entity("IfcCartesianPoint", (0.0, 0.0, 3000.0)), z, x
    )
    up = f.create_entity("IfcDirection", (0.0, 0.0, 1.0))
    item = f.create_entity("IfcExtrudedAreaSolidTapered", first, place, up, reach, last)
    shape = f.create_entity("IfcShapeRepresentation", body, "Body", "AdvancedSweptSolid", [item])
    ifcopenshell.api.geometry.assign_representation(f, product=beam, representation=shape)
    ifcopenshell.api.geometry.edit_object_placement(f, product=beam)
    f.write(str(path))
    return path


def test_a_body_that_tapers_is_a_member_that_tapers(tmp_path: Path) -> None:
    """Its axis goes through the centroids of both its ends: with a straight top it rises towards the shallow
    one."""
    m = read_model(solid(tmp_path / "t.ifc", ("IfcRectangleProfileDef", (250.0, 300.0))), Settings())
    (member,) = m.members.values()
    section = m.sections[member.section]
    assert section.end is not None and (section.depth, section.end.depth) == pytest.approx((0.6, 0.3))
    assert m.line(member) + m.origin == pytest.approx(np.array([(0, 0, 2.7), (4, 0, 2.85)]), abs=1e-6)
    assert not list(find_measured_sections(Subject(m, Settings())))


def test_a_body_between_two_shapes_says_so(tmp_path: Path) -> None:
    m = read_model(solid(tmp_path / "t.ifc", ("IfcIShapeProfileDef", (250.0, 300.0, 10.0, 15.0))), Settings())
    (member,) = m.members.values()
    assert m.sections[member.section].end is None
    (found,) = find_measured_sections(Subject(m, Settings()))
    assert "tapers" in found.message


def test_corrections_of_members_that_taper() -> None:
    m = taken_in(bay())
    before = {i: x.section for i, x in m.members.items()}
    edit = TaperMembers(["B1"], COLUMN)
    edit.apply(m)
    assert m.members["B1"].section == f"{before['B1']} to {COLUMN}"
    weight = m.weight(m.members["B1"])
    done = review(m, Settings())
    assert not [f for f in done.findings if f.severity == "blocking"]
    with pytest.raises(EditError, match="not of one shape"):
        TaperMembers(["B1"], "IPE 300").apply(m)
    with pytest.raises(EditError, match="neither"):
        TaperMembers(["B1"], "nothing").apply(m)
    SplitMember("B1", 1.5).apply(m)
    halves = [m.sections[m.members[i].section] for i in ("B1", "B1+")]
    assert halves[0].end is not None and halves[0].end.outline == halves[1].outline
    assert sum(m.weight(m.members[i]) for i in ("B1", "B1+")) == pytest.approx(weight)
    with pytest.raises(EditError):
        MergeMembers(["B1", "B1+"]).apply(m)
    ReverseMembers(["B1"]).apply(m)
    turned = m.sections[m.members["B1"].section]
    assert turned.end is not None and turned.end.depth == pytest.approx(halves[0].depth)
    TaperMembers(["B1"], "").apply(m)
    assert m.sections[m.members["B1"].section].end is None
    m = taken_in(bay())
    edit.apply(m)
    images, _ = mirror_images(m, ["B1"], [], "y", 5.0)
    AddMembers(images).apply(m)
    image = m.sections[m.members["added-1"].section]
    own = m.sections[m.members["B1"].section]
    assert (
        image.end is not None
        and own.end is not None
        and (image.depth, image.end.depth) == (own.depth, own.depth)
    )


def test_in_the_window(loft: Window, qtbot: QtBot) -> None:
    beam = next(m for m in model_of(loft).members.values() if m.name == "Loft A2-A3")
    before = beam.section
    loft.state.pick("member", beam.id)
    act(loft, qtbot, "model.taper")
    fill(loft, qtbot, loft.corrections.form, end="IPE 500")
    assert model_of(loft).members[beam.id].section == f"{before} to IPE 500"
    loft.session.undo.undo()
    assert model_of(loft).members[beam.id].section == before
