"""Clusters of ends become nodes with names that do not depend on the order of the file."""

from __future__ import annotations

import numpy as np

from ...model import Joint, LogEntry, Member, Model, Node
from ...model.geometry.vectors import Array
from .joins import Cluster


def add_nodes(
    model: Model, clusters: list[Cluster], members: list[Member], names: dict[int, str]
) -> list[str]:
    """Add a node for each cluster and hang the members on it; returns the node id of each cluster.

    `names` are ids that the source gives, by cluster index; the others are numbered from the lowest up.
    """
    order = sorted(range(len(clusters)), key=lambda c: tuple(np.round(clusters[c].point[[2, 1, 0]], 4)))
    ids = [""] * len(clusters)
    number = 0
    for c in order:
        if c in names:
            ids[c] = names[c]
        else:
            number += 1
            ids[c] = f"N{number}"
        model.nodes[ids[c]] = Node(ids[c], clusters[c].point)
    for c, cluster in enumerate(clusters):
        for e in cluster.ends:
            if e % 2:
                members[e // 2].end = ids[c]
            else:
                members[e // 2].start = ids[c]
    for m in members:
        model.members[m.id] = m
    return ids


def add_joints(
    model: Model, clusters: list[Cluster], members: list[Member], ids: list[str], lengths: Array
) -> None:
    """Nodes inside members, sorted along them: each at the place on the axis that is nearest to its node."""
    for c, cluster in enumerate(clusters):
        for seat in cluster.seats:
            m = members[seat.member]
            if ids[c] in (m.start, m.end):
                continue
            line = model.line(m)
            length = float(np.linalg.norm(line[1] - line[0]))
            along = float((model.nodes[ids[c]].point - line[0]) @ (line[1] - line[0])) / length
            # a node that was brought far: its place in the source, scaled to the model's length
            if not 0 < along < length:
                along = seat.along / lengths[seat.member] * length
            m.joints.append(Joint(along, ids[c]))
    for m in members:
        m.joints.sort(key=lambda j: (j.distance, j.node))


def log_moves(model: Model, members: list[Member]) -> None:
    """One entry for every end that moved by more than 0.1 mm, with what it moved onto."""
    at = model.members_at()
    members = [m for m in members if m.source_line is not None]
    if not members:
        return
    source = np.concatenate([m.source_line for m in members if m.source_line is not None]).reshape(-1, 2, 3)
    steps = model.lines_of(members) - source
    far = np.linalg.norm(steps, axis=2)
    axis = source[:, 1] - source[:, 0]
    size = np.einsum("ni,ni->n", axis, axis)
    along = np.einsum("nki,ni->nk", steps, axis) / size[:, None]
    across = np.sqrt(np.maximum(far**2 - along**2 * size[:, None], 0.0))
    for k, which in np.argwhere(far >= 1e-4).tolist():
        m, distance, off = members[k], float(far[k, which]), float(across[k, which])
        others = [model.members[i] for i in at[m.end if which else m.start] if i != m.id]
        names = ", ".join(sorted(o.name or o.id for o in others)[:3]) or "nothing else"
        how = f"{off * 1000:.0f} mm of it across its own line" if off > 5e-4 else "along its own line"
        message = (
            f"{'end' if which else 'start'} of {m.cls} {m.name or m.id} brought to the node it shares with {names}: "
            f"{distance * 1000:.0f} mm, {how}"
        )
        p = source[k, which].tolist()
        model.log.append(LogEntry("moved", (m.id,), message, distance, (p[0], p[1], p[2])))
