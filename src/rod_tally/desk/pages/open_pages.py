"""Pages of the window that stand apart from it: rules, runs, help, the list of commands. One of each, made
when asked for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from ..commands.command import Command
from ..commands.registry import COMMANDS
from ..session.session import Session
from ..session.state import DeskState
from .carry_page import CarryPage
from .command_finder import CommandFinder
from .help_page import OF_STEP, SHORTCUTS, HelpPage
from .report_page import ReportPage
from .rules_page import RulesPage
from .runs_page import RunsPage

if TYPE_CHECKING:
    from ..making.recipe_page import RecipePage


class OpenPages:
    """`there` closes in on what is picked; `shortcut_of` tells the key a command has here; `do` carries one
    out."""

    def __init__(
        self,
        window: QWidget,
        session: Session,
        state: DeskState,
        there: Callable[[], None],
        shortcut_of: Callable[[str], str],
        do: Callable[[Command], None],
    ) -> None:
        self.window, self.session, self.state = window, session, state
        self.there, self.shortcut_of, self.do = there, shortcut_of, do
        self.rules: RulesPage | None = None
        self.runs: RunsPage | None = None
        self.carried: CarryPage | None = None
        self.report: ReportPage | None = None
        self.help: HelpPage | None = None
        self.recipe: RecipePage | None = None
        self.finder: CommandFinder | None = None

    def show_rules(self) -> None:
        """The rules of taking in, running and comparing."""
        if self.rules is None:
            self.rules = RulesPage(self.window, self.session, self.state)
        self.rules.fill()
        self.rules.show()
        self.rules.raise_()

    def show_recipe(self) -> None:
        """A model from parameters, with the recipe of the one that is open where it lies beside its
        source."""
        review = self.state.review
        beside = Path(review.model.source_file) if review is not None and review.model.source_file else None

        def take(path: Path, revision: bool) -> None:
            (self.session.take_in if revision else self.session.open)(path)

        from ..making.recipe_page import RecipePage  # its libraries are not what the window's start waits for

        self.recipe = RecipePage(self.window, take, review is not None, beside)
        self.recipe.show()

    def show_runs(self) -> None:
        """The runs that are kept."""
        if self.runs is None:
            self.runs = RunsPage(self.window, self.session, self.state)
        self.runs.fill()
        self.runs.show()
        self.runs.raise_()

    def show_carried(self) -> None:
        """Show what is carried over from the reviewed revision, and what is left out."""
        if self.carried is None:
            self.carried = CarryPage(self.window, self.session, self.state, self.there)
        self.carried.open_below(self.window)

    def show_report(self, write: Callable[[], None]) -> None:
        """The report before it is written by `write`."""
        if self.report is None:
            self.report = ReportPage(self.window, self.session, self.state, write)
        self.report.fill()
        self.report.show()
        self.report.raise_()

    def end(self) -> None:
        """Let go of what pages hold on to."""
        if self.report is not None:
            self.report.end()

    def show_help(self, keys: bool = False) -> None:
        """The documentation of the step, or all commands with their shortcuts."""
        if self.help is None:
            self.help = HelpPage(
                self.window, lambda: [(c.menu, c.title, self.shortcut_of(c.id), c.help) for c in COMMANDS]
            )
        self.help.open_at(SHORTCUTS if keys else OF_STEP.get(self.state.step.name, ""))

    def show_topic(self, topic: str) -> None:
        """One page of the documentation."""
        if self.help is None:
            self.show_help()
        assert self.help is not None
        self.help.open_at(topic)

    def find_command(self, text: str = "") -> bool:
        """A list of commands that is narrowed by typing; with `text` typed already only where some have
        it."""
        if self.finder is None:
            self.finder = CommandFinder(self.window, self._commands, self.do)
        if text:
            self.finder.text.setText(text)
            self.finder.fill()
            if not self.finder.shown:
                return False
        self.finder.ask(text)
        return True

    def _commands(self) -> list[tuple[Command, bool]]:
        """All commands with the keys they have here, and whether they can be used now."""
        return [(replace(c, shortcut=self.shortcut_of(c.id)), bool(c.when(self.window))) for c in COMMANDS]
