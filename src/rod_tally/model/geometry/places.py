"""Where something is in a building, in words: storey and grid position."""

from __future__ import annotations

import numpy as np

from ..entities.model import Model
from .vectors import Array

NEAR = 0.6  # m; within it something is on a grid line


class GridPlaces:
    """Names places in plan by the model's grid lines: "B/3" on two of them, "B" on one, "B-C/3" between."""

    def __init__(self, model: Model) -> None:
        self.families: list[list[tuple[str, Array, Array]]] = []
        for g in model.grids:
            if len(g.points) < 2:
                continue
            line = g.points[[0, -1]]
            d = line[1] - line[0]
            size = float(np.linalg.norm(d))
            if size < 1e-9:
                continue
            d = d / size
            for family in self.families:
                if abs(float(family[0][2] @ d)) > 0.999:
                    family.append((g.name, line[0], family[0][2]))
                    break
            else:
                self.families.append([(g.name, line[0], d)])

    def at(self, point: Array) -> str:
        """The place of a point (3,) in the model's axes; "" in a model without grids."""
        words = []
        for family in self.families[:2]:
            normal = np.array([-family[0][2][1], family[0][2][0]])
            off = sorted(((float((a - point[:2]) @ normal), name) for name, a, _ in family), key=lambda v: v[0])
            nearest = min(off, key=lambda v: abs(v[0]))
            if abs(nearest[0]) <= NEAR:
                words.append(nearest[1])
                continue
            before = [n for d, n in off if d < 0]
            after = [n for d, n in off if d > 0]
            between = (before[-1:] or ["…"]) + (after[:1] or ["…"])
            words.append("-".join(between))
        return "/".join(words)
