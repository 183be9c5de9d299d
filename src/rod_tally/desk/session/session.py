"""The session behind the window: files, decisions and corrections, each step of which can be undone. Widgets
ask it; it tells the state. Runs and what is written are parts of their own."""

from __future__ import annotations

import copy
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QUndoStack

from ...checks.framing.source import TAKE_IN
from ...checks.loading.by_rule import AGAIN
from ...compare.carrying.carry import PLACED, carry_only
from ...intake import IntakeError, read_source
from ...intake.bcf_answers import read_topics
from ...intake.design_results import DesignResults, read_design
from ...intake.requirements import hold_against
from ...model import Finding, Settings, SettingsError
from ...model.edits import Edit, MapMaterial, MapProfile
from ...model.settings import LimitSettings
from ...model.source_file import source_of
from ...progress import Progress
from ...project import Project, ProjectError
from ...project.kept_views import KeptView
from ...project.prints import Prints
from ...project.store import SUFFIX
from ...review.answers import Answer, answers_of
from ...review.decisions import Look as LookRecord
from ...review.found.requirements import requirement_findings
from ...review.ranking import ranked
from ...review.remedies import ACCEPT, FORMS, GO, MAP, REOPEN, SHOWN_FIRST, edits_for
from ...review.work import attach_design, put_required
from ...transfer.joining.preview import preview_joins
from .base import SessionBase
from .checking import Checking
from .comparing import Comparing
from .correcting import CORRECTIONS, Correcting
from .revisions import data_folder, load_project, take_in, take_new
from .runs import Runs
from .state import DeskState, Revision
from .undo_commands import CarriedIn, CarryOther, Decide, Look
from .watching import SourceWatch

if TYPE_CHECKING:
    from .exports import Exports


