"""The tables of the contract in columns; names, order and units are fixed there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyarrow as pa

from ..analysis.results import COMPONENTS, Results
from ..model.geometry import Array
from ..review.review import Review

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
    "findings.csv": "code severity ids x y z message",
}


def tables(review: Review) -> dict[str, pa.Table]:
    """All tables by file name. Those of things the model does not hold have their header alone."""
    filled = {
        "nodes.csv": _nodes(review),
        "members.csv": _members(review),
        "displacements.csv": _displacements(review.results),
        "reactions.csv": _reactions(review.results),
        "member_forces.csv": _member_forces(review),
        "surfaces.csv": [
            (s.name or s.id, s.id, s.cls, s.thickness, s.material or None, s.area, 0)
            for s in review.model.surfaces.values()
        ],
        "surface_axes.csv": [
            (s.name or s.id, *(" ".join(repr(float(v) + 0.0) for v in row) for row in s.axes))
            for s in review.model.surfaces.values()
        ],
        "combinations.csv": [(c.name, c.kind, n, f) for c in review.model.combinations for n, f in c.factors.items()],
        "storeys.csv": [[getattr(row, c) for c in HEADERS["storeys.csv"].split()] for row in review.storeys],
        "findings.csv": _findings(review),
    }
    out = {}
    for name, header in HEADERS.items():
        columns = header.split()
        body = filled.get(name, [])
        if isinstance(body, pa.Table):
            out[name] = body
        else:
            out[name] = pa.table({c: [row[k] for row in body] for k, c in enumerate(columns)})
    return out


def member_labels(review: Review) -> dict[str, str]:
    """The short name of each member: its name where no other carries it, else its id."""
    names: dict[str, int] = {}
    for m in review.model.members.values():
        names[m.name] = names.get(m.name, 0) + 1
    return {m.id: m.name if m.name and names[m.name] == 1 else m.id for m in review.model.members.values()}


def _nodes(review: Review) -> list[Sequence[object]]:
    m = review.model
    return [(n.id, *(n.point + m.origin).tolist(), n.support.letters) for n in m.nodes.values()]


def _members(review: Review) -> list[Sequence[object]]:
    label = member_labels(review)
    return [
        (
            label[m.id], m.id, m.cls, m.start, m.end, m.section or None, m.material or None,
            m.release_start.letters, m.release_end.letters,
        )
        for m in review.model.members.values()
    ]  # fmt: skip


def _displacements(r: Results) -> pa.Table:
    done = [np.flatnonzero(d) for d in r.node_done]
    node = _picked(r.node_ids, done)
    values = [np.hstack([r.xyz[d], r.displacement[c, d]]) for c, d in enumerate(done)]
    return _table("displacements.csv", [_cases(r, done), node], values)


def _reactions(r: Results) -> pa.Table:
    index = {n: i for i, n in enumerate(r.node_ids)}
    at = np.array([index[n] for n in r.support_ids], int)
    done = [np.flatnonzero(d[at]) for d in r.node_done]
    values = [np.hstack([r.xyz[at[d]], r.reaction[c, d]]) for c, d in enumerate(done)]
    return _table("reactions.csv", [_cases(r, done), _picked(r.support_ids, done)], values)


def _member_forces(review: Review) -> pa.Table:
    r = review.results
    labels = member_labels(review)
    done = [np.flatnonzero(d[r.station_member]) for d in r.member_done]
    which = [r.station_member[d] for d in done]
    label, ident = _picked([labels[i] for i in r.member_ids], which), _picked(r.member_ids, which)
    values = [np.hstack([r.station_x[d, None], r.force[c, d]]) for c, d in enumerate(done)]
    assert len(COMPONENTS) + 1 == (values[0].shape[1] if values else 7)
    return _table("member_forces.csv", [_cases(r, done), label, ident], values)


def _cases(r: Results, done: list[np.ndarray]) -> pa.Array:
    return pa.DictionaryArray.from_arrays(
        np.repeat(np.arange(len(done)), [len(d) for d in done]).astype(np.int32), pa.array(r.cases, pa.string())
    )


def _picked(names: list[str], which: list[np.ndarray]) -> pa.Array:
    index = np.concatenate(which) if which else np.zeros(0)
    return pa.DictionaryArray.from_arrays(index.astype(np.int32), pa.array(names, pa.string()))


def _table(name: str, labels: list[pa.Array], values: list[Array]) -> pa.Table:
    columns = HEADERS[name].split()
    numbers = np.concatenate(values) + 0.0 if values else np.zeros((0, len(columns) - len(labels)))  # no -0
    plain = [c.dictionary_decode() for c in labels]
    return pa.table(dict(zip(columns, [*plain, *(pa.array(numbers[:, k]) for k in range(numbers.shape[1]))])))


def _findings(review: Review) -> list[Sequence[object]]:
    rows: list[Sequence[object]] = []
    for f in review.findings:
        x, y, z = (None, None, None) if f.at is None else (float(a + b) for a, b in zip(f.at, review.model.origin))
        rows.append((f.code, f.severity, " ".join(f.ids), x, y, z, f.message))
    return rows
