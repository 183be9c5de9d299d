"""Records of the review itself in a project: decisions, looks, answers, what was carried over, kept views,
design results."""

from __future__ import annotations

import json
import sqlite3
from abc import ABC, abstractmethod
from collections.abc import Callable
from contextlib import AbstractContextManager
from dataclasses import asdict
from datetime import UTC, datetime
from typing import Any

from ..compare.carrying.carry import Carried, CarriedOver
from ..intake.design_results import DesignPlace, DesignResults
from ..review.answers import Answer
from ..review.decisions import Decision, Look
from ..review.effects.effect import Effect, effect_records, effects_of_records
from .codec import RecordError
from .kept_views import KeptView

RENAMED = {"load.lost": "load.uncarried"}
# things of a step that had another title in an earlier release
LOOKED = {
    "Framing/Doubled": "Framing/Duplicates",
    "Framing/Sizes since joining": "Framing/Changed sizes",
    "Framing/Free parts": "Framing/Disconnected parts",
    "Supports/Bases held": "Supports/Base supports",
    "Supports/Held as a whole": "Supports/Overall restraint",
    "Loads/Arrived": "Loads/Load transfer",
    "Run/One-way parts": "Run/Slack parts",
    "Response/Down the columns": "Response/Column forces",
    "Response/Symmetry, turning": "Response/Symmetry, torsion",
    "Revision/Matched": "Revision/Matching",
}
DECISIONS = ("open", "accepted", "corrected")


