"""Reviewing by path, whatever the path is: a model file or a project."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from ..intake import IntakeError
from ..model import Model, Settings
from ..model.settings import RunSettings
from ..review.review import Progress, Review, attach_comparison, read_model, review, run_only, silent
from .store import SUFFIX, Project, ProjectError


def model_at(path: Path, settings: Settings, progress: Progress = silent) -> Model:
    """The model of a file: of a project, its latest revision. Raises IntakeError."""
    if path.suffix.lower() != SUFFIX or path.is_dir():
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


def review_path(path: Path, settings: Settings, against: Path | None = None, progress: Progress = silent) -> Review:
    """Review a model file or a project, against another if one is given. Raises IntakeError, AnalysisError."""
    done = review(model_at(path, settings, progress), settings, progress)
    if against is not None:
        base = model_at(against, settings, progress)
        own = replace(settings, run=shared_cases(base, settings))
        attach_comparison(done, run_only(base, own, progress))
    return done


def shared_cases(base: Model, settings: Settings) -> RunSettings:
    """The run's settings for a baseline: of the cases asked for, those that it has."""
    cases = settings.run.cases
    return replace(settings.run, cases=None if cases is None else [c for c in cases if c in base.cases])
