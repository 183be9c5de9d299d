"""Load groups, cases, combinations, and the actions in them."""

from __future__ import annotations

import re
from typing import Any

import numpy as np

from ....model.entities.loads import CATEGORIES, KINDS
from ....model.entities.log import LogEntry, Skipped
from ...source import (
    SourceAction,
    SourceCase,
    SourceCombination,
    SourceCurve,
    SourceElement,
    SourceFace,
    SourceModel,
    SourceSurface,
)
from ..damage import UNREADABLE, first_line, for_each, text
from ..geometry.placement import Placements
from ..units import Units
from .placed_actions import imposed, on_place, own_points
from .values import LINE, POINT, ActionError, finite

KIND_BY_SOURCE = {
    "DEAD_LOAD_G": "dead",
    "COMPLETION_G1": "dead",
    "LIVE_LOAD_Q": "live",
    "SNOW_S": "snow",
    "WIND_W": "wind",
    "PRESTRESSING_P": "prestress",
    "SETTLEMENT_U": "settlement",
    "TEMPERATURE_T": "temperature",
    "EARTHQUAKE_E": "seismic",
    "FIRE": "accidental",
    "IMPULSE": "accidental",
    "IMPACT": "accidental",
}
KIND_BY_TYPE = {"PERMANENT_G": "dead", "EXTRAORDINARY_A": "accidental"}
UNASSIGNED = "Unassigned"
WAVES = {"SINUS": 2 / np.pi, "PARABOLA": 2 / 3}  # mean over peak
PIECES = 16
HEAVIEST = 1000.0  # times its weight; more than that no case holds


def read_actions(file: Any, source: SourceModel, placements: Placements, units: Units) -> None:
    """Fill `source` with cases, combinations and actions; what cannot be taken over is skipped with its
    reason."""
    case_of, factor_of = _groups(file, source)
    targets: dict[int, Any] = {}

    def aim(rel: Any) -> None:
        targets[rel.RelatedStructuralActivity.id()] = rel.RelatingElement

    for_each(file, "IfcRelConnectsStructuralActivity", aim, source.log)
    # loads of a model without analytical members act on its beams, columns, slabs and walls
    curves: dict[str, SourceCurve | SourceElement] = {c.id: c for c in source.curves}
    curves |= {e.id: e for e in source.elements}
    points = {p.id for p in source.points}
    faces: dict[str, SourceFace | SourceSurface] = {f.id: f for f in source.faces}
    faces |= {s.id: s for s in source.surfaces}
    sides = {e.id: e for e in source.edges}
    actions = file.by_type("IfcStructuralAction")
    source.counts["action"] = len(actions)
    for action in actions:
        case = case_of.get(action.id(), UNASSIGNED)
        if case == UNASSIGNED and all(c.name != UNASSIGNED for c in source.cases):
            # so that even an action nobody grouped is accounted for
            source.cases.append(SourceCase(UNASSIGNED, ""))
        try:
            placements.sound(action)
            target = targets.get(action.id())
            name = target.GlobalId if target is not None else ""
            load = action.AppliedLoad
            if load is None:
                raise ActionError("it has no value")
            if target is not None and not any(name in known for known in (curves, points, faces, sides)):
                raise ActionError(f"it acts on an {target.is_a()} that is not in the model")
            if getattr(curves.get(name), "path", None) is not None:
                raise ActionError("it acts on a curved member, along which no place can be given")
            moved = (
                imposed(action, load, case, name, name in points, units)
                if name in curves or name in points
                else None
            )
            if moved is not None:
                moved.stations = [
                    (x, _moved(v, units) if moved.kind == "movement" else v) for x, v in moved.stations
                ]
                taken = moved
            elif name in curves or name in points:
                taken = _action(action, target, curves.get(name), case, placements, units)
            else:
                taken = on_place(action, load, case, faces.get(name), sides.get(name), placements, units)
            factor = factor_of.get(action.id(), 1.0)
            if factor != 1.0:
                taken.stations = [(x, tuple(factor * v for v in q)) for x, q in taken.stations]
            source.actions.append(taken)
        except UNREADABLE as error:
            reason = f"load in case {case}: {first_line(error)}"
            source.skipped.append(
                Skipped("action", action.GlobalId, reason, action.Name or "", action.is_a())
            )
    source.counts["load_case"] = len(source.cases)


