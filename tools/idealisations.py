"""Writes docs/idealisations.md: one building under wind by walls as shells, by walls as columns, and by rigid floors.

`.venv/bin/python tools/idealisations.py` from the root of the repository.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable
from pathlib import Path

import numpy as np

from rod_tally.demo.tower import BAY, COLUMN, HEIGHT, SLAB, write_tower
from rod_tally.model import LoadCase, Model, Settings, SpaceLoad
from rod_tally.review import Review, review
from rod_tally.review.work import read_model

ROOT = Path(__file__).parent.parent
STOREYS, NX, NY = 4, 4, 3
WIND = 1.0e3  # N/m2 on the whole of a front
WAYS = {
    "shells": {"transfer": {"slabs": "shell"}},
    "columns": {"transfer": {"slabs": "shell", "walls": "column"}},
    "rigid floors": {
        "transfer": {"slabs": "shell"},
        "run": {"diaphragms": [*(f"Level {k}" for k in range(1, STOREYS)), "Roof"]},
    },
}


def with_wind(m: Model) -> None:
    """Wind along x and along y as a line of load on the windward edge of each floor, from the fronts above and below."""
    edge = COLUMN / 2
    long_, wide = BAY * NX + edge, BAY * NY + edge
    m.cases = {n: c for n, c in m.cases.items() if n == "Self-weight"}
    for name, a, b, direction in (
        ("Wind x", (-edge, -edge), (-edge, wide), (1.0, 0.0, 0.0)), ("Wind y", (-edge, -edge), (long_, -edge), (0.0, 1.0, 0.0)),
    ):  # fmt: skip
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


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "braced.ifc"
        write_tower(path, STOREYS, NX, NY, braced=True)
        found = {way: dict(values(reviewed(path, way))) for way in WAYS}
    for key in found["shells"]:
        print(f"{key:60s}", *(f"{found[w][key]:12.4f}" for w in WAYS))


if __name__ == "__main__":
    main()
