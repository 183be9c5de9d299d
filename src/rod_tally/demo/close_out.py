"""The demo's revision A, closed out: its faults corrected, every finding decided with a reason, every item
looked at. What the example report is made of."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path

from ..model import FIXED, Finding, Model, Settings
from ..model.edits import (
    DeleteMembers,
    Edit,
    JoinEnd,
    MapProfile,
    ScaleCase,
    SetSpan,
    SetSupport,
)
from ..project import Project
from ..review import STEPS, Review, review
from ..review.steps import items_of
from ..review.work import read_model
from .loads import demo_loads
from .project import REVISIONS

REVIEWER = "A. Reviewer"
REASONS = {
    "displacement.large": "the hoist's beam is a cantilever until its frame is built; the fitter holds it",
    "join.loose_end": "the hoist's beam cantilevers on purpose",
    "load.jump": "an opening, or no panel, beside one of the two",
    "load.magnitude": "cradles, not goods in racks: 2 kN/m2 as the yard stated",
    "load.uncarried": "what of the cradles stands past the floor's edge stands on the quay wall, which is no part of this building",
    "material": "the grade's values are those of the standard",
    "mesh.poor": "the slivers lie at the ends of beams; moments there were read by eye",
    "response.mass": "no seismic action on this site; the modes are for vibration alone",
    "response.torsion": "the core stands at one end; wind was taken with its eccentricity",
    "source.moved": "axes of beams meet at the columns' axes, as the connections do",
    "source.surfaces": "floors on steel beams hand their loads on",
}
OTHERWISE = "seen, and of no consequence here"


def close_out(path: Path) -> Path:
    """Write a project (which must not be there yet) with revision A corrected, run, decided and looked at,
    and return it."""
    settings = Settings()
    settings.transfer.slabs = "two-way"
    settings.report.project, settings.report.reviewer = "Tern Quay sail loft", REVIEWER
    name, file = REVISIONS[0]
    with as_file(files("rod_tally.demo") / "data" / file) as source:
        model = read_model(source, settings)
    model.source_file = file
    roof = [s.id for s in model.surfaces.values() if s.name == "Roof floor"]
    for edit in (SetSpan(roof, "shell"), *demo_loads(model)):
        edit.apply(model)
    found = review(model, settings)
    corrected: dict[str, tuple[str, str]] = {}
    for finding in found.findings:
        edits = corrections(model, finding)
        for edit in edits:
            edit.apply(model)
        if edits:
            corrected |= dict.fromkeys(finding.keys, ("corrected", "; ".join(e.text for e in edits)))
    done = review(model, settings)
    project = Project.create(path)
    try:
        ident = project.add_revision(name, model)
        project.add_run(ident, "Run 1", model, settings, done.results, done.dynamics)
        project.decide_all(ident, corrected | decisions(done), REVIEWER)
        for step in STEPS:
            for item in items_of(step, model):
                project.look(ident, f"{step.name}/{item.title}", True, REVIEWER, step.overlay)
        project.save_settings(settings)
    finally:
        project.close()
    return path


def corrections(model: Model, finding: Finding) -> list[Edit]:
    """Return what mends one of the demo's faults; [] for what is accepted."""
    ids = [i for i in finding.ids if i in model.members]
    if finding.code == "join.duplicate":
        return [DeleteMembers([i for i in ids if model.members[i].name.endswith("bis")])]
    if finding.code == "join.gap" and finding.at is not None and len(ids) == 2:
        line = model.line(model.members[ids[0]])
        return [
            JoinEnd(ids[0], bool(abs(line[1] - finding.at).sum() < abs(line[0] - finding.at).sum()), ids[1])
        ]
    if finding.code == "section.unknown":
        return [MapProfile(model.members[ids[0]].section, "IPE 220")]
    if finding.code == "support.base_free":
        m = model.members[ids[0]]
        start, end = model.line(m)
        return [SetSupport([m.start if start[2] < end[2] else m.end], FIXED)]
    if finding.code == "load.direction":
        return [ScaleCase(finding.ids[0], -1.0)]
    if finding.code == "load.magnitude" and finding.ids[0] == "Roofing":
        return [ScaleCase("Roofing", 1000.0)]
    return []


def decisions(done: Review) -> dict[str, tuple[str, str]]:
    """An acceptance with its reason for each finding that is left."""
    out: dict[str, tuple[str, str]] = {}
    for f in done.findings:
        reason = REASONS.get(f.code) or REASONS.get(f.code.split(".")[0]) or OTHERWISE
        out |= dict.fromkeys(f.keys, ("accepted", reason))
    return out
