"""Models from parameters: counts and loads by hand, simple beam formulas, and the same model once it is read
back."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

import rod_tally
from rod_tally.cli import main
from rod_tally.make import Made, Recipe, RecipeError, make
from rod_tally.model import Model, Settings
from rod_tally.output.ifc import write_ifc
from rod_tally.review import Review, review
from rod_tally.review.work import read_model

from .verification import verified

FRAME = {"kind": "frame", "storeys": [4.2, 3.6, 3.6], "bays_x": [6.0, 6.0], "bays_y": [5.4, 5.4], "slab": 0.2}
FACADE = {
    "kind": "facade", "storeys": [3.5, 3.2, 3.2], "spacings": [1.5, 1.5, 1.8], "cross_members": [0.0, 0.9],
    "exceptions": [{"storey": 2, "cross_members": [0.0, 0.9, 2.7]}, {"bay": 3, "cross_members": [0.0]}],
    "sideways": True, "pane_weight": 400.0, "wind": 800.0, "line_load": {"height": 1.1, "value": 1000.0},
}  # fmt: skip


def made(recipe: dict[str, object], **more: object) -> Made:
    return make(Recipe.from_dict({**recipe, **more}))


def run(m: Model) -> Review:
    r = review(m, Settings.from_dict({"modes": {"count": 0}}))
    assert all(e.residual < 1e-9 for e in r.results.equilibrium)
    return r


def applied(r: Review, case: str) -> np.ndarray:
    return next(e.applied for e in r.results.equilibrium if e.case == case)


def test_a_frame_has_its_columns_beams_and_slabs() -> None:
    """By hand: 3 storeys of 9 columns, 12 beams and 4 slabs; weight of the parts."""
    m = made(FRAME).model
    count = {c: sum(x.cls == c for x in m.members.values()) for c in ("column", "beam")}
    assert count == {"column": 27, "beam": 36} and len(m.surfaces) == 12
    assert sum(n.support.any for n in m.nodes.values()) == 9
    assert [s.elevation for s in m.storeys] == pytest.approx([0, 4.2, 7.8, 11.4])
    steel = 9 * 11.4 * m.sections["HE 240 B"].area + 3 * (6 * 6.0 + 6 * 5.4) * m.sections["IPE 360"].area
    weight = (steel * 7850 + 3 * 12.0 * 10.8 * 0.2 * 2500) * 9.80665
    assert applied(run(m), "Self-weight")[2] == pytest.approx(-weight, rel=1e-6)


def test_pinned_feet_and_ends() -> None:
    m = made(FRAME, base="pinned", beam_ends="pinned").model
    assert {x.release_start.words for x in m.members.values() if x.cls == "beam"} == {"my mz"}
    assert all(not n.support.words.split().count("rx") for n in m.nodes.values())


def test_cross_members_of_storeys_and_bays_with_the_later_exception_winning() -> None:
    m = made(FACADE).model
    bars = sorted(
        m.nodes[x.start].point[2]
        for x in m.members.values()
        if x.cls == "beam" and m.nodes[x.start].point[0] == 0
    )
    assert bars == pytest.approx([0, 0.9, 3.5, 4.4, 6.2, 6.7, 7.6])
    third = sorted(
        m.nodes[x.start].point[2]
        for x in m.members.values()
        if x.cls == "beam" and m.nodes[x.start].point[0] == 3.0
    )
    assert third == pytest.approx([0, 3.5, 6.7])
    assert sum(x.cls == "column" for x in m.members.values()) == 4 * 3
    held = [n for n in m.nodes.values() if n.support.words == "ux uy"]
    at = sorted((round(float(n.point[0]), 6), round(float(n.point[2]), 6)) for n in held)
    assert at == [(x, z) for x in (0, 1.5, 3.0, 4.8) for z in (3.5, 6.7)]


def test_loads_of_a_facade_add_up() -> None:
    """Wind q A; panes times their weight; the barrier's line over its length in every storey."""
    r = run(made(FACADE).model)
    area = 4.8 * 9.9
    assert applied(r, "Wind") == pytest.approx(
        [0, 800 * area, 0, -800 * area * 9.9 / 2, 0, 800 * area * 2.4], rel=1e-9, abs=1e-6
    )
    assert applied(r, "Panes")[2] == pytest.approx(-400 * area, rel=1e-9)
    assert applied(r, "Barrier")[1] == pytest.approx(3 * 1000 * 4.8, rel=1e-9)
    # at 1.1 m above each level, where no cross member is near: on the uprights
    assert applied(r, "Barrier")[3] == pytest.approx(
        -1000 * 4.8 * sum(z + 1.1 for z in (0, 3.5, 6.7)), rel=1e-9
    )


