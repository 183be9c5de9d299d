"""Effects of guesses in the window: found in the background, kept when stopped, shown beside their findings."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

pytest.importorskip("PyQt6")
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.demo.writer import IfcWriter  # noqa: E402
from rod_tally.desk.printing.sign_sheet import sheet  # noqa: E402
from rod_tally.desk.window import Window  # noqa: E402
from rod_tally.model.edits import SetSection  # noqa: E402

from .desk_help import act, named, rested  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


@pytest.fixture
def portal(window: Window, qtbot: QtBot, tmp_path: Path) -> Window:
    """Two columns and a beam that stops 0.1 m short of the second."""
    w = IfcWriter("portal", "IFC4", "METRE")
    w.storey("Ground", 0.0)
    steel = w.material("S355", YoungModulus=210e9, ShearModulus=81e9, MassDensity=7850.0)
    box = w.profile("Rectangle", "box", XDim=0.2, YDim=0.2)
    for k, x in enumerate((0.0, 5.0)):
        w.member("IfcColumn", f"K{k}", (x, 0, 0), (x, 0, 3.5), box, steel, "Ground", (0, 1, 0))
    w.member("IfcBeam", "B", (0.1, 0, 3.4), (4.8, 0, 3.4), box, steel, "Ground")
    w.write(tmp_path / "portal.ifc")
    window.session.settings.modes.count = 0
    window.session.open(tmp_path / "portal.ifc")
    rested(qtbot, window)
    return window


def test_effects_are_found_shown_and_taken_as_a_reason(portal: Window, qtbot: QtBot) -> None:
    act(portal, qtbot, "run.effects")
    review = portal.state.review
    assert review is not None
    names = {e.name for e in review.effects}
    assert {"base", "shear_flexible", "mend:join.gap"} <= names
    page = portal.tables.front()
    assert page is not None and page.name == "effects"
    rows = page.model.content
    assert len(rows.rows) == len(review.effects) and rows.columns[0] == "What"
    assert rows.rows[0][0] == min(review.effects, key=lambda e: e.rank).title
    row = next(k for k, r in enumerate(rows.rows) if r[0] == "Gap at a joint")
    portal.tables._picked("effects", rows.picks[row], row)
    assert portal.state.finding is not None and portal.state.finding.code == "join.gap"
    assert rows.makers[row], "the parts that change are shown"
    assert "Gap at a joint" in sheet(portal.state.revisions[0])
    portal.tables.show_table("findings")
    qtbot.waitUntil(
        lambda: "If mended" in (portal.tables.front() or page).model.content.columns, timeout=5000
    )
    findings = portal.tables.front()
    assert findings is not None
    column = findings.model.content.columns.index("If mended")
    told = {r[1]: str(r[column]) for r in findings.model.content.rows}
    assert "largest displacement" in next(v for k, v in told.items() if k.startswith("Gap"))
    # only what changes nothing is accepted for that reason
    still = [f for f in portal.state.revisions[0].open_findings() if f.code == "join.gap"]
    act(portal, qtbot, "run.no_effect")
    assert [f for f in portal.state.revisions[0].open_findings() if f.code == "join.gap"] == still


def test_a_correction_makes_them_those_of_another_model(portal: Window, qtbot: QtBot) -> None:
    act(portal, qtbot, "run.effects")
    portal.session.correct(SetSection([named(portal, "B")], "IPE 300"))
    rested(qtbot, portal)
    portal.tables.show_table("effects")
    page = portal.tables.front()
    assert page is not None
    qtbot.waitUntil(lambda: not page.model.content.rows, timeout=5000)
    assert "run it again" in page.model.content.note
    assert "Not tried" in sheet(portal.state.revisions[0])
    said: list[str] = []
    portal.session.failed.connect(lambda _title, text: said.append(text))
    portal.session.runs.effects(lambda: None)
    assert said and "nothing to compare with" in said[0]


def test_stopped_halfway_what_was_found_is_kept_and_gone_on_with(portal: Window, qtbot: QtBot) -> None:
    review = portal.state.review
    assert review is not None
    act(portal, qtbot, "run.effects")
    every = list(review.effects)
    review.effects = every[:1]
    portal.actions_["run.effects"].trigger()
    portal.session.jobs.cancel()
    rested(qtbot, portal)
    assert (
        every[0] in review.effects and len(review.effects) < len(every) or len(review.effects) == len(every)
    )
    act(portal, qtbot, "run.effects")
    assert [e.name for e in review.effects] == [e.name for e in every]
    assert review.effects[0] is every[0]


def test_effects_are_kept_with_their_run(portal: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """A project that is opened again has them, pairs with their two; a correction makes them those of an older
    model, and another run has none."""
    act(portal, qtbot, "run.effects")
    review = portal.state.review
    assert review is not None and review.effects
    every = [(e.name, e.title, e.values, e.ids, e.parts, e.after, e.before) for e in review.effects]
    project = portal.session.project
    assert project is not None
    path = project.path
    portal.session.open(tmp_path / "portal.ifc")  # another project, which closes this one
    rested(qtbot, portal)
    portal.session.open(path)
    rested(qtbot, portal)
    again = portal.state.review
    assert again is not None and again is not review
    assert [(e.name, e.title, e.values, e.ids, e.parts, e.after, e.before) for e in again.effects] == every
    revision = portal.state.revision
    assert revision is not None and portal.session.project is not None
    assert portal.session.project.effects(revision.id, "another run") == []
