"""Load groups, cases, combinations, and the actions in them."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import numpy as np

from ....model.entities.load_words import roots_in, spectrum_in
from ....model.entities.loads import CATEGORIES, KINDS, Spectrum
from ....model.entities.log import LogEntry, Skipped
from ....model.geometry.vectors import Array
from ...source import (
    SourceAction,
    SourceCase,
    SourceCombination,
    SourceCurve,
    SourceEdge,
    SourceElement,
    SourceFace,
    SourceModel,
    SourceSurface,
)
from ..damage import UNREADABLE, first_line, for_each, text
from ..geometry.placement import Placements
from ..units import Units
from .placed_actions import imposed, on_place, own_points, varying_places
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
SHORTEST = 1e-6  # m; what files carry
COMBINED = ("LOAD_COMBINATION", "LOAD_COMBINATION_GROUP")
ALONG_AXES = 1e-9  # of a direction's components; what differs by less is rounding
HEAVIEST = 1000.0  # times its weight; more than that no case holds


def read_actions(file: Any, source: SourceModel, placements: Placements, units: Units) -> None:
    """Fill `source` with cases, combinations and actions; what cannot be taken over is skipped with its
    reason."""
    turned = _shared_axes(file, placements)
    cases_of = _groups(file, source, turned)
    targets: dict[int, list[Any]] = {}

    def aim(rel: Any) -> None:
        targets.setdefault(rel.RelatedStructuralActivity.id(), []).append(rel.RelatingElement)

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
        # so that even an action nobody grouped is accounted for
        cases = cases_of.get(action.id()) or [(UNASSIGNED, 1.0)]
        if cases[0][0] == UNASSIGNED and all(c.name != UNASSIGNED for c in source.cases):
            source.cases.append(SourceCase(UNASSIGNED, ""))
        for target in targets.get(action.id()) or [None]:
            try:
                placements.sound(action)
                name = target.GlobalId if target is not None else ""
                load = action.AppliedLoad
                if load is None:
                    raise ActionError("it has no value")
                if target is not None and not any(name in known for known in (curves, points, faces, sides)):
                    raise ActionError(f"it acts on an {target.is_a()} that is not in the model")
                if getattr(curves.get(name), "path", None) is not None:
                    raise ActionError("it acts on a curved member, along which no place can be given")
                found = _read(
                    action, load, target, curves.get(name), name in points, faces.get(name), sides.get(name),
                    placements, units,
                )  # fmt: skip
                for case, factor in cases:
                    for one in found:
                        source.actions.append(_in_case(one, case, factor, turned))
            except UNREADABLE as error:
                for case, _ in cases:
                    reason = f"load in case {case}: {first_line(error)}"
                    source.skipped.append(
                        Skipped("action", action.GlobalId, reason, action.Name or "", action.is_a())
                    )
    source.counts["load_case"] = len(source.cases)


def _read(
    action: Any,
    load: Any,
    target: Any,
    curve: SourceCurve | SourceElement | None,
    on_point: bool,
    face: SourceFace | SourceSurface | None,
    side: SourceEdge | None,
    placements: Placements,
    units: Units,
) -> list[SourceAction]:
    """Return what one action is on one thing it acts on, in no case yet. Raises ActionError."""
    if curve is not None or on_point:
        moved = imposed(action, load, "", target.GlobalId, on_point, units)
        if moved is None:
            return [_action(action, target, curve, "", placements, units)]
        moved.stations = [(x, _moved(v, units) if moved.kind == "movement" else v) for x, v in moved.stations]
        return [moved]
    return on_place(action, load, "", face, side, placements, units)


def _in_case(action: SourceAction, case: str, factor: float, turned: Array | None) -> SourceAction:
    """An action in a case, times a factor; what is along the axes of a turned analysis model is brought to
    the world's."""

    def value(v: tuple[float, ...]) -> tuple[float, ...]:
        out = factor * np.array(v, float)
        if turned is not None and not action.local and action.kind != "temperature":
            out = np.concatenate([turned @ out[:3], turned @ out[3:]])
        return tuple(out.tolist())

    if factor == 1.0 and (turned is None or action.local):
        return replace(action, case=case, stations=list(action.stations))
    return replace(action, case=case, stations=[(x, value(v)) for x, v in action.stations])


def _shared_axes(file: Any, placements: Placements) -> Array | None:
    """How the axes that an analysis model calls global lie in the world, as columns (3, 3); None along the
    world's own.

    IFC4: the shared placement "establishes a coordinate system which is referred to as global coordinate
    system"."""
    for model in file.by_type("IfcStructuralAnalysisModel"):
        place = getattr(model, "SharedPlacement", None)
        if place is None:
            continue
        m = placements.local(place)[:3, :3]
        if np.abs(m - np.eye(3)).max() > ALONG_AXES:
            return np.asarray(m)
    return None