class ReviewRecords(ABC):
    """The part of a project's file that holds them. Rows are added, never changed: the latest counts."""

    _db: sqlite3.Connection

    @abstractmethod
    def _transaction(self) -> AbstractContextManager[sqlite3.Connection]: ...

    @abstractmethod
    def _whole(self, read: Callable[[], Any], what: str) -> Any: ...

    def _rows(self, query: str, *values: object) -> list[Any]:
        """Rows of a table that projects of earlier releases may lack, opened to be read only; none then."""
        try:
            return self._db.execute(query, values).fetchall()
        except sqlite3.OperationalError:
            return []

    def add_answers(self, revision: int, answers: list[Answer]) -> int:
        """Keep answers of the modellers to findings; those that are kept already are left out. How many were
        new."""
        known = {(a.key, a.status, a.author, a.when, a.text) for a in self.answers(revision)}
        new = [a for a in answers if (a.key, a.status, a.author, a.when, a.text) not in known]
        with self._transaction() as db:
            db.executemany(
                "INSERT INTO answer (revision, finding, status, author, written, text, created) VALUES (?, ?, ?, ?, ?, ?, ?)",
                [(revision, a.key, a.status, a.author, a.when, a.text, now()) for a in new],
            )
        return len(new)

    def answers(self, revision: int) -> list[Answer]:
        """Answers to findings of a revision, in the order in which they came."""
        query = "SELECT finding, status, author, written, text FROM answer WHERE revision = ? ORDER BY id"
        return [Answer(*row) for row in self._rows(query, revision)]

    def keep_design(self, revision: int, design: DesignResults) -> None:
        """Keep utilisations and the like of a revision's parts, in place of those there were."""
        with self._transaction() as db:
            db.execute(
                "INSERT INTO design (revision, data, created) VALUES (?, ?, ?)",
                (revision, json.dumps(asdict(design)), now()),
            )

    def design(self, revision: int) -> DesignResults | None:
        """Return what was kept last of a revision; None for nothing."""
        rows = self._rows("SELECT data FROM design WHERE revision = ? ORDER BY id DESC LIMIT 1", revision)
        what = f"the design results of revision {revision}"
        return self._whole(lambda: _design(rows[0][0]), what) if rows else None

    def keep_effects(self, revision: int, print_of: str, found: list[Effect]) -> None:
        """Keep the effects of a run, by its fingerprint, in place of those that there were of it."""
        with self._transaction() as db:
            db.execute(
                "INSERT INTO effects (revision, print, data, created) VALUES (?, ?, ?, ?)",
                (revision, print_of, json.dumps(effect_records(found)), now()),
            )

    def effects(self, revision: int, print_of: str) -> list[Effect]:
        """Return the effects that were kept of a run; [] for none."""
        query = "SELECT data FROM effects WHERE revision = ? AND print = ? ORDER BY id DESC LIMIT 1"
        rows = self._rows(query, revision, print_of)
        what = f"the effects of revision {revision}"
        return self._whole(lambda: _effects(rows[0][0]), what) if rows else []

    def keep_view(self, name: str, view: KeptView | None) -> None:
        """Keep a view under its name, in place of one of that name; None for one that is not wanted any
        more."""
        data = "" if view is None else json.dumps(view.record())
        with self._transaction() as db:
            db.execute("INSERT INTO view (name, data, created) VALUES (?, ?, ?)", (name, data, now()))

    def views(self) -> list[KeptView]:
        """Views that are kept, in the order in which they were first kept."""
        rows = self._rows("SELECT name, data FROM view ORDER BY id")
        latest = dict(rows)
        return [self._whole(lambda d=d: _view(d), f"the view {n}") for n, d in latest.items() if d]  # type: ignore[misc]

    def keep_carried(self, revision: int, carried: CarriedOver | None) -> None:
        """Keep what was carried over to a revision, with where it went; None where that was taken back."""
        lines = [] if carried is None else [asdict(line) for line in carried.lines]
        with self._transaction() as db:
            db.execute(
                "INSERT INTO carried (revision, data, created) VALUES (?, ?, ?)",
                (revision, json.dumps(lines), now()),
            )

    def carried(self, revision: int) -> CarriedOver | None:
        """The last that was kept; None for none, or where it was taken back. Its edits are in the model
        already."""
        rows = self._rows("SELECT data FROM carried WHERE revision = ? ORDER BY id DESC LIMIT 1", revision)
        lines = json.loads(rows[0][0]) if rows else []
        known = [
            Carried(**{**v, "ids": tuple(v["ids"]), "targets": tuple(v.get("targets", ()))}) for v in lines
        ]
        return CarriedOver(known) if known else None

    def decide(self, revision: int, finding: str, status: str, reason: str = "") -> None:
        """Keep a decision on a finding (its key); earlier ones stay as history. Status is one of
        DECISIONS."""
        self.decide_all(revision, {finding: (status, reason)})

    def decide_all(self, revision: int, decisions: dict[str, tuple[str, str]], by: str = "") -> None:
        """Keep decisions on several findings, (status, reason) by key, in one step; `by`: who decided."""
        for status, _ in decisions.values():
            if status not in DECISIONS:
                raise ValueError(f"a decision is one of {DECISIONS}, not {status!r}")
        with self._transaction() as db:
            db.executemany(
                "INSERT INTO decision (revision, finding, status, reason, created, author) VALUES (?, ?, ?, ?, ?, ?)",
                [(revision, key, status, reason, now(), by) for key, (status, reason) in decisions.items()],
            )

    def decisions(self, revision: int) -> dict[str, tuple[str, str]]:
        """The latest decision on each finding: key to (status, reason)."""
        rows = self._db.execute(
            "SELECT finding, status, reason FROM decision WHERE revision = ? ORDER BY id", (revision,)
        ).fetchall()
        return {_renamed(finding): (status, reason) for finding, status, reason in rows}

    def decision_list(self, revision: int) -> list[Decision]:
        """The latest decision on each finding, with who and when."""
        has = any(row[1] == "author" for row in self._db.execute("PRAGMA table_info(decision)"))
        author = "author" if has else "''"
        rows = self._db.execute(
            f"SELECT finding, status, reason, {author}, created FROM decision WHERE revision = ? ORDER BY id",
            (revision,),
        ).fetchall()
        latest = {_renamed(finding): rest for finding, *rest in rows}
        out = []
        for key, (status, reason, by, when) in latest.items():
            code, _, ids = key.partition(":")
            out.append(Decision(code, tuple(i for i in ids.split(",") if i), status, reason, by, when))
        return out

    def look(self, revision: int, item: str, seen: bool, by: str = "", picture: str = "") -> None:
        """Keep that an item of a step was looked at (or no longer counts as such), by whom, and what the
        picture showed."""
        with self._transaction() as db:
            db.execute(
                "INSERT INTO looked (revision, item, seen, created, author, picture) VALUES (?, ?, ?, ?, ?, ?)",
                (revision, item, int(seen), now(), by, picture),
            )

    def looks(self, revision: int) -> list[Look]:
        """Return what was looked at, by whom, when and in which picture, in the order of the last look."""
        rows: list[Any] = []
        # a project of an earlier release, opened to be read only, has no authors or no pictures
        for author, picture in (("author", "picture"), ("author", "''"), ("''", "''")):
            query = (
                f"SELECT item, seen, {author}, created, {picture} FROM looked WHERE revision = ? ORDER BY id"
            )
            try:
                rows = self._db.execute(query, (revision,)).fetchall()
                break
            except sqlite3.OperationalError:
                continue
        named = [(LOOKED.get(item, item), *rest) for item, *rest in rows]
        last = {item: (seen, Look(item, by, when, picture)) for item, seen, by, when, picture in named}
        return [look for seen, look in last.values() if seen]

    def looked(self, revision: int) -> set[str]:
        rows = self._db.execute(
            "SELECT item, seen FROM looked WHERE revision = ? ORDER BY id", (revision,)
        ).fetchall()
        return {item for item, seen in dict(rows).items() if seen}


def now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def _renamed(finding: str) -> str:
    """The key of a finding whose code had another name in an earlier release."""
    code, colon, ids = finding.partition(":")
    return RENAMED.get(code, code) + colon + ids


def _design(data: str) -> DesignResults:
    try:
        found = DesignResults(**json.loads(data))
        found.unread = [(str(a), str(b)) for a, b in found.unread]
        found.places = [DesignPlace(p["part"], tuple(p["at"]), p["values"]) for p in found.places]  # type: ignore[index]
        return found
    except (ValueError, TypeError, KeyError) as error:
        raise RecordError(f"is damaged ({type(error).__name__})") from error


def _effects(data: str) -> list[Effect]:
    try:
        return effects_of_records(json.loads(data))
    except (ValueError, TypeError, KeyError, IndexError) as error:
        raise RecordError(f"is damaged ({type(error).__name__})") from error


def _view(data: str) -> KeptView:
    try:
        return KeptView.of_record(json.loads(data))
    except (ValueError, TypeError, KeyError) as error:
        raise RecordError(f"is damaged ({type(error).__name__})") from error
