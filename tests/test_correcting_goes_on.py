"""A further correction need not wait for the checks of the one before, and none is lost whatever stops
them."""

from __future__ import annotations

import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QThreadPool
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from rod_tally.checks import Subject, run_checks
from rod_tally.desk.header import readiness
from rod_tally.desk.session import checking
from rod_tally.desk.session.jobs import Jobs
from rod_tally.desk.window import Window
from rod_tally.model import FIXED, FREE
from rod_tally.model.edits import DeleteMembers, SetSupport
from rod_tally.project import Project

from .desk_help import model_of, rested


class Gate:
    """Holds the checks of a correction up until it is opened."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.open = threading.Event()
        self.begun = threading.Semaphore(0)
        whole = checking.checked

        def waiting(subject: Subject, progress: object, before: object) -> object:
            self.begun.release()
            while not self.open.wait(0.01):
                progress("Checking", 0.0)  # type: ignore[operator]
            return whole(subject, progress, before)  # type: ignore[arg-type]

        monkeypatch.setattr(checking, "checked", waiting)


def _kept(path: Path) -> set[str]:
    project = Project.open(path, only_read=True)
    try:
        return set(project.model(project.revisions()[-1].id).members)
    finally:
        project.close()


def test_corrections_follow_each_other_without_waiting(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    gate, session = Gate(monkeypatch), loft.session
    ids = list(model_of(loft).members)[:4]
    for ident in ids:
        session.correct(DeleteMembers([ident]))
        assert session.checking.free
    session.undo.undo()
    assert not {*ids[:3]} & model_of(loft).members.keys() and ids[3] in model_of(loft).members
    gate.open.set()
    rested(qtbot, loft)
    review = loft.state.review
    assert review is not None and session.project is not None
    fresh = {f.key for f in run_checks(Subject(review.model, None, session.settings))}
    assert {f.key for f in review.findings} >= fresh and "check.cancelled" not in {
        f.code for f in review.findings
    }
    assert loft.state.revision is not None and loft.state.revision.stale
    assert {*session.project.model(loft.state.revision.id).members} == model_of(loft).members.keys()


def test_one_that_cannot_be_made_leaves_the_checks_of_the_one_before(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    gate, session = Gate(monkeypatch), loft.session
    told: list[str] = []
    session.failed.disconnect()
    session.failed.connect(lambda _title, text: told.append(text))
    ident = next(iter(model_of(loft).members))
    session.correct(DeleteMembers([ident]))
    session.correct(DeleteMembers([ident]))
    assert told and "cannot be done" in told[0]
    gate.open.set()
    rested(qtbot, loft)
    review = loft.state.review
    assert review is not None and review.checked is not None and ident not in review.checked.model.members


def test_cancelled_between_two_it_is_said_that_nothing_was_checked(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    Gate(monkeypatch)
    session, node = loft.session, next(iter(model_of(loft).nodes))
    session.correct(SetSupport([node], FIXED))
    session.correct(SetSupport([node], FREE))
    session.jobs.cancel()
    rested(qtbot, loft)
    review = loft.state.review
    assert review is not None and [f for f in review.findings if f.code == "check.cancelled"]


def test_the_window_closed_at_once_keeps_the_last_correction(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    Gate(monkeypatch)
    session, ids = loft.session, list(model_of(loft).members)[:2]
    assert session.project is not None
    path = session.project.path
    for ident in ids:
        session.correct(DeleteMembers([ident]))
    loft.close()
    assert not {*ids} & _kept(path)


def test_other_steps_wait_for_the_checks(loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """A report written meanwhile would say what was found before the correction."""
    gate, session = Gate(monkeypatch), loft.session
    session.correct(DeleteMembers([next(iter(model_of(loft).members))]))
    assert not session.jobs.free and not loft.actions_["file.report"].isEnabled()
    assert loft.actions_["edit.undo"].isEnabled()
    gate.open.set()
    rested(qtbot, loft)
    assert session.jobs.free


def test_what_was_corrected_in_a_large_model_is_seen_before_it_is_checked(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    gate, session = Gate(monkeypatch), loft.session
    ident = next(iter(model_of(loft).members))
    monkeypatch.setattr(checking, "MANY", 0)
    with qtbot.waitSignal(loft.state.revision_changed):
        session.correct(DeleteMembers([ident]))
    loft.view.draw()
    assert loft.view._scene is not None and ident not in loft.view._scene.ids
    review, revision = loft.state.review, loft.state.revision
    assert revision is not None and revision.stale and review is not None and review.why_old
    # what is shown meanwhile says that it is from before
    qtbot.wait(50)
    words = [label.text() for label in loft.details.findChildren(QLabel)]
    assert any("from before the last correction" in text for text in words)
    assert not any("in balance" in text for text in words)
    revision.review.findings = []
    assert readiness(revision)[0] == "▲ needs re-checking"
    gate.open.set()
    rested(qtbot, loft)
    assert not revision.being_checked and "re-checking" not in readiness(revision)[0]


def test_what_was_worked_out_already_when_another_took_its_place_is_not_wanted(qtbot: QtBot) -> None:
    jobs, said = Jobs(()), list[str]()

    def start(name: str, **how: bool) -> bool:
        return jobs.start(
            "Checking", lambda _: name, said.append, said.append, lambda: said.append("cancelled"), **how
        )

    assert start("first", replaces=True)
    pool = QThreadPool.globalInstance()
    assert pool is not None and pool.waitForDone(5000)  # its signal waits for this thread
    assert start("second", replaces=True) and start("third", replaces=True)
    assert jobs.free_for("Checking") and not jobs.free
    qtbot.waitUntil(lambda: not jobs.busy)
    assert said == ["third"]


def test_a_step_that_waits_comes_though_what_ended_has_started_another(qtbot: QtBot) -> None:
    jobs, said = Jobs(()), list[str]()

    def run(_: object) -> None:
        said.append("checked")
        jobs.start("Running", _until_stopped, lambda v: said.append("run"), said.append, None, gives_way=True)

    assert jobs.start("Checking", lambda _: None, run, said.append, None, gives_way=True)
    pool = QThreadPool.globalInstance()
    assert pool is not None and pool.waitForDone(5000)
    assert jobs.start("Report", lambda _: None, lambda _: said.append("report"), said.append)
    qtbot.waitUntil(lambda: not jobs.busy)
    assert said == ["checked", "report"]


def _until_stopped(progress: Callable[[str, float], None]) -> None:
    for _ in range(500):
        progress("Running", 0.0)
        threading.Event().wait(0.01)


def test_one_that_cannot_be_made_does_not_end_what_follows_the_one_before(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A comparison, or the first run, that gave way to it is made again."""
    session, made = loft.session, list[str]()
    session.failed.disconnect()
    again = session.checking.again
    monkeypatch.setattr(session.checking, "again", lambda r: made.append(r.name) or again(r))
    session.start("Comparing", _until_stopped, lambda _: None, lambda: None, gives_way=True)
    session.correct(DeleteMembers(["nobody"]))
    assert made == ["Revision A"]
    rested(qtbot, loft)
    session.correct(DeleteMembers(["nobody"]))
    assert made == ["Revision A"]  # nothing was stopped, nothing has changed
