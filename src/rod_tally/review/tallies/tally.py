"""The tally: the same things counted in the source and in the model, with what makes a difference."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...model import Model, Skipped
from ...model.geometry.vectors import Array

ORDER = (
    "beam",
    "column",
    "brace",
    "wall",
    "slab",
    "plate",
    "roof",
    "ramp",
    "stair",
    "footing",
    "pile",
    "support",
    "node",
    "member",
    "surface",
    "load_case",
    "action",
)


@dataclass(slots=True)
class TallyRow:
    """One class: how many in the source and in the model, and what was skipped. `length` (m) and `weight`
    (N) of the model's members of the class, `source_length` as the source draws them; `area` (m2) and
    `volume` (m3) of surfaces, net of openings, `source_area` as the source draws them; `source_volume` of
    the bodies, and `volume`, of members too."""

    cls: str
    source: int
    model: int
    skipped: list[Skipped] = field(default_factory=list)
    source_length: float | None = None
    length: float | None = None
    weight: float | None = None
    source_area: float | None = None
    source_volume: float | None = None
    area: float | None = None
    volume: float | None = None

    @property
    def agrees(self) -> bool:
        return self.source == self.model


def tally(model: Model) -> list[TallyRow]:
    """One row for every class that the source or the model holds, in the order of the work."""
    skipped: dict[str, list[Skipped]] = {}
    for item in model.skipped:
        skipped.setdefault(item.cls, []).append(item)
    physical = model.physical
    counted = dict.fromkeys(ORDER, 0)
    wholes = {(m.cls, m.whole) for m in model.members.values()} if physical else set()
    wholes |= {(s.cls, s.whole) for s in model.surfaces.values()} if physical else set()
    for cls, _ in wholes:
        counted[cls] = counted.get(cls, 0) + 1
    counted["member"] = len(model.members)
    counted["node"] = len(model.nodes)
    counted["support"] = sum(n.support.any for n in model.nodes.values())
    counted["load_case"] = len(model.cases)
    counted["support"] += sum(len(s.supports) + (s.bedding > 0) for s in model.surfaces.values())
    if not physical:
        counted["surface"] = len(model.surfaces)
    for cls in ("footing", "pile", "action"):
        counted[cls] = model.source_counts.get(cls, 0) - len(skipped.get(cls, ()))
    rows = []
    for cls in (*ORDER, *sorted(set(model.source_counts) - set(ORDER))):
        row = TallyRow(cls, model.source_counts.get(cls, 0), counted.get(cls, 0), skipped.get(cls, []))
        if physical and cls in ("node", "support", "member") and row.source == 0:
            # a physical source brings none: the model's own count stands alone
            if row.model:
                rows.append(row)
            continue
        if row.source or row.model:
            members = [m for m in model.members.values() if m.cls == cls or cls == "member"]
            if members and (physical or cls == "member"):
                row.length = sum(model.length(m) for m in members)
                row.weight = sum(model.weight(m) for m in members)
                row.source_length = sum(_source_length(m.source_line) for m in members)
                row.volume = sum(model.volume(m) for m in members)
                row.source_volume = sum(model.source_volume(m) for m in members)
            surfaces = [s for s in model.surfaces.values() if s.cls == cls or cls == "surface"]
            if surfaces:
                row.source_area = sum(s.source_area for s in surfaces)
                row.area = sum(s.area for s in surfaces)
                row.volume = (row.volume or 0.0) + sum(s.volume for s in surfaces)
                row.source_volume = (row.source_volume or 0.0) + sum(s.source_volume for s in surfaces)
                row.weight = sum(model.surface_weight(s) for s in surfaces)
            rows.append(row)
    return rows


def _source_length(line: Array | None) -> float:
    return 0.0 if line is None else float(np.linalg.norm(line[1] - line[0]))
