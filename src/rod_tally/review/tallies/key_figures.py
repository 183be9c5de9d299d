"""Key figures of a review, to be held against those of other revisions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..review import Review

DIRECTIONS = "xyz"
SHAKEN = 0.05  # share of the mass that a mode moves along an axis and is told as one of it


@dataclass(slots=True)
class KeyFigure:
    """`kind`: "force", "small" (a length of mm), "share", "time" or "count", for its unit. `value` in SI."""

    name: str
    kind: str
    value: float
    place: str = ""


def key_figures(review: Review) -> list[KeyFigure]:
    """Parts, weight, base sums by case in the direction that is largest, the largest displacement and drift,
    the longest period along each axis. What was not computed is not there."""
    model, r = review.model, review.results
    out = [
        KeyFigure("members", "count", float(len(model.members))),
        KeyFigure("slabs and walls", "count", float(len(model.surfaces))),
        KeyFigure("supports", "count", float(sum(n.support.any for n in model.nodes.values()))),
    ]
    weight = sum(model.weight(m) for m in model.members.values()) + sum(
        model.surface_weight(s) for s in model.surfaces.values()
    )
    out.append(KeyFigure("weight of the model", "force", float(weight)))
    if review.stale or r.empty:
        return out
    for e in r.equilibrium:
        if e.case in model.cases:
            k = int(np.abs(e.reaction[:3]).argmax())
            out.append(
                KeyFigure(f"base sum of {e.case} along {DIRECTIONS[k]}", "force", float(e.reaction[k]))
            )
    size = np.linalg.norm(r.displacement[:, :, :3], axis=2) * r.node_done
    if size.size and size.max() > 0:
        c, n = (int(v) for v in np.unravel_index(int(size.argmax()), size.shape))
        out.append(KeyFigure("largest displacement", "small", float(size[c, n]), r.cases[c]))
    for axis in "xy":
        rows = [(abs(d), x) for x in review.storeys if (d := getattr(x, f"drift_{axis}")) is not None]
        if rows:
            most, row = max(rows, key=lambda v: v[0])
            out.append(KeyFigure(f"largest drift along {axis}", "small", most, f"{row.storey}, {row.case}"))
        moved = [m for m in review.modes if getattr(m, f"mass_{axis}") >= SHAKEN]
        if moved:
            first = max(moved, key=lambda m: m.period)
            out.append(KeyFigure(f"longest period along {axis}", "time", first.period, f"mode {first.mode}"))
    used = [x.used_after for x in review.comparison.again if x.used_after] if review.comparison else []
    if used:
        out.append(KeyFigure("largest use of a section to look at again", "share", max(used)))
    if review.comparison is not None and review.comparison.again_over:
        out.append(KeyFigure("parts to look at again", "count", float(len(review.comparison.again))))
    return out
