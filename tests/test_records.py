"""Records of the project file: no field goes without a migration; damaged, foreign and locked files are
reported in one message."""

from __future__ import annotations

import dataclasses
import json
import multiprocessing
import os
import random
import signal
import sqlite3
import time
import typing
import zlib
from pathlib import Path

import pytest

from rod_tally.analysis import run
from rod_tally.compare import Comparison
from rod_tally.model import Model, Settings
from rod_tally.model.edits import SetSupport
from rod_tally.model.entities.structure import FREE
from rod_tally.project import Project, ProjectError
from rod_tally.project.codec import RENAMED, RecordError, pack, unpack
from rod_tally.project.prints import is_old, run_print
from rod_tally.project.run_records import RunRecord

from .test_project import loaded

KNOWN = Path(__file__).parent / "data" / "record-fields.json"


def fields_of(kind: object, into: dict[str, list[str]]) -> dict[str, list[str]]:
    """Every dataclass that a record holds, with its fields."""
    for part in (kind, *typing.get_args(kind)):
        if part is not kind:
            fields_of(part, into)
        elif isinstance(part, type) and dataclasses.is_dataclass(part) and part.__name__ not in into:
            into[part.__name__] = sorted(f.name for f in dataclasses.fields(part))
            for hint in typing.get_type_hints(part).values():
                fields_of(hint, into)
    return into


def test_no_field_of_a_record_goes_without_a_migration() -> None:
    """A field that a release has written is still read, under its own name or the one that RENAMED gives.

    After adding a field: write the list anew, `python -c "from tests.test_records import write; write()"`.
    """
    now: dict[str, list[str]] = {}
    for kind in (Model, RunRecord, Comparison):
        fields_of(kind, now)
    for name, fields in json.loads(KNOWN.read_text()).items():
        moved = RENAMED.get(name, {})
        assert name in now, f"record {name} is gone"
        for field in fields:
            assert field in now[name] or field in moved, (
                f"{name}.{field} is gone without a migration in RENAMED"
            )
    assert now == json.loads(KNOWN.read_text()), "write the list of fields anew"


def write() -> None:
    now: dict[str, list[str]] = {}
    for kind in (Model, RunRecord, Comparison):
        fields_of(kind, now)
    KNOWN.write_text(json.dumps(now, indent=1, sort_keys=True) + "\n")


def test_a_renamed_field_is_read_under_its_new_name(monkeypatch: pytest.MonkeyPatch) -> None:
    raw = json.loads(zlib.decompress(pack(loaded())))
    raw["old_name"] = raw.pop("name")
    data = zlib.compress(json.dumps(raw).encode())
    with pytest.raises(RecordError, match="Model.old_name"):
        unpack(Model, data)
    monkeypatch.setitem(RENAMED, "Model", {"old_name": "name"})
    assert unpack(Model, data).name == loaded().name


@pytest.fixture
def kept(tmp_path: Path) -> Path:
    path = tmp_path / "p.rodtally"
    p = Project.create(path)
    m = loaded()
    revision = p.add_revision("A", m)
    p.add_run(revision, "Run 1", m, Settings(), run(m, Settings().run))
    p.save_settings(Settings())
    p.close()
    return path


DAMAGE = {
    "model": "UPDATE model SET data = x'00112233'",
    "labels": "UPDATE run SET labels = x'00'",
    "arrays": "UPDATE run SET arrays = x'504b0304'",
    "settings": 'UPDATE setting SET data = \'{"mesh": {"size": 0}}\'',
}


@pytest.mark.parametrize("what", DAMAGE)
def test_damaged_records_are_one_message_and_change_nothing(kept: Path, what: str) -> None:
    with sqlite3.connect(kept) as db:
        db.execute(DAMAGE[what])
    db.close()
    before = kept.read_bytes()
    p = Project.open(kept, only_read=True)
    with pytest.raises(ProjectError, match=str(kept)) as error:
        p.model(1), p.results(1), p.settings()
    assert len(str(error.value).splitlines()) == 1
    p.close()
    assert kept.read_bytes() == before


