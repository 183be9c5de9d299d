"""The session behind the window: the project, the jobs, the undo stack. Widgets ask it; it tells the state."""

from __future__ import annotations

import copy
import getpass
import json
import sqlite3
from collections.abc import Callable, Container
from datetime import datetime
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtGui import QUndoStack

from ...analysis import AnalysisError
from ...checks import Subject, run_checks
from ...compare.carry import carry_over
from ...intake import IntakeError, read_source
from ...loads import Distribution
from ...loads.combinations.rules import RulesError
from ...loads.lateral import LateralError
from ...model import Finding, Settings, SettingsError
from ...model.catalogue.catalogue import catalogue
from ...model.catalogue.grades import grades
from ...model.edits import Edit, MapMaterial, MapProfile
from ...output.bcf import write_bcf
from ...output.ifc import write_ifc
from ...output.report import write_html, write_pdf
from ...output.spreadsheet import write_rows, write_takeoff, write_workbook
from ...output.write import OutputError, write_review
from ...project import Project, ProjectError
from ...project.corrections import CorrectionBook
from ...project.store import SUFFIX, is_old, run_print
from ...review import Review, review
from ...review.decisions import carried_decisions
from ...review.review import attach_carried, attach_comparison, read_model
from ...transfer.joining.preview import preview_joins
from .actions import ACCEPT, FORMS, GO, MAP, REOPEN, edits_for
from .jobs import Jobs
from .kept import data_folder, load_project, review_of, source_of
from .state import DeskState, Revision
from .undo_commands import Again, CarriedIn, Correct, CorrectAll, Decide, Look

KNOWN = (IntakeError, ProjectError, AnalysisError, OutputError, SettingsError, RulesError, LateralError)
RECENT = 8
UNCHECKED = Finding(
    "check.cancelled",
    "warning",
    "The checks after the last correction were cancelled: these findings are from before it.",
)
Progress = Callable[[str, float], None]


