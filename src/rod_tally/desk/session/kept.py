"""Reviews of what a project keeps: its revisions with their last runs, and where things lie on this machine."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

from ...analysis import Results
from ...analysis.dynamics.dynamics import Dynamics, dynamics
from ...analysis.results.storeys import storey_rows
from ...checks import Subject, run_checks
from ...loads import Distribution
from ...model import Model, Settings
from ...progress import Progress
from ...project import Project
from ...project.prints import is_old
from ...review import Review
from ...review.tallies.tally import tally
from ...review.work import assess, attach_carried, attach_comparison, check_unrun, first_look
from .state import Revision


def load_project(path: Path, progress: Progress) -> tuple[Project, list[Revision], Settings]:
    """A project with the reviews of all its revisions, each by its last run; a revision without one is shown and not run."""
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
            done.findings = check_unrun(done, progress)[0]
        if revisions:
            attach_comparison(done, revisions[-1].review)
            carried = project.carried(row.id)
            if carried is not None:
                attach_carried(done, carried)
        looks = {x.item: x for x in project.looks(row.id)}
        revisions.append(
            Revision(
                row.id, row.name, done, project.decisions(row.id), set(looks), looks, project.answers(row.id), run_name,
                runs[-1].print if runs else "", design=project.design(row.id),
            )
        )  # fmt: skip
    return project, revisions, settings


def source_of(model: Model) -> Path:
    """The file a model was taken in from; the demo's lie in the package, wherever that is installed."""
    path = Path(model.source_file)
    shipped = Path(__file__).parents[2] / "demo" / "data" / path.name
    return shipped if not path.is_file() and shipped.is_file() else path


def data_folder() -> Path:
    return Path(os.environ.get("ROD_TALLY_DATA") or platformdirs.user_data_dir("rod-tally"))


def review_of(model: Model, settings: Settings, results: Results, stale: bool, kept: Dynamics | None = None) -> Review:
    """A review of a run that was kept, with the modes and centres that were kept with it."""
    loads = Distribution(model)
    if stale:
        findings = run_checks(Subject(model, None, settings, loads))
        done = Review(model, settings, results, findings, tally(model), stale=True)
        done.keep_distribution(loads)
        return done
    own = dynamics(model, results, settings, loads) if kept is None else kept
    return assess(model, settings, results, own, loads)


def unchecked(model: Model, settings: Settings, results: Results, kept: Dynamics | None) -> Review:
    """A run that was kept as one side of a comparison: nothing of it is checked."""
    loads, own = Distribution(model), kept or Dynamics()
    done = Review(model, settings, results, [], [], own.modes, storey_rows(model, results, loads), own.centres)
    done.keep_distribution(loads)
    return done
