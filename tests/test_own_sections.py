"""Sections of one's own: against handbook values and a section library, given to members, through a recipe
and IFC."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from rod_tally.checks.framing.properties import find_shear_centres
from rod_tally.checks.registry import Subject
from rod_tally.cli import main
from rod_tally.desk.window import Window
from rod_tally.model import Settings
from rod_tally.model.catalogue.catalogue import catalogue_section
from rod_tally.model.catalogue.own import SHAPES, own_section
from rod_tally.model.catalogue.shapes import ShapeError, from_polygon
from rod_tally.model.catalogue.warping import shear_centre, warping
from rod_tally.model.edits import EditError, OwnMaterial, OwnSection, TurnMembers, from_record
from rod_tally.review.work import read_model

from .desk_help import act, fill, model_of
from .frames import regular
from .verification import verified

SIZES: dict[str, dict[str, float]] = {
    "rectangle": {"width": 0.2, "depth": 0.4},
    "box": {"width": 0.2, "depth": 0.3, "wall": 0.01},
    "circle": {"diameter": 0.3},
    "tube": {"diameter": 0.3, "wall": 0.01},
    "i": {"depth": 0.3, "width": 0.15, "web": 0.0071, "flange": 0.0107, "fillet": 0.015},
    "tee": {"depth": 0.2, "width": 0.2, "web": 0.01, "flange": 0.015},
    "channel": {"depth": 0.2, "width": 0.075, "web": 0.0085, "flange": 0.0115},
    "angle": {"depth": 0.15, "width": 0.1, "thickness": 0.012},
    "welded box": {"depth": 0.4, "width": 0.2, "web": 0.01, "flange": 0.02},
    "cross": {"depth": 0.3, "width": 0.2, "web": 0.02, "flange": 0.01},
    "i with plates": {
        "depth": 0.3,
        "width": 0.15,
        "web": 0.0071,
        "flange": 0.0107,
        "fillet": 0.015,
        "plate_width": 0.2,
        "plate": 0.01,
    },
    "values": {"area": 0.01, "iy": 2e-4, "iz": 1e-4, "j": 5e-5},
}


def test_every_shape_is_tried() -> None:
    assert SIZES.keys() == SHAPES.keys()


def test_closed_forms() -> None:
    r = own_section("r", "rectangle", SIZES["rectangle"])
    assert (r.area, r.iy, r.iz) == pytest.approx((0.08, 0.2 * 0.4**3 / 12, 0.4 * 0.2**3 / 12))
    b = own_section("b", "box", SIZES["box"])
    assert b.iy == pytest.approx((0.2 * 0.3**3 - 0.18 * 0.28**3) / 12)
    c = own_section("c", "circle", SIZES["circle"])
    assert c.iy == pytest.approx(math.pi * 0.3**4 / 64, rel=2e-3)
    t = own_section("t", "tube", SIZES["tube"])
    assert t.j == pytest.approx(math.pi * (0.3**4 - 0.28**4) / 32, rel=2e-3)


def test_an_i_by_its_sizes_is_the_catalogues() -> None:
    """IPE 300 of EN 10365: A 53.8 cm2, Iy 8356 cm4, Iz 603.8 cm4, It 20.1 cm4."""
    i = own_section("mine", "i", SIZES["i"])
    for name, got, wanted, within in (
        ("A, cm2", i.area * 1e4, 53.8, 2e-3),
        ("Iy, cm4", i.iy * 1e8, 8356.0, 3e-3),
        ("Iz, cm4", i.iz * 1e8, 603.8, 3e-3),
        ("It, cm4", i.j * 1e8, 20.1, 0.03),
    ):
        verified(f"IPE 300 by its sizes, {name}", "EN 10365:2017 (from memory)", got, wanted, within)


@pytest.mark.parametrize("shape", ["tee", "channel", "angle", "welded box", "cross", "i with plates"])
def test_against_a_section_library(shape: str) -> None:
    """sectionproperties, analysis of the same outline: area, second moments, torsion constant, shear
    centre."""
    from sectionproperties.analysis import Section
    from sectionproperties.pre import Geometry
    from shapely.geometry import Polygon

    own = own_section("x", shape, SIZES[shape])
    geometry = Geometry(Polygon(own.outline, own.voids))
    geometry.create_mesh(mesh_sizes=[own.area / 200])
    s = Section(geometry)
    s.calculate_geometric_properties()
    s.calculate_warping_properties()
    ixx, iyy, ixy = s.get_ic()
    assert own.area == pytest.approx(s.get_area())
    assert (own.iy, own.iz) == pytest.approx((ixx, iyy)) and abs(own.iyz) == pytest.approx(
        abs(ixy), abs=1e-12
    )
    found = warping(own.outline, own.voids)
    assert found is not None
    assert found.j == pytest.approx(s.get_j(), rel=0.01) and own.j == pytest.approx(s.get_j(), rel=0.1)
    assert (found.y, found.z) == pytest.approx(s.get_sc_t(), abs=0.005 * own.depth)
    seen = warping(tuple((-y, z) for y, z in own.outline), own.voids)  # in a mirror
    assert seen is not None and seen.j == pytest.approx(found.j, rel=1e-3)
    assert (seen.y, seen.z) == pytest.approx((-found.y, found.z), abs=1e-4 * own.depth)


@pytest.mark.parametrize(
    ("shape", "sizes", "words"),
    [
        ("hexagon", {}, "is no shape"),
        ("rectangle", {"width": 0.1}, "depth is missing"),
        ("rectangle", {"width": 0.1, "depth": 0.0}, "must be positive"),
        ("rectangle", {"width": 0.1, "depth": float("nan")}, "must be positive"),
        ("rectangle", {"width": 0.1, "depth": 0.2, "web": 0.01}, "has no web"),
        ("box", {"width": 0.1, "depth": 0.2, "wall": 0.06}, "wall"),
        ("i", {"depth": 0.1, "width": 0.1, "web": 0.01, "flange": 0.06}, "do not fit"),
    ],
)
def test_sizes_that_make_no_section_say_so(shape: str, sizes: dict[str, float], words: str) -> None:
    with pytest.raises(ShapeError, match=words):
        own_section("x", shape, sizes)
    with pytest.raises(EditError, match=words):
        OwnSection([], "x", shape, sizes).apply(regular())


@pytest.mark.parametrize("shape", list(SIZES))
def test_given_to_members_taken_back_and_written_down(shape: str) -> None:
    model = regular()
    ids = list(model.members)[:3]
    before = {i: m.section for i, m in model.members.items()}
    edit = OwnSection(ids, "mine", shape, SIZES[shape])
    edit.apply(model)
    assert {model.members[i].section for i in ids} == {"mine"} and model.sections["mine"].usable
    again = from_record(model.corrections[-1], model)
    assert isinstance(again, OwnSection) and again.sizes == SIZES[shape]
    edit.revert(model)
    assert {i: m.section for i, m in model.members.items()} == before and "mine" not in model.sections
    taken = next(iter(model.sections))
    with pytest.raises(EditError, match="already"):
        OwnSection(ids, taken, shape, SIZES[shape]).apply(model)


@pytest.mark.parametrize("shape", list(SIZES))
def test_through_a_recipe_and_ifc(shape: str, tmp_path: Path) -> None:
    recipe = tmp_path / "r.toml"
    sizes = "\n".join(f"{k} = {v!r}" for k, v in SIZES[shape].items())
    recipe.write_text(
        f'kind = "frame"\nstoreys = [3.0]\nbays_x = [5.0]\nbays_y = [4.0]\ncolumn = "mine"\n[sections.mine]\nshape = "{shape}"\n{sizes}\n'
    )
    assert main(["make", str(recipe), "--ifc", str(tmp_path / "m.ifc")]) == 0
    model = read_model(tmp_path / "m.ifc", Settings())
    column = next(m for m in model.members.values() if m.cls == "column" or m.name.startswith("Column"))
    back, want = model.sections[column.section], own_section("mine", shape, SIZES[shape])
    # a recipe's own section comes back from IFC as it was made, by its shape or by its values
    assert (back.area, back.iy, back.iz) == pytest.approx((want.area, want.iy, want.iz), rel=1e-3)
    assert back.j == pytest.approx(want.j, rel=0.02)


def test_in_the_window(loft: Window, qtbot: QtBot) -> None:
    beam = next(m for m in model_of(loft).members.values() if m.name == "Loft A2-A3")
    loft.state.pick("member", beam.id)
    act(loft, qtbot, "model.own_section")
    fill(loft, qtbot, loft.corrections.form, shape="rectangle")
    fill(loft, qtbot, loft.corrections.form, name="timber 200x400", width=200, depth=400)
    own = model_of(loft).members[beam.id]
    assert own.section == "timber 200x400"
    assert model_of(loft).sections[own.section].area == pytest.approx(0.08)


def test_the_shear_centre_of_rolled_channels_and_tees() -> None:
    """From the centroid. EN 10365 tables of UPN and UPE, y_m (from memory); a tee's is where the mid-lines of
    web and flange meet, an angle's where those of its legs do (any textbook on thin-walled sections)."""
    for name, there in (("UPN 200", 39.4), ("UPN 300", 54.1), ("UPE 200", 54.1)):
        centre = shear_centre(catalogue_section(name))
        assert centre is not None and centre[1] == 0  # on the far side of the web
        verified(
            f"{name}, shear centre from the centroid, mm",
            "EN 10365:2017 (from memory)",
            -centre[0] * 1e3,
            there,
            0.04,
        )
    tee = own_section("t", "tee", SIZES["tee"])
    assert shear_centre(tee) == pytest.approx((0.0, tee.bounds[3] - 0.015 / 2), abs=2e-3)
    leg = own_section("a", "angle", SIZES["angle"])
    low = leg.bounds[0] + 0.006, leg.bounds[2] + 0.006
    assert shear_centre(leg) == pytest.approx(low, abs=2e-3)
    assert shear_centre(own_section("i", "i", SIZES["i"])) == (0.0, 0.0)
    assert shear_centre(own_section("v", "values", SIZES["values"])) is None