def _groups(file: Any, source: SourceModel) -> tuple[dict[int, str], dict[int, float]]:
    """Case name and factor of every action, by entity id."""
    members: dict[int, list[Any]] = {}
    factors: dict[tuple[int, int], float] = {}

    def assign(rel: Any) -> None:
        group = rel.RelatingGroup
        if group is None or not group.is_a("IfcStructuralLoadGroup"):
            return
        members.setdefault(group.id(), []).extend(rel.RelatedObjects or ())
        if rel.is_a("IfcRelAssignsToGroupByFactor"):
            for item in rel.RelatedObjects or ():
                factors[group.id(), item.id()] = float(rel.Factor)

    for_each(file, "IfcRelAssignsToGroup", assign, source.log)
    groups = list(file.by_type("IfcStructuralLoadGroup"))
    inside = {
        item.id()
        for g in groups
        if g.PredefinedType != "LOAD_COMBINATION"
        for item in members.get(g.id(), ())
        if item.is_a("IfcStructuralLoadGroup")
    }
    case_of: dict[int, str] = {}
    factor_of: dict[int, float] = {}
    names: set[str] = set()
    case_names: dict[int, str] = {}

    def walk(group: Any, name: str, factor: float, seen: frozenset[int]) -> None:
        if group.id() in seen:
            return
        factor *= group.Coefficient if group.Coefficient is not None else 1.0
        for item in members.get(group.id(), ()):
            if item.is_a("IfcStructuralLoadGroup"):
                walk(item, name, factor * factors.get((group.id(), item.id()), 1.0), seen | {group.id()})
            else:
                case_of[item.id()] = name
                factor_of[item.id()] = factor * factors.get((group.id(), item.id()), 1.0)

    combinations = []
    for group in groups:
        if group.PredefinedType == "LOAD_COMBINATION" or group.PredefinedType == "LOAD_COMBINATION_GROUP":
            combinations.append(group)
            continue
        if group.id() in inside:
            continue
        base = (group.Name or "").strip() or f"Case {len(source.cases) + 1}"
        name, n = base, 2
        while name in names:
            name, n = f"{base} ({n})", n + 1
        names.add(name)
        case_names[group.id()] = name
        kind = KIND_BY_SOURCE.get(group.ActionSource or "") or KIND_BY_TYPE.get(group.ActionType or "", "")
        said = dict(re.findall(r"(kind|category|together|alternatives): ([^;]+)", text(group.Description)))
        kind = said["kind"] if said.get("kind") in KINDS else kind
        weight = getattr(group, "SelfWeightCoefficients", None)
        vector = tuple(float(v) for v in weight) if weight else (0.0, 0.0, 0.0)
        if len(vector) != 3 or not all(abs(v) <= HEAVIEST for v in vector):
            message = f"the self-weight coefficients of load case {name} are no such, and are left out"
            source.log.append(LogEntry("skipped", (group.GlobalId,), message))
            vector = (0.0, 0.0, 0.0)
        category = said.get("category", "") if kind == "live" and said.get("category") in CATEGORIES else ""
        source.cases.append(
            SourceCase(
                name,
                group.GlobalId,
                kind,
                vector,
                category,
                (said.get("alternatives") or said.get("together", "")).strip(),
            )
        )
        walk(group, name, 1.0, frozenset())
    combined = {g.id() for g in combinations}

    def spell(group: Any, seen: frozenset[int]) -> tuple[dict[str, float], list[str]]:
        """A combination as factors of cases, those inside it spelt out, and what of it is no case."""
        out: dict[str, float] = {}
        other: list[str] = []
        own = group.Coefficient if group.Coefficient is not None else 1.0
        for item in members.get(group.id(), ()):
            factor = own * factors.get((group.id(), item.id()), 1.0)
            parts: dict[str, float] = {}
            if item.id() in case_names:
                parts = {case_names[item.id()]: 1.0}
            elif item.id() in combined and item.id() not in seen:
                parts, more = spell(item, seen | {item.id()})
                other += more
            else:
                other.append(f"{item.is_a()} {text(getattr(item, 'Name', None)) or item.id()}")
            for name, share in parts.items():
                out[name] = out.get(name, 0.0) + factor * share
        return out, other

    for group in combinations:
        parts, other = spell(group, frozenset({group.id()}))
        name = group.Name or group.GlobalId
        if other:
            reason = f"holds what is neither a load case nor a combination, and is not read: {', '.join(other[:4])}"
            source.skipped.append(Skipped("combination", group.GlobalId, reason, name, group.is_a()))
        elif parts:
            source.combinations.append(SourceCombination(name, group.Purpose or "", parts))
    return case_of, factor_of


