"""Rows along a panel's edges as loads on what carries the edges."""

from __future__ import annotations

from copy import copy
from typing import Protocol

import numpy as np

from ...model.geometry.vectors import Array
from ..arrival import Collector, HeldLoad
from .edge_rows import EdgeRows
from .floor import Carrier, Floor
from .panel import FREE_EDGE, Panel


class Taker(Protocol):
    """The interface of what rows are put into."""

    def on_member(self, ident: str, a: Array, b: Array, qa: Array, qb: Array, share: int) -> object: ...

    def on_node(self, ident: str, force: Array, share: int) -> None: ...

    def on_surface(self, load: HeldLoad) -> None: ...


class Whole:
    """The effect of pressures of 1, x and y over all panels of a floor put on members, nodes and walls: rows
    with a column for each, so that a case is one product; `idle` are the panels that nothing carries."""

    @classmethod
    def like(cls, other: Whole, floor: Floor) -> Whole:
        """That of a floor like the `other`'s, on its own members and nodes. Raises ValueError where walls
        carry them."""
        if other.held or floor.like is None:
            raise ValueError("walls take their loads at places of their own")
        name = {(a.kind == "column", a.id): b.id for a, b in zip(floor.like.carriers, floor.carriers)}
        out = copy(other)
        out.idents = [name[False, i] for i in other.idents]
        out.nodes = [(name[True, i], force) for i, force in other.nodes]
        return out

    def __init__(self, floor: Floor) -> None:
        self.idle = [p for p in floor.panels if p.empty]
        self.nodes: list[tuple[str, Array]] = []
        self.held: list[HeldLoad] = []
        self._blocks: list[tuple[str, Array, Array, Array, Array]] = []
        for k, panel in enumerate(floor.panels):
            if not panel.empty:
                rows = floor.unit(k)
                put_rows(floor, panel, rows, rows.qa, rows.qb, self, 0)
        self.idents = list(dict.fromkeys(b[0] for b in self._blocks))
        number = {i: k for k, i in enumerate(self.idents)}
        self.index = np.repeat(
            [number[b[0]] for b in self._blocks], [len(b[1]) for b in self._blocks]
        ).astype(np.int64)
        none = np.zeros((0, 3))
        self.a = np.concatenate([b[1] for b in self._blocks] or [np.zeros(0)])
        self.b = np.concatenate([b[2] for b in self._blocks] or [np.zeros(0)])
        self.qa = np.concatenate([b[3] for b in self._blocks] or [none])
        self.qb = np.concatenate([b[4] for b in self._blocks] or [none])

    def on_member(self, ident: str, a: Array, b: Array, qa: Array, qb: Array, share: int) -> None:
        self._blocks.append((ident, a, b, qa, qb))

    def on_node(self, ident: str, force: Array, share: int) -> None:
        self.nodes.append((ident, force))

    def on_surface(self, load: HeldLoad) -> None:
        self.held.append(load)

    def put(self, pressure: Array, into: Collector, share: int) -> None:
        """A pressure (3 basis, 3 components)."""
        if len(self.index):
            qa, qb = self.qa @ pressure, self.qb @ pressure
            heavy = np.abs(qa).max(axis=1) + np.abs(qb).max(axis=1)
            keep = heavy > 1e-12 * heavy.max()
            into.on_members(
                self.idents, self.index[keep], self.a[keep], self.b[keep], qa[keep], qb[keep], share
            )
        for node, force in self.nodes:
            if (force @ pressure).any():
                into.on_node(node, force @ pressure, share)
        for h in self.held:
            qa, qb = h.qa @ pressure, h.qb @ pressure
            if qa.any() or qb.any():
                into.on_surface(HeldLoad(h.surface, h.line, qa, qb, share))


