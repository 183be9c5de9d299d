"""The tables below the view: sorted, filtered, copied; a row and the view point at each other."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QMenu,
    QTabWidget,
    QToolButton,
    QWidget,
)

from ...model.edits import EditError
from ...review.tallies.takeoff import BY
from ..pages.before_after import ParityPlot
from ..quantities import METRIC, UnitSet
from ..session.state import DeskState
from .editing import EDITABLE, Change, edits_of, plain_title
from .load_rows import PAGES
from .registry import ASPECTS, STEP_TABLES, TABLES
from .review_rows import log_rows
from .rows import Pick, Rows, in_units
from .table_page import TablePage


class Tables(QTabWidget):
    """All tables; the one in front is filled, the others when they come to the front. `said`: a line for the
    status bar."""

    said = pyqtSignal(str)
    menu_asked = pyqtSignal(QPoint)  # at a place of the screen, for what is picked
    refused = pyqtSignal(str, str)  # a title, and why cells cannot be changed so
    corrected = pyqtSignal(object)  # corrections, as one step

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.units: UnitSet = METRIC
        self.setDocumentMode(True)
        by = ("overview", *(f"by {k}" for k in BY), *PAGES)
        choices = {"tally": by} | {name: tuple(own) for name, own in ASPECTS.items()}
        self.pages = {name: TablePage(name, choices.get(name, ())) for name in (*TABLES, "log")}
        self.pages["tally"].choice.textActivated.connect(self._tally_by)
        for name in ASPECTS:
            self.pages[name].choice.textActivated.connect(lambda _text, n=name: self.renew({n}))
        for name, page in self.pages.items():
            self.addTab(page, TABLES[name][0] if name in TABLES else "Transfer log")
            page.picked.connect(lambda pick, row, n=name: self._picked(n, pick, row))
            page.menu_asked.connect(self.menu_asked)
            page.several.connect(state.select)
            page.shown_alone.connect(self._alone)
            if name in EDITABLE:
                page.changed.connect(lambda changes, n=name: self._change(n, changes))
                page.said.connect(self.said)
                page.propose(partial(self._proposed, name))
        self.parity = ParityPlot(state)
        self.addTab(self.parity, "Before, after")
        self._old: set[str] = set(self.pages)
        self.all_shown = False
        self.more = QToolButton()
        self.more.setText("More tables")
        self.more.setAccessibleName("More tables")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.more.setMenu(QMenu(self.more))
        self.more.menu().aboutToShow.connect(self._fill_more)
        self.setCornerWidget(self.more)
        self._of_step()
        self.currentChanged.connect(self._front)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self._front)
        state.revision_changed.connect(self.renew)
        state.decided.connect(lambda: self.renew({"findings", "cases", "ready"}))
        state.overlay_changed.connect(
            lambda: self.renew(
                {"forces", "envelope", "storeys", "surface_forces", "cuts", "reactions", "displacements"}
                | ({"loads"} if self.pages["loads"].choice.currentIndex() else set())
                | ({"tally"} if state.tally_by in PAGES else set())
            )
        )
        state.picked_changed.connect(self._follow)
        state.picked_changed.connect(self._point)
        state.step_changed.connect(self._step)
        self.renew()

    def renew(self, names: set[str] | None = None) -> None:
        """These tables (all when none are named) no longer hold."""
        self._old |= names or set(self.pages)
        revision = self.state.revision
        count = len([f for f in revision.open_findings() if f.severity != "note"]) if revision else 0
        self.setTabText(0, f"Findings {count}" if count else "Findings")
        self._later.start()

    def _front(self) -> None:
        page = self.currentWidget()
        if isinstance(page, TablePage) and page.name in self._old:
            self._old.discard(page.name)
            page.fill(self._rows(page))
            self._point()

    def _rows(self, page: TablePage) -> Rows:
        if page.name == "log":
            return log_rows(self.state.review, self.units)
        aspects = ASPECTS.get(page.name)
        make = aspects[page.choice.currentText()] if aspects else TABLES[page.name][1]
        kept = EDITABLE.get(page.name, {})
        return in_units(make(self.state, self.units), self.units, kept)

    def _follow(self) -> None:
        """The forces at a node are those of the picked one; a member picked from among them leaves them as
        they are."""
        picked = self.state.picked
        if picked is not None and picked[0] == "node" and self.pages["reactions"].choice.currentIndex() == 1:
            self.renew({"reactions"})
        front = self.currentWidget()
        # a row of the table itself that is picked must not empty the table
        if front is not self.pages["forces"] and self.pages["forces"].choice.currentIndex() > 1:
            self.renew({"forces"})

    def _picked(self, name: str, pick: Pick, row: int) -> None:
        review = self.state.review
        if name == "findings" and review is not None:
            self.state.pick_finding(review.findings[row])
        elif pick is not None and pick[0] == "finding" and review is not None:
            self.state.pick_finding(review.findings[int(pick[1])])
        elif pick is not None and pick[0] == "case":
            self.state.set_view(case=pick[1])
        elif pick is not None and pick[0] == "mode":
            self.state.set_view(mode=int(pick[1]), overlay="modes")
        elif pick is not None and pick[0] == "origin":
            self.state.set_view(origin="" if self.state.origin == pick[1] else pick[1])
        elif pick is not None:
            self.state.pick(*pick)

    def _change(self, name: str, changes: list[Change]) -> None:
        """New texts in cells, as corrections that are one step."""
        review = self.state.review
        if review is None:
            return
        try:
            self.corrected.emit(edits_of(name, review.model, changes))
        except EditError as error:
            self.refused.emit("Nothing was changed", str(error))

    def _proposed(self, name: str, column: str) -> list[str]:
        review, own = self.state.review, EDITABLE[name].get(plain_title(column))
        return list(own.choices(review.model)) if review is not None and own is not None else []

    def _tally_by(self, text: str) -> None:
        self.state.tally_by = text.removeprefix("by ")
        self.renew({"tally"})

    def _alone(self, ids: set[str], name: str) -> None:
        self.state.isolate(ids)
        self.said.emit(f"{name}: {len(ids)} parts shown alone; Ctrl+Shift+I shows everything again")

    def _point(self) -> None:
        page = self.currentWidget()
        if not isinstance(page, TablePage) or page.name in self._old:
            return
        review = self.state.review
        if page.name == "findings" and self.state.finding is not None and review is not None:
            return
        if len(self.state.selected) > 1:
            return  # the rows are selected as they are
        page.point_at(self.state.picked)

    def _step(self) -> None:
        self._of_step()
        self.show_table(self.state.step.table)

    def _named(self) -> dict[str, QWidget]:
        return {**self.pages, "parity": self.parity}

    def _of_step(self) -> None:
        """Show the tabs of the step, or all of them; what is in front stays in front."""
        wanted = {"findings", *STEP_TABLES.get(self.state.step.name, ())}
        for name, page in self._named().items():
            self.setTabVisible(self.indexOf(page), self.all_shown or name in wanted)

    def show_all_tables(self) -> None:
        """All tabs at once, or those of the step again."""
        self.all_shown = not self.all_shown
        front = self.currentWidget()
        self._of_step()
        if front is not None and self.isTabVisible(self.indexOf(front)):
            self.setCurrentWidget(front)
        else:
            self.show_table(self.state.step.table)

    def _fill_more(self) -> None:
        menu = self.more.menu()
        assert menu is not None
        menu.clear()
        for page in self._named().values():
            if not self.isTabVisible(self.indexOf(page)):
                action = menu.addAction(self.tabText(self.indexOf(page)))
                assert action is not None
                action.triggered.connect(lambda _=False, p=page: self.bring(p))
        menu.addSeparator()
        every = menu.addAction("Those of this step alone" if self.all_shown else "All of them at once")
        assert every is not None
        every.triggered.connect(self.show_all_tables)

    def bring(self, page: QWidget) -> None:
        """Bring a table or the plot to the front, also one that belongs to another step."""
        self.setTabVisible(self.indexOf(page), True)
        self.setCurrentWidget(page)

    def front(self) -> TablePage | None:
        """The table in front, filled; None for the parity plot."""
        page = self.currentWidget()
        self._front()
        return page if isinstance(page, TablePage) else None

    def show_aspect(self, name: str, aspect: str) -> None:
        """Bring a table to the front, turned to one of its aspects."""
        self.show_table(name, list(ASPECTS[name]).index(aspect))
        self.renew({name})

    def show_table(self, name: str, aspect: int = 0) -> None:
        """Bring a table to the front; where it has aspects, turned to that one."""
        choice = self.pages[name].choice if name in ASPECTS else None
        if choice is not None and choice.currentIndex() != aspect:
            choice.setCurrentIndex(aspect)
            self.renew({name})
        self.bring(self.pages[name])
