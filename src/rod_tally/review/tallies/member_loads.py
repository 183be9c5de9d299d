"""Everything that a case puts on a member, summed along it: from slabs on both sides, areas, places, by hand,
own weight."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np

from ...model import LoadCase, MemberLoad, Model
from ...model.geometry.vectors import Array
from ...model.member_force import projection
from ..review import Review
from .load_tally import origin_of

SAME = 1e-7  # m; places nearer than this are one
OWN, DIRECT = "self-weight", "members and nodes"


@dataclass(slots=True)
class MemberDiagram:
    """Loads along one member, global axes. Between `x[i]` and `x[i + 1]` (m) they run from `start[i]` to
    `end[i]` (N/m), arrays (n, 3) by origin; `points` are concentrated ones: place (m), force (3,) in N,
    origin."""

    x: Array
    start: dict[str, Array] = field(default_factory=dict)
    end: dict[str, Array] = field(default_factory=dict)
    points: list[tuple[float, Array, str]] = field(default_factory=list)

    @property
    def total_start(self) -> Array:
        return sum(self.start.values(), np.zeros((max(len(self.x) - 1, 0), 3)))

    @property
    def total_end(self) -> Array:
        return sum(self.end.values(), np.zeros((max(len(self.x) - 1, 0), 3)))

    @property
    def force(self) -> Array:
        """Return what it sums to (3,), N."""
        spread = ((self.total_start + self.total_end) / 2 * np.diff(self.x)[:, None]).sum(axis=0)
        return np.asarray(spread + sum((f for _, f, _ in self.points), np.zeros(3)))

    @property
    def peak(self) -> tuple[float, Array]:
        """The largest distributed load: its place (m) and value (3,) in N/m; (0, zeros) without any."""
        values = np.stack([self.total_start, self.total_end], axis=1)
        if not values.size:
            return 0.0, np.zeros(3)
        size = np.linalg.norm(values, axis=2)
        i, side = np.unravel_index(int(size.argmax()), size.shape)
        return float(self.x[i + side]), values[i, side]


def member_diagrams(
    review: Review, parts: Iterable[tuple[LoadCase, float]], origin: str = "", members: set[str] | None = None
) -> dict[str, MemberDiagram]:
    """By member, of cases with their factors; of one origin only where one is named; of these members, None
    for all.

    Moments are left aside; loads on members that are not in the model too.
    """
    model = review.model
    rows: dict[str, list[tuple[float, float, Array, Array, str]]] = defaultdict(list)
    for case, factor in parts:
        for ident, a, b, qa, qb, source in _rows(review, case):
            if (
                ident in model.members
                and (members is None or ident in members)
                and (not origin or source == origin)
            ):
                rows[ident].append((a, b, factor * qa, factor * qb, source))
    return {ident: _summed(own) for ident, own in rows.items()}


def _rows(review: Review, case: LoadCase) -> Iterable[tuple[str, float, float, Array, Array, str]]:
    """All loads of a case on members, with where each comes from."""
    model = review.model
    arrival = review.distribution.case(case.name)
    sources = [origin_of(s.kind, s.part) for s in arrival.shares]
    for k in range(len(arrival.member)):
        ident = arrival.members[arrival.member[k]]
        yield (
            ident,
            float(arrival.a[k]),
            float(arrival.b[k]),
            arrival.qa[k],
            arrival.qb[k],
            sources[arrival.share[k]],
        )
    for load in case.member_loads:
        if load.kind == "force" and load.member in model.members:
            qa, qb = global_values(model, load)
            yield load.member, load.a, load.b, qa, qb, DIRECT
    if any(case.self_weight):
        down = np.array(case.self_weight)
        for ident, m in model.members.items():
            weight, length = model.weight(m), model.length(m)
            if weight > 0:
                yield ident, 0.0, length, down * weight / length, down * weight / length, OWN


def global_values(model: Model, load: MemberLoad) -> tuple[Array, Array]:
    """Values at both ends of a load on a member, global axes, per metre of the member."""
    m = model.members[load.member]
    axes = m.axes(model.line(m))
    qa, qb = np.array(load.qa, float), np.array(load.qb, float)
    if load.projected and load.a != load.b:
        share = projection(np.array([1.0, 0, 0]) if load.local else axes[0])
        qa, qb = qa * share, qb * share
    return (axes.T @ qa, axes.T @ qb) if load.local else (qa, qb)


def _summed(rows: list[tuple[float, float, Array, Array, str]]) -> MemberDiagram:
    spread = [r for r in rows if r[1] > r[0]]
    ends = np.unique(np.array([v for r in spread for v in r[:2]]))
    x = ends[np.append(True, np.diff(ends) > SAME)] if len(ends) else np.zeros(0)
    out = MemberDiagram(x)
    for a, b, qa, qb, source in spread:
        i, j = (int(np.abs(x - v).argmin()) for v in (a, b))
        if j <= i:  # shorter than what is one place
            out.points.append((a, (qa + qb) / 2 * (b - a), source))
            continue
        n = len(x) - 1
        start, end = (
            out.start.setdefault(source, np.zeros((n, 3))),
            out.end.setdefault(source, np.zeros((n, 3))),
        )
        # taken to the common places; the sum stays that of the load
        scale = (b - a) / (x[j] - x[i])
        t = ((x[i : j + 1] - x[i]) / (x[j] - x[i]))[:, None]
        q = (qa + (qb - qa) * t) * scale
        start[i:j] += q[:-1]
        end[i:j] += q[1:]
    out.points += [(a, qa, source) for a, b, qa, _, source in rows if a == b]
    return out
