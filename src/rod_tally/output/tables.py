"""The tables of the contract in columns; names, order and units are fixed there."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial

import numpy as np
import pyarrow as pa

from ..analysis.results.cuts import CutForces
from ..analysis.results.results import Results
from ..analysis.results.superpose import combined, factors_of
from ..model import Combination
from ..model.geometry.vectors import Array
from ..review.decisions import decision_on
from ..review.review import Review
from .envelope_rows import HEADER, envelope_pieces

HEADERS = {
    "nodes.csv": "node x y z support",
    "members.csv": "member id class start_node end_node section material release_start release_end",
    "displacements.csv": "case node x y z ux uy uz rx ry rz",
    "reactions.csv": "case node x y z fx fy fz mx my mz",
    "member_forces.csv": "case member id distance n vy vz mt my mz",
    "surfaces.csv": "surface id class thickness material area elements",
    "surface_forces.csv": "case surface id x y z nx ny nxy mx my mxy vx vy",
    "surface_axes.csv": "surface x_axis y_axis z_axis",
    "combinations.csv": "combination kind case factor",
    "storeys.csv": "case storey elevation fx fy fz shear_x shear_y drift_x drift_y mass mass_x mass_y",
    "wall_forces.csv": "case storey part wall ids x y z n v_in v_out t m_in m_out",
    "cuts.csv": "case cut storey x y z n v v_out m m_out t n_members v_members m_members",
    "envelopes.csv": HEADER,
    "stability.csv": "combination storey direction index alpha_cr",
    "buckling.csv": "combination mode factor",
    "findings.csv": "code severity ids x y z message decision reason",
}


Rows = list[Sequence[object]]


def tables(review: Review) -> Iterator[tuple[str, Iterator[pa.Table]]]:
    """Each table's file name with its pieces, a load case at a time, so that never more than one is in
    memory.

    Tables of things the model does not hold have no piece: their header alone is written.
    """
    model, results = review.model, review.results
    elements = results.plates.elements() if results.plates is not None else {}
    large = {
        "displacements.csv": lambda: _with_combinations(review, _displacements),
        "reactions.csv": lambda: _with_combinations(review, _reactions),
        "member_forces.csv": lambda: _with_combinations(review, partial(_member_forces, review)),
        "wall_forces.csv": lambda: _wall_forces(review),
        "envelopes.csv": lambda: envelope_pieces(review, member_labels(review)),
        "surface_forces.csv": lambda: _surface_forces(review),
    }
    small: dict[str, Callable[[], Rows]] = {
        "nodes.csv": lambda: _nodes(review),
        "members.csv": lambda: _members(review),
        "surfaces.csv": lambda: [
            (s.name or s.id, s.id, s.cls, s.thickness, s.material or None, s.area, elements.get(s.id, 0))
            for s in model.surfaces.values()
        ],
        "surface_axes.csv": lambda: [
            (s.name or s.id, *(" ".join(repr(float(v) + 0.0) for v in row) for row in s.axes))
            for s in model.surfaces.values()
        ],
        "combinations.csv": lambda: [
            (c.name, c.kind, n, f) for c in review.stated or review.combinations for n, f in c.factors.items()
        ],
        "storeys.csv": lambda: [
            [getattr(row, c) for c in HEADERS["storeys.csv"].split()] for row in review.storeys
        ],
        "cuts.csv": lambda: _cuts(review),
        "stability.csv": lambda: [
            (x.combination, x.storey, x.direction, x.index, x.alpha_cr) for x in review.storey_indices
        ],
        "buckling.csv": lambda: [(x.combination, x.mode, x.factor) for x in review.buckling],
        "findings.csv": lambda: _findings(review),
    }
    for name in HEADERS:
        if name in large:
            yield name, large[name]()
        else:
            yield name, _one(name, small[name]() if name in small else [])


def _one(name: str, rows: Rows) -> Iterator[pa.Table]:
    if rows:
        yield pa.table({c: [row[k] for row in rows] for k, c in enumerate(HEADERS[name].split())})


def member_labels(review: Review) -> dict[str, str]:
    """The short name of each member: its name where no other carries it, else its id."""
    names: dict[str, int] = {}
    for m in review.model.members.values():
        names[m.name] = names.get(m.name, 0) + 1
    return {m.id: m.name if m.name and names[m.name] == 1 else m.id for m in review.model.members.values()}


def _nodes(review: Review) -> Rows:
    m = review.model
    return [(n.id, *(n.point + m.origin).tolist(), n.support.words or None) for n in m.nodes.values()]


def _members(review: Review) -> Rows:
    label = member_labels(review)
    return [
        (
            label[m.id],
            m.id,
            m.cls,
            m.start,
            m.end,
            m.section or None,
            m.material or None,
            m.release_start.words or None,
            m.release_end.words or None,
        )
        for m in review.model.members.values()
    ]


def _with_combinations(review: Review, of: Callable[[Results], Iterator[pa.Table]]) -> Iterator[pa.Table]:
    """A table of the cases, and where the settings say so of every combination after them."""
    yield from of(review.results)
    if review.settings.output.combinations:
        for c in added_combinations(review):
            yield from of(combined(review.results, c))


def added_combinations(review: Review) -> list[Combination]:
    """Combinations that are sums of cases; one that was computed by itself stands among the cases."""
    return [c for c in review.computed_combinations if c.name not in review.results.cases]


def _wall_forces(review: Review) -> Iterator[pa.Table]:
    w = review.wall_forces
    columns = [
        pa.array([str(v) for v in values], pa.string())
        for values in zip(*((r.storey, r.part, r.wall, " ".join(r.ids)) for r in w.rows))
    ]
    places = np.array([r.place for r in w.rows]).reshape(-1, 3)
    signed = [c for c in added_combinations(review) if not c.roots]
    plain, _ = factors_of(review.results, signed)
    named = [(case, w.values[k], w.done[k]) for k, case in enumerate(w.cases)]
    # a combination as a sum of its cases, each row where all of them have it
    more = (
        (c.name, np.tensordot(f, w.values, axes=1), w.done[f != 0].all(axis=0)) for c, f in zip(signed, plain)
    )
    for name, values, done in (*named, *more) if w.rows else ():
        at = np.flatnonzero(done)
        yield _piece(
            "wall_forces.csv",
            name,
            [c.take(pa.array(at)) for c in columns],
            np.hstack([places[at], values[at]]),
        )


def _cuts(review: Review) -> Rows:
    """Forces of every cut in every case and combination that was computed."""
    rows: Rows = []
    if not review.cuts:
        return rows
    for case in (*review.results.cases, *(c.name for c in added_combinations(review))):
        forces = review.cut_forces(case)
        for cut in review.cuts:
            f = forces.get(cut.name)
            if isinstance(f, CutForces):
                point = cut.line.mean(axis=0) if cut.about is None else cut.about
                x, y, z = (float(v) for v in point + review.model.origin)
                rows.append(
                    (
                        case,
                        cut.name,
                        cut.storey or None,
                        x,
                        y,
                        z,
                        f.n,
                        f.v,
                        f.vz,
                        f.m,
                        f.mb,
                        f.mt,
                        f.n_members,
                        f.v_members,
                        f.m_members,
                    )
                )
    return rows


def _displacements(r: Results) -> Iterator[pa.Table]:
    names = pa.array(r.node_ids, pa.string())
    for c, case in enumerate(r.cases):
        done = np.flatnonzero(r.node_done[c])
        numbers = np.hstack([r.xyz[done], r.displacement[c, done]])
        yield _piece("displacements.csv", case, [names.take(pa.array(done))], numbers)


def _reactions(r: Results) -> Iterator[pa.Table]:
    index = {n: i for i, n in enumerate(r.node_ids)}
    at = np.array([index[n] for n in r.support_ids], int)
    names = pa.array(r.support_ids, pa.string())
    for c, case in enumerate(r.cases):
        done = np.flatnonzero(r.node_done[c][at])
        yield _piece(
            "reactions.csv",
            case,
            [names.take(pa.array(done))],
            np.hstack([r.xyz[at[done]], r.reaction[c, done]]),
        )


def _member_forces(review: Review, r: Results) -> Iterator[pa.Table]:
    labels = member_labels(review)
    walls = {s.id: s.name or s.id for s in review.model.surfaces.values()}
    label = pa.array([labels.get(i) or walls.get(i, i) for i in r.member_ids], pa.string())
    ident = pa.array(r.member_ids, pa.string())
    for c, case in enumerate(r.cases):
        done = np.flatnonzero(r.member_done[c][r.station_member])
        which = pa.array(r.station_member[done])
        numbers = np.hstack([r.station_x[done, None], r.force[c, done]])
        yield _piece("member_forces.csv", case, [label.take(which), ident.take(which)], numbers)


def _surface_forces(review: Review) -> Iterator[pa.Table]:
    r, fields = review.results, review.fields
    if fields is None:
        return
    surfaces = [review.model.surfaces[s] for s in fields.plates.surfaces]
    label = pa.array([s.name or s.id for s in surfaces], pa.string())
    ident = pa.array([s.id for s in surfaces], pa.string())
    for c, case in enumerate(r.cases):
        of, node, values = fields.averaged_forces(r, c)
        done = r.node_done[c][node]
        which = pa.array(of[done])
        numbers = np.hstack([r.xyz[node[done]], values[done]])
        yield _piece("surface_forces.csv", case, [label.take(which), ident.take(which)], numbers)


def _piece(name: str, case: str, labels: list[pa.Array], numbers: Array) -> pa.Table:
    """Rows of one case: its name, labels (n,), and numbers (n, k)."""
    numbers = numbers + 0.0  # no -0
    columns = [
        pa.array([case] * len(numbers), pa.string()),
        *labels,
        *(pa.array(column) for column in numbers.T),
    ]
    return pa.table(dict(zip(HEADERS[name].split(), columns)))


def _findings(review: Review) -> Rows:
    rows: Rows = []
    for f in review.findings:
        x, y, z = (
            (None, None, None) if f.at is None else (float(a + b) for a, b in zip(f.at, review.model.origin))
        )
        d = decision_on(f, review.decisions)
        made = (None, None) if d is None else (d.decision, d.reason or None)
        rows.append((f.code, f.severity, " ".join(f.ids), x, y, z, f.message, *made))
    return rows
