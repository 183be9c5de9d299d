"""Bodies of elements as modelling programs draw them, for tests; volumes by the geometry kernel."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import ifcopenshell
import ifcopenshell.geom
import ifcopenshell.util.shape
import numpy as np

from rod_tally.checks import Subject, run_checks
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.model import Finding, Model, Settings
from rod_tally.transfer import transfer

UPRIGHT = np.eye(3)[[2, 0, 1]]  # an element's Z and X as `element` wants them
Build = Callable[[IfcWriter], Any]
Points = Sequence[tuple[float, float]]


def taken_in(tmp_path: Path, build: Build, unit: str = "METRE", schema: str = "IFC4") -> Model:
    """The model of what `build` writes into a file."""
    w = IfcWriter("bodies", schema, unit)
    w.storey("Ground", 0.0)
    build(w)
    w.write(tmp_path / "m.ifc")
    return transfer(read_source(tmp_path / "m.ifc"), Settings().transfer)


def kernel_volumes(path: Path) -> dict[str, float]:
    """Volume of every element with a body, m3, by the library's own kernel, openings cut; of building
    element parts under the id of their whole."""
    file = ifcopenshell.open(str(path))
    settings = ifcopenshell.geom.settings()
    out: dict[str, float] = {}
    for e in file.by_type("IfcElement"):
        if e.Representation is None or e.is_a("IfcOpeningElement"):
            continue
        shape = ifcopenshell.geom.create_shape(settings, e)
        whole = e.Decomposes[0].RelatingObject if e.is_a("IfcBuildingElementPart") else e
        out[whole.GlobalId] = out.get(whole.GlobalId, 0.0) + ifcopenshell.util.shape.get_volume(
            shape.geometry
        )
    return out


def model_volumes(model: Model) -> dict[str, float]:
    """Volume of every element of the model, m3, by the id of its whole."""
    out: dict[str, float] = {}
    for part in model.parts():
        own = model.volume(part) if part.id in model.members else part.volume  # type: ignore[arg-type, union-attr]
        out[part.whole] = out.get(part.whole, 0.0) + own
    return out


def found(model: Model, code: str) -> list[Finding]:
    return [f for f in run_checks(Subject(model)) if f.code == code]


def polygon(w: IfcWriter, outline: Points, voids: Sequence[Points] = (), name: str | None = None) -> Any:
    def curve(points: Points) -> Any:
        return w.file.create_entity("IfcPolyline", [w.point(p) for p in (*points, points[0])])

    if voids:
        inner = [curve(v) for v in voids]
        return w.file.create_entity("IfcArbitraryProfileDefWithVoids", "AREA", name, curve(outline), inner)
    return w.file.create_entity("IfcArbitraryClosedProfileDef", "AREA", name, curve(outline))


def rectangle(x0: float, y0: float, x1: float, y1: float) -> list[tuple[float, float]]:
    return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]


def body(
    w: IfcWriter,
    kind: str,
    items: list[Any],
    axes: Any = UPRIGHT,
    at: Sequence[float] = (0, 0, 0),
    **more: Any,
) -> Any:
    """An element of these solids, its Z along axes[0], its X along axes[1]."""
    return w.element(
        kind, "E", np.array(at, float), np.array(axes), w.shape(items), more.get("material"), "Ground"
    )


def mapped(w: IfcWriter, items: list[Any], scale: float = 1.0, **axes: Any) -> Any:
    rep = w.file.create_entity("IfcShapeRepresentation", w.context, "Body", "SweptSolid", items)
    source = w.file.create_entity("IfcRepresentationMap", w.axes((0, 0, 0)), rep)
    to = w.file.create_entity(
        "IfcCartesianTransformationOperator3D", None, None, w.point((0, 0, 0)), scale, None
    )
    return w.file.create_entity("IfcMappedItem", source, to)


def brep(w: IfcWriter, bottom: Sequence[Sequence[float]], top: Sequence[Sequence[float]]) -> Any:
    """A body between two rings of points, as faces."""
    f = w.file

    def face(points: Sequence[Sequence[float]]) -> Any:
        loop = f.create_entity("IfcPolyLoop", [w.point(p) for p in points])
        return f.create_entity("IfcFace", [f.create_entity("IfcFaceOuterBound", loop, True)])

    n = len(bottom)
    faces = [face(bottom[::-1]), face(top)]
    faces += [face([bottom[k], bottom[(k + 1) % n], top[(k + 1) % n], top[k]]) for k in range(n)]
    return f.create_entity("IfcFacetedBrep", f.create_entity("IfcClosedShell", faces))
