"""Sheets of wall panels: their cuts by statics in every combination, what governs, how each number comes about,
joints against their capacity; on paper, as HTML and in the window."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.cli import main
from rod_tally.desk.window import Window
from rod_tally.model import Combination, LoadCase, Model, Settings, Spectrum
from rod_tally.model.settings import WallSettings
from rod_tally.output.ifc import write_ifc
from rod_tally.output.panel_sheets import sheets_html, write_sheets
from rod_tally.output.panel_sheets.drawing import drawing
from rod_tally.output.write import OutputError
from rod_tally.review import Review, review
from rod_tally.review.walls.panel_sheet import panel_sheets, workings

from .desk_help import act, rested
from .test_wall_forces import core, pushed
from .test_wall_stability import F, L, T, wall_model

PUSH = 40e3 * L


def pushed_wall() -> tuple[Model, float]:
    """A wall of length L and its weight (N) under a push along its top in a case of its own, heavy and light."""
    m = wall_model()
    case = m.cases["q"]
    top = [replace(x, qa=(40e3, 0, 0), qb=(40e3, 0, 0)) for x in case.space_loads]
    m.cases = {
        "G": replace(case, name="G", kind="dead", space_loads=[]),
        "W": replace(case, name="W", self_weight=(0.0, 0.0, 0.0), space_loads=top),
    }
    m.combinations = [
        Combination("heavy", "strength", {"G": 40.0, "W": 1.0}),
        Combination("back", "strength", {"G": 30.0, "W": -1.0}),
        Combination("light", "strength", {"G": 12.0, "W": 1.0}),
        Combination("rest", "strength", {"G": 20.0}),
    ]
    density = next(iter(m.materials.values())).density or 0.0
    return m, L * 3.0 * T * density * 9.80665


def reviewed(m: Model) -> Review:
    own = Settings()
    own.walls = WallSettings(pressure=F)
    return review(m, own)


@pytest.mark.parametrize("way", ["shell", "column"])
def test_a_pushed_wall_by_statics(way: str) -> None:
    m, weight = pushed_wall()
    m.surfaces["w"].way = way
    (sheet,), without = panel_sheets(reviewed(m))
    assert (
        without == []
        and sheet.names == ["heavy", "back", "light", "rest"]
        and (sheet.low, sheet.high) == (0.0, 3.0)
    )
    foot, head = sheet.cuts
    assert (foot.panel.part, head.panel.part) == ("bottom", "top")
    n = weight * np.array([40.0, 30.0, 12.0, 20.0])
    assert foot.n == pytest.approx(n, rel=1e-6)
    assert foot.v == pytest.approx(PUSH * np.array([1, -1, 1, 0]), rel=1e-6, abs=1.0)
    m_foot = PUSH * 3.0 * np.array([1, -1, 1, 0])
    assert np.abs(foot.m) == pytest.approx(np.abs(m_foot), rel=1e-5, abs=10.0)
    assert foot.m[0] * foot.m[1] < 0
    assert foot.governing["n_high"] == 0 and foot.governing["n_low"] == 2
    assert foot.governing["plastic_length"] == foot.governing["sliding"] == 2
    assert foot.governing["v"] == foot.governing["m"] == 0  # of equal ones one that governs already
    e = np.abs(m_foot) / n
    pressed = L - 2 * e
    assert (pressed > 0).all() and foot.stress == pytest.approx(
        np.abs(foot.v) / (T * pressed), rel=1e-5, abs=1.0
    )
    # what is above the head is nothing but the push
    assert head.v[0] == pytest.approx(PUSH, rel=1e-6) and abs(head.m[0]) < 0.02 * abs(m_foot[0])
    assert [(c, round(float(f[0]))) for c, f in sheet.loads if c == "W"] == [("W", round(PUSH))]
    (own,) = (f for c, f in sheet.loads if c == "G")
    assert own == pytest.approx([0, 0, -weight], rel=1e-6)


def test_how_each_number_comes_about() -> None:
    m, weight = pushed_wall()
    done = reviewed(m)
    (sheet,), _ = panel_sheets(done)
    foot = sheet.cuts[0]
    own = done.settings.walls
    force, moment = (lambda v: f"{v / 1000:.1f} kN"), (lambda v: f"{v / 1000:.1f} kNm")
    light = "\n".join(workings(foot, 2, own, force, moment))
    e = PUSH * 3.0 / (12 * weight)
    assert f"= {e:.3f} m; L / 6 = {L / 6:.3f} m" in light
    assert f"3 (L / 2 − e) = {3 * (L / 2 - e):.3f} m" in light and f"L − 2 e = {L - 2 * e:.3f} m" in light
    assert f"= {PUSH / (own.friction * 12 * weight):.3f}" in light
    rest = "\n".join(workings(foot, 3, own, force, moment))
    assert "e within L / 6" in rest and "tie: none needed" in rest
    tips = replace(
        foot, n=foot.n.copy(), block=replace(foot.block, eccentricity=foot.block.eccentricity.copy())
    )
    tips.n[0], tips.block.eccentricity[0] = -1e3, np.nan
    assert "no compression" in workings(tips, 0, own, force, moment)[0]


def test_conditions_and_what_has_no_sign_are_said() -> None:
    m, _ = pushed_wall()
    s = m.surfaces["w"]
    s.openings = [np.array([(1.0, 0, 0.5), (2.0, 0, 0.5), (2.0, 0, 3.0), (1.0, 0, 3.0)])]
    m.cases["E"] = LoadCase("E", "seismic", spectrum=Spectrum("x", [(0.0, 1.0)]))
    m.combinations.append(Combination("E1", "seismic", {"G": 1.0, "E": 1.0}))
    (sheet,), _ = panel_sheets(reviewed(m))
    assert "E1" not in sheet.names and any("1 combinations hold a response" in r for r in sheet.remarks)
    assert any("at its head: an opening lies on the cut" in r for r in sheet.remarks)
    head = sheet.cuts[1]
    assert head.panel.why_not and set(head.governing) == {"n_high", "n_low", "v", "m"}
    assert workings(head, 0, WallSettings(), str, str) == []


def test_a_wall_that_is_not_computed_is_named(tmp_path: Path) -> None:
    m, _ = pushed_wall()
    m.surfaces["w"].way = "one-way"
    m.cases["W"].space_loads = []
    done = reviewed(m)
    sheets, without = panel_sheets(done)
    assert sheets == [] and without == ["w: the run does not compute it"]
    with pytest.raises(OutputError, match="the run does not compute it"):
        write_sheets(done, tmp_path / "x.html")
    old, _ = pushed_wall()
    done = reviewed(old)
    done.stale = True
    sheets, without = panel_sheets(done)
    assert sheets == [] and len(without) == 1 and "have changed since this run" in without[0]


def test_joints_of_a_box(tmp_path: Path) -> None:
    m = core(2, "shell")
    pushed(m, 2)
    settings = Settings.from_dict({"mesh": {"size": 0.75}, "walls": {"joint_shear": 50e3}})
    done = review(m, settings)
    sheets, _ = panel_sheets(done)
    assert [s.wall.id for s in sheets] == ["00", "01", "02", "03", "10", "11", "12", "13"]
    for sheet in sheets:
        assert len(sheet.joints) == 2
        for j in sheet.joints:
            k, f = j.governing["shear"]
            all_shears = [
                abs(got.shear) for name in sheet.names for e, got in done.wall_joints(name) if e is j.edge
            ]
            assert abs(f.shear) == pytest.approx(max(all_shears)) == pytest.approx(all_shears[k])
            assert j.use == pytest.approx(abs(f.shear) / 50e3) and j.length == pytest.approx(3.0)
    (only,), _ = panel_sheets(done, "12")
    assert only.wall.id == "12" and len(only.joints) == 2
    page = sheets_html(done, [only], [])
    assert "Upright joints" in page and page.count('class="governs"') >= 2 and "<svg" in page
    svg = ElementTree.fromstring(drawing(done, only))
    texts = {t.text for t in svg.iter("{http://www.w3.org/2000/svg}text")}
    assert {"11", "13", "+3.000", "+6.000"} <= texts
    path = write_ifc(m, tmp_path / "box.ifc")
    for name in ("walls.html", "walls.pdf"):
        assert main(["report", str(path), "--panels", str(tmp_path / name)]) in (0, 1)
        assert (tmp_path / name).stat().st_size > 5000
    assert (tmp_path / "walls.pdf").read_bytes().startswith(b"%PDF")


def test_many_combinations_keep_what_governs() -> None:
    m, _ = pushed_wall()
    m.combinations += [Combination(f"more {k}", "strength", {"G": 21.0 + k / 10}) for k in range(60)]
    done = reviewed(m)
    (sheet,), _ = panel_sheets(done)
    page = sheets_html(done, [sheet], [])
    assert "none of which governs" in page
    for cut in sheet.cuts:
        for k in cut.governing.values():
            assert f">{sheet.names[k]}</td>" in page


def test_in_the_window(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    m = core(2, "shell")
    pushed(m, 2)
    window.session.open(write_ifc(m, tmp_path / "box.ifc"))
    rested(qtbot, window)
    assert window.state.review is not None
    wall = next(s.id for s in window.state.review.model.surfaces.values() if s.name == "12")
    window.state.select([("surface", wall)])
    act(window, qtbot, "run.panel_sheet")
    page = window.plate_desk.page
    assert page is not None and page.isVisible() and page.which.currentText().startswith("12")
    assert "At its foot" in page.text.toPlainText() and "e = M / N" in page.text.toPlainText()
    window.session.exports.panels(tmp_path / "one.html", wall)
    rested(qtbot, window)
    assert (tmp_path / "one.html").read_text().count("<section>") == 1
    page.close()
