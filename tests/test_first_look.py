"""A model is seen as soon as it is read: its checks, its run and its modes follow, and give way to the
user."""

from __future__ import annotations

import time
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from rod_tally.analysis.cost import coarser_size, expected_cost
from rod_tally.desk.commands.registry import COMMANDS
from rod_tally.desk.session import runs
from rod_tally.desk.tables.registry import STEP_TABLES, TABLES
from rod_tally.desk.window import Window
from rod_tally.model import Settings
from rod_tally.model.edits import SetSection
from rod_tally.progress import Progress
from rod_tally.review import STEPS
from rod_tally.review.review import NOT_RUN
from rod_tally.review.work import add_dynamics, read_model, review, run_statically

from .desk_help import STEP, model_of, rested


def test_the_model_is_shown_before_it_is_checked_and_run(window: Window, qtbot: QtBot, loft_a: Path) -> None:
    seen: list[tuple[int, int, bool, str]] = []

    def look() -> None:
        review = window.state.review
        assert review is not None
        seen.append(
            (
                len(window.state.shown_members()),
                len(review.findings),
                review.has_run,
                window.header.verdict.text(),
            )
        )

    window.state.revision_changed.connect(look)
    window.session.settings.transfer.slabs = "two-way"
    window.session.open(loft_a)
    rested(qtbot, window)
    first, last = seen[0], seen[-1]
    assert first[0] > 100 and first[1] == 1 and not first[2] and "not run yet" in first[3]
    checked = [s for s in seen if s[1] > 5 and not s[2]]
    assert checked and "not run yet" in checked[0][3]
    assert last[2] and "not run" not in last[3]
    assert window.session.project is not None and window.session.project.path.stem.startswith(loft_a.stem)
    assert [r[1] for r in window.session.runs.kept()] == ["Run 1"]


def test_a_long_run_is_asked_for_first(window: Window, qtbot: QtBot, loft_a: Path) -> None:
    window.session.settings.transfer.slabs = "two-way"
    window.session.settings.run.ask_above = 0.0
    window.session.open(loft_a)
    rested(qtbot, window)
    assert window.state.review is not None and not window.state.review.has_run
    assert "unknowns" in window.dialogs.message.text() and "GB" in window.dialogs.message.text()
    window.state.go(STEP["Response"])
    qtbot.wait(60)
    assert NOT_RUN in window.view.legend.text()
    now = next(b for b in window.dialogs.message.buttons() if b.text() == "Run now")
    assert isinstance(now, QPushButton)
    now.click()
    rested(qtbot, window)
    assert window.state.review.has_run and window.header.verdict.text()


def test_a_correction_stops_the_first_run_which_then_starts_again(
    window: Window, qtbot: QtBot, loft_a: Path
) -> None:
    window.session.settings.transfer.slabs = "two-way"
    window.session.open(loft_a)
    qtbot.waitUntil(lambda: window.state.review is not None, timeout=60000)
    assert window.session.jobs.busy and window.session.jobs.free
    beam = next(m for m in model_of(window).members.values() if m.section == "IPE 300")
    window.session.correct(SetSection([beam.id], "IPE 360"))
    rested(qtbot, window)
    revision = window.state.revision
    assert revision is not None and revision.review.has_run and not revision.stale
    assert model_of(window).members[beam.id].section == "IPE 360"


