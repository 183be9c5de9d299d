"""Cases, loads and combinations of the source onto the model's nodes and members."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

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

ROUNDING = 1e-6  # m; what files carry
Values = tuple[float, ...]
_OWN_WEIGHT = re.compile(
    r"self[\s_-]*weight|dead[\s_-]*weight|own[\s_-]*weight|eigengewicht|poids propre", re.I
)


def transfer_loads(source: SourceModel, model: Model) -> None:
    """Fill `model` with cases and their loads. Self-weight is added as a case of its own unless a case of the
    source carries it, by coefficients or by its name with loads in it."""
    for case in source.cases:
        model.cases[case.name] = LoadCase(
            case.name,
            case.kind,
            case.self_weight,
            category=case.category,
            together=case.together,
            spectrum=case.spectrum,
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
        model.combinations.append(Combination(c.name, c.kind, dict(c.factors), roots=list(c.roots)))


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
    axes = member.axes(line)
    size = _half_size(model, member)
    if action.at is not None:
        p = action.at - model.origin
        along = float((p - line[0]) @ axes[0])
        near = min(max(along, 0.0), length)
        aside = p - line[0] - near * axes[0]
        far = float(np.linalg.norm(aside))
        if far > model.search + (size if -ROUNDING <= along <= length + ROUNDING else 0.0):
            beyond = max(-along, along - length)
            how = f"{beyond:.2f} m beyond" if beyond > 0 else f"{far:.2f} m beside"
            _lose(case, action, model, f"its point lies {how} its member", _force(action, axes, values))
            return
        _piece(case, action, member, near, None, *2 * [_with_moment(action, axes, values, aside)])
    elif action.kind == "point":
        for d, v in action.stations:
            _piece(case, action, member, min(max(first + d * scale, 0.0), length), None, v, v)
    else:
        offsets = action.offset if action.offset is not None else np.zeros((len(action.stations), 3))
        far = float(np.linalg.norm(offsets, axis=1).max())
        if far > model.search + size:
            total = np.zeros(6)
            for (d0, v0), (d1, v1) in pairs(action.stations):
                total += (np.array(v0) + v1) / 2 * (d1 - d0)
            why = f"it lies {far:.2f} m beside its member"
            _lose(case, action, model, why, _force(action, axes, tuple(total.tolist())))
            return
        beyond, lost = 0.0, np.zeros(3)
        for ((d0, v0), (d1, v1)), (o0, o1) in zip(pairs(action.stations), pairs(list(offsets))):
            if d1 <= d0:
                continue
            a, b = first + d0 * scale, first + d1 * scale
            low, high = max(a, 0.0), min(b, length)
            q = np.array([v0, v1], float)

            def at(x: float, a: float = a, b: float = b, q: Array = q) -> Array:
                return np.asarray(q[0] + (q[1] - q[0]) * (x - a) / (b - a))

            if high > low:
                o = [o0 + (o1 - o0) * (x - a) / (b - a) for x in (low, high)]
                _piece(case, action, member, low, high, *_with_moments(action, axes, at(low), at(high), o))
            for x0, x1 in ((a, min(b, 0.0)), (max(a, length), b)):
                if x1 > x0:
                    beyond += x1 - x0
                    lost = lost + ((at(x0) + at(x1)) / 2 * (x1 - x0))[:3]
        if beyond > ROUNDING:
            reason = f"load in case {action.case}: {beyond:.3f} m of it lie beyond its member"
            gone = axes.T @ lost if action.local else lost
            case.lost.append((action.id, reason, (float(gone[0]), float(gone[1]), float(gone[2]))))


def pairs(items: list[Any]) -> list[tuple[Any, Any]]:
    """Each item with the next."""
    return list(zip(items, items[1:]))


def _half_size(model: Model, member: Member) -> float:
    """How far a member's body reaches from its axis, m; 0 for an analytical one, which has none."""
    section = model.sections.get(member.section)
    if not model.physical or section is None or not section.usable:
        return 0.0
    return float(np.abs(section.bounds).max())


def _force(action: SourceAction, axes: Array, values: Values) -> Vector:
    force = np.array(values[:3], float)
    force = axes.T @ force if action.local else force
    return float(force[0]), float(force[1]), float(force[2])


def _lose(case: LoadCase, action: SourceAction, model: Model, why: str, force: Vector) -> None:
    reason = f"load in case {action.case}: {why}"
    case.lost.append((action.id, reason, force))
    model.skipped.append(Skipped("action", action.id, reason, action.name))


def _with_moment(action: SourceAction, axes: Array, values: Values, aside: Array) -> Values:
    """Values on the axis for a force beside it: with the moment of the distance `aside` (3,), global."""
    return tuple(_with_moments(action, axes, np.array(values), np.array(values), [aside, aside])[0].tolist())


def _with_moments(
    action: SourceAction, axes: Array, q0: Array, q1: Array, aside: list[Array]
) -> tuple[Array, Array]:
    """Linear values on the axis for a line load beside it by `aside` at both its ends: with the moments of
    that distance.

    The product of two linear functions is taken as the linear one of the same sum and first moment."""
    if not np.abs(aside).max() > ROUNDING:
        return q0, q1
    o = np.array(aside) @ axes.T if action.local else np.array(aside)
    f0, df, do = q0[:3], q1[:3] - q0[:3], o[1] - o[0]
    constant, slope, square = np.cross(o[0], f0), np.cross(do, f0) + np.cross(o[0], df), np.cross(do, df)
    first = constant - square / 6
    last = first + slope + square
    return np.concatenate([q0[:3], q0[3:] + first]), np.concatenate([q1[:3], q1[3:] + last])


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
    va: Any,
    vb: Any,
) -> None:
    va, vb = tuple(float(v) for v in va), tuple(float(v) for v in vb)
    for kind, part in (("force", slice(0, 3)), ("moment", slice(3, 6))):
        if any(va[part]) or any(vb[part]):
            case.member_loads.append(
                MemberLoad(
                    member.id,
                    a,
                    a if b is None else b,
                    va[part],
                    vb[part],
                    kind,
                    action.local,
                    action.projected and b is not None,
                    action.id,
                )
            )
