"""Walls that only stand on what is below them: nodes of their own along the foot, tied to those they stand on, that may open upwards."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from .mesh_data import Plates, Tie
from .wires import TOUCH


def stand_apart(out: Plates, standing: set[str]) -> None:
    """Give shells of these walls nodes of their own along their feet, where anything else is at those, in place: each tied to the node it
    was. Walls that meet at a foot share the new node there; what is held along an edge of its own stays as it is."""
    held = {(h.surface, n) for h in out.held for n in h.nodes.tolist()}
    feet: dict[str, NDArray[np.int64]] = {}
    for ident in sorted(standing & set(out.surfaces)):
        nodes = out.nodes_of(ident)
        on = np.unique(
            np.concatenate([_along(out, nodes, edge) for edge in out.shapes[ident].bottom_edges()] or [nodes[:0]])
        )
        feet[ident] = on[[(ident, int(n)) not in held for n in on]] if len(on) else on
    if not any(len(n) for n in feet.values()):
        return
    number = {s: k for k, s in enumerate(out.surfaces)}
    elsewhere = _elsewhere(out, feet)
    points, copies, count = [out.points], {}, len(out.points)
    for ident, on in feet.items():
        for n in on.tolist():
            if n not in elsewhere:
                continue
            if n not in copies:
                copies[n] = count
                points.append(out.points[n][None])
                # what opens turns in the wall's plane: a tied turn there would hold the wall down by its toe
                normal = out.shapes[ident].plain_axes[2]
                out.ties.append(Tie(count, (n,), (1.0,), (float(normal[0]), float(normal[1]), float(normal[2]))))
                count += 1
            out.standing.append((ident, copies[n]))
        own = {n: copies[n] for n in on.tolist() if n in copies}
        if own:
            change = np.arange(len(out.points))
            change[list(own)] = list(own.values())
            for elements, of in ((out.quads, out.quad_of), (out.triangles, out.triangle_of)):
                elements[of == number[ident]] = change[elements[of == number[ident]]]
    out.points = np.vstack(points)


def _along(out: Plates, nodes: NDArray[np.int64], edge: NDArray[np.float64]) -> NDArray[np.int64]:
    d = edge[1] - edge[0]
    size = float(np.linalg.norm(d))
    near = np.array(cKDTree(out.points[nodes]).query_ball_point(edge.mean(axis=0), size / 2 + 2 * TOUCH), np.int64)
    if not len(near):
        return nodes[:0]
    t = (out.points[nodes[near]] - edge[0]) @ d / size
    off = np.linalg.norm(out.points[nodes[near]] - edge[0] - np.outer(t, d / size), axis=1)
    return nodes[near[off <= 2 * TOUCH]]


def _elsewhere(out: Plates, feet: dict[str, NDArray[np.int64]]) -> set[int]:
    """Nodes of feet that anything but those walls takes hold of: the model's own, ties, tracks of members, other surfaces."""
    at = set(range(out.named)) | {n for t in out.ties for n in (t.slave, *t.masters)}
    at |= {n for track in out.tracks.values() for _, n in track}
    at |= {n for column in out.columns.values() for n in column.nodes.tolist()}
    for ident in out.surfaces:
        at |= set(np.setdiff1d(out.nodes_of(ident), feet.get(ident, [])).tolist())
    return at
