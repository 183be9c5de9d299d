"""Reviewing by path, whatever the path is: a model file or a project."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace

from ..checks import Subject, run_checks
from ..intake import IntakeError
from ..model import Model, Settings
from ..model.settings import RunSettings
from ..progress import Progress, silent
from ..review.decisions import Decision, Look, carried_decisions, twins
from ..review.following import carried_with_all
from ..review.review import Review
from ..review.work import attach_carried, attach_comparison, read_model, review_as_set, run_only
from .store import SUFFIX, Project, ProjectError


def model_at(path: Path, settings: Settings, progress: Progress = silent) -> Model:
    """The model of a file: of a project, its latest revision. Raises IntakeError."""
    if not is_project(path):
        return read_model(path, settings, progress)
    try:
        project = Project.open(path, only_read=True)
        try:
            revisions = project.revisions()
            if not revisions:
                raise IntakeError(f"{path}: the project holds no revision")
            return project.model(revisions[-1].id)
        finally:
            project.close()
    except ProjectError as error:
        raise IntakeError(str(error)) from error


def is_project(path: Path) -> bool:
    """Return whether a path is that of a project file."""
    return path.suffix.lower() == SUFFIX and not path.is_dir()


def settings_at(path: Path) -> Settings:
    """The settings that a file is reviewed with unless others are named: those a project keeps, the defaults
    of a model file. Raises IntakeError."""
    if not is_project(path):
        return Settings()
    try:
        project = Project.open(path, only_read=True)
        try:
            return project.settings()
        finally:
            project.close()
    except ProjectError as error:
        raise IntakeError(str(error)) from error


def review_path(
    path: Path,
    settings: Settings,
    against: Path | None = None,
    progress: Progress = silent,
    bare: bool = False,
) -> Review:
    """Review a model file or a project, against another if one is given. Raises IntakeError, AnalysisError.

    What was made for a baseline that is a project is carried over to a revision that is a file, unless
    `bare`."""
    model = model_at(path, settings, progress)
    base = model_at(against, settings, progress) if against is not None else None
    carried = None
    if base is not None and not bare and not model.corrections:
        model, carried = carried_with_all(path, base, model, progress)
    done = review_as_set(model, settings, progress)
    done.decisions, done.looks = decided_at(path)
    if carried is not None:
        attach_carried(done, carried)
    if base is not None:
        own = replace(settings, run=shared_cases(base, settings))
        reviewed = run_only(base, own, progress)
        attach_comparison(done, reviewed)
        if carried is not None and against is not None:
            done.decisions += _decided_before(done, against, base, reviewed, own)
    return done


def _decided_before(
    done: Review, against: Path, base: Model, reviewed: Review, settings: Settings
) -> list[Decision]:
    """Acceptances made in the baseline's project for findings that the revision has in the same words and
    numbers."""
    made = [d for d in decided_at(against)[0] if d.decision == "accepted"]
    comparison = done.comparison
    if not made or comparison is None:
        return []
    subject = Subject(
        base,
        reviewed.results,
        settings,
        reviewed.distribution,
        reviewed.modes,
        reviewed.storeys,
        reviewed.centres,
    )
    twin = twins(comparison, base, done.model)
    by_key = {d.key: (d.decision, d.reason) for d in made}
    author = {d.key: d for d in made}
    out = []
    carried = carried_decisions(
        run_checks(subject),
        by_key,
        done.findings,
        twin,
        against.stem,
        {*base.members, *base.surfaces, *base.nodes},
    )
    back = {v: k for k, v in twin.items()}
    for f in done.findings:
        for one in f.parts or (f,):
            if one.key in carried:
                status, reason = carried[one.key]
                old = author.get(f"{one.code}:" + ",".join(sorted(back.get(i, i) for i in one.ids)))
                by, when = (old.by, old.when) if old is not None else ("", "")
                out.append(Decision(one.code, one.ids, status, reason, by, when))
    return out


def decided_at(path: Path) -> tuple[list[Decision], list[Look]]:
    """The decisions on findings, and what was looked at, of a project's latest revision; none for a model
    file."""
    if not is_project(path):
        return [], []
    try:
        project = Project.open(path, only_read=True)
        try:
            latest = project.revisions()[-1].id
            return project.decision_list(latest), project.looks(latest)
        finally:
            project.close()
    except ProjectError as error:
        raise IntakeError(str(error)) from error


def shared_cases(base: Model, settings: Settings) -> RunSettings:
    """The run's settings for a baseline: of the cases asked for, those that it has."""
    cases = settings.run.cases
    return replace(settings.run, cases=None if cases is None else [c for c in cases if c in base.cases])
