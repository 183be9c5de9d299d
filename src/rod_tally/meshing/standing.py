"""Joints of walls that only press, at their feet and along their sides: nodes of their own there, tied to
those they had, that may open."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray

from ..model import Model, Surface
from ..model.geometry.vectors import Array
from .mesh_data import Plates, Tie
from .wires import on_line


def stand_apart(model: Model, out: Plates, standing: Collection[str], leaning: Collection[str]) -> None:
    """Give shells of these walls nodes of their own along their feet (`standing`), where anything else is at
    those, and along their upright edges (`leaning`), where other surfaces are, in place: each tied to the
    node it was. Walls that meet in such a joint and both only press there share the new node; what is held
    along an edge of its own stays as it is."""
    from scipy.spatial import cKDTree

    if not standing and not leaning:
        return
    held = {(h.surface, n) for h in out.held for n in h.nodes.tolist()}
    ways: dict[str, list[tuple[int, Array, bool]]] = {}
    for ident in out.surfaces:
        s = out.shapes[ident]
        edges = [(e, True) for e in s.bottom_edges()] if ident in standing else []
        edges += [(e, False) for e in s.side_edges()] if ident in leaning else []
        nodes = out.nodes_of(ident) if edges else np.zeros(0, np.int64)
        for edge, foot in edges:
            way = _inwards(s, edge)
            near = nodes[on_line(cKDTree(out.points[nodes]), out.points[nodes], edge)]
            on = [n for n in near.tolist() if (ident, n) not in held]
            ways.setdefault(ident, []).extend((n, way, foot) for n in on)
    if not ways:
        return
    number = {s: k for k, s in enumerate(out.surfaces)}
    beside = _on_surfaces(out, {i: np.array([n for n, _, _ in own], np.int64) for i, own in ways.items()})
    below = beside | _on_members(model, out)
    points, copies = [out.points], dict[int, int]()
    for ident, own in ways.items():
        for n, way, foot in own:
            if n not in (below if foot else beside):
                continue
            if n not in copies:
                copies[n] = len(out.points) + len(copies)
                points.append(out.points[n][None])
                # what opens turns in the wall's plane: a tied turn there would hold the wall down by its toe
                out.ties.append(Tie(copies[n], (n,), (1.0,), _three(out.shapes[ident].plain_axes[2])))
            out.standing.append((ident, copies[n], _three(way)))
        apart = {n: copies[n] for n, _, _ in own if n in copies}
        if apart:
            change = np.arange(len(out.points))
            change[list(apart)] = list(apart.values())
            for elements, of in ((out.quads, out.quad_of), (out.triangles, out.triangle_of)):
                elements[of == number[ident]] = change[elements[of == number[ident]]]
    out.points = np.vstack(points)


def _three(v: Array) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _inwards(s: Surface, edge: Array) -> Array:
    """The way (3,) square to an edge, in a wall's plane, that points into the wall."""
    way = np.cross(s.plain_axes[2], edge[1] - edge[0])
    way = way / np.linalg.norm(way)
    return np.asarray(way if way @ (s.outer.mean(axis=0) - edge[0]) > 0 else -way)


def _on_surfaces(out: Plates, apart: dict[str, NDArray[np.int64]]) -> set[int]:
    """Nodes of joints that surfaces hold which do not only press there, shared or tied to one of theirs."""
    at: set[int] = set()
    for ident in out.surfaces:
        at |= set(np.setdiff1d(out.nodes_of(ident), apart.get(ident, [])).tolist())
    own = {n for nodes in apart.values() for n in nodes.tolist()}
    for t in out.ties:
        both = {t.slave, *t.masters}
        at |= both & own if (both - own) & at else set()
    return at


def _on_members(model: Model, out: Plates) -> set[int]:
    """Nodes of members and of supports, of members along surfaces, and of walls that stand for columns."""
    index = {n: i for i, n in enumerate(model.nodes)}
    at = {index[n] for m in model.members.values() for n in (m.start, m.end, *(j.node for j in m.joints))}
    at |= {index[n] for n, node in model.nodes.items() if node.support.any}
    at |= {n for track in out.tracks.values() for _, n in track}
    at |= {n for t in out.ties if {t.slave, *t.masters} & at for n in (t.slave, *t.masters)}
    return at | {n for column in out.columns.values() for n in column.nodes.tolist()}
