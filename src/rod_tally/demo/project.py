"""The demo project: both revisions of the sail loft, taken in, run and kept in a project file."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path

from ..model import Model, Settings
from ..model.edits import SetSpan
from ..project import Project
from ..review import review
from ..review.following import carried_with_all
from ..review.work import read_model
from .elsewhere import write_elsewhere
from .loads import demo_loads, mended_loads

REVISIONS = (("Revision A", "tern-quay-a.ifc"), ("Revision B", "tern-quay-b.ifc"))


def make_demo(path: Path) -> Path:
    """Write the demo project to `path` (which must not be there yet) and return it; results from elsewhere
    beside it."""
    settings = Settings()
    # floors on steel beams hand their loads on; the roof slab and the core carry as shells
    settings.transfer.slabs = "two-way"
    project = Project.create(path)
    base: Model | None = None
    for name, file in REVISIONS:
        with as_file(files("rod_tally.demo") / "data" / file) as source:
            model = read_model(source, settings)
            model.source_file = file
            carried = None
            if base is None:
                roof = [s.id for s in model.surfaces.values() if s.name == "Roof floor"]
                edits = [SetSpan(roof, "shell"), *demo_loads(model)]
            else:
                model, carried = carried_with_all(source, base, model)
                model.source_file = file
                edits = mended_loads()
        for edit in edits:
            edit.apply(model)
        done = review(model, settings)
        ident = project.add_revision(name, model)
        project.add_run(ident, "Run 1", model, settings, done.results, done.dynamics)
        if carried is not None:
            project.keep_carried(ident, carried)
        base = model
    write_elsewhere(done, path.parent)
    project.save_settings(settings)
    project.close()
    return path
