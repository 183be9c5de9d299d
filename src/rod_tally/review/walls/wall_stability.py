"""Stability of walls over all combinations: which of them governs each quantity of each cut."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...analysis.walls.stability import Block, Panel, in_row
from ...model.geometry.vectors import Array
from ..review import Review

# of a block, and whether more of it is worse
QUANTITIES = {"plastic_length": False, "plastic_pressure": True, "tie": True, "sliding": True}


@dataclass(slots=True)
class Governed:
    """One cut: by quantity its worst value (SI) and the combination that gives it; infinite where nothing
    holds it."""

    panel: Panel
    worst: dict[str, tuple[float, str]]


def stability_in(review: Review, name: str) -> list[tuple[Panel, Array, Block]]:
    """Each panel's cut with its forces (6,) and its stability in a case or combination, where both are
    known."""
    found = review.wall_values(name)
    # a size alone says neither where a wall is pressed nor by how much
    if found is None or review.without_sign(name):
        return []
    values, done = found
    own = review.settings.walls
    return [
        (p, values[p.row], in_row(p, values[p.row][None], own)) for p in review.wall_panels if done[p.row]
    ]


def governed(review: Review) -> tuple[list[Governed], str]:
    """Each cut of a single wall over the combinations, over the cases where there are none; and over what, in
    words. Those without a sign (spectra, roots of squares) have no stability and are left out."""
    combinations = [c.name for c in review.computed_combinations]
    names = combinations or list(review.results.cases)
    what = "combinations" if combinations else "cases"
    by_row: dict[int, Governed] = {}
    used = 0
    for name in names:
        found = stability_in(review, name)
        used += bool(found)
        for panel, _, block in found:
            if panel.why_not:
                continue
            own = by_row.setdefault(panel.row, Governed(panel, {}))
            for quantity, more in QUANTITIES.items():
                value = float(np.ravel(getattr(block, quantity))[0])
                if np.isnan(value):
                    continue
                before = own.worst.get(quantity)
                if before is None or (value > before[0] if more else value < before[0]):
                    own.worst[quantity] = value, name
    return [by_row[k] for k in sorted(by_row)], f"{used} {what}"
