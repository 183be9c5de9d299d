"""Actions imposed on a structure rather than put on it: temperatures of members, movements of supports."""

from __future__ import annotations

import numpy as np

from ...model import LoadCase, Model, TemperatureLoad
from ...model.geometry.vectors import Array
from .elements import condensed_tapers, principal
from .mesh import Mesh


def thermal_ends(model: Model, mesh: Mesh, case: LoadCase) -> Array:
    """End loads (P, 12), in member axes, that stretch and bend free pieces as their temperatures would.

    A fixed bar warmed by T presses with EA alpha T; one that is warmer by t a metre of depth bends with EI
    alpha t (any textbook on strength of materials)."""
    out = np.zeros((len(mesh.length), 12))
    if not case.temperatures:
        return out
    index = mesh.member_index
    last = np.append(mesh.first[1:], len(mesh.member))
    number = {} if mesh.tapers is None else mesh.tapers.number
    for t in case.temperatures:
        k = index.get(t.member)
        if k is None:
            continue
        material = model.materials.get(model.members[t.member].material)
        alpha = material.expansion if material is not None else 0.0
        pieces = slice(mesh.first[k], last[k])
        own = _warmed(mesh.ea[pieces], mesh.eiy[pieces], mesh.eiz[pieces], mesh.turn[pieces], alpha, t)
        if mesh.tapers is not None and mesh.first[k] in number:  # all pieces of a member taper, or none
            tapers = condensed_tapers(mesh.tapers)
            first = number[int(mesh.first[k])]
            which = slice(first, first + len(own))
            s = tapers.steps
            ea, eiy, eiz, turn = (tapers.of_pieces(v)[which].ravel() for v in (s.ea, s.eiy, s.eiz, s.turn))
            loads = _warmed(ea, eiy, eiz, turn, alpha, t)
            own = tapers.at_ends(loads.reshape(len(own), -1, 12), which)
        out[pieces] += own
    return out


def _warmed(ea: Array, eiy: Array, eiz: Array, turn: Array, alpha: float, t: TemperatureLoad) -> Array:
    """End loads (n, 12) of prismatic pieces."""
    r = principal(turn)
    gradient = r[:, 1:, 1:] @ np.array([t.grad_y, t.grad_z])
    moment = np.zeros((len(r), 3))
    moment[:, 1] = eiy * alpha * gradient[:, 1]
    moment[:, 2] = -eiz * alpha * gradient[:, 0]
    moment = np.einsum("pji,pj->pi", r, moment)
    out = np.zeros((len(r), 12))
    axial = ea * alpha * t.uniform
    out[:, 0], out[:, 6] = -axial, axial
    out[:, 3:6], out[:, 9:12] = -moment, moment
    return out


def imposed_movements(model: Model, mesh: Mesh, cases: list[LoadCase]) -> Array:
    """Movements (6 N, C) of supported nodes in their supports' own axes; zero where a support does not
    hold."""
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
