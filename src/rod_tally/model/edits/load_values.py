"""Loads and load cases as plain values and back, and what a correction does with them."""

from __future__ import annotations

from copy import copy
from dataclasses import fields, replace
from typing import Any

import numpy as np

from ..entities.loads import (
    CATEGORIES,
    KINDS,
    AreaLoad,
    CaseRule,
    LoadCase,
    MemberLoad,
    NodeLoad,
    Settlement,
    SpaceLoad,
    Spectrum,
    TemperatureLoad,
    Vector,
    extent_fault,
)
from ..entities.model import Model
from .base import EditError

LISTS: dict[str, tuple[str, Any]] = {
    "node": ("node_loads", NodeLoad),
    "member": ("member_loads", MemberLoad),
    "area": ("area_loads", AreaLoad),
    "space": ("space_loads", SpaceLoad),
    "temperature": ("temperatures", TemperatureLoad),
    "settlement": ("settlements", Settlement),
}
MOST = 1e15  # N, or N a metre; more than that is no load
_ARRAYS = ("outline", "at", "line")


def build_load(values: dict[str, Any]) -> tuple[str, Any]:
    """A load from plain values with its kind under "on"; returns the name of the case's list, and the load.

    Raises EditError for a kind or a field that is not known, or a value that is no load.
    """
    values = dict(values)
    kind = values.pop("on", "")
    if kind not in LISTS:
        raise EditError(f"{kind!r} is no kind of load; known are {', '.join(LISTS)}")
    where, cls = LISTS[kind]
    known = {f.name for f in fields(cls)}
    for key, value in values.items():
        if key not in known:
            raise EditError(f"a {kind} load has no {key}")
        if key in _ARRAYS and value is not None:
            values[key] = np.array(value, float).reshape(-1, 3)
        elif key == "values":
            values[key] = tuple(tuple(float(x) for x in v) for v in value)
        elif isinstance(value, list):
            values[key] = tuple(float(x) for x in value)
    for value in values.values():
        if isinstance(value, (tuple, float, np.ndarray)):
            numbers = np.ravel(np.array(value, float))
            if not (np.abs(numbers) < MOST).all():
                raise EditError(
                    f"a {kind} load of {numbers[int(np.abs(numbers).argmax())]:g} is beyond any load"
                )
    try:
        return where, cls(**values)
    except TypeError as error:
        raise EditError(f"a {kind} load cannot be made of {', '.join(values)}: {error}") from None


def build_spectrum(values: dict[str, Any]) -> Spectrum:
    """A spectrum from plain values. Raises EditError for a curve that is none."""
    curve = [(float(t), float(a)) for t, a in values["curve"]]
    periods = [t for t, _ in curve]
    if len(curve) < 2 or any(b <= a for a, b in zip(periods, periods[1:])) or periods[0] < 0:
        raise EditError("a spectrum needs two points at least, their periods growing from zero or more")
    if any(not 0 <= a < 1000 for _, a in curve):
        raise EditError("an acceleration of a spectrum is negative, or beyond any earthquake")
    if values.get("direction") not in ("x", "y", "z") or values.get("rule", "CQC") not in ("CQC", "SRSS"):
        raise EditError("a spectrum has a direction x, y or z, and the rule CQC or SRSS")
    off = float(values.get("eccentricity", 0.0))
    if not 0 <= off <= 0.5:
        raise EditError("the eccentricity of a spectrum is a share of the storey's width, 0 to 0.5")
    angle = float(values.get("angle", 0.0))
    return Spectrum(
        values["direction"], curve, float(values.get("damping", 0.05)), values.get("rule", "CQC"), off, angle
    )


def fill_case(model: Model, case: LoadCase, values: dict[str, Any]) -> None:
    """Put what plain values say of a case into it: its spectrum, loads, and the rule it was made by."""
    if values.get("spectrum"):
        case.spectrum = build_spectrum(values["spectrum"])
    if values.get("self_weight"):
        case.self_weight = (0.0, 0.0, -1.0)
    for load in values.get("loads", ()):
        put_load(model, case, load)
    rule = values.get("rule")
    case.by_rule = (
        CaseRule(rule["kind"], rule["inputs"], rule["made"], tuple(rule["beside"])) if rule else None
    )