def test_a_cross_member_takes_the_barrier_load_that_is_at_its_height() -> None:
    m = made(FACADE, line_load={"height": 0.93, "value": 1000.0}).model
    on = {x.member for x in m.cases["Barrier"].member_loads if x.b > x.a}
    assert all(m.members[i].cls == "beam" for i in on) and len(on) == 3 * 2


def test_moments_of_a_cross_member_are_those_of_a_simple_beam() -> None:
    """Pinned ends: a pane on two points M = W/2 L/4; a trapezoid of wind from above and below (statics of the
    simple beam)."""
    w, h = 2.0, 1.2
    m = made(
        {
            "kind": "facade",
            "storeys": [3.6],
            "spacings": [w, w, w],
            "cross_members": [0.0, 1.2, 2.4],
            "beam_ends": "pinned",
            "pane_weight": 400.0,
            "wind": 800.0,
        }
    ).model
    r = run(m)
    bar = next(x.id for x in m.members.values() if x.name == "Cross member bay 2 at 1.200 m")
    at = r.results.stations_of(bar)

    def moment(case: str, k: int) -> float:
        return float(np.abs(r.results.force[r.results.case_index(case), at, k]).max())

    assert moment("Panes", 4) == pytest.approx(400 * w * h / 2 * w / 4, rel=1e-6)
    # a trapezoid on either side: rising over a = h / 2 to q h / 2; M = p (3 L^2 - 4 a^2) / 24 each (any
    # handbook)
    p, a = 800 * h / 2, h / 2
    assert moment("Wind", 5) == pytest.approx(2 * p * (3 * w**2 - 4 * a**2) / 24, rel=1e-6)


@pytest.mark.parametrize(
    "recipe", [FRAME, FACADE, {**FACADE, "beam_ends": "pinned", "base": "pinned", "base_level": -1.5}]
)
def test_what_is_read_back_equals_what_was_made(recipe: dict[str, object], tmp_path: Path) -> None:
    m = made(recipe).model
    back = read_model(write_ifc(m, tmp_path / "made.ifc"), Settings())
    assert {s.name: s.elevation for s in back.storeys} == pytest.approx(
        {s.name: s.elevation for s in m.storeys}
    )
    assert set(back.members) == set(m.members) and set(back.surfaces) == set(m.surfaces)
    for ident, x in m.members.items():
        y = back.members[ident]
        assert (y.name, y.cls, y.section, y.material) == (x.name, x.cls, x.section, x.material)
        assert (y.release_start, y.release_end) == (x.release_start, x.release_end)
        assert back.line(y) + back.origin == pytest.approx(m.line(x), abs=1e-9)
        assert len(y.joints) == len(x.joints)
    one, two = run(m), run(back)
    for case in m.cases:
        assert applied(two, case) == pytest.approx(applied(one, case), rel=1e-9, abs=1e-6)
        a, b = (x.results.displacement[x.results.case_index(case)] for x in (one, two))
        assert np.abs(a).max() == pytest.approx(np.abs(b).max(), rel=1e-6)
    assert {n: (c.kind, c.category) for n, c in back.cases.items()} == {
        n: (c.kind, c.category) for n, c in m.cases.items()
    }