def _moved(values: tuple[float, ...], units: Units) -> tuple[float, ...]:
    """A movement in m and rad."""
    length, angle = units["LENGTHUNIT"], units["PLANEANGLEUNIT"]
    return finite(tuple(v * (length if i < 3 else angle) for i, v in enumerate(values)), 100.0)


def _values(load: Any, units: Units) -> tuple[str, tuple[float, ...]]:
    """Kind (point or curve) and six values in SI of a structural load. Raises ActionError for other loads."""
    for kind, names, force, moment in (
        ("point", POINT, "FORCEUNIT", "TORQUEUNIT"),
        ("curve", LINE, "LINEARFORCEUNIT", "LINEARMOMENTUNIT"),
    ):
        if load.is_a("IfcStructuralLoadSingleForce" if kind == "point" else "IfcStructuralLoadLinearForce"):
            raw = [getattr(load, n, None) or 0.0 for n in names]
            return kind, finite(tuple(v * units[force if i < 3 else moment] for i, v in enumerate(raw)))
    raise ActionError(f"loads of kind {load.is_a()} are not taken over")


def _action(
    action: Any,
    target: Any,
    curve: SourceCurve | SourceElement | None,
    case: str,
    placements: Placements,
    units: Units,
) -> SourceAction:
    load = action.AppliedLoad
    if load is None:
        raise ActionError("it has no value")
    local = action.GlobalOrLocal == "LOCAL_COORDS"
    projected = getattr(action, "ProjectedOrTrue", None) == "PROJECTED_LENGTH"
    out = SourceAction(
        action.GlobalId, action.Name or "", case, target.GlobalId, "point", [], local, projected
    )
    at = own_points(action, placements)
    if action.is_a("IfcStructuralPointAction"):
        kind, values = _values(load, units)
        if kind != "point":
            raise ActionError(f"a point action with an {load.is_a()}")
        out.stations = [(0.0, values)]
        out.at = at[0] if at is not None else None
        if curve is not None and out.at is None:
            raise ActionError("it acts on a member, and nothing says at which point of it")
        return out
    if curve is None:
        raise ActionError(f"an {action.is_a()} on a point")
    length = float(np.linalg.norm(curve.line[1] - curve.line[0]))
    first, last = 0.0, length
    if at is not None and len(at) == 2:
        first, last = sorted(
            float((p - curve.line[0]) @ (curve.line[1] - curve.line[0])) / length for p in at
        )
        first, last = max(first, 0.0), min(last, length)
        if last - first < 1e-9:
            raise ActionError("the piece it acts on lies outside its member")
    shape = getattr(action, "PredefinedType", None)
    if load.is_a("IfcStructuralLoadConfiguration"):
        loads = load.Values
        places = load.Locations
        if places:
            distances = [first + float(p[0]) * placements.scale for p in places]
        else:
            distances = list(np.linspace(first, last, len(loads)))
    else:
        loads = [load, *(getattr(action, "SubsequentAppliedLoads", None) or ())]
        distances = list(np.linspace(first, last, len(loads))) if len(loads) > 1 else [first]
    read = [_values(v, units) for v in loads]
    kinds = {k for k, _ in read}
    if len(kinds) != 1:
        raise ActionError("it mixes concentrated and distributed values")
    out.kind = kinds.pop()
    for distance in distances:
        if distance < -1e-6 or distance > length + 1e-6:
            raise ActionError(f"it acts {distance:g} m along a member that is {length:g} m long")
    out.stations = [(min(max(d, 0.0), length), v) for d, (_, v) in zip(distances, read)]
    if out.kind == "curve" and len(out.stations) == 1:
        out.stations = [(first, out.stations[0][1]), (last, out.stations[0][1])]
    out.stations.sort(key=lambda s: s[0])
    if shape in WAVES:
        if out.kind != "curve" or len(loads) > 1:
            raise ActionError(f"a {shape.lower()} distribution of {len(loads)} values is not taken over")
        out.stations = _wave(shape, first, last, read[0][1])
    return out


def _wave(
    shape: str, first: float, last: float, peak: tuple[float, ...]
) -> list[tuple[float, tuple[float, ...]]]:
    """Half a wave or a parabola between first and last with its peak in the middle, as straight pieces of the
    same sum."""
    x = np.linspace(0.0, 1.0, PIECES + 1)
    value = np.sin(np.pi * x) if shape == "SINUS" else 4 * x * (1 - x)
    value = value * WAVES[shape] / (value.sum() / PIECES)
    return [(first + (last - first) * float(t), tuple(float(v) * p for p in peak)) for t, v in zip(x, value)]