def test_a_project_is_open_in_one_window_at_a_time(kept: Path) -> None:
    first = Project.open(kept)
    with pytest.raises(ProjectError, match="open in another window"):
        Project.open(kept)
    assert Project.open(kept, only_read=True).revisions()
    first.close()
    Project.open(kept).close()


def test_saving_over_a_project_with_a_log_left_by_a_crash_keeps_the_new_one(tmp_path: Path) -> None:
    """Forty revisions in a project whose process died with its log beside it; three saved over it are what is
    opened."""
    old = tmp_path / "old.rodtally"

    def crash() -> None:
        p = Project.create(old)
        for k in range(40):
            p.add_revision(f"old {k}", loaded())
        os.kill(os.getpid(), signal.SIGKILL)

    child = multiprocessing.get_context("fork").Process(target=crash)
    child.start()
    child.join()
    assert old.with_name("old.rodtally-wal").exists()
    new = Project.create(tmp_path / "new.rodtally")
    for k in range(3):
        new.add_revision(f"new {k}", loaded())
    copy = new.copy_to(old)
    assert [r.name for r in copy.revisions()] == ["new 0", "new 1", "new 2"]
    copy.close()
    again = Project.open(old)
    assert [r.name for r in again.revisions()] == ["new 0", "new 1", "new 2"]
    again.close()


def test_a_full_disk_is_told_and_nothing_is_lost(kept: Path) -> None:
    p = Project.open(kept)
    p._db.execute("PRAGMA max_page_count = 20")
    with pytest.raises(ProjectError, match="could not be saved"):
        for k in range(50):
            p.add_revision(f"B{k}", loaded())
    p.close()
    assert Project.open(kept, only_read=True).revisions()[0].name == "A"


def test_a_run_knows_its_model_and_its_settings() -> None:
    m, s = loaded(), Settings()
    kept = run_print(m, s)
    assert not is_old(kept, m, s)
    s.run.cases = ["q"]
    assert not is_old(kept, m, s)  # which cases were run is seen by their names
    for table, key, value in (
        ("mesh", "size", 0.2),
        ("run", "shear_flexible", False),
        ("run", "diaphragms", ["L1"]),
    ):
        other = Settings()
        setattr(getattr(other, table), key, value)
        assert is_old(kept, m, other), key
    edit = SetSupport(["n0"], FREE)
    edit.apply(m)
    assert is_old(kept, m, Settings())
    # a print of the first release knows its model alone
    assert not is_old(kept.partition(":")[0], loaded(), other)


def _work(path: Path, out: int) -> None:
    """Save, correct and run without end; say what is saved once it is."""
    p = Project.open(path)
    m, n = loaded(), 0
    while True:
        n += 1
        edit = SetSupport(["n1"], FREE)
        edit.apply(m)
        p.save_model(1, m)
        p.decide(1, f"f{n}", "accepted", "x" * 500)
        if n % 5 == 0:
            p.add_run(1, f"Run {n}", m, Settings(), run(m, Settings().run))
        os.write(out, f"{n}\n".encode())


def test_killed_at_200_moments_what_was_said_to_be_saved_is_there(kept: Path) -> None:
    rng = random.Random(5)
    for _ in range(200):
        read, write_end = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(read)
            try:
                _work(kept, write_end)
            finally:
                os._exit(1)
        os.close(write_end)
        time.sleep(rng.uniform(0.002, 0.03))
        os.kill(child, signal.SIGKILL)
        os.waitpid(child, 0)
        said = b""
        while chunk := os.read(read, 65536):
            said += chunk
        os.close(read)
        lines = said.decode().split("\n")[:-1]
        p = Project.open(kept)
        if lines:
            assert f"f{lines[-1]}" in p.decisions(1)
            if int(lines[-1]) >= 5:
                assert f"Run {int(lines[-1]) // 5 * 5}" in [r.name for r in p.runs(1)]
        assert p.model(1).members
        p.close()
