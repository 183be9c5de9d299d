"""A model from tables: nodes, members, sections, materials, surfaces, supports, cases, loads and combinations.

A workbook (.xlsx) with a sheet for each, or CSV files in one folder, of which `nodes.csv` or `members.csv` is named. Units stand in the headings,
`x [mm]`; without one a column is SI. The tables `nodes` and `members` that a review writes are of this form.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from math import inf
from pathlib import Path

import numpy as np
from shapely import contains_xy
from shapely.geometry import Polygon

from ...model import Release, Storey, Support
from ...model.entities.loads import CATEGORIES, KINDS
from ...model.entities.log import LogEntry, Skipped
from ...model.entities.structure import SUPPORT_WORDS
from ...model.entities.surface import normal_of
from ...model.geometry.vectors import Array
from ..readers import IntakeError, Progress, silent
from ..sheets import Rows, csv_rows, sheet_rows, workbook
from ..source import (
    SourceCase,
    SourceCombination,
    SourceCondition,
    SourceConnection,
    SourceCurve,
    SourceEdge,
    SourceFace,
    SourceMaterial,
    SourceModel,
    SourcePoint,
    SourceProfile,
    SourceTie,
)
from .columns import LOADS, TABLES
from .table import CellError, Table

SUFFIXES = (".xlsx", ".csv")
CLASSES = ("beam", "column", "brace", "member")
SURFACE_CLASSES = ("slab", "wall", "plate", "roof", "")
WAYS = ("shell", "two-way", "one-way", "column", "")
ACTS = ("tension", "compression", "")
TIED = ("end", "member", "surface")
TOUCHES = 0.001  # m
WHOLE = {"area", "iy", "iz", "j"}  # what makes a section that is not worked out from an outline
YES = ("yes", "true", "1", "x")


def read(path: Path, progress: Progress = silent) -> SourceModel:
    """The tables of a workbook, or those beside a CSV file. A row that cannot be read is left out with its reason. Raises
    IntakeError where there is no table of nodes, or a table cannot be read at all."""
    progress("Reading tables", 0.0)
    found = _workbook_tables(path) if path.suffix.lower() == ".xlsx" else _csv_tables(path)
    others = found.pop("", ("", []))[1]
    if "nodes" not in found and "slabs_and_walls" not in found:
        raise IntakeError(
            f"{path}: holds no table of nodes or slabs_and_walls; a model needs nodes and members, or surfaces"
        )
    units = {"tables": "as their headings say, SI where they do not"}
    source = SourceModel(str(path), "tables", "analytical", units)
    if others:
        names = ", ".join(row[0] for row in others[:10])
        message = f"not read: {names}, none of the tables of a model ({', '.join((*TABLES, LOADS))})"
        source.log.append(LogEntry("skipped", (names,), message))
    tables = {n: Table(n, where, rows) for n, (where, rows) in found.items() if n != LOADS}
    _levels(tables, source)
    _nodes(tables, source)
    _sections(tables, source)
    _materials(tables, source)
    _members(tables, source)
    _surfaces(tables, source)
    _edges(tables, source)
    _ties(tables, source)
    _cases(tables, source)
    if LOADS in found:
        where, rows = found[LOADS]
        source.load_table = "\n".join("\t".join(re.sub(r"\s+", " ", c) for c in row) for row in rows)
        source.counts["action"] = sum(any(c.strip() for c in row) for row in rows[1:])
        _untold_cases(rows, source)
    _combinations(tables, source)  # of cases that loads alone name too
    if not source.curves and not source.faces:
        raise IntakeError(f"{path}: none of its rows gives a member or a surface")
    return source


def files_of(path: Path) -> list[Path]:
    """The files that a model is read from: of a CSV file those beside it too that are tables of a model."""
    if path.suffix.lower() != ".csv":
        return [path]
    return [path, *(p for p in sorted(path.parent.glob("*.csv")) if _name(p.stem) in (*TABLES, LOADS) and p != path)]


def _name(said: str) -> str:
    return re.sub(r"[\s-]+", "_", said.strip().lower())


def _csv_tables(path: Path) -> dict[str, tuple[str, Rows]]:
    """Tables by name, and under "" the names of what is none of them."""
    if _name(path.stem) not in (*TABLES, LOADS):
        raise IntakeError(f"{path}: is none of the tables of a model; they are {', '.join((*TABLES, LOADS))}")
    out = {_name(p.stem): (str(p), csv_rows(p)) for p in files_of(path)}
    known = (*TABLES, LOADS)
    others = [[p.name] for p in sorted(path.parent.glob("*.csv")) if _name(p.stem) not in known]
    return out | ({"": (str(path), others)} if others else {})


def _workbook_tables(path: Path) -> dict[str, tuple[str, Rows]]:
    """Tables by name, and under "" the names of what is none of them."""
    book = workbook(path)
    out: dict[str, tuple[str, Rows]] = {}
    for sheet in book.sheetnames:
        name = _name(sheet)
        if name in out:
            raise IntakeError(f"{path}: holds two sheets {name}; leave one out")
        rows = sheet_rows(book[sheet])
        if name in (*TABLES, LOADS):
            out[name] = f"{path}, sheet {sheet}", rows
        elif any(c.strip() for row in rows for c in row):
            out.setdefault("", (str(path), []))[1].append([f"sheet {sheet}"])
    book.close()
    return out


def _each(
    tables: dict[str, Table], name: str, source: SourceModel, cls: str, key: str
) -> Iterator[tuple[Table, int, list[str]]]:
    """Rows of a table; what the loop's body finds wrong is put in `source.skipped` by `_skip`."""
    table = tables.get(name)
    if table is None:
        return
    for n, row in table.rows:
        if cls:
            source.counts[cls] = source.counts.get(cls, 0) + 1
        yield table, n, row


