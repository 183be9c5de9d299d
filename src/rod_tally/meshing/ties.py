"""Rigid ties between nodes that are not one: a node to another, or to a place along an edge of elements."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..model import Model, SurfaceJoint
from ..model.geometry.vectors import Array
from .mesh_data import Plates, Tie
from .wires import TOUCH


def tie_surfaces(model: Model, out: Plates) -> None:
    """Tie nodes along the joint of two surfaces that do not share them: where a gap was left between the two,
    or where the lines of the two came out unlike."""
    meshed = {s: out.nodes_of(s) for s in out.surfaces}
    edges = {s: _edges_of(out, s) for s in meshed}
    seen: set[tuple[str, str, tuple[float, ...]]] = set()
    tied: set[int] = set()
    for ident in meshed:
        for joint in model.surfaces[ident].joints:
            if joint.kind != "surface" or joint.other not in meshed or len(joint.line) != 2:
                continue
            place = tuple(np.round(np.sort(joint.line, axis=0).ravel(), 2))
            key = (min(ident, joint.other), max(ident, joint.other), place)
            if key in seen:
                continue
            seen.add(key)
            _tie_along(out, joint, ident, meshed, edges, tied)


def _edges_of(out: Plates, surface: str) -> NDArray[np.int64]:
    """Sides of one surface's elements, each once (k, 2)."""
    k = out.surfaces.index(surface)
    q, t = out.quads[out.quad_of == k], out.triangles[out.triangle_of == k]
    sides = [np.stack([e, np.roll(e, -1, axis=1)], axis=-1).reshape(-1, 2) for e in (q, t)]
    return np.unique(np.sort(np.concatenate(sides), axis=1), axis=0)


def _tie_along(
    out: Plates,
    joint: SurfaceJoint,
    one: str,
    meshed: dict[str, NDArray[np.int64]],
    edges: dict[str, NDArray[np.int64]],
    tied: set[int],
) -> None:
    reach = joint.distance + 2 * TOUCH
    near = {s: meshed[s][_near_line(out.points[meshed[s]], joint.line, reach)] for s in (one, joint.other)}
    shared = np.intersect1d(near[one], near[joint.other])
    own = {s: np.setdiff1d(n, shared) for s, n in near.items()}
    # the side with fewer nodes left over is tied to the other's edges
    slave, master = sorted((one, joint.other), key=lambda s: (len(own[s]) == 0, len(own[s]), s))
    if not len(own[slave]) or not len(near[master]):
        return
    close = np.isin(edges[master], near[master]).all(axis=1)
    sides = edges[master][close]
    if not len(sides):
        return
    a, b = out.points[sides[:, 0]], out.points[sides[:, 1]]
    d = b - a
    for n in own[slave].tolist():
        if n in tied:
            continue
        t = np.clip(np.einsum("ni,ni->n", out.points[n] - a, d) / np.einsum("ni,ni->n", d, d), 0, 1)
        off = np.linalg.norm(a + t[:, None] * d - out.points[n], axis=1)
        k = int(off.argmin())
        if off[k] > 2 * reach:
            continue
        tied.add(n)
        share = float(t[k])
        if share < 1e-6 or share > 1 - 1e-6:
            out.ties.append(Tie(n, (int(sides[k, int(share > 0.5)]),), (1.0,)))
        else:
            out.ties.append(Tie(n, (int(sides[k, 0]), int(sides[k, 1])), (1 - share, share)))


def _near_line(points: Array, line: Array, reach: float) -> NDArray[np.bool_]:
    d = line[1] - line[0]
    size = float(np.linalg.norm(d))
    t = (points - line[0]) @ d / size
    off = np.linalg.norm(points - line[0] - np.outer(t, d / size), axis=1)
    return (off <= reach) & (t >= -2 * TOUCH) & (t <= size + 2 * TOUCH)
