"""Cases, loads and combinations of the source onto the model's nodes and members."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np

from ..intake.source import SourceAction, SourceModel
from ..model import (
    AreaLoad,
    Combination,
    LoadCase,
    LogEntry,
    Member,
    MemberLoad,
    Model,
    NodeLoad,
    Settlement,
    Skipped,
    SpaceLoad,
    TemperatureLoad,
)
from ..model.edits import EditError
from ..model.edits.load_values import put_load
from ..model.entities.loads import SELF_WEIGHT, Vector, extent_fault
from ..model.geometry.vectors import Array
from ..model.load_table import NUMBERS, WORDS, Table, TableError, each_load

Values = tuple[float, ...]
_OWN_WEIGHT = re.compile(
    r"self[\s_-]*weight|dead[\s_-]*weight|own[\s_-]*weight|eigengewicht|poids propre", re.I
)


def transfer_loads(source: SourceModel, model: Model) -> None:
    """Fill `model` with cases and their loads. Self-weight is added as a case of its own unless a case of the
    source carries it, by coefficients or by its name with loads in it."""
    for case in source.cases:
        model.cases[case.name] = LoadCase(
            case.name, case.kind, case.self_weight, category=case.category, together=case.together
        )
    node_of = _nodes_of_points(source, model)
    # what intake could not take over; what is lost below is entered where it is lost
    for skipped in model.skipped:
        if skipped.cls == "action":
            for case_name, case_ in model.cases.items():
                if skipped.reason.startswith(f"load in case {case_name}:"):
                    case_.lost.append((skipped.id, skipped.reason, (0.0, 0.0, 0.0)))
    if source.load_table:
        _table_loads(source, model, node_of)
    pieces: dict[str, list[str]] = {}
    for surface in model.surfaces.values():
        if surface.element:
            pieces.setdefault(surface.element, []).append(surface.id)
    for action in source.actions:
        # a load on an element that is several faces in the model acts on each of them
        for target in (
            pieces.get(action.target, [action.target]) if action.kind == "area" else [action.target]
        ):
            _add(action if target == action.target else replace(action, target=target), model, node_of)
    if (model.members or model.surfaces) and not any(any(c.self_weight) for c in model.cases.values()):
        named = [c for c in model.cases.values() if _OWN_WEIGHT.search(c.name)]
        if not named:
            own = LoadCase(SELF_WEIGHT, "dead", (0.0, 0.0, -1.0))
            model.cases = {SELF_WEIGHT: own, **model.cases}
        elif all(c.empty for c in named):
            named[0].self_weight = (0.0, 0.0, -1.0)
            message = f"case {named[0].name} holds no loads; self-weight is computed in it"
            model.log.append(LogEntry("guessed", (named[0].name,), message))
    for c in source.combinations:
        model.combinations.append(Combination(c.name, c.kind, dict(c.factors)))


def _table_loads(source: SourceModel, model: Model, node_of: dict[str, str]) -> None:
    """Loads of a table; a row that cannot be read is left out with its reason."""
    try:
        table = Table(source.load_table, (*NUMBERS, *WORDS), ("case", "kind"), 1.0)
    except TableError as error:
        model.skipped.append(Skipped("action", "table loads", str(error), "the table of loads"))
        return
    for n, name, load in each_load(table, model, node_of):
        try:
            if isinstance(load, TableError):
                raise load
            put_load(model, model.cases[name], {"by": "source", "source": f"row {n}"} | load)
        except (TableError, EditError) as error:
            reason = f"load in case {name}: table loads, {error}"
            if name in model.cases:
                model.cases[name].lost.append((f"loads row {n}", reason, (0.0, 0.0, 0.0)))
            model.skipped.append(Skipped("action", f"loads row {n}", reason, f"row {n}"))


def _nodes_of_points(source: SourceModel, model: Model) -> dict[str, str]:
    """Node id of every point connection; points that share a node with another are found by place."""
    out: dict[str, str] = {}
    if not model.nodes:
        return out
    ids = list(model.nodes)
    places = np.array([n.point for n in model.nodes.values()])
    for p in source.points:
        if p.id in model.nodes:
            out[p.id] = p.id
            continue
        distance = np.linalg.norm(places - (p.point - model.origin), axis=1)
        k = int(distance.argmin())
        if distance[k] <= model.snap:
            out[p.id] = ids[k]
    return out


def _add(action: SourceAction, model: Model, node_of: dict[str, str]) -> None:
    case = model.cases[action.case]
    values = action.stations[0][1]
    if action.kind in ("area", "space", "temperature", "movement"):
        _place(action, case, model, node_of)
        return
    if action.target in node_of:
        f, m = values[:3], values[3:]
        case.node_loads.append(NodeLoad(node_of[action.target], f, m, action.id))  # type: ignore[arg-type]
        return
    member = model.members.get(action.target)
    if member is None or member.source_line is None:
        force = tuple(float(v) for v in values[:3]) if action.kind == "point" else (0.0, 0.0, 0.0)
        reason = f"load in case {action.case}: what it acts on is not in the model"
        case.lost.append((action.id, reason, force))  # type: ignore[arg-type]
        model.skipped.append(Skipped("action", action.id, reason, action.name))
        return
    line = model.line(member)
    length = float(np.linalg.norm(line[1] - line[0]))
    own = float(np.linalg.norm(member.source_line[1] - member.source_line[0]))
    scale, first = length / own, 0.0
    if model.physical:
        # a body's load stays where it is, along the axis that transfer made longer or shorter
        scale, first = 1.0, float((member.source_line[0] - line[0]) @ (line[1] - line[0])) / length
    if action.at is not None:
        along = float((action.at - model.origin - line[0]) @ (line[1] - line[0])) / length
        if not -model.search <= along <= length + model.search:
            reason = f"load in case {action.case}: its point lies {max(-along, along - length):.2f} m beyond its member"
            case.lost.append((action.id, reason, values[:3]))  # type: ignore[arg-type]
            model.skipped.append(Skipped("action", action.id, reason, action.name))
            return
        _piece(case, action, member, min(max(along, 0.0), length), None, values, values)
    elif action.kind == "point":
        for d, v in action.stations:
            _piece(case, action, member, min(max(first + d * scale, 0.0), length), None, v, v)
    else:
        for (d0, v0), (d1, v1) in zip(action.stations, action.stations[1:]):
            if d1 > d0:
                a, b = first + d0 * scale, first + d1 * scale
                low, high = max(a, 0.0), min(b, length)

                def at(x: float, a: float = a, b: float = b, p: Values = v0, q: Values = v1) -> Values:
                    return tuple(u + (w - u) * (x - a) / (b - a) for u, w in zip(p, q))

                if high > low:
                    _piece(case, action, member, low, high, at(low), at(high))
                beyond = (b - a) - max(high - low, 0.0)
                if beyond > 1e-3:
                    _tell_cut(case, action, beyond, v0 if a < 0 else v1)


def _tell_cut(case: LoadCase, action: SourceAction, length: float, value: tuple[float, ...]) -> None:
    """Keep what of a line load lies beyond its member as not taken over."""
    reason = f"load in case {action.case}: {length:.3f} m of it lie beyond its member"
    force = (value[0] * length, value[1] * length, value[2] * length)
    case.lost.append((action.id, reason, force))


def _place(action: SourceAction, case: LoadCase, model: Model, node_of: dict[str, str]) -> None:
    """Actions on surfaces and places, temperatures and movements."""
    values = action.stations[0][1]
    force: Vector = (values[0], values[1], values[2])
    outline = None if action.outline is None else action.outline - model.origin
    gone = (
        action.target
        and action.target not in (*model.members, *model.surfaces)
        and action.target not in node_of
    )
    member = model.members.get(action.target)
    if gone or (action.kind == "temperature" and member is None):
        reason = f"load in case {action.case}: what it acts on is not in the model"
        case.lost.append((action.id, reason, (0.0, 0.0, 0.0)))
        model.skipped.append(Skipped("action", action.id, reason, action.name))
    elif action.kind in ("area", "space"):
        placed = _extended(action, outline, force, model)
        fault = extent_fault(placed)
        if fault:
            reason = f"load in case {action.case}: {fault}"
            case.lost.append((action.id, reason, (0.0, 0.0, 0.0)))
            model.skipped.append(Skipped("action", action.id, reason, action.name))
        elif isinstance(placed, AreaLoad):
            case.area_loads.append(placed)
        else:
            case.space_loads.append(placed)
            if any(values[3:]):
                message = f"a moment of load {action.name or action.id} placed on a surface is not taken over"
                model.log.append(LogEntry("skipped", (action.id,), message))
    elif action.kind == "temperature":
        assert member is not None
        section = model.sections.get(member.section)
        y0, y1, z0, z1 = section.bounds if section is not None else (0.0, 0.0, 0.0, 0.0)
        over = [d / size if size > 0 else 0.0 for d, size in zip(values[1:3], (y1 - y0, z1 - z0))]
        if any(d and not o for d, o in zip(values[1:3], over)):
            message = (
                "its section has no outline, so that the temperature difference over its depth is left out"
            )
            model.log.append(LogEntry("guessed", (member.id,), message))
        case.temperatures.append(TemperatureLoad(member.id, values[0], over[0], over[1], action.id))
    else:
        case.settlements.append(Settlement(node_of[action.target], values, action.id))


def _extended(
    action: SourceAction, outline: Array | None, force: Vector, model: Model
) -> AreaLoad | SpaceLoad:
    """A load on an area, or on a place in space (which always has an outline)."""
    if action.kind == "space":
        assert outline is not None
        last = action.stations[-1][1]
        end: Vector = (last[0], last[1], last[2]) if len(outline) == 2 else (0.0, 0.0, 0.0)
        return SpaceLoad(outline, force, end, action.target, action.id, name=action.name)
    return AreaLoad(
        action.target,
        tuple((v[0], v[1], v[2]) for _, v in action.stations),
        outline,
        None if action.places is None else action.places - model.origin,
        action.local,
        action.projected,
        "members" if action.cladding else "surfaces",
        action.span,
        source=action.id,
        name=action.name,
    )


def _piece(
    case: LoadCase,
    action: SourceAction,
    member: Member,
    a: float,
    b: float | None,
    va: tuple[float, ...],
    vb: tuple[float, ...],
) -> None:
    for kind, part in (("force", slice(0, 3)), ("moment", slice(3, 6))):
        if any(va[part]) or any(vb[part]):
            case.member_loads.append(
                MemberLoad(
                    member.id,
                    a,
                    a if b is None else b,
                    va[part],  # type: ignore[arg-type]
                    vb[part],  # type: ignore[arg-type]
                    kind,
                    action.local,
                    action.projected and b is not None,
                    action.id,
                )
            )
