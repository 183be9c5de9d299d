"""Upright joints of walls in cases and combinations, and those whose shear exceeds the capacity that was
given."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...analysis.walls.edges import WallEdge, largest_shears
from ...analysis.walls.forces import WallForces
from ...model import Combination, Finding, Model, Surface
from ...model.geometry.vectors import Array


def signless_cases(model: Model, cases: Sequence[str]) -> NDArray[np.bool_]:
    """Return for each case (C,) whether it is the response to a spectrum, whose values have no sign."""
    return np.array([c in model.cases and model.cases[c].spectrum is not None for c in cases], bool)


def factors_of(cases: Sequence[str], case: str | Combination) -> Array:
    """Factors (C,) of the computed cases in one of them or in a combination."""
    if isinstance(case, str):
        return np.array([float(c == case) for c in cases])
    return np.array([case.factors.get(c, 0.0) for c in cases])


def overused_joints(
    model: Model, walls: WallForces, combinations: Sequence[Combination], capacity: float
) -> list[Finding]:
    """A finding for each joint whose largest shear a metre exceeds `capacity` (N/m), over the combinations,
    or over the cases of a model that has none; [] where no capacity is given (0)."""
    if capacity <= 0 or not walls.edges:
        return []
    sums: list[str | Combination] = [*(c for c in combinations if not c.roots)] or [*walls.cases]
    factors = np.array([factors_of(walls.cases, c) for c in sums]).reshape(len(sums), -1)
    signless = signless_cases(model, walls.cases)
    worst: dict[tuple[str, frozenset[str], int, int], tuple[float, str, WallEdge]] = {}
    for e in walls.edges:
        shear = largest_shears(e, factors, signless)
        if np.isnan(shear).all():
            continue
        k = int(np.nanargmax(shear))
        name = sums[k] if isinstance(sums[k], str) else sums[k].name  # type: ignore[union-attr]
        x, y = (round(float(v) * 100) for v in e.line[0, :2])
        key = (e.storey, frozenset((e.ident, *e.others)), x, y)
        if key not in worst or shear[k] > worst[key][0]:
            worst[key] = (float(shear[k]), str(name), e)
    return [_finding(model, e, most, name, capacity) for most, name, e in worst.values() if most > capacity]


def _finding(model: Model, e: WallEdge, most: float, name: str, capacity: float) -> Finding:
    others = " and ".join(_called(model.surfaces.get(i), i) for i in e.others)
    at = e.line.mean(axis=0) - model.origin
    return Finding(
        "wall.joint",
        "warning",
        f"The joint of {e.wall} with {others} at {e.storey} carries {most / 1000:.4g} kN/m along it in {name}, "
        f"{most / capacity:.0%} of the {capacity / 1000:.4g} kN/m that it can.",
        (e.ident, *e.others),
        (float(at[0]), float(at[1]), float(at[2])),
        ("Accept, because…",),
        {"shear": most, "use": most / capacity},
    )


def _called(s: Surface | None, ident: str) -> str:
    return (s.name if s is not None else "") or ident
