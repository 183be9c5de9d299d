"""Envelopes over each set of combinations: of members, reactions, displacements, storeys, walls and cuts,
each extreme with what acts with it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from ..analysis.results.results import COMPONENTS
from ..analysis.results.superpose import envelope, factors_of
from ..analysis.walls.forces import WALL_COMPONENTS
from ..model import Combination
from ..model.geometry.vectors import Array
from ..review.review import Review

HEADER = "set of id place quantity low low_by low_with high high_by high_with"
MOVES = ("ux", "uy", "uz", "rx", "ry", "rz")
FORCES = ("fx", "fy", "fz", "mx", "my", "mz")
STOREY = ("shear_x", "shear_y", "drift_x", "drift_y")
CUT = ("n", "v", "v_out", "m", "m_out", "t")
DIGITS = 9  # of values beside an extreme
CHUNK = 20_000  # places whose rows are made at once


def envelope_pieces(review: Review, labels: dict[str, str]) -> Iterator[pa.Table]:
    """Rows of HEADER, one piece for each set and kind of value. Only what every case of the set's
    combinations computed is told."""
    r = review.results
    if r.empty:
        return
    sets: dict[str, list[Combination]] = {}
    for c in review.computed_combinations:
        sets.setdefault(c.kind, []).append(c)
    support = np.array([r.node_ids.index(n) for n in r.support_ids], np.int64)
    node_done = np.atleast_1d(r.node_done.all(axis=0))
    member_done = np.atleast_1d(r.member_done.all(axis=0))[r.station_member]
    walls = review.wall_forces
    storeys, storey_values = _storeys(review)
    for name, combinations in sets.items():
        for of, ids, places, quantities, values, done in (
            (
                "member",
                [r.member_ids[k] for k in r.station_member],
                r.station_x.tolist(),
                COMPONENTS,
                r.force,
                member_done,
            ),
            ("reaction", r.support_ids, None, FORCES, r.reaction, node_done[support]),
            ("displacement", r.node_ids, None, MOVES, r.displacement, node_done),
            (
                "storey",
                storeys,
                None,
                STOREY,
                storey_values,
                np.atleast_1d(np.isfinite(storey_values).all(axis=(0, 2))),
            ),
        ):
            yield _piece(review, name, combinations, of, ids, places, quantities, np.nan_to_num(values), done)
        signed = [c for c in combinations if not c.roots]
        if walls.rows and signed:
            ids = [row.wall for row in walls.rows]
            at = [f"{row.storey} {row.part}".strip() for row in walls.rows]
            yield _piece(
                review,
                name,
                signed,
                "wall",
                ids,
                at,
                WALL_COMPONENTS,
                walls.values,
                np.atleast_1d(walls.done.all(axis=0)),
            )
        if review.cuts and signed:
            cut_values, cut_done = _cuts(review)
            at = [c.storey for c in review.cuts]
            names = [c.name for c in review.cuts]
            yield _piece(review, name, signed, "cut", names, at, CUT, cut_values, cut_done)


def _cuts(review: Review) -> tuple[Array, NDArray[np.bool_]]:
    """Values (C, K, 6) of every cut in every case, and which were computed in all."""
    out = np.zeros((len(review.results.cases), len(review.cuts), len(CUT)))
    done = np.ones(len(review.cuts), bool)
    for c, case in enumerate(review.results.cases):
        found = review.cut_forces(case)
        for k, cut in enumerate(review.cuts):
            f = found.get(cut.name)
            if f is None or isinstance(f, str):
                done[k] = False
            else:
                out[c, k] = f.n, f.v, f.vz, f.m, f.mb, f.mt
    return out, done


def _storeys(review: Review) -> tuple[list[str], Array]:
    """Names, and values (C, S, 4) with NaN for what was not computed."""
    names = list(dict.fromkeys(s.storey for s in review.storeys))
    out = np.full((len(review.results.cases), len(names), len(STOREY)), np.nan)
    case = {c: k for k, c in enumerate(review.results.cases)}
    for row in review.storeys:
        if row.case in case:
            values = [getattr(row, q) for q in STOREY]
            out[case[row.case], names.index(row.storey)] = [np.nan if v is None else v for v in values]
    # a lowest storey has no drift: nothing moves below it
    base = np.isnan(out[:, :, 2:]).all(axis=(0, 2))
    out[:, base, 2:] = 0.0
    return names, out


def _text(place: object) -> str:
    """As the other tables write it."""
    return repr(place).removesuffix(".0") if isinstance(place, float) else str(place)


def _piece(
    review: Review,
    name: str,
    combinations: list[Combination],
    of: str,
    ids: Sequence[str],
    places: Sequence[object] | None,
    quantities: Sequence[str],
    values: Array,
    done: NDArray[np.bool_],
) -> pa.Table:
    at = np.flatnonzero(done)
    pieces = [
        _rows(review, name, combinations, of, ids, places, quantities, values, at[k : k + CHUNK].tolist())
        for k in range(0, len(at), CHUNK)
    ]
    if not pieces:
        return pa.table({c: pa.array([], pa.string()) for c in HEADER.split()})
    return pa.concat_tables(pieces)


def _rows(
    review: Review,
    name: str,
    combinations: list[Combination],
    of: str,
    ids: Sequence[str],
    places: Sequence[object] | None,
    quantities: Sequence[str],
    values: Array,
    at: list[int],
) -> pa.Table:
    here = np.ascontiguousarray(values[:, at])
    e = envelope(review.results, combinations, here)
    n, q = len(at), len(quantities)
    by = pa.array([c.name for c in e.combinations], pa.string())
    where = [None if places is None else _text(places[k]) for k in at]

    def repeated(column: Sequence[object]) -> pa.Array:
        return pa.array(column, pa.string()).take(pa.array(np.repeat(np.arange(n), q)))

    return pa.table(
        {
            "set": pa.array([name] * (n * q), pa.string()),
            "of": pa.array([of] * (n * q), pa.string()),
            "id": repeated([ids[k] for k in at]),
            "place": repeated(where),
            "quantity": pa.array(list(quantities) * n, pa.string()),
            "low": pa.array(e.low.ravel() + 0.0),
            "low_by": by.take(pa.array(e.low_by.ravel())),
            "low_with": _beside(review, e.combinations, here, e.low_by, quantities),
            "high": pa.array(e.high.ravel() + 0.0),
            "high_by": by.take(pa.array(e.high_by.ravel())),
            "high_with": _beside(review, e.combinations, here, e.high_by, quantities),
        }
    )


def _beside(
    review: Review,
    combinations: list[Combination],
    values: Array,
    by: NDArray[np.int32],
    quantities: Sequence[str],
) -> pa.Array:
    """The other quantities of the same place in the combination that governs one, as "n=-120500 vz=3100 …",
    of `values` (C, n, q) by combinations (n, q), place by place. Null in a combination with a root of
    squares: its parts do not act together."""
    plain, roots = factors_of(review.results, combinations)
    n, q = by.shape
    # each combination that governs anything at a place is put into words once there
    place = np.repeat(np.arange(n), q)
    pairs, row = np.unique(place * len(combinations) + by.ravel(), return_inverse=True)
    at, of = np.divmod(pairs, len(combinations))
    with_it = np.einsum("kc,ckq->kq", plain[of], values[:, at])
    parts = []
    for j, quantity in enumerate(quantities):
        number = pc.cast(pa.array(_rounded(with_it[:, j])), pa.string())
        whole = pc.ends_with(number, ".0")
        number = pc.if_else(whole, pc.utf8_slice_codeunits(number, 0, -2), number)
        parts.append(pc.binary_join_element_wise(pa.scalar(quantity), number, "="))
    words: list[pa.Array] = []
    for k in range(q):
        own = pa.array(row.reshape(n, q)[:, k])
        words.append(pc.binary_join_element_wise(*(p.take(own) for j, p in enumerate(parts) if j != k), " "))
    every = pa.concat_arrays(words).take(pa.array(np.arange(n * q).reshape(q, n).T.ravel()))
    rooted = pa.array(np.asarray(roots.any(axis=1))[by.ravel()])
    return pc.if_else(rooted, pa.nulls(n * q, pa.string()), every)


def _rounded(values: Array) -> Array:
    """To `DIGITS` digits, without minus zero."""
    size = np.abs(values)
    plain = (size > 1e-200) & (size < 1e200)  # beyond, powers of ten are no numbers
    scale = 10.0 ** (DIGITS - 1 - np.floor(np.log10(np.where(plain, size, 1.0))))
    return np.asarray(np.where(plain, np.round(np.where(plain, values, 0.0) * scale) / scale, values) + 0.0)
