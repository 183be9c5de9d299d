"""Memory of this machine from one session to the next: recent files, mappings, corrections by source."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Container
from dataclasses import asdict
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QSettings

from ...intake.result_tables import Mapping
from ...model import Settings
from ...model.catalogue.catalogue import catalogue
from ...model.catalogue.grades import grades
from ...project.corrections import CorrectionBook
from .revisions import data_folder

RECENT = 8
OWN = 200  # sections, and materials, of one's own that are remembered
MAPPINGS = 50  # of results from elsewhere that are remembered


class Memory:
    """Kept in the user's settings and data folder, never in a project."""

    def __init__(self) -> None:
        self._kept = QSettings("rod-tally", "rod-tally")

    def recent(self) -> list[str]:
        """Paths opened lately, the latest first."""
        value = self._kept.value("recent", [])
        return [str(v) for v in value] if isinstance(value, (list, tuple)) else [str(value)] if value else []

    def opened(self, path: Path) -> None:
        """Put a path at the head of the recent ones."""
        paths = [str(path.resolve()), *(p for p in self.recent() if p != str(path.resolve()))]
        self._kept.setValue("recent", paths[:RECENT])

    def units(self) -> str:
        """The name of the set of units that was shown last, "" for none."""
        return str(self._kept.value("units", ""))

    def keep_units(self, name: str) -> None:
        self._kept.setValue("units", name)

    def layout(self) -> str:
        """How the window was left, "" where nobody has left one."""
        return str(self._kept.value("layout", ""))

    def keep_layout(self, text: str) -> None:
        self._kept.setValue("layout", text)

    def keep_theme(self, name: str) -> None:
        """For the next start; `theme` reads it by itself, before there is a window."""
        self._kept.setValue("theme", name)

    def fill(self, settings: Settings) -> None:
        """Add the mappings of profiles and materials made before; those of the settings come first."""
        settings.transfer.profiles = self._mapped("profiles", catalogue()) | settings.transfer.profiles
        settings.transfer.materials = self._mapped("materials", grades()) | settings.transfer.materials

    def keep(self, settings: Settings) -> None:
        """Remember the mappings of these settings."""
        for what in ("profiles", "materials"):
            values = dict(getattr(settings.transfer, what))
            self._kept.setValue(what, json.dumps(values, ensure_ascii=False))

    def _mapped(self, what: str, known: Container[str]) -> dict[str, str]:
        """Return what the user has mapped before; what is in no catalogue any more is left out."""
        try:
            kept = json.loads(str(self._kept.value(what, "{}")))
        except json.JSONDecodeError:
            return {}
        return {k: v for k, v in kept.items() if v in known} if isinstance(kept, dict) else {}

    def own(self, what: str) -> dict[str, dict[str, Any]]:
        """Sections or materials of one's own that were made before, by name: shape and sizes, or kind and
        values."""
        try:
            kept = json.loads(str(self._kept.value(f"own_{what}", "{}")))
        except json.JSONDecodeError:
            return {}
        keys = {"sections": {"shape", "sizes"}, "materials": {"kind", "values"}}[what]
        whole = kept.items() if isinstance(kept, dict) else ()
        return {k: v for k, v in whole if isinstance(v, dict) and v.keys() == keys}

    def keep_own(self, what: str, name: str, values: dict[str, Any]) -> None:
        """Remember a section or a material of one's own for models to come; one of that name is replaced."""
        kept = {k: v for k, v in self.own(what).items() if k != name} | {name: values}
        self._kept.setValue(f"own_{what}", json.dumps(dict(list(kept.items())[-OWN:]), ensure_ascii=False))

    def mapping(self, headings: list[str]) -> Mapping | None:
        """Return what these headings of results from elsewhere stood for the last time; None for headings
        not seen before."""
        try:
            kept = json.loads(str(self._kept.value("elsewhere", "{}"))).get(_key(headings))
            return Mapping(**kept) if kept else None
        except (json.JSONDecodeError, TypeError, AttributeError):
            return None

    def keep_mapping(self, headings: list[str], mapping: Mapping) -> None:
        """Remember what headings stand for."""
        try:
            kept = json.loads(str(self._kept.value("elsewhere", "{}")))
        except json.JSONDecodeError:
            kept = {}
        kept = {**(kept if isinstance(kept, dict) else {}), _key(headings): asdict(mapping)}
        self._kept.setValue("elsewhere", json.dumps(dict(list(kept.items())[-MAPPINGS:]), ensure_ascii=False))

    def shortcuts(self) -> dict[str, str]:
        """Keys of commands that were changed here, by command; "" for one that was taken away."""
        try:
            kept = json.loads(str(self._kept.value("shortcuts", "{}")))
        except json.JSONDecodeError:
            return {}
        return {str(k): str(v) for k, v in kept.items()} if isinstance(kept, dict) else {}

    def keep_shortcuts(self, keys: dict[str, str]) -> None:
        """Remember keys that are not the usual ones."""
        self._kept.setValue("shortcuts", json.dumps(keys))

    @property
    def pace(self) -> float:
        """How much longer runs take on this machine than was expected; 1 where nothing is known."""
        try:
            return min(max(float(str(self._kept.value("pace", "1"))), 0.1), 10.0)
        except ValueError:
            return 1.0

    def took(self, expected: float, seconds: float) -> None:
        """Learn from a run how fast this machine is; short ones say nothing."""
        if expected > 2.0 and seconds > 2.0:
            self._kept.setValue("pace", str(0.5 * self.pace + 0.5 * seconds / expected))

    @staticmethod
    def book() -> CorrectionBook:
        """Corrections by the source that they were made on."""
        return CorrectionBook(data_folder() / "corrections")

    def corrections(self, source: str) -> list[dict[str, Any]]:
        """Corrections made on a source before, as they were written down."""
        return self.book().recall(Path(source)) if source else []


def _key(headings: list[str]) -> str:
    return hashlib.sha256("\n".join(headings).encode()).hexdigest()[:16]
