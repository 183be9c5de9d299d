"""Slabs and walls in the window: elements, bands of colour, ranges, cuts, the largest displacement, results
handed back."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest

pytest.importorskip("PyQt6")
from PyQt6.QtWidgets import QLabel  # noqa: E402
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.desk.window import Window  # noqa: E402
from rod_tally.intake.ifc.structural.results import read_results  # noqa: E402

from .desk_help import STEP, act, fill, legend, model_of, rested, rows, surface  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


def test_elements_forces_ranges_and_the_table(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    act(w, qtbot, "run.elements")
    assert "quadrilaterals" in legend(w, qtbot) and "rigid arms" in legend(w, qtbot)
    act(w, qtbot, "run.plates")
    w.state.set_view(case="Self-weight")
    w.view_bar.refresh()
    w.view_bar.component_choice.setCurrentText("my")
    w.view_bar.component_choice.textActivated.emit("my")
    text = legend(w, qtbot)
    assert "my in kNm/m, not averaged" in text and "beyond" not in text
    act(w, qtbot, "run.range")
    fill(w, qtbot, w.plate_desk.form, low=-1.0, high=1.0)
    assert w.state.plate_range == (-1000.0, 1000.0) and "beyond the range" in legend(w, qtbot)
    act(w, qtbot, "run.averaged")
    act(w, qtbot, "run.principal")
    text = legend(w, qtbot)
    assert "averaged over lines" in text and "principal directions" in text
    w.state.set_view(plate="s1 bottom", plate_range=None)
    assert "s1 bottom in N/mm²" in legend(w, qtbot)
    found = rows(w, "surface_forces")
    roof = next(r for r in found if r[0] == "Roof floor")
    review = w.state.review
    assert review is not None and review.fields is not None
    assert roof[3] == review.results.plates.elements()[surface(w, "Roof floor")]  # type: ignore[union-attr]
    w.state.pick("surface", surface(w, "Roof floor"))
    rested(qtbot, w)
    words = "\n".join(x.text() for x in w.details.findChildren(QLabel))
    assert "carries as a shell" in words and "Self-weight: moves up to" in words and "kNm/m" in words
    # what sags has tension below: the lowest mx of a slab under its own weight is negative
    assert float(roof[10]) < 0 < float(roof[11])  # type: ignore[arg-type]


def test_cuts_are_made_moved_copied_and_taken_back(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    act(w, qtbot, "run.cuts")
    fill(w, qtbot, w.cut_desk.form, storey="Roof", way="x", spacing=4.0, first=2.0)
    assert [c.name for c in model_of(w).cuts] == ["Roof x1", "Roof x2", "Roof x3", "Roof x4", "Roof x5"]
    assert w.state.overlay == "cuts" and w.state.revision is not None
    qtbot.waitUntil(lambda: not w.state.revision.stale, timeout=20000)
    w.state.set_view(case="Wind y")
    assert "v of 5 cuts in kN" in legend(w, qtbot)
    shear = [float(r[6]) for r in rows(w, "cuts")]  # type: ignore[arg-type]
    assert max(map(abs, shear)) > 1
    act(w, qtbot, "run.move_cut")
    fill(w, qtbot, w.cut_desk.form, name="Roof x2", by=0.5, factor=2.0)
    assert model_of(w).cuts[1].factor == 2.0
    act(w, qtbot, "run.cuts_again")
    fill(w, qtbot, w.cut_desk.form, family="Roof x", storey="Loft")
    why = [r for r in rows(w, "cuts") if str(r[0]).startswith("Loft")]
    # no shell there: the beams that cross are cut
    assert len(why) == 5 and not str(why[0][-1]) and all(abs(float(r[5])) < 1e6 for r in why)  # type: ignore[arg-type]
    w.session.undo.undo()
    rested(qtbot, w)
    assert len(model_of(w).cuts) == 5
    wall = next(s.id for s in model_of(w).surfaces.values() if s.upright)
    w.state.pick("surface", wall)
    act(w, qtbot, "run.wall_cut")
    fill(w, qtbot, w.cut_desk.form, height=1.0)
    assert len(model_of(w).cuts) == 6
    act(w, qtbot, "run.delete_cuts")
    assert len(model_of(w).cuts) == 5


def test_a_floor_without_slabs_says_so(demo: Window, qtbot: QtBot) -> None:
    w = demo
    said: list[str] = []
    w.session.failed.connect(lambda _title, text: said.append(text))
    act(w, qtbot, "run.cuts")
    fill(w, qtbot, w.cut_desk.form, storey="Quay")
    assert said and "there is no slab" in said[0]


def test_the_largest_displacement_may_be_on_a_slab(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.set_view(case="Self-weight")
    review = w.state.review
    assert review is not None
    r = review.results
    roof = [int(n) for n in r.plates.nodes_of(surface(w, "Roof floor")) if n >= r.plates.named]  # type: ignore[union-attr]
    r.displacement[r.case_index("Self-weight"), roof[0], 2] = -0.2
    act(w, qtbot, "run.largest")
    assert w.state.picked == ("surface", surface(w, "Roof floor"))
    assert "slab Roof floor" in legend(w, qtbot)
    w.view.animate(True)
    qtbot.wait(120)
    w.view.animate(False)


def test_a_motion_without_resistance_is_shown(loft: Window, qtbot: QtBot) -> None:
    w = loft
    from rod_tally.model.edits import SetSpan, SetSupport
    from rod_tally.model.entities.structure import FREE

    m = model_of(w)
    w.session.correct(SetSpan([s.id for s in m.surfaces.values() if not s.upright], "two-way"))
    rested(qtbot, w)
    w.session.correct(SetSupport([n for n, x in m.nodes.items() if x.support.any][1:], FREE))
    rested(qtbot, w)
    for wall in [s for s in model_of(w).surfaces.values() if s.upright]:
        wall.supports = []
    act(w, qtbot, "run.run")
    act(w, qtbot, "run.motions")
    text = legend(w, qtbot)
    motions = w.state.review.results.motions  # type: ignore[union-attr]
    assert (f"motion 1 of {len(motions)}" in text) if motions else ("nothing moves" in text)
    w.view.animate(True)
    assert w.view.animated == bool(motions)
    w.view.animate(False)


def test_slabs_are_made_shells_with_elements_of_their_own(loft: Window, qtbot: QtBot) -> None:
    w = loft
    w.state.pick("surface", surface(w, "Roof floor"))
    act(w, qtbot, "loads.span")
    fill(w, qtbot, w.load_desk.form, way="as a shell in the run")
    act(w, qtbot, "model.elements")
    fill(w, qtbot, w.plate_desk.form, way="a size of its own", size=1.0)
    s = model_of(w).surfaces[surface(w, "Roof floor")]
    assert s.way == "shell" and s.mesh_size == 1.0
    act(w, qtbot, "run.run")
    plates = w.state.review.results.plates  # type: ignore[union-attr]
    assert plates is not None and 200 < plates.elements()[s.id] < 900


def test_results_are_handed_back(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    w = demo
    w.state.choose(1)
    w.session.exports.ifc(tmp_path / "back.ifc", results=True)
    rested(qtbot, w)
    found = read_results(tmp_path / "back.ifc")
    assert [f.case for f in found] == w.state.review.results.cases  # type: ignore[union-attr]
    assert np.isfinite(sum(found[0].reactions.values())).all()


def test_highest_over_combinations_in_the_bands_and_the_table(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    act(w, qtbot, "run.plates")
    w.state.set_view(plate="my")
    act(w, qtbot, "run.plates_high")
    rested(qtbot, w)
    text = legend(w, qtbot)
    assert "highest of 46 combinations: my" in text and "(6.10/" in text
    w.tables.show_table("surface_forces", 1)
    w.tables._front()
    found = w.tables.pages["surface_forces"].model.content
    assert "46 combinations" in found.note and all(float(r[5]) >= float(r[3]) for r in found.rows)  # type: ignore[arg-type]
    # reactions of the same combinations: at each support, and their sums
    w.tables.show_aspect("reactions", "of combinations")
    w.tables._front()
    rows = w.tables.pages["reactions"].model.content
    review = w.state.review
    assert review is not None
    r, named = review.results, review.computed_combinations
    assert [x[0] for x in rows.rows if x[1] == "in all"] == [c.name for c in named]
    c = named[7]
    node = r.support_ids[2]
    (own,) = (x for x in rows.rows if x[:2] == [c.name, node])
    at = [sum(f * r.reaction[r.case_index(n), 2, q] for n, f in c.factors.items()) for q in range(6)]
    assert own[2:] == pytest.approx([v / 1e3 for v in at], rel=1e-9, abs=1e-9)
    (total,) = (x for x in rows.rows if x[:2] == [c.name, "in all"])
    parts = [x for x in rows.rows if x[0] == c.name and x[1] != "in all"]
    assert total[4] == pytest.approx(sum(float(x[4]) for x in parts), rel=1e-9)  # type: ignore[arg-type]
    w.tables.show_table("surface_forces", 1)
    w.state.set_view(plate="m1")
    rested(qtbot, w)
    assert "highest of 46 combinations: m1" in legend(w, qtbot)
    w.state.set_view(case="Self-weight")
    assert "Self-weight: m1" in legend(w, qtbot)


def test_cuts_on_paper(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """A sheet for each regular set, more where the table is long, and one for single cuts; faults are
    reported, nothing half-written."""
    from PyQt6.QtPdf import QPdfDocument

    from rod_tally.analysis.results.cut_places import regular_cuts, wall_cut
    from rod_tally.model.edits import AddCuts

    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    act(w, qtbot, "run.print_cuts")  # without cuts it says so
    model = model_of(w)
    wall = next(s.id for s in model.surfaces.values() if s.upright)
    cuts = [
        *regular_cuts(model, "Roof", "x", 2.0),
        *regular_cuts(model, "Roof", "y", 0.5),
        wall_cut(model, wall, 0.5),
    ]
    w.session.correct(AddCuts(cuts))
    rested(qtbot, w)
    w.state.set_view(case="Wind y")
    w.cut_desk.print_to(tmp_path / "cuts.pdf")
    found = QPdfDocument(None)
    found.load(str(tmp_path / "cuts.pdf"))
    assert found.pageCount() == 4 and not list(tmp_path.glob(".cuts*"))
    text = found.getAllText(0).text()
    assert "Roof x: forces through 11 cuts" in text and "Wind y" in text and "M out, kNm" in text
    assert "Roof y32" in found.getAllText(2).text() and "Single cuts" in found.getAllText(3).text()
    cases = list(w.state.review.results.cases) if w.state.review else []
    w.cut_desk.print_to(tmp_path / "every.pdf", cases)
    every = QPdfDocument(None)
    every.load(str(tmp_path / "every.pdf"))
    assert every.pageCount() == 4 * len(cases) and cases[-1] in every.getAllText(every.pageCount() - 1).text()
    with qtbot.waitSignal(w.session.failed) as told:
        w.cut_desk.print_to(tmp_path / "nowhere" / "cuts.pdf")
    assert "cannot be written" in told.args[1]
    w.state.case = "nothing"
    with qtbot.waitSignal(w.session.failed) as told:
        w.cut_desk.print_to(tmp_path / "other.pdf")
    assert "no cut has forces" in told.args[1]


def test_a_cut_is_changed_by_its_ends_and_kept_as_settings(
    demo: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    """The picked row is the one that is proposed; a file of its cuts gives the same forces in another review;
    lowest and highest over what was computed are those of every case by itself."""
    from rod_tally.analysis.results.cut_places import cuts_of, regular_cuts, wall_cut
    from rod_tally.analysis.results.cuts import CutForces
    from rod_tally.model import Settings
    from rod_tally.model.edits import AddCuts

    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    model = model_of(w)
    wall = next(s.id for s in model.surfaces.values() if s.upright)
    w.session.correct(AddCuts([*regular_cuts(model, "Roof", "x", 6.0), wall_cut(model, wall, 0.5)]))
    rested(qtbot, w)
    w.tables.show_table("cuts", 0)
    w.tables._front()
    page = w.tables.pages["cuts"]
    rested(qtbot, w)
    second = model_of(w).cuts[1]
    qtbot.waitUntil(lambda: len(page.model.content.rows) > 1, timeout=30000)
    for choose in (page.table.selectAll, lambda: page.table.selectRow(1)):
        choose()
        before = page._chosen_rows()
        w.tables.renew({"cuts"})  # as results that come later do
        w.tables._front()
        assert page._chosen_rows() == before
    assert w.cut_desk.picked_cut() == second.name
    w.state.show_overlay("cuts")
    act(w, qtbot, "run.hide_cuts")
    rested(qtbot, w)
    every = model_of(w).cuts
    left = [c for c in every if c.group != second.group]
    assert 0 < len(left) < len(every) == len(page.model.content.rows)  # the table has them all
    assert f"{len(left)} cuts" in w.view.legend.text() and f"without {second.group}" in w.view.legend.text()
    act(w, qtbot, "run.show_cuts")
    rested(qtbot, w)
    assert f"{len(every)} cuts" in w.view.legend.text() and not w.actions_["run.show_cuts"].isEnabled()
    page.table.selectRow(1)
    w.actions_["run.change_cut"].trigger()
    form = w.cut_desk.form
    assert form is not None and form.values()["name"] == second.name
    fill(w, qtbot, form, y0=1.0, x2=float(second.line[0, 0]) + 2.0, factor=2.0)
    cut = next(c for c in model_of(w).cuts if c.name == second.name)
    assert cut.line[0, 1] == pytest.approx(1.0) and cut.factor == 2.0 and cut.family == second.family
    assert cut.about is not None and cut.about[0] == pytest.approx(second.line[0, 0] + 2.0, abs=1e-3)
    w.session.undo.undo()
    rested(qtbot, w)
    assert next(c for c in model_of(w).cuts if c.name == second.name).about is None
    w.session.undo.redo()
    rested(qtbot, w)
    w.cut_desk.save_to(tmp_path / "cuts.toml")
    settings = Settings.read(tmp_path / "cuts.toml")
    level = [c for c in model_of(w).cuts if c.family]  # the other one goes through a wall
    assert [c.name for c in settings.cuts] == [c.name for c in level] and len(level) == len(
        model_of(w).cuts
    ) - 1
    made, lost = cuts_of(model_of(w), settings.cuts)
    assert not lost
    for a, b in zip(made, level):
        assert a.line == pytest.approx(b.line) and a.factor == b.factor and a.surfaces == b.surfaces
        assert (a.about is None) == (b.about is None)
    w.tables.show_table("cuts", 1)
    w.tables._front()
    rows = w.tables.pages["cuts"].model.content.rows
    review = w.state.review
    assert review is not None
    names = [*review.results.cases, *(c.name for c in review.computed_combinations)]
    own = [f.v for n in names if isinstance(f := review.cut_forces(n)[cut.name], CutForces)]
    (row,) = (r for r in rows if r[0] == cut.name and str(r[3]).startswith("V") and "out" not in str(r[3]))
    assert row[5] == pytest.approx(min(own) / 1e3) and row[7] == pytest.approx(max(own) / 1e3)
