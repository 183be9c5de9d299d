"""Supports of a physical source, which brings none: at what stands on a footing or on the lowest storey."""

from __future__ import annotations

import numpy as np

from ..intake.source import SourceModel
from ..model import FIXED, LogEntry, Member, Model, Support
from ..model.geometry import Bodies, clear_distance
from ..model.proximity import Rods, near_boxes
from ..model.settings import TransferSettings

PINNED = Support("XXXFFF")


def support_bases(
    source: SourceModel, model: Model, rods: Rods, members: list[Member], settings: TransferSettings
) -> None:
    """Give a support to the node of every column's lower end on the lowest storey, and of every column's and brace's
    lower end on a footing; each is an entry of the log."""
    support = FIXED if settings.base_support == "fixed" else PINNED
    lower = (rods.lines[:, 1, 2] < rods.lines[:, 0, 2]).astype(int)
    on: dict[int, str] = {}
    if source.footings:
        low = np.array([f.lower for f in source.footings]) - model.origin
        high = np.array([f.upper for f in source.footings]) - model.origin
        blocks = Bodies(
            (low + high) / 2,
            np.broadcast_to(np.eye(3), (len(low), 3, 3)),
            (high - low) / 2,
            np.zeros(len(low), bool),
        )
        ends = rods.end_bodies()
        which = np.array([2 * m + lower[m] for m in range(len(members)) if members[m].cls != "beam"], np.intp)
        bodies = ends.take(which)
        i, j = near_boxes(bodies.boxes(), (low, high), settings.snap)
        clear, _, _ = clear_distance(bodies.take(i), blocks.take(j))
        for hit in np.flatnonzero(clear <= settings.snap):
            footing = source.footings[int(j[hit])]
            on[int(which[i[hit]]) // 2] = f"footing {footing.name or footing.id}"
    level = lowest_level(source, model, members, rods)
    for k, m in enumerate(members):
        base = rods.lines[k, lower[k], 2]
        if m.cls == "column" and k not in on and base <= level + settings.search:
            on[k] = "the lowest storey"
    for k, what in sorted(on.items(), key=lambda item: members[item[0]].id):
        m = members[k]
        node = model.nodes[m.end if lower[k] else m.start]
        node.support = support
        x, y, z = (float(v) for v in node.point)
        message = f"{m.cls} {m.name or m.id} stands on {what}: its base is {settings.base_support}"
        model.log.append(LogEntry("supported", (m.id,), message, at=(x, y, z)))


def lowest_level(source: SourceModel, model: Model, members: list[Member], rods: Rods) -> float:
    """Elevation (local) of the lowest storey that holds members; without storeys, of the lowest column base."""
    used = {m.storey for m in members if m.cls == "column"} or {m.storey for m in members}
    levels = [s.elevation for s in model.storeys if s.name in used]
    if levels:
        return min(levels)
    columns = [k for k, m in enumerate(members) if m.cls == "column"] or list(range(len(members)))
    return float(rods.lines[columns][:, :, 2].min())
