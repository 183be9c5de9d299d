"""Arrival of a case's loads: on members, columns and walls; and what arrived nowhere, with the place."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from ..model.geometry.vectors import Array


@dataclass(slots=True)
class Share:
    """One load: what was applied, and what of it arrived on members and columns, on walls and slabs on the
    ground, and nowhere (N, global).

    `kind`: self-weight, area, line or point. `part` is the surface or member it was put on, "" for one in
    space. `places` are outlines (n, 3) of what was lost, `reason` why. `taker`: who takes it where that was a
    choice."""

    kind: str
    part: str
    source: str
    by: str
    name: str = ""
    applied: Array = field(default_factory=lambda: np.zeros(3))
    on_members: Array = field(default_factory=lambda: np.zeros(3))
    on_surfaces: Array = field(default_factory=lambda: np.zeros(3))
    lost: Array = field(default_factory=lambda: np.zeros(3))
    places: list[Array] = field(default_factory=list)
    reason: str = ""
    taker: str = ""
    others: tuple[str, ...] = ()


@dataclass(slots=True)
class HeldLoad:
    """A load that a wall, a slab on the ground or a shell takes: along `line` (2, 3) from `qa` to `qb` (N/m),
    or in one sum `qa` (N) at a point (1, 3). Where the sum is that of a pressure, `pressure` (3, 3) is its
    field over the surface's own plane, as rows for 1, u, v (N/m2, global), and `area` the part of the plane
    it acts on, None for all of the surface."""

    surface: str
    line: Array
    qa: Array
    qb: Array
    share: int
    pressure: Array | None = None
    area: BaseGeometry | None = None

    @property
    def force(self) -> Array:
        if len(self.line) == 1:
            return self.qa
        return np.asarray((self.qa + self.qb) / 2 * float(np.linalg.norm(self.line[1] - self.line[0])))


@dataclass(slots=True)
class Arrival:
    """Rows on members (n,): `member` indexes `members`; from `a` to `b` along the axis (m), `qa` to `qb` (n,
    3) in global axes, N/m; where a == b concentrated, N. `share` indexes `shares`. Nodes take `node_force`
    (k, 3)."""

    case: str
    members: list[str] = field(default_factory=list)
    member: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    a: Array = field(default_factory=lambda: np.zeros(0))
    b: Array = field(default_factory=lambda: np.zeros(0))
    qa: Array = field(default_factory=lambda: np.zeros((0, 3)))
    qb: Array = field(default_factory=lambda: np.zeros((0, 3)))
    share: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    nodes: list[str] = field(default_factory=list)
    node_force: Array = field(default_factory=lambda: np.zeros((0, 3)))
    node_share: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))
    held: list[HeldLoad] = field(default_factory=list)
    shares: list[Share] = field(default_factory=list)

    def total(self, what: str) -> Array:
        """Sum over all loads of `applied`, `on_members`, `on_surfaces` or `lost`, N."""
        return sum((getattr(s, what) for s in self.shares), np.zeros(3))

    @property
    def empty(self) -> bool:
        return not self.shares

    @property
    def forces(self) -> Array:
        """Return what each row on a member sums to (n, 3), N."""
        size = (self.b - self.a)[:, None]
        return np.asarray(np.where(size == 0, self.qa, (self.qa + self.qb) / 2 * size))


class Collector:
    """Gathers rows in blocks, so that nothing is done row by row."""

    def __init__(self, case: str) -> None:
        self.arrival = Arrival(case)
        self.number: dict[str, int] = {}
        self.blocks: list[tuple[NDArray[np.int64], Array, Array, Array, Array, int]] = []
        self.nodes: list[tuple[str, Array, int]] = []

    def share(self, share: Share) -> int:
        self.arrival.shares.append(share)
        return len(self.arrival.shares) - 1

    def on_member(self, ident: str, a: Array, b: Array, qa: Array, qb: Array, share: int) -> Array:
        """Rows on one member; returns their sum, N."""
        k = self.number.setdefault(ident, len(self.number))
        self.blocks.append((np.full(len(a), k, np.int64), a, b, qa, qb, share))
        size = (b - a)[:, None]
        total = np.where(size == 0, qa, (qa + qb) / 2 * size).sum(axis=0)
        self.arrival.shares[share].on_members = self.arrival.shares[share].on_members + total
        return np.asarray(total)

    def on_members(
        self,
        idents: list[str],
        index: NDArray[np.int64],
        a: Array,
        b: Array,
        qa: Array,
        qb: Array,
        share: int,
    ) -> None:
        """Rows on many members at once, `index` into `idents`."""
        numbers = np.array([self.number.setdefault(i, len(self.number)) for i in idents], np.int64)
        self.blocks.append((numbers[index], a, b, qa, qb, share))
        size = (b - a)[:, None]
        entry = self.arrival.shares[share]
        entry.on_members = entry.on_members + np.where(size == 0, qa, (qa + qb) / 2 * size).sum(axis=0)

    def on_node(self, ident: str, force: Array, share: int) -> None:
        self.nodes.append((ident, force, share))
        self.arrival.shares[share].on_members = self.arrival.shares[share].on_members + force

    def on_surface(self, load: HeldLoad) -> None:
        self.arrival.held.append(load)
        share = self.arrival.shares[load.share]
        share.on_surfaces = share.on_surfaces + load.force

    def lose(self, share: int, force: Array, place: Array | None, reason: str) -> None:
        entry = self.arrival.shares[share]
        entry.lost = entry.lost + force
        if place is not None:
            entry.places.append(place)
        entry.reason = entry.reason or reason

    def done(self) -> Arrival:
        out = self.arrival
        out.members = list(self.number)
        if self.blocks:
            out.member, out.a, out.b, out.qa, out.qb = (
                np.concatenate([b[i] for b in self.blocks]) for i in range(5)
            )
            out.share = np.repeat([b[5] for b in self.blocks], [len(b[0]) for b in self.blocks])
        if self.nodes:
            out.nodes = [n for n, _, _ in self.nodes]
            out.node_force = np.array([f for _, f, _ in self.nodes])
            out.node_share = np.array([s for _, _, s in self.nodes])
        return out
