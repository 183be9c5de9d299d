"""Nearness of each storey to where second-order effects count, from a linear run: the stability index and
Horne's critical load factor."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...model import Combination
from ...model.geometry.vectors import Array
from ..results.storeys import StoreyRow

# Share of the vertical load below which a storey's shear says nothing of its stiffness. Common practice, no
# source.
LEAST_SHEAR = 1e-3
LIMIT = 0.1  # of the index: EN 1998-1 4.4.2.2(2), ASCE 7-16 12.8.7; alpha_cr of 10: EN 1993-1-1 5.2.1(3)


@dataclass(slots=True)
class StoreyIndex:
    """A storey in a combination, in one direction (x or y): vertical load at and above it and its shear (N),
    drift and height (m). `index` is P d / (V h) (EN 1998-1 4.4.2.2, with the elastic drift of the
    combination), `alpha_cr` Horne's (H / V)(h / d) (EN 1993-1-1 5.2.1), its reciprocal."""

    combination: str
    storey: str
    elevation: float
    direction: str
    vertical: float
    shear: float
    drift: float
    height: float

    @property
    def index(self) -> float:
        return self.vertical * self.drift / (self.shear * self.height)

    @property
    def alpha_cr(self) -> float:
        return 1.0 / self.index


def storey_indices(rows: Sequence[StoreyRow], combinations: Sequence[Combination]) -> list[StoreyIndex]:
    """Return the indices of every combination, storey and direction with a drift, with vertical load that
    presses and with a shear of more than a thousandth of that; in the order of combinations, lowest storeys
    first. Cases in the root of a sum of squares enter with their plain sum's side that adds to it."""
    names = list(dict.fromkeys((r.storey, r.elevation) for r in sorted(rows, key=lambda r: r.elevation)))
    cases = list(dict.fromkeys(r.case for r in rows))
    if len(names) < 2 or not cases:
        return []
    at = {n: k for k, n in enumerate(names)}
    of = {c: k for k, c in enumerate(cases)}
    values = np.full((len(cases), len(names), 5), np.nan)
    for r in rows:
        drifts = [np.nan if d is None else d for d in (r.drift_x, r.drift_y)]
        values[of[r.case], at[r.storey, r.elevation]] = (r.fz, r.shear_x, r.shear_y, *drifts)
    level = np.array([e for _, e in names])
    out: list[StoreyIndex] = []
    for c in combinations:
        if any(n not in of for n in c.factors):
            continue
        total = _combined(values, c, of)
        above = np.cumsum(np.nan_to_num(-total[::-1, 0]))[::-1].tolist()
        for k in range(1, len(names)):
            for d, direction in enumerate("xy"):
                shear, drift = abs(float(total[k, 1 + d])), abs(float(total[k, 3 + d]))
                height = float(level[k] - level[k - 1])
                p: float = above[k]
                if np.isfinite(drift) and drift > 0 and p > 0 and shear > LEAST_SHEAR * p and height > 0:
                    out.append(StoreyIndex(c.name, *names[k], direction, p, shear, drift, height))
    return out


def _combined(values: Array, c: Combination, of: dict[str, int]) -> Array:
    """(storeys, 5) of a combination."""
    plain, squares = np.zeros((2, *values.shape[1:]))
    for name, factor in c.factors.items():
        if name in c.roots:
            squares = squares + (factor * values[of[name]]) ** 2
        else:
            plain = plain + factor * values[of[name]]
    if not c.roots:
        return np.asarray(plain)
    # the side that adds to the drift; a response to a spectrum has no vertical load of its own that presses
    out = np.abs(plain) + np.sqrt(squares)
    out[:, 0] = plain[:, 0]
    return np.asarray(out)
