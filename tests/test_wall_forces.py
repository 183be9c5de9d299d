"""Resultants of walls and cores against statics: what stands above a cut has to be carried through it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.analysis.walls.forces import WallForces, wall_forces
from rod_tally.loads import Distribution
from rod_tally.model import FIXED, AreaLoad, LineSupport, LoadCase, Model, SpaceLoad, Storey, SurfaceJoint
from rod_tally.model.settings import MeshSettings, RunSettings

from .plates import plate_model, shell

A, B, H, T = 4.0, 3.0, 3.0, 0.2
CORNERS = [(0.0, 0.0), (A, 0.0), (A, B), (0.0, B)]


def core(storeys: int, way: str, backwards: bool = False) -> Model:
    """A box of four walls, a wall a storey each, held along its foot, all joined at their edges."""
    m = plate_model()
    m.storeys = [Storey(f"Level {k}", k * H) for k in range(storeys + 1)]
    for k in range(storeys):
        for w in range(4):
            a, b = CORNERS[w], CORNERS[(w + 1) % 4]
            if backwards and w % 2:
                a, b = b, a
            s = shell(
                m, f"{k}{w}", [(*a, k * H), (*b, k * H), (*b, k * H + H), (*a, k * H + H)], T, cls="wall"
            )
            s.way = way
            if k == 0:
                s.supports = [LineSupport(np.array([(*a, 0), (*b, 0)], float), FIXED)]
    for k in range(storeys):
        for w in range(4):
            corner = CORNERS[(w + 1) % 4]
            join(m, f"{k}{w}", f"{k}{(w + 1) % 4}", np.array([(*corner, k * H), (*corner, k * H + H)], float))
            if k:
                line = np.array([(*CORNERS[w], k * H), (*corner, k * H)], float)
                join(m, f"{k - 1}{w}", f"{k}{w}", line)
    return m


def join(m: Model, a: str, b: str, line: np.ndarray) -> None:
    m.surfaces[a].joints.append(SurfaceJoint("surface", b, line))
    m.surfaces[b].joints.append(SurfaceJoint("surface", a, line))


def pushed(m: Model, storeys: int) -> LoadCase:
    """At the top: 30 kN/m along x on the wall at y = 0, 10 kN/m down and 5 kN/m along y on the one at x = 0;
    and weight."""
    z = storeys * H
    case = LoadCase("q", "wind", self_weight=(0.0, 0.0, -1.0))
    case.space_loads = [
        SpaceLoad(np.array([(0, 0, z), (A, 0, z)], float), (30e3, 0, 0), (30e3, 0, 0)),
        SpaceLoad(np.array([(0, 0, z), (0, B, z)], float), (0, 5e3, -10e3), (0, 5e3, -10e3)),
    ]
    m.cases["q"] = case
    return case


def found(m: Model, size: float = 0.75, floors: Sequence[str] = ()) -> tuple[Results, WallForces]:
    r = run(m, RunSettings(diaphragms=list(floors)), meshing=MeshSettings(size))
    assert all(e.residual < 1e-8 for e in r.equilibrium) and not r.left_out
    return r, wall_forces(m, r, Distribution(m))


def wanted(m: Model, storeys: int, z: float) -> np.ndarray:
    """Force and moment about the middle of the box at a height, of all above."""
    material = next(iter(m.materials.values()))
    weight = (2 * A + 2 * B) * T * (storeys * H - z) * (material.density or 0) * 9.80665
    top = storeys * H - z
    force = np.array([30e3 * A, 5e3 * B, -10e3 * B - weight])
    arms = [
        (np.array([0, -B / 2, top]), np.array([30e3 * A, 0, 0])),
        (np.array([-A / 2, 0, top]), np.array([0, 5e3 * B, -10e3 * B])),
    ]
    return np.concatenate([force, sum((np.cross(a, f) for a, f in arms), np.zeros(3))])


@pytest.mark.parametrize("way", ["shell", "column"])
@pytest.mark.parametrize("backwards", [False, True])
def test_a_core_carries_all_that_stands_above_it(way: str, backwards: bool) -> None:
    """n, shear, overturning and torque at the bottom and top of every storey; each wall's parts add up to
    them."""
    m = core(3, way, backwards)
    pushed(m, 3)
    _, w = found(m)
    cores = [k for k, row in enumerate(w.rows) if row.wall == "core 1"]
    assert len(cores) == 6 and {w.rows[k].storey for k in cores} == {"Level 0", "Level 1", "Level 2"}
    assert w.done.all()
    for k in cores:
        row = w.rows[k]
        assert len(row.ids) == 4 and row.place[:2] == pytest.approx([A / 2, B / 2])
        fx, fy, fz, mx, my, mz = wanted(m, 3, row.place[2])
        assert w.values[0, k] == pytest.approx([fz, fx, fy, mz, my, mx], rel=1e-6, abs=1.0), (
            row.storey,
            row.part,
        )
        own = [
            i
            for i, r in enumerate(w.rows)
            if len(r.ids) == 1 and (r.storey, r.part) == (row.storey, row.part)
        ]
        assert len(own) == 4
        assert w.values[0, own, 0].sum() == pytest.approx(fz, abs=1.0)
        along_x = [i for i in own if w.rows[i].wall[-1] in "02"]
        across = [i for i in own if w.rows[i].wall[-1] in "13"]
        assert w.values[0, along_x, 1].sum() + w.values[0, across, 2].sum() == pytest.approx(fx, abs=1.0)
        assert w.values[0, across, 1].sum() + w.values[0, along_x, 2].sum() == pytest.approx(fy, abs=1.0)


def test_a_wall_through_several_storeys_has_a_length_for_each() -> None:
    """One wall of 9 m with floors at 3 and 6 m that push it: shear and moment step by step."""
    m = plate_model()
    m.storeys = [Storey(f"Level {k}", k * H) for k in range(4)]
    s = shell(m, "w", [(0, 0, 0), (A, 0, 0), (A, 0, 9), (0, 0, 9)], T, cls="wall")
    s.supports = [LineSupport(np.array([(0, 0, 0), (A, 0, 0)], float), FIXED)]
    m.cases["q"] = LoadCase("q", "wind", space_loads=[
        SpaceLoad(np.array([(0, 0, z), (A, 0, z)], float), (q, 0, 0), (q, 0, 0)) for z, q in ((3.0, 5e3), (6.0, 10e3), (9.0, 20e3))
    ])  # fmt: skip
    _, w = found(m, 0.5)
    assert [(r.storey, r.part, round(r.place[2], 3)) for r in w.rows] == [
        ("Level 0", "bottom", 0), ("Level 0", "top", 3), ("Level 1", "bottom", 3), ("Level 1", "top", 6), ("Level 2", "bottom", 6), ("Level 2", "top", 9),
    ]  # fmt: skip
    assert w.values[0, :, 1] == pytest.approx(np.array([140, 140, 120, 120, 80, 80]) * 1e3, rel=1e-6)
    moment = np.array([80 * 9 + 40 * 6 + 20 * 3, 80 * 6 + 40 * 3, 80 * 6 + 40 * 3, 80 * 3, 80 * 3, 0]) * 1e3
    assert w.values[0, :, 4] == pytest.approx(moment, rel=1e-6, abs=1.0)
    assert np.abs(w.values[0][:, [0, 2, 3, 5]]).max() < 1.0


def drift(r: Results, direction: int) -> float:
    top = np.isclose(r.xyz[:, 2], r.xyz[:, 2].max())
    return float(r.displacement[0, top, direction].mean())


@pytest.mark.parametrize("storeys", [4, 8])
def test_a_box_cantilever_sways_alike_as_shells_and_as_columns(storeys: int) -> None:
    """Walls as columns meet in the corners, so that flanges take part: within 10 % of the shells, and of beam
    theory with shear (F h^3 / 3 E I + F h / G A of the webs) where the box is slender."""
    from .plates import NU, E

    moved = {}
    for way in ("shell", "column"):
        m = core(storeys, way)
        z = storeys * H
        m.cases["q"] = LoadCase("q", "wind", space_loads=[
            SpaceLoad(np.array([(0, y, z), (A, y, z)], float), (20e3, 0, 0), (20e3, 0, 0)) for y in (0.0, B)
        ])  # fmt: skip
        r, w = found(m)
        moved[way] = drift(r, 0)
        flange = next(k for k, row in enumerate(w.rows) if row.ids == ("03",) and row.part == "bottom")
        # a flange at x = 0 is pulled: about its share of M / W times its area
        assert w.values[0, flange, 0] > 0.5 * 160e3 * z / A * (B * A / 2) / (B * A / 2 + A * A / 6 / 2 * 2)
    i = 2 * (T * A**3 / 12) + 2 * B * T * (A / 2) ** 2
    h = storeys * H
    theory = 160e3 * h**3 / 3 / E / i + 160e3 * h / (E / 2 / (1 + NU) * 5 / 6 * 2 * A * T)
    assert moved["column"] == pytest.approx(moved["shell"], rel=0.1)
    assert moved["shell"] == pytest.approx(theory, rel=0.12 if storeys == 4 else 0.1)


def test_a_box_in_torsion_turns_alike_as_shells_and_as_columns() -> None:
    """Two opposite forces at the top, floors that keep the box square; Bredt: theta' = T / (G J), J = 4 A^2 t
    / circumference."""
    from .plates import NU, E

    turned = {}
    for way in ("shell", "column"):
        m = core(6, way)
        z = 6 * H
        m.cases["q"] = LoadCase("q", "wind", space_loads=[
            SpaceLoad(np.array([(0, 0, z), (A, 0, z)], float), (20e3, 0, 0), (20e3, 0, 0)),
            SpaceLoad(np.array([(0, B, z), (A, B, z)], float), (-20e3, 0, 0), (-20e3, 0, 0)),
        ])  # fmt: skip
        r, w = found(m, 0.75, [x.name for x in m.storeys[1:]])
        top = np.isclose(r.xyz[:, 2], z)
        low, high = top & (r.xyz[:, 1] < 0.01), top & (r.xyz[:, 1] > B - 0.01)
        turned[way] = float(r.displacement[0, low, 0].mean() - r.displacement[0, high, 0].mean()) / B
        cores = [k for k, row in enumerate(w.rows) if row.wall == "core 1"]
        assert w.values[0, cores, 3] == pytest.approx(np.full(12, 80e3 * B), rel=1e-6)
    g = E / 2 / (1 + NU)
    bredt = 80e3 * B * 6 * H / (g * 4 * (A * B) ** 2 * T / (2 * A + 2 * B))
    assert turned["column"] == pytest.approx(turned["shell"], rel=0.1), (turned, bredt)
    assert turned["column"] == pytest.approx(bredt, rel=0.1), (turned, bredt)


@pytest.mark.parametrize("way", ["shell", "column"])
@pytest.mark.parametrize(("down", "name"), [(0.4, "Level 0"), (0.6, "below Level 0"), (2.5, "below Level 0")])
def test_a_core_that_begins_below_the_lowest_level_has_each_cut_once(
    way: str, down: float, name: str
) -> None:
    """Walls in one piece that stand deeper than any storey: by statics, at every cut."""
    m = core(1, way)
    for s in m.surfaces.values():
        s.outer[s.outer[:, 2] < 0.1, 2] = -down
        s.supports = [LineSupport(x.line - [0, 0, down], FIXED) for x in s.supports]
        for j in s.joints:
            j.line[j.line[:, 2] < 0.1, 2] = -down
    pushed(m, 1)
    _, w = found(m, 0.5)
    cuts = [(row.wall, row.storey, row.part) for row in w.rows]
    assert len(set(cuts)) == len(cuts) and min(w.rows, key=lambda r: r.place[2]).storey == name
    parts = 2 if name == "Level 0" else 4
    own = [k for k, row in enumerate(w.rows) if row.wall == "core 1"]
    assert len(own) == parts
    for k in own:
        fx, fy, fz, mx, my, mz = wanted(m, 1, w.rows[k].place[2])
        assert w.values[0, k] == pytest.approx([fz, fx, fy, mz, my, mx], rel=1e-6, abs=1.0)


@pytest.mark.parametrize("way", ["shell", "column"])
@pytest.mark.parametrize("tall", [False, True])
def test_loads_between_the_storeys_of_a_wall_count_above_or_below_each_cut(way: str, tall: bool) -> None:
    """A line of load a little above a floor, a point a little below it, wind on the upper half and water on
    the whole of the wall: each cut carries all that stands above it (statics), however the mesh shares it
    out, and whether one wall passes both storeys or two stand on each other."""
    m = plate_model()
    m.storeys = [Storey(f"Level {k}", 3.0 * k) for k in range(3)]
    for k in range(1 if tall else 2):
        low, high = (0.0, 6.0) if tall else (3.0 * k, 3.0 * k + 3)
        s = shell(m, f"w{k}", [(0, 0, low), (4, 0, low), (4, 0, high), (0, 0, high)], T, cls="wall")
        s.way = way
    m.surfaces["w0"].supports = [LineSupport(np.array([(0, 0, 0), (4, 0, 0)], float), FIXED)]
    if not tall:
        join(m, "w0", "w1", np.array([(0, 0, 3.0), (4, 0, 3.0)]))
    upper = "w0" if tall else "w1"
    q, p = np.array([1e4, 2e3, -5e3]), np.array([3e3, 0.0, -7e3])
    m.cases["a"] = LoadCase("a", "wind", space_loads=[
        SpaceLoad(np.array([(0, 0, 3.3), (4, 0, 3.3)]), tuple(q), tuple(q), to=upper),
        SpaceLoad(np.array([(1, 0, 2.8)]), tuple(p), (0, 0, 0), to="w0"),
    ])  # fmt: skip
    half = [(0, 3.0), (4, 3.0), (4, 6.0), (0, 6.0)]
    outline = np.array([(x, 0, z) for x, z in half], float)
    loads = [AreaLoad(upper, ((0.0, 1e3, 0.0),), outline=outline)]
    # 2 kN/m2 at the foot, none at the top
    pieces = [("w0", 0.0, 6.0)] if tall else [("w0", 0.0, 3.0), ("w1", 3.0, 6.0)]
    for ident, low, high in pieces:
        at = np.array([(0, 0, low), (4, 0, low), (0, 0, high)], float)
        values = tuple((0.0, 2e3 * (6 - z) / 6, 0.0) for z in (low, low, high))
        loads.append(AreaLoad(ident, values, at=at))
    m.cases["b"] = LoadCase("b", "live", area_loads=loads)
    r, w = found(m, 0.45)
    assert len(w.rows) == 4
    for k, row in enumerate(w.rows):
        z = float(row.place[2])
        # a top cut is just below its level, a bottom cut just above it
        line, point = z < 3.3, z < 2.8
        force = q * 4 * line + p * point
        turn = np.cross((0.0, 0, 3.3 - z), q * 4) * line + np.cross((-1.0, 0, 2.8 - z), p) * point
        assert w.values[0, k] == pytest.approx(
            [force[2], force[0], force[1], turn[2], turn[1], turn[0]], abs=1.0
        ), row
        top = min(6.0 - z, 3.0)
        wind, arm = 1e3 * 4 * top, (6.0 - top / 2) - z
        depth = 6.0 - z
        water = 2e3 * depth / 6 * depth / 2 * 4
        wanted = [0.0, 0.0, wind + water, 0.0, 0.0, -wind * arm - water * depth / 3]
        assert w.values[1, k] == pytest.approx(wanted, rel=2e-3, abs=5.0), row


def test_a_rigid_floor_on_walls_alone_lies_at_its_level() -> None:
    """Not at a row of elements below it, which has as many nodes."""
    m = core(3, "shell")
    pushed(m, 3)
    r, _ = found(m, 0.4, ["Level 2"])

    def off_plane(z: float) -> float:
        at = np.isclose(r.xyz[:, 2], z)
        x, y = r.xyz[at, 0], r.xyz[at, 1]
        u = r.displacement[0, at, :2]
        rigid = np.vstack(
            [np.c_[np.ones(len(x)), np.zeros(len(x)), -y], np.c_[np.zeros(len(x)), np.ones(len(x)), x]]
        )
        moved = np.concatenate([u[:, 0], u[:, 1]])
        return float(
            np.abs(rigid @ np.linalg.lstsq(rigid, moved, rcond=None)[0] - moved).max() / np.abs(moved).max()
        )

    assert off_plane(2 * H) < 1e-9
    assert off_plane(H) > 1e-4
