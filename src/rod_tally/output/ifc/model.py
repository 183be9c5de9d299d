"""The model as an IFC4 file, structural analysis domain, whole or not at all."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from ...analysis.results.results import Results
from ...analysis.shells.fields import PlateFields
from ...model import Model
from ...review.review import Review
from ..tables import added_combinations
from ..write import OutputError, write_whole
from .findings import write_findings
from .loads import LoadWriter
from .results import ResultWriter
from .surfaces import Surfaces
from .surroundings import true_north, write_grids, write_groups
from .writer import IfcModelWriter


def write_ifc(
    model: Model,
    path: Path,
    results: Results | None = None,
    fields: PlateFields | None = None,
    reviewed: Review | None = None,
) -> Path:
    """Write the model to an IFC4 file, whole or not at all, with the results of a run where they are given
    (those of combinations where the review's settings want them in tables too), and with the findings and
    decisions of a review. Raises OutputError when it cannot be written.

    Members whose section or material is not known go out without it.
    """
    file = _made(model, results, fields, reviewed)
    try:
        write_whole(path, lambda p: file.write(str(p)))
    except OSError as error:
        raise OutputError(f"{path}: cannot be written to: {error.strerror or error}") from error
    return path


def _made(model: Model, results: Results | None, fields: PlateFields | None, reviewed: Review | None) -> Any:
    """The whole model as an open IFC4 file."""
    w = IfcModelWriter(model)
    f = w.f
    f.header.file_name.name = w.model.name or "model"
    origin = f.create_entity("IfcAxis2Placement3D", w.point(np.zeros(3)), None, None)
    w.context = f.create_entity(
        "IfcGeometricRepresentationContext", None, "Model", 3, 1e-6, origin, true_north(w)
    )
    units = f.create_entity("IfcUnitAssignment", w.units())
    project = w.root("IfcProject", "project", w.model.name or "model")
    project.RepresentationContexts, project.UnitsInContext = [w.context], units
    building = w.root("IfcBuilding", "building", w.model.name or "model")
    w.aggregate("building", project, [building])
    storeys = []
    for k, s in enumerate(w.model.storeys):
        z = s.elevation + float(w.model.origin[2])
        storey = w.root("IfcBuildingStorey", f"storey {k}", s.name)
        storey.Elevation = z
        at = f.create_entity("IfcAxis2Placement3D", w.point(np.array([0.0, 0, z])), None, None)
        storey.ObjectPlacement = f.create_entity("IfcLocalPlacement", None, at)
        storeys.append(storey)
    if storeys:
        w.aggregate("storeys", building, storeys)
    write_grids(w, building)
    for node in w.model.nodes.values():
        w.points[node.id] = w.node(node)
    for member in w.model.members.values():
        w.members[member.id] = w.member(member)
    surfaces = Surfaces(w)
    for surface in w.model.surfaces.values():
        w.surfaces[surface.id] = surfaces.write(surface)
    edges = surfaces.tie()
    analysis = w.root("IfcStructuralAnalysisModel", "analysis", w.model.name or "model")
    analysis.PredefinedType = "LOADING_3D"
    loads = LoadWriter(w)
    groups = [loads.case(case) for case in w.model.cases.values()]
    if groups:
        analysis.LoadedBy = groups
    by_name = dict(zip(w.model.cases, groups))
    # results of combinations that rules made would stand for nothing without them
    made = reviewed.combinations if reviewed is not None and results is not None else w.model.combinations
    by_name = w.combinations(made, by_name) | by_name
    parts = [*w.points.values(), *w.members.values(), *w.surfaces.values(), *edges]
    if parts:
        w.root("IfcRelAssignsToGroup", "parts", None, RelatedObjects=parts, RelatingGroup=analysis)
    w.declare(project, analysis)
    write_groups(w)
    if results is not None and results.cases:  # last, for they carry a fingerprint of all before them
        wanted = reviewed is not None and reviewed.settings.output.combinations
        added = added_combinations(reviewed) if reviewed is not None and wanted else []
        settings = reviewed.settings if reviewed is not None else None
        analysis.HasResults = ResultWriter(w, results, fields, settings).groups(by_name, added)
    if reviewed is not None:
        write_findings(w, reviewed, building)
    return f
