"""A section through the building: what lies between two parallel planes is shown, and nothing else."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model import Model
from ...model.geometry.directions import lies_at, turn
from ...model.geometry.vectors import Array

AXES = ("x", "y", "z")
HAIR = 1e-6  # m


@dataclass(frozen=True, slots=True)
class Section:
    """`normal` (unit vector) and where along it the section begins and ends, m, in the source's
    coordinates."""

    normal: tuple[float, float, float]
    low: float
    high: float

    def holds(self, points: Array, origin: Array) -> bool:
        """Return whether any of what points (n, 3) of the model span lies within."""
        at = (points + origin) @ np.array(self.normal)
        return bool(at.max() >= self.low - HAIR and at.min() <= self.high + HAIR)

    def members(self, model: Model, ids: set[str]) -> set[str]:
        """Those of the members that lie within, at least in part."""
        own = [i for i in model.members if i in ids]
        if not own:
            return set()
        at = (model.lines_of([model.members[i] for i in own]) + model.origin) @ np.array(self.normal)
        inside = (at.max(axis=1) >= self.low - HAIR) & (at.min(axis=1) <= self.high + HAIR)
        return {i for i, good in zip(own, inside.tolist()) if good}

    @property
    def words(self) -> str:
        """For the record of what was looked at."""
        x, y, z = (round(v, 6) for v in self.normal)
        plain = {(1.0, 0.0, 0.0): "x", (0.0, 1.0, 0.0): "y", (0.0, 0.0, 1.0): "z"}
        name = plain.get((x + 0.0, y + 0.0, z + 0.0)) or f"{np.degrees(np.arctan2(y, x)):.3g} degrees from x"
        return f"section {self.low:.2f} to {self.high:.2f} m along {name}"


def axis_of(model: Model, axis: str) -> Array:
    """The direction x or y of the building's own axes, or z."""
    return np.asarray(turn(lies_at(model))[:, AXES.index(axis)])


def places(model: Model, axis: str) -> dict[str, float]:
    """Where sections square to an axis may lie, by name: grid lines, or storeys for z. In m along it, the
    source's coordinates."""
    normal = axis_of(model, axis)
    if axis == "z":
        return {f"storey {s.name}": s.elevation for s in sorted(model.storeys, key=lambda s: s.elevation)}
    out = {}
    for line in model.grids:
        ends = np.column_stack([line.points, np.zeros(len(line.points))])
        d = ends[-1] - ends[0]
        size = float(np.linalg.norm(d))
        if size > HAIR and abs(float(d @ normal)) < 0.02 * size:
            out[f"grid {line.name}"] = float((ends @ normal).mean())
    return dict(sorted(out.items(), key=lambda kv: kv[1]))


def extent(model: Model, axis: str) -> tuple[float, float]:
    """Where the building begins and ends along an axis, m, in the source's coordinates."""
    points = [
        *(n.point for n in model.nodes.values()),
        *(p for s in model.surfaces.values() for p in s.outer),
    ]
    at = (np.array(points).reshape(-1, 3) + model.origin) @ axis_of(model, axis) if points else np.zeros(1)
    return float(at.min()), float(at.max())
