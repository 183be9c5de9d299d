"""Load cases made by a rule that is kept with them, so that they can be made again for another model."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ...loads import Distribution
from ...loads.lateral import (
    GROUND_TYPE_1,
    DesignSpectrum,
    LateralError,
    base_shear_asce,
    base_shear_en,
    period_asce,
    period_en,
    share_asce,
    share_en,
)
from ...loads.patterns import patterns
from ...loads.wind import WindAsce, WindEn
from ...model import LoadCase, Model
from ...model.entities.loads import GRAVITY, CaseRule
from ...model.geometry.directions import lies_at, turn
from ...model.geometry.vectors import Array
from ...model.member_force import member_force
from ...progress import Progress, silent
from ..dynamics.mass import mass_cases
from .storey_forces import Level, levels, notional_cases, storey_cases
from .wind_cases import wind_cases

LEVEL = 0.3  # m; a storey this near to another's height is the same one
PLACE = 1e-6  # m; a load that lies elsewhere by less lies there
ALIKE = 1e-6  # share of the largest force of a case by which two may differ and be one
Cases = list[dict[str, Any]]


def cases_by_rule(
    kind: str,
    inputs: dict[str, Any],
    model: Model,
    distribution: Distribution | None = None,
    progress: Progress = silent,
) -> Cases:
    """Cases for `AddCases` by a rule, each with that rule. Angles in rad, all else SI; None as the angle: the
    building's own. Raises LateralError for inputs that make no cases."""
    made = KINDS[kind](inputs, model, distribution or Distribution(model), progress)
    rule = {"kind": kind, "inputs": inputs, "beside": [c["name"] for c in made]}
    return [c | {"rule": rule | {"made": c["name"]}} for c in made]


def cases_again(
    rule: CaseRule,
    names: dict[str, str],
    model: Model,
    distribution: Distribution,
    progress: Progress = silent,
) -> Cases:
    """Return what a rule gives now for those of its cases that are left (`names`), and what it did not give
    before. Raises LateralError."""
    made = cases_by_rule(rule.kind, rule.inputs, model, distribution, progress)
    return [c for c in made if c["name"] in names or c["name"] not in rule.beside]


def _levels(inputs: dict[str, Any], model: Model, distribution: Distribution) -> list[Level]:
    mass = mass_cases(model, inputs.get("mass", {}))
    rigid = [s for s in inputs.get("rigid", ()) if any(s == x.name for x in model.storeys)]
    return levels(model, mass, distribution, rigid)


def _angle(inputs: dict[str, Any], model: Model) -> float:
    angle = inputs.get("angle")
    return lies_at(model) if angle is None else float(angle)


def _turned_words(angle: float) -> str:
    return f", along axes turned by {np.degrees(angle):.4g} degrees" if angle else ""


def _lateral(inputs: dict[str, Any], model: Model, distribution: Distribution, progress: Progress) -> Cases:
    """Equivalent lateral forces of an earthquake along both axes, by EN 1998-1 or ASCE 7."""
    progress("Mass of the storeys", 0.2)
    found = _levels(inputs, model, distribution)
    carried = [x for x in found if x.height > 0 and (x.nodes or x.slabs)]
    if not carried:
        raise LateralError("no storey above the base has nodes, or slabs that carry as shells, at its level")
    mass, height = np.array([x.mass for x in carried]), np.array([x.height for x in carried])
    top, total = float(height.max()), float(mass.sum())
    if inputs["code"] == "EN":
        period = period_en(top, inputs["system"])
        spectrum = DesignSpectrum(inputs["ag"], *GROUND_TYPE_1[inputs["ground"]], q=inputs["q"])
        shear = base_shear_en(spectrum, period, total, len(carried))
        share = share_en(mass, height)
    else:
        period = period_asce(top, inputs["system"])
        factors = inputs["sds"], inputs["sd1"], inputs["r"], inputs["ie"]
        shear = base_shear_asce(*factors, period, total * GRAVITY)
        share = share_asce(mass, height, period)
    angle = _angle(inputs, model)
    code = "EN 1998-1 4.3.3.2" if inputs["code"] == "EN" else "ASCE 7 12.8"
    by = f"{code}, T1 {period:.3g} s, base shear {shear / 1000:.4g} kN{_turned_words(angle)}"
    out = []
    for axis, name in enumerate(inputs["names"]):
        way = turn(angle)[:, axis]
        forces = {x.name: [float(f * way[0]), float(f * way[1]), 0.0] for x, f in zip(carried, share * shear)}
        out += storey_cases(name, "seismic", carried, forces, inputs["e"], by, angle)
    return out


def _wind(inputs: dict[str, Any], model: Model, distribution: Distribution, progress: Progress) -> Cases:
    """Wind on the box that the building fills, along both axes both ways."""
    progress("Storeys", 0.2)
    found = [] if inputs["faces"] else _levels(inputs, model, distribution)
    law = WindEn if inputs["code"] == "EN" else WindAsce
    wind = law(inputs["v"], inputs["place"], inputs["factor"])
    angle = _angle(inputs, model)
    return wind_cases(model, found, wind, inputs["level"], inputs["name"], inputs["faces"], angle)


def _notional(inputs: dict[str, Any], model: Model, distribution: Distribution, progress: Progress) -> Cases:
    """A share of the vertical load at every node, sideways."""
    factors = {n: f for n, f in inputs["factors"].items() if n in model.cases}
    angle = _angle(inputs, model)
    return notional_cases(model, inputs["share"], factors, distribution, inputs["name"], progress, angle)


