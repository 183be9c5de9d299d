"""State that every part of a session shares: the project, the settings, the jobs, and how messages reach the
user."""

from __future__ import annotations

import getpass
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...analysis import AnalysisError
from ...intake import IntakeError
from ...loads.combinations.rules import RulesError
from ...loads.lateral import LateralError
from ...model import Model, Settings, SettingsError
from ...output.write import OutputError
from ...progress import Progress
from ...project import Project, ProjectError
from ...project.prints import Prints, other_settings
from .jobs import Jobs
from .memory import Memory
from .state import DeskState, Revision

KNOWN = (IntakeError, ProjectError, AnalysisError, OutputError, SettingsError, RulesError, LateralError)


class SessionBase(QObject):
    """`said(text)`: a line for the status bar. `failed(title, text)`: something the user has to know."""

    said = pyqtSignal(str)
    failed = pyqtSignal(str, str)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.settings = Settings()
        self.project: Project | None = None
        self.jobs = Jobs(KNOWN)
        self.memory = Memory()
        self.prints = Prints()
        self.said_in_form = False  # what fails is said in the form that asked for it, not in a box of its own
        self.memory.fill(self.settings)

    def is_old(self, revision: Revision, model: Model) -> bool:
        """Return whether the results of a revision are of another model, or of other settings, those of
        modes included. It may take seconds."""
        review = revision.review
        review.otherwise = other_settings(review.settings, self.settings)
        return review.settings.modes != self.settings.modes or self.prints.is_old(
            revision.run_print, model, self.settings
        )

    def start(
        self,
        title: str,
        call: Callable[[Progress], Any],
        done: Callable[[Any], None],
        cancelled: Callable[[], None] | None = None,
        gives_way: bool = False,
        replaces: bool = False,
    ) -> None:
        """Do something in the background; `done` gets what it gives. One that `gives_way` is stopped by
        whatever the user starts next, one that `replaces` takes the place of one of its title."""
        failed = self._failed(title)
        if not self.jobs.start(title, call, done, failed, cancelled, gives_way, replaces):
            self.said.emit("Something is still running; wait for it or cancel it (Esc)")

    def _failed(self, title: str) -> Callable[[str], None]:
        return lambda text: self.failed.emit(title, text)

    @property
    def reviewer(self) -> str:
        """Who decides: the name in the settings of the report, else the user's of this machine."""
        if self.settings.report.reviewer:
            return self.settings.report.reviewer
        try:
            return getpass.getuser()
        except (KeyError, OSError, ImportError):
            return ""

    def change_settings(self, change: Callable[[Settings], None]) -> None:
        """Change the settings of the project; results that were made with others are old from then on."""
        raise NotImplementedError

    def saving(self, call: Callable[[Project], None]) -> bool:
        """Write something to the project; False, and a message, where it cannot be written."""
        if self.project is None:
            return False
        try:
            call(self.project)
        except ProjectError as error:
            self.failed.emit("Saving", str(error))
            return False
        return True
