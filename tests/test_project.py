"""The project file: nothing overwritten, nothing lost, old files still open."""

from __future__ import annotations

import signal
import sqlite3
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.dynamics.dynamics import dynamics
from rod_tally.analysis.shells.fields import PlateFields
from rod_tally.intake import IntakeError
from rod_tally.loads import Distribution
from rod_tally.model import LoadCase, Model, Settings, Storey
from rod_tally.model.edits import SetSupport
from rod_tally.model.entities.structure import FREE
from rod_tally.project import Project, ProjectError
from rod_tally.project.codec import pack, unpack
from rod_tally.project.open import model_at, review_path
from rod_tally.project.prints import fingerprint
from rod_tally.project.run_definition import RunDefinition

from .frames import line_load, regular
from .plates import plate_model, pressure, rectangle, shell


def loaded() -> Model:
    m = regular(1, 1)
    line_load(m, "m4", (0, 0, -1e4))
    return m


def test_a_model_comes_back_equal(tmp_path: Path) -> None:
    m = loaded()
    again = unpack(Model, pack(m))
    assert pack(again) == pack(m)
    assert fingerprint(again) == fingerprint(m)
    assert np.array_equal(again.lines(), m.lines())


def test_runs_are_kept_beside_each_other(tmp_path: Path) -> None:
    m = loaded()
    p = Project.create(tmp_path / "p.rodtally")
    revision = p.add_revision("A", m)
    first = run(m, Settings().run)
    one = p.add_run(revision, "Run 1", m, Settings(), first)
    m.cases["q"].member_loads[0].qa = m.cases["q"].member_loads[0].qb = (0, 0, -2e4)
    p.save_model(revision, m)
    two = p.add_run(revision, "Run 2", m, Settings(), run(m, Settings().run))
    assert [r.name for r in p.runs(revision)] == ["Run 1", "Run 2"]
    kept, later = p.results(one), p.results(two)
    assert np.array_equal(kept.force, first.force)
    assert later.force == pytest.approx(2 * kept.force)
    assert kept.equilibrium[0].residual == first.equilibrium[0].residual
    assert p.runs(revision)[0].print != p.runs(revision)[1].print
    p.close()


def test_a_changed_model_no_longer_matches_its_run(tmp_path: Path) -> None:
    m = loaded()
    before = fingerprint(m)
    edit = SetSupport(["n0"], FREE)
    edit.apply(m)
    assert fingerprint(m) != before
    edit.revert(m)
    assert fingerprint(m) == before


def test_decisions_are_history(tmp_path: Path) -> None:
    p = Project.create(tmp_path / "p.rodtally")
    revision = p.add_revision("A", loaded())
    p.decide(revision, "join.gap:a,b", "accepted", "meant so")
    p.decide(revision, "join.gap:a,b", "open")
    p.decide(revision, "join.short:c", "corrected", "done")
    p.look(revision, "Framing/Gaps", True)
    p.look(revision, "Framing/Crossings", True)
    p.look(revision, "Framing/Gaps", False)
    p.close()
    p = Project.open(tmp_path / "p.rodtally")
    assert p.decisions(revision) == {"join.gap:a,b": ("open", ""), "join.short:c": ("corrected", "done")}
    assert p.looked(revision) == {"Framing/Crossings"}
    with sqlite3.connect(tmp_path / "p.rodtally") as db:
        assert db.execute("SELECT count(*) FROM decision").fetchone()[0] == 3
    with pytest.raises(ValueError, match="a decision is one of"):
        p.decide(revision, "x", "maybe")
    p.close()


def test_settings_are_kept(tmp_path: Path) -> None:
    p = Project.create(tmp_path / "p.rodtally")
    s = Settings()
    s.transfer.snap = 0.04
    p.save_settings(s)
    p.close()
    p = Project.open(tmp_path / "p.rodtally")
    assert p.settings().transfer.snap == 0.04
    p.close()


def test_a_window_keeps_settings_while_a_job_keeps_models(tmp_path: Path) -> None:
    """One waits for the other, and nothing is lost."""
    p = Project.create(tmp_path / "p.rodtally")
    m, s = regular(2, 2), Settings()
    revision = p.add_revision("A", m)
    with ThreadPoolExecutor(2) as pool:
        job = pool.submit(lambda: [p.save_model(revision, m) for _ in range(40)])
        for k in range(200):
            s.transfer.snap = 0.01 + k * 1e-4
            p.save_settings(s)
        job.result()
    p.close()
    p = Project.open(tmp_path / "p.rodtally")
    assert p.settings().transfer.snap == s.transfer.snap and pack(p.model(revision)) == pack(m)
    p.close()


KILLED = """
import sys
from pathlib import Path
sys.path.insert(0, sys.argv[2])
from tests.test_project import loaded
from rod_tally.project import Project
p = Project.open(Path(sys.argv[1]))
n = 0
while True:
    p.add_revision(f"R{n}", loaded())
    p.decide(1, f"f{n}", "accepted", "x" * 2000)
    n += 1
    print(n, flush=True)
"""