def test_forces_are_shown_before_the_modes_are_there(
    window: Window, qtbot: QtBot, loft_a: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(runs, "LONG", 0.0)
    waiting: list[str] = []
    window.state.revision_changed.connect(
        lambda: waiting.append(window.state.review.waiting if window.state.review is not None else "")
    )
    window.session.settings.transfer.slabs = "two-way"
    window.session.open(loft_a)
    rested(qtbot, window)
    assert any("modes" in w for w in waiting) and waiting[-1] == ""
    assert window.state.review is not None and window.state.review.modes
    assert len(window.session.runs.kept()) == 1


def test_a_run_in_two_steps_gives_what_one_gives(loft_a: Path) -> None:
    settings = Settings()
    settings.transfer.slabs = "two-way"
    model = read_model(loft_a, settings)
    whole = review(model, settings)
    static, kept = run_statically(model, settings)
    assert not static.modes and static.waiting
    parts = add_dynamics(static, kept)
    assert not parts.waiting
    assert [m.period for m in parts.modes] == pytest.approx([m.period for m in whole.modes])
    assert sorted(f.key for f in parts.findings) == sorted(f.key for f in whole.findings)
    assert [c.name for c in parts.combinations] == [c.name for c in whole.combinations]


def test_cost_grows_with_shells_and_falls_with_coarser_elements(loft_a: Path) -> None:
    settings = Settings()
    settings.transfer.slabs = "shell"
    model = read_model(loft_a, settings)
    fine = expected_cost(model, settings)
    settings.mesh.size = coarser_size(model, settings.mesh.size)
    coarse = expected_cost(model, settings)
    done = review(model, settings)
    assert done.results.plates is not None
    # a mesh follows beams and openings, so it has more elements than areas alone ask for
    assert coarse.of_shells / 6 == pytest.approx(done.results.plates.count, rel=0.7)
    assert fine.of_shells == pytest.approx(4 * coarse.of_shells, rel=0.02)
    assert fine.memory > coarse.memory and fine.seconds > coarse.seconds
    members = {i for i in model.members}
    assert expected_cost(model, settings, members).of_shells == 0


def test_every_table_belongs_to_a_step_or_to_all_and_is_at_hand(window: Window) -> None:
    assert {s.name for s in STEPS} == STEP_TABLES.keys()
    for step in STEPS:
        assert step.table in {"findings", *STEP_TABLES[step.name]}
        assert set(STEP_TABLES[step.name]) <= {*TABLES, "log", "parity"}
    window.state.go(STEP["Supports"])
    tables = window.tables
    shown = {tables.tabText(k).split()[0] for k in range(tables.count()) if tables.isTabVisible(k)}
    assert shown == {"Findings", "Nodes", "Members", "Reactions"}
    window.do(next(c for c in COMMANDS if c.id == "view.tables"))
    assert all(tables.isTabVisible(k) for k in range(tables.count()))


def test_a_source_that_changes_on_disk_is_offered_as_a_revision(
    window: Window, qtbot: QtBot, loft_a: Path, loft_b: Path, tmp_path: Path
) -> None:
    source = tmp_path / "model.ifc"
    source.write_bytes(loft_a.read_bytes())
    window.session.settings.transfer.slabs = "two-way"
    window.session.open(source)
    rested(qtbot, window)
    told: list[Path] = []
    window.session.asked_changed.connect(told.append)
    other = tmp_path / "other.txt"
    other.write_text("a neighbour in the folder is no change")
    qtbot.wait(2200)
    assert told == []
    part = tmp_path / "model.part"
    part.write_bytes(loft_b.read_bytes())
    part.replace(source)  # as programs do that write whole files
    qtbot.waitUntil(lambda: bool(told), timeout=8000)
    assert told == [source] and "another file" in window.dialogs.message.text()
    next(b for b in window.dialogs.message.buttons() if b.text() == "Take it in").click()
    rested(qtbot, window)
    assert [r.name for r in window.state.revisions] == ["Revision A", "Revision B"]
    assert window.state.comparison is not None and window.state.comparison.count("added") > 0


def test_cancel_stops_what_waits_too(window: Window, qtbot: QtBot) -> None:
    jobs = window.session.jobs
    done: list[str] = []

    def slow(progress: Progress) -> str:
        for _ in range(500):
            time.sleep(0.01)
            progress("waiting", 0.5)
        return "slow"

    jobs.start("Slow", slow, done.append, done.append, gives_way=True)
    assert jobs.start("Next", lambda _p: "next", done.append, done.append)
    jobs.cancel()
    rested(qtbot, window)
    assert done == []
    jobs.start("Slow", slow, done.append, done.append, gives_way=True)
    assert jobs.start("Next", lambda _p: "next", done.append, done.append)
    assert not jobs.free and not jobs.start("Third", lambda _p: "third", done.append, done.append)
    rested(qtbot, window)
    assert done == ["next"]