@pytest.mark.parametrize("count", [64, 8000])
def test_the_torsion_of_an_ellipse(count: int) -> None:
    """J = pi a^3 b^3 / (a^2 + b^2) (Saint-Venant; any textbook on elasticity), however finely the outline is
    drawn."""
    a, b = 0.2, 0.3
    around = [2 * math.pi * k / count for k in range(count)]
    made = from_polygon("ellipse", "arbitrary", [(a * math.cos(t), b * math.sin(t)) for t in around])[0]
    assert made.j == pytest.approx(math.pi * a**3 * b**3 / (a**2 + b**2), rel=5e-3)


def test_the_torsion_of_an_outline_with_two_cells() -> None:
    """Bredt: by symmetry the middle wall of two like cells carries no flow, so the outer wall alone counts, J
    = 4 A0^2 / (sum of s/t)."""
    t, side = 0.004, 0.2
    cells = [[(x + t / 2, t / 2), (x + side - t / 2, t / 2), (x + side - t / 2, side - t / 2), (x + t / 2, side - t / 2)]
             for x in (0.0, side)]  # fmt: skip
    outer = [
        (-t / 2, -t / 2),
        (2 * side + t / 2, -t / 2),
        (2 * side + t / 2, side + t / 2),
        (-t / 2, side + t / 2),
    ]
    made = from_polygon("two cells", "arbitrary", outer, cells)[0]
    assert made.j == pytest.approx(4 * (2 * side * side) ** 2 / (6 * side / t), rel=0.03)