def test_a_portal_against_its_closed_form() -> None:
    """Fixed portal pushed by F at its beam: M at each foot = F h / 2 (3 k + 1) / (6 k + 1), k = (I_beam /
    I_column) h / l (rigid-frame formulas of any handbook; from memory)."""
    from rod_tally.model import LoadCase, NodeLoad
    from rod_tally.model.settings import RunSettings

    m = made({"kind": "frame", "storeys": [4.0], "bays_x": [8.0], "bays_y": [5.0]}).model
    # the frame at y = 0 alone: that at y = 5 is alike, and the beams between them carry nothing when both are
    # pushed
    tops = [n for n in m.nodes.values() if n.point[2] == 4.0 and n.point[0] == 0.0]
    m.cases["F"] = LoadCase("F", "wind", node_loads=[NodeLoad(n.id, (10e3, 0, 0), (0, 0, 0)) for n in tops])
    # no axial and shear strain, as the formulas have it
    m.sections = {n: replace(s, area=s.area * 1e4, avy=0.0, avz=0.0) for n, s in m.sections.items()}
    options = Settings.from_dict({"modes": {"count": 0}, "run": {"shear_flexible": False}})
    assert isinstance(options.run, RunSettings)
    r = review(m, options)
    k = m.sections["IPE 360"].iy / m.sections["HE 240 B"].iy * 4.0 / 8.0
    # the columns' local z lies along x, so that they bend about their strong axis
    feet = [r.results.reaction[r.results.case_index("F"), i, 4] for i, n in enumerate(r.results.support_ids)]
    for foot in np.abs(feet):
        wanted = 10e3 * 4 / 2 * (3 * k + 1) / (6 * k + 1)
        verified(
            "fixed portal pushed at its beam, moment at a foot, N m",
            "rigid-frame formulas of any handbook",
            foot,
            wanted,
            1e-3,
        )


@pytest.mark.parametrize(
    "change, why",
    [
        ({"spacings": [1.5, 0.0]}, r"spacings\[2\] is 0.0"),
        ({"cross_members": [0.0, 3.3]}, "cross_members: 3.3 m"),
        ({"cross_members": [0.9, 0.0]}, "must rise"),
        ({"stories": [3.0]}, "unknown key stories"),
        ({"bays_x": [3.0]}, "bays_x is for the other kind"),
        ({"exceptions": [{"storey": 9, "cross_members": [0.0]}]}, "no storey 9"),
        ({"exceptions": [{"bay": 9, "cross_members": [0.0]}]}, "bay is 9"),
        ({"column": "HE 240 X"}, "column is 'HE 240 X'"),
        ({"material": "cheese"}, "material is"),
        ({"wind": math.nan}, "wind is"),
        ({"line_load": {"height": 9.0, "value": 1.0}}, "line_load.height"),
        ({"base": "glued"}, "base is"),
        ({"storeys": []}, "storeys is"),
        ({"exceptions": [{"storey": 2, "cross": [0.0]}]}, r"exceptions\[1\].cross"),
        ({"spacings": [1.0] * 60_000}, "the most is"),
    ],
)
def test_errors_name_the_key(change: dict[str, object], why: str) -> None:
    with pytest.raises(RecipeError, match=why):
        Recipe.from_dict({**FACADE, **change})
    with pytest.raises(RecipeError, match="spacings is missing"):
        Recipe.from_dict({"kind": "facade", "storeys": [3.0]})
    with pytest.raises(RecipeError, match="kind is None"):
        Recipe.from_dict({"storeys": [3.0]})


def test_sections_of_ones_own() -> None:
    m = made(
        FACADE,
        column="Upright",
        sections={"Upright": {"shape": "box", "width": 0.05, "depth": 0.15, "wall": 0.003}},
    ).model
    assert m.sections["Upright"].area == pytest.approx(0.05 * 0.15 - 0.044 * 0.144)


