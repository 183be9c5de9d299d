"""Forces along upright joints of walls against thin-walled theory and against the equilibrium of each
panel."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from openpyxl import load_workbook

from rod_tally.analysis import Results, run
from rod_tally.analysis.walls.edges import WallEdge, edge_forces
from rod_tally.analysis.walls.forces import wall_forces
from rod_tally.loads import Distribution
from rod_tally.model import LoadCase, Model, Settings, SpaceLoad
from rod_tally.model.settings import MeshSettings, RunSettings
from rod_tally.output.spreadsheet import write_workbook
from rod_tally.review import review
from rod_tally.review.walls.wall_joints import capacity_of

from .test_wall_forces import CORNERS, A, B, H, T, core, pushed

STOREYS = 6


def computed(m: Model, size: float = 0.5) -> tuple[Results, list[WallEdge]]:
    r = run(m, RunSettings(), meshing=MeshSettings(size=size))
    return r, wall_forces(m, r, Distribution(m)).edges


def along_walls(m: Model, name: str, pushes: dict[int, float]) -> None:
    """Line loads along the top of the box, N/m in the direction of each wall (by its number)."""
    z = STOREYS * H
    case = m.cases[name] = LoadCase(name, "wind")
    for k, push in pushes.items():
        a, b = np.array(CORNERS[k]), np.array(CORNERS[(k + 1) % 4])
        q = tuple((b - a) / np.linalg.norm(b - a) * push) + (0.0,)
        case.space_loads.append(SpaceLoad(np.array([(*a, z), (*b, z)]), q, q))


def test_a_box_in_torsion_carries_the_same_flow_in_every_joint() -> None:
    """Bredt's formula for a closed thin-walled section, q = T / (2 A0), in the storeys between foot and
    top."""
    m = core(STOREYS, "shell")
    p = 20e3
    along_walls(m, "t", dict.fromkeys(range(4), p))
    torque = 2 * (p * A * B / 2) + 2 * (p * B * A / 2)
    flow = torque / (2 * A * B)
    _, edges = computed(m)
    middle = [e for e in edges if e.storey in ("Level 2", "Level 3")]
    assert len(middle) == 2 * 8
    for e in middle:
        assert abs(e.total[0, 0]) == pytest.approx(flow * H, rel=0.01)
        f = edge_forces(e, np.ones(1), np.zeros(1, bool))
        assert f is not None and abs(f.shear) == pytest.approx(flow, rel=0.03)
        twin = next(
            x
            for x in middle
            if x.storey == e.storey
            and x.ident in e.others
            and e.ident in x.others
            and np.allclose(x.line, e.line)
        )
        assert twin.total[0, 0] == pytest.approx(-e.total[0, 0], rel=1e-6)


def test_a_box_in_bending_carries_the_flow_of_beam_theory() -> None:
    """q = V S / I at the corners of a box of thin walls, with S the first moment of half a flange
    (textbook)."""
    m = core(STOREYS, "shell")
    push = 30e3
    along_walls(m, "v", {0: push, 2: -push})
    shear = 2 * push * A
    inertia = 2 * (T * A**3 / 12 + B * T * (A / 2) ** 2)
    flow = shear * (B / 2 * T * A / 2) / inertia
    _, edges = computed(m)
    found = [abs(e.total[0, 0]) / H for e in edges if e.storey in ("Level 2", "Level 3")]
    assert found == pytest.approx([flow] * 16, rel=0.02)


@pytest.mark.parametrize("size", [0.75, 0.3])
def test_each_panel_is_in_equilibrium_with_its_edges(size: float) -> None:
    """What changes from the bottom cut to the top one comes from the edges and from what acts on the
    panel."""
    m = core(3, "shell")
    pushed(m, 3)
    r, edges = computed(m, size)
    w = wall_forces(m, r, Distribution(m))
    density = m.materials[next(iter(m.surfaces.values())).material].density or 0.0
    for e in {x.ident: x for x in edges}.values():
        own = [x for x in edges if x.ident == e.ident]
        low, high = (
            w.values[0, next(k for k, row in enumerate(w.rows) if row.ids == (e.ident,) and row.part == part)]
            for part in ("bottom", "top")
        )
        length = A if e.ident[-1] in "02" else B
        weight = length * H * T * density * 9.80665
        lifted = sum(x.total[0, 0] for x in own)
        assert low[0] - high[0] == pytest.approx(
            lifted - weight, abs=1e-6 * max(abs(x.total[0, 0]) for x in edges)
        )


def test_a_turned_building_has_the_same_forces_along_its_joints() -> None:
    def totals(angle: float) -> np.ndarray:
        m = core(2, "shell")
        pushed(m, 2)
        c, s = np.cos(angle), np.sin(angle)
        turn = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]])
        for surface in m.surfaces.values():
            surface.outer = surface.outer @ turn
            for part in (*surface.joints, *surface.supports):
                part.line = part.line @ turn
        for load in m.cases["q"].space_loads:
            load.line = load.line @ turn
            load.qa, load.qb = (tuple(np.array(v) @ turn) for v in (load.qa, load.qb))
        _, edges = computed(m)
        return np.array([e.total[0, :2] for e in edges])

    plain = totals(0.0)
    assert np.abs(totals(0.3) - plain).max() < 1e-6 * np.abs(plain).max()


def test_sums_of_cases_with_and_without_sign() -> None:
    m = core(2, "shell")
    pushed(m, 2)
    m.cases["r"] = LoadCase("r", "dead", self_weight=(0.0, 0.0, -1.0))
    _, edges = computed(m)
    e = edges[0]
    plain = edge_forces(e, np.array([2.0, -1.0]), np.zeros(2, bool))
    assert plain is not None
    assert plain.total == pytest.approx(2 * e.total[0] - e.total[1])
    sized = edge_forces(e, np.array([1.0, -1.5]), np.array([False, True]))
    assert sized is not None
    assert np.abs(sized.total) == pytest.approx(np.abs(e.total[0]) + 1.5 * np.abs(e.total[1]))
    assert sized.tension >= 0 and sized.compression >= 0


def test_a_joint_beyond_its_capacity_is_a_finding_and_has_its_use(tmp_path: Path) -> None:
    """Named once a joint, with what governs; nothing of it while no capacity is given."""
    m = core(2, "shell")
    pushed(m, 2)
    settings = Settings.from_dict({"mesh": {"size": 0.75}})
    free = review(m, settings)
    assert not [f for f in free.findings if f.code == "wall.joint"]
    names = [c.name for c in free.computed_combinations]
    most = max(abs(f.shear) for name in names for _, f in free.wall_joints(name))
    settings.walls.joint_shear = most / 1.25
    done = review(m, settings)
    found = [f for f in done.findings if f.code == "wall.joint"]
    assert found and len({(f.ids, f.at) for f in found}) == len(found) <= 8
    assert max(f.numbers["use"] for f in found) == pytest.approx(1.25)
    assert all(any(f" in {name}, " in f.message for name in names) for f in found)
    assert [f.key for f in done.other_findings if f.code == "wall.joint"] == [f.key for f in found]
    sheets = load_workbook(write_workbook(done, tmp_path / "all.xlsx"))
    rows = list(sheets["joints of walls"].values)
    assert len(rows) == 1 + 2 * 8 * (1 + len(names))
    v = rows[0].index("v")
    assert sorted(r[v] for r in rows[1:] if r[0] == "q") == pytest.approx(
        sorted(f.total[0] for _, f in done.wall_joints("q"))
    )


def test_a_joint_has_a_capacity_of_its_own() -> None:
    """That of its walls in its storey before that of its walls in any, before that of all; what is of no joint
    is told."""
    m = core(2, "shell")
    pushed(m, 2)
    plain = Settings.from_dict({"mesh": {"size": 0.75}, "walls": {"joint_shear": 5e8}})
    edges = review(m, plain).wall_forces.edges
    first = edges[0]
    other = m.surfaces[first.others[0]]
    above = next(e for e in edges if e.storey != first.storey)
    own = Settings.from_dict(
        plain.to_dict()
        | {
            "joints": [
                {"walls": [first.ident, other.name or other.id], "storey": first.storey, "shear": 2.0},
                {"walls": [other.id, first.ident], "shear": 3.0},
                {"walls": [above.ident, above.others[0]], "shear": 4.0},
                {"walls": [above.ident, above.others[0]], "storey": first.storey, "shear": 5.0},
                {"walls": [first.ident, "nobody"], "shear": 4.0},
            ]
        }
    )
    for e in edges:
        pair = {e.ident, *e.others}
        lower, upper = pair == {first.ident, other.id}, pair == {above.ident, *above.others}
        assert capacity_of(m, e, own) == (2.0 if lower else 4.0 if upper else 5e8)
    done = review(m, own)
    found = [f for f in done.findings if f.code == "wall.joint"]
    over = [f for f in found if f.ids]
    assert {frozenset(f.ids) for f in over} == {
        frozenset((first.ident, other.id)),
        frozenset((above.ident, *above.others)),
    }
    lost = [f.message for f in found if not f.ids]
    assert len(lost) == 2 and f" at {first.storey}" in lost[0] and "nobody" in lost[1]
    assert Settings.from_dict(own.to_dict()).joints == own.joints and "joints" not in plain.to_dict()
