"""Supports of each node of a mesh: supports of the model's nodes, held edges of shells, and the ground under
rafts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...meshing import Plates
from ...model import Model, Support
from ...model.entities.structure import BED_SIDEWAYS
from ..shells.assembly import ground_stiffness


def node_supports(model: Model, plates: Plates | None) -> dict[int, Support]:
    """Supports by number of the node, springs of edges and ground in N/m and N m/rad."""
    out = {i: n.support for i, n in enumerate(model.nodes.values()) if n.support.any}
    if plates is None:
        return out
    for edge in plates.held:
        for n, length in zip(edge.nodes.tolist(), edge.length.tolist()):
            by = edge.support
            own = Support(tuple(k * length for k in by.stiffness), by.axes)
            out[n] = both(out[n], own) if n in out else own
    for ident, s in plates.shapes.items():
        if ident not in plates.surfaces or not s.on_ground:
            continue
        stiffness = ground_stiffness(plates, ident)
        for n in np.flatnonzero(stiffness).tolist():
            k = float(stiffness[n])
            own = Support((BED_SIDEWAYS * k, BED_SIDEWAYS * k, k, 0.0, 0.0, 0.0))
            out[n] = both(out[n], own) if n in out else own
    return out


def stands_fast(supports: dict[int, Support], n: int) -> NDArray[np.bool_]:
    """Which of n nodes cannot follow another: those that are held in some direction, or whose support has
    axes of its own. One on springs alone, such as the ground under a raft, can."""
    out = np.zeros(n, bool)
    out[[i for i, s in supports.items() if any(s.held) or s.axes is not None]] = True
    return out


def held_in_plan(supports: dict[int, Support], n: int) -> NDArray[np.bool_]:
    """Which of n nodes cannot move or turn in plan at all, or have a support with axes of its own."""
    out = np.zeros(n, bool)
    out[[i for i, s in supports.items() if s.held[0] or s.held[1] or s.held[5] or s.axes is not None]] = True
    return out


def both(a: Support, b: Support) -> Support:
    """Two supports at one node: what either holds is held, and springs add. Where their axes differ, the
    first one's."""
    if not b.any:
        return a
    if a.axes != b.axes and a.any:
        return a
    return Support(tuple(x + y for x, y in zip(a.stiffness, b.stiffness)), a.axes if a.any else b.axes)
