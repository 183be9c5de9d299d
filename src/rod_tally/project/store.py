"""A project as one SQLite file with a write-ahead log. Rows are added, never changed."""

from __future__ import annotations

import hashlib
import json
import os
import sqlite3
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ..analysis.dynamics.dynamics import Dynamics
from ..analysis.results.results import Results
from ..compare import Comparison
from ..model import Model, Settings
from .codec import Before, RecordError, pack, unpack
from .lock import Lock
from .prints import prints_of, run_print
from .review_records import ReviewRecords, now
from .run_definition import RunDefinition, definition_of
from .run_records import dynamics_of, packed, results_of

SUFFIX = ".rodtally"
APPLICATION_ID = 0x526F6454  # marks the file as ours whatever its name
MIGRATIONS = (
    """
    CREATE TABLE revision (id INTEGER PRIMARY KEY, name TEXT NOT NULL, source TEXT NOT NULL, created TEXT NOT NULL);
    CREATE TABLE model (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id), print TEXT NOT NULL,
                        data BLOB NOT NULL, created TEXT NOT NULL);
    CREATE TABLE run (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id), name TEXT NOT NULL,
                      print TEXT NOT NULL, settings TEXT NOT NULL, arrays BLOB NOT NULL, labels BLOB NOT NULL,
                      created TEXT NOT NULL);
    CREATE TABLE decision (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id),
                           finding TEXT NOT NULL, status TEXT NOT NULL, reason TEXT NOT NULL, created TEXT NOT NULL);
    CREATE TABLE looked (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id),
                         item TEXT NOT NULL, seen INTEGER NOT NULL, created TEXT NOT NULL);
    CREATE TABLE setting (id INTEGER PRIMARY KEY, data TEXT NOT NULL, created TEXT NOT NULL);
    CREATE TABLE comparison (id INTEGER PRIMARY KEY, baseline INTEGER NOT NULL REFERENCES revision(id),
                             revised INTEGER NOT NULL REFERENCES revision(id), data BLOB NOT NULL, created TEXT NOT NULL);
    """,
    "ALTER TABLE decision ADD COLUMN author TEXT NOT NULL DEFAULT '';",
    """
    CREATE TABLE carried (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id), data TEXT NOT NULL,
                          created TEXT NOT NULL);
    """,
    "ALTER TABLE looked ADD COLUMN author TEXT NOT NULL DEFAULT '';",
    """
    CREATE TABLE answer (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id), finding TEXT NOT NULL,
                         status TEXT NOT NULL, author TEXT NOT NULL, written TEXT NOT NULL, text TEXT NOT NULL,
                         created TEXT NOT NULL);
    """,
    """
    CREATE TABLE design (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id), data TEXT NOT NULL,
                         created TEXT NOT NULL);
    """,
    "CREATE TABLE view (id INTEGER PRIMARY KEY, name TEXT NOT NULL, data TEXT NOT NULL, created TEXT NOT NULL);",
    "ALTER TABLE looked ADD COLUMN picture TEXT NOT NULL DEFAULT '';",
    """
    CREATE TABLE effects (id INTEGER PRIMARY KEY, revision INTEGER NOT NULL REFERENCES revision(id), print TEXT NOT NULL,
                          data TEXT NOT NULL, created TEXT NOT NULL);
    """,
    "ALTER TABLE run ADD COLUMN part TEXT NOT NULL DEFAULT '';",
)


class ProjectError(Exception):
    """A project file that cannot be opened or saved; the message names it and says what to do."""


@dataclass(slots=True)
class RevisionRow:
    id: int
    name: str
    source: str
    created: str


@dataclass(slots=True)
class RunRow:
    """`print` is the fingerprint of the model and the settings it was run with: `is_old` tells whether they
    are others now."""

    id: int
    name: str
    print: str
    created: str


