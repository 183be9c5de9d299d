"""The tables of the contract as data frames; columns, order and units are fixed there."""

from __future__ import annotations

import numpy as np
import pandas as pd

from ..analysis.results import COMPONENTS
from ..review.review import Review

SURFACES = {
    "surfaces.csv": ["surface", "id", "class", "thickness", "material", "area", "elements"],
    "surface_forces.csv": [
        "case", "surface", "id", "x", "y", "z", "nx", "ny", "nxy", "mx", "my", "mxy", "vx", "vy",
    ],
    "surface_axes.csv": ["surface", "x_axis", "y_axis", "z_axis"],
}  # fmt: skip


def tables(review: Review) -> dict[str, pd.DataFrame]:
    """All tables by file name. Those of things the model does not hold have their header alone."""
    return {
        "nodes.csv": nodes(review),
        "members.csv": members(review),
        "displacements.csv": displacements(review),
        "reactions.csv": reactions(review),
        "member_forces.csv": member_forces(review),
        "combinations.csv": combinations(review),
        "storeys.csv": storeys(review),
        "findings.csv": findings(review),
        **{name: pd.DataFrame(columns=columns) for name, columns in SURFACES.items()},
    }


def nodes(review: Review) -> pd.DataFrame:
    m = review.model
    rows = [(n.id, *(n.point + m.origin), n.support.letters) for n in m.nodes.values()]
    return pd.DataFrame(rows, columns=["node", "x", "y", "z", "support"])


def member_labels(review: Review) -> dict[str, str]:
    """The short name of each member: its name where that is its own, else its id."""
    names: dict[str, int] = {}
    for m in review.model.members.values():
        names[m.name] = names.get(m.name, 0) + 1
    return {m.id: m.name if m.name and names[m.name] == 1 else m.id for m in review.model.members.values()}


def members(review: Review) -> pd.DataFrame:
    label = member_labels(review)
    rows = [
        (
            label[m.id], m.id, m.cls, m.start, m.end, m.section or None, m.material or None,
            m.release_start.letters, m.release_end.letters,
        )
        for m in review.model.members.values()
    ]  # fmt: skip
    columns = ["member", "id", "class", "start_node", "end_node", "section", "material", "release_start", "release_end"]
    return pd.DataFrame(rows, columns=columns)


def displacements(review: Review) -> pd.DataFrame:
    r = review.results
    frames = []
    for c, case in enumerate(r.cases):
        done = np.flatnonzero(r.node_done[c])
        frame = pd.DataFrame({"case": case, "node": np.array(r.node_ids, object)[done]})
        frame[["x", "y", "z"]] = r.xyz[done]
        frame[["ux", "uy", "uz", "rx", "ry", "rz"]] = r.displacement[c, done] + 0.0
        frames.append(frame)
    return _joined(frames, ["case", "node", "x", "y", "z", "ux", "uy", "uz", "rx", "ry", "rz"])


def reactions(review: Review) -> pd.DataFrame:
    r = review.results
    index = {n: i for i, n in enumerate(r.node_ids)}
    at = np.array([index[n] for n in r.support_ids], int)
    frames = []
    for c, case in enumerate(r.cases):
        done = np.flatnonzero(r.node_done[c, at]) if len(at) else np.zeros(0, int)
        frame = pd.DataFrame({"case": case, "node": np.array(r.support_ids, object)[done]})
        frame[["x", "y", "z"]] = r.xyz[at[done]]
        frame[["fx", "fy", "fz", "mx", "my", "mz"]] = r.reaction[c, done] + 0.0
        frames.append(frame)
    return _joined(frames, ["case", "node", "x", "y", "z", "fx", "fy", "fz", "mx", "my", "mz"])


def member_forces(review: Review) -> pd.DataFrame:
    r = review.results
    labels = member_labels(review)
    ids = np.array(r.member_ids, object)
    label = np.array([labels[i] for i in r.member_ids], object)
    frames = []
    for c, case in enumerate(r.cases):
        done = np.flatnonzero(r.member_done[c, r.station_member]) if len(ids) else np.zeros(0, int)
        which = r.station_member[done]
        frame = pd.DataFrame({"case": case, "member": label[which], "id": ids[which], "distance": r.station_x[done]})
        frame[list(COMPONENTS)] = r.force[c, done] + 0.0
        frames.append(frame)
    return _joined(frames, ["case", "member", "id", "distance", *COMPONENTS])


def combinations(review: Review) -> pd.DataFrame:
    rows = [(c.name, c.kind, case, f) for c in review.model.combinations for case, f in c.factors.items()]
    return pd.DataFrame(rows, columns=["combination", "kind", "case", "factor"])


def storeys(review: Review) -> pd.DataFrame:
    columns = [
        "case", "storey", "elevation", "fx", "fy", "fz", "shear_x", "shear_y", "drift_x", "drift_y",
        "mass", "mass_x", "mass_y",
    ]  # fmt: skip
    return pd.DataFrame([[getattr(row, c) for c in columns] for row in review.storeys], columns=columns)


def findings(review: Review) -> pd.DataFrame:
    rows = []
    for f in review.findings:
        x, y, z = (None, None, None) if f.at is None else (float(a + b) for a, b in zip(f.at, review.model.origin))
        rows.append((f.code, f.severity, " ".join(f.ids), x, y, z, f.message))
    return pd.DataFrame(rows, columns=["code", "severity", "ids", "x", "y", "z", "message"])


def _joined(frames: list[pd.DataFrame], columns: list[str]) -> pd.DataFrame:
    frames = [f for f in frames if len(f)]
    return pd.concat(frames, ignore_index=True)[columns] if frames else pd.DataFrame(columns=columns)
