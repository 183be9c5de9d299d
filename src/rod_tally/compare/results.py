"""Results of two revisions, like with like: the same cases and combinations only, in the baseline's own axes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from ..analysis.dynamics.modes import Mode
from ..analysis.results.results import COMPONENTS, Results
from ..analysis.results.storeys import StoreyRow
from ..analysis.results.superpose import combined, usable
from ..analysis.shells.fields import PlateFields
from ..model import Combination, Model
from ..model.geometry.vectors import Array
from .members import MemberMatch
from .places import Places

REACTIONS = ("fx", "fy", "fz", "mx", "my", "mz")
DISPLACEMENTS = ("ux", "uy", "uz", "rx", "ry", "rz")
SURFACE_FORCES = ("nx", "ny", "nxy", "mx", "my", "mxy", "vx", "vy")
STOREY = ("shear_x", "shear_y", "drift_x", "drift_y")
ENVELOPE = "envelope"
# signs of a member's forces when its axis runs the other way round: x and y turn, z stays, and the face of the cut with them
FLIPPED = np.array([1.0, 1.0, -1.0, 1.0, 1.0, -1.0])
LEVEL = 0.01  # m; storeys whose levels are nearer than this are one
MOST_ROWS = 400_000  # beyond which rows case by case give way to the envelope


@dataclass(slots=True)
class Side:
    """One of the two: what it holds, and what its run gave."""

    model: Model
    results: Results | None = None
    combinations: list[Combination] = field(default_factory=list)
    storeys: list[StoreyRow] = field(default_factory=list)
    modes: list[Mode] = field(default_factory=list)
    fields: PlateFields | None = None


@dataclass(slots=True)
class ResultChange:
    """One quantity on both sides, SI; `change` is revised - baseline. Ids are of members, surfaces, nodes, storeys or modes,
    None for a sum over all supports."""

    quantity: str
    case: str
    baseline_id: str | None
    revised_id: str | None
    baseline: float
    revised: float

    @property
    def change(self) -> float:
        return self.revised - self.baseline


@dataclass(slots=True)
class Shared:
    """Cases and combinations that both sides have and computed: (baseline's name, revised name)."""

    cases: list[tuple[str, str]] = field(default_factory=list)
    combinations: list[tuple[str, str]] = field(default_factory=list)


def shared_of(base: Side, revised: Side, pair: dict[str, str], same: dict[str, str]) -> Shared:
    """`pair` gives the revised name of baseline cases, `same` of baseline combinations with the same factors."""
    if base.results is None or revised.results is None:
        return Shared()
    cases = [(a, b) for a, b in pair.items() if a in base.results.cases and b in revised.results.cases]
    old = {c.name for c in usable(base.results, base.combinations)}
    new = {c.name for c in usable(revised.results, revised.combinations)}
    return Shared(cases, [(a, b) for a, b in same.items() if a in old and b in new])


def compare_results(
    base: Side, revised: Side, places: Places, members: list[MemberMatch], surfaces: list[MemberMatch], shared: Shared
) -> tuple[list[ResultChange], bool]:
    """All quantities of what both sides have; and whether rows case by case were left out because there would be too many."""
    if base.results is None or revised.results is None:
        return [], False
    work = _Pairs(base, revised, places, members, surfaces)
    count = (len(shared.cases) + len(shared.combinations)) * work.rows_a_case
    few = count <= MOST_ROWS
    out: list[ResultChange] = []
    extremes = _Extremes()
    for name, old, new in _runs(base, revised, shared):
        is_case = any(b == name for _, b in shared.cases)
        found = list(work.of_case(name, old, new))
        extremes.add(found)
        if few:
            out += found
        else:
            out += [r for r in found if r.baseline_id is None]
        if is_case:
            out += list(_storeys(base, revised, places, old.cases[0], new.cases[0], name))
    out += extremes.rows()
    out += [
        ResultChange("period", "modes", str(a.mode), str(b.mode), a.period, b.period)
        for a, b in zip(base.modes, revised.modes)
    ]
    return out, not few


def _runs(base: Side, revised: Side, shared: Shared) -> Iterator[tuple[str, Results, Results]]:
    """Each shared case and combination as results of that one alone, under the revised name."""
    assert base.results is not None and revised.results is not None
    for a, b in shared.cases:
        yield b, combined(base.results, _single(a)), combined(revised.results, _single(b))
    old = {c.name: c for c in base.combinations}
    new = {c.name: c for c in revised.combinations}
    for a, b in shared.combinations:
        yield b, combined(base.results, old[a]), combined(revised.results, new[b])


def _single(case: str) -> Combination:
    return Combination(case, "", {case: 1.0})


class _Extremes:
    """Of each quantity and id the value of largest size over all that was added, on either side by itself."""

    def __init__(self) -> None:
        self.best: dict[tuple[str, str | None, str | None], list[float]] = {}

    def add(self, rows: list[ResultChange]) -> None:
        for r in rows:
            key = (r.quantity, r.baseline_id, r.revised_id)
            now = self.best.get(key)
            if now is None:
                self.best[key] = [r.baseline, r.revised]
                continue
            if abs(r.baseline) > abs(now[0]):
                now[0] = r.baseline
            if abs(r.revised) > abs(now[1]):
                now[1] = r.revised

    def rows(self) -> list[ResultChange]:
        return [ResultChange(q, ENVELOPE, a, b, x, y) for (q, a, b), (x, y) in self.best.items()]


class _Pairs:
    """What is compared with what, as indices into the results of either side."""

    def __init__(
        self, base: Side, revised: Side, places: Places, members: list[MemberMatch], surfaces: list[MemberMatch]
    ) -> None:
        assert base.results is not None and revised.results is not None
        self.base, self.revised, self.places = base, revised, places
        old, new = ({m: k for k, m in enumerate(r.member_ids)} for r in (base.results, revised.results))
        matched = [m for m in members if m.baseline_id in old and m.revised_id in new]
        self.members = matched
        self.old = np.array([old[m.baseline_id] for m in matched], np.int64)  # type: ignore[index]
        self.new = np.array([new[m.revised_id] for m in matched], np.int64)  # type: ignore[index]
        self.sign = np.where(np.array([m.flipped for m in matched], bool)[:, None], FLIPPED, 1.0).reshape(-1, 6)
        nodes_old = {n: k for k, n in enumerate(base.results.node_ids)}
        nodes_new = {n: k for k, n in enumerate(revised.results.node_ids)}
        self.nodes = [
            (a, b, nodes_old[a], nodes_new[b]) for b, a in places.node_of.items() if a in nodes_old and b in nodes_new
        ]
        held_old = {n: k for k, n in enumerate(base.results.support_ids)}
        held_new = {n: k for k, n in enumerate(revised.results.support_ids)}
        self.supports = [
            (a, b, held_old[a], held_new[b]) for b, a in places.node_of.items() if a in held_old and b in held_new
        ]
        self.surfaces: list[tuple[str, str, int, int]] = []
        if base.fields is not None and revised.fields is not None:
            sa = {s: k for k, s in enumerate(base.fields.plates.surfaces)}
            sb = {s: k for k, s in enumerate(revised.fields.plates.surfaces)}
            self.surfaces = [
                (m.baseline_id, m.revised_id, sa[m.baseline_id], sb[m.revised_id])
                for m in surfaces
                if m.baseline_id in sa and m.revised_id in sb and m.baseline_id and m.revised_id
            ]

    @property
    def rows_a_case(self) -> int:
        return 6 * (len(self.members) + len(self.nodes) + len(self.supports)) + 8 * len(self.surfaces)

    def of_case(self, name: str, old: Results, new: Results) -> Iterator[ResultChange]:
        yield from self._of_members(name, old, new)
        yield from self._sums(name, old, new)
        if self.supports:
            a = old.reaction[0, [s[2] for s in self.supports]]
            b = self._back(new.reaction[0, [s[3] for s in self.supports]])
            done = self._done(old, new, [(s[0], s[1]) for s in self.supports])
            for (i, j, _, _), x, y, good in zip(self.supports, a.tolist(), b.tolist(), done):
                if good:
                    yield from (ResultChange(q, name, i, j, u, v) for q, u, v in zip(REACTIONS, x, y))
        if self.nodes:
            a = old.displacement[0, [s[2] for s in self.nodes]]
            b = self._back(new.displacement[0, [s[3] for s in self.nodes]])
            good_a, good_b = old.node_done[0], new.node_done[0]
            for (i, j, p, q_), x, y in zip(self.nodes, a.tolist(), b.tolist()):
                if good_a[p] and good_b[q_]:
                    yield from (ResultChange(q, name, i, j, u, v) for q, u, v in zip(DISPLACEMENTS, x, y))
        if self.surfaces:
            x_all, y_all = (_largest_on_surfaces(s.fields, r) for s, r in ((self.base, old), (self.revised, new)))
            for i, j, p, r_ in self.surfaces:
                yield from (
                    ResultChange(q, name, i, j, float(u), float(v))
                    for q, u, v in zip(SURFACE_FORCES, x_all[p], y_all[r_])
                )

    def _of_members(self, name: str, old: Results, new: Results) -> Iterator[ResultChange]:
        if not self.members:
            return
        a = largest_by_member(old)[self.old]
        b = largest_by_member(new)[self.new] * self.sign
        done = np.atleast_2d(old.member_done)[0][self.old] & np.atleast_2d(new.member_done)[0][self.new]
        for m, x, y, good in zip(self.members, a.tolist(), b.tolist(), done):
            if good:
                yield from (
                    ResultChange(q, name, m.baseline_id, m.revised_id, u, v) for q, u, v in zip(COMPONENTS, x, y)
                )

    def _sums(self, name: str, old: Results, new: Results) -> Iterator[ResultChange]:
        """Base sums: all supports of either side, corners of elements on held edges included."""
        a = old.reaction[0, :, :3].sum(axis=0)
        b = self._back(new.reaction[0, :, :3].sum(axis=0)[None])[0]
        yield from (ResultChange(q, name, None, None, float(x), float(y)) for q, x, y in zip(REACTIONS, a, b))

    def _back(self, six: Array) -> Array:
        parts = [self.places.turned_back(p) for p in np.split(six, six.shape[1] // 3, axis=1)]
        return np.concatenate(parts, axis=1)

    def _done(self, old: Results, new: Results, pairs: list[tuple[str, str]]) -> list[bool]:
        a = {n: bool(d) for n, d in zip(old.node_ids, old.node_done[0])}
        b = {n: bool(d) for n, d in zip(new.node_ids, new.node_done[0])}
        return [a[i] and b[j] for i, j in pairs]


def largest_by_member(results: Results, case: int = 0) -> Array:
    """(M, 6): of each member and component the value of largest size along it, with its sign; zero without stations."""
    out = np.zeros((len(results.member_ids), 6))
    if not len(results.station_member):
        return out
    begin = np.flatnonzero(np.diff(results.station_member, prepend=-1))
    low = np.minimum.reduceat(results.force[case], begin)
    high = np.maximum.reduceat(results.force[case], begin)
    out[results.station_member[begin]] = np.where(-low > high, low, high)
    return out


def _largest_on_surfaces(fields: PlateFields | None, results: Results) -> Array:
    """(S, 8): of each surface and component the value of largest size at its corners, with its sign."""
    assert fields is not None
    of, _, values = fields.averaged(fields.at_corners(results.displacement[0]))
    out = np.zeros((len(fields.plates.surfaces), 8))
    if len(of):
        order = np.argsort(of, kind="stable")
        of, values = of[order], values[order]
        begin = np.flatnonzero(np.diff(of, prepend=-1))
        low, high = np.minimum.reduceat(values, begin), np.maximum.reduceat(values, begin)
        out[of[begin]] = np.where(-low > high, low, high)
    return out


def _storeys(
    base: Side, revised: Side, places: Places, old_case: str, new_case: str, name: str
) -> Iterator[ResultChange]:
    """Shear and drift of storeys whose levels agree."""
    raised = places.transform.shift[2] if places.transform is not None else 0.0
    mine = [r for r in base.storeys if r.case == old_case]
    for r in (r for r in revised.storeys if r.case == new_case):
        level = r.elevation - raised
        twin = next((s for s in mine if abs(s.elevation - level) <= LEVEL), None)
        if twin is None:
            continue
        for a, b in (("shear_x", "shear_y"), ("drift_x", "drift_y")):
            old = [getattr(twin, q) for q in (a, b)]
            new = [getattr(r, q) for q in (a, b)]
            if None in old or None in new:
                continue
            turned = places.turned_back(np.array([*new, 0.0]))
            for q, x, y in zip((a, b), old, turned):
                yield ResultChange(q, name, twin.storey, r.storey, float(x), float(y))
