"""Loads in the window: cases and loads made, pasted, stepped through, looked at; combinations; where each
part comes from."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

pytest.importorskip("PyQt6")
from PyQt6.QtCore import Qt  # noqa: E402
from PyQt6.QtGui import QGuiApplication  # noqa: E402
from PyQt6.QtWidgets import QLabel, QPushButton  # noqa: E402
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.desk.window import Window  # noqa: E402

from .desk_help import STEP, act, fill, model_of, named, rested  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


def slab(w: Window, name: str = "Loft floor") -> str:
    return next(s.id for s in model_of(w).surfaces.values() if s.name == name)


def new_case(w: Window, qtbot: QtBot, name: str, kind: str = "live", category: str = "B") -> None:
    act(w, qtbot, "loads.new")
    fill(w, qtbot, w.load_desk.form, name=name, kind=kind, category=category)
    w.state.go(STEP["Loads"])
    w.state.set_view(case=name)


def words(w: Window) -> str:
    return "\n".join(x.text() for x in w.details.findChildren(QLabel))


def rows(w: Window, name: str) -> list[list[object]]:
    w.tables.show_table(name)
    w.tables._front()
    return w.tables.pages[name].model.content.rows


def test_case_is_made_loaded_run_and_taken_back(loft: Window, qtbot: QtBot) -> None:
    w = loft
    new_case(w, qtbot, "Offices")
    w.state.pick("surface", slab(w))
    act(w, qtbot, "loads.put")
    fill(w, qtbot, w.load_desk.form, case="Offices", size=2.5)
    load = model_of(w).cases["Offices"].area_loads[0]
    assert load.values == ((0.0, 0.0, -2500.0),) and load.by == "by hand"
    assert w.state.revision is not None and w.state.revision.stale
    act(w, qtbot, "run.run")
    review = w.state.review
    assert review is not None
    lost = abs(review.distribution.case("Offices").total("lost")[2])
    area = model_of(w).surfaces[slab(w)].area
    found = next(e for e in review.results.equilibrium if e.case == "Offices")
    assert found.reaction[2] + lost == pytest.approx(2500 * area, rel=1e-9)
    w.session.undo.undo()
    rested(qtbot, w)
    w.session.undo.undo()
    rested(qtbot, w)
    assert "Offices" not in model_of(w).cases


def test_member_says_where_each_part_of_its_load_comes_from(loft: Window, qtbot: QtBot) -> None:
    w = loft
    w.state.go(STEP["Loads"])
    w.state.pick("member", named(w, "Loft A1-A2"))
    qtbot.wait(80)
    assert "Loads of Self-weight" in words(w) and "Loft floor" in words(w) and "own weight" in words(w)


def test_cases_are_stepped_and_looked_at_from_the_keyboard(loft: Window, qtbot: QtBot) -> None:
    w = loft
    new_case(w, qtbot, "Snow", "snow", "")
    w.state.set_view(case="Self-weight")
    act(w, qtbot, "loads.looked")
    assert w.state.revision is not None
    assert "Loads/case Self-weight" in w.state.revision.looked and w.state.case == "Snow"
    assert any(r[0] == "Self-weight" and r[10] == "|" for r in rows(w, "cases"))
    step = next(s for s in w.steps.steps if s.step.name == "Loads")
    assert [i.title for i in step.items][-2:] == ["case Self-weight", "case Snow"]


def test_pasted_loads_tell_their_faults_before_anything_is_changed(loft: Window, qtbot: QtBot) -> None:
    w = loft
    new_case(w, qtbot, "Live")
    act(w, qtbot, "loads.paste")
    page = w.load_desk.page
    assert page is not None
    page.text.setPlainText("case\tkind\ton\tfz\nLive\tmember\tNowhere\t-3")
    assert "row 2, column 'on'" in page.message.text() and not page.buttons["Use these values"].isEnabled()
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    clipboard.setText("case\tkind\ton\tfz\nLive\tmember\tLoft A1-A2\t-3\nLive\tsurface\tRoof floor\t-1")
    page.buttons["From the clipboard"].click()
    assert page.message.text() == "Put 2 loads into Live"
    page.buttons["Use these values"].click()
    rested(qtbot, w)
    case = model_of(w).cases["Live"]
    assert (len(case.member_loads), len(case.area_loads)) == (1, 1)
    assert any(r[0] == "Live" and r[3] == "line force" for r in rows(w, "loads"))
    w.state.pick("member", named(w, "Loft A1-A2"))
    act(w, qtbot, "loads.remove")
    assert not model_of(w).cases["Live"].member_loads


def test_combinations_show_their_count_before_they_are_made(
    loft: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    w = loft
    new_case(w, qtbot, "Wind", "wind", "")
    act(w, qtbot, "loads.combine")
    page = w.load_desk.combine_page
    assert page is not None and "combinations" in page.message.text()
    page.sets.setCurrentText("ASCE 7")
    count = len(page.found.combinations) if page.found else 0
    assert f"<b>{count} combinations</b>" in page.message.text()
    page.write(tmp_path / "own.rules")
    page.use(str(tmp_path / "own.rules"))
    assert page.found is not None and len(page.found.combinations) == count
    page.accept()
    rested(qtbot, w)
    assert len(model_of(w).combinations) == count
    assert len(rows(w, "combinations")) == count
    w.state.go(STEP["Loads"])
    assert model_of(w).combinations[-1].name in w.state.cases()
    w.state.set_view(case=model_of(w).combinations[-1].name)
    w.state.show_overlay("displaced")  # which has no results of a combination
    assert w.state.case in w.state.review.results.cases  # type: ignore[union-attr]


def test_patterns_and_notional_loads_are_one_step_of_the_undo(loft: Window, qtbot: QtBot) -> None:
    w = loft
    new_case(w, qtbot, "Live")
    w.state.pick("surface", slab(w))
    act(w, qtbot, "loads.put")
    fill(w, qtbot, w.load_desk.form, case="Live", size=3)
    before = list(model_of(w).cases)
    act(w, qtbot, "loads.patterns")
    made = [n for n in model_of(w).cases if n not in before]
    assert "Live x odd" in made and "Live y even" in made and model_of(w).cases["Live"].together == "Live"
    w.session.undo.undo()
    rested(qtbot, w)
    assert list(model_of(w).cases) == before and model_of(w).cases["Live"].together == ""
    act(w, qtbot, "loads.notional")
    fill(w, qtbot, w.load_desk.form)
    assert "Notional -y" in model_of(w).cases


def test_lateral_forces_go_to_the_storeys_both_ways(loft: Window, qtbot: QtBot) -> None:
    w = loft
    act(w, qtbot, "loads.lateral_en")
    fill(w, qtbot, w.load_desk.form, ag=2.0)
    names = [n for n, c in model_of(w).cases.items() if c.kind == "seismic"]
    assert names == ["Ex +e", "Ex -e", "Ey +e", "Ey -e"]
    assert "EN 1998-1" in model_of(w).cases["Ex +e"].by
    assert any(f.code == "combination.orientation" for f in w.state.review.findings)  # type: ignore[union-attr]


def test_finding_of_a_case_is_mended_by_its_button(loft: Window, qtbot: QtBot) -> None:
    w = loft
    new_case(w, qtbot, "Live")
    w.state.pick("surface", slab(w))
    act(w, qtbot, "loads.put")
    fill(w, qtbot, w.load_desk.form, case="Live", size=4.125)
    found = next(f for f in w.state.review.findings if f.code == "load.factored")  # type: ignore[union-attr]
    w.state.pick_finding(found)
    qtbot.wait(80)
    button = next(b for b in w.details.findChildren(QPushButton) if b.text() == "Divide it by 1.5")
    button.click()
    rested(qtbot, w)
    assert model_of(w).cases["Live"].area_loads[0].values[0][2] == pytest.approx(-2750)


def test_span_of_a_slab_and_load_pages_of_the_tally(loft: Window, qtbot: QtBot) -> None:
    w = loft
    w.state.pick("surface", slab(w))
    act(w, qtbot, "loads.span")
    fill(w, qtbot, w.load_desk.form, way="one-way, along x")
    assert model_of(w).surfaces[slab(w)].span == (1.0, 0.0, 0.0)
    for page in ("loads by case", "loads by storey", "loads by origin"):
        w.tables._tally_by(page)
        found = rows(w, "tally")
        assert found and found[0][3] is not None, page
    w.state.show_overlay("arrived")
    qtbot.wait(50)


def test_loads_of_one_origin_are_shown_alone(loft: Window, qtbot: QtBot) -> None:
    w = loft
    w.state.go(STEP["Loads"])
    w.state.show_overlay("arrived")
    w.tables._tally_by("loads by origin")
    found = rows(w, "tally")
    assert [r[0] for r in found] == ["self-weight", "in all"]
    w.tables._picked("tally", ("origin", "areas on members"), 0)
    assert w.state.origin == "areas on members"
    qtbot.waitUntil(lambda: "only areas on members" in w.view.legend.text(), timeout=5000)
    w.tables._picked("tally", ("origin", "areas on members"), 0)
    assert w.state.origin == ""
    w.state.set_view(label="values")
    qtbot.wait(50)


def test_combination_and_envelope_are_shown_like_a_case(loft: Window, qtbot: QtBot) -> None:
    w = loft
    w.state.show_overlay("forces")
    name = next(n for n in w.state.cases() if n.startswith("6.10"))
    w.state.set_view(case=name)
    review = w.state.review
    assert review is not None
    assert rows(w, "forces") and review.shown(name).cases == [name]
    ident = named(w, "Loft A1-A2")
    w.state.pick("member", ident)
    own = review.results.force[0, review.results.stations_of(ident), 4]
    assert review.shown(name).force[0, review.results.stations_of(ident), 4] == pytest.approx(1.35 * own)
    w.state.show_overlay("displaced")
    qtbot.waitUntil(lambda: name in w.view.legend.text(), timeout=5000)
    act(w, qtbot, "run.envelope")
    over = next(r for r in rows(w, "envelope") if r[0] == "Loft A1-A2")
    assert over[4] == pytest.approx(1.35 * own.min() / 1000, rel=1e-9) or over[7] == pytest.approx(
        1.35 * own.max() / 1000
    )
    assert {over[6], over[9]} <= {c.name for c in review.combinations}
    qtbot.waitUntil(lambda: "highest" in w.view.legend.text(), timeout=5000)
    assert "envelope" in w.details.plot.title.text()


def test_modes_storeys_and_the_moving_shape(loft: Window, qtbot: QtBot) -> None:
    w = loft
    act(w, qtbot, "run.modes")
    found = rows(w, "modes")
    assert len(found) == 12 and found[0][1] >= found[1][1]  # type: ignore[operator]
    w.tables._picked("modes", ("mode", "2"), 1)
    qtbot.waitUntil(lambda: "mode 2" in w.view.legend.text(), timeout=5000)
    act(w, qtbot, "run.animate")
    assert w.view.animated
    qtbot.wait(150)
    act(w, qtbot, "run.animate")
    assert not w.view.animated
    act(w, qtbot, "run.largest")
    assert w.state.overlay == "displaced" and w.state.picked is not None and w.state.picked[0] == "node"
    w.state.set_view(case="Self-weight")
    assert [r[0] for r in rows(w, "storeys")][-1] == "Quay"
    act(w, qtbot, "run.larger")
    assert w.state.scale == 2.0


def test_runs_are_named_chosen_and_kept(loft: Window, qtbot: QtBot) -> None:
    """A run of one case and one part beside the first; the first is shown again as it was."""
    w = loft
    new_case(w, qtbot, "Wind", "wind", "")
    act(w, qtbot, "run.choose")
    page = w.pages.runs
    assert page is not None and page.kept.count() == 1 and "as it was" in page.kept.item(0).text()  # type: ignore[union-attr]
    for k in range(page.cases.count()):
        item = page.cases.item(k)
        assert item is not None
        item.setCheckState(Qt.CheckState.Checked if item.text() == "Self-weight" else Qt.CheckState.Unchecked)
    w.state.show_storeys({"Quay"})
    page.part.setCurrentText("what is shown")
    page.name.setText("Ground floor alone")
    page.run()
    rested(qtbot, w)
    review, revision = w.state.review, w.state.revision
    assert review is not None and revision is not None and revision.run_name == "Ground floor alone"
    assert review.results.cases == ["Self-weight"]
    assert "it is not in the chosen part" in review.results.left_out.values()
    assert [r[1] for r in w.session.runs.kept()] == ["Ground floor alone", "Run 1"]
    page.kept.setCurrentRow(1)
    page.show_chosen()
    rested(qtbot, w)
    assert w.state.revision is not None and w.state.revision.run_name == "Run 1" and w.state.revision.stale
    page.close()


def test_mass_of_modes_is_chosen_from_the_cases(loft: Window, qtbot: QtBot) -> None:
    w = loft
    new_case(w, qtbot, "Stores")
    act(w, qtbot, "loads.mass")
    form = w.load_desk.form
    assert (
        form is not None
        and form.values()["factor of Self-weight"] == 1.0
        and form.values()["factor of Stores"] == 0.0
    )
    form.widgets["factor of Stores"].setValue(0.3)  # type: ignore[union-attr]
    form.widgets["count"].setValue(5)  # type: ignore[union-attr]
    form.accept()
    assert w.session.settings.modes.mass == {"Self-weight": 1.0, "Stores": 0.3}
    act(w, qtbot, "run.run")
    assert len(rows(w, "modes")) == 5


def test_response_spectrum_is_a_case_that_the_next_run_fills(loft: Window, qtbot: QtBot) -> None:
    w = loft
    act(w, qtbot, "loads.spectrum_en")
    fill(w, qtbot, w.load_desk.form, ag=2.0, q=3.0, vertical="with it")
    made = {n: c.spectrum for n, c in model_of(w).cases.items() if c.spectrum is not None}
    assert {n: s.direction for n, s in made.items()} == {f"Spectrum {d}": d for d in "xyz"}
    assert max(a for _, a in made["Spectrum z"].curve) == pytest.approx(0.9 * 2.0 * 2.5 / 1.5)
    assert made["Spectrum x"].eccentricity == 0.05 and made["Spectrum z"].eccentricity == 0.0
    act(w, qtbot, "loads.spectrum_asce")
    fill(w, qtbot, w.load_desk.form, sds=0.5, ss=0.6, site="C", r=6.0, vertical="with it")
    upright = model_of(w).cases["Spectrum z 2"].spectrum
    assert upright is not None and upright.direction == "z"
    # Cv 1.0 at an Ss of 0.6 in class C; not divided by R
    assert max(a for _, a in upright.curve) == pytest.approx(0.8 * 2 / 3 * 1.5 * 0.5 * 9.80665)
    w.session.undo.undo()
    rested(qtbot, w)
    act(w, qtbot, "run.run")
    review = w.state.review
    assert review is not None
    assert review.results.applied["Spectrum x"][0] > 1e3
    assert any(f.code == "response.base_shear" for f in review.findings)
    w.state.show_overlay("forces")
    w.state.set_view(case="Spectrum y")
    qtbot.waitUntil(lambda: "Spectrum y" in w.view.legend.text(), timeout=5000)


def test_storey_forces_are_pasted_with_their_kind_and_eccentricity(loft: Window, qtbot: QtBot) -> None:
    w = loft
    act(w, qtbot, "loads.storeys")
    fill(w, qtbot, w.load_desk.form, name="Quake y", kind="seismic", e=0.05)
    page = w.load_desk.page
    assert page is not None
    page.text.setPlainText("storey\tfx\tfy\nLoft\t0\t50\nAttic\t0\t90")
    assert "row 3, column 'storey'" in page.message.text()
    page.text.setPlainText("storey\tfx\tfy\nLoft\t0\t50\nRigging\t0\t90")
    page.buttons["Use these values"].click()
    rested(qtbot, w)
    cases = [c for c in model_of(w).cases.values() if c.kind == "seismic"]
    assert [c.name for c in cases] == ["Quake y +e", "Quake y -e"]
    assert sum(x.force[1] for x in cases[0].node_loads) == pytest.approx(140e3)
