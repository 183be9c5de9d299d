"""The window: header, round, view, slip, tables. It lays out and passes on."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QAction, QCloseEvent, QGuiApplication, QImage, QPixmap
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMenu,
    QProgressBar,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from ..review import CASE
from .commands.compare_commands import PairDesk, WhyDesk
from .commands.corrections import Corrections
from .commands.cut_commands import CutDesk
from .commands.dialogs import Dialogs
from .commands.picture_commands import PictureDesk
from .commands.registry import COMMANDS, MENUS, Command
from .commands.response_commands import ResponseDesk
from .commands.rule_commands import RuleDesk
from .commands.select_commands import SelectDesk
from .commands.shortcuts import Shortcuts
from .commands.surface_commands import PlateDesk
from .commands.view_commands import ViewDesk
from .pages.command_finder import CommandFinder
from .pages.details_panel import Slip
from .pages.help_page import OF_STEP, SHORTCUTS, HelpPage
from .pages.rules_page import RulesPage
from .pages.runs_page import RunsPage
from .pages.steps_panel import RoundPanel
from .quantities import UNIT_SETS
from .session.background import Background
from .session.session import Session
from .session.state import DeskState
from .tables.tables import Tables
from .tally_mark import mark
from .theme import MOSS, OCHRE, RUST
from .view.storey_stack import StoreyStack
from .view.view import View
from .view.view_bar import Strip


class Window(QMainWindow):
    """One project in one window."""

    state: DeskState
    session: Session
    view: View
    tables: Tables
    search: QLineEdit
    dialogs: Dialogs
    corrections: Corrections
    load_desk: RuleDesk
    plate_desk: PlateDesk
    cut_desk: CutDesk
    response_desk: ResponseDesk

    def __init__(self, view_later: bool = False) -> None:
        """`view_later`: the picture is begun by `view.begin`, once the window is on the screen."""
        super().__init__()
        self.state = DeskState()
        self.session = Session(self.state)
        self.setWindowTitle("Rod Tally")
        self.setWindowIcon(mark())
        self.resize(1280, 800)
        self.actions_: dict[str, QAction] = {}
        self.view = View(self.state, view_later)
        self.tables = Tables(self.state)
        self.slip = Slip(self.state)
        self.round = RoundPanel(self.state)
        self.round.setFixedWidth(196)
        self.picture_desk = PictureDesk(self)
        self.dialogs = Dialogs(
            self, self.session, self.state, self.picture, self.tables.front, self.picture_desk.kept_pictures
        )
        self.corrections = Corrections(self, self.session, self.state)
        self.load_desk = RuleDesk(self, self.session, self.state)
        self.plate_desk = PlateDesk(self, self.session, self.state, lambda: self.view.units)
        self.cut_desk = CutDesk(self, self.session, self.state, lambda: self.view.units)
        self.response_desk = ResponseDesk(self)
        self.pair_desk = PairDesk(self, self.session, self.state)
        self.select_desk = SelectDesk(self, self.session, self.state)
        self.view.picking.boxed.connect(lambda: self.session.said.emit(self.select_desk.told()))
        self.why_desk = WhyDesk(self, self.session, self.state)
        self.view_desk = ViewDesk(self.session, self.state, self.view)
        self.background = Background(self.session, self.state)
        self.rules: RulesPage | None = None
        self.runs: RunsPage | None = None
        self.help: HelpPage | None = None
        self.finder: CommandFinder | None = None
        self.shortcuts = Shortcuts(self)
        self._build_menus()
        self._build()
        self._listen()
        self._refresh()

    # -- layout --------------------------------------------------------------------------------------------------

    def _build_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        menus: dict[str, QMenu] = {}
        for name in MENUS:
            menu = bar.addMenu(f"&{name}")
            assert menu is not None
            menus[name] = menu
            menu.aboutToShow.connect(self._refresh)
        for command in COMMANDS:
            menu = menus[command.menu]
            if command.separator:
                menu.addSeparator()
            action = QAction(command.title, self)
            action.setStatusTip(command.help or command.title)
            action.triggered.connect(lambda _=False, c=command: self.do(c))
            menu.addAction(action)
            self.actions_[command.id] = action
            if command.id == "file.revision":
                recent = menu.addMenu("Open again")
                assert recent is not None
                self.recent = recent
                recent.aboutToShow.connect(self._fill_recent)
            if command.id == "view.keep":
                kept = menu.addMenu("Kept views")
                assert kept is not None
                kept.aboutToShow.connect(lambda m=kept: self.picture_desk.fill_menu(m))
        self.shortcuts.put_on(self.actions_)
        self._fill_recent()

    def do(self, command: Command) -> None:
        """Carry out a command if it can be used now."""
        if command.when(self):
            command.call(self)
        self._refresh()

    def _fill_recent(self) -> None:
        self.recent.clear()
        for path in self.session.memory.recent():
            action = self.recent.addAction(path)
            assert action is not None
            action.triggered.connect(lambda _=False, p=path: self.session.open(Path(p)))
        self.recent.setEnabled(bool(self.session.memory.recent()))

    def _build(self) -> None:
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._head())
        middle = QWidget()
        view_column = QVBoxLayout(middle)
        view_column.setContentsMargins(0, 0, 0, 0)
        view_column.setSpacing(0)
        self.strip = Strip(self.state, self.view)
        view_column.addWidget(self.strip)
        row = QHBoxLayout()
        row.setSpacing(0)
        self.stack = StoreyStack(self.state)
        row.addWidget(self.stack)
        row.addWidget(self.view, 1)
        view_column.addLayout(row, 1)
        across = QSplitter(Qt.Orientation.Horizontal)
        across.addWidget(self.round)
        across.addWidget(middle)
        across.addWidget(self.slip)
        across.setStretchFactor(1, 1)
        across.setSizes([196, 810, 274])
        self.slip.setMinimumWidth(240)
        down = QSplitter(Qt.Orientation.Vertical)
        down.addWidget(across)
        down.addWidget(self.tables)
        down.setStretchFactor(0, 1)
        down.setSizes([520, 190])
        column.addWidget(down, 1)
        self.setCentralWidget(centre)
        status = self.statusBar()
        assert status is not None
        self.counts = QLabel()
        self.counts.setObjectName("muted")
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        self.bar.setFixedWidth(160)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(self.session.jobs.cancel)
        for widget in (self.bar, self.cancel):
            widget.hide()
            status.addPermanentWidget(widget)
        status.addPermanentWidget(self.counts)

    def _head(self) -> QWidget:
        head = QFrame()
        head.setObjectName("head")
        row = QHBoxLayout(head)
        row.setContentsMargins(12, 6, 12, 6)
        icon = QLabel()
        icon.setPixmap(mark().pixmap(QSize(22, 22)))
        row.addWidget(icon)
        self.title = QLabel("Rod Tally")
        self.title.setObjectName("title")
        row.addWidget(self.title)
        row.addSpacing(8)
        self.revision_row = QHBoxLayout()
        self.revision_row.setSpacing(6)
        row.addLayout(self.revision_row)
        self.more = QPushButton("+ take in…")
        self.more.clicked.connect(
            lambda: self.dialogs.ask_revision() if self.state.revisions else self.dialogs.ask_open()
        )
        row.addWidget(self.more)
        row.addStretch()
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find by name")
        self.search.setFixedWidth(150)
        self.search.returnPressed.connect(lambda: self.view_desk.find(self.search.text()))
        row.addWidget(self.search)
        self.units = QPushButton(UNIT_SETS[0].name)
        self.units.clicked.connect(self.next_units)
        row.addWidget(self.units)
        self.run_button = QPushButton("Run  F5")
        self.run_button.clicked.connect(self.session.runs.again)
        row.addWidget(self.run_button)
        self.verdict = QPushButton()
        self.verdict.clicked.connect(lambda: self.tables.show_table("findings"))
        row.addWidget(self.verdict)
        return head

    def _listen(self) -> None:
        state, session = self.state, self.session
        for signal in (
            state.revision_changed, state.revisions_changed, state.decided, state.overlay_changed,
            state.picked_changed, state.shown_changed, session.project_changed,
        ):  # fmt: skip
            signal.connect(self._refresh)
        state.revisions_changed.connect(self._revision_buttons)
        session.undo.indexChanged.connect(self._refresh)
        self.round.item_toggled.connect(session.look)
        self.slip.asked.connect(session.act)
        session.said.connect(self._say)
        session.failed.connect(self.dialogs.fail)
        session.asked_reason.connect(self.dialogs.ask_reason)
        session.asked_map.connect(self.corrections.ask_map)
        session.asked_form.connect(self._form)
        session.asked_again.connect(self.dialogs.ask_again)
        session.asked_cost.connect(self.dialogs.ask_cost)
        session.asked_changed.connect(self.dialogs.ask_changed)
        self.tables.said.connect(self._say)
        session.asked_view.connect(lambda at: self.view.take_me_there(np.array(at)) if at else None)
        session.jobs.changed.connect(self._working)
        session.jobs.idle.connect(self._rested)

    # -- what is shown -------------------------------------------------------------------------------------------

    def _refresh(self) -> None:
        state = self.state
        for command in COMMANDS:
            action = self.actions_[command.id]
            # a shortcut whose action is disabled is dead: this one must be there whenever a job is
            action.setEnabled(True if command.id == "run.cancel" else bool(command.when(self)))
        self.strip.refresh()
        review = state.review
        self.run_button.setEnabled(review is not None and self.session.jobs.free)
        revision = state.revision
        if revision is None or review is None:
            self.counts.clear()
            self.verdict.hide()
            return
        shown = len(state.shown_members())
        total = len(review.model.members)
        part = f"{shown} of {total}" if shown != total else str(total)
        self.counts.setText(f"{part} members · {len(review.model.nodes)} nodes")
        blocking = len(revision.open_findings(severity="blocking"))
        warnings = len(revision.open_findings(severity="warning"))
        if blocking:
            old = "" if not revision.stale else ", results are old" if review.has_run else ", not run yet"
            text, colour = f"■ {blocking} open: not ready for design{old}", RUST
        elif not review.has_run:
            text, colour = "▲ not run yet", OCHRE
        elif revision.stale:
            text, colour = "▲ results are old: run again", OCHRE
        elif review.waiting:
            text, colour = "▲ modes are not there yet", OCHRE
        elif warnings:
            text, colour = f"▲ {warnings} open", OCHRE
        else:
            text, colour = "| nothing open", MOSS
        self.verdict.setText(text)
        self.verdict.setStyleSheet(f"color: {colour}; font-weight: bold;")
        self.verdict.show()
        project = self.session.project
        name = review.model.name if project is None else project.path.stem
        self.title.setText(name)
        self.setWindowTitle(f"{name} – Rod Tally")
        for k, button in enumerate(self._revision_widgets()):
            button.setChecked(k == state.current)
            if k < len(state.revisions):
                of = state.revisions[k]
                old = "" if not of.stale else " (old results)" if of.review.has_run else " (not run)"
                button.setText(state.revisions[k].name + old)

    def _revision_widgets(self) -> list[QPushButton]:
        items = [self.revision_row.itemAt(k) for k in range(self.revision_row.count())]
        return [w for i in items if i is not None and isinstance(w := i.widget(), QPushButton)]

    def _revision_buttons(self) -> None:
        for button in self._revision_widgets():
            self.revision_row.removeWidget(button)
            button.deleteLater()
        for k, revision in enumerate(self.state.revisions):
            button = QPushButton(revision.name)
            button.setCheckable(True)
            button.setToolTip(revision.review.model.source_file)
            button.clicked.connect(lambda _=False, n=k: self.state.choose(n))
            self.revision_row.addWidget(button)

    def _say(self, text: str) -> None:
        status = self.statusBar()
        assert status is not None
        status.showMessage(text, 12000)

    def _working(self, text: str, share: float) -> None:
        self.bar.show()
        self.cancel.show()
        self.bar.setValue(int(share * 1000))
        status = self.statusBar()
        assert status is not None
        status.showMessage(text)
        self.run_button.setEnabled(self.state.review is not None and self.session.jobs.free)

    def _rested(self, text: str) -> None:
        self.bar.hide()
        self.cancel.hide()
        status = self.statusBar()
        assert status is not None
        status.showMessage(text, 12000)
        self._refresh()

    # -- what commands call ----------------------------------------------------------------------------------------

    def picture(self) -> QPixmap:
        """The view as it is, at its own size."""
        if self.view.plotter is None:
            return self.view.grab()
        image: Any = self.view.plotter.screenshot(return_img=True)
        data = np.ascontiguousarray(image[:, :, :3])
        height, width = data.shape[:2]
        return QPixmap.fromImage(QImage(data.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy())

    def copy_picture(self) -> None:
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setPixmap(self.picture())
        self._say("The picture is on the clipboard")

    def look(self, direction: str) -> None:
        self.view.look_from(direction)
        self._refresh()

    def accept(self) -> None:
        if self.state.finding is not None:
            self.dialogs.ask_reason(self.state.finding)

    def map_picked(self) -> None:
        """Map the profile of the picked member."""
        review, chosen = self.state.review, self.state.chosen("member")
        if review is not None and chosen:
            self.corrections.ask_map(review.model.members[chosen[0]].section)

    def _form(self, name: str) -> None:
        """A form by its name, of the model's parts or of load cases."""
        calls = {
            "case": self.load_desk.ask_change,
            "weight": self.load_desk.ask_weight,
            "combine": self.load_desk.combine,
        }
        call = calls.get(name)
        (call or getattr(self.corrections, f"ask_{name}"))()

    def look_at_case(self) -> None:
        """Mark the shown case as looked at, and go on to the next one."""
        review, revision = self.state.review, self.state.revision
        if review is None or revision is None or self.state.case not in review.model.cases:
            return
        item = f"Loads/{CASE}{self.state.case}"
        if item not in revision.looked:
            self.session.look(item)
        self.step_case(1)

    def show_rules(self) -> None:
        """The page of rules, one at a time."""
        if self.rules is None:
            self.rules = RulesPage(self, self.session, self.state)
        self.rules.fill()
        self.rules.show()
        self.rules.raise_()

    def show_runs(self) -> None:
        """The page of runs, one at a time."""
        if self.runs is None:
            self.runs = RunsPage(self, self.session, self.state)
        self.runs.fill()
        self.runs.show()
        self.runs.raise_()

    def show_help(self, keys: bool = False) -> None:
        """The documentation of the step, or all commands with their shortcuts."""
        if self.help is None:
            self.help = HelpPage(self, lambda: [(c.menu, c.title, self.shortcuts.of(c.id), c.help) for c in COMMANDS])
        self.help.open_at(SHORTCUTS if keys else OF_STEP.get(self.state.step.name, ""))

    def find_command(self) -> None:
        """A list of commands that is narrowed by typing."""
        if self.finder is None:
            self.finder = CommandFinder(self, self._commands, self.do)
        self.finder.ask()

    def _commands(self) -> list[tuple[Command, bool]]:
        """All commands with the keys they have here, and whether they can be used now."""
        return [(replace(c, shortcut=self.shortcuts.of(c.id)), bool(c.when(self))) for c in COMMANDS]

    def step_case(self, by: int) -> None:
        cases = self.state.cases()
        if cases:
            at = cases.index(self.state.case) if self.state.case in cases else 0
            self.state.set_view(case=cases[(at + by) % len(cases)])

    def show_overlay(self, overlay: str, table: str) -> None:
        """An overlay with its table."""
        self.state.show_overlay(overlay)
        self.tables.show_table(table)

    def show_parity(self) -> None:
        self.state.show_overlay("change")
        self.tables.bring(self.tables.parity)

    def next_units(self) -> None:
        at = (UNIT_SETS.index(self.view.units) + 1) % len(UNIT_SETS)
        units = UNIT_SETS[at]
        self.units.setText(units.name)
        for part in (self.view, self.tables, self.slip, self.slip.plot, self.tables.parity):
            part.units = units
        self.tables.renew()
        self.tables.parity.draw()
        self.state.overlay_changed.emit()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.session.jobs.cancel()
        self.session.jobs.wait(20)
        self.session.undo.blockSignals(True)  # its own end is none of the window's business any more
        self.view.close_view()
        if self.session.project is not None:
            self.session.project.close()
            self.session.project = None
        super().closeEvent(event)
