"""Results of two revisions, like with like: the same cases and combinations only, in the baseline's own
axes."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ...analysis.dynamics.modes import Mode
from ...analysis.results.results import COMPONENTS, Results
from ...analysis.results.storeys import StoreyRow
from ...analysis.results.superpose import combined, usable
from ...analysis.shells.fields import PlateFields
from ...model import Combination, Model
from ...model.geometry.vectors import Array
from ..members import MemberMatch
from ..places import Places
from .extremes import Extremes, along_members, between_axes, over_surfaces
from .modes import mode_pairs

REACTIONS = ("fx", "fy", "fz", "mx", "my", "mz")
DISPLACEMENTS = ("ux", "uy", "uz", "rx", "ry", "rz")
SURFACE_FORCES = ("nx", "ny", "nxy", "mx", "my", "mxy", "vx", "vy")
STOREY = ("shear_x", "shear_y", "drift_x", "drift_y")
ENVELOPE = "envelope"
# signs of a member's forces when its axis runs the other way round: x and y turn, z stays, and the face of
# the cut with them
FLIPPED = np.array([1.0, 1.0, -1.0, 1.0, 1.0, -1.0])
IMAGE = np.array([1.0, -1.0, 1.0, -1.0, 1.0, -1.0])  # and in a mirror image: x and z stay, y turns round
LEVEL = 0.01  # m; storeys whose levels are nearer than this are one
PARALLEL = 1e-9  # axes that differ by less are the same
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
    """One quantity on both sides, SI; `change` is revised - baseline. Ids are of members, surfaces, nodes,
    storeys or modes, None for a sum over all supports."""

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
    """`pair` gives the revised name of baseline cases, `same` of baseline combinations with the same
    factors."""
    if base.results is None or revised.results is None:
        return Shared()
    cases = [(a, b) for a, b in pair.items() if a in base.results.cases and b in revised.results.cases]
    old = {c.name for c in usable(base.results, base.combinations)}
    new = {c.name for c in usable(revised.results, revised.combinations)}
    return Shared(cases, [(a, b) for a, b in same.items() if a in old and b in new])


def compare_results(
    base: Side,
    revised: Side,
    places: Places,
    members: list[MemberMatch],
    surfaces: list[MemberMatch],
    shared: Shared,
) -> tuple[list[ResultChange], bool, SurfaceDemand]:
    """All quantities of what both sides have; whether rows case by case were left out because there would be
    too many; and the demand of slabs and walls on both sides."""
    if base.results is None or revised.results is None:
        return [], False, SurfaceDemand()
    work = _Pairs(base, revised, places, members, surfaces)
    count = (len(shared.cases) + len(shared.combinations)) * work.rows_a_case
    few = count <= MOST_ROWS
    out: list[ResultChange] = []
    envelope = _Envelope()
    for name, old, new in _runs(base, revised, shared):
        is_case = any(b == name for _, b in shared.cases)
        found = work.of_case(old, new)
        envelope.add(found)
        for block in found:
            if few or block.ids == [(None, None)]:
                out += block.rows(name)
        if is_case:
            out += list(_storeys(base, revised, places, old.cases[0], new.cases[0], name))
    out += envelope.rows()
    out += [
        ResultChange("period", "modes", str(a.mode), str(b.mode), a.period, b.period)
        for a, b in mode_pairs(base.modes, revised.modes, (base.results, revised.results), places)
    ]
    return out, not few, work.demand


@dataclass(slots=True)
class SurfaceDemand:
    """Lowest and highest forces and moments a metre (n, 8) over all that was compared: of the baseline's by
    row, all its pieces together, and of each of the revision's by itself, in the axes of its row."""

    low_old: Array = field(default_factory=lambda: np.zeros((0, 8)))
    high_old: Array = field(default_factory=lambda: np.zeros((0, 8)))
    low_new: Array = field(default_factory=lambda: np.zeros((0, 8)))
    high_new: Array = field(default_factory=lambda: np.zeros((0, 8)))
    row: dict[tuple[str, str], tuple[int, int]] = field(default_factory=dict)

    def of(self, baseline: str, revised: str) -> tuple[Array, Array, Array, Array] | None:
        """Low and high of either side (8,) of a pair; None where it was not computed."""
        at = self.row.get((baseline, revised))
        if at is None:
            return None
        i, j = at
        return self.low_old[i], self.high_old[i], self.low_new[j], self.high_new[j]


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


