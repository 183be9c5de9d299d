"""Envelopes over each set of combinations: of members, reactions, displacements, storeys and walls."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from ..analysis.results.results import COMPONENTS
from ..analysis.results.superpose import envelope
from ..analysis.walls.forces import WALL_COMPONENTS
from ..model import Combination
from ..model.geometry.vectors import Array
from ..review.review import Review

HEADER = "of id place quantity low low_by high high_by set"
MOVES = ("ux", "uy", "uz", "rx", "ry", "rz")
FORCES = ("fx", "fy", "fz", "mx", "my", "mz")
STOREY = ("shear_x", "shear_y", "drift_x", "drift_y")


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
    at = np.flatnonzero(done).tolist()
    if not at:
        return pa.table({c: pa.array([], pa.string()) for c in HEADER.split()})
    e = envelope(review.results, combinations, values[:, at])
    n, q = len(at), len(quantities)
    by = pa.array([c.name for c in e.combinations], pa.string())
    where = [None if places is None else _text(places[k]) for k in at]

    def repeated(column: Sequence[object]) -> pa.Array:
        return pa.array(column, pa.string()).take(pa.array(np.repeat(np.arange(n), q)))

    return pa.table(
        {
            "of": pa.array([of] * (n * q), pa.string()),
            "id": repeated([ids[k] for k in at]),
            "place": repeated(where),
            "quantity": pa.array(list(quantities) * n, pa.string()),
            "low": pa.array(e.low.ravel() + 0.0),
            "low_by": by.take(pa.array(e.low_by.ravel())),
            "high": pa.array(e.high.ravel() + 0.0),
            "high_by": by.take(pa.array(e.high_by.ravel())),
            "set": pa.array([name] * (n * q), pa.string()),
        }
    )
