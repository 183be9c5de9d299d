"""Upright joints of walls in cases and combinations, and those whose shear exceeds the capacity that was
given."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...analysis.walls.edges import WallEdge, largest_shears
from ...analysis.walls.forces import WallForces
from ...model import Combination, Finding, Model, Settings, Surface
from ...model.geometry.vectors import Array
from ...model.settings import JointSettings


def signless_cases(model: Model, cases: Sequence[str]) -> NDArray[np.bool_]:
    """Return for each case (C,) whether it is the response to a spectrum, whose values have no sign."""
    return np.array([c in model.cases and model.cases[c].spectrum is not None for c in cases], bool)


def factors_of(cases: Sequence[str], case: str | Combination) -> Array:
    """Factors (C,) of the computed cases in one of them or in a combination."""
    if isinstance(case, str):
        return np.array([float(c == case) for c in cases])
    return np.array([case.factors.get(c, 0.0) for c in cases])


def capacity_of(model: Model, edge: WallEdge, settings: Settings) -> float:
    """The shear a metre (N/m) that a joint can carry: that of its two walls in its storey, of its two walls in
    any, or of all joints; 0 where none is given."""
    found = settings.walls.joint_shear
    for joint in sorted(settings.joints, key=lambda j: j.storey != ""):
        if _fits(model, edge, joint):
            found = joint.shear
    return found


def _fits(model: Model, edge: WallEdge, joint: JointSettings) -> bool:
    """Return whether an entry of [[joints]] is of that edge: its two names are those of two walls that meet
    there, one of them the edge's own."""
    if joint.storey not in ("", edge.storey):
        return False
    sides = {edge.ident, *edge.others}
    a, b = (
        {i for i in sides if name in (i, _called(model.surfaces.get(i), i))} for name in joint.walls
    )  # fmt: skip
    return any(x != y and edge.ident in (x, y) for x in a for y in b)


def unplaced_joints(model: Model, walls: WallForces, settings: Settings) -> list[Finding]:
    """A finding for each entry of [[joints]] that is of no joint of the model."""
    out = []
    for joint in settings.joints:
        if not any(_fits(model, e, joint) for e in walls.edges):
            where = f" at {joint.storey}" if joint.storey else ""
            text = (
                f"The capacity of {joint.shear / 1000:.4g} kN/m for the joint of {' with '.join(joint.walls)}{where} is of no upright "
                "joint of walls that were computed as shells; it counts nowhere."
            )
            out.append(Finding("wall.joint", "warning", text, (), None, ("Accept, because…",)))
    return out


def overused_joints(
    model: Model, walls: WallForces, combinations: Sequence[Combination], settings: Settings
) -> list[Finding]:
    """A finding for each joint whose largest shear a metre exceeds its capacity, over the combinations, or
    over the cases of a model that has none, and for each capacity that is of no joint; [] where none is
    given."""
    unplaced = unplaced_joints(model, walls, settings)
    if not walls.edges or not (settings.joints or settings.walls.joint_shear > 0):
        return unplaced
    sums: list[str | Combination] = [*(c for c in combinations if not c.roots)] or [*walls.cases]
    factors = np.array([factors_of(walls.cases, c) for c in sums]).reshape(len(sums), -1)
    signless = signless_cases(model, walls.cases)
    worst: dict[tuple[str, frozenset[str], int, int], tuple[float, str, WallEdge, float]] = {}
    for e in walls.edges:
        capacity = capacity_of(model, e, settings)
        shear = largest_shears(e, factors, signless)
        if capacity <= 0 or np.isnan(shear).all():
            continue
        k = int(np.nanargmax(shear))
        name = sums[k] if isinstance(sums[k], str) else sums[k].name  # type: ignore[union-attr]
        x, y = (round(float(v) * 100) for v in e.line[0, :2])
        key = (e.storey, frozenset((e.ident, *e.others)), x, y)
        if key not in worst or shear[k] > worst[key][0]:
            worst[key] = (float(shear[k]), str(name), e, capacity)
    over = [_finding(model, e, most, name, c) for most, name, e, c in worst.values() if most > c]
    return [*over, *unplaced]


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
