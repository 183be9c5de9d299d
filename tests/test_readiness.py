"""Readiness: what a signature needs, who looked at what, in the window, the project and the report."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from rod_tally.cli import main
from rod_tally.desk.window import Window
from rod_tally.model import LoadCase, Settings
from rod_tally.project import Project
from rod_tally.review import STEPS, review
from rod_tally.review.decisions import Decision, Look
from rod_tally.review.readiness import readiness
from rod_tally.review.steps import items_of
from rod_tally.review.work import first_look, read_model

from .desk_help import STEP, act, rested
from .frames import regular


def looked_at_all(model, revision: bool = False) -> list[Look]:  # type: ignore[no-untyped-def]
    return [
        Look(f"{s.name}/{i.title}", "A. Reviewer", "2026-05-04T10:00:00+00:00")
        for s in STEPS
        if revision or s.name != "Revision"
        for i in items_of(s, model)
    ]


def missing(done, looks=()) -> set[str]:  # type: ignore[no-untyped-def]
    return {r.what for r in readiness(done, looks) if not r.good}


def test_nothing_is_ready_before_it_is_run_and_looked_at() -> None:
    model = regular()
    model.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0.0, 0.0, -1.0))
    unrun = first_look(model, Settings())
    assert "Run" in missing(unrun, looked_at_all(model))
    done = review(model, Settings())
    steps = {f"Step {s.name}" for s in STEPS if s.name != "Revision"}
    assert steps <= missing(done)
    blocking = {"Blocking findings"} if done.blocking else set()
    kinds = {"Load cases"} if any(not c.kind for c in model.cases.values()) else set()
    assert missing(done, looked_at_all(model)) == blocking | kinds
    done.stale = True
    assert "Run" in missing(done, looked_at_all(model))


def test_one_look_less_or_one_blocking_finding_open_is_named(loft_a: Path) -> None:
    settings = Settings()
    settings.transfer.slabs = "two-way"
    done = review(read_model(loft_a, settings), settings)
    looks = looked_at_all(done.model)
    assert "Blocking findings" in missing(done, looks)
    marks = {r.what: r.mark for r in readiness(done, looks)}
    assert marks["Blocking findings"] == "■" and marks["Run"] == "✓"
    assert marks["Warnings"] == "▲"  # a signature does not need them decided on, but they are not done
    decided = {r.what: r.mark for r in readiness(done, looks, lambda f: True)}
    assert decided["Warnings"] == decided["Blocking findings"] == "✓"
    done.decisions = [
        Decision(f.code, f.ids, "accepted", "known", "A", "")
        for f in done.findings
        if f.severity == "blocking"
    ]
    assert "Blocking findings" not in missing(done, looks)
    gone = next(x for x in looks if x.item == "Framing/Gaps")
    row = next(r for r in readiness(done, [x for x in looks if x is not gone]) if r.what == "Step Framing")
    assert not row.good and "not yet: Gaps" in row.words and "by A. Reviewer" in row.words
    one = done.decisions.pop()
    row = next(r for r in readiness(done, looks) if r.what == "Blocking findings")
    assert not row.good and next(f.message for f in done.findings if f.code == one.code)[:20] in row.words


def test_the_report_of_a_project_says_who_looked_at_what(tmp_path: Path, loft_a: Path) -> None:
    settings = Settings()
    settings.transfer.slabs = "two-way"
    own = tmp_path / "s.toml"
    own.write_text(settings.to_toml())
    project = Project.create(tmp_path / "p.rodtally")
    ident = project.add_revision("Revision A", read_model(loft_a, settings))
    project.look(ident, "Framing/Gaps", True, "B. Checker", "gaps, storeys Roof")
    project.look(ident, "Framing/Doubled", True, "C. Other")
    project.look(ident, "Framing/Doubled", False, "C. Other")
    kept = [(x.item, x.by, x.picture) for x in project.looks(ident)]
    assert kept == [("Framing/Gaps", "B. Checker", "gaps, storeys Roof")]
    project.close()
    html = tmp_path / "r.html"
    assert main(["report", str(tmp_path / "p.rodtally"), "--settings", str(own), "--html", str(html)]) == 1
    text = re.sub(r"<[^>]+>", " ", html.read_text())
    assert "What a signature needs" in text and "1 of 10 looked at by B. Checker" in text
    assert "Framing: Gaps" in text and "C. Other" not in text


def test_readiness_in_the_window(loft: Window, qtbot: QtBot) -> None:
    loft.state.go(STEP["Close-out"])
    qtbot.wait(60)
    page = loft.tables.front()
    assert page is not None and page.name == "ready"
    rows = {str(r[1]): r for r in page.model.content.rows}
    assert rows["Run"][0] == "✓" and rows["Blocking findings"][0] == "■" and rows["Step Framing"][0] == "■"
    assert "Blocking findings" in page.model.content.note
    loft.state.show_storeys({"Roof"})
    loft.session.look("Framing/Gaps")
    assert loft.state.revision is not None
    assert "storeys Roof" in loft.state.revision.looks["Framing/Gaps"].picture
    rested(qtbot, loft)
    page = loft.tables.front()
    assert page is not None
    assert "1 of 10 looked at by" in str({str(r[1]): r for r in page.model.content.rows}["Step Framing"][2])


def test_the_report_is_looked_at_before_it_is_written(loft: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Its pages as they will be on paper; chapters left out are not there; what was chosen is kept in the
    project."""
    act(loft, qtbot, "file.report_page")
    page = loft.pages.report
    assert page is not None and page.isVisible() and page.document.pageCount() == 0
    for name in page.chapters:
        page.chapters[name].setCurrentText("off")
    for name in ("findings", "sign"):
        page.chapters[name].setCurrentText("full")
    page.texts["firm"].setText("Loft Checkers")
    qtbot.mouseClick(page.show_button, Qt.MouseButton.LeftButton)
    rested(qtbot, loft)
    count = page.document.pageCount()
    assert count > 1 and page.number.text() == f"Page 1 of {count}" and not page.back.isEnabled()
    shown = " ".join(page.document.getAllText(k).text() for k in range(count))
    assert (
        "Loft Checkers" in shown
        and "Findings" in shown
        and "Sign-off" in shown
        and "Governing forces" not in shown
    )
    qtbot.mouseClick(page.on, Qt.MouseButton.LeftButton)
    assert page.number.text() == f"Page 2 of {count}" and not page.page.pixmap().isNull()
    assert loft.session.project is not None
    kept = loft.session.project.settings().report
    assert kept.firm == "Loft Checkers" and kept.chapters["modes"] == "off" and "sign" not in kept.chapters
    page.close()
    loft.pages.show_report(loft.dialogs.ask_report)
    assert page.chapters["modes"].currentText() == "off"
    page.close()
