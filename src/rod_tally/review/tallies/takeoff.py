"""The take-off: counts, lengths, areas, volumes and weights by class, section, material or storey, source and
model."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ...model import Member, Model, Surface
from ...model.entities.loads import GRAVITY

Part = Member | Surface


@dataclass(slots=True)
class TakeoffRow:
    """The quantities of one class, section, material or storey: `source` as the source draws it, `model` as
    it stands now.

    Lengths in m, areas (of surfaces, net of openings) in m2, volumes in m3, weights in N; None where there is
    nothing of the kind. `ids` are the members and surfaces of the model that make the row."""

    key: str
    source: int = 0
    model: int = 0
    source_length: float | None = None
    length: float | None = None
    source_area: float | None = None
    area: float | None = None
    source_volume: float | None = None
    volume: float | None = None
    source_weight: float | None = None
    weight: float | None = None
    ids: list[str] = field(default_factory=list)


Key = Callable[[Part, bool], str]


def _section(p: Part, source: bool) -> str:
    if isinstance(p, Surface):
        thickness = p.source_thickness if source and p.source_thickness is not None else p.thickness
        return f"{thickness * 1000:.0f} mm {p.cls}"
    return (p.source_section if source else p.section) or "(none)"


def _material(p: Part, source: bool) -> str:
    return (p.source_material if source else p.material) or "(none)"


BY: dict[str, Key] = {
    "class": lambda p, source: p.cls,
    "section": _section,
    "material": _material,
    "storey": lambda p, source: p.storey or "(none)",
}


def takeoff(model: Model, by: str) -> list[TakeoffRow]:
    """One row a class, section, material or storey, sorted by name (storeys from the lowest up).

    An element that transfer cut into chords or facets counts as one; what a correction deleted still counts
    in the source. By class the source also counts what could not be read. Raises KeyError for another `by`.
    """
    key = BY[by]
    rows: dict[str, TakeoffRow] = {}
    wholes: dict[tuple[bool, str], set[str]] = {}
    here: list[Part] = model.parts()
    gone: list[Part] = [*model.removed_members.values(), *model.removed_surfaces.values()]
    for source, parts in ((True, here + gone), (False, here)):
        for p in parts:
            name = key(p, source)
            row = rows.setdefault(name, TakeoffRow(name))
            wholes.setdefault((source, name), set()).add(p.whole)
            _add(row, p, model, source)
            if not source:
                row.ids.append(p.id)
    for name, row in rows.items():
        row.source, row.model = (len(wholes.get((source, name), ())) for source in (True, False))
        if by == "class" and model.physical:
            row.source = max(row.source, model.source_counts.get(name, 0))
    if by == "storey":
        order = {s.name: k for k, s in enumerate(model.storeys)}
        return sorted(rows.values(), key=lambda r: (order.get(r.key, -1), r.key))
    return sorted(rows.values(), key=lambda r: r.key)


@dataclass(slots=True)
class PartsRow:
    """Parts of the model of one class, section, material and storey: how many, and length (m), area (m2),
    volume (m3) and mass (kg) of all of them; None where there is nothing of the kind."""

    cls: str
    section: str
    material: str
    storey: str
    count: int
    length: float | None
    area: float | None
    volume: float | None
    mass: float | None


def parts_list(model: Model) -> list[PartsRow]:
    """Rows sorted by class, section, material, and storeys from the lowest up. An element in chords or facets
    is one."""
    found: dict[tuple[str, str, str, str], tuple[TakeoffRow, set[str]]] = {}
    for p in model.parts():
        key = (p.cls, _section(p, False), _material(p, False), p.storey or "(none)")
        row, wholes = found.setdefault(key, (TakeoffRow(""), set()))
        wholes.add(p.whole)
        _add(row, p, model, False)
    order = {s.name: k for k, s in enumerate(model.storeys)}
    out = []
    for key in sorted(found, key=lambda k: (*k[:3], order.get(k[3], -1), k[3])):
        row, wholes = found[key]
        mass = None if row.weight is None else row.weight / GRAVITY
        out.append(PartsRow(*key, len(wholes), row.length, row.area, row.volume, mass))
    return out


def _add(row: TakeoffRow, p: Part, model: Model, source: bool) -> None:
    material = model.materials.get(p.source_material if source else p.material)
    heavy = ((material.density or 0.0) if material is not None else 0.0) * GRAVITY
    if isinstance(p, Surface):
        area, volume = (p.source_area, p.source_volume) if source else (p.area, p.volume)
        _sum(row, "area", area, source)
    else:
        if source and p.source_line is not None:
            length = float(np.linalg.norm(p.source_line[1] - p.source_line[0]))
        else:
            length = model.length(p) if p.id in model.members else 0.0
        section = model.sections.get(p.source_section if source else p.section)
        share = p.body_share if source else p.weight_share
        volume = (section.mean_area if section is not None else 0.0) * length * share
        _sum(row, "length", length, source)
    _sum(row, "volume", volume, source)
    _sum(row, "weight", volume * heavy, source)


def _sum(row: TakeoffRow, what: str, value: float, source: bool) -> None:
    name = f"source_{what}" if source else what
    setattr(row, name, (getattr(row, name) or 0.0) + value)
