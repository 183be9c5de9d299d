"""What is imposed on a structure rather than put on it: temperatures of members, movements of supports."""

from __future__ import annotations

import numpy as np

from ...model import LoadCase, Model
from ...model.geometry.vectors import Array
from .elements import principal
from .mesh import Mesh


def thermal_ends(model: Model, mesh: Mesh, case: LoadCase) -> Array:
    """End loads (P, 12), in member axes, that stretch and bend free pieces as their temperatures would.

    A fixed bar warmed by T presses with EA alpha T; one that is warmer by t a metre of depth bends with EI alpha t
    (any textbook on strength of materials).
    """
    out = np.zeros((len(mesh.length), 12))
    if not case.temperatures:
        return out
    index = mesh.member_index
    last = np.append(mesh.first[1:], len(mesh.member))
    for t in case.temperatures:
        k = index.get(t.member)
        if k is None:
            continue
        material = model.materials.get(model.members[t.member].material)
        alpha = material.expansion if material is not None else 0.0
        pieces = slice(mesh.first[k], last[k])
        turn = principal(mesh.turn[pieces])
        gradient = turn[:, 1:, 1:] @ np.array([t.grad_y, t.grad_z])
        moment = np.zeros((len(turn), 3))
        moment[:, 1] = mesh.eiy[pieces] * alpha * gradient[:, 1]
        moment[:, 2] = -mesh.eiz[pieces] * alpha * gradient[:, 0]
        moment = np.einsum("pji,pj->pi", turn, moment)
        axial = mesh.ea[pieces] * alpha * t.uniform
        out[pieces, 0] -= axial
        out[pieces, 6] += axial
        out[pieces, 3:6] -= moment
        out[pieces, 9:12] += moment
    return out


def imposed_movements(model: Model, mesh: Mesh, cases: list[LoadCase]) -> Array:
    """Movements (6 N, C) of supported nodes in their supports' own axes; zero where a support does not hold."""
    out = np.zeros((6 * len(mesh.node_ids), len(cases)))
    index = mesh.node_index
    for c, case in enumerate(cases):
        for s in case.settlements:
            i = index.get(s.node)
            if i is None:
                continue
            support = model.nodes[s.node].support
            movement = np.array(s.movement, float)
            if support.axes is not None:
                axes = np.array(support.axes)
                movement = np.concatenate([axes @ movement[:3], axes @ movement[3:]])
            held = np.array(support.stiffness) > 0
            out[6 * i : 6 * i + 6, c] += movement * held
    return out