class Session(SessionBase):
    """The actions that the window's widgets ask for; the state tells them the outcome."""

    project_changed = pyqtSignal()
    asked_reason = pyqtSignal(object)
    asked_view = pyqtSignal(object)
    asked_map = pyqtSignal(str)
    asked_sure = pyqtSignal(str, list)  # corrections for many parts at once, to be shown first
    asked_form = pyqtSignal(str)  # a dialog by name: section, material, support …
    asked_again = pyqtSignal(int)  # so many corrections were made on this source before
    asked_changed = pyqtSignal(object)  # the source of the latest revision is another file now
    asked_cost = pyqtSignal(object)  # a run that costs more than is spent unasked
    asked_table = pyqtSignal(str, str)  # a table by name, and what it is turned to
    previewed = pyqtSignal(object)

    def __init__(self, state: DeskState) -> None:
        super().__init__(state)
        self.undo = QUndoStack(self)
        self.runs = Runs(self, self.asked_cost.emit)
        self.comparing = Comparing(self)
        self.checking = Checking(self, self.runs, self.comparing)
        self.correcting = Correcting(self, self.undo)
        self.watch = SourceWatch(state, self.asked_changed.emit)
        self.before: list[dict[str, Any]] = []  # corrections made on the current source before

    # -- files -----------------------------------------------------------------------------------------------

    @cached_property
    def exports(self) -> Exports:
        """Return what writes files. Loaded when it is first asked for: its libraries take a third of a
        second."""
        from .exports import Exports

        return Exports(self)

    def open(self, path: Path) -> None:
        """A project as it is, or a model as the first revision of a new project."""
        if path.suffix.lower() == SUFFIX:
            self.start("Opening", lambda p: load_project(path, p), self._opened)
        else:
            settings = self.settings
            self.start("Taking in", lambda p: take_new(path, settings, p), self._taken_new)
        self.memory.opened(path)

    def open_demo(self) -> None:
        """The demo project, as it was left; made where it is not there yet."""
        from ...demo.project import make_demo

        path = data_folder() / "demo" / "Tern Quay sail loft.rodtally"

        def opened(progress: Progress) -> tuple[Project, list[Revision], Settings]:
            if not path.exists():
                progress("Making the demo", 0.1)
                path.parent.mkdir(parents=True, exist_ok=True)
                make_demo(path)
            return load_project(path, progress)

        self.start("Opening the demo", opened, self._opened)

    def take_in(self, path: Path) -> None:
        """A further revision of the open project, compared with the latest one."""
        if self.project is None or not self.state.revisions:
            self.open(path)
            return
        project, before, settings = self.project, list(self.state.revisions), self.settings
        self.start("Taking in a revision", lambda p: take_in(path, project, before, settings, p), self._taken)
        self.memory.opened(path)

    def _taken_new(self, value: tuple[Project, Revision]) -> None:
        project, revision = value
        self._replace_project(project)
        self._taken(revision)

    def _taken(self, revision: Revision) -> None:
        """Show what was read, and go on with its checks and its run."""
        self.state.set_revisions([*self.state.revisions, revision], len(self.state.revisions))
        self.project_changed.emit()
        done = revision.review
        words = f"{revision.name}: {len(done.model.members)} members, {len(done.model.surfaces)} surfaces"
        if done.carried is not None and done.carried.lines:
            placed = sum(line.status in PLACED for line in done.carried.lines)
            words += f", {placed} of {len(done.carried.lines)} corrections carried over (Compare, Carried-over corrections…)"
        self.said.emit(words)
        if done.carried is not None and done.carried.edits:
            self.undo.push(CarriedIn(self, revision, done.carried.edits))
        self.before = self.memory.corrections(done.model.source_file)
        self.runs.check_and_run(revision)
        if self.before and not done.model.corrections:
            self.asked_again.emit(len(self.before))

    def why_carrying_is_settled(self) -> str:
        """Why another choice of what is carried over to this revision cannot be made now; empty where it
        can."""
        revision = self.state.revision
        carried = None if revision is None else revision.review.carried
        if revision is None or carried is None or not carried.lines:
            return "Nothing was made for the revision before, or it was taken back as a whole"
        if not carried.plan:
            return "This was settled before the project was opened: change it by corrections"
        for k in range(self.undo.index() - 1, -1, -1):
            step = self.undo.command(k)
            if isinstance(step, CarriedIn | CarryOther) and step.revision is revision:
                return ""
            if isinstance(step, CORRECTIONS) and step.revision is revision:
                return "Corrections were made on top of it: take them back first (Undo), then choose, then make them again"
        return "It was taken back: redo it first"

    def carry_only(self, left: set[int]) -> None:
        """Carry over all lines but these (by number), in one step that can be undone."""
        revision = self.state.revision
        if revision is None or not self.checking.free or self.why_carrying_is_settled():
            return
        before = revision.review.carried
        assert before is not None
        self.jobs.stop_what_gives_way()  # for the choice is tried on the model
        self.undo.push(CarryOther(self, revision, before, carry_only(before, revision.review.model, left)))

    def correct_again(self) -> None:
        """Make the corrections that were made on this source before, in one step that can be undone."""
        revision = self.state.revision
        if revision is not None and self.before and self.checking.free:
            records, self.before = self.before, []
            self.correcting.again(revision, records)

    def preview(self, settings: Settings) -> None:
        """Preview what the join rules of these settings would do to the source of the current revision."""
        review = self.state.review
        if review is None:
            return
        path = source_of(review.model)
        self.start(
            "Previewing",
            lambda p: preview_joins(read_source(path, p), settings.transfer, p),
            self.previewed.emit,
        )

    def _opened(self, value: tuple[Project, list[Revision], Settings]) -> None:
        project, revisions, settings = value
        self._replace_project(project)
        self.memory.fill(settings)
        self.settings = settings
        self.state.set_revisions(revisions, len(revisions) - 1)
        self.project_changed.emit()
        self.said.emit(f"{project.path.name}: {len(revisions)} revisions")
        if revisions and not revisions[-1].run_name:
            self.runs.check_and_run(revisions[-1])

    def _replace_project(self, project: Project) -> None:
        if self.project is not None:
            self.project.close()
        self.project, self.prints = project, Prints()
        self.undo.clear()
        self.state.revisions = []

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
        self.memory.opened(path)
        self.project_changed.emit()
        self.said.emit(f"Saved as {path}; every step is saved there from now on")

    def read_answers(self, path: Path) -> None:
        """Answers of the modellers from a BCF file, put at the findings of the current revision and kept."""
        revision, project = self.state.revision, self.project
        if revision is None or project is None:
            return

        def work(progress: Progress) -> tuple[list[Answer], int, int]:
            topics = read_topics(path)
            review = revision.review
            ours = [
                f"{status}: {reason}" if reason else status for status, reason in revision.decisions.values()
            ]
            found, strange = answers_of(topics, review.findings, review.model.name, ours)
            new = project.add_answers(revision.id, found)
            return project.answers(revision.id), new, len(strange)

        def done(value: tuple[list[Answer], int, int]) -> None:
            revision.answers, new, strange = value
            self.state.decided.emit()
            self.state.picked_changed.emit()
            other = f"; {strange} topics are about none of its findings" if strange else ""
            self.said.emit(f"{new} new answers to findings of {revision.name}{other}")

        self.start("Reading answers", work, done)

    def read_settings(self, path: Path) -> None:
        try:
            self.settings = Settings.read(path)
        except SettingsError as error:
            self.failed.emit("Settings", str(error))
            return
        self.saving(lambda p: p.save_settings(self.settings))
        self._settings_changed()
        self.said.emit("Settings read; they count from the next model taken in and the next run")

    def change_settings(self, change: Callable[[Settings], None]) -> None:
        """Change the settings of the project; results that were made with others are old from then on."""
        self.settings = copy.deepcopy(self.settings)  # those that runs were made with stay as they were
        change(self.settings)
        self.saving(lambda p: p.save_settings(self.settings))
        self._settings_changed()

    def _settings_changed(self) -> None:
        for revision in self.state.revisions:
            if revision.review.has_run:
                revision.stale = self.is_old(revision, revision.review.model)
        self.state.refresh()

    # -- decisions and corrections ---------------------------------------------------------------------------

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
        elif action == TAKE_IN:
            self.settings.transfer.choose.only_bearing = False
            self.change_settings(lambda s: None)
            self.take_in(source_of(revision.review.model))
        elif finding is not None and action == AGAIN:
            model = revision.review.model
            self.work_out(action, lambda p: edits_for(model, finding, action), self.correct_all)
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
            edits = edits_for(revision.review.model, finding, action, picked)
            if len(edits) > 1 and action in SHOWN_FIRST:
                self.asked_sure.emit(action, edits)
            else:
                self.correct_all(edits, partly=True)

    def work_out(
        self, title: str, call: Callable[[Progress], Any], done: Callable[[Any], None] | None = None
    ) -> None:
        """Work something out in the background and hand it on; an edit is made."""
        self.start(title, call, done or self.correct)

    def correct(self, edit: Edit) -> None:
        self.correct_all([edit])

    def correct_all(self, edits: list[Edit], partly: bool = False) -> None:
        """Corrections that are one step of the undo; `partly`: those that can be made, the others are
        reported."""
        revision = self.state.revision
        if revision is None or not edits:
            return
        if not self.checking.free:
            self.said.emit("Wait for the running job, or cancel it (Esc), before correcting the model")
            return
        self.correcting.all(revision, edits, partly)

    def map_profile(self, profile: str, name: str) -> None:
        """Map a profile to one of the catalogue, now with undo, and remember it for models taken in later."""
        if self.checking.free:  # the settings first: then the correction's own job writes to the project
            self.settings.transfer.profiles[profile] = name
            self._remember()
        self.correct(MapProfile(profile, name))

    def map_material(self, material: str, grade: str) -> None:
        """Map a material to a grade, now with undo, and remember it for models taken in later."""
        review = self.state.review
        if review is None:
            return
        known = review.model.materials.get(material)
        if self.checking.free:
            self.settings.transfer.materials[known.name if known else material] = grade
            self._remember()
        self.correct(MapMaterial(material, grade))

    def _remember(self) -> None:
        """Keep the mappings for models to come, in this project and in others."""
        self.memory.keep(self.settings)
        self.saving(lambda p: p.save_settings(self.settings))

    def keep_settings(self, settings: Settings) -> None:
        """Settings for this session, kept in the project."""
        self.settings = settings
        self.saving(lambda p: p.save_settings(settings))

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
            self.saving(lambda p: p.decide_all(revision.id, decisions, self.reviewer))
        self.state.decided.emit()

    def keep_carried(self, revision: Revision) -> None:
        """Keep what was carried over, or that it was taken back."""
        self.saving(lambda p: p.keep_carried(revision.id, revision.review.carried))

    def keep_look(self, revision: Revision, item: str, seen: bool) -> None:
        (revision.looked.add if seen else revision.looked.discard)(item)
        picture = self.state.picture_words() if seen else ""
        when = datetime.now(UTC).isoformat(timespec="seconds")
        revision.looks[item] = LookRecord(item, self.reviewer, when, picture)
        self.saving(lambda p: p.look(revision.id, item, seen, self.reviewer, picture))
        self.state.decided.emit()

    def check_specification(self, specification: Path) -> None:
        """Hold the source of the current revision against a specification (IDS); what it does not meet stands
        among the findings as long as the project is open."""
        revision = self.state.revision
        if revision is None:
            return
        source = source_of(revision.review.model)

        def work(progress: Progress) -> list[Finding]:
            progress("Holding the file against the specification", 0.1)
            if source.suffix.lower() not in (".ifc", ".ifczip"):
                raise IntakeError(f"{source}: is no IFC file, and a specification is about those")
            if not source.is_file():
                raise IntakeError(f"{source}: the source is not there any more")
            return requirement_findings(hold_against(source, specification), revision.review.model)

        def done(found: list[Finding]) -> None:
            put_required(revision.review, found)
            self.state.refresh()
            not_met = sum(f.severity != "note" for f in found)
            self.said.emit(
                f"{specification.name}: {not_met} requirements are not met"
                if found
                else f"{specification.name}: the file meets all of it"
            )

        self.start("Holding against a specification", work, done)

    def limit(self, limits: list[LimitSettings]) -> None:
        """Hold the results of all revisions against other limits; kept in the project."""
        self.change_settings(lambda s: setattr(s, "limits", limits))
        reviews = [r.review for r in self.state.revisions]
        old = [{f.key for f in review.over_limits} for review in reviews]
        for review in reviews:
            review.settings = copy.deepcopy(review.settings)
            review.settings.limits = limits

        def work(progress: Progress) -> list[list[Finding]]:
            progress("Holding results against limits", 0.1)
            return [review.over_limits for review in reviews]

        def done(found: list[list[Finding]]) -> None:
            for review, before, over in zip(reviews, old, found):
                kept = [f for f in review.findings if f.key not in before]
                review.findings = ranked([*kept, *over], self.settings)
            self.state.refresh()

        self.start("Limits", work, done)

    def take_design(self, path: Path) -> None:
        """Design results from elsewhere of the current revision's parts, kept in the project."""
        revision = self.state.revision
        if revision is None:
            return

        def done(found: DesignResults) -> None:
            revision.design = found
            self.saving(lambda p: p.keep_design(revision.id, found))
            self.state.refresh()
            left = (
                f"; not read: {len(found.unread)}, first {found.unread[0][0]}: {found.unread[0][1]}"
                if found.unread
                else ""
            )
            self.said.emit(f"{path.name}: {', '.join(found.names)} of {len(found.values)} parts{left}")

        def work(progress: Progress) -> DesignResults:
            progress("Reading design results", 0.1)
            found = read_design(path, revision.review.model)
            attach_design(revision.review, found)
            return found

        self.start("Reading design results", work, done)

    def keep_view(self, view: KeptView) -> bool:
        """Keep a view under its name; whether that could be done."""
        return self.saving(lambda p: p.keep_view(view.name, view))

    def forget_view(self, name: str) -> bool:
        """Keep a view of that name no more; whether that could be done."""
        return self.saving(lambda p: p.keep_view(name, None))

    @contextmanager
    def changing(self, revision: Revision) -> Iterator[None]:
        """Around what corrects a model: what works by itself on the model as it was is stopped before, and
        what follows a correction is started after, also where one could not be made but something was
        stopped."""
        stopped, was = self.jobs.stop_what_gives_way(), list(revision.review.model.corrections)
        yield
        if stopped or was != revision.review.model.corrections:
            self.model_changed(revision)

    def model_changed(self, revision: Revision) -> None:
        """After a correction or its undo: old results are marked, the checks made again, the model kept."""
        self.checking.again(revision)
