"""Combinations of computed cases, and envelopes over them with the combination that governs each value."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from ...loads import Distribution
from ...model import Combination, Model
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..frame.shape import MemberShapes, Shapes
from .results import CaseEquilibrium, Results
from .signless import Linear

BLOCK = 1024  # values taken at once: their products with a thousand combinations stay in the cache


def usable(results: Results, combinations: list[Combination]) -> list[Combination]:
    """Those of which every case was computed; none where one-way parts went slack, for such cases cannot be
    added up."""
    if results.slack or results.yielded or results.unsettled or results.second_order:
        combinations = [c for c in combinations if list(c.factors.values()) == [1.0]]
    return [c for c in combinations if all(n in results.cases for n in c.factors)]


def factors_of(results: Results, combinations: list[Combination]) -> tuple[Array, Array]:
    """Factors (K, C) of what is summed, and of what enters as the root of the sum of squares. Raises KeyError
    for a case that was not computed."""
    index = {n: i for i, n in enumerate(results.cases)}
    plain, roots = np.zeros((len(combinations), len(index))), np.zeros((len(combinations), len(index)))
    for k, c in enumerate(combinations):
        for name, factor in c.factors.items():
            (roots if name in c.roots else plain)[k, index[name]] = factor
    return plain, roots


def combined(results: Results, combination: Combination) -> Results:
    """The results of one combination, as those of a run with that one case.

    What enters as the root of squares is added; with the other sign it is taken off. A member counts as
    computed where every case of the combination computes it. Raises KeyError for a case that was not
    computed."""
    plain, roots = factors_of(results, [combination])
    used = np.flatnonzero((plain[0] != 0) | (roots[0] != 0))

    def sum_up(values: Array) -> Array:
        out = np.tensordot(plain[0], values, axes=1)
        if roots.any():
            out = out + np.sqrt(np.tensordot(roots[0] ** 2, values**2, axes=1))
        return np.asarray(out)[None]

    out = Results(
        [combination.name],
        results.node_ids,
        results.member_ids,
        results.xyz,
        sum_up(results.displacement),
        results.support_ids,
        sum_up(results.reaction),
        results.station_member,
        results.station_x,
        sum_up(results.force),
        np.atleast_2d(results.node_done[used].all(axis=0)),
        np.atleast_2d(results.member_done[used].all(axis=0)),
        plates=results.plates,
        sum_of=(results, combination),
    )
    by_case = {e.case: e for e in results.equilibrium}
    parts = [(combination.factors[n], by_case[n]) for n in combination.factors if n in by_case]
    if parts and not combination.roots:
        applied = np.asarray(sum(f * e.applied for f, e in parts))
        reaction = np.asarray(sum(f * e.reaction for f, e in parts))
        worst = max(e.residual for _, e in parts)
        out.equilibrium = [CaseEquilibrium(combination.name, applied, reaction, worst)]
        out.applied[combination.name] = applied[:3]
    return out


def of_movements(results: Results, case: int, of: Linear) -> Array:
    """Return what `of`, which must be linear, makes of the movements (N, 6) of a case or a combination: for
    a response to a spectrum of those of each mode, then combined; for a combination of those of its cases."""
    if results.sum_of is None:
        modal = results.modal.get(results.cases[case])
        return of(results.displacement[case]) if modal is None else modal.combined(of)
    whole, combination = results.sum_of
    if not combination.roots and not any(n in whole.modal for n in combination.factors):
        return of(results.displacement[case])
    plain, squares = np.zeros(1), np.zeros(1)
    for name, factor in combination.factors.items():
        value = factor * of_movements(whole, whole.case_index(name), of)
        if name in combination.roots:
            squares = squares + value**2
        else:
            plain = plain + value
    return np.asarray(plain + np.sqrt(squares))


def combined_shapes(
    model: Model,
    results: Results,
    combination: Combination,
    n: int,
    flexible: bool,
    distribution: Distribution,
) -> Shapes:
    """The displaced shape of every computed member in a combination."""
    plain = squares = None
    maker = MemberShapes(model, results, flexible, distribution)
    for name, factor in combination.factors.items():
        shapes = maker.of(name, n)
        if name in combination.roots:
            squares = (factor * shapes.displacement) ** 2 + (0.0 if squares is None else squares)
        else:
            plain = factor * shapes.displacement + (0.0 if plain is None else plain)
    assert plain is not None or squares is not None
    moved = plain if squares is None else np.sqrt(squares) + (0.0 if plain is None else plain)
    return Shapes(shapes.member, shapes.points, np.asarray(moved), shapes.ends)


@dataclass(slots=True)
class Envelope:
    """Lowest and highest values, in the shape of what was enveloped, and the index into `combinations` that
    gives each."""

    combinations: list[Combination]
    low: Array
    high: Array
    low_by: NDArray[np.int32]
    high_by: NDArray[np.int32]


def envelope(
    results: Results,
    combinations: list[Combination],
    values: Array | None = None,
    progress: Progress = silent,
) -> Envelope:
    """Over combinations whose cases were all computed, of `values` (C, …): the forces at all stations unless
    given otherwise.

    Values of members that a case does not compute count as zero in it, as in the results. Raises ValueError
    for none."""
    known = usable(results, combinations)
    if not known:
        raise ValueError("no combination has all its cases computed")
    values = results.force if values is None else values
    shape = values.shape[1:]
    flat = np.ascontiguousarray(values.reshape(len(results.cases), -1).T)
    plain, roots = factors_of(results, known)
    with_roots = np.flatnonzero(roots.any(axis=1))
    n = len(flat)
    room = np.empty((BLOCK, len(plain)))  # one for all blocks: fresh memory would cost more than the products
    low, high = np.empty(n), np.empty(n)
    low_by, high_by = np.empty(n, np.int32), np.empty(n, np.int32)
    for s in range(0, n, BLOCK):
        if s % (64 * BLOCK) == 0:
            progress("Enveloping combinations", s / n)
        part = slice(s, min(s + BLOCK, n))
        v = np.matmul(flat[part], plain.T, out=room[: part.stop - s])
        least = most = v
        if len(with_roots):
            root = np.sqrt(flat[part] ** 2 @ roots[with_roots].T ** 2)
            least, most = v.copy(), v
            least[:, with_roots] -= root
            most[:, with_roots] += root
        rows = np.arange(len(v))
        at, up = least.argmin(axis=1), most.argmax(axis=1)
        low[part], high[part] = least[rows, at], most[rows, up]
        low_by[part], high_by[part] = at, up
    return Envelope(
        known, low.reshape(shape), high.reshape(shape), low_by.reshape(shape), high_by.reshape(shape)
    )


SIFTED = 2e11  # products that sifting combinations may take, about a minute
AT_ONCE = 512  # combinations sifted at a time


def _sifted(results: Results) -> Array:
    """Return what combinations are sifted by (n, C): forces at the ends and the middle of members,
    reactions, displacements."""
    cases = len(results.cases)
    rows = [results.reaction.reshape(cases, -1), results.displacement[:, :, :3].reshape(cases, -1)]
    if len(results.station_member):
        first = np.flatnonzero(np.diff(results.station_member, prepend=-1))
        last = np.append(first[1:] - 1, len(results.station_member) - 1)
        rows.append(results.force[:, np.unique([first, (first + last) // 2, last])].reshape(cases, -1))
    values = np.concatenate(rows, axis=1)
    return np.ascontiguousarray(values[:, values.any(axis=0)].T)


def can_sift(results: Results, count: int) -> bool:
    """Return whether so many combinations can be sifted in about a minute."""
    if not results.cases:
        return False
    size = results.reaction[0].size + results.displacement[0].size / 2
    size += 18 * len(results.member_ids)
    return float(size) * count * len(results.cases) <= SIFTED


def governing(
    results: Results,
    combinations: Iterable[Combination],
    progress: Progress = silent,
) -> tuple[list[Combination], int]:
    """Those that give a largest or smallest value of anything within their kind, and how many there were of
    all.

    They are taken piece by piece, so that never more than a few hundred are held beside those that govern so
    far."""
    values = _sifted(results)
    kinds: dict[str, tuple[Array, Array, NDArray[np.int64], NDArray[np.int64]]] = {}
    kept: dict[int, Combination] = {}
    count = 0
    stream = iter(combinations)
    while piece := list(islice(stream, AT_ONCE)):
        progress("Sifting combinations", min(0.99, count / 1e5))
        for kind in dict.fromkeys(c.kind for c in piece):
            mine = [
                (count + k, c)
                for k, c in enumerate(piece)
                if c.kind == kind and all(n in results.cases for n in c.factors)
            ]
            if not mine:
                continue
            if kind not in kinds:
                none = np.full(len(values), -1, np.int64)
                kinds[kind] = np.full(len(values), np.inf), np.full(len(values), -np.inf), none, none.copy()
            low, high, low_by, high_by = kinds[kind]
            plain, roots = factors_of(results, [c for _, c in mine])
            v = values @ plain.T
            root = np.sqrt(values**2 @ roots.T**2) if roots.any() else 0.0
            numbers = np.array([n for n, _ in mine])
            for found, best, by, sign in ((v - root, low, low_by, 1.0), (v + root, high, high_by, -1.0)):
                at = (sign * found).argmin(axis=1)
                extreme = found[np.arange(len(found)), at]
                better = sign * extreme < sign * best - 1e-12 * np.abs(
                    best, where=np.isfinite(best), out=np.zeros(len(best))
                )
                best[better], by[better] = extreme[better], numbers[at[better]]
            kept |= dict(mine)
        governs = {int(n) for _, _, a, b in kinds.values() for n in np.unique(np.concatenate([a, b]))}
        kept = {n: c for n, c in kept.items() if n in governs}
        count += len(piece)
    return [kept[n] for n in sorted(kept)], count


@dataclass(slots=True)
class MemberEnvelope:
    """The envelope of each member and component: lowest and highest (M, 6), where along it (m), and by which
    combination."""

    low: Array
    high: Array
    low_x: Array
    high_x: Array
    low_by: NDArray[np.int32]
    high_by: NDArray[np.int32]


def of_members(results: Results, e: Envelope) -> MemberEnvelope:
    """The envelope of stations gathered by member; rows of a member without stations are zero."""
    m = len(results.member_ids)
    low, high, low_x, high_x = np.zeros((4, m, 6))
    out = MemberEnvelope(low, high, low_x, high_x, np.zeros((m, 6), np.int32), np.zeros((m, 6), np.int32))
    if not m or not len(results.station_member):
        return out
    begin = np.searchsorted(results.station_member, np.arange(m))
    stop = np.append(begin[1:], len(results.station_member))
    has = stop > begin
    for k in range(6):
        for values, reduce, kept, where, by, source in (
            (e.low[:, k], np.minimum, out.low, out.low_x, out.low_by, e.low_by[:, k]),
            (e.high[:, k], np.maximum, out.high, out.high_x, out.high_by, e.high_by[:, k]),
        ):
            best = reduce.reduceat(values, np.minimum(begin, len(values) - 1))
            hit = np.flatnonzero(values == best[results.station_member])
            first = np.full(m, -1)
            first[results.station_member[hit][::-1]] = hit[::-1]
            good = has & (first >= 0)
            kept[good, k], where[good, k] = best[good], results.station_x[first[good]]
            by[good, k] = source[first[good]]
    return out