class Project(ReviewRecords):
    """An open project file. Every method that writes does so in one transaction, on disk when it returns."""

    def __init__(self, path: Path, db: sqlite3.Connection, lock: Lock | None = None) -> None:
        self.path, self._db, self._lock = path, db, lock
        self._writing = threading.RLock()  # a window keeps settings while a job of its keeps a model
        self._written: Before = {}  # parts of models as they were last written

    @classmethod
    def create(cls, path: Path) -> Project:
        """A new project; raises ProjectError when the file is already there or cannot be written."""
        if path.exists():
            raise ProjectError(f"{path}: is already there; choose another name")
        _drop_log(path)
        lock = _locked(path)
        try:
            db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
            db.execute(f"PRAGMA application_id = {APPLICATION_ID}")
            project = cls(path, db, lock)
            project._ready()
        except sqlite3.Error as error:
            lock.release()
            raise ProjectError(f"{path}: a project cannot be written there ({error})") from error
        return project

    @classmethod
    def open(cls, path: Path, only_read: bool = False) -> Project:
        """An existing project; raises ProjectError when it is missing, no project, of a later version, or
        open elsewhere.

        `only_read`: nothing is written, so that it may be open elsewhere, or lie where nothing can be
        written."""
        if not path.is_file():
            raise ProjectError(f"{path}: there is no such project file")
        if not only_read and not (os.access(path, os.W_OK) and os.access(path.parent, os.W_OK)):
            raise ProjectError(
                f"{path}: cannot be written there; copy it to a folder of yours and open the copy"
            )
        lock = None if only_read else _locked(path)
        try:
            return cls._opened(path, lock)
        except ProjectError:
            if lock is not None:
                lock.release()
            raise

    @classmethod
    def _opened(cls, path: Path, lock: Lock | None) -> Project:
        try:
            if lock is None:
                # without a log beside it the file is whole as it is, and can be read where nothing may be
                # written
                whole = not path.with_name(path.name + "-wal").exists()
                uri = f"{path.resolve().as_uri()}?{'immutable=1' if whole else 'mode=ro'}"
                db = sqlite3.connect(uri, uri=True, isolation_level=None, check_same_thread=False)
            else:
                db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
            mark = db.execute("PRAGMA application_id").fetchone()[0]
            version = db.execute("PRAGMA user_version").fetchone()[0]
            if mark != APPLICATION_ID:
                raise ProjectError(f"{path}: is not a Rod Tally project")
            if version > len(MIGRATIONS):
                raise ProjectError(
                    f"{path}: was written by a later version of Rod Tally (format {version}); update first"
                )
            project = cls(path, db, lock)
            if lock is not None:
                project._ready()
            if db.execute("PRAGMA quick_check").fetchone()[0] != "ok":
                raise ProjectError(f"{path}: is damaged; take it back from a copy")
        except sqlite3.Error as error:
            raise ProjectError(f"{path}: cannot be opened as a project ({error})") from error
        return project

    def _ready(self) -> None:
        self._db.execute("PRAGMA journal_mode = WAL")
        self._db.execute("PRAGMA synchronous = FULL")
        self._db.execute("PRAGMA foreign_keys = ON")
        version = self._db.execute("PRAGMA user_version").fetchone()[0]
        for number, script in enumerate(MIGRATIONS[version:], version + 1):
            self._db.executescript(f"BEGIN; {script} PRAGMA user_version = {number}; COMMIT;")

    def close(self) -> None:
        self._db.close()
        if self._lock is not None:
            self._lock.release()

    def copy_to(self, path: Path) -> Project:
        """The whole project in another file, put in place in one step; this one is closed, the copy returned
        open."""
        if path.exists() and path.samefile(self.path):
            return self
        half = path.with_name(f".{path.name}.part")
        _locked(path).release()  # one that is open in another window is not written over
        half.unlink(missing_ok=True)
        try:
            target = sqlite3.connect(half)
            self._db.backup(target)
            target.execute("PRAGMA journal_mode = DELETE")
            target.close()
            # the log of a project that stood there, left by a crash, would be taken for that of the new one
            _drop_log(path)
            half.replace(path)
        except (sqlite3.Error, OSError) as error:
            half.unlink(missing_ok=True)
            raise ProjectError(f"{path}: could not be saved ({error})") from error
        copy = Project.open(path)
        self.close()
        return copy

    @contextmanager
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        with self._writing:
            try:
                self._db.execute("BEGIN IMMEDIATE")
                yield self._db
                self._db.execute("COMMIT")
            except sqlite3.Error as error:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise ProjectError(
                    f"{self.path}: could not be saved ({error}); nothing in it was changed"
                ) from error
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise

    def add_revision(self, name: str, model: Model) -> int:
        """Keep a new revision with its model; returns its id."""
        with self._transaction() as db:
            cursor = db.execute(
                "INSERT INTO revision (name, source, created) VALUES (?, ?, ?)",
                (name, model.source_file, now()),
            )
            revision = int(cursor.lastrowid or 0)
            self._insert_model(db, revision, model)
        return revision

    def save_model(self, revision: int, model: Model, corrected: bool = False) -> None:
        """Keep the model of a revision as it is now; earlier states stay. Does nothing when it has not
        changed. `corrected`: since it was kept so before, corrections alone have changed it, which put copies
        in place of parts: only those are written anew."""
        with self._transaction() as db:
            self._insert_model(db, revision, model, self._written if corrected else None)

    @staticmethod
    def _insert_model(
        db: sqlite3.Connection, revision: int, model: Model, before: Before | None = None
    ) -> None:
        data = pack(model, written_before=before)
        digest = hashlib.sha256(data).hexdigest()
        last = db.execute(
            "SELECT print FROM model WHERE revision = ? ORDER BY id DESC LIMIT 1", (revision,)
        ).fetchone()
        if last is None or last[0] != digest:
            db.execute(
                "INSERT INTO model (revision, print, data, created) VALUES (?, ?, ?, ?)",
                (revision, digest, data, now()),
            )

    def revisions(self) -> list[RevisionRow]:
        rows = self._db.execute("SELECT id, name, source, created FROM revision ORDER BY id").fetchall()
        return [RevisionRow(*row) for row in rows]

    def model(self, revision: int) -> Model:
        """The latest model of a revision; raises ProjectError for one that is not there."""
        row = self._db.execute(
            "SELECT data FROM model WHERE revision = ? ORDER BY id DESC LIMIT 1", (revision,)
        ).fetchone()
        if row is None:
            raise ProjectError(f"{self.path}: holds no revision {revision}")
        return self._unpacked(Model, row[0], f"the model of revision {revision}")

    def _unpacked(self, kind: type, data: bytes, what: str) -> Any:
        return self._whole(lambda: unpack(kind, data), what)

    def _whole(self, read: Callable[[], Any], what: str) -> Any:
        """Return what is read of the file; raises ProjectError for what is damaged."""
        try:
            return read()
        except RecordError as error:
            raise ProjectError(f"{self.path}: {what} {error}; nothing in the file was changed") from error

    def add_run(
        self,
        revision: int,
        name: str,
        model: Model,
        settings: Settings,
        results: Results,
        dynamics: Dynamics | None = None,
        print_of: str = "",
        part: str = "",
    ) -> int:
        """Keep a run, and its modes and centres where they were found, beside all earlier ones; returns its
        id. `print_of`: its print, where that is known; `part`: that of its definition, "" for all of the
        model."""
        arrays, record = packed(results, dynamics)
        with self._transaction() as db:
            cursor = db.execute(
                "INSERT INTO run (revision, name, print, settings, arrays, labels, created, part) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    revision,
                    name,
                    print_of or run_print(model, settings),
                    json.dumps(settings.to_dict()),
                    arrays,
                    record,
                    now(),
                    part,
                ),
            )
        return int(cursor.lastrowid or 0)

    def runs(self, revision: int) -> list[RunRow]:
        """Runs of a revision, oldest first."""
        rows = self._db.execute(
            "SELECT id, name, print, created FROM run WHERE revision = ? ORDER BY id", (revision,)
        ).fetchall()
        return [RunRow(*row) for row in rows]

    def definition(self, run: int) -> RunDefinition:
        """Return how a kept run was asked for; raises ProjectError for one that is not there, or is damaged."""
        row = self._db.execute("SELECT name, settings, part FROM run WHERE id = ?", (run,)).fetchone()
        if row is None:
            raise ProjectError(f"{self.path}: holds no run {run}")
        try:
            return definition_of(row[0], Settings.from_dict(json.loads(row[1])), row[2])
        except (ValueError, AttributeError, TypeError) as error:
            raise ProjectError(f"{self.path}: how run {run} was made cannot be read ({error})") from error

    def results(self, run: int) -> Results:
        """The results of a run; raises ProjectError for one that is not there."""
        row = self._db.execute("SELECT arrays, labels FROM run WHERE id = ?", (run,)).fetchone()
        if row is None:
            raise ProjectError(f"{self.path}: holds no run {run}")
        return self._whole(lambda: results_of(*row), f"run {run}")

    def model_of_run(self, run: int) -> tuple[Model, Settings]:
        """The model as it was when a run was kept, and that run's settings. Raises ProjectError where it is
        not there."""
        row = self._db.execute(
            "SELECT revision, created, settings, print FROM run WHERE id = ?", (run,)
        ).fetchone()
        if row is None:
            raise ProjectError(f"{self.path}: holds no run {run}")
        settings = Settings.from_dict(json.loads(row[2]))
        query = "SELECT data FROM model WHERE revision = ? AND created <= ? ORDER BY id DESC"
        for (data,) in self._db.execute(query, (row[0], row[1])):
            model: Model = self._unpacked(Model, data, f"the model of run {run}")
            if row[3] in prints_of(model, settings):
                return model, settings
        raise ProjectError(f"{self.path}: the model of run {run} as it was then is not in the project")

    def dynamics(self, run: int, settings: Settings) -> Dynamics | None:
        """The modes and centres kept with a run; None where there are none, or where they were found with
        other settings."""
        row = self._db.execute("SELECT arrays, labels, settings FROM run WHERE id = ?", (run,)).fetchone()
        if row is None:
            return None
        if Settings.from_dict(json.loads(row[2])).modes != settings.modes:
            return None
        return self._whole(lambda: dynamics_of(row[0], row[1]), f"run {run}")

    def add_comparison(self, baseline: int, revised: int, comparison: Comparison) -> None:
        """Keep a comparison of two revisions beside all earlier ones; neither revision is touched."""
        with self._transaction() as db:
            db.execute(
                "INSERT INTO comparison (baseline, revised, data, created) VALUES (?, ?, ?, ?)",
                (baseline, revised, pack(comparison), now()),
            )

    def comparison(self, baseline: int, revised: int) -> Comparison | None:
        """The latest comparison kept of two revisions, None when there is none."""
        row = self._db.execute(
            "SELECT data FROM comparison WHERE baseline = ? AND revised = ? ORDER BY id DESC LIMIT 1",
            (baseline, revised),
        ).fetchone()
        return self._unpacked(Comparison, row[0], "the comparison") if row else None

    def save_settings(self, settings: Settings) -> None:
        text = json.dumps(settings.to_dict())
        last = self._db.execute("SELECT data FROM setting ORDER BY id DESC LIMIT 1").fetchone()
        if last is None or last[0] != text:
            with self._transaction() as db:
                db.execute("INSERT INTO setting (data, created) VALUES (?, ?)", (text, now()))

    def settings(self) -> Settings:
        """The latest settings kept; raises ProjectError for ones that cannot be read."""
        row = self._db.execute("SELECT data FROM setting ORDER BY id DESC LIMIT 1").fetchone()
        try:
            return Settings.from_dict(json.loads(row[0]), str(self.path)) if row else Settings()
        except (ValueError, TypeError) as error:
            raise ProjectError(
                f"{self.path}: its settings cannot be read ({error}); nothing in the file was changed"
            ) from error


def _drop_log(path: Path) -> None:
    """Take away the write-ahead log that a crash left beside a project that is to be written anew."""
    for suffix in ("-wal", "-shm"):
        path.with_name(path.name + suffix).unlink(missing_ok=True)


def _locked(path: Path) -> Lock:
    """This process's hold on a project. Raises ProjectError when another one has it."""
    lock = Lock(path)
    if not lock.take():
        raise ProjectError(f"{path}: is open in another window; close it there first")
    return lock