def put_rows(
    floor: Floor, panel: Panel, rows: EdgeRows, qa: Array, qb: Array, into: Taker, share: int
) -> None:
    """Put rows with forces `qa`, `qb` (n, 3) on members, columns and walls; rows of no force are left out."""
    heavy = np.abs(qa).max(axis=1, initial=0.0) + np.abs(qb).max(axis=1, initial=0.0)
    keep = heavy > 1e-12 * heavy.max(initial=0.0)
    edges = len(panel.start)
    for e in np.unique(rows.edge[keep]).tolist():
        mine = keep & (rows.edge == e)
        a, b, pa, pb = rows.a[mine], rows.b[mine], qa[mine], qb[mine]
        number = int(panel.point_carrier[e - edges]) if e >= edges else int(panel.carrier[e])
        if number == FREE_EDGE:
            continue
        carrier = floor.carriers[number]
        if carrier.kind == "column":
            into.on_node(carrier.id, pa.sum(axis=0), share)
        elif carrier.kind == "wall":
            start, along = floor.lifted(panel.start[e][None])[0], panel.along[e] @ floor.axes[:2]
            for x0, x1, f0, f1 in zip(a, b, pa, pb):
                if x1 > x0:
                    line = np.array([start + along * x0, start + along * x1])
                    into.on_surface(HeldLoad(carrier.id, line, f0, f1, share))
                else:
                    into.on_surface(HeldLoad(carrier.id, (start + along * x0)[None], f0, np.zeros(3), share))
        else:
            into.on_member(
                carrier.id, *along_member(carrier, panel.start[e], panel.along[e], a, b, pa, pb), share
            )


def along_member(
    carrier: Carrier, start: Array, along: Array, a: Array, b: Array, qa: Array, qb: Array
) -> tuple[Array, Array, Array, Array]:
    """Rows from `a` to `b` along an edge as rows along a member: what lies beyond its ends is put at them."""
    d = carrier.line[1] - carrier.line[0]
    flat = float(np.linalg.norm(d))
    u = d / flat
    rate = carrier.length / flat * (1 if along @ u > 0 else -1)
    x0 = float((start - carrier.line[0]) @ u) * carrier.length / flat
    point = a == b
    lo, hi = x0 + rate * a, x0 + rate * b
    if rate < 0:
        lo, hi, qa, qb = hi, lo, qb, qa
    scale = np.where(point, 1.0, 1 / abs(rate))[:, None]
    qa, qb = qa * scale, qb * scale
    length = carrier.length
    near = 1e-6
    size = (hi - lo)[:, None]
    lo = np.where(np.abs(lo) < near, 0.0, np.where(np.abs(lo - length) < near, length, lo))
    hi = np.where(np.abs(hi) < near, 0.0, np.where(np.abs(hi - length) < near, length, hi))
    # a row so short that both of its ends came to the member's is a force there, no force a metre
    short = ~point & (hi <= lo)
    if short.any():
        force = np.where(short[:, None], (qa + qb) / 2 * size, 0.0)
        qa, qb = np.where(short[:, None], force, qa), np.where(short[:, None], force, qb)
        point = point | short
    lo[point] = np.clip(lo[point], 0, length)
    hi[point] = lo[point]
    if (point | ((lo >= 0) & (hi <= length))).all():
        return lo, hi, qa, qb
    out: list[tuple[float, float, Array, Array]] = []
    for p, q, fa, fb, single in zip(lo.tolist(), hi.tolist(), qa, qb, point.tolist()):
        if single:
            out.append((p, p, fa, fb))
            continue
        slope = (fb - fa) / max(q - p, 1e-300)
        stops = [p, *(x for x in (0.0, length) if p < x < q), q]
        for x, y in zip(stops[:-1], stops[1:]):
            va, vb = fa + slope * (x - p), fa + slope * (y - p)
            if y <= 0 or x >= length:
                at = 0.0 if y <= 0 else length
                out.append((at, at, (va + vb) / 2 * (y - x), (va + vb) / 2 * (y - x)))
            else:
                out.append((x, y, va, vb))
    return (
        np.array([r[0] for r in out]),
        np.array([r[1] for r in out]),
        np.array([r[2] for r in out]),
        np.array([r[3] for r in out]),
    )
