"""Taking a model in: read, joined, carried over, kept; what can be seen of it at once. No window, no threads."""

from __future__ import annotations

from pathlib import Path

from ...compare.carrying.carry import carry_over
from ...model import Settings
from ...progress import Progress
from ...project import Project
from ...project.store import SUFFIX
from ...review.work import first_look, read_model
from .kept import data_folder
from .state import Revision


def take_in(path: Path, project: Project, before: list[Revision], settings: Settings, progress: Progress) -> Revision:
    """A file as a further revision of a project, kept there, with what was made for the one before carried over.

    It is neither checked nor run yet. Raises IntakeError, ProjectError.
    """
    model = read_model(path, settings, progress)
    carried = carry_over(before[-1].review.model, model) if before else None
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
    """A file as the first revision of a new project; no project is left behind where it cannot be taken in."""
    project = new_project(path)
    try:
        return project, take_in(path, project, [], settings, progress)
    except BaseException:
        project.close()
        project.path.unlink(missing_ok=True)
        raise
