"""Levels, nodes, sections, materials and members of a model in tables."""

from __future__ import annotations

from math import inf

import numpy as np

from ...model import Release, Storey
from ...model.geometry.vectors import Array
from ..source import (
    SourceCondition,
    SourceConnection,
    SourceCurve,
    SourceMaterial,
    SourceModel,
    SourcePoint,
    SourceProfile,
)
from .rows import condition_of, each, made_of, new_name, one_of, skip, weight_share
from .table import CellError, Table

CLASSES = ("beam", "column", "brace", "member")
ACTS = ("tension", "compression", "")
WHOLE = {"area", "iy", "iz", "j"}  # what makes a section that is not worked out from an outline


def read_levels(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in each(tables, "levels", source, ""):
        try:
            new_name(t.text(row, "level"), seen, t, n, "level")
            source.storeys.append(Storey(t.text(row, "level"), t.needed(n, row, "elevation")))
        except CellError as error:
            skip(source, "line", t.text(row, "level"), n, t, error)
    source.storeys.sort(key=lambda s: s.elevation)


def read_nodes(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in each(tables, "nodes", source, "node"):
        ident = t.text(row, "node")
        try:
            new_name(ident, seen, t, n, "node")
            point = np.array([t.needed(n, row, c) for c in "xyz"])
        except CellError as error:
            skip(source, "node", ident, n, t, error)
            continue
        condition = None
        source.counts["support"] = source.counts.get("support", 0) + bool(t.text(row, "support"))
        try:
            condition = condition_of(t, n, row)
        except CellError as error:  # the node stays: members end there
            skip(source, "support", ident, n, t, error)
        source.points.append(SourcePoint(ident, ident, point, condition))


def read_sections(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in each(tables, "sections", source, ""):
        name = t.text(row, "section")
        try:
            new_name(name, seen, t, n, "section")
            values = {k: t.number(n, row, k) for k in ("area", "iy", "iz", "iyz", "j", "avy", "avz")}
            outline, voids = t.points(n, row, "outline", 2), t.points(n, row, "voids", 2)
            rings = [[(float(y), float(z)) for y, z in ring] for ring in (*outline, *voids)]
            shape = t.text(row, "shape") or ("values" if not outline else "arbitrary")
            stated = {k: v for k, v in values.items() if v is not None}
            source.profiles[name] = SourceProfile(
                name,
                shape if set(stated) >= WHOLE else "values",
                outer=rings[0] if outline else [],
                voids=rings[1:] if outline else [],
                values=stated,
                whole=set(stated) >= WHOLE and min(stated["area"], stated["iy"], stated["iz"]) > 0,
            )
        except CellError as error:
            skip(source, "line", name, n, t, error)


def read_materials(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in each(tables, "materials", source, ""):
        name = t.text(row, "material")
        try:
            new_name(name, seen, t, n, "material")
            e, g, nu, density, strength, alpha = (
                t.number(n, row, k) for k in ("e", "g", "poisson", "density", "strength", "alpha")
            )
            source.materials[name] = SourceMaterial(
                name, t.text(row, "category"), e, g, nu, density, strength, alpha, t.text(row, "grade")
            )
        except CellError as error:
            skip(source, "line", name, n, t, error)


def read_members(tables: dict[str, Table], source: SourceModel) -> None:
    points = {p.id: p.point for p in source.points}
    seen: set[str] = set()
    for t, n, row in each(tables, "members", source, "member"):
        name = t.text(row, "member")
        ident = t.text(row, "id") or name
        try:
            new_name(ident, seen, t, n, "member")
            ends = [_node(t, n, row, c, points) for c in ("start_node", "end_node")]
            offsets = [t.vector(n, row, c) for c in ("offset_start", "offset_end")]
            line = np.array([points[e] + (o if o is not None else 0.0) for e, o in zip(ends, offsets)])
            length = float(np.linalg.norm(line[1] - line[0]))
            if length < 1e-6:
                raise CellError(f"table members, row {n}: it has no length ({length * 1000:.3g} mm)")
            curve = SourceCurve(
                ident,
                name,
                line,
                t.vector(n, row, "z_axis"),
                "",
                "",
                cls=one_of(t, n, row, "class", (*CLASSES, "")),
            )
            curve.cls = "" if curve.cls == "member" else curve.cls
            curve.profile, curve.material = made_of(t, row, source)
            for e, o, c in zip(ends, offsets, ("release_start", "release_end")):
                curve.connections.append(
                    SourceConnection(e, _release(t, n, row, c), o if o is not None else np.zeros(3))
                )
            for inner in t.text(row, "inner_nodes").split():
                if inner not in points:
                    raise CellError(f"{t.place(n, 'inner_nodes')}: there is no node {inner!r}")
                curve.connections.append(SourceConnection(inner))
            acts = one_of(t, n, row, "acts_in", ACTS)
            curve.weight_share = weight_share(t, n, row)
            source.curves.append(curve)
            if acts:
                source.one_way[ident] = acts
        except CellError as error:
            skip(source, "member", ident, n, t, error)


def _release(t: Table, n: int, row: list[str], column: str) -> SourceCondition | None:
    words = t.text(row, column)
    if not words:
        return None
    try:
        stiffness = Release.of(words).stiffness
    except ValueError as error:
        raise CellError(f"{t.place(n, column)}: {error}") from None
    if not all(0 <= k <= inf for k in stiffness):
        raise CellError(f"{t.place(n, column)}: a spring has a stiffness above zero")
    return SourceCondition(stiffness)


def _node(t: Table, n: int, row: list[str], column: str, points: dict[str, Array]) -> str:
    ident = t.text(row, column)
    if ident not in points:
        raise CellError(f"{t.place(n, column)}: there is no node {ident!r}")
    return ident