class Session(QObject):
    """`said(text)`: a line for the status bar. `failed(title, text)`: something the user has to know."""

    said = pyqtSignal(str)
    failed = pyqtSignal(str, str)
    project_changed = pyqtSignal()
    asked_reason = pyqtSignal(object)
    asked_view = pyqtSignal(object)
    asked_map = pyqtSignal(str)
    asked_form = pyqtSignal(str)  # a dialog by name: section, material, support …
    asked_again = pyqtSignal(int)  # so many corrections were made on this source before
    previewed = pyqtSignal(object)

    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self.state = state
        self.settings = Settings()
        self.project: Project | None = None
        self.jobs = Jobs(KNOWN)
        self.undo = QUndoStack(self)
        self.memory = QSettings("rod-tally", "rod-tally")
        self.settings.transfer.profiles = self._remembered("profiles", catalogue())
        self.settings.transfer.materials = self._remembered("materials", grades())
        self.before: list[dict[str, Any]] = []  # corrections made on the current source before

    # -- files ---------------------------------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """A project as it is, or a model as the first revision of a new project."""
        if path.suffix.lower() == SUFFIX:
            self._start("Opening", lambda p: load_project(path, p), self._opened)
        else:
            self._start("Taking in", lambda p: self._take_new(path, p), self._taken_new)
        self._remember(path)

    def take_in(self, path: Path) -> None:
        """A further revision of the open project, compared with the latest one."""
        if self.project is None or not self.state.revisions:
            self.open(path)
            return
        project, before = self.project, list(self.state.revisions)
        self._start("Taking in a revision", lambda p: self._take(path, project, before, p), self._taken)
        self._remember(path)

    def _start(
        self,
        title: str,
        call: Callable[[Progress], Any],
        done: Callable[[Any], None],
        cancelled: Callable[[], None] | None = None,
    ) -> None:
        if not self.jobs.start(title, call, done, lambda text: self.failed.emit(title, text), cancelled):
            self.said.emit("Something is still running; wait for it or cancel it (Esc)")

    def _take(self, path: Path, project: Project, before: list[Revision], progress: Progress) -> Revision:
        """Read, review, compare and keep a revision; all of it in the background."""
        model = read_model(path, self.settings, progress)
        carried = carry_over(before[-1].review.model, model) if before else None
        done = review(model, self.settings, progress)
        decisions: dict[str, tuple[str, str]] = {}
        if before:
            progress("Comparing", 0.94)
            last = before[-1]
            attach_comparison(done, last.review)
            assert carried is not None and done.comparison is not None
            attach_carried(done, carried)
            twin = {m.baseline_id: m.revised_id for m in done.comparison.parts if m.baseline_id and m.revised_id}
            decisions = carried_decisions(last.review.findings, last.decisions, done.findings, twin, last.name)
        progress("Keeping it", 0.97)
        name = f"Revision {chr(ord('A') + len(before) % 26)}"
        ident = project.add_revision(name, model)
        project.add_run(ident, "Run 1", model, self.settings, done.results, done.dynamics)
        if done.comparison is not None:
            project.add_comparison(before[-1].id, ident, done.comparison)
        project.save_settings(self.settings)
        if decisions:
            project.decide_all(ident, decisions, self.reviewer)
        return Revision(ident, name, done, decisions, run_name="Run 1", run_print=run_print(model, self.settings))

    def _take_new(self, path: Path, progress: Progress) -> tuple[Project, Revision]:
        project = self._new_project()
        try:
            return project, self._take(path, project, [], progress)
        except BaseException:
            project.close()
            project.path.unlink(missing_ok=True)  # nothing was taken in: no empty project is left behind
            raise

    def _taken_new(self, value: tuple[Project, Revision]) -> None:
        project, revision = value
        self._replace_project(project)
        self._taken(revision)

    def _taken(self, revision: Revision) -> None:
        self.state.set_revisions([*self.state.revisions, revision], len(self.state.revisions))
        self.project_changed.emit()
        done = revision.review
        self.said.emit(f"{revision.name}: {len(done.model.members)} members, {len(done.blocking)} blocking findings")
        carried = done.carried
        if carried is not None and carried.edits:
            self.undo.push(CarriedIn(self, revision, carried.edits))
        self.before = self.book().recall(Path(done.model.source_file)) if done.model.source_file else []
        if self.before and not done.model.corrections:
            self.asked_again.emit(len(self.before))

    def correct_again(self) -> None:
        """Make the corrections that were made on this source before, in one step that can be undone."""
        revision = self.state.revision
        if revision is not None and self.before and not self.jobs.busy:
            records, self.before = self.before, []
            self.undo.push(Again(self, revision, records))

    @property
    def reviewer(self) -> str:
        """Who decides: the name in the settings of the report, else the user's of this machine."""
        if self.settings.report.reviewer:
            return self.settings.report.reviewer
        try:
            return getpass.getuser()
        except (KeyError, OSError, ImportError):
            return ""

    @staticmethod
    def book() -> CorrectionBook:
        return CorrectionBook(data_folder() / "corrections")

    def preview(self, settings: Settings) -> None:
        """What the join rules of these settings would do to the source of the current revision."""
        review = self.state.review
        if review is None:
            return
        path = source_of(review.model)
        self._start(
            "Previewing", lambda p: preview_joins(read_source(path, p), settings.transfer, p), self.previewed.emit
        )

    def _opened(self, value: tuple[Project, list[Revision], Settings]) -> None:
        project, revisions, settings = value
        self._replace_project(project)
        settings.transfer.profiles = self._remembered("profiles", catalogue()) | settings.transfer.profiles
        settings.transfer.materials = self._remembered("materials", grades()) | settings.transfer.materials
        self.settings = settings
        self.state.set_revisions(revisions, len(revisions) - 1)
        self.project_changed.emit()
        self.said.emit(f"{project.path.name}: {len(revisions)} revisions")

    def _replace_project(self, project: Project) -> None:
        if self.project is not None:
            self.project.close()
        self.project = project
        self.undo.clear()
        self.state.revisions = []

    def _new_project(self) -> Project:
        folder = data_folder() / "projects"
        folder.mkdir(parents=True, exist_ok=True)
        stamp = datetime.now().strftime("%Y-%m-%d %H.%M.%S")
        path, n = folder / f"{stamp}{SUFFIX}", 2
        while path.exists():
            path, n = folder / f"{stamp} ({n}){SUFFIX}", n + 1
        return Project.create(path)

    def save_as(self, path: Path) -> None:
        """The whole project in another file, which is then the open one."""
        if self.project is None:
            return
        if path.suffix.lower() != SUFFIX:
            path = path.with_name(path.name + SUFFIX)
        try:
            self.project = self.project.copy_to(path)
        except (ProjectError, OSError, sqlite3.Error) as error:
            self.failed.emit("Saving", str(error))
            return
        self._remember(path)
        self.project_changed.emit()
        self.said.emit(f"Saved as {path}; every step is saved there from now on")

    def _remember(self, path: Path) -> None:
        paths = [str(path.resolve()), *(p for p in self.recent() if p != str(path.resolve()))]
        self.memory.setValue("recent", paths[:RECENT])

    def _remembered(self, what: str, known: Container[str]) -> dict[str, str]:
        """What the user has mapped before, profiles or materials; what is in no catalogue any more is left out."""
        try:
            kept = json.loads(str(self.memory.value(what, "{}")))
        except json.JSONDecodeError:
            return {}
        return {k: v for k, v in kept.items() if v in known} if isinstance(kept, dict) else {}

    def recent(self) -> list[str]:
        value = self.memory.value("recent", [])
        return [str(v) for v in value] if isinstance(value, (list, tuple)) else [str(value)] if value else []

    def export(self, folder: Path) -> None:
        """The files of the contract for the current revision."""
        done = self._decided()
        if done is not None:
            self._start(
                "Writing", lambda p: write_review(done, folder), lambda v: self.said.emit(f"{len(v)} files in {folder}")
            )

    def hand_back(self, path: Path, results: bool = False) -> None:
        """The analytical model as an IFC file, with the results that are shown where they are wanted; never over the source
        it came from."""
        done, revision = self.state.review, self.state.revision
        if done is None or revision is None:
            return
        if results and revision.stale:
            self.failed.emit(
                "Handing back", "The model has changed since its run, so its results are old: run it first"
            )
            return
        source = Path(done.model.source_file)
        if path.exists() and source.exists() and path.samefile(source):
            self.failed.emit("Handing back", f"{path}: is the source of this revision; choose another name")
            return
        what = (done.results, done.fields) if results else (None, None)
        self._start(
            "Handing back",
            lambda p: write_ifc(done.model, path, *what),
            lambda p: self.said.emit(f"Handed back as {p}"),
        )

    def write_table(self, columns: list[str], rows: list[list[object]], title: str, path: Path) -> None:
        """One table as it is shown."""
        self._start(
            "Writing",
            lambda p: write_rows(columns, rows, title, path),
            lambda p: self.said.emit(f"{len(rows)} rows in {p}"),
        )

    def write_takeoff(self, path: Path) -> None:
        done = self.state.review
        if done is not None:
            self._start(
                "Taking off", lambda p: write_takeoff(done.model, path), lambda p: self.said.emit(f"Take-off in {p}")
            )

    def write_workbook(self, path: Path) -> None:
        done = self.state.review
        if done is not None:
            self._start("Writing", lambda p: write_workbook(done, path), lambda p: self.said.emit(f"Tables in {p}"))

    def write_report(self, path: Path) -> None:
        """The report of the revision that is shown, by the ending of its name: .pdf, .html or .bcf."""
        done = self._decided()
        if done is None:
            return
        ending = path.suffix.lower()

        def work(progress: Progress) -> Path:
            progress("Writing the report", 0.1)
            if ending == ".bcf":
                return write_bcf(done, path)
            return (write_html if ending == ".html" else write_pdf)(done, self.settings, path)

        self._start("Writing the report", work, lambda p: self.said.emit(f"Report in {p}"))

    def _decided(self) -> Review | None:
        """The review that is shown, with the decisions that its project holds now."""
        done, revision = self.state.review, self.state.revision
        if done is not None and revision is not None and self.project is not None:
            ident = revision.id
            try:
                done.decisions = self.project.decision_list(ident)
            except ProjectError as error:
                self.failed.emit("Decisions", str(error))
                return None
        return done

    def read_settings(self, path: Path) -> None:
        try:
            self.settings = Settings.read(path)
        except SettingsError as error:
            self.failed.emit("Settings", str(error))
            return
        for revision in self.state.revisions:
            revision.stale = is_old(revision.run_print, revision.review.model, self.settings)
        self.state.refresh()
        self.said.emit("Settings read; they count from the next model taken in and the next run")

    # -- runs ----------------------------------------------------------------------------------------------------

    def run_again(self, name: str = "", cases: list[str] | None = None, only: set[str] | None = None) -> None:
        """A new run of the current revision beside the earlier ones: of these cases and members, all unless named."""
        revision, project = self.state.revision, self.project
        if revision is None or project is None:
            return
        index, model = self.state.current, revision.review.model
        taken = {r.name for r in project.runs(revision.id)}
        number = len(taken) + 1
        name = name.strip() or f"Run {number}"
        while name in taken:
            number += 1
            name = f"Run {number}"
        settings = copy.deepcopy(self.settings)
        if cases is not None:
            settings.run.cases = cases

        def work(progress: Progress) -> Review:
            done = review(model, settings, progress, only)
            if index > 0:
                attach_comparison(done, self.state.revisions[index - 1].review)
            progress("Keeping the run", 0.97)
            project.add_run(revision.id, name, done.model, settings, done.results, done.dynamics)
            if done.comparison is not None:
                project.add_comparison(self.state.revisions[index - 1].id, revision.id, done.comparison)
            return done

        self._start("Running", work, lambda done: self._ran(revision, name, done))

    def runs(self) -> list[tuple[int, str, str, bool]]:
        """Kept runs of the current revision, newest first: id, name, when, whether the model has changed since."""
        revision = self.state.revision
        if revision is None or self.project is None:
            return []
        model = revision.review.model
        return [
            (r.id, r.name, r.created, is_old(r.print, model, self.settings))
            for r in reversed(self.project.runs(revision.id))
        ]

    def show_run(self, ident: int) -> None:
        """Show the results of an earlier run; nothing of what is kept changes."""
        revision, project = self.state.revision, self.project
        if revision is None or project is None:
            return
        model, settings = revision.review.model, self.settings
        row = next(r for r in project.runs(revision.id) if r.id == ident)

        def work(progress: Progress) -> Review:
            progress(f"Opening {row.name}", 0.2)
            stale = is_old(row.print, model, settings)
            return review_of(model, settings, project.results(ident), stale, project.dynamics(ident, settings))

        def done(value: Review) -> None:
            before = revision.review.comparison
            revision.review, revision.run_name, revision.run_print = value, row.name, row.print
            revision.review.comparison = before
            self.state.refresh()
            self.said.emit(f"{revision.name}: {row.name} is shown")

        self._start("Opening a run", work, done)

    def _ran(self, revision: Revision, name: str, done: Review) -> None:
        revision.review, revision.stale, revision.run_name = done, False, name
        revision.run_print = run_print(done.model, done.settings)
        self.state.refresh()
        self.said.emit(f"{revision.name}, {name}: kept beside the earlier runs")

    # -- decisions and corrections -----------------------------------------------------------------------------------

    def act(self, finding: Finding | None, action: str) -> None:
        """A button of a finding, or of the picked node, was pressed."""
        revision = self.state.revision
        if revision is None:
            return
        if finding is not None and action == ACCEPT:
            self.asked_reason.emit(finding)
        elif finding is not None and action == REOPEN:
            self.decide(finding, "open", "")
        elif finding is not None and action == GO:
            self.asked_view.emit(finding.at)
        elif finding is not None and action == MAP:
            member = next((i for i in finding.ids if i in revision.review.model.members), "")
            if member:
                self.asked_map.emit(revision.review.model.members[member].section)
        elif finding is not None and action in FORMS:
            model = revision.review.model
            self.state.select(
                [(k, i) for i in finding.ids for k in ("member", "surface") if i in getattr(model, k + "s")]
            )
            case = next((i for i in finding.ids if i in model.cases), "")
            if case:
                self.state.set_view(case=case)
            self.asked_form.emit(FORMS[action])
        else:
            picked = self.state.picked[1] if self.state.picked else ""
            self.correct_all(edits_for(revision.review.model, finding, action, picked), partly=True)

    def work_out(self, title: str, call: Callable[[Progress], Any], done: Callable[[Any], None] | None = None) -> None:
        """Work something out in the background and hand it on; an edit is made."""
        self._start(title, call, done or self.correct)

    def correct(self, edit: Edit) -> None:
        self.correct_all([edit])

    def correct_all(self, edits: list[Edit], partly: bool = False) -> None:
        """Corrections that are one step of the undo; `partly`: those that can be made, the others are told."""
        revision = self.state.revision
        if revision is None or not edits:
            return
        if self.jobs.busy:
            self.said.emit("Wait for the running job, or cancel it (Esc), before correcting the model")
            return
        single = len(edits) == 1
        self.undo.push(Correct(self, revision, edits[0]) if single else CorrectAll(self, revision, edits, partly))

    def map_profile(self, profile: str, name: str) -> None:
        """Map a profile to one of the catalogue, now with undo, and remember it for models taken in later."""
        self.correct(MapProfile(profile, name))
        self.settings.transfer.profiles[profile] = name
        self._memorise("profiles", self.settings.transfer.profiles)

    def map_material(self, material: str, grade: str) -> None:
        """Map a material to a grade, now with undo, and remember it for models taken in later."""
        review = self.state.review
        if review is None:
            return
        known = review.model.materials.get(material)
        self.correct(MapMaterial(material, grade))
        self.settings.transfer.materials[known.name if known else material] = grade
        self._memorise("materials", self.settings.transfer.materials)

    def _memorise(self, what: str, values: dict[str, str]) -> None:
        self.memory.setValue(what, json.dumps(dict(values), ensure_ascii=False))

    def decide(self, finding: Finding, status: str, reason: str) -> None:
        revision = self.state.revision
        if revision is not None:
            self.undo.push(Decide(self, revision, finding, status, reason))

    def look(self, item: str) -> None:
        revision = self.state.revision
        if revision is not None:
            self.undo.push(Look(self, revision, item))

    def keep_decisions(self, revision: Revision, decisions: dict[str, tuple[str, str]]) -> None:
        """Keep decisions on findings, by their keys."""
        revision.decisions |= decisions
        if self.project is not None:
            self._saving(lambda p: p.decide_all(revision.id, decisions, self.reviewer))
        self.state.decided.emit()

    def keep_look(self, revision: Revision, item: str, seen: bool) -> None:
        (revision.looked.add if seen else revision.looked.discard)(item)
        self._saving(lambda p: p.look(revision.id, item, seen))
        self.state.decided.emit()

    def _saving(self, call: Callable[[Project], None]) -> None:
        if self.project is None:
            return
        try:
            call(self.project)
        except ProjectError as error:
            self.failed.emit("Saving", str(error))

    def model_changed(self, revision: Revision) -> None:
        """After a correction or its undo: old results are marked, the checks run again, the model is kept."""
        model = revision.review.model

        def work(progress: Progress) -> tuple[list[Finding], bool, Distribution]:
            # kept first, and before anything that can be cancelled: what was corrected is never in memory alone
            if self.project is not None:
                self.project.save_model(revision.id, model)
            if model.source_file:
                self.book().keep(Path(model.source_file), model.corrections)
            progress("Checking", 0.0)
            stale = is_old(revision.run_print, model, self.settings)
            loads = Distribution(model)
            was = revision.review
            subject = Subject(model, None, self.settings, loads)
            if not stale:
                subject = Subject(model, was.results, self.settings, loads, was.modes, was.storeys, was.centres)
            return run_checks(subject, progress), stale, loads

        def done(value: tuple[list[Finding], bool, Distribution]) -> None:
            revision.review.model_changed(value[2])
            revision.stale = value[1]
            revision.review.findings = sorted([*value[0], *revision.review.other_findings], key=lambda f: f.order)
            self.state.refresh()

        def cancelled() -> None:
            """The correction stays; that it has not been looked at is a finding of its own."""
            kept = [f for f in revision.review.findings if f.code != "check.cancelled"]
            revision.review.findings = sorted([UNCHECKED, *kept], key=lambda f: f.order)
            revision.review.model_changed(None)
            self.state.refresh()
            self.said.emit("The correction is kept; its checks were cancelled")

        revision.stale = True
        self._start("Checking", work, done, cancelled)
