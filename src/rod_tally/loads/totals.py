"""What a case sums to: force and moment of all its loads about the source's origin."""

from __future__ import annotations

import numpy as np

from ..model import LoadCase, Model
from ..model.entities.loads import MemberLoad
from ..model.geometry.vectors import Array
from ..model.member_force import member_force
from .distribution import Distribution


def case_total(model: Model, distribution: Distribution, case: LoadCase) -> Array:
    """(6,): N and N m, global, about the origin of the source's coordinates. What is not carried counts with its force."""
    force: Array = np.zeros(3)
    moment: Array = np.zeros(3)

    def put(f: Array, at: Array) -> None:
        nonlocal force, moment
        force = force + f
        moment = moment + np.cross(at + model.origin, f)

    for n in case.node_loads:
        if n.node in model.nodes:
            put(np.array(n.force, float), model.nodes[n.node].point)
            moment = moment + np.array(n.moment, float)
    for load in case.member_loads:
        m = model.members.get(load.member)
        if m is None:
            continue
        line = model.line(m)
        u = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        if load.kind != "force":
            qa, qb = np.array(load.qa, float), np.array(load.qb, float)
            total = qa if load.a == load.b else (qa + qb) / 2 * (load.b - load.a)
            moment = moment + (m.axes(line).T @ total if load.local else total)
            continue
        for x, f in _pieces(model, load):
            put(f, line[0] + u * x)
    if any(case.self_weight):
        down = np.array(case.self_weight, float)
        weights = np.array([model.weight(m) for m in model.members.values()])
        own = weights[:, None] * down
        force = force + own.sum(axis=0)
        moment = moment + np.cross(model.lines().mean(axis=1) + model.origin, own).sum(axis=0)
    arrival = distribution.case(case.name)
    if len(arrival.member):
        members = [model.members[i] for i in arrival.members]
        lines = model.lines_of(members)[arrival.member]
        u = lines[:, 1] - lines[:, 0]
        u = u / np.linalg.norm(u, axis=1)[:, None]
        point = arrival.a == arrival.b
        for gauss in (-(3**-0.5), 3**-0.5):  # Gauss: exact for linear loads times their lever
            t = (1 + gauss) / 2
            along = arrival.a + (arrival.b - arrival.a) * t
            q = arrival.qa + (arrival.qb - arrival.qa) * t
            parts = np.where(point[:, None], q / 2, q * ((arrival.b - arrival.a) / 2)[:, None])
            at = lines[:, 0] + u * along[:, None] + model.origin
            force = force + parts.sum(axis=0)
            moment = moment + np.cross(at, parts).sum(axis=0)
    for node, f in zip(arrival.nodes, arrival.node_force):
        put(f, model.nodes[node].point)
    for held in arrival.held:
        put(held.force, held.line.mean(axis=0) if len(held.line) == 1 else _middle(held.line, held.qa, held.qb))
    for entry in arrival.shares:
        if entry.lost.any():
            put(entry.lost, np.concatenate(entry.places).mean(axis=0) if entry.places else np.zeros(3))
    return np.concatenate([force, moment])


def _pieces(model: Model, load: MemberLoad) -> list[tuple[float, Array]]:
    """Places (m) and forces whose sum and moment are the load's."""
    if load.a == load.b:
        return [(load.a, member_force(model, load))]
    out = []
    middle, half = (load.a + load.b) / 2, (load.b - load.a) / 2
    qa, qb = np.array(load.qa, float), np.array(load.qb, float)
    for share in (-(3**-0.5), 3**-0.5):
        q = tuple(float(v) for v in qa + (qb - qa) * (1 + share) / 2)
        part = MemberLoad(load.member, 0.0, half, q, q, load.kind, load.local, load.projected)  # type: ignore[arg-type]
        out.append((middle + half * share, member_force(model, part)))
    return out


def _middle(line: Array, qa: Array, qb: Array) -> Array:
    """Where the resultant of a linear line load lies."""
    a, b = float(np.linalg.norm(qa)), float(np.linalg.norm(qb))
    share = (a + 2 * b) / (3 * (a + b)) if a + b > 0 else 0.5
    return np.asarray(line[0] + (line[1] - line[0]) * share)
