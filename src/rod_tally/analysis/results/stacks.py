"""Axial force down column stacks, and down stacks of walls that stand for columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...model import Model
from ...model.geometry.heights import LEVEL_REACH
from ...model.geometry.lines import Line
from ...model.geometry.vectors import Array
from .results import Results

SAME = 1e-6  # m; stations nearer than this are at one place


@dataclass(slots=True)
class StackForce:
    """One storey's length of a column: axial force (N, tension positive) at its head and foot; `more` is what
    comes in at its head beside what is above, None at the top. `elevation` (m) is its foot's, the source's
    height."""

    stack: str
    member: str
    elevation: float
    head: float
    foot: float
    more: float | None


def stack_forces(model: Model, results: Results, case: int, lines: Sequence[Line]) -> list[StackForce]:
    """Return rows of every stack from its top down; columns through several storeys have a row for each,
    members that the case does not compute none."""
    index = {i: k for k, i in enumerate(results.member_ids)}
    first = np.searchsorted(results.station_member, np.arange(len(results.member_ids)))
    stop = np.searchsorted(results.station_member, np.arange(len(results.member_ids)), "right")
    out = []
    for line in lines:
        if line.kind not in ("stack", "wall"):
            continue
        above: float | None = None
        for ident in reversed(line.members):
            k = index.get(ident)
            if k is None or not results.member_done[case, k]:
                above = None
                continue
            stations = slice(int(first[k]), int(stop[k]))
            x, n = results.station_x[stations], results.force[case, stations, 0]
            foot_z, rise, cuts = _along(model, ident, float(x[-1]))
            if rise < 0:  # it runs from its head down
                foot_z, cuts, x, n = foot_z + rise, cuts[::-1], x[-1] - x[::-1], n[::-1]
                cuts = x[-1] - cuts
            bounds = [0.0, *cuts.tolist(), float(x[-1])]
            for low, high in reversed(list(zip(bounds, bounds[1:]))):
                foot = float(n[np.flatnonzero(x <= low + SAME)[-1]]) if low > 0 else float(n[0])
                head = float(n[np.flatnonzero(x >= high - SAME)[0]])
                z = foot_z + low / float(x[-1]) * abs(rise) + float(model.origin[2])
                out.append(
                    StackForce(line.name, ident, z, head, foot, None if above is None else head - above)
                )
                above = foot
    return out


def _along(model: Model, ident: str, length: float) -> tuple[float, float, Array]:
    """Height of a column's start, how far it rises, and where along it (m) storeys are joined to it."""
    member = model.members.get(ident)
    if member is None:
        z = model.surfaces[ident].outer[:, 2]
        return float(z.min()), float(np.ptp(z)), np.zeros(0)
    line = model.line(member)
    start, rise = float(line[0, 2]), float(line[1, 2] - line[0, 2])
    at = np.array([j.distance for j in member.joints])
    cuts = set()
    for s in model.storeys:
        heights = start + rise * at / length
        if not len(at) or not min(start, start + rise) + 0.5 < s.elevation < max(start, start + rise) - 0.5:
            continue
        near = int(np.abs(heights - s.elevation).argmin())
        if abs(heights[near] - s.elevation) <= LEVEL_REACH:
            cuts.add(float(at[near]))
    return start, rise, np.array(sorted(cuts))
