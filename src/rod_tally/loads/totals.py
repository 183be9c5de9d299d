"""Sums of a case: force and moment of all its loads about the source's origin."""

from __future__ import annotations

import numpy as np

from ..model import LoadCase, Model
from ..model.geometry.vectors import Array
from ..model.member_force import member_pieces
from .distribution import Distribution


def case_total(model: Model, distribution: Distribution, case: LoadCase) -> Array:
    """(6,): N and N m, global, about the origin of the source's coordinates. What is not carried counts with
    its force."""
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
    places, forces, turning = member_pieces(model, case.member_loads)
    force = force + forces.sum(axis=0)
    moment = moment + np.cross(places + model.origin, forces).sum(axis=0) + turning
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
        put(
            held.force,
            held.line.mean(axis=0) if len(held.line) == 1 else _middle(held.line, held.qa, held.qb),
        )
    for entry in arrival.shares:
        if entry.lost.any():
            put(entry.lost, np.concatenate(entry.places).mean(axis=0) if entry.places else np.zeros(3))
    return np.concatenate([force, moment])


def _middle(line: Array, qa: Array, qb: Array) -> Array:
    """Where the resultant of a linear line load lies."""
    a, b = float(np.linalg.norm(qa)), float(np.linalg.norm(qb))
    share = (a + 2 * b) / (3 * (a + b)) if a + b > 0 else 0.5
    return np.asarray(line[0] + (line[1] - line[0]) * share)
