"""Writes docs/idealisations.md: one building under wind by walls as shells, by walls as columns, and by rigid
floors.

`.venv/bin/python tools/idealisations.py` from the root of the repository.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np

from rod_tally.demo.tower import BAY, COLUMN, HEIGHT, SLAB, write_tower
from rod_tally.model import LoadCase, Model, Settings, SpaceLoad
from rod_tally.review import Review, review
from rod_tally.review.work import read_model

ROOT = Path(__file__).parent.parent
STOREYS, NX, NY = 4, 4, 3
WIND = 1.0e3  # N/m2 on the whole of a front
WAYS: dict[str, dict[str, Any]] = {
    "shells": {"transfer": {"slabs": "shell"}},
    "columns": {"transfer": {"slabs": "shell", "walls": "column"}},
    "rigid floors": {
        "transfer": {"slabs": "shell"},
        "run": {"diaphragms": [*(f"Level {k}" for k in range(1, STOREYS)), "Roof"]},
    },
}


def with_wind(m: Model) -> None:
    """Wind along x and along y as a line of load on the windward edge of each floor, from the fronts above
    and below."""
    edge = COLUMN / 2
    long_, wide = BAY * NX + edge, BAY * NY + edge
    m.cases = {n: c for n, c in m.cases.items() if n == "Self-weight"}
    for name, a, b, direction in (
        ("Wind x", (-edge, -edge), (-edge, wide), (1.0, 0.0, 0.0)),
        ("Wind y", (-edge, -edge), (long_, -edge), (0.0, 1.0, 0.0)),
    ):
        case = LoadCase(name, "wind")
        for s in range(1, STOREYS + 1):
            z = HEIGHT * s - SLAB / 2
            q = WIND * HEIGHT * (0.5 if s == STOREYS else 1.0)
            force = (q * direction[0], q * direction[1], 0.0)
            case.space_loads.append(SpaceLoad(np.array([(*a, z), (*b, z)]) - m.origin, force, force))
        m.cases[name] = case


def reviewed(path: Path, way: str) -> Review:
    settings = Settings.from_dict(WAYS[way] | {"modes": {"count": 3}})
    m = read_model(path, settings)
    with_wind(m)
    return review(m, settings)


def values(r: Review) -> Iterable[tuple[str, float]]:
    """What is compared, in kN, kNm, mm and s."""
    for case, axis in (("Wind x", 0), ("Wind y", 1)):
        c = r.results.case_index(case)
        top = np.isclose(r.results.xyz[:, 2], HEIGHT * STOREYS - SLAB / 2 - r.model.origin[2], atol=0.2)
        u = r.results.displacement[c, top, axis] * 1e3
        yield f"{case}: sway of the roof, mean, mm", float(u.mean())
        yield f"{case}: sway of the roof, largest less smallest, mm", float(u.max() - u.min())
        yield f"{case}: base shear, kN", float(r.results.reaction[c, :, axis].sum()) / 1e3
        w = r.wall_forces
        foot = [k for k, row in enumerate(w.rows) if row.wall.startswith("core") and row.part == "bottom"]
        low = min(foot, key=lambda k: w.rows[k].place[2])
        mid = sorted(foot, key=lambda k: w.rows[k].place[2])[STOREYS // 2]
        k = w.cases.index(case)
        for name, row in (("at its foot", low), ("at mid-height", mid)):
            v = w.values[k, row] / 1e3
            yield f"{case}: core {name}, shear along the wind, kN", float(v[1] if axis == 0 else v[2])
            yield f"{case}: core {name}, moment, kNm", float(abs(v[4] if axis == 0 else v[5]))
        brace = next(i for i, m in r.model.members.items() if m.name == "D0")
        yield (
            f"{case}: brace of the gable, lowest, kN",
            float(r.results.force[c, r.results.stations_of(brace)[0], 0]) / 1e3,
        )
    for k, mode in enumerate(r.modes[:3], 1):
        yield f"period {k}, s", mode.period


HEAD = f"""# One building by three idealisations

Made by `tools/idealisations.py` from the demo's generator: {STOREYS} storeys of {HEIGHT:g} m on a raft, {NX} by {NY} bays of {BAY:g} m, flat slabs with
edge beams, a core of four walls with a door in one of them and a shaft beside it, and a brace a storey in the gable at x = 0. Wind of
{WIND / 1000:g} kN/m2 on a front goes to the floors' windward edges. Each way is the default but for what its heading says: all slabs are shells; walls are
shells (*shells*, and *rigid floors*, where every storey moves in plan as one) or columns with rigid arms (*columns*).
The raft alone carries the building: no column or wall is held besides, so a part of every sway and period is the whole building's
rocking on the ground, alike in all three.

| | shells | columns | rigid floors |
| --- | ---: | ---: | ---: |
"""
TAIL = """
**Where they must agree.** Base shear is the wind on the front, whatever carries it: {shear_x:.4g} kN along x and {shear_y:.4g} kN along y, in all three. At the
foot the core's shear, the columns' and the brace's add up to it, and its moment grows from floor to floor by the shear times the
storey's height, less what columns take by bending. The floors are so stiff in their plane that making them rigid changes the sway by less than
{rigid:.1%}: where a flexible floor and a rigid one disagree by more, the floor has to be looked at with cuts.

**Where they do not, and why.** The columns sway {column_x:.0%} and {column_y:.0%} of what the shells do. A column takes the whole of its wall: the door is a {door:.0%} hole in
the lower wall of one side, which the shells bend and shear around (`mesh.column` says so); and its arms keep the ends of a wall straight, where a
shell gives way locally at corners and at the raft. Both make columns stiffer and draw more to the core: {core:.0%} more moment at its foot, and as much less in
the columns and the brace. The brace sees the floors' turning too: it is in the gable alone, so the building turns under wind along y, as {twist_s:.3f} and
{twist_c:.3f} mm between the two gables show. Periods follow the stiffness, by its square root.

For the sizing of walls without large openings both serve; with doors one above the other, or where floors alone couple walls, shells are the
safer choice. See *slabs and walls* for how near the two come on other layouts.
"""


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "braced.ifc"
        write_tower(path, STOREYS, NX, NY, braced=True)
        done = {way: reviewed(path, way) for way in WAYS}
        found = {way: dict(values(r)) for way, r in done.items()}
    shells, columns, rigid = found.values()
    rows = [f"| {key} | " + " | ".join(f"{v[key]:.4g}" for v in found.values()) + " |\n" for key in shells]

    def ratio(other: dict[str, float], key: str) -> float:
        return other[key] / shells[key]

    sway = [f"Wind {a}: sway of the roof, mean, mm" for a in "xy"]
    spread = "Wind y: sway of the roof, largest less smallest, mm"
    tail = TAIL.format(
        shear_x=-shells["Wind x: base shear, kN"],
        shear_y=-shells["Wind y: base shear, kN"],
        rigid=max(abs(ratio(rigid, k) - 1) for k in sway),
        column_x=ratio(columns, sway[0]),
        column_y=ratio(columns, sway[1]),
        door=1.2 * 2.1 / (BAY * (HEIGHT - SLAB)),
        core=ratio(columns, "Wind y: core at its foot, moment, kNm") - 1,
        twist_s=shells[spread],
        twist_c=columns[spread],
    )
    floors = (
        "\n**What each floor holds** where it is rigid, as the finding `floor.holds` says it.\n\n"
        + "".join(f"- {f.message}\n" for f in done["rigid floors"].findings if f.code == "floor.holds")
    )
    (ROOT / "docs" / "idealisations.md").write_text(HEAD + "".join(rows) + floors + tail)


if __name__ == "__main__":
    main()