@pytest.mark.parametrize("after", [3, 11])
def test_killed_while_it_saves_it_keeps_every_completed_save(tmp_path: Path, after: int) -> None:
    """SIGKILL in the middle of a row of saves: the file opens, whole, with at least what had been reported as
    saved."""
    path = tmp_path / "p.rodtally"
    Project.create(path).close()
    with Project_open(path) as p:
        p.add_revision("first", loaded())
    root = str(Path(__file__).parent.parent)
    process = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(path), root], stdout=subprocess.PIPE, text=True
    )
    assert process.stdout is not None
    reported = 0
    while reported < after:
        reported = int(process.stdout.readline())
    time.sleep(0.003 * after)
    process.send_signal(signal.SIGKILL)
    rest = process.stdout.read().split()
    process.wait()
    reported = int(rest[-1]) if rest else reported
    with Project_open(path) as p:
        assert len(p.decisions(1)) >= reported
        for row in p.revisions():
            assert len(p.model(row.id).members) == 8


class Project_open:
    """A project that is closed again."""

    def __init__(self, path: Path) -> None:
        self.project = Project.open(path)

    def __enter__(self) -> Project:
        return self.project

    def __exit__(self, *_: object) -> None:
        self.project.close()


def test_a_failed_write_changes_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    p = Project.create(tmp_path / "p.rodtally")
    revision = p.add_revision("A", loaded())

    def fail(*_: object) -> None:
        raise sqlite3.OperationalError("disk is full")

    monkeypatch.setattr(Project, "_insert_model", staticmethod(fail))
    with pytest.raises(ProjectError, match="disk is full.*nothing in it was changed"):
        p.add_revision("B", loaded())
    assert [r.name for r in p.revisions()] == ["A"]
    assert len(p.model(revision).members) == 8
    p.close()


def test_files_that_are_no_project_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "x.rodtally"
    with pytest.raises(ProjectError, match="no such project"):
        Project.open(path)
    path.write_bytes(b"not a database, " * 100)
    with pytest.raises(ProjectError, match="cannot be opened"):
        Project.open(path)
    other = tmp_path / "other.rodtally"
    with sqlite3.connect(other) as db:
        db.execute("CREATE TABLE t (a)")
    with pytest.raises(ProjectError, match="not a Rod Tally project"):
        Project.open(other)
    with pytest.raises(ProjectError, match="already there"):
        Project.create(other)


def test_a_later_format_is_refused_in_words(tmp_path: Path) -> None:
    path = tmp_path / "p.rodtally"
    Project.create(path).close()
    with sqlite3.connect(path) as db:
        db.execute("PRAGMA user_version = 99")
    with pytest.raises(ProjectError, match="later version"):
        Project.open(path)


def test_copy_is_the_whole_project(tmp_path: Path) -> None:
    p = Project.create(tmp_path / "p.rodtally")
    revision = p.add_revision("A", loaded())
    p.decide(revision, "f", "accepted", "so")
    copy = p.copy_to(tmp_path / "sub.rodtally")
    copy.decide(revision, "g", "accepted", "so")
    assert copy.decisions(revision).keys() == {"f", "g"}
    copy.close()
    with Project_open(tmp_path / "p.rodtally") as old:
        assert old.decisions(revision).keys() == {"f"}


def test_a_comparison_is_kept_as_its_own(tmp_path: Path) -> None:
    from rod_tally.compare import Side, compare

    base, revised = loaded(), loaded()
    runs = [run(m, Settings().run) for m in (base, revised)]
    made = compare(Side(base, runs[0]), Side(revised, runs[1]))
    p = Project.create(tmp_path / "p.rodtally")
    a, b = p.add_revision("A", base), p.add_revision("B", revised)
    assert p.comparison(a, b) is None
    p.add_comparison(a, b, made)
    kept = p.comparison(a, b)
    assert kept is not None and kept.members == made.members and kept.results == made.results
    assert pack(p.model(a)) == pack(base)
    p.close()


def test_projects_are_reviewed_like_files(tmp_path: Path) -> None:
    p = Project.create(tmp_path / "p.rodtally")
    p.add_revision("A", loaded())
    p.close()
    done = review_path(tmp_path / "p.rodtally", Settings(), tmp_path / "p.rodtally")
    assert done.comparison is not None and done.comparison.count("same") == 8
    Project.create(tmp_path / "empty.rodtally").close()
    with pytest.raises(IntakeError, match="no revision"):
        model_at(tmp_path / "empty.rodtally", Settings())


def test_a_file_of_the_first_release_still_opens(tmp_path: Path) -> None:
    """tests/data/first-release.rodtally was written by version 0.1.0 and stays as it is."""
    fixture = Path(__file__).parent / "data" / "first-release.rodtally"
    copy = tmp_path / "copy.rodtally"
    copy.write_bytes(fixture.read_bytes())
    with Project_open(copy) as p:
        assert [r.name for r in p.revisions()] == ["Revision A"]
        m = p.model(1)
        assert len(m.members) == 8
        r = p.results(p.runs(1)[0].id)
        assert r.equilibrium[0].residual < 1e-9
        assert p.decisions(1) == {"support.none:": ("accepted", "kept as a fixture")}
        assert p.runs(1)[0].print == fingerprint(m, once=True)


