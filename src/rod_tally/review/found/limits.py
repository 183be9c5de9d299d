"""Places at which a value exceeds its limit: forces of slabs and walls and displacements over combinations, and
design results from elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ...analysis.results.results import Results
from ...analysis.results.superpose import envelope
from ...analysis.shells.envelope import plate_envelope
from ...analysis.shells.fields import PLATE_COMPONENTS, PlateFields
from ...intake.design_results import DesignResults
from ...model import Combination, Finding, Model
from ...model.geometry.grids import place_on_grids
from ...model.settings import LimitSettings
from ...words import few

NODES = ("ux", "uy", "uz")
MOMENTS = ("mx", "my", "mxy")
ROUNDING = 1e-9  # of the limit
NAMED = 4  # places of a finding by their grids


@dataclass(slots=True)
class Known:
    """The values that limits hold: of a run with its computed `combinations` (old where `stale`), `fields` for
    its shells, and of a design elsewhere."""

    model: Model
    results: Results
    combinations: list[Combination]
    fields: Callable[[], PlateFields | None]
    design: DesignResults | None
    stale: bool


@dataclass(slots=True)
class Above:
    """One place above a limit: `part` "" for a node, `at` (m, the model's coordinates) None where only the part
    is known, `value` with its sign, `by` the combination, "" for design results."""

    part: str
    name: str
    at: tuple[float, float, float] | None
    grid: str
    value: float
    by: str = ""


@dataclass(slots=True)
class Limited:
    """A limit with the places above it, the largest value first; `why_not` says why there is no telling."""

    limit: LimitSettings
    places: list[Above] = field(default_factory=list)
    why_not: str = ""


def above_limits(known: Known, limits: list[LimitSettings]) -> list[Limited]:
    """Every limit with what is above it."""
    return [_above(known, limit) for limit in limits]


def _above(known: Known, limit: LimitSettings) -> Limited:
    out = Limited(limit)
    if limit.quantity not in (*PLATE_COMPONENTS, *NODES):
        _of_design(known, out)
    elif not known.stale:  # old results are held against nothing
        combinations = known.combinations or [Combination(c, "", {c: 1.0}) for c in known.results.cases]
        own = [c for c in combinations if limit.kind in ("", c.kind)]
        if not own:
            out.why_not = (
                f"no combination of kind {limit.kind} was computed" if limit.kind else "nothing was computed"
            )
        elif limit.quantity in NODES:
            _of_nodes(known, out, own)
        else:
            _of_surfaces(known, out, own)
    out.places.sort(key=lambda p: -abs(p.value))
    return out


def _over(values: Any, limit: LimitSettings) -> Any:
    """Return whether values are larger than the limit, by more than rounding."""
    return np.abs(values) > limit.most * (1 + ROUNDING)


def _of_nodes(known: Known, out: Limited, combinations: list[Combination]) -> None:
    r, model = known.results, known.model
    values = r.displacement[:, :, NODES.index(out.limit.quantity)]
    e = envelope(r, combinations, values)
    worst = np.where(np.abs(e.low) > np.abs(e.high), e.low, e.high)
    by = np.where(np.abs(e.low) > np.abs(e.high), e.low_by, e.high_by)
    done = r.node_done.all(axis=0)
    for k in np.flatnonzero(_over(worst, out.limit) & done):
        at = r.xyz[k]
        name = r.node_ids[k] if k < len(r.node_ids) else "mesh"
        grid = place_on_grids(model, at[:2] + model.origin[:2])
        out.places.append(Above("", name, _point(at), grid, float(worst[k]), e.combinations[int(by[k])].name))


def _of_surfaces(known: Known, out: Limited, combinations: list[Combination]) -> None:
    fields, model = known.fields(), known.model
    if fields is None:
        out.why_not = "no slab or wall is computed as a shell"
        return
    e = plate_envelope(fields, known.results, combinations, out.limit.quantity, averaged=True)
    worst = np.where(np.abs(e.low) > np.abs(e.high), e.low, e.high)
    by = np.where(np.abs(e.low) > np.abs(e.high), e.low_by, e.high_by)
    corners = fields.corners
    seen: set[tuple[int, int]] = set()  # values are averaged within a surface: one a node
    for k in np.flatnonzero(_over(worst, out.limit) & e.done):
        key = int(corners.surface[k]), int(corners.node[k])
        if key in seen:
            continue
        seen.add(key)
        ident = fields.plates.surfaces[key[0]]
        at = fields.plates.points[key[1]]
        name = model.surfaces[ident].name or ident if ident in model.surfaces else ident
        grid = place_on_grids(model, at[:2] + model.origin[:2])
        out.places.append(
            Above(ident, name, _point(at), grid, float(worst[k]), e.combinations[int(by[k])].name)
        )


def _of_design(known: Known, out: Limited) -> None:
    design, model, heading = known.design, known.model, out.limit.quantity
    if design is None or heading not in design.names:
        have = (
            f"the design results hold {', '.join(design.names)}"
            if design is not None
            else "no design results are here"
        )
        out.why_not = f"{heading} is no force or displacement, and {have}"
        return
    told: set[str] = set()
    for p in design.places:
        value = p.values.get(heading)
        if value is not None:
            told.add(p.part)
            if _over(value, out.limit):
                at = np.array(p.at) - model.origin
                out.places.append(
                    Above(
                        p.part,
                        _name(known, p.part),
                        _point(at),
                        place_on_grids(model, np.array(p.at[:2])),
                        value,
                    )
                )
    for ident, values in design.values.items():
        value = values.get(heading)
        if value is not None and ident not in told and _over(value, out.limit):
            out.places.append(Above(ident, _name(known, ident), None, "", value))


def _name(known: Known, ident: str) -> str:
    part = known.model.part(ident)
    return (part.name or ident) if part is not None else ident


def _point(p: np.ndarray) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def limit_findings(found: list[Limited]) -> list[Finding]:
    """A finding for each part (all nodes together) and limit with something above it; and for each limit of
    which nothing can be told."""
    out = []
    for x in found:
        q = x.limit.quantity
        if x.why_not:
            text = f"Nothing is held against the limit of {_shown(q, x.limit.most)} for {q}: {x.why_not}."
            out.append(Finding("response.limit", "warning", text, (), None, ("Accept, because…",)))
        by_part: dict[str, list[Above]] = {}
        for p in x.places:
            by_part.setdefault(p.part, []).append(p)
        for part, places in by_part.items():
            worst = places[0]
            grids = list(dict.fromkeys(p.grid for p in places if p.grid))
            where = f", at {few(grids, NAMED)}" if grids else ""
            by = f" in {worst.by}" if worst.by else ""
            who = f"{worst.name}: {q}" if part else q
            many = (
                f"{len(places)} {'nodes' if not part else 'places'}"
                if len(places) > 1
                else "one node"
                if not part
                else "one place"
            )
            text = f"{who} exceeds the limit of {_shown(q, x.limit.most)} at {many}{where}; the largest is {_shown(q, worst.value)}{by}."
            ids = (part,) if part else ()
            out.append(
                Finding(
                    "response.limit",
                    "warning",
                    text,
                    ids,
                    worst.at,
                    ("Accept, because…",),
                    {"limit": x.limit.most, "value": worst.value},
                )
            )
    return out


def _shown(quantity: str, value: float) -> str:
    """A value with the unit it is said in."""
    if quantity in NODES:
        return f"{value * 1000:.4g} mm"
    if quantity in MOMENTS:
        return f"{value / 1000:.4g} kNm/m"
    return f"{value / 1000:.4g} kN/m" if quantity in PLATE_COMPONENTS else f"{value:.5g}"