def load_values(load: Any) -> dict[str, Any]:
    """The reverse of `build_load`: plain values for JSON."""
    kind = next(k for k, (_, cls) in LISTS.items() if isinstance(load, cls))
    out: dict[str, Any] = {"on": kind}
    for f in fields(load):
        value = getattr(load, f.name)
        out[f.name] = value.tolist() if isinstance(value, np.ndarray) else value
    return out


def own_case(model: Model, name: str) -> LoadCase:
    """A copy of a case in its place, with lists of its own, to be changed freely. Raises EditError."""
    if name not in model.cases:
        raise EditError(f"there is no load case {name!r}")
    case = copy(model.cases[name])
    for where, _ in LISTS.values():
        setattr(case, where, [copy(x) for x in getattr(case, where)])
    model.cases[name] = case
    return case


def times(values: dict[str, Any], f: float) -> dict[str, Any]:
    """A load of plain values times a factor."""
    case = LoadCase("")
    where, load = build_load(values)
    getattr(case, where).append(load)
    return load_values(getattr(scaled(case, f), where)[0])


def scaled(case: LoadCase, f: float) -> LoadCase:
    """A copy of a case with everything in it times a factor."""
    case = copy(case)
    case.by_rule = None
    for where, _ in LISTS.values():
        setattr(case, where, [copy(x) for x in getattr(case, where)])

    def by(v: Vector) -> Vector:
        return (v[0] * f, v[1] * f, v[2] * f)

    case.self_weight = by(case.self_weight)
    for n in case.node_loads:
        n.force, n.moment = by(n.force), by(n.moment)
    for m in case.member_loads:
        m.qa, m.qb = by(m.qa), by(m.qb)
    for p in case.space_loads:
        p.qa, p.qb = by(p.qa), by(p.qb)
    for a in case.area_loads:
        a.values = tuple(by(v) for v in a.values)
    for t in case.temperatures:
        t.uniform, t.grad_y, t.grad_z = t.uniform * f, t.grad_y * f, t.grad_z * f
    for s in case.settlements:
        s.movement = tuple(v * f for v in s.movement)
    case.lost = [(i, reason, by(force)) for i, reason, force in case.lost]
    if case.spectrum is not None:
        # the response has no sign: only its size is multiplied
        curve = [(t, a * abs(f)) for t, a in case.spectrum.curve]
        case.spectrum = replace(case.spectrum, curve=curve)
    return case


def check_case(kind: str, category: str) -> None:
    """Raises EditError for a kind or category that is not known."""
    if kind and kind not in KINDS:
        raise EditError(f"{kind!r} is no kind of load case; known are {', '.join(KINDS)}")
    if category and (kind != "live" or category not in CATEGORIES):
        raise EditError(
            f"{category!r} is no category of imposed load; known are {', '.join(CATEGORIES)}, for kind live"
        )


def put_load(model: Model, case: LoadCase, values: dict[str, Any]) -> None:
    """Put a load of plain values into a case. Raises EditError when what it acts on is not in the model."""
    where, load = build_load({"by": "by hand"} | values)
    on = getattr(load, "node", None), getattr(load, "member", None), getattr(load, "surface", None)
    if on[0] is not None and on[0] not in model.nodes:
        raise EditError(f"there is no node {on[0]!r}")
    if on[1] is not None and on[1] not in model.members:
        raise EditError(f"there is no member {on[1]!r}")
    if on[2] and on[2] not in model.surfaces:
        raise EditError(f"there is no surface {on[2]!r}")
    if isinstance(load, MemberLoad):
        length = model.length(model.members[load.member])
        if not -1e-9 <= load.a <= load.b <= length + 1e-6:
            raise EditError(
                f"a load from {load.a:g} to {load.b:g} m does not lie on a member {length:.3f} m long"
            )
        load.a, load.b = max(load.a, 0.0), min(load.b, length)
    if isinstance(load, AreaLoad) and not load.surface and (load.outline is None or len(load.outline) < 3):
        raise EditError("a load on a free area needs an outline of three points at least")
    if isinstance(load, SpaceLoad) and len(load.line) not in (1, 2):
        raise EditError("a load in space has one point or two")
    fault = extent_fault(load) if isinstance(load, (AreaLoad, SpaceLoad)) else ""
    if fault:
        raise EditError(f"a load has no extent: {fault}")
    if isinstance(load, Settlement) and not model.nodes[load.node].support.any:
        raise EditError(f"node {load.node} is held by nothing that could move it")
    getattr(case, where).append(load)
