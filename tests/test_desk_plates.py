"""Slabs and walls in the window: elements, bands of colour, ranges, cuts, the largest displacement, results handed back."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
import pytest

pytest.importorskip("PyQt6")
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt  # noqa: E402
from PyQt6.QtGui import QMouseEvent  # noqa: E402
from PyQt6.QtWidgets import QApplication, QLabel  # noqa: E402
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.desk.window import Window  # noqa: E402
from rod_tally.intake.ifc.results import read_results  # noqa: E402

from .desk_help import STEP, act, fill, model_of, rested  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


def legend(w: Window, qtbot: QtBot) -> str:
    rested(qtbot, w)
    w.view.draw()
    return w.view.legend.text()


def rows(w: Window, name: str) -> list[list[object]]:
    w.tables.show_table(name)
    w.tables._front()
    return w.tables.pages[name].model.content.rows


def surface(w: Window, name: str) -> str:
    return next(s.id for s in model_of(w).surfaces.values() if s.name == name)


def test_elements_forces_ranges_and_the_table(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    act(w, qtbot, "run.elements")
    assert "quadrilaterals" in legend(w, qtbot) and "rigid arms" in legend(w, qtbot)
    act(w, qtbot, "run.plates")
    w.state.set_view(case="Self-weight")
    w.strip.refresh()
    w.strip.component_choice.setCurrentText("my")
    w.strip.component_choice.textActivated.emit("my")
    text = legend(w, qtbot)
    assert "my in kNm/m, line by line" in text and "beyond" not in text
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
    words = "\n".join(x.text() for x in w.slip.findChildren(QLabel))
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
    assert len(why) == 5 and "nothing that the run computes as a shell" in str(why[0][-1])
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


def test_a_floor_without_slabs_says_so(demo: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    w = demo
    said: list[str] = []
    monkeypatch.setattr(w.session, "failed", type("Signal", (), {"emit": lambda _s, _t, text: said.append(text)})())
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
    from rod_tally.model.structure import FREE

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
    w.session.hand_back(tmp_path / "back.ifc", results=True)
    rested(qtbot, w)
    found = read_results(tmp_path / "back.ifc")
    assert [f.case for f in found] == w.state.review.results.cases  # type: ignore[union-attr]
    assert np.isfinite(sum(found[0].reactions.values())).all()


def test_equilibrium_between_storeys_at_nodes_and_down_stacks(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.state.set_view(case="Wind y")
    act(w, qtbot, "run.storey_cuts")
    w.tables._front()
    page = w.tables.pages["storeys"]
    assert page.choice.currentText() == "between storeys"
    found = page.model.content.rows
    loads = [r for r in found if r[2] == "loads above"]
    assert len(loads) == 4 and "walls" in {r[2] for r in found}
    for top in loads:
        own = [r for r in found if r[0] == top[0]]
        for k in range(3, 9):
            assert abs(sum(float(r[k]) for r in own)) < 1e-6  # type: ignore[arg-type]
    model = model_of(w)
    node = next(m.end for m in model.members.values() if m.cls == "column" and m.storey == "Quay")
    w.state.pick("node", node)
    act(w, qtbot, "run.node")
    w.tables._front()
    page = w.tables.pages["reactions"]
    assert {r[0] for r in page.model.content.rows} >= {"member"} and node in page.count.text()
    other = next(m.start for m in model.members.values() if m.cls == "column" and m.storey == "Quay")
    w.state.pick("node", other)
    rested(qtbot, w)
    w.tables._front()
    assert "support" in {r[0] for r in page.model.content.rows} and other in page.count.text()
    act(w, qtbot, "run.stacks")
    w.tables._front()
    stacks = w.tables.pages["forces"].model.content.rows
    assert stacks[0][0] == "Stack A/1" and len(stacks) > 30
    act(w, qtbot, "run.centres")
    assert "centre of stiffness" in legend(w, qtbot)
    w.tables._front()
    assert [r[0] for r in w.tables.pages["storeys"].model.content.rows] == ["Roof", "Rigging", "Mezzanine", "Loft"]


def test_mass_may_be_spread_as_elements_move(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    act(w, qtbot, "loads.mass")
    fill(w, qtbot, w.load_desk.form, spread="spread as they move (consistent)", count=4)
    assert w.session.settings.modes.consistent and w.session.settings.modes.count == 4
    before = [m.period for m in w.state.review.modes] if w.state.review else []
    act(w, qtbot, "run.run")
    after = [m.period for m in w.state.review.modes] if w.state.review else []
    assert len(after) == 4 and after != before[:4]
    assert after[0] == pytest.approx(before[0], rel=0.05)


def test_highest_over_combinations_in_the_bands_and_the_table(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    act(w, qtbot, "run.plates")
    w.state.set_view(plate="my")
    act(w, qtbot, "run.plates_high")
    rested(qtbot, w)
    text = legend(w, qtbot)
    assert "highest of 23 combinations: my" in text and "(6.10/" in text
    w.tables.show_table("surface_forces", 1)
    w.tables._front()
    found = w.tables.pages["surface_forces"].model.content
    assert "23 combinations" in found.note and all(float(r[5]) >= float(r[3]) for r in found.rows)  # type: ignore[arg-type]
    w.state.set_view(plate="m1")
    rested(qtbot, w)
    assert "highest of 23 combinations: m1" in legend(w, qtbot)
    w.state.set_view(case="Self-weight")
    assert "Self-weight: m1" in legend(w, qtbot)


def test_what_takes_time_is_worked_out_in_the_background(
    demo: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Displaced shapes, forces of slabs and envelopes: said while they are made, drawn when they are there."""
    import sys

    from rod_tally.review import envelopes

    review = sys.modules["rod_tally.review.review"]

    monkeypatch.setattr(review, "MANY_MEMBERS", 0)
    monkeypatch.setattr(review, "MANY_ELEMENTS", 0)
    monkeypatch.setattr(envelopes, "LARGE", -1.0)
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    for overlay, waiting, drawn in (
        ("displaced", "is being worked out", "times"),
        ("plates", "are being worked out", "line by line"),
        ("envelope", "is being worked out", "over 23 combinations"),
    ):
        w.state.show_overlay(overlay)
        w.view.draw()
        assert waiting in w.view.legend.text()
        qtbot.waitUntil(lambda text=drawn: text in w.view.legend.text(), timeout=20000)
    w.state.set_view(case="Wind y", overlay="displaced")
    qtbot.waitUntil(lambda: "Wind y:" in w.view.legend.text(), timeout=20000)


