"""Effect of a horizontal action from its worst direction in plan, beside that of the combinations."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...model import Combination
from ...model.geometry.vectors import Array
from .results import Results
from .superpose import envelope, factors_of, usable


@dataclass(slots=True)
class WorstDirection:
    """Sizes of values, each by itself in the shape of what was looked at: `held` by the combinations, and
    `worst` with the action from its worst direction, `angle` (rad) from the first axis."""

    held: Array
    worst: Array
    angle: Array


def worst_direction(
    results: Results,
    combinations: Sequence[Combination],
    first: Sequence[str],
    second: Sequence[str],
    values: Array,
) -> WorstDirection | None:
    """Return the worst of `values` (C, …), with the cases of the action along one axis and across it (of
    several along one the larger counts); None where no computed combination holds the action.

    From the direction t a value is a cos t + b sin t, whose largest size over t is sqrt(a^2 + b^2). With what
    acts besides in a combination, and the largest factor f of the action there, it is |rest| + f sqrt(a^2 +
    b^2): the action has either sign."""
    known = usable(results, list(combinations))
    level = [results.cases.index(n) for n in (*first, *second)]
    plain, roots = factors_of(results, known)
    factor = np.abs(np.hstack([plain[:, level], roots[:, level]])).max(axis=1, initial=0.0)
    acting = factor > 0
    if not known or not acting.any():
        return None
    rest = plain.copy()
    rest[:, level] = 0.0
    beside = roots.copy()
    beside[:, level] = 0.0
    flat = values.reshape(len(values), -1)
    a, b = (np.abs(flat[[results.cases.index(n) for n in names]]).max(axis=0) for names in (first, second))
    size = np.hypot(a, b)
    worst = np.zeros(flat.shape[1])
    cases = rest.shape[1]
    for row in np.unique(np.hstack([rest, beside, factor[:, None]])[acting], axis=0):
        plain_row, root_row, f = row[:cases], row[cases : 2 * cases], row[-1]
        other = np.abs(plain_row @ flat) + np.sqrt(root_row**2 @ flat**2)
        np.maximum(worst, other + f * size, out=worst)
    found = envelope(results, known, values)
    held = np.maximum(np.abs(found.low), np.abs(found.high))
    shape = values.shape[1:]
    return WorstDirection(held, worst.reshape(shape), np.arctan2(b, a).reshape(shape))