def _groups(file: Any, source: SourceModel, turned: Array | None) -> dict[int, list[tuple[str, float]]]:
    """The cases of every action with its factor in each, by entity id."""
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

    def is_case(group: Any) -> bool:
        return bool(group.is_a("IfcStructuralLoadCase") or group.PredefinedType == "LOAD_CASE")

    # a group of cases that is none itself is a folder: what is in it are cases of their own
    folders = {
        g.id()
        for g in groups
        if not is_case(g)
        and g.PredefinedType not in COMBINED
        and any(i.is_a("IfcStructuralLoadGroup") and is_case(i) for i in members.get(g.id(), ()))
    }
    inside = {
        item.id()
        for g in groups
        if g.PredefinedType not in COMBINED
        for item in members.get(g.id(), ())
        if item.is_a("IfcStructuralLoadGroup") and not (g.id() in folders and is_case(item))
    }
    in_folder: dict[int, float] = {}
    for g in groups:
        if g.id() in folders:
            for item in members.get(g.id(), ()):
                if item.is_a("IfcStructuralLoadGroup") and is_case(item):
                    own = g.Coefficient if g.Coefficient is not None else 1.0
                    in_folder[item.id()] = own * factors.get((g.id(), item.id()), 1.0)
    cases_of: dict[int, list[tuple[str, float]]] = {}
    names: set[str] = set()
    case_names: dict[int, str] = {}

    def walk(group: Any, name: str, factor: float, seen: frozenset[int]) -> Array:
        """Puts what is in a group into a case; returns the self-weight of the cases in it."""
        weight = np.zeros(3)
        if group.id() in seen:
            return weight
        factor *= group.Coefficient if group.Coefficient is not None else 1.0
        own = getattr(group, "SelfWeightCoefficients", None)
        if own and len(own) == 3:
            weight = factor * np.array(own, float)
        for item in members.get(group.id(), ()):
            more = factor * factors.get((group.id(), item.id()), 1.0)
            if not item.is_a("IfcStructuralLoadGroup"):
                cases_of.setdefault(item.id(), []).append((name, more))
            elif not (group.id() in folders and is_case(item)):
                weight = weight + walk(item, name, more, seen | {group.id()})
        return weight

    combinations = []
    for group in groups:
        if group.PredefinedType in COMBINED:
            combinations.append(group)
            continue
        if group.id() in inside:
            continue
        if group.id() in folders and all(
            i.is_a("IfcStructuralLoadGroup") and is_case(i) for i in members.get(group.id(), ())
        ):
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
        own = getattr(group, "SelfWeightCoefficients", None)
        weight = walk(group, name, in_folder.get(group.id(), 1.0), frozenset())
        if turned is not None:
            weight = turned @ weight
        vector = tuple(weight.tolist())
        if (own and len(own) != 3) or not all(abs(v) <= HEAVIEST for v in vector):
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
                _spectrum(group, name, source),
            )
        )
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
            try:
                roots = [n for n in roots_in(text(group.Description)) if n in parts]
            except ValueError as error:
                source.skipped.append(Skipped("combination", group.GlobalId, str(error), name, group.is_a()))
                continue
            source.combinations.append(SourceCombination(name, group.Purpose or "", parts, roots))
    return cases_of


def _spectrum(group: Any, name: str, source: SourceModel) -> Spectrum | None:
    try:
        return spectrum_in(text(group.Description))
    except ValueError as error:
        message = f"the response spectrum of load case {name} is left out: {error}"
        source.log.append(LogEntry("skipped", (group.GlobalId,), message))
        return None


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
    along = (curve.line[1] - curve.line[0]) / length
    first, last, stretch = 0.0, length, 1.0
    if at is not None and len(at) == 2:
        first, last = (float((p - curve.line[0]) @ along) for p in at)
        if abs(last - first) < SHORTEST:
            raise ActionError("the piece it acts on runs square to its member")
        if max(first, last) < 0 or min(first, last) > length:
            raise ActionError("the piece it acts on lies outside its member")
        # askew to the member, it is longer than what of the member it acts on
        stretch = float(np.linalg.norm(at[1] - at[0])) / abs(last - first)
    shape = getattr(action, "PredefinedType", None)
    if load.is_a("IfcStructuralLoadConfiguration"):
        loads = load.Values
        places = load.Locations
        if places:
            step = (1.0 if last > first else -1.0) / stretch
            distances = [first + step * float(p[0]) * placements.scale for p in places]
        else:
            distances = list(np.linspace(first, last, len(loads)))
    else:
        loads = [load, *(getattr(action, "SubsequentAppliedLoads", None) or ())]
        distances = list(np.linspace(first, last, len(loads))) if len(loads) > 1 else [first]
        said = varying_places(action, placements)
        if said is not None and len(said) == len(loads):
            distances = [float((p - curve.line[0]) @ along) for p in said]
    read = [_values(v, units) for v in loads]
    kinds = {k for k, _ in read}
    if len(kinds) != 1:
        raise ActionError("it mixes concentrated and distributed values")
    out.kind = kinds.pop()
    if at is None:
        for distance in distances:
            if distance < -1e-6 or distance > length + 1e-6:
                raise ActionError(f"it acts {distance:g} m along a member that is {length:g} m long")
        distances = [min(max(d, 0.0), length) for d in distances]
    more = stretch if out.kind == "curve" and not projected else 1.0
    out.stations = [(d, tuple(more * x for x in v)) for d, (_, v) in zip(distances, read)]
    if out.kind == "curve" and len(out.stations) == 1:
        out.stations = [(first, out.stations[0][1]), (last, out.stations[0][1])]
    out.stations.sort(key=lambda s: s[0])
    if shape in WAVES:
        if out.kind != "curve" or len(loads) > 1:
            raise ActionError(f"a {shape.lower()} distribution of {len(loads)} values is not taken over")
        peak = tuple(more * x for x in read[0][1])
        out.stations = _wave(shape, min(first, last), max(first, last), peak)
    if at is not None and len(at) == 2:
        share = [(d - first) / (last - first) for d, _ in out.stations]
        places = np.array([at[0] + (at[1] - at[0]) * x for x in share])
        foot = curve.line[0] + np.outer([d for d, _ in out.stations], along)
        if np.abs(places - foot).max() > SHORTEST:
            out.offset = places - foot
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