def test_a_drag_draws_once_for_each_movement(demo: Window, qtbot: QtBot) -> None:
    w = demo
    rested(qtbot, w)
    count = [0]
    w.view.plotter.render_window.AddObserver("StartEvent", lambda *_: count.__setitem__(0, count[0] + 1))
    widget = w.view.plotter.interactor
    middle = widget.rect().center()
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.wait(30)
    before, seen_from = count[0], w.view.plotter.camera.position
    for k in range(1, 6):
        place = QPointF(middle + QPoint(4 * k, 2 * k))
        event = QMouseEvent(
            QEvent.Type.MouseMove, place, widget.mapToGlobal(place), Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )  # fmt: skip
        QApplication.sendEvent(widget, event)
        QApplication.processEvents()
    assert 1 <= count[0] - before <= 5 and w.view.plotter.camera.position != seen_from
    qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=middle)


def test_cuts_on_paper(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """A sheet for each regular set, more where the table is long, and one for single cuts; faults are told, nothing half-written."""
    from PyQt6.QtPdf import QPdfDocument

    from rod_tally.analysis.cuts import regular_cuts, wall_cut
    from rod_tally.model.edits import AddCuts

    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    act(w, qtbot, "run.print_cuts")  # without cuts it says so
    model = model_of(w)
    wall = next(s.id for s in model.surfaces.values() if s.upright)
    cuts = [*regular_cuts(model, "Roof", "x", 2.0), *regular_cuts(model, "Roof", "y", 0.5), wall_cut(model, wall, 0.5)]
    w.session.correct(AddCuts(cuts))
    rested(qtbot, w)
    w.state.set_view(case="Wind y")
    w.cut_desk.print_to(tmp_path / "cuts.pdf")
    found = QPdfDocument(None)
    found.load(str(tmp_path / "cuts.pdf"))
    assert found.pageCount() == 4 and not list(tmp_path.glob(".cuts*"))
    text = found.getAllText(0).text()
    assert "Roof x: forces through 11 cuts" in text and "Wind y" in text and "M about it, kNm" in text
    assert "Roof y32" in found.getAllText(2).text() and "Single cuts" in found.getAllText(3).text()
    with qtbot.waitSignal(w.session.failed) as told:
        w.cut_desk.print_to(tmp_path / "nowhere" / "cuts.pdf")
    assert "cannot be written" in told.args[1]
    w.state.case = "nothing"
    with qtbot.waitSignal(w.session.failed) as told:
        w.cut_desk.print_to(tmp_path / "other.pdf")
    assert "no cut has forces" in told.args[1]