def test_beams_with_the_shear_centre_beside_the_axis_are_one_note() -> None:
    model = regular()
    beams = [i for i, m in model.members.items() if m.cls == "beam"]
    assert not list(find_shear_centres(Subject(model, Settings())))
    OwnSection(beams[:2], "mine", "channel", SIZES["channel"]).apply(model)
    OwnSection(beams[2:3], "other", "angle", SIZES["angle"]).apply(model)
    column = next(i for i, m in model.members.items() if m.cls == "column")
    OwnSection([column], "strut", "channel", SIZES["channel"]).apply(model)
    (found,) = find_shear_centres(Subject(model, Settings()))
    assert set(found.ids) == set(beams[:3]) and found.severity == "note" and "mine" in found.message
    # weight goes through the shear centre of a tee whose web stands upright, and not of one that lies on its
    # side
    model = regular()
    OwnSection(beams[:1], "tee", "tee", SIZES["tee"]).apply(model)
    assert not list(find_shear_centres(Subject(model, Settings())))
    TurnMembers(beams[:1], 90.0).apply(model)
    assert [f.ids for f in find_shear_centres(Subject(model, Settings()))] == [(beams[0],)]


def test_a_material_of_ones_own() -> None:
    """Steel of E 200 GPa and nu 0.25: G = E / 2 (1 + nu) = 80 GPa; what is not given stays unknown, and no
    number out of range is taken."""
    model = regular()
    ids = list(model.members)[:2]
    values = {"E": 200e9, "poisson": 0.25, "density": 7900.0, "alpha": 11e-6}
    edit = OwnMaterial(ids, "mine", "steel", values)
    edit.apply(model)
    mine = model.materials["mine"]
    assert {model.members[i].material for i in ids} == {"mine"}
    assert (mine.shear_modulus, mine.expansion, mine.strength) == (pytest.approx(80e9), 11e-6, None)
    assert mine.origin == dict.fromkeys(values, "a material of one's own")
    again = from_record(model.corrections[-1], model)
    assert isinstance(again, OwnMaterial) and again.values == values
    edit.revert(model)
    assert "mine" not in model.materials
    for name, bad, words in (
        ("steel", values, "already"),
        ("", values, "needs a name"),
        ("m", {"density": 1.0}, "density is 1;"),
        ("m", {"E": 210.0}, "E is 210; it must lie"),
        ("m", {"density": 2000.0}, "E is missing"),
        ("m", {"colour": 1.0}, "known are E"),
    ):
        with pytest.raises(EditError, match=words):
            OwnMaterial(ids, name, "", bad).apply(model)