def _patterns(inputs: dict[str, Any], model: Model, distribution: Distribution, progress: Progress) -> Cases:
    """An imposed case on some of the spans only."""
    case = model.cases.get(inputs["case"])
    if case is None:
        raise LateralError(f"there is no load case {inputs['case']!r}")
    return patterns(model, case)


def _storeys(inputs: dict[str, Any], model: Model, distribution: Distribution, progress: Progress) -> Cases:
    """Forces by storey from a table, at the storey of that height, else of that name."""
    progress("Mass of the storeys", 0.2)
    found = _levels(inputs, model, distribution)
    forces: dict[str, list[float]] = {}
    for row in inputs["storeys"]:
        near = min(found, key=lambda x: abs(x.elevation - row["elevation"]), default=None)
        if near is None or abs(near.elevation - row["elevation"]) > LEVEL:
            near = next((x for x in found if x.name == row["storey"]), None)
        if near is None:
            raise LateralError(f"there is no storey {row['storey']!r}, which has a force")
        at = forces.setdefault(near.name, [0.0, 0.0, 0.0])
        forces[near.name] = [a + b for a, b in zip(at, (*row["force"][:2], row["moment"]))]
    return storey_cases(
        inputs["name"], inputs["kind"], found, forces, inputs["e"], inputs["by"], _angle(inputs, model)
    )


KINDS: dict[str, Callable[[dict[str, Any], Model, Distribution, Progress], Cases]] = {
    "lateral forces": _lateral,
    "wind": _wind,
    "notional loads": _notional,
    "patterns": _patterns,
    "storey forces": _storeys,
}


def rules_of(model: Model) -> list[tuple[CaseRule, dict[str, str]]]:
    """The rules that cases of a model were made by, each with its cases: the name it gave, and the name that
    the case has now. Of a rule of which some case was changed by hand or deleted since, what is left."""
    out: list[tuple[CaseRule, dict[str, str]]] = []
    for name, case in model.cases.items():
        if case.by_rule is None:
            continue
        for rule, names in out:
            if (
                rule.kind == case.by_rule.kind
                and rule.inputs == case.by_rule.inputs
                and case.by_rule.made not in names
            ):
                names[case.by_rule.made] = name
                break
        else:
            out.append((case.by_rule, {case.by_rule.made: name}))
    return out


def storey_sums(model: Model, case: LoadCase, distribution: Distribution) -> dict[str, Array]:
    """Return what a case puts on each storey, (3,) N, global, the highest first."""
    rows = {s.name: np.zeros(3) for s in sorted(model.storeys, key=lambda s: -s.elevation)}

    def put(z: float, force: Array) -> None:
        name = model.storey_of(z)
        rows[name] = rows.get(name, np.zeros(3)) + force

    for n in case.node_loads:
        put(float(model.nodes[n.node].point[2]), np.array(n.force))
    for load in case.member_loads:
        if load.member in model.members:
            line = model.line(model.members[load.member])
            put(float(line[:, 2].mean()), member_force(model, load))
    shares = distribution.case(case.name).shares
    for share, area in zip((s for s in shares if s.kind == "area"), case.area_loads, strict=True):
        part = model.surfaces.get(share.part)
        own = area.outline if area.outline is not None else part.outer if part is not None else None
        put(float(own[:, 2].mean()) if own is not None else 0.0, share.applied)
    for share, free in zip((s for s in shares if s.kind in ("line", "point")), case.space_loads, strict=True):
        put(float(free.line[:, 2].mean()), share.applied)
    return rows


def same_loads(a: LoadCase, b: LoadCase) -> bool:
    """Return whether two cases put the same on the same parts, to what files carry: forces to a share of
    the largest, places to a micrometre."""
    mine, theirs = _by_part(a), _by_part(b)
    if {k: len(v) for k, v in mine.items()} != {k: len(v) for k, v in theirs.items()}:
        return False
    both = [*mine.values(), *theirs.values()]
    most = max((float(np.abs(f).max(initial=0.0)) for loads in both for _, f in loads), default=0.0)
    for key, loads in mine.items():
        left = list(theirs[key])
        for place, force in loads:
            same = (
                k
                for k, (at, other) in enumerate(left)
                if (at.shape, other.shape) == (place.shape, force.shape)
                and np.abs(place - at).max(initial=0.0) <= PLACE
                and np.abs(force - other).max(initial=0.0) <= ALIKE * most
            )
            if (found := next(same, None)) is None:
                return False
            del left[found]
    return True


def _by_part(case: LoadCase) -> dict[tuple[str, ...], list[tuple[Array, Array]]]:
    """Places (m) and forces of the loads on each part."""
    none = np.zeros(0)
    out: dict[tuple[str, ...], list[tuple[Array, Array]]] = {}

    def put(key: tuple[str, ...], place: Array, force: Array) -> None:
        out.setdefault(key, []).append((place, force))

    for n in case.node_loads:
        put(("node", n.node), none, np.array([*n.force, *n.moment]))
    for m in case.member_loads:
        how = (m.kind, str(m.local), str(m.projected))
        put(("member", m.member, *how), np.array([m.a, m.b]), np.array([*m.qa, *m.qb]))
    for x in case.area_loads:
        where = [np.ravel(v) for v in (x.outline, x.at, x.span) if v is not None]
        how = (x.onto, str(x.local), str(x.projected))
        put(("area", x.surface, *how), np.concatenate(where) if where else none, np.ravel(x.values))
    for p in case.space_loads:
        put(("space", p.to), p.line.ravel(), np.array([*p.qa, *p.qb]))
    return out
