"""Chapters of forces: members, walls, cuts across floors."""

from __future__ import annotations

import numpy as np

from ....analysis.results.superpose import envelope, of_members
from ....model import Combination
from ....review.review import Review
from ..diagrams import diagram
from ..parts import UNITS, Cell, Chapter, Table, titled, value
from .registry import chapter, shortened

DIAGRAMS = 8  # of the members that are bent most, one of each class and section
FORCES = (
    ("n", "force"),
    ("vy", "force"),
    ("vz", "force"),
    ("mt", "moment"),
    ("my", "moment"),
    ("mz", "moment"),
)


@chapter("forces", "Governing forces of members")
def forces_chapter(out: Chapter, review: Review, short: bool) -> None:
    r = review.results
    used = [c for c in review.computed_combinations if c.kind == "strength"] or review.computed_combinations
    over = f"{len(used)} combinations"
    if not used:
        used = [Combination(c, "", {c: 1.0}) for c in r.cases]
        over = f"{len(used)} load cases"
    if not used or not len(r.station_member):
        return
    e = envelope(r, used)
    members = of_members(r, e)
    done: list[bool] = np.atleast_1d(r.member_done.any(axis=0)).tolist()
    groups: dict[tuple[str, str], list[int]] = {}
    for k, ident in enumerate(r.member_ids):
        part = review.model.members.get(ident)
        if part is not None and done[k]:
            groups.setdefault((part.cls, part.section), []).append(k)
    out.words.append(
        f"Lowest and highest of each class and section over {over}, with the member, the place along it and what governs."
    )
    rows: list[list[Cell | str]] = []
    for (cls, section), own in sorted(groups.items()):
        for q, (name, kind) in enumerate(FORCES if not short else (FORCES[0], FORCES[4], FORCES[5])):
            q = q if not short else (0, 4, 5)[q]
            for values, at, by, best in (
                (members.low, members.low_x, members.low_by, min),
                (members.high, members.high_x, members.high_by, max),
            ):
                k = best(own, key=lambda i: values[i, q])  # noqa: B023
                if abs(values[k, q]) < 1.0:
                    continue
                part = review.model.members[r.member_ids[k]]
                rows.append(
                    [
                        cls,
                        section,
                        titled(name, kind),
                        value(float(values[k, q]), kind),
                        Cell(part.name or part.id, None, (part.id,)),
                        value(float(at[k, q]), "length"),
                        e.combinations[int(by[k, q])].name,
                    ]
                )
    columns = ["Class", "Section", "Force", "Value", "Member", titled("At", "length"), "Governs"]
    out.tables.append(shortened(Table("", columns, rows), short, "envelopes.csv"))
    size = np.maximum(-members.low[:, 4], members.high[:, 4])
    worst = sorted((max(own, key=lambda i: size[i]) for own in groups.values()), key=lambda i: -size[i])
    for k in worst[: 2 if short else DIAGRAMS]:
        places = r.stations_of(r.member_ids[k])
        bands = [
            (name, UNITS[kind][0], e.low[places, q] * UNITS[kind][1], e.high[places, q] * UNITS[kind][1])
            for q, (name, kind) in enumerate(FORCES)
            if name in ("n", "vz", "my")
        ]
        part = review.model.members[r.member_ids[k]]
        title = f"{part.cls} {part.name or part.id}, {part.section}: lowest and highest over {over}"
        out.drawings.append((title, diagram(r.station_x[places], bands)))


@chapter("walls", "Walls")
def walls_chapter(out: Chapter, review: Review, short: bool) -> None:
    w = review.wall_forces
    if not w.rows:
        return
    combinations = [c for c in review.computed_combinations if not c.roots]
    strength = [c for c in combinations if c.kind == "strength"] or combinations
    used = strength or [Combination(c, "", {c: 1.0}) for c in w.cases]
    e = envelope(review.results, used, w.values)
    out.words.append(
        f"Resultants at the bottom of each storey over {len(used)} {'combinations' if combinations else 'load cases'}: n positive in tension."
    )
    names = (("n", 0, "force"), ("v in", 1, "force"), ("m in", 4, "moment"))
    computed: list[bool] = np.atleast_1d(w.done.all(axis=0)).tolist()
    walls = list(dict.fromkeys((r.wall, r.ids) for r in w.rows))
    for wall, ids in walls[: 5 if short else 120]:
        rows: list[list[Cell | str]] = []
        for k, row in enumerate(w.rows):
            if (row.wall, row.ids) != (wall, ids) or row.part != "bottom" or not computed[k]:
                continue
            cells: list[Cell | str] = [row.storey]
            for _, q, kind in names:
                cells += [value(float(e.low[k, q]), kind), value(float(e.high[k, q]), kind)]
            cells.append(e.combinations[int(e.low_by[k, 0])].name)
            rows.append(cells)
        if rows:
            columns = ["Storey"]
            for name, _, kind in names:
                columns += [f"{titled(name, kind)} low", "high"]
            out.tables.append(Table(wall, [*columns, "Lowest n by"], rows))
    if len(walls) > len(out.tables):
        out.words.append(f"{len(walls) - len(out.tables)} more walls are in wall_forces.csv.")


@chapter("cuts", "Floors and cuts")
def cuts_chapter(out: Chapter, review: Review, short: bool) -> None:
    kinds = (
        ("n", "force"),
        ("v", "force"),
        ("m", "moment"),
        ("n_members", "force"),
        ("v_members", "force"),
        ("m_members", "moment"),
    )
    rows: list[list[Cell | str]] = []
    for case in review.results.cases if review.cuts else ():
        for name, f in review.cut_forces(case).items():
            if isinstance(f, str):
                rows.append([case, name, f, *[""] * 5])
            else:
                rows.append([case, name, *(value(getattr(f, n), k) for n, k in kinds)])
    if rows:
        names = ("n", "v", "m", "n of members", "v of members", "m of members")
        columns = ["Case", "Cut", *(titled(n, k) for n, (_, k) in zip(names, kinds))]
        out.tables.append(shortened(Table("", columns, rows), short, "cuts.csv"))
