"""Matching of a revision's modes with those of its baseline: by what moves and which way, not by its
number."""

from __future__ import annotations

import numpy as np

from ...analysis.dynamics.modes import Mode
from ...analysis.results.results import Results
from ...model.geometry.vectors import Array
from ..places import Places

ALIKE = 0.3  # modal assurance from which two shapes are of one mode
LEAST = 0.01  # share of the mass that a mode moves in a direction for it to be said to move that way


def mode_pairs(
    old: list[Mode], new: list[Mode], results: tuple[Results, Results], places: Places
) -> list[tuple[Mode, Mode]]:
    """Modes of both sides, each once, the baseline's in their order: those whose shapes agree best (modal
    assurance criterion over the nodes that both have); where shapes were not kept, by the shares of mass that
    they move, turned back. A mode that has no like on the other side is left out."""
    if not old or not new:
        return []
    from scipy.optimize import linear_sum_assignment  # slow to load, and seldom wanted

    alike = _by_shape(old, new, results, places)
    if alike is None:
        alike = _by_mass(old, new, places)
    rows, columns = linear_sum_assignment(-alike)
    return [(old[i], new[j]) for i, j in zip(rows, columns) if alike[i, j] >= ALIKE]


def _by_shape(
    old: list[Mode], new: list[Mode], results: tuple[Results, Results], places: Places
) -> Array | None:
    """Modal assurance (m, n); None where a shape is missing or too few nodes are shared."""
    if any(m.shape is None for m in (*old, *new)):
        return None
    at = [{n: k for k, n in enumerate(r.node_ids)} for r in results]
    shared = [(at[0][a], at[1][b]) for b, a in places.node_of.items() if a in at[0] and b in at[1]]
    if len(shared) < 2:
        return None
    i, j = np.array(shared).T
    a = np.array([m.shape[i, :3].ravel() for m in old if m.shape is not None])
    b = np.array([places.turned_back(m.shape[j, :3]).ravel() for m in new if m.shape is not None])
    size = np.outer((a * a).sum(axis=1), (b * b).sum(axis=1))
    return np.asarray((a @ b.T) ** 2 / np.maximum(size, 1e-300))


def _by_mass(old: list[Mode], new: list[Mode], places: Places) -> Array:
    """How alike two modes are by the directions in which they move mass, and by their periods among those
    that move none."""

    def shares(m: Mode, turn: Array) -> Array:
        # shares of mass turn like squares of a vector
        own = np.sqrt([m.mass_x, m.mass_y, m.mass_z])
        return np.asarray(np.abs(turn @ own))

    out = np.zeros((len(old), len(new)))
    for i, a in enumerate(old):
        va = shares(a, np.eye(3))
        for j, b in enumerate(new):
            vb = shares(b, places.rotation.T)
            near = min(a.period, b.period) / max(a.period, b.period, 1e-300)
            if max(va.max() ** 2, vb.max() ** 2) < LEAST:
                out[i, j] = near
            else:
                size = float(np.linalg.norm(va) * np.linalg.norm(vb))
                out[i, j] = float(va @ vb) / size * (0.5 + 0.5 * near) if size > 0 else 0.0
    return out
