"""Parts for which the combinations hold less than an earthquake from its worst direction gives."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...analysis.results.results import COMPONENTS, Results
from ...analysis.results.worst_direction import worst_direction
from ...analysis.walls.forces import WALL_COMPONENTS, WallForces
from ...checks.registry import listed
from ...model import Combination, Finding, Model
from ...model.geometry.vectors import Array
from ...model.settings import CompareSettings
from ...words import and_more

NAMED = 3
LEAST = 0.05  # share of the largest value of a quantity below which one says nothing
FORCES = ("fx", "fy", "fz", "mx", "my", "mz")


@dataclass(slots=True)
class Direction:
    """The quantity of a part that gains most: its size (N or N m) as the combinations hold it and from the
    worst direction of the earthquake, `angle` (rad) from its first axis."""

    of: str
    ident: str
    place: str
    quantity: str
    held: float
    worst: float
    angle: float

    @property
    def ratio(self) -> float:
        return self.worst / self.held if self.held > 0 else float("inf")


def directions_held(
    results: Results,
    combinations: Sequence[Combination],
    along: Mapping[str, str],
    walls: WallForces,
    own: CompareSettings,
) -> list[Direction]:
    """One row a member, support or wall, the largest ratio first, of those for which the worst direction
    gives more by more than a comparison tolerates. `along`: by seismic case its direction, x or y."""
    first, second = ([n for n, d in along.items() if d == axis] for axis in "xy")
    if results.empty or not first or not second:
        return []
    node_done = np.atleast_1d(results.node_done.all(axis=0))
    support = np.array([results.node_ids.index(n) for n in results.support_ids], np.int64)
    out: list[Direction] = []
    stations = [f"{x:.3f} m" for x in results.station_x.tolist()]
    members = [results.member_ids[k] for k in results.station_member]
    done = np.atleast_1d(results.member_done.all(axis=0))[results.station_member]
    rows: list[tuple[str, list[str], list[str], Sequence[str], Array, NDArray[np.bool_]]] = [
        ("member", members, stations, COMPONENTS, results.force, done),
        ("support", results.support_ids, [""] * len(support), FORCES, results.reaction, node_done[support]),
    ]
    if walls.rows and walls.cases == results.cases:
        names = [r.wall for r in walls.rows]
        at = [f"{r.storey} {r.part}".strip() for r in walls.rows]
        done = np.atleast_1d(walls.done.all(axis=0))
        rows.append(("wall", names, at, WALL_COMPONENTS, walls.values, done))
    for of, ids, places, quantities, values, computed in rows:
        if not len(ids):
            continue
        found = worst_direction(results, combinations, first, second, values)
        if found is None:
            return []
        worst = np.where(computed[:, None], found.worst, 0.0)
        telling = (worst > found.held * (1 + own.relative)) & (worst > found.held + own.absolute_force)
        telling &= worst >= LEAST * worst.max(axis=0)
        ratio = np.where(telling, worst / np.maximum(found.held, 1e-300), 0.0)
        best: dict[str, tuple[float, int, int]] = {}
        for k, q in np.argwhere(telling).tolist():
            key = round(float(ratio[k, q]), 9), -k, -q
            if ids[k] not in best or key > (best[ids[k]][0], -best[ids[k]][1], -best[ids[k]][2]):
                best[ids[k]] = key[0], k, q
        out += [
            Direction(
                of,
                i,
                places[k],
                quantities[q],
                float(found.held[k, q]),
                float(worst[k, q]),
                float(found.angle[k, q]),
            )
            for i, (_, k, q) in best.items()
        ]
    return sorted(out, key=lambda d: (-round(min(d.ratio, 1e9), 9), d.of, d.ident))


def direction_findings(model: Model, found: Sequence[Direction], scheme: str, why: str) -> list[Finding]:
    """One finding for all parts, the first named; a warning where the building's frames ask for directions
    combined."""
    if not found:
        return []

    def name(d: Direction) -> str:
        part = model.part(d.ident)
        own = f"{part.cls} {part.name or part.id}" if part is not None else f"{d.of} {d.ident}"
        return f"{own} {d.quantity} {min(d.ratio, 99):.3g} times"

    many = f"{len(found)} parts" if len(found) > 1 else "a part"
    text = (
        f"From the worst direction of the earthquake {many} would get more than the combinations hold: "
        f"{listed([name(d) for d in found[:NAMED]])}{and_more(found, NAMED)}. "
        f"{why[:1].upper()}{why[1:]}."
    )
    return [
        Finding(
            "combination.direction",
            "warning" if scheme != "plain" else "note",
            text,
            tuple(d.ident for d in found if d.of != "wall"),
            None,
            ("Make combinations…", "Accept, because…"),
            {"count": float(len(found)), "ratio": min(found[0].ratio, 1e9)},
        )
    ]
