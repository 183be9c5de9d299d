"""Resultants of loads on members: of one, and of many at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from .entities.loads import MemberLoad
from .entities.model import Model
from .geometry.vectors import Array, local_axes

GAUSS = ((1 - 3**-0.5) / 2, (1 + 3**-0.5) / 2)  # shares of a length: exact for linear loads times their lever


def projection(x: Array) -> Array:
    """Return what a load a metre of projection is a metre of a member along the unit vector x (..., 3): for
    each component the length that is seen along it, so that loads of several components add up."""
    return np.asarray(np.sqrt(np.maximum(1 - x**2, 0.0)))


def member_force(model: Model, load: MemberLoad) -> Array:
    """Resultant of a load on a member (N, global); zero for moments, and where the member is gone."""
    member = model.members.get(load.member)
    if member is None or load.kind != "force":
        return np.zeros(3)
    qa, qb = np.array(load.qa), np.array(load.qb)
    size = load.b - load.a
    if not (load.local or load.projected):  # needs no axes, whose working out is most of the time
        return np.asarray(qa if size == 0 else (qa + qb) / 2 * size)
    axes = member.axes(model.line(member))
    if load.projected:
        share = projection(np.array([1.0, 0, 0]) if load.local else axes[0])
        qa, qb = qa * share, qb * share
    force = qa if size == 0 else (qa + qb) / 2 * size
    return np.asarray(axes.T @ force if load.local else force)


def member_pieces(model: Model, loads: Sequence[MemberLoad]) -> tuple[Array, Array, Array]:
    """Places (2 n, 3; model's axes) and forces (2 n, 3; N, global) whose sum and moment are those of the
    force loads, and the sum (3,) of the moment loads (N m, global). Loads on members that are gone count
    nothing."""
    own = [(model.members[x.member], x) for x in loads if x.member in model.members]
    if not own:
        return np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(3)
    members = [m for m, _ in own]
    lines = model.lines_of(members)
    way = lines[:, 1] - lines[:, 0]
    length = np.linalg.norm(way, axis=1)
    x = way / np.where(length > 0, length, 1.0)[:, None]
    a, b = (np.array([getattr(load, k) for _, load in own], float) for k in ("a", "b"))
    qa, qb = (np.array([getattr(load, k) for _, load in own], float) for k in ("qa", "qb"))
    local, projected, turning = (
        np.array(flags, bool)
        for flags in zip(*((load.local, load.projected, load.kind != "force") for _, load in own))
    )
    axes = np.zeros((len(own), 3, 3))
    if local.any():
        z = np.array([m.z_axis for m in members], float)[local]
        axes[local] = np.asarray(local_axes(way[local], z)).reshape(-1, 3, 3)
    spot = a == b
    places, forces = [], []
    for share in GAUSS:
        q = np.where(spot[:, None], qa, qa + (qb - qa) * share)
        if projected.any():
            way_of = np.where(local[:, None], np.array([1.0, 0, 0]), x)
            q = np.where(projected[:, None], q * projection(way_of), q)
        q = np.where(local[:, None], np.einsum("nji,nj->ni", axes, q), q)
        weight = np.where(spot, 0.5, (b - a) / 2)
        forces.append(q * (weight * ~turning)[:, None])
        places.append(lines[:, 0] + x * (a + (b - a) * share)[:, None])
    total = np.where(spot[:, None], qa, (qa + qb) / 2 * (b - a)[:, None])
    total = np.where(local[:, None], np.einsum("nji,nj->ni", axes, total), total)
    return np.concatenate(places), np.concatenate(forces), np.asarray(total[turning].sum(axis=0))
