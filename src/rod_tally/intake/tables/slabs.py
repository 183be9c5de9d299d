"""Slabs and walls of a model in tables, what holds their edges and what is tied to them."""

from __future__ import annotations

import numpy as np
from shapely import contains_xy
from shapely.geometry import Polygon

from ...model.entities.log import LogEntry
from ...model.entities.surface import normal_of
from ..source import SourceCurve, SourceEdge, SourceFace, SourceModel, SourceTie
from .rows import YES, condition_of, each, made_of, new_name, one_of, skip, weight_share
from .table import CellError, Table

CLASSES = ("slab", "wall", "plate", "roof", "")
WAYS = ("shell", "two-way", "one-way", "column", "")
TIED = ("end", "member", "surface")
TOUCHES = 0.001  # m


def read_surfaces(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = {c.id for c in source.curves}
    for t, n, row in each(tables, "slabs_and_walls", source, "surface"):
        name = t.text(row, "surface")
        ident = t.text(row, "id") or name
        try:
            new_name(ident, seen, t, n, "surface")
            outline = t.points(n, row, "outline")
            if len(outline) != 1 or len(outline[0]) < 3:
                raise CellError(
                    f"{t.place(n, 'outline')}: one outline of three points at least is needed, 'x y z; x y z; x y z'"
                )
            thickness = t.needed(n, row, "thickness")
            if not 0 < thickness < 1e3:
                raise CellError(f"{t.place(n, 'thickness')}: {thickness:g} m is no thickness")
            _, material = made_of(t, row, source)
            face = SourceFace(ident, name, outline[0], t.points(n, row, "openings"), thickness, material)
            face.cls = one_of(t, n, row, "class", CLASSES)
            face.way = one_of(t, n, row, "carries", WAYS)
            span = t.vector(n, row, "span")
            face.span = None if span is None else (float(span[0]), float(span[1]), float(span[2]))
            face.diaphragm = t.text(row, "stiff_in_plan").lower() in YES
            bed = t.number(n, row, "subgrade") or 0.0
            if bed < 0:
                raise CellError(f"{t.place(n, 'subgrade')}: ground does not pull")
            face.weight_share = weight_share(t, n, row)
            source.faces.append(face)
            if bed:
                source.edges.append(SourceEdge(f"{ident} ground", name, None, bedding=bed, faces=[ident]))
        except CellError as error:
            skip(source, "surface", ident, n, t, error)


def read_edges(tables: dict[str, Table], source: SourceModel) -> None:
    faces = {f.name: f.id for f in source.faces} | {f.id: f.id for f in source.faces}
    for t, n, row in each(tables, "edge_supports", source, "support"):
        name = t.text(row, "surface")
        try:
            if name not in faces:
                raise CellError(f"{t.place(n, 'surface')}: there is no surface {name!r}")
            line = t.points(n, row, "line")
            condition = condition_of(t, n, row)
            if len(line) != 1 or len(line[0]) != 2:
                raise CellError(f"{t.place(n, 'line')}: two points are needed, 'x y z; x y z'")
            if condition is None:
                raise CellError(f"{t.place(n, 'support')}: what is held is needed, such as 'ux uy uz'")
            source.edges.append(
                SourceEdge(f"{faces[name]} edge {n}", name, line[0], condition, faces=[faces[name]])
            )
        except CellError as error:
            skip(source, "support", name, n, t, error)


def read_ties(tables: dict[str, Table], source: SourceModel) -> None:
    """Read what is tied to surfaces: a member's end at a node, a member along a line, another surface along a
    line. Without this table what touches is tied."""
    if "ties" not in tables:
        _touching(source)
        return
    faces = {f.id for f in source.faces}
    for t, n, row in each(tables, "ties", source, ""):
        own = t.text(row, "surface")
        try:
            if own not in faces:
                raise CellError(f"{t.place(n, 'surface')}: there is no surface {own!r}")
            kind = one_of(t, n, row, "to", TIED)
            line = t.points(n, row, "line")
            if len(line) != 1 or len(line[0]) != (1 if kind == "end" else 2):
                raise CellError(
                    f"{t.place(n, 'line')}: {'one point is' if kind == 'end' else 'two points are'} needed"
                )
            distance = t.number(n, row, "distance") or 0.0
            source.ties.append(
                SourceTie(own, kind, t.text(row, "part"), line[0], distance, t.text(row, "node"))
            )
        except CellError as error:
            skip(source, "support", own, n, t, error)


def _touching(source: SourceModel) -> None:
    """Nodes of members in a surface's plane and within its outline are tied to it, and members that lie along
    it."""
    used = {c.point for m in source.curves for c in m.connections}
    points = [p for p in source.points if p.id in used]
    if not source.faces or not points:
        return
    places = np.array([p.point for p in points])
    begins: dict[str, list[SourceCurve]] = {}
    for m in source.curves:
        begins.setdefault(m.connections[0].point, []).append(m)
    count = 0
    for f in source.faces:
        try:
            n = normal_of(f.outer)
        except ValueError:
            continue  # transfer says why it is none
        x = (f.outer[1] - f.outer[0]) / np.linalg.norm(f.outer[1] - f.outer[0])
        axes = np.array([x, np.cross(n, x)])
        shape = Polygon((f.outer - f.outer[0]) @ axes.T).buffer(TOUCHES)
        flat = (places - f.outer[0]) @ axes.T
        near = np.abs((places - f.outer[0]) @ n) <= TOUCHES
        near[near] = contains_xy(shape, flat[near])
        f.points = [points[k].id for k in np.flatnonzero(near)]
        held = set(f.points)
        for m in (m for point in f.points for m in begins.get(point, ())):
            if m.connections[1].point in held:
                source.edges.append(
                    SourceEdge(f"{f.id} along {m.id}", "", m.line, faces=[f.id], curves=[m.id])
                )
                count += 1
        count += len(held)
    if count:
        message = f"there is no table of ties: {count} nodes and members that lie in a surface within {TOUCHES * 1000:g} mm are tied to it"
        source.log.append(LogEntry("guessed", (), message))
