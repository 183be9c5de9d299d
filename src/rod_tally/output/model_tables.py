"""A model as tables, in SI, that intake reads back: a workbook, or CSV files in a folder."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Sequence
from functools import partial
from pathlib import Path

import numpy as np

from ..intake.tables.columns import LOADS, SI, TABLES
from ..model import LoadCase, Model, Section, Surface
from ..model.entities.loads import AreaLoad, SpaceLoad
from ..model.geometry.vectors import Array
from .spreadsheet import save_sheets
from .write import OutputError, write_whole

Rows = list[list[object]]
LOAD_COLUMNS = {
    "case": "",
    "kind": "",
    "on": "",
    "name": "",
    "a": "m",
    "b": "m",
    "fx": "N",
    "fy": "N",
    "fz": "N",
    "fx2": "N",
    "fy2": "N",
    "fz2": "N",
    "fx3": "N",
    "fy3": "N",
    "fz3": "N",
    "mx": "N m",
    "my": "N m",
    "mz": "N m",
    "axes": "",
    "projected": "",
    "outline": "m",
    "at": "m",
    "span": "",
    "uniform": "K",
    "grad y": "K/m",
    "grad z": "K/m",
}


def write_model_tables(model: Model, path: Path) -> tuple[Path, list[str]]:
    """Write a model to a workbook (a name that ends with .xlsx) or to CSV files in a folder. Returns where,
    and what of the model tables do not hold, in words. Raises OutputError."""
    sheets = model_tables(model)
    if path.suffix.lower() == ".xlsx":
        save_sheets(path, sheets)
    else:
        try:
            path.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise OutputError(f"{path}: cannot be written: {error.strerror or error}") from error
        for name, (head, rows) in sheets.items():
            write_whole(path / f"{name}.csv", partial(_csv, head, rows))
    return path, not_held(model)


def _csv(head: list[str], rows: Rows, target: Path) -> None:
    with target.open("w", encoding="utf-8", newline="") as f:
        writer = csv.writer(f)
        writer.writerow(head)
        writer.writerows([["" if v is None else v for v in row] for row in rows])


def model_tables(model: Model) -> dict[str, tuple[list[str], Rows]]:
    """Headings with units and rows of each table; tables without rows are left out."""
    found: dict[str, Rows] = {
        "nodes": [
            [
                n.id,
                *_numbers(n.point + model.origin),
                n.support.words,
                _axes(n.support.axes if n.support.any else None),
            ]
            for n in model.nodes.values()
        ],
        "members": _members(model),
        "sections": [_section(key, s) for key, s in model.sections.items() if s.usable],
        "materials": [
            [key, m.kind, "", m.E, m.G, m.poisson, m.density, m.strength, m.alpha]
            for key, m in model.materials.items()
        ],
        "slabs_and_walls": [_surface(model, s) for s in model.surfaces.values()],
        "edge_supports": [
            [s.id, _ring(e.line + model.origin), e.support.words, _axes(e.support.axes)]
            for s in model.surfaces.values()
            for e in s.supports
        ],
        "ties": [
            [s.id, j.kind, j.other, j.node, _ring(j.line + model.origin), j.distance or None]
            for s in model.surfaces.values()
            for j in s.joints
        ],
        "levels": [[s.name, s.elevation + float(model.origin[2])] for s in model.storeys],
        "cases": [
            [c.name, c.kind, c.category, c.together, _vector(c.self_weight) if any(c.self_weight) else ""]
            for c in model.cases.values()
            if c.spectrum is None
        ],
        "combinations": [
            [c.name, c.kind, n, f] for c in model.combinations if not c.roots for n, f in c.factors.items()
        ],
    }
    out = {name: (_headings(name), rows) for name, rows in found.items() if rows}
    loads = [row for c in model.cases.values() for row in _loads(model, c)]
    if loads:
        heads = [f"{name} [{unit}]" if unit else name for name, unit in LOAD_COLUMNS.items()]
        out[LOADS] = heads, [[row.get(name) for name in LOAD_COLUMNS] for row in loads]
    return out


def not_held(model: Model) -> list[str]:
    """Return what tables do not hold of a model, in words."""
    out = []
    spectra = [c.name for c in model.cases.values() if c.spectrum is not None]
    if spectra:
        out.append(f"response spectra: {', '.join(spectra)}")
    roots = sum(1 for c in model.combinations if c.roots)
    if roots:
        out.append(f"{roots} combinations by the root of squares")
    if model.cuts:
        out.append(f"{len(model.cuts)} cuts")
    if model.groups:
        out.append(f"{len(model.groups)} groups")
    if model.grids:
        out.append(f"{len(model.grids)} grid lines")
    turned = sum(1 for s in model.surfaces.values() if s.x_axis is not None or s.flipped)
    if turned:
        out.append(f"turned axes of {turned} surfaces")
    sized = sum(1 for s in model.surfaces.values() if s.mesh_size is not None)
    if sized:
        out.append(f"element sizes of {sized} surfaces")
    tapers = sum(1 for s in model.sections.values() if s.end is not None)
    if tapers:
        out.append(f"the ends of {tapers} sections that taper")
    if model.lifting:
        out.append(f"{len(model.lifting)} supports that can lift off")
    zones = sum(len(s.beds) for s in model.surfaces.values())
    if zones:
        out.append(f"{zones} zones of the ground")
    if model.standing or model.leaning:
        out.append(f"joints that only press of {len(set(model.standing) | set(model.leaning))} walls")
    if model.limits or model.bearing:
        out.append(f"what {len(model.limits) + len(model.bearing)} one-way parts bear at most")
    return out


def _headings(name: str) -> list[str]:
    return [f"{c} [{SI[d]}]" if d in SI else c for c, d in TABLES[name].items()]


def _numbers(v: Iterable[float]) -> list[float]:
    return [float(x) + 0.0 for x in v]


def _vector(v: Iterable[float]) -> str:
    return " ".join(repr(x) for x in _numbers(v))


def _ring(points: Array) -> str:
    return "; ".join(_vector(p) for p in points)


def _axes(axes: Sequence[Sequence[float]] | None) -> str:
    return "" if axes is None else _vector(np.array(axes, float).ravel())


def _members(model: Model) -> Rows:
    out: Rows = []
    for m in model.members.values():
        offsets = ["" if not np.any(o) else _vector(o) for o in (m.offset_start, m.offset_end)]
        inner = " ".join(j.node for j in m.joints)
        out.append(
            [
                m.name or m.id,
                m.id,
                m.cls,
                m.start,
                m.end,
                inner,
                m.section,
                m.material,
                m.release_start.words,
                m.release_end.words,
                _vector(m.z_axis),
                *offsets,
                model.one_way.get(m.id, ""),
                m.weight_share if m.weight_share != 1.0 else None,
            ]
        )
    return out


def _section(key: str, s: Section) -> list[object]:
    outline = "; ".join(_vector(p) for p in s.outline)
    voids = " | ".join("; ".join(_vector(p) for p in v) for v in s.voids)
    return [key, s.shape, s.area, s.iy, s.iz, s.iyz, s.j, s.avy, s.avz, outline, voids]


def _surface(model: Model, s: Surface) -> list[object]:
    openings = " | ".join(_ring(o + model.origin) for o in s.openings)
    return [
        s.name or s.id,
        s.id,
        s.cls,
        s.thickness,
        s.material,
        _ring(s.outer + model.origin),
        openings,
        s.way,
        _vector(s.span) if s.span is not None else "",
        "yes" if s.diaphragm else "",
        s.bedding or None,
        s.weight_share if s.weight_share != 1.0 else None,
    ]


def _three(names: str, values: Iterable[float]) -> dict[str, object]:
    return {n: float(v) + 0.0 for n, v in zip(names.split(), values) if v}


def _loads(model: Model, c: LoadCase) -> Iterable[dict[str, object]]:
    """Rows of the loads of one case, by column."""
    first, second, third, moment = "fx fy fz", "fx2 fy2 fz2", "fx3 fy3 fz3", "mx my mz"

    def row(kind: str, on: str = "", **more: object) -> dict[str, object]:
        return {"case": c.name, "kind": kind, "on": on} | more

    for n in c.node_loads:
        yield row("node", n.node) | _three(first, n.force) | _three(moment, n.moment)
    for m in c.member_loads:
        own = row(
            "member",
            m.member,
            a=m.a,
            b=m.b,
            axes="local" if m.local else "",
            projected="yes" if m.projected else "",
        )
        varies = (
            {k: float(v) for k, v in zip(second.split(), m.qb)}
            if m.b > m.a and tuple(m.qa) != tuple(m.qb)
            else {}
        )
        columns = moment if m.kind == "moment" else first  # zeros too: they say which of the two it is
        yield own | {k: float(v) + 0.0 for k, v in zip(columns.split(), m.qa)} | varies
    for a in c.area_loads:
        yield _area(model, row, a, (first, second, third))
    for p in c.space_loads:
        yield _space(model, row, p, first, second)
    for t in c.temperatures:
        yield row("temperature", t.member) | {"uniform": t.uniform, "grad y": t.grad_y, "grad z": t.grad_z}
    for s in c.settlements:
        yield row("settlement", s.node) | _three(f"{first} {moment}", s.movement)


def _area(model: Model, row: object, a: AreaLoad, names: tuple[str, str, str]) -> dict[str, object]:
    kind = "cladding" if a.onto == "members" else "surface" if a.surface else "area"
    out: dict[str, object] = row(kind, a.surface, name=a.name)  # type: ignore[operator]
    out |= {"axes": "local" if a.local else "", "projected": "yes" if a.projected else ""}
    for columns, value in zip(names, a.values):
        out |= {k: float(v) for k, v in zip(columns.split(), value)}
    if a.outline is not None:
        out["outline"] = _ring(a.outline + model.origin)
    if a.at is not None:
        out["at"] = _ring(a.at + model.origin)
    if a.span is not None:
        out["span"] = _vector(a.span)
    return out


def _space(model: Model, row: object, p: SpaceLoad, first: str, second: str) -> dict[str, object]:
    out: dict[str, object] = row("line" if len(p.line) == 2 else "point", p.to, name=p.name)  # type: ignore[operator]
    out |= _three(first, p.qa) | {"outline": _ring(p.line + model.origin)}
    if len(p.line) == 2 and tuple(p.qa) != tuple(p.qb):
        out |= {k: float(v) for k, v in zip(second.split(), p.qb)}
    return out