def test_a_model_of_slabs_and_walls_is_kept_whole(tmp_path: Path) -> None:
    """Joints, supports, axes turned by hand, varying thickness, grids, groups and corrections come back as
    they were."""
    from rod_tally.model import GridLine
    from rod_tally.model.edits import DeleteMembers, TurnSurfaces
    from rod_tally.project.codec import pack, unpack

    from .physical_models import model as made
    from .test_panels import room

    m = made(room())
    m.grids = [GridLine("A", np.array([[0.0, 0], [0, 5]]))]
    m.groups = {"wing": ["low"]}
    TurnSurfaces(["floor"], [0.0, 1.0, 0.0]).apply(m)
    DeleteMembers(["joist", "east"]).apply(m)
    m.surfaces["west"].spread, m.surfaces["west"].thin_at = (0.1, 0.2), (0.0, 1.0, 2.0)
    again = unpack(type(m), pack(m))
    assert pack(again) == pack(m)
    assert again.surfaces["floor"].axes[0] == pytest.approx([0, 1, 0])
    assert again.corrections == m.corrections and again.removed_surfaces["east"].thickness == pytest.approx(
        0.2
    )


def test_modes_and_centres_are_kept_with_their_run_and_asked_for_with_its_settings(tmp_path: Path) -> None:
    m = regular(1, 1)
    m.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0.0, 0.0, -1.0))
    settings = Settings()
    r = run(m, settings.run)
    m.storeys = [Storey("L1", 3.5)]
    found = dynamics(m, r, settings, Distribution(m))
    p = Project.create(tmp_path / "p.rodtally")
    ident = p.add_run(p.add_revision("A", m), "Run 1", m, settings, r, found)
    kept = p.dynamics(ident, settings)
    assert kept is not None and [x.period for x in kept.modes] == [x.period for x in found.modes]
    one, two = kept.modes[0].shape, found.modes[0].shape
    assert one is not None and two is not None and (one == two).all()
    assert kept.centres == found.centres and len(found.centres) == 1
    settings.modes.count = 3
    assert p.dynamics(ident, settings) is None


def test_a_run_of_shells_is_kept_with_its_mesh(tmp_path: Path) -> None:
    m = plate_model()
    shell(m, "s", rectangle(4, 3), edges="pinned")
    pressure(m, "s", 1e3)
    r = run(m, Settings().run)
    p = Project.create(tmp_path / "p.rodtally")
    ident = p.add_run(p.add_revision("A", m), "Run 1", m, Settings(), r)
    again = p.results(ident)
    assert again.plates is not None and r.plates is not None
    assert (again.plates.quads == r.plates.quads).all() and again.plates.quads.dtype == r.plates.quads.dtype
    one, two = (
        PlateFields(m, x.plates).at_corners(x.displacement[0]) for x in (r, again) if x.plates is not None
    )
    assert two == pytest.approx(one)


def test_a_kept_run_says_how_it_was_asked_for(tmp_path: Path) -> None:
    p = Project.create(tmp_path / "p.rodtally")
    m = loaded()
    m.groups["core"] = [next(iter(m.members)), "gone"]
    revision = p.add_revision("A", m)
    settings = Settings()
    settings.run.one_way = True
    settings.run.cases = [next(iter(m.cases)), "lost"]
    r = run(m, Settings().run)
    whole = p.add_run(revision, "whole", m, Settings(), r)
    group = p.add_run(revision, "core", m, settings, r, part=RunDefinition("", group="core").part_text())
    some = p.add_run(
        revision,
        "some",
        m,
        Settings(),
        r,
        part=RunDefinition("", ids=["gone", next(iter(m.members))]).part_text(),
    )
    p.close()
    p = Project.open(tmp_path / "p.rodtally")
    assert p.definition(whole) == RunDefinition("whole") and p.definition(whole).words == "all; all cases"
    assert p.definition(whole).part_in(m) == (None, []) and p.definition(whole).cases_in(m) == (None, [])
    asked = p.definition(group)
    assert (asked.group, asked.one_way, asked.p_delta) == ("core", True, False)
    assert asked.part_in(m) == ({next(iter(m.members))}, [])
    assert asked.cases_in(m) == ([next(iter(m.cases))], ["lost"]) and "one-way" in asked.words
    assert p.definition(some).part_in(m) == ({next(iter(m.members))}, ["gone"])
    with pytest.raises(ProjectError, match="holds no run 99"):
        p.definition(99)
    p._db.execute("UPDATE run SET part = '[' WHERE id = ?", (some,))
    with pytest.raises(ProjectError, match="how run"):
        p.definition(some)
    p.close()