@dataclass(slots=True)
class _Block:
    """Values of q quantities on either side for n pairs of ids; `done` (n,): both were computed."""

    quantities: tuple[str, ...]
    ids: list[tuple[str | None, str | None]]
    values: Extremes
    done: NDArray[np.bool_]

    def rows(self, case: str) -> Iterator[ResultChange]:
        old, new = self.values.largest()
        for (a, b), x, y, good in zip(self.ids, old.tolist(), new.tolist(), self.done):
            if good:
                yield from (ResultChange(q, case, a, b, u, v) for q, u, v in zip(self.quantities, x, y))


class _Envelope:
    """The same over all that was added, on either side by itself."""

    def __init__(self) -> None:
        self.best: list[_Block] = []

    def add(self, blocks: list[_Block]) -> None:
        """The blocks of one case or combination, the same ones in the same order each time."""
        if not self.best:
            for b in blocks:
                none = np.zeros_like(b.values.low_old)
                self.best.append(replace(b, values=Extremes.of(none, none), done=np.zeros_like(b.done)))
        for best, b in zip(self.best, blocks):
            best.values.grow(b.values, b.done)
            best.done = best.done | b.done

    def rows(self) -> list[ResultChange]:
        return [r for b in self.best for r in b.rows(ENVELOPE)]


def signs(flipped: bool, image: bool) -> Array:
    """Signs (6,) that bring a member's forces to the local axes of its twin, which runs the other way round,
    or is its mirror image."""
    return np.asarray((FLIPPED if flipped else 1.0) * (IMAGE if image else np.ones(6)))


