"""The window: header, review steps, view, details of what is picked, tables. It lays out and connects
them."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QGuiApplication, QImage, QPixmap
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QProgressBar,
    QPushButton,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from ..progress import TimeLeft
from ..review import CASE
from .commands.command import Command
from .commands.compare_commands import PairDesk, WhyDesk
from .commands.corrections import Corrections
from .commands.cut_commands import CutDesk
from .commands.dialogs import Dialogs
from .commands.holding import HoldDesk
from .commands.picture_commands import PictureDesk
from .commands.response_commands import ResponseDesk
from .commands.rule_commands import RuleDesk
from .commands.select_commands import SelectDesk
from .commands.shortcuts import Shortcuts
from .commands.surface_commands import PlateDesk
from .commands.view_commands import ViewDesk
from .drop import dropped, is_project
from .header import Header
from .layout import Layout
from .making.beginning import Beginning
from .making.by_pointer import DrawDesk
from .making.parts_by_form import AddDesk
from .making.surfaces_by_form import SurfaceDesk
from .menus import Menus
from .pages.details_panel import DetailsPanel
from .pages.open_pages import OpenPages
from .pages.steps_panel import StepsPanel
from .pages.welcome import Welcome
from .printing.sign_sheet import SignSheet
from .quantities import UNIT_SETS, UnitSet
from .session.background import Background
from .session.session import Session
from .session.state import DeskState
from .tables.tables import Tables
from .tally_mark import mark
from .view.baseline_view import BaselineView
from .view.storey_stack import StoreyStack
from .view.view import View
from .view.view_bar import ViewBar


class Window(QMainWindow):
    """One project in one window."""

    state: DeskState
    session: Session
    view: View
    tables: Tables
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
        self.setAcceptDrops(True)
        self.baseline_view: BaselineView | None = None
        self.time_left = TimeLeft()
        self.view = View(self.state, view_later)
        self.tables = Tables(self.state)
        self.header = Header(self.state, lambda: self.state.review is not None and self.session.jobs.free)
        self.details = DetailsPanel(self.state)
        self.steps = StepsPanel(self.state)
        self.picture_desk = PictureDesk(self)
        self.dialogs = Dialogs(
            self, self.session, self.state, self.tables.front, self.picture_desk.kept_pictures
        )
        self.corrections = Corrections(self, self.session, self.state)
        self.hold_desk = HoldDesk(self, self.session, self.state)
        self.add_desk = AddDesk(self, self.session, self.state)
        self.beginning = Beginning(self, self.session, self.add_desk.open_drawing)
        self.surface_desk = SurfaceDesk(self, self.session, self.state)
        self.draw_desk = DrawDesk(self, self.session, self.state, self.view, self.surface_desk)
        self.view.pointing.said.connect(self.session.said)
        self.load_desk = RuleDesk(self, self.session, self.state)
        self.plate_desk = PlateDesk(self, self.session, self.state, lambda: self.view.units)
        self.cut_desk = CutDesk(
            self, self.session, self.state, lambda: self.view.units, self.tables.pages.get
        )
        self.response_desk = ResponseDesk(self)
        self.pair_desk = PairDesk(self, self.session, self.state)
        self.select_desk = SelectDesk(self, self.session, self.state)
        self.view.picking.boxed.connect(lambda: self.session.said.emit(self.select_desk.told()))
        self.why_desk = WhyDesk(self, self.session, self.state)
        self.view_desk = ViewDesk(self, self.session, self.state, self.view)
        self.background = Background(self.session, self.state)
        self.shortcuts = Shortcuts(self)
        self.pages = OpenPages(
            self, self.session, self.state, self.view_desk.take_me_there, self.shortcuts.of, self.do
        )
        self.menus = Menus(self)
        self.actions_ = self.menus.actions
        self.shortcuts.put_on(self.actions_)
        self._build()
        self._listen()
        self.layout_desk = Layout(self, self.session, self.across, self.down, self.tables, self._views)
        self.layout_desk.restore()
        self._refresh()

    # -- layout ----------------------------------------------------------------------------------------------

    def do(self, command: Command) -> None:
        """Carry out a command if it can be used now."""
        if command.when(self):
            command.call(self)
        self._refresh()

    def _build(self) -> None:
        # from the outside in: what is put into a parent takes its style anew, with all that it holds
        centre = QWidget()
        self.setCentralWidget(centre)
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        down = self.down = QSplitter(Qt.Orientation.Vertical)
        column.addWidget(down, 1)
        across = self.across = QSplitter(Qt.Orientation.Horizontal)
        down.addWidget(across)
        across.addWidget(self.steps)
        middle = QWidget()
        across.addWidget(middle)
        across.addWidget(self.details)
        view_column = QVBoxLayout(middle)
        view_column.setContentsMargins(0, 0, 0, 0)
        view_column.setSpacing(0)
        self.view_bar = ViewBar(self.state, self.view)
        view_column.addWidget(self.view_bar)
        row = QHBoxLayout()
        row.setSpacing(0)
        self.stack = StoreyStack(self.state)
        row.addWidget(self.stack)
        self.views = QSplitter(Qt.Orientation.Horizontal)
        own, own_column = QWidget(), QVBoxLayout()
        self.view_title = QLabel()  # beside the reviewed revision's view alone
        self.view_title.setContentsMargins(9, 4, 9, 4)
        self.view_title.hide()
        own_column.setContentsMargins(0, 0, 0, 0)
        own_column.setSpacing(0)
        own_column.addWidget(self.view_title)
        own_column.addWidget(self.view, 1)
        self.sheet = SignSheet(self.state)
        self.sheet.hide()
        own_column.addWidget(self.sheet, 1)
        own.setLayout(own_column)
        self.welcome = Welcome(
            own,
            (
                ("Open model…", self.dialogs.ask_open),
                ("New model from parameters…", self.pages.show_recipe),
                ("New model from levels and grid…", self.beginning.ask_levels),
                ("New model from a DXF plan…", self.beginning.ask_plan),
                ("Open the demo", self.session.open_demo),
                ("A first walk, in six steps", lambda: self.pages.show_topic("first-walk")),
            ),
            self.session.memory.recent,
            self.session.open,
        )
        self.views.addWidget(own)
        self.views.setChildrenCollapsible(False)
        row.addWidget(self.views, 1)
        view_column.addLayout(row, 1)
        across.setStretchFactor(1, 1)
        across.setSizes([196, 810, 274])
        self.details.setMinimumWidth(240)
        down.addWidget(self.tables)
        down.setStretchFactor(0, 1)
        down.setHandleWidth(5)  # it is double-clicked
        down.setSizes([510, 255])
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

    def _listen(self) -> None:
        state, session = self.state, self.session
        for signal in (
            state.revision_changed,
            state.revisions_changed,
            state.decided,
            state.overlay_changed,
            state.step_changed,
            state.picked_changed,
            state.shown_changed,
            session.project_changed,
        ):
            signal.connect(self._refresh)
        header = self.header
        header.more_asked.connect(self._take_in)
        header.run_asked.connect(session.runs.again)
        state.revision_changed.connect(self._name_view)
        header.units_asked.connect(self.next_units)
        known = {u.name: u for u in UNIT_SETS}
        if session.memory.units() in known and known[session.memory.units()] is not self.view.units:
            self._show_units(known[session.memory.units()])
        header.findings_asked.connect(lambda: self.tables.show_table("findings"))
        header.sought.connect(self.view_desk.find)
        self.view_desk.commands = self.pages.find_command
        session.undo.indexChanged.connect(self._refresh)
        self.steps.item_toggled.connect(session.look)
        self.details.asked.connect(session.act)
        session.said.connect(self._say)
        session.failed.connect(self.dialogs.fail)
        session.asked_reason.connect(self.dialogs.ask_reason)
        session.asked_map.connect(self.corrections.ask_map)
        session.asked_form.connect(self._form)
        session.asked_again.connect(self.dialogs.ask_again)
        session.asked_sure.connect(self.dialogs.ask_sure)
        session.asked_cost.connect(self.dialogs.ask_cost)
        session.asked_table.connect(self.tables.show_aspect)
        session.asked_changed.connect(self.dialogs.ask_changed)
        self.tables.menu_asked.connect(self.menus.ask)
        self.view.picking.menu_asked.connect(self.menus.ask)
        self.tables.said.connect(self._say)
        self.tables.corrected.connect(session.correct_all)
        self.tables.refused.connect(session.failed)
        session.asked_view.connect(lambda at: self.view.take_me_there(np.array(at)) if at else None)
        session.jobs.changed.connect(self._working)
        session.jobs.idle.connect(self._rested)

    # -- what is shown ---------------------------------------------------------------------------------------

    def _name_view(self) -> None:
        revision = self.state.revision
        self.view_title.setText(revision.name if revision is not None else "")

    def _refresh(self) -> None:
        state = self.state
        self.menus.refresh()
        self.view_bar.refresh()
        self._welcome()
        self._show_sheet()
        review = state.review
        project = self.session.project
        name = "" if review is None else review.model.name if project is None else project.path.stem
        self.header.refresh(name)
        if review is None:
            self.counts.clear()
            return
        shown = len(state.shown_members())
        total = len(review.model.members)
        part = f"{shown} of {total}" if shown != total else str(total)
        self.counts.setText(f"{part} members · {len(review.model.nodes)} nodes")
        self.setWindowTitle(f"{name} – Rod Tally")

    def _show_sheet(self) -> None:
        """The sheet to sign in place of the view, in the step that it belongs to."""
        wanted = self.sheet.wanted
        if wanted == self.sheet.isHidden():
            self.view.setVisible(not wanted)
            self.sheet.setVisible(wanted)
            self.sheet.fill()

    def _welcome(self) -> None:
        self.welcome.refresh(not self.state.revisions and self.session.jobs.free)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and dropped(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A project is opened; a model is the first revision, or the next one of what is open."""
        paths = dropped(event.mimeData()) if event is not None else []
        if len(paths) > 1:
            self._say(f"{paths[0].name} is taken in; of {len(paths)} files one at a time")
        if paths and is_project(paths[0]):
            self.session.open(paths[0])
        elif paths:
            self.session.take_in(paths[0])

    def _take_in(self) -> None:
        if self.state.revisions:
            self.dialogs.ask_revision()
        else:
            self.dialogs.ask_open()

    def _say(self, text: str) -> None:
        status = self.statusBar()
        assert status is not None
        status.showMessage(text, 12000)

    def _working(self, text: str, share: float) -> None:
        self._welcome()
        self.details.tell(text)
        self.bar.show()
        self.cancel.show()
        self.bar.setValue(int(share * 1000))
        status = self.statusBar()
        assert status is not None
        status.showMessage(text + self.time_left.of(share))
        self.header.refresh_run()

    def _rested(self, text: str) -> None:
        self.details.tell("")
        self.bar.hide()
        self.cancel.hide()
        status = self.statusBar()
        assert status is not None
        status.showMessage(text, 12000)
        self._refresh()

    # -- what commands call ----------------------------------------------------------------------------------

    def picture(self) -> QPixmap:
        """The view as it is, at its own size."""
        if self.view.plotter is None:
            return self.view.grab()
        image: Any = self.view.plotter.screenshot(return_img=True)
        data = np.ascontiguousarray(image[:, :, :3])
        height, width = data.shape[:2]
        return QPixmap.fromImage(
            QImage(data.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
        )

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

    def step_case(self, by: int) -> None:
        cases = self.state.cases()
        if cases:
            at = cases.index(self.state.case) if self.state.case in cases else 0
            self.state.set_view(case=cases[(at + by) % len(cases)])

    def show_overlay(self, overlay: str, table: str) -> None:
        """An overlay with its table."""
        self.state.show_overlay(overlay)
        self.tables.show_table(table)

    def show_beside(self) -> None:
        """Put the reviewed revision's view beside this one's, or take it away again."""
        if self.baseline_view is not None:
            self.baseline_view.stop()
            self.baseline_view.deleteLater()
            self.baseline_view = None
            self.view_title.hide()
            QTimer.singleShot(50, self.view.fit)  # when it has the room of both
            return
        self.baseline_view = BaselineView(self.state, self.view, self._say)
        self.view_title.show()
        self.baseline_view.view.units = self.units
        self.views.insertWidget(0, self.baseline_view)
        half = self.views.width() // 2
        self.views.setSizes([half, half])
        self.baseline_view.follow()

    def _views(self) -> list[View]:
        return [self.view] if self.baseline_view is None else [self.view, self.baseline_view.view]

    def show_parity(self) -> None:
        self.state.show_overlay("change")
        self.tables.bring(self.tables.parity)

    @property
    def units(self) -> UnitSet:
        """Return what numbers are shown in, those of forms too."""
        return self.view.units

    def next_units(self) -> None:
        units = UNIT_SETS[(UNIT_SETS.index(self.view.units) + 1) % len(UNIT_SETS)]
        self.session.memory.keep_units(units.name)
        self._show_units(units)

    def _show_units(self, units: UnitSet) -> None:
        self.header.units.setText(units.name)
        for part in (self.view, self.tables, self.details, self.details.plot, self.tables.parity):
            part.units = units
        if self.baseline_view is not None:
            self.baseline_view.view.units = units
        self.tables.renew()
        self.tables.parity.draw()
        self.state.overlay_changed.emit()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.session.jobs.cancel()
        self.session.jobs.wait(20)
        self.session.checking.end()
        self.session.undo.blockSignals(True)  # its own end is none of the window's business any more
        self.layout_desk.keep()
        self.pages.end()
        if self.baseline_view is not None:
            self.baseline_view.view.close_view()
        self.view.close_view()
        if self.session.project is not None:
            self.session.project.close()
            self.session.project = None
        super().closeEvent(event)
