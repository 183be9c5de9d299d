"""The demo project: both revisions of the sail loft, taken in, run and kept in a project file."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path

from ..model import Settings
from ..project import Project
from ..review import review
from ..review.review import read_model
from .loads import demo_loads

REVISIONS = (("Revision A", "tern-quay-a.ifc"), ("Revision B", "tern-quay-b.ifc"))


def make_demo(path: Path) -> Path:
    """Write the demo project to `path` (which must not be there yet) and return it."""
    settings = Settings()
    project = Project.create(path)
    for name, file in REVISIONS:
        with as_file(files("rod_tally.demo") / "data" / file) as source:
            model = read_model(source, settings)
        model.source_file = file
        for edit in demo_loads(model, name == "Revision A"):
            edit.apply(model)
        done = review(model, settings)
        ident = project.add_revision(name, model)
        project.add_run(ident, "Run 1", model, settings, done.results)
    project.save_settings(settings)
    project.close()
    return path
