"""Walls as one column each, with rigid arms, against beam theory and against the same walls as shells."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.model import (
    FIXED,
    PINNED,
    LineSupport,
    LoadCase,
    Member,
    Model,
    Node,
    Section,
    SpaceLoad,
    SurfaceJoint,
)
from rod_tally.model.edits import EditError, SetSpan
from rod_tally.model.settings import MeshSettings, RunSettings

from .plates import NU, E, plate_model, pressure, rectangle, shell


def computed(m: Model) -> Results:
    r = run(m, RunSettings(), meshing=MeshSettings(0.5))
    assert all(e.residual < 1e-9 for e in r.equilibrium) and not r.left_out
    return r


def wall(
    m: Model, ident: str, a: tuple[float, float], b: tuple[float, float], low: float, high: float
) -> None:
    s = shell(m, ident, [(*a, low), (*b, low), (*b, high), (*a, high)], 0.2, cls="wall")
    s.way = "column"
    if low == 0:
        s.supports = [LineSupport(np.array([(*a, 0), (*b, 0)], float), PINNED)]


@pytest.mark.parametrize("turned", [0.0, 0.6])
def test_a_wall_on_a_held_line_is_a_cantilever_in_its_plane(turned: float) -> None:
    """F h^3 / 3 E I + F h / k G A (beam theory with shear), whichever way the wall stands."""
    m = plate_model()
    u = np.array([np.cos(turned), np.sin(turned)])
    wall(m, "w", (0, 0), (float(3 * u[0]), float(3 * u[1])), 0.0, 9.0)
    top = np.array([(0, 0, 9), (3 * u[0], 3 * u[1], 9)])
    q = np.array([20e3 * u[0], 20e3 * u[1], 0.0])
    m.cases["q"] = LoadCase("q", "wind", space_loads=[SpaceLoad(top, tuple(q), tuple(q))])
    r = computed(m)
    i, a, g = 0.2 * 27 / 12, 0.6, E / 2 / (1 + NU)
    wanted = 60e3 * 9**3 / 3 / E / i + 60e3 * 9 / (5 / 6 * g * a)
    k = int(np.argmax(r.xyz[:, 2]))
    assert r.displacement[0, k, :2] @ u == pytest.approx(wanted, rel=1e-9)
    low, high = r.extremes(0)
    assert max(abs(low[0, 5]), abs(high[0, 5])) == pytest.approx(60e3 * 9)


def test_walls_of_two_storeys_stand_on_each_other_and_carry_the_slab() -> None:
    m = plate_model()
    for k, y in enumerate((0.0, 6.0)):
        wall(m, f"w{k}", (0, y), (4, y), 0.0, 3.0)
        wall(m, f"v{k}", (0, y), (4, y), 3.0, 6.0)
        line = np.array([(0, y, 3), (4, y, 3)])
        m.surfaces[f"w{k}"].joints.append(SurfaceJoint("surface", f"v{k}", line))
        m.surfaces[f"v{k}"].joints.append(SurfaceJoint("surface", f"w{k}", line))
    for name, z, below in (("s", 3.0, "w"), ("t", 6.0, "v")):
        s = shell(m, name, rectangle(4, 6, z), 0.2)
        for k, y in enumerate((0.0, 6.0)):
            line = np.array([(0, y, z), (4, y, z)])
            s.joints.append(SurfaceJoint("surface", f"{below}{k}", line))
            m.surfaces[f"{below}{k}"].joints.append(SurfaceJoint("surface", name, line))
        pressure(m, name, 5e3)
    r = computed(m)
    n = {i: r.force[0, r.stations_of(i), 0] for i in r.member_ids}
    assert n["v0"] == pytest.approx(-60e3) and n["w0"] == pytest.approx(-120e3)
    assert r.reaction[0][:, 2].sum() == pytest.approx(240e3)


def test_a_beam_that_ends_at_a_walls_edge_turns_it_through_a_rigid_arm() -> None:
    """A lintel between two walls: a sideways load makes it bend by the walls' turning over their arms, so it
    carries shear."""
    m = plate_model()
    m.sections["b"] = Section("b", "values", 0.1, 2e-3, 1e-3, 0.0, 1e-3, 0.0, 0.0)
    for k, x in enumerate((0.0, 6.0)):
        wall(m, f"w{k}", (x, 0), (x + 4, 0), 0.0, 3.0)
    for n, x in (("a", 4.0), ("b", 6.0)):
        m.nodes[n] = Node(n, np.array([x, 0.0, 3.0]))
    m.members["l"] = Member("l", "l", "beam", "a", "b", "b", "plate", np.array([0.0, 0, 1]))
    for k, n in enumerate("ab"):
        m.surfaces[f"w{k}"].joints.append(SurfaceJoint("end", "l", m.nodes[n].point[None], 0.0, n))
    m.cases["q"] = LoadCase(
        "q", "wind", space_loads=[SpaceLoad(np.array([(2, 0, 3.0)]), (80e3, 0, 0), (0, 0, 0))]
    )
    r = computed(m)
    shear = r.force[0, r.stations_of("l")[0], 2]
    normal = r.force[0, r.stations_of("w0")[0], 0]
    assert abs(shear) > 1e3 and abs(normal) == pytest.approx(abs(shear), rel=1e-6)


def test_only_walls_can_stand_for_columns() -> None:
    m = plate_model()
    shell(m, "s", rectangle(4, 4))
    with pytest.raises(EditError, match="is no wall"):
        SetSpan(["s"], "column").apply(m)


def channel(way: str, storeys: int, height: float) -> Model:
    """A web of 6 m and two flanges of 4 m with thin slabs between them, joined along all edges that meet."""
    m = plate_model()
    walls = [((0.0, 0.0), (6.0, 0.0)), ((6.0, 0.0), (6.0, 4.0)), ((0.0, 0.0), (0.0, 4.0))]

    def join(a: str, b: str, *line: tuple[float, float, float]) -> None:
        for one, other in ((a, b), (b, a)):
            m.surfaces[one].joints.append(SurfaceJoint("surface", other, np.array(line)))

    for k in range(storeys):
        low, high = k * height, (k + 1) * height
        for w, (a, b) in enumerate(walls):
            wall(m, f"{k}{w}", a, b, low, high)
            m.surfaces[f"{k}{w}"].way = way
            if k == 0:
                m.surfaces[f"{k}{w}"].supports = [LineSupport(np.array([(*a, 0), (*b, 0)], float), FIXED)]
        shell(m, f"{k}s", rectangle(6, 4, high), 0.05)
        for other, x in ((1, 6.0), (2, 0.0)):
            join(f"{k}0", f"{k}{other}", (x, 0.0, low), (x, 0.0, high))
        for w, (a, b) in enumerate(walls):
            join(f"{k}s", f"{k}{w}", (*a, high), (*b, high))
            if k:
                join(f"{k - 1}{w}", f"{k}{w}", (*a, low), (*b, low))
                join(f"{k - 1}s", f"{k}{w}", (*a, low), (*b, low))
    return m


def test_a_channel_of_walls_twists_by_warping() -> None:
    """Opposite forces on the flanges: theta = T h^3 / 3 E Iw, Iw = t b^3 d^2 (3 b + 2 d) / 12 (6 b + d)
    (thin-walled beams, Vlasov; from memory), b flanges, d web. Walls that meet must not turn as one where a
    slab reaches their corner."""
    n, h, f = 6, 3.0, 20e3
    turned = {}
    for way in ("shell", "column"):
        m = channel(way, n, h)
        ends = [np.array([(x, 0, n * h), (x, 4, n * h)], float) for x in (0.0, 6.0)]
        loads = [SpaceLoad(line, (0, q, 0), (0, q, 0)) for line, q in zip(ends, (-f, f))]
        m.cases["q"] = LoadCase("q", "wind", space_loads=loads)
        r = run(m, RunSettings(), meshing=MeshSettings(0.5))
        # the forces add up to nothing, so that rounding counts
        assert r.equilibrium[0].residual < 1e-6 and not r.left_out
        top = np.isclose(r.xyz[:, 2], n * h)
        left, right = (top & (np.abs(r.xyz[:, 0] - x) < 0.01) for x in (0.0, 6.0))
        turned[way] = float(r.displacement[0, right, 1].mean() - r.displacement[0, left, 1].mean()) / 6
    b, d, t = 4.0, 6.0, 0.2
    iw = t * b**3 * d**2 / 12 * (3 * b + 2 * d) / (6 * b + d)
    theory = f * b * d * (n * h) ** 3 / 3 / E / iw
    assert turned["column"] == pytest.approx(turned["shell"], rel=0.1), (turned, theory)
    assert turned["shell"] == pytest.approx(theory, rel=0.05), (turned, theory)


def test_a_wall_on_a_raft_stands_on_all_of_its_length() -> None:
    """The ground under a raft is springs, which nodes that follow the wall may have: it rocks as its shell
    does, and on a stiff raft as a rigid block on a bed, theta = M / (k b L^3 / 12) (statics)."""
    turned = {}
    for way in ("shell", "column"):
        m = plate_model()
        raft = shell(m, "raft", [(-1, -1, 0), (5, -1, 0), (5, 1, 0), (-1, 1, 0)], 1.5, cls="slab")
        raft.bedding = 5e6
        wall(m, "w", (0, 0), (4, 0), 0.0, 3.0)
        w = m.surfaces["w"]
        w.way, w.supports = way, []
        foot = np.array([(0, 0, 0), (4, 0, 0)], float)
        w.joints.append(SurfaceJoint("surface", "raft", foot))
        raft.joints.append(SurfaceJoint("surface", "w", foot))
        top = np.array([(0, 0, 3), (4, 0, 3)], float)
        m.cases["q"] = LoadCase("q", "wind", space_loads=[SpaceLoad(top, (5e3, 0, 0), (5e3, 0, 0))])
        r = computed(m)
        low = np.isclose(r.xyz[:, 2], 0.0) & (np.abs(r.xyz[:, 1]) < 1e-6)
        fit = np.polyfit(r.xyz[low, 0], r.displacement[0, low, 2], 1)
        turned[way] = -float(fit[0])
    stiff = 60e3 / (5e6 * 2 * 6**3 / 12)
    assert turned["column"] == pytest.approx(turned["shell"], rel=0.03)
    assert turned["column"] == pytest.approx(stiff, rel=0.05), (turned, stiff)


def test_a_lintel_is_held_by_the_edge_of_a_wall_of_shells_with_its_depth() -> None:
    """Two walls of three storeys coupled by lintels: sway and lintel shear do not depend on the size of
    elements, and are those of walls as columns with rigid arms; one node alone would be a hinge, the more the
    finer the elements."""
    found = {}
    for way, size in (("shell", 0.5), ("shell", 0.25), ("column", 0.5)):
        m = plate_model()
        m.sections["b"] = Section("b", "values", 0.16, 0.16 * 0.8**2 / 12, 0.16 * 0.2**2 / 12, 0.0, 2e-3, 0.13, 0.13,
                                  outline=((-0.1, -0.4), (0.1, -0.4), (0.1, 0.4), (-0.1, 0.4)))  # fmt: skip
        for s in range(3):
            for k, x in enumerate((0.0, 6.0)):
                wall(m, f"{s}w{k}", (x, 0), (x + 4, 0), 3.2 * s, 3.2 * s + 3.2)
                m.surfaces[f"{s}w{k}"].way = way
                if s:
                    line = np.array([(x, 0, 3.2 * s), (x + 4, 0, 3.2 * s)])
                    for one, other in ((f"{s - 1}w{k}", f"{s}w{k}"), (f"{s}w{k}", f"{s - 1}w{k}")):
                        m.surfaces[one].joints.append(SurfaceJoint("surface", other, line))
            z = 3.2 * s + 2.8
            for n, x in (("a", 4.0), ("b", 6.0)):
                m.nodes[f"{s}{n}"] = Node(f"{s}{n}", np.array([x, 0.0, z]))
            m.members[f"{s}l"] = Member(
                f"{s}l", "", "beam", f"{s}a", f"{s}b", "b", "plate", np.array([0.0, 0, 1])
            )
            for k, n in enumerate("ab"):
                m.surfaces[f"{s}w{k}"].joints.append(
                    SurfaceJoint("end", f"{s}l", m.nodes[f"{s}{n}"].point[None], 0.0, f"{s}{n}")
                )
        top = np.array([(0, 0, 9.6), (4, 0, 9.6)], float)
        m.cases["q"] = LoadCase("q", "wind", space_loads=[SpaceLoad(top, (20e3, 0, 0), (20e3, 0, 0))])
        r = run(m, RunSettings(), meshing=MeshSettings(size))
        assert r.equilibrium[0].residual < 1e-8 and not r.left_out
        high = np.isclose(r.xyz[:, 2], 9.6)
        shear = [abs(float(r.force[0, r.stations_of(f"{s}l")[0], 2])) for s in range(3)]
        found[way, size] = (float(r.displacement[0, high, 0].mean()), *shear)
    coarse, fine, columns = (np.array(v) for v in found.values())
    assert fine == pytest.approx(coarse, rel=0.06)  # shells soften a little as they are made finer
    assert coarse[:3] == pytest.approx(columns[:3], rel=0.1), (coarse, columns)


def test_columns_are_fixed_in_the_wall_of_shells_that_they_carry() -> None:
    """A deep wall on two columns is a portal with a stiff beam: moments of F h / 4 at heads and feet, sway F
    h^3 / 24 E I (any handbook); the wall gives way a little."""
    m = plate_model()
    i = 0.5**4 / 12
    square = ((-0.25, -0.25), (0.25, -0.25), (0.25, 0.25), (-0.25, 0.25))
    m.sections["c"] = Section("c", "values", 0.25, i, i, 0.0, 1e-2, 0.0, 0.0, outline=square)
    w = shell(m, "w", [(0, 0, 4), (8, 0, 4), (8, 0, 8), (0, 0, 8)], 0.4, cls="wall")
    for k, x in enumerate((1.0, 7.0)):
        m.nodes[f"f{k}"] = Node(f"f{k}", np.array([x, 0, 0.0]), FIXED)
        m.nodes[f"h{k}"] = Node(f"h{k}", np.array([x, 0, 4.0]))
        m.members[f"c{k}"] = Member(
            f"c{k}", "", "column", f"f{k}", f"h{k}", "c", "plate", np.array([0, 1.0, 0])
        )
        w.joints.append(SurfaceJoint("end", f"c{k}", m.nodes[f"h{k}"].point[None], 0.0, f"h{k}"))
    top = np.array([(0, 0, 8), (8, 0, 8)], float)
    m.cases["q"] = LoadCase("q", "wind", space_loads=[SpaceLoad(top, (1e4, 0, 0), (1e4, 0, 0))])
    r = computed(m)
    head = np.abs(r.force[0, r.stations_of("c0")[-1], 4:]).max()
    assert head == pytest.approx(80e3 * 4 / 4, rel=0.06)
    sway = r.displacement[0, r.node_ids.index("h0"), 0]
    assert sway == pytest.approx(80e3 * 4**3 / 24 / E / i, rel=0.15)
