"""Values looked at first when two programs are compared: base sums, periods with their direction, shears,
drifts and masses of storeys, forces of walls."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...analysis.dynamics.modes import Mode
from ...analysis.results.results import Results
from ...analysis.results.storeys import StoreyRow
from ...analysis.walls.forces import WALL_COMPONENTS, WallForces
from ...intake.result_tables import MODES, ForeignRow
from ...model.geometry.vectors import Array
from .rows import ElsewhereRow, Unmatched

LEVEL = 0.05  # m; storeys whose levels are nearer than this are one
PLACE = 0.3  # m, in plan; cuts of walls whose middles are nearer than this are one
DIRECTION = 0.01  # share of the mass from which a mode is said to move in a direction
AXES = "xyz"
ALL = "all supports"


@dataclass(slots=True)
class Wholes:
    """Ours. `walls` is asked for only where a table has any, `wall_values` gives those of a case or
    combination with what of them was computed."""

    modes: list[Mode] = field(default_factory=list)
    storeys: list[StoreyRow] = field(default_factory=list)
    walls: Callable[[], WallForces] | None = None
    wall_values: Callable[[str], tuple[Array, NDArray[np.bool_]] | None] | None = None


def base_sums(rows: list[ElsewhereRow], results: Results) -> list[ElsewhereRow]:
    """Sums of reactions by case, of those cases of which the tables have every support of ours."""
    found: dict[tuple[str, str], list[ElsewhereRow]] = defaultdict(list)
    for r in rows:
        if r.table == "reactions" and r.quantity in ("fx", "fy", "fz"):
            found[r.case, r.quantity].append(r)
    every = set(results.support_ids)
    return [
        ElsewhereRow(q, case, ALL, None, sum(r.ours for r in own), sum(r.theirs for r in own), "base")
        for (case, q), own in found.items()
        if {r.id for r in own} == every and len(own) == len(every)
    ]


def modes_against(own: list[Mode], theirs: list[ForeignRow]) -> tuple[list[ElsewhereRow], list[Unmatched]]:
    """Periods and shares of mass. Modes of one main direction are paired in their order; those that say no
    direction by their number."""

    def direction(shares: list[float | None]) -> str:
        known = [s or 0.0 for s in shares]
        return AXES[int(np.argmax(known))] if max(known) >= DIRECTION else ""

    mine: dict[str, list[Mode]] = defaultdict(list)
    for m in own:
        mine[direction([m.mass_x, m.mass_y, m.mass_z])].append(m)
    rows: list[ElsewhereRow] = []
    lost: list[Unmatched] = []
    taken: dict[str, int] = defaultdict(int)
    for row in theirs:
        shares = [row.values.get(f"mass_{a}") for a in AXES]
        if all(s is None for s in shares):
            number = int(row.id) if row.id.isdigit() else 0
            twin = next((m for m in own if m.mode == number), None)
        else:
            way = direction(shares)
            k, taken[way] = taken[way], taken[way] + 1
            twin = mine[way][k] if k < len(mine[way]) else None
        if twin is None:
            lost.append(Unmatched(MODES, row.id, None, "no mode of ours is like it"))
            continue
        ours = {"period": twin.period, "mass_x": twin.mass_x, "mass_y": twin.mass_y, "mass_z": twin.mass_z}
        rows += [ElsewhereRow(q, MODES, row.id, None, ours[q], v, "modes") for q, v in row.values.items()]
    return rows, lost


def storeys_against(
    own: list[StoreyRow], case: str, theirs: list[ForeignRow]
) -> tuple[list[ElsewhereRow], list[Unmatched]]:
    """Storeys of a case by their level where that is said, else by name."""
    mine = [s for s in own if s.case == case]
    rows: list[ElsewhereRow] = []
    lost: list[Unmatched] = []
    for row in theirs:
        level = row.distance
        like = [s for s in mine if level is not None and abs(s.elevation - level) <= LEVEL]
        like = like or [s for s in mine if level is None and s.storey == row.id]
        if not mine or not like:
            why = (
                "there is no storey of that level or name" if mine else "storeys have no values in this case"
            )
            lost.append(Unmatched(case, row.id, level, why))
            continue
        for q, v in row.values.items():
            ours = getattr(like[0], q)
            if ours is None:
                lost.append(Unmatched(case, row.id, level, f"{q} was not computed here"))
            else:
                rows.append(ElsewhereRow(q, case, like[0].storey, level, float(ours), v, "storeys"))
    return rows, lost


def walls_against(
    own: Wholes, case: str, theirs: list[ForeignRow]
) -> tuple[list[ElsewhereRow], list[Unmatched]]:
    """Cuts of walls by name or id, storey and part; by place where one is given: however either side is
    meshed, these are resultants."""
    rows: list[ElsewhereRow] = []
    lost: list[Unmatched] = []
    found = own.wall_values(case) if own.wall_values is not None and own.walls is not None else None
    if found is None or own.walls is None:
        return rows, [
            Unmatched(case, r.id, r.at, "there are no forces of walls in this case") for r in theirs
        ]
    values, done = found
    cuts = own.walls().rows
    for row in theirs:
        like = [
            k
            for k, c in enumerate(cuts)
            if row.id in (c.wall, *c.ids[:1])
            and (not row.storey or c.storey == row.storey)
            and (not row.part or c.part == row.part)
        ]
        if len(like) != 1 and row.at is not None:
            here = [
                k
                for k in (like or range(len(cuts)))
                if np.hypot(*(cuts[k].place - row.at)[:2]) <= PLACE
                and abs(float(cuts[k].place[2]) - row.at[2]) <= PLACE
                and (not row.part or cuts[k].part == row.part)
                and len(cuts[k].ids) == 1
            ]
            like = here or like
        if len(like) != 1 or not done[like[0]]:
            why = (
                "it was not computed here" if len(like) == 1 else "no cut of a wall, or several, are like it"
            )
            lost.append(Unmatched(case, row.id, row.at, why))
            continue
        ours = dict(zip(WALL_COMPONENTS, values[like[0]]))
        name = f"{cuts[like[0]].wall}, {cuts[like[0]].storey} {cuts[like[0]].part}"
        rows += [
            ElsewhereRow(q, case, name, row.at, float(ours[q]), v, "walls") for q, v in row.values.items()
        ]
    return rows, lost