class _Pairs:
    """The pairs that are compared, as indices into the results of either side."""

    def __init__(
        self,
        base: Side,
        revised: Side,
        places: Places,
        members: list[MemberMatch],
        surfaces: list[MemberMatch],
    ) -> None:
        assert base.results is not None and revised.results is not None
        self.base, self.revised, self.places = base, revised, places
        old, new = ({m: k for k, m in enumerate(r.member_ids)} for r in (base.results, revised.results))
        image = places.parity < 0
        matched = [m for m in members if m.baseline_id in old and m.revised_id in new and not m.piece]
        self.members = matched
        self.old = np.array([old[m.baseline_id] for m in matched], np.int64)  # type: ignore[index]
        self.new = np.array([new[m.revised_id] for m in matched], np.int64)  # type: ignore[index]
        # more pieces of a split or merged member: (row, index in the results, sign), by side
        first_old = {m.baseline_id: k for k, m in enumerate(matched)}
        first_new = {m.revised_id: k for k, m in enumerate(matched)}
        self.more_old: list[tuple[int, int, Array]] = []
        self.more_new: list[tuple[int, int, Array]] = []
        for m in members:
            if m.piece and m.baseline_id in old and m.revised_id in new:
                sign = signs(m.flipped, image)
                if m.baseline_id in first_old:
                    self.more_new.append((first_old[m.baseline_id], new[m.revised_id], sign))
                elif m.revised_id in first_new:
                    row = first_new[m.revised_id]
                    # brought to the axes of the merged member, then to those of the first piece, as the row
                    # is
                    self.more_old.append((row, old[m.baseline_id], sign * signs(matched[row].flipped, image)))
        self.sign = np.array([signs(m.flipped, image) for m in matched]).reshape(-1, 6)
        nodes_old = {n: k for k, n in enumerate(base.results.node_ids)}
        nodes_new = {n: k for k, n in enumerate(revised.results.node_ids)}
        self.node_old, self.node_new = nodes_old, nodes_new
        self.nodes = [
            (a, b, nodes_old[a], nodes_new[b])
            for b, a in places.node_of.items()
            if a in nodes_old and b in nodes_new
        ]
        held_old = {n: k for k, n in enumerate(base.results.support_ids)}
        held_new = {n: k for k, n in enumerate(revised.results.support_ids)}
        self.supports = [
            (a, b, held_old[a], held_new[b])
            for b, a in places.node_of.items()
            if a in held_old and b in held_new
        ]
        self.surfaces: list[tuple[str, str, int, int]] = []
        # further pieces of a split or merged surface: (row, index in the shells), by side
        self.parts_old: list[tuple[int, int]] = []
        self.parts_new: list[tuple[int, int]] = []
        self.demand = SurfaceDemand()
        self.turned_old: dict[int, Array] = {}
        self.turned_new: dict[int, Array] = {}
        if base.fields is not None and revised.fields is not None:
            self._pair_surfaces(base.fields, revised.fields, surfaces)

    def _pair_surfaces(self, old: PlateFields, new: PlateFields, surfaces: list[MemberMatch]) -> None:
        """Shells of either side, and what brings the forces of each to the axes of its row's surface in the
        baseline."""
        sa = {s: k for k, s in enumerate(old.plates.surfaces)}
        sb = {s: k for k, s in enumerate(new.plates.surfaces)}
        both = [m for m in surfaces if m.baseline_id in sa and m.revised_id in sb]
        first_old: dict[str, int] = {}
        first_new: dict[str, int] = {}
        for m in [m for m in both if not m.piece]:
            a, b = m.baseline_id or "", m.revised_id or ""
            first_old[a] = first_new[b] = len(self.surfaces)
            self.demand.row[a, b] = len(self.surfaces), sb[b]
            self.surfaces.append((a, b, sa[a], sb[b]))
            self._turn(new, sb[b], old, a)
        for m in [m for m in both if m.piece]:
            a, b = m.baseline_id or "", m.revised_id or ""
            if a in first_old:
                self.parts_new.append((first_old[a], sb[b]))
                self.demand.row[a, b] = first_old[a], sb[b]
                self._turn(new, sb[b], old, a)
            elif b in first_new:
                row = first_new[b]
                self.parts_old.append((row, sa[a]))
                shown = old.plates.shapes[self.surfaces[row][0]].axes
                self.turned_old[sa[a]] = between_axes(old.plates.shapes[a].axes, shown)

    def _turn(self, new: PlateFields, b: int, old: PlateFields, a: str) -> None:
        own = self.places.turned_back(new.plates.shapes[new.plates.surfaces[b]].axes)
        shown = old.plates.shapes[a].axes
        if np.abs(own - shown).max() > PARALLEL:
            self.turned_new[b] = between_axes(own, shown)

    @property
    def rows_a_case(self) -> int:
        return 6 * (len(self.members) + len(self.nodes) + len(self.supports)) + 8 * len(self.surfaces)

    def of_case(self, old: Results, new: Results) -> list[_Block]:
        """Members, sums of all supports, supports, nodes, surfaces; always in this order."""
        done = np.atleast_2d(old.member_done)[0][self.old] & np.atleast_2d(new.member_done)[0][self.new]
        ids: list[tuple[str | None, str | None]] = [(m.baseline_id, m.revised_id) for m in self.members]
        (low_a, high_a), (low_b, high_b) = along_members(old), along_members(new)
        values = Extremes(
            low_a[self.old], high_a[self.old], *_signed(low_b[self.new], high_b[self.new], self.sign)
        )
        for row, k, sign in self.more_old:
            low, high = _signed(low_a[k], high_a[k], sign)
            values.low_old[row] = np.minimum(values.low_old[row], low)
            values.high_old[row] = np.maximum(values.high_old[row], high)
        for row, k, sign in self.more_new:
            low, high = _signed(low_b[k], high_b[k], sign)
            values.low_new[row] = np.minimum(values.low_new[row], low)
            values.high_new[row] = np.maximum(values.high_new[row], high)
        out = [_Block(COMPONENTS, ids, values, done)]
        # base sums: all supports of either side, corners of elements on held edges included
        a = old.reaction[0, :, :3].sum(axis=0)[None]
        b = self._back(new.reaction[0, :, :3].sum(axis=0)[None])
        out.append(_Block(REACTIONS[:3], [(None, None)], Extremes.of(a, b), np.ones(1, bool)))
        for names, pairs, of_nodes in (
            (REACTIONS, self.supports, (old.reaction, new.reaction)),
            (DISPLACEMENTS, self.nodes, (old.displacement, new.displacement)),
        ):
            i, j = np.array([(p[2], p[3]) for p in pairs], np.int64).reshape(-1, 2).T
            own: list[tuple[str | None, str | None]] = [(p[0], p[1]) for p in pairs]
            both = Extremes.of(of_nodes[0][0, i], self._back(of_nodes[1][0, j]))
            out.append(_Block(names, own, both, self._done(old, new, pairs)))
        if self.surfaces:
            out.append(self._of_surfaces(old, new))
        return out

    def _of_surfaces(self, old: Results, new: Results) -> _Block:
        assert self.base.fields is not None and self.revised.fields is not None
        low_a, high_a = over_surfaces(self.base.fields, old, self.turned_old)
        low_b, high_b = over_surfaces(self.revised.fields, new, self.turned_new)
        i, j = np.array([(p[2], p[3]) for p in self.surfaces], np.int64).T
        values = Extremes(low_a[i], high_a[i], low_b[j], high_b[j])
        for row, k in self.parts_old:
            values.low_old[row] = np.minimum(values.low_old[row], low_a[k])
            values.high_old[row] = np.maximum(values.high_old[row], high_a[k])
        self._demanded(values.low_old, values.high_old, low_b, high_b)
        for row, k in self.parts_new:
            values.low_new[row] = np.minimum(values.low_new[row], low_b[k])
            values.high_new[row] = np.maximum(values.high_new[row], high_b[k])
        own: list[tuple[str | None, str | None]] = [(p[0], p[1]) for p in self.surfaces]
        return _Block(SURFACE_FORCES, own, values, np.ones(len(own), bool))

    def _demanded(self, low_old: Array, high_old: Array, low_new: Array, high_new: Array) -> None:
        d = self.demand
        if not len(d.low_new):
            d.low_old, d.high_old = np.zeros_like(low_old), np.zeros_like(low_old)
            d.low_new, d.high_new = np.zeros_like(low_new), np.zeros_like(low_new)
        d.low_old, d.high_old = np.minimum(d.low_old, low_old), np.maximum(d.high_old, high_old)
        d.low_new, d.high_new = np.minimum(d.low_new, low_new), np.maximum(d.high_new, high_new)

    def _back(self, six: Array) -> Array:
        """Forces (n, 3), or forces or displacements with moments or rotations (n, 6), of the revision in the
        baseline's axes."""
        moved = [self.places.turned_back(six[:, :3])]
        return np.concatenate(
            [*moved, self.places.couples_back(six[:, 3:])] if six.shape[1] > 3 else moved, axis=1
        )

    def _done(self, old: Results, new: Results, pairs: list[tuple[str, str, int, int]]) -> NDArray[np.bool_]:
        """Return whether the nodes of pairs were computed on both sides."""
        a = old.node_done[0][np.array([self.node_old[p[0]] for p in pairs], np.int64)]
        b = new.node_done[0][np.array([self.node_new[p[1]] for p in pairs], np.int64)]
        return np.asarray(a & b)


def _signed(low: Array, high: Array, sign: Array) -> tuple[Array, Array]:
    """Least and largest values of a member, (…, 6), after a change of signs."""
    a, b = low * sign, high * sign
    return np.minimum(a, b), np.maximum(a, b)


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
