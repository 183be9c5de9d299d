"""Writing files from the window, each in the background: the contract's files, IFC, tables, the report."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ...model.source_file import source_of
from ...output.bcf import write_bcf
from ...output.ifc import write_ifc
from ...output.ifc.corrected import write_corrected
from ...output.model_tables import not_held, write_model_tables
from ...output.panel_sheets import write_sheets
from ...output.report import write_html, write_pdf
from ...output.spreadsheet import write_rows, write_takeoff, write_workbook
from ...output.write import write_review
from ...progress import Progress
from ...project import ProjectError
from ...review import Review
from .base import SessionBase


class Exports:
    """The files that the current revision of a session can be written as. Every file is written whole or not
    at all."""

    def __init__(self, session: SessionBase) -> None:
        self.session = session

    def contract_files(self, folder: Path) -> None:
        """The files of the contract."""
        done = self._decided()
        if done is not None:
            self._write(
                "Writing", lambda p: len(write_review(done, folder)), lambda n: f"{n} files in {folder}"
            )

    def ifc(self, path: Path, results: bool = False) -> None:
        """The analytical model as an IFC file with findings and decisions, and with the results that are
        shown where they are wanted; never over the source it came from."""
        done, revision = self._decided(), self.session.state.revision
        if done is None or revision is None:
            return
        if results and done.why_old:
            self.session.failed.emit("Handing back", f"There are no results to write: {done.why_old}")
            return
        source = source_of(done.model)
        if path.exists() and source.exists() and path.samefile(source):
            self.session.failed.emit(
                "Handing back", f"{path}: is the source of this revision; choose another name"
            )
            return
        r, fields = (done.results, done.fields) if results else (None, None)
        self._write(
            "Handing back",
            lambda p: write_ifc(done.model, path, r, fields, done),
            lambda p: f"Handed back as {p}",
        )

    def corrected(self, path: Path) -> None:
        """The source file again with what was corrected in the same elements; never over the source."""
        done = self.session.state.review
        if done is None:
            return
        model, source = done.model.snapshot(), source_of(done.model)
        if path.exists() and source.exists() and path.samefile(source):
            self.session.failed.emit(
                "Exporting", f"{path}: is the source of this revision; choose another name"
            )
            return
        self._write("Exporting", lambda p: write_corrected(model, path, p).words, str)

    def model_tables(self, path: Path) -> None:
        """The model as tables that can be taken in again: a workbook, or a folder of CSV files."""
        done = self.session.state.review
        if done is None:
            return
        source = source_of(done.model)
        if path.exists() and any(x.exists() and path.samefile(x) for x in (source, source.parent)):
            self.session.failed.emit(
                "Writing tables", f"{path}: holds the source of this revision; choose another name"
            )
            return
        lacking = not_held(done.model)
        words = f"; they do not hold {'; '.join(lacking)}" if lacking else ""
        self._write(
            "Writing tables",
            lambda p: write_model_tables(done.model, path),
            lambda p: f"Tables in {path}{words}",
        )

    def table(self, columns: list[str], rows: list[list[object]], title: str, path: Path) -> None:
        """One table as it is shown."""
        self._write(
            "Writing", lambda p: write_rows(columns, rows, title, path), lambda p: f"{len(rows)} rows in {p}"
        )

    def takeoff(self, path: Path) -> None:
        done = self.session.state.review
        if done is not None:
            self._write("Taking off", lambda p: write_takeoff(done.model, path), lambda p: f"Take-off in {p}")

    def workbook(self, path: Path) -> None:
        done = self._decided()
        if done is not None:
            self._write("Writing", lambda p: write_workbook(done, path), lambda p: f"Tables in {p}")

    def report(
        self,
        path: Path,
        pictures: list[tuple[str, bytes]] | None = None,
        shown: Callable[[Path], None] | None = None,
    ) -> None:
        """The report, by the ending of its name: .pdf, .html or .bcf; with pictures (title, PNG) of kept
        views. `shown` takes one that is only looked at."""
        done = self._decided()
        if done is None:
            return
        done.pictures = pictures or []
        ending, settings = path.suffix.lower(), self.session.settings

        def work(progress: Progress) -> Path:
            progress("Writing the report", 0.1)
            if ending == ".bcf":
                return write_bcf(done, path)
            return (write_html if ending == ".html" else write_pdf)(done, settings, path)

        if shown is not None:
            self.session.start("Making the report", work, shown)
            return
        self._write("Writing the report", work, lambda p: f"Report in {p}")

    def panels(self, path: Path, wall: str = "") -> None:
        """The sheets of all wall panels, or of those of one wall, by the ending of the name: .pdf or .html."""
        done = self._decided()
        if done is not None:
            self._write(
                "Writing", lambda p: write_sheets(done, path, wall), lambda n: f"{n} wall panels in {path}"
            )

    def _write(
        self, title: str, call: Callable[[Progress], object], message: Callable[[object], str]
    ) -> None:
        self.session.start(title, call, lambda value: self.session.said.emit(message(value)))

    def _decided(self) -> Review | None:
        """The review that is shown, with the decisions that its project holds now."""
        done, revision = self.session.state.review, self.session.state.revision
        if done is not None and revision is not None and self.session.project is not None:
            try:
                done.decisions = self.session.project.decision_list(revision.id)
                done.looks = self.session.project.looks(revision.id)
            except ProjectError as error:
                self.session.failed.emit("Decisions", str(error))
                return None
        return done
