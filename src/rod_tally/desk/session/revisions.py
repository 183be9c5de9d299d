"""Revisions: taken in from a file, or as a project keeps them with their last runs. No window, no threads."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

from ...analysis import Results
from ...analysis.dynamics.dynamics import Dynamics, dynamics
from ...analysis.results.storeys import storey_rows
from ...checks import Subject, checked
from ...loads import Distribution
from ...model import Model, Settings
from ...progress import Progress
from ...project import Project
from ...project.prints import is_old
from ...project.store import SUFFIX
from ...review import Review
from ...review.following import carried_with_all
from ...review.ranking import ranked
from ...review.tallies.tally import tally
from ...review.work import (
    assess,
    attach_carried,
    attach_comparison,
    check_unrun,
    first_look,
    read_model,
)
from .state import Revision


def load_project(path: Path, progress: Progress) -> tuple[Project, list[Revision], Settings]:
    """A project with the reviews of all its revisions, each by its last run; a revision without one is shown
    and not run."""
    project = Project.open(path)
    settings = project.settings()
    revisions: list[Revision] = []
    for row in project.revisions():
        progress(f"Opening {row.name}", 0.1 + 0.8 * len(revisions) / max(len(project.revisions()), 1))
        model = project.model(row.id)
        runs = project.runs(row.id)
        stale, run_name = False, ""
        kept: Dynamics | None = None
        if runs:
            kept = project.dynamics(runs[-1].id, settings)
            results, run_name = project.results(runs[-1].id), runs[-1].name
            stale = is_old(runs[-1].print, model, settings)
            done = review_of(model, settings, results, stale, kept)
        else:  # taken in and closed before its run had ended
            done = first_look(model, settings)
            done.findings, done.checked = check_unrun(done, progress)
        if revisions:
            attach_comparison(done, revisions[-1].review)
            carried = project.carried(row.id)
            if carried is not None:
                attach_carried(done, carried)
        design = project.design(row.id)
        done.design = design
        if settings.limits:
            done.findings = ranked([*done.findings, *done.over_limits], settings)
        if runs and not stale:
            done.effects = project.effects(row.id, runs[-1].print)
        looks = {x.item: x for x in project.looks(row.id)}
        revisions.append(
            Revision(
                row.id,
                row.name,
                done,
                project.decisions(row.id),
                set(looks),
                looks,
                project.answers(row.id),
                run_name,
                runs[-1].print if runs else "",
                design=design,
            )
        )
    return project, revisions, settings


def data_folder() -> Path:
    return Path(os.environ.get("ROD_TALLY_DATA") or platformdirs.user_data_dir("rod-tally"))


def review_of(
    model: Model, settings: Settings, results: Results, stale: bool, kept: Dynamics | None = None
) -> Review:
    """A review of a run that was kept, with the modes and centres that were kept with it."""
    loads = Distribution(model)
    if stale:
        findings, looked = checked(Subject(model, None, settings, loads))
        done = Review(model, settings, results, findings, tally(model), stale=True, checked=looked)
        done.keep_distribution(loads)
        return done
    own = dynamics(model, results, settings, loads) if kept is None else kept
    return assess(model, settings, results, own, loads)


def unchecked(model: Model, settings: Settings, results: Results, kept: Dynamics | None) -> Review:
    """A run that was kept as one side of a comparison: nothing of it is checked."""
    loads, own = Distribution(model), kept or Dynamics()
    done = Review(
        model, settings, results, [], [], own.modes, storey_rows(model, results, loads), own.centres
    )
    done.keep_distribution(loads)
    return done


def take_in(
    path: Path, project: Project, before: list[Revision], settings: Settings, progress: Progress
) -> Revision:
    """A file as a further revision of a project, kept there, with what was made for the one before carried
    over.

    It is neither checked nor run yet. Raises IntakeError, ProjectError.
    """
    model = read_model(path, settings, progress)
    carried = None
    if before:
        model, carried = carried_with_all(path, before[-1].review.model, model, progress)
    progress("Keeping it", 0.97)
    name = f"Revision {chr(ord('A') + len(before) % 26)}"
    ident = project.add_revision(name, model)
    project.save_settings(settings)
    done = first_look(model, settings)
    done.carried = carried
    if carried is not None and carried.lines:
        project.keep_carried(ident, carried)
    return Revision(ident, name, done)


def new_project(source: Path) -> Project:
    """An empty project in the data folder, named after the source it is for."""
    folder = data_folder() / "projects"
    folder.mkdir(parents=True, exist_ok=True)
    path, n = folder / f"{source.stem}{SUFFIX}", 2
    while path.exists():
        path, n = folder / f"{source.stem} ({n}){SUFFIX}", n + 1
    return Project.create(path)


def take_new(path: Path, settings: Settings, progress: Progress) -> tuple[Project, Revision]:
    """A file as the first revision of a new project; no project is left behind where it cannot be taken
    in."""
    project = new_project(path)
    try:
        return project, take_in(path, project, [], settings, progress)
    except BaseException:
        project.close()
        project.path.unlink(missing_ok=True)
        raise
