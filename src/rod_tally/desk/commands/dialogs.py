"""Questions and messages of the window, in dialogs that do not stop what runs behind."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, QSize, Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from ... import __version__
from ...analysis.cost import Cost
from ...intake import IntakeError
from ...model import Finding
from ...model.edits import Edit, EditError
from ...output.write import write_text, write_whole
from ...project.store import SUFFIX
from ..pages.elsewhere_page import ElsewherePage
from ..save_name import ask_save_name
from ..session.jobs import where_logged
from ..session.session import Session
from ..session.state import DeskState
from ..tables.table_page import TablePage
from ..tally_mark import mark

FILES = "Models and projects (*.ifc *.ifczip *.rodtally *.xlsx *.csv)"
MODELS = "Models (*.ifc *.ifczip *.xlsx *.csv)"


class Dialogs(QObject):
    """`message` is the last message box that was opened; `kept` gives the pictures of the views that are
    kept."""

    message: QMessageBox
    elsewhere: ElsewherePage

    def __init__(
        self,
        window: QWidget,
        session: Session,
        state: DeskState,
        front: Callable[[], TablePage | None],
        kept: Callable[[], list[tuple[str, bytes]]],
    ) -> None:
        super().__init__(window)
        self.kept = kept
        self.window, self.session, self.state, self.front = window, session, state, front

    def ask_open(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window, "Take in a model", self._folder(), FILES)
        if path:
            self.session.open(Path(path))

    def ask_revision(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self.window, "Take in a revision", self._folder(), MODELS)
        if path:
            self.session.take_in(Path(path))

    def ask_elsewhere(self) -> None:
        """Any of the tables of a folder, or a workbook, and the page that says what they stand for."""
        path, _ = QFileDialog.getOpenFileName(
            self.window,
            "Results from elsewhere: a workbook, one of a folder's tables, or an IFC file with results",
            self._folder(),
            "Tables and results (*.csv *.xlsx *.ifc)",
        )
        if path:
            self.show_elsewhere(Path(path))

    def ask_design(self) -> None:
        """A table of utilisations or the like."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Design results of this revision", self._folder(), "Tables (*.csv *.xlsx)"
        )
        if path:
            self.session.take_design(Path(path))

    def show_elsewhere(self, path: Path) -> None:
        """Show what results from elsewhere stand for; says why where they cannot be read."""
        self.elsewhere = ElsewherePage(self.window, self.session, self.state)
        try:
            self.elsewhere.open_tables(path.parent if path.suffix.lower() == ".csv" else path)
        except IntakeError as error:
            self.session.failed.emit("Results from elsewhere", str(error))
            return
        self.elsewhere.open()

    def _folder(self) -> str:
        recent = self.session.memory.recent()
        return str(Path(recent[0]).parent) if recent else str(Path.home())

    def ask_save(self) -> None:
        if path := ask_save_name(self.window, "Save project as", self._folder(), {"Projects": SUFFIX}):
            self.session.save_as(path)

    def ask_export(self) -> None:
        folder = QFileDialog.getExistingDirectory(self.window, "Write the review's files to", self._folder())
        if folder:
            self.session.exports.contract_files(Path(folder))

    def ask_hand_back(self, results: bool = False) -> None:
        if path := ask_save_name(self.window, "Hand back as IFC", self._folder(), {"Models": ".ifc"}):
            self.session.exports.ifc(path, results)

    def ask_corrected(self) -> None:
        if path := ask_save_name(self.window, "Export corrected source", self._folder(), {"Models": ".ifc"}):
            self.session.exports.corrected(path)

    def ask_model_tables(self) -> None:
        kinds = {"Workbook": ".xlsx", "CSV files, one a table": ".csv"}
        if path := ask_save_name(self.window, "Write the model as tables", self._folder(), kinds):
            # CSV files go beside each other into a folder of that name
            self.session.exports.model_tables(path.with_suffix("") if path.suffix.lower() == ".csv" else path)

    def ask_specification(self) -> None:
        """A specification that the source is held against."""
        path, _ = QFileDialog.getOpenFileName(
            self.window,
            "Hold the source against",
            self._folder(),
            "Information delivery specifications (*.ids)",
        )
        if path:
            self.session.check_specification(Path(path))

    def ask_answers(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Read answers", self._folder(), "Topics, BCF (*.bcf *.bcfzip)"
        )
        if path:
            self.session.read_answers(Path(path))

    def ask_settings(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Read settings", self._folder(), "Settings (*.toml)"
        )
        if path:
            self.session.read_settings(Path(path))

    def write_settings(self) -> None:
        if path := ask_save_name(self.window, "Write settings", self._folder(), {"Settings": ".toml"}):
            try:
                write_whole(path, lambda p: write_text(p, self.session.settings.to_toml()))
            except OSError as error:
                self.fail("Settings", f"{path}: cannot be written: {error.strerror}")

    def ask_reason(self, finding: Finding) -> None:
        dialog = QInputDialog(self.window)
        dialog.setWindowTitle("Accept a finding")
        dialog.setLabelText(f"{finding.message}\n\nAccepted, because")
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.textValueSelected.connect(lambda text: self._accepted(finding, text))
        dialog.open()

    def ask_takeoff(self) -> None:
        kinds = {"Spreadsheet": ".xlsx", "List of parts": ".csv"}
        if path := ask_save_name(self.window, "Write the take-off", self._folder(), kinds):
            self.session.exports.takeoff(path)

    def ask_workbook(self) -> None:
        self._ask_sheet("Write the tables", self.session.exports.workbook)

    def ask_report(self) -> None:
        kinds = {
            "Report on paper": ".pdf",
            "Report to click through": ".html",
            "Findings as topics, BCF": ".bcf",
        }
        if path := ask_save_name(self.window, "Write the report", self._folder(), kinds):
            self.session.exports.report(path, self.kept())

    def ask_table(self) -> None:
        """Write the table in front as it is filtered."""
        page = self.front()
        if page is None:
            self.session.said.emit("Bring a table to the front first")
            return
        kinds = {"Spreadsheets": ".xlsx", "CSV": ".csv"}
        if path := ask_save_name(self.window, "Write this table", f"{page.name}.xlsx", kinds):
            self.session.exports.table(*page.shown_rows(), page.name, path)

    def _ask_sheet(self, title: str, write: Callable[[Path], None]) -> None:
        if path := ask_save_name(self.window, title, self._folder(), {"Spreadsheets": ".xlsx"}):
            write(path)

    def ask_again(self, count: int) -> None:
        """Offer to make the corrections again that were made on this source before."""
        box = QMessageBox(self.window)
        box.setWindowTitle("Corrections")
        one = count == 1
        box.setText(
            f"{'One correction was' if one else f'{count} corrections were'} made to this source before. "
            f"Make {'it' if one else 'them'} again? Undo takes {'it' if one else 'all of them'} back in one step."
        )
        again = box.addButton("Make again", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Leave", QMessageBox.ButtonRole.RejectRole)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        assert again is not None
        again.clicked.connect(self.session.correct_again)
        box.open()
        self.message = box

    def ask_sure(self, action: str, edits: list[Edit]) -> None:
        """Show what an action would do to many parts at once, before it is done."""
        review = self.state.review
        if review is None:
            return
        trial = review.model.snapshot()
        done, missed = [], []
        for edit in edits:
            try:
                edit.apply(trial)
            except EditError as error:
                missed.append(str(error))
            else:
                done.append(trial.log[-1].message)
        places = "one place" if len(done) == 1 else f"{len(done)} places"
        box = QMessageBox(self.window)
        box.setWindowTitle(action)
        cannot = f" {len(missed)} cannot be: {missed[0]}." if missed else ""
        box.setText(
            f"{action}: {places}, such as {'; '.join(done[:3])}.{cannot}\n\n"
            "One step of the undo takes all back."
        )
        box.setDetailedText("\n".join([*done, *(f"not done: {m}" for m in missed)]))
        now = box.addButton(f"Do it at {places}", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Leave as it is", QMessageBox.ButtonRole.RejectRole)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        assert now is not None
        now.setEnabled(bool(done))
        now.clicked.connect(lambda: self.session.correct_all(edits, partly=True))
        box.open()
        self.message = box

    def ask_changed(self, path: Path) -> None:
        """Offer to take in a source that has changed on disk."""
        box = QMessageBox(self.window)
        box.setWindowTitle("The source has changed")
        box.setText(
            f"{path.name} is another file now. Take it in as a further revision? What was reviewed stays as it is."
        )
        now = box.addButton("Take it in", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        assert now is not None
        now.clicked.connect(lambda: self.session.take_in(path))
        box.open()
        self.message = box

    def ask_cost(self, cost: Cost) -> None:
        """Ask whether a run should be started that costs more than is spent unasked, and what would cost
        less."""
        box = QMessageBox(self.window)
        box.setWindowTitle("This run is a long one")
        minutes = max(1, round(cost.seconds / 60))
        box.setText(
            f"About {cost.unknowns:,} unknowns, {cost.of_shells:,} of them in slabs and walls: on this machine about "
            f"{minutes} min and {cost.memory / 1e9:.1f} GB.\n\nThe model is shown and checked already; results come with a run. "
            "Elements twice as large take about a quarter of it. A part, or some cases alone, can be chosen under Run, Runs…"
        )
        now = box.addButton("Run now", QMessageBox.ButtonRole.AcceptRole)
        coarser = box.addButton("Elements twice as large", QMessageBox.ButtonRole.ActionRole)
        box.addButton("Not now", QMessageBox.ButtonRole.RejectRole)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        assert now is not None and coarser is not None
        now.clicked.connect(lambda: self.session.runs.again())
        coarser.clicked.connect(self.session.runs.coarser)
        box.open()
        self.message = box

    def _accepted(self, finding: Finding, text: str) -> None:
        if text.strip():
            self.session.decide(finding, "accepted", text.strip())
        else:
            self.session.said.emit("A finding is accepted with a reason, or not at all")

    def about(self) -> None:
        box = QMessageBox(self.window)
        box.setWindowTitle("About Rod Tally")
        box.setIconPixmap(mark().pixmap(QSize(48, 48)))
        box.setText(
            f"Rod Tally {__version__}\n\nReview of structural models: take one in, check it, run it, compare its revisions.\n"
            f"Free software under the GNU General Public License, version 3 or later.{where_logged()}"
        )
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()
        self.message = box

    def fail(self, title: str, text: str) -> None:
        """Something the user has to know; the window stays usable behind it."""
        self.session.said.emit(text)
        if self.session.said_in_form:
            return
        box = QMessageBox(QMessageBox.Icon.NoIcon, title, text, QMessageBox.StandardButton.Ok, self.window)
        box.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        box.open()
        self.message = box