def test_the_command_writes_a_model_that_can_be_reviewed(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    recipe = tmp_path / "front.toml"
    recipe.write_text(
        'kind = "facade"\nstoreys = [3.5, 3.2]\nspacings = [1.5, 1.5]\ncross_members = [0.9]\npane_weight = 300.0\nwind = 500.0\n'
    )
    assert main(["make", str(recipe), "--ifc", str(tmp_path / "front.ifc")]) == 0
    assert "no cross member below them" in capsys.readouterr().out
    assert main(["review", str(tmp_path / "front.ifc"), "--out", str(tmp_path / "out")]) in (0, 1)
    recipe.write_text('kind = "facade"\nstoreys = [3.5]\nspacings = [0.0]\n')
    assert main(["make", str(recipe), "--ifc", str(tmp_path / "no.ifc")]) == 2
    assert not (tmp_path / "no.ifc").exists() and "spacings" in capsys.readouterr().err


def test_the_recipes_of_the_help_are_made(tmp_path: Path) -> None:
    """Each example stands for something that works, with loads that reach its members."""
    text = (Path(rod_tally.__file__).parent / "help" / "making.md").read_text(encoding="utf-8")
    recipes = [r for r in re.findall(r"```toml\n(.*?)```", text, re.S) if "kind =" in r]
    assert len(recipes) == 2
    for k, words in enumerate(recipes):
        (tmp_path / f"{k}.toml").write_text(words, encoding="utf-8")
        made = make(Recipe.read(tmp_path / f"{k}.toml"))
        assert len(made.model.members) > 10 and not made.notes


def test_suction_is_wind_the_other_way_and_the_top_can_be_held() -> None:
    m = made(FACADE, suction=500.0, sideways_top=True).model
    r = run(m)
    assert applied(r, "Suction") == pytest.approx(
        (-500 / 800 * np.array(applied(r, "Wind"))).tolist(), rel=1e-9, abs=1e-6
    )
    assert m.cases["Suction"].kind == "wind"
    held = sorted({round(float(n.point[2]), 6) for n in m.nodes.values() if n.support.words == "ux uy"})
    assert held == [3.5, 6.7, 9.9]
    alone = made(FACADE, sideways=False, sideways_top=True).model
    assert {round(float(n.point[2]), 6) for n in alone.nodes.values() if n.support.words == "ux uy"} == {9.9}


def test_a_material_of_ones_own_and_aluminium() -> None:
    """EN 1999-1-1 3.2.5: E 70 GPa, G 27 GPa, 2,700 kg/m3."""
    m = made(FACADE, material="EN AW-6082 T6").model
    own = m.materials["EN AW-6082 T6"]
    assert (own.kind, own.E, own.shear_modulus, own.density) == ("aluminium", 70e9, 27e9, 2700.0)
    m = made(
        FACADE, material="Oak", materials={"Oak": {"E": 1.1e10, "density": 690.0, "G": 7e8, "kind": "timber"}}
    ).model
    own = m.materials["Oak"]
    assert (own.kind, own.E, own.shear_modulus, own.density, own.strength) == (
        "timber",
        1.1e10,
        7e8,
        690.0,
        None,
    )
    assert {x.material for x in m.members.values()} == {"Oak"}
    for wrong, words in (
        ({"E": -1.0, "density": 690.0}, "E"),
        ({"E": 1e10}, "density"),
        ({"E": 1e10, "density": 700.0, "colour": 1}, "colour"),
    ):
        with pytest.raises(RecipeError, match=words):
            made(FACADE, material="Oak", materials={"Oak": wrong})
    with pytest.raises(RecipeError, match="not in \\[materials\\]"):
        made(FACADE, material="Oak")


def test_make_prints_what_each_case_sums_up_to(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    text = 'kind = "facade"\nstoreys = [4.0]\nspacings = [1.5, 1.5]\nwind = 600.0\nsuction = 300.0\npane_weight = 350.0\n'
    (tmp_path / "f.toml").write_text(text)
    assert main(["make", str(tmp_path / "f.toml"), "--ifc", str(tmp_path / "f.ifc")]) == 0
    out = capsys.readouterr().out.splitlines()
    assert (
        "Wind: 7.2 kN along y" in out
        and "Suction: -3.6 kN along y" in out
        and "Panes: -4.2 kN along z" in out
    )
    assert any(line.startswith("Self-weight: -") for line in out)


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ('kind = "frame"\nstoreys = [3.0]\nbays_x = [6.0]\nbays_y = [5.0]\nfoo = 1\n', 5),
        ('kind = "frame"\n\nstoreys = "high"\nbays_x = [6.0]\nbays_y = [5.0]\n', 3),
        (
            'kind = "frame"\nstoreys = [3.0]\nbays_x = [6.0]\nbays_y = [5.0]\n[sections."A"]\nshape = "star"\n',
            6,
        ),
        (
            'kind = "facade"\nstoreys = [3.0]\nspacings = [1.5]\nexceptions = [{ bay = 7, cross_members = [0.0] }]\n',
            4,
        ),
        ('kind = "frame"\nstoreys = [3.0]\nbays_x = [6.0]\n', 0),  # what is missing stands in no line
    ],
)
def test_what_is_wrong_is_said_with_its_line(tmp_path: Path, text: str, line: int) -> None:
    path = tmp_path / "recipe.toml"
    path.write_text(text, encoding="utf-8")
    with pytest.raises(RecipeError) as error:
        Recipe.read(path)
    assert str(error.value).startswith(f"{path}, line {line}: " if line else f"{path}: "), error.value
