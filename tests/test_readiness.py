"""Readiness: what a signature needs, who looked at what, in the window, the project and the report."""

from __future__ import annotations

import re
from pathlib import Path

from rod_tally.cli import main
from rod_tally.model import LoadCase, Settings
from rod_tally.project import Project
from rod_tally.review import STEPS, review
from rod_tally.review.decisions import Decision, Look
from rod_tally.review.readiness import readiness
from rod_tally.review.steps import items_of
from rod_tally.review.work import first_look, read_model

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
    named = dict(model.cases)
    model.cases["odd"] = LoadCase("odd", "")
    (row,) = (r for r in readiness(done, looked_at_all(model)) if r.what == "Load cases")
    assert not row.good and "odd" in row.words and not row.open
    model.cases = named
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