def _skip(source: SourceModel, cls: str, ident: str, n: int, table: Table, error: Exception) -> None:
    source.skipped.append(Skipped(cls, ident or f"{table.name} row {n}", str(error), ident, cls.capitalize()))


def _levels(tables: dict[str, Table], source: SourceModel) -> None:
    for t, n, row in _each(tables, "levels", source, "", "level"):
        try:
            source.storeys.append(Storey(t.text(row, "level"), t.needed(n, row, "elevation")))
        except CellError as error:
            _skip(source, "line", t.text(row, "level"), n, t, error)
    source.storeys.sort(key=lambda s: s.elevation)


def _nodes(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in _each(tables, "nodes", source, "node", "node"):
        ident = t.text(row, "node")
        try:
            _new(ident, seen, t, n, "node")
            point = np.array([t.needed(n, row, c) for c in "xyz"])
        except CellError as error:
            _skip(source, "node", ident, n, t, error)
            continue
        condition = None
        source.counts["support"] = source.counts.get("support", 0) + bool(t.text(row, "support"))
        try:
            condition = _condition(t, n, row)
        except CellError as error:  # the node stays: members end there
            _skip(source, "support", ident, n, t, error)
        source.points.append(SourcePoint(ident, ident, point, condition))


def _new(ident: str, seen: set[str], t: Table, n: int, column: str) -> None:
    if not ident:
        raise CellError(f"{t.place(n, column)}: a name is needed")
    if ident in seen:
        raise CellError(f"{t.place(n, column)}: {ident!r} is there twice")
    seen.add(ident)


def _condition(t: Table, n: int, row: list[str]) -> SourceCondition | None:
    words = t.text(row, "support")
    words = SUPPORT_WORDS.get(words.lower(), words)
    if not words:
        return None
    try:
        support = Support.of(words)
    except ValueError as error:
        raise CellError(f"{t.place(n, 'support')}: {error}") from None
    if not all(k >= 0 for k in support.stiffness):
        raise CellError(f"{t.place(n, 'support')}: a spring has a stiffness above zero")
    axes = t.vector(n, row, "support_axes", 9)
    own = tuple(tuple(float(v) for v in r) for r in axes.reshape(3, 3)) if axes is not None else None
    return SourceCondition(support.stiffness, own)  # type: ignore[arg-type]


def _sections(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in _each(tables, "sections", source, "", "section"):
        name = t.text(row, "section")
        try:
            _new(name, seen, t, n, "section")
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
            _skip(source, "line", name, n, t, error)


def _materials(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in _each(tables, "materials", source, "", "material"):
        name = t.text(row, "material")
        try:
            _new(name, seen, t, n, "material")
            e, g, nu, density, strength, alpha = (
                t.number(n, row, k) for k in ("e", "g", "poisson", "density", "strength", "alpha")
            )
            source.materials[name] = SourceMaterial(
                name, t.text(row, "category"), e, g, nu, density, strength, alpha, t.text(row, "grade")
            )
        except CellError as error:
            _skip(source, "line", name, n, t, error)


def _members(tables: dict[str, Table], source: SourceModel) -> None:
    points = {p.id: p.point for p in source.points}
    seen: set[str] = set()
    for t, n, row in _each(tables, "members", source, "member", "member"):
        name = t.text(row, "member")
        ident = t.text(row, "id") or name
        try:
            _new(ident, seen, t, n, "member")
            ends = [_node(t, n, row, c, points) for c in ("start_node", "end_node")]
            offsets = [t.vector(n, row, c) for c in ("offset_start", "offset_end")]
            line = np.array([points[e] + (o if o is not None else 0.0) for e, o in zip(ends, offsets)])
            length = float(np.linalg.norm(line[1] - line[0]))
            if length < 1e-6:
                raise CellError(f"table members, row {n}: it has no length ({length * 1000:.3g} mm)")
            curve = SourceCurve(
                ident, name, line, t.vector(n, row, "z_axis"), "", "", cls=_one_of(t, n, row, "class", (*CLASSES, ""))
            )
            curve.cls = "" if curve.cls == "member" else curve.cls
            curve.profile, curve.material = _made_of(t, row, source)
            for e, o, c in zip(ends, offsets, ("release_start", "release_end")):
                curve.connections.append(
                    SourceConnection(e, _release(t, n, row, c), o if o is not None else np.zeros(3))
                )
            for inner in t.text(row, "inner_nodes").split():
                if inner not in points:
                    raise CellError(f"{t.place(n, 'inner_nodes')}: there is no node {inner!r}")
                curve.connections.append(SourceConnection(inner))
            acts = _one_of(t, n, row, "acts_in", ACTS)
            source.curves.append(curve)
            if acts:
                source.one_way[ident] = acts
        except CellError as error:
            _skip(source, "member", ident, n, t, error)


def _node(t: Table, n: int, row: list[str], column: str, points: dict[str, Array]) -> str:
    ident = t.text(row, column)
    if ident not in points:
        raise CellError(f"{t.place(n, column)}: there is no node {ident!r}")
    return ident


def _one_of(t: Table, n: int, row: list[str], column: str, known: tuple[str, ...]) -> str:
    word = t.text(row, column).lower()
    if word not in known:
        raise CellError(f"{t.place(n, column)}: {word!r} is none of {', '.join(k for k in known if k)}")
    return word


def _made_of(t: Table, row: list[str], source: SourceModel) -> tuple[str, str]:
    """Section and material by name; one that its own table does not describe is taken by its name, as from any source."""
    section, material = t.text(row, "section"), t.text(row, "material")
    if section and section not in source.profiles:
        source.profiles[section] = SourceProfile(section, reason="the table of sections does not hold it")
    if material and material not in source.materials:
        source.materials[material] = SourceMaterial(material)
    return section, material


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


def _surfaces(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = {c.id for c in source.curves}
    for t, n, row in _each(tables, "slabs_and_walls", source, "surface", "surface"):
        name = t.text(row, "surface")
        ident = t.text(row, "id") or name
        try:
            _new(ident, seen, t, n, "surface")
            outline = t.points(n, row, "outline")
            if len(outline) != 1 or len(outline[0]) < 3:
                raise CellError(
                    f"{t.place(n, 'outline')}: one outline of three points at least is needed, 'x y z; x y z; x y z'"
                )
            thickness = t.needed(n, row, "thickness")
            if not 0 < thickness < 1e3:
                raise CellError(f"{t.place(n, 'thickness')}: {thickness:g} m is no thickness")
            _, material = _made_of(t, row, source)
            face = SourceFace(ident, name, outline[0], t.points(n, row, "openings"), thickness, material)
            face.cls = _one_of(t, n, row, "class", SURFACE_CLASSES)
            face.way = _one_of(t, n, row, "carries", WAYS)
            span = t.vector(n, row, "span")
            face.span = None if span is None else (float(span[0]), float(span[1]), float(span[2]))
            face.diaphragm = t.text(row, "stiff_in_plan").lower() in YES
            bed = t.number(n, row, "subgrade") or 0.0
            if bed < 0:
                raise CellError(f"{t.place(n, 'subgrade')}: ground does not pull")
            source.faces.append(face)
            if bed:
                source.edges.append(SourceEdge(f"{ident} ground", name, None, bedding=bed, faces=[ident]))
        except CellError as error:
            _skip(source, "surface", ident, n, t, error)


def _edges(tables: dict[str, Table], source: SourceModel) -> None:
    faces = {f.name: f.id for f in source.faces} | {f.id: f.id for f in source.faces}
    for t, n, row in _each(tables, "edge_supports", source, "support", "surface"):
        name = t.text(row, "surface")
        try:
            if name not in faces:
                raise CellError(f"{t.place(n, 'surface')}: there is no surface {name!r}")
            line = t.points(n, row, "line")
            condition = _condition(t, n, row)
            if len(line) != 1 or len(line[0]) != 2:
                raise CellError(f"{t.place(n, 'line')}: two points are needed, 'x y z; x y z'")
            if condition is None:
                raise CellError(f"{t.place(n, 'support')}: what is held is needed, such as 'ux uy uz'")
            source.edges.append(SourceEdge(f"{faces[name]} edge {n}", name, line[0], condition, faces=[faces[name]]))
        except CellError as error:
            _skip(source, "support", name, n, t, error)


def _ties(tables: dict[str, Table], source: SourceModel) -> None:
    """What is tied to surfaces: a member's end at a node, a member along a line, another surface along a line. Without this table what
    touches is tied."""
    if "ties" not in tables:
        _touching(source)
        return
    faces = {f.id for f in source.faces}
    for t, n, row in _each(tables, "ties", source, "", "surface"):
        own = t.text(row, "surface")
        try:
            if own not in faces:
                raise CellError(f"{t.place(n, 'surface')}: there is no surface {own!r}")
            kind = _one_of(t, n, row, "to", TIED)
            line = t.points(n, row, "line")
            if len(line) != 1 or len(line[0]) != (1 if kind == "end" else 2):
                raise CellError(f"{t.place(n, 'line')}: {'one point is' if kind == 'end' else 'two points are'} needed")
            distance = t.number(n, row, "distance") or 0.0
            source.ties.append(SourceTie(own, kind, t.text(row, "part"), line[0], distance, t.text(row, "node")))
        except CellError as error:
            _skip(source, "support", own, n, t, error)


def _touching(source: SourceModel) -> None:
    """Nodes of members in a surface's plane and within its outline are tied to it, and members that lie along it."""
    used = {c.point for m in source.curves for c in m.connections}
    points = [p for p in source.points if p.id in used]
    if not source.faces or not points:
        return
    places = np.array([p.point for p in points])
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
        for m in source.curves:
            ends = [c.point for c in m.connections[:2]]
            if held.issuperset(ends):
                source.edges.append(SourceEdge(f"{f.id} along {m.id}", "", m.line, faces=[f.id], curves=[m.id]))
                count += 1
        count += len(held)
    if count:
        message = f"there is no table of ties: {count} nodes and members that lie in a surface within {TOUCHES * 1000:g} mm are tied to it"
        source.log.append(LogEntry("guessed", (), message))


def _cases(tables: dict[str, Table], source: SourceModel) -> None:
    seen: set[str] = set()
    for t, n, row in _each(tables, "cases", source, "load_case", "case"):
        name = t.text(row, "case")
        try:
            _new(name, seen, t, n, "case")
            kind = _one_of(t, n, row, "kind", (*KINDS, ""))
            category = t.text(row, "category").upper()
            if category and category not in CATEGORIES:
                raise CellError(f"{t.place(n, 'category')}: {category!r} is none of {', '.join(CATEGORIES)}")
            weight = t.text(row, "self_weight").lower()
            vector = (0.0, 0.0, -1.0) if weight in YES else (0.0, 0.0, 0.0)
            if weight and weight not in (*YES, "no", "false", "0"):
                found = t.vector(n, row, "self_weight")
                assert found is not None
                vector = (float(found[0]), float(found[1]), float(found[2]))
            source.cases.append(SourceCase(name, name, kind, vector, category, t.text(row, "together")))
        except CellError as error:
            _skip(source, "action", name, n, t, error)


def _untold_cases(rows: Rows, source: SourceModel) -> None:
    """Cases that loads name and no table describes: without a kind, which a check reports."""
    head = [re.sub(r"\[.*\]", "", c).strip().lower() for c in rows[0]] if rows else []
    at = head.index("case") if "case" in head else len(head)
    known = {c.name for c in source.cases}
    for row in rows[1:]:
        name = row[at].strip() if at < len(row) else ""
        if name and name not in known:
            known.add(name)
            source.cases.append(SourceCase(name, name))
    source.counts["load_case"] = len(source.cases)


def _combinations(tables: dict[str, Table], source: SourceModel) -> None:
    known = {c.name for c in source.cases}
    found: dict[str, SourceCombination] = {}
    lost: set[str] = set()
    for t, n, row in _each(tables, "combinations", source, "", "combination"):
        name = t.text(row, "combination")
        try:
            case = t.text(row, "case")
            if case not in known:
                raise CellError(f"{t.place(n, 'case')}: there is no load case {case!r}")
            factor = t.needed(n, row, "factor")
            own = found.setdefault(name, SourceCombination(name, t.text(row, "kind"), {}))
            own.factors[case] = own.factors.get(case, 0.0) + factor
        except CellError as error:
            lost.add(name)
            _skip(source, "action", name, n, t, error)
    # one that lacks a case is another combination
    source.combinations += [c for name, c in found.items() if name not in lost]
    for name in sorted(lost & set(found)):
        source.log.append(
            LogEntry("skipped", (name,), f"combination {name} is left out, for one of its rows cannot be read")
        )