def test_what_is_ones_own_is_offered_for_the_next_model(loft: Window, qtbot: QtBot) -> None:
    w = loft
    beams = [m.id for m in model_of(w).members.values() if m.name in ("Loft A2-A3", "Loft B2-B3")]
    w.state.pick("member", beams[0])
    act(w, qtbot, "model.own_section")
    fill(w, qtbot, w.corrections.form, shape="cross")
    fill(w, qtbot, w.corrections.form, name="my cross", depth=300, width=200, web=20, flange=10)
    act(w, qtbot, "model.own_material")
    fill(
        w,
        qtbot,
        w.corrections.form,
        name="my larch",
        kind="timber",
        E=11,
        G=0,
        poisson=0,
        density=550,
        strength=20,
        alpha=0,
    )
    own = model_of(w).members[beams[0]]
    assert (own.section, own.material) == ("my cross", "my larch")
    assert pytest.approx(11e9) == model_of(w).materials["my larch"].E
    act(w, qtbot, "model.own_section")
    fill(w, qtbot, w.corrections.form, shape="box")
    fill(w, qtbot, w.corrections.form, name="no box", depth=100, width=100, wall=60)
    form = w.corrections.form
    assert form is not None and form.isVisible() and form.fault.text(), "it stays, with the reason"
    form.reject()
    w.session.undo.undo()
    w.session.undo.undo()
    assert "my cross" not in model_of(w).sections and "no box" not in w.session.memory.own("sections")
    w.state.pick("member", beams[1])
    for command, kind, name in (
        ("model.section", "section", "my cross"),
        ("model.material", "material", "my larch"),
    ):
        act(w, qtbot, command)
        fill(w, qtbot, w.corrections.form, **{kind: name})
        assert getattr(model_of(w).members[beams[1]], kind) == name
    assert model_of(w).sections["my cross"].area == pytest.approx(0.3 * 0.02 + 0.18 * 0.01)
