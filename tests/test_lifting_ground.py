"""Ground that pushes and does not pull: a rigid block on it against the textbook, and what is said where it
would have to pull."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.solve.one_way import slack
from rod_tally.compare import compare
from rod_tally.compare.results import Side
from rod_tally.intake import read_source
from rod_tally.model import (
    PINNED,
    Combination,
    LineSupport,
    LoadCase,
    Material,
    Model,
    NodeLoad,
    Settings,
    Storey,
    Support,
    Surface,
)
from rod_tally.model.edits import EditError, SetGroundLifting, SetMemberBed
from rod_tally.model.entities.structure import Node
from rod_tally.model.entities.surface import SurfaceJoint
from rod_tally.model.settings import MeshSettings, RunSettings
from rod_tally.output.ifc import write_ifc
from rod_tally.review import review
from rod_tally.transfer import transfer

from .verification import verified

L, B, T, K = 6.0, 2.0, 6.0, 2e7  # m, m, m, N/m3
N = 900e3
ONE_WAY = RunSettings(one_way=True)
FINE = MeshSettings(size=0.1)


def footing(e: float) -> Model:
    """A block L by B, as good as rigid, on the ground, with N down at e from its middle along x."""
    m = Model("footing", "analytical")
    m.storeys = [Storey("Ground", 0.0)]
    m.materials["hard"] = Material("hard", "steel", 2e11, 8e10, 0.25, 0.0)
    corners = np.array([(-L / 2, -B / 2, 0), (L / 2, -B / 2, 0), (L / 2, B / 2, 0), (-L / 2, B / 2, 0)])
    s = Surface("s", "raft", "slab", "Ground", corners, [], T, "hard", way="shell", bedding=K)
    m.nodes["n"] = Node("n", np.array([e, 0.0, 0.0]))
    s.joints.append(SurfaceJoint("end", "", np.array([[e, 0.0, 0.0]]), 0.0, "n"))
    m.surfaces["s"] = s
    m.cases["N"] = LoadCase("N", "dead", node_loads=[NodeLoad("n", (0, 0, -N))])
    m.combinations = [Combination("ULS", "strength", {"N": 1.0})]
    return m


def pressures(m: Model, settings: RunSettings) -> tuple[float, float, float]:
    """Largest pressure, Pa; length under pressure, m; sum of the ground's forces, N."""
    r = run(m, settings, meshing=FINE)
    assert r.plates is not None and not r.left_out
    at = {n: k for k, n in enumerate(r.support_ids)}
    x = np.array([r.xyz[r.node_ids.index(n), 0] for n in at])
    u = np.array([r.displacement[0, r.node_ids.index(n), 2] for n in at])
    p = -K * u
    up = r.reaction[0, :, 2]
    return float(p.max()), L / 2 - float(x[up > 1.0].min()), float(up.sum())


@pytest.mark.parametrize("e", [1.2, 1.8, 2.4])
def test_a_rigid_block_beyond_its_core(e: float) -> None:
    """Linear pressure without tension: compressed length 3 (L/2 - e), largest pressure 2 N / (3 B (L/2 -
    e))."""
    m = footing(e)
    SetGroundLifting(["s"]).apply(m)
    largest, length, total = pressures(m, ONE_WAY)
    assert total == pytest.approx(N, rel=1e-7)
    source = "no-tension block, any textbook of foundations"
    verified(
        "Footing beyond its core: largest pressure, Pa", source, largest, 2 * N / (3 * B * (L / 2 - e)), 1e-2
    )
    assert length == pytest.approx(3 * (L / 2 - e), abs=0.11)


def test_within_the_core_nothing_lifts_and_both_agree() -> None:
    m = footing(0.5)
    both = pressures(m, RunSettings())
    SetGroundLifting(["s"]).apply(m)
    assert pressures(m, ONE_WAY) == pytest.approx(both, rel=1e-9)
    assert both[0] == pytest.approx(N / (L * B) * (1 + 6 * 0.5 / L), rel=1e-3)


def test_beyond_its_edge_nothing_holds_it() -> None:
    m = footing(2.9)
    m.cases["N"].node_loads.append(NodeLoad("n", (0, 0, 0), (0, 0.3 * N, 0)))  # as if at 3.2 m
    SetGroundLifting(["s"]).apply(m)
    r = run(m, ONE_WAY, meshing=MeshSettings(size=0.25))
    assert r.unsettled == ["N"] and not r.reaction.any()


def test_ground_that_would_have_to_pull_is_a_finding_and_what_lifts_is_said() -> None:
    m = footing(1.8)
    own = Settings()
    own.modes.count, own.mesh.size = 0, 0.1
    found = {f.code: f for f in review(m, own).findings}
    f = found["response.uplift"]
    # pressure N / A (1 + 6 e x / L2 ...): zero at x = -L2 / 12 e, so that L/2 - L2 / 12 e of L pulls
    area = (L / 2 - L**2 / (12 * 1.8)) * B
    assert f.severity == "warning" and f.numbers["area"] == pytest.approx(area, rel=0.05)
    own.run.one_way = True
    assert "source.one_way" not in {f.code for f in review(m, own).findings}
    SetGroundLifting(["s"]).apply(m)
    found = {f.code: f for f in review(m, own).findings}
    assert "response.uplift" not in found
    assert (
        "Case N: slab raft is off the ground over 4.7 of 12 m²; the largest opening"
        in found["run.one_way"].message
    ), found["run.one_way"].message
    own.run.one_way = False
    assert "1 support push only" in {f.code: f.message for f in review(m, own).findings}["source.one_way"]


def test_supports_that_hold_the_building_down_are_named() -> None:
    from .frames import beam

    m = beam(6.0, "ux uy uz rx rz", "uy uz")
    m.cases["G"] = LoadCase("G", "dead", self_weight=(0, 0, -1.0))
    m.cases["W"] = LoadCase("W", "wind", node_loads=[NodeLoad("n1", (0, 0, 30e3))])
    m.combinations = [
        Combination("G", "strength", {"G": 1.35}),
        Combination("G + W", "strength", {"G": 1.0, "W": 1.5}),
    ]
    own = Settings()
    own.modes.count = 0
    r = review(m, own)
    (f,) = [f for f in r.findings if f.code == "response.uplift"]
    weight = r.results.reaction[r.results.case_index("G"), :, 2].min()
    assert f.severity == "note" and f.ids == ("n1",) and "in G + W" in f.message
    assert f.numbers["force"] == pytest.approx(45e3 - weight, rel=1e-6)


def test_held_edges_lift_too() -> None:
    """A wall on a held foot, pushed at its head beyond its core: the foot lifts over more than a quarter of
    its length."""
    m = Model("wall", "analytical")
    m.storeys = [Storey("Ground", 0.0)]
    m.materials["hard"] = Material("hard", "steel", 2e11, 8e10, 0.25, 0.0)
    s = Surface(
        "w",
        "w",
        "wall",
        "Ground",
        np.array([(0.0, 0, 0), (4, 0, 0), (4, 0, 3), (0, 0, 3)]),
        [],
        0.3,
        "hard",
        way="shell",
    )
    s.supports = [LineSupport(s.outer[:2], Support.of("ux uy uz=1e9 rx"))]
    m.nodes["n"] = Node("n", np.array([2.0, 0.0, 3.0]))
    s.joints.append(SurfaceJoint("end", "", np.array([[2.0, 0.0, 3.0]]), 0.0, "n"))
    m.surfaces["w"] = s
    e = 1.2
    m.cases["N"] = LoadCase("N", "dead", node_loads=[NodeLoad("n", (N * e / 3.0, 0, -N))])
    SetGroundLifting(["w"]).apply(m)
    r = run(m, ONE_WAY, meshing=FINE)
    up = r.reaction[0, :, 2]
    x = np.array([r.xyz[r.node_ids.index(n), 0] for n in r.support_ids])
    assert up.min() > -1e-3 and up.sum() == pytest.approx(N)
    assert (up @ x) / N == pytest.approx(2.0 + e, rel=1e-6)
    assert 4.0 - x[up > 1.0].min() == pytest.approx(3 * (2.0 - e), abs=0.11)


def test_it_goes_through_the_file_and_a_difference_is_told(tmp_path: Path) -> None:
    m = footing(0.0)
    SetGroundLifting(["s"]).apply(m)
    back = transfer(read_source(write_ifc(m, tmp_path / "f.ifc")), Settings().transfer)
    assert back.lifting == list(back.surfaces)
    plain = footing(0.0)
    rows = [x for x in compare(Side(plain), Side(m)).supports if x.status != "same"]
    assert [(x.was, x.is_) for x in rows] == [("bed 2e+07", "bed 2e+07, pushes only")]
    m.surfaces["s"].bedding = 0.0
    with pytest.raises(EditError, match="not held upwards"):
        SetGroundLifting(["s"]).apply(m)


def test_many_parts_at_once_are_the_same_as_one_by_one() -> None:
    """The least of z a z / 2 + f z with z >= 0, for two hundred random problems of more parts than go one by
    one."""
    rng = np.random.default_rng(3)
    for _ in range(40):
        p = int(rng.integers(45, 90))
        g = rng.normal(size=(p, p + 5))
        a, f = g @ g.T, rng.normal(size=p) * 10
        z = slack(a, f)
        assert z is not None
        w = f + a @ z
        scale = np.abs(f).max()
        assert z.min() >= 0 and w.min() > -1e-6 * scale and abs(z @ w) < 1e-5 * scale * max(z.max(), 1e-9)


def grade_beam(length: float, turn: float = 0.0) -> Model:
    from .frames import FLEXIBLE, frame

    c, s = np.cos(turn), np.sin(turn)
    return frame(
        [(0, 0, 0), (c * length / 2, s * length / 2, 0), (c * length, s * length, 0)],
        [(0, 1), (1, 2)],
        {},
        section=FLEXIBLE,
    )


@pytest.mark.parametrize("turn", [0.0, 0.7])
def test_a_long_beam_on_the_ground(turn: float) -> None:
    """Point load in the middle of a beam that is long for its ground: y = P / (8 EI b^3), M = P / (4 b), b =
    (k / 4 EI)^(1/4) (M. Hetenyi, Beams on Elastic Foundation, infinite beam; from memory)."""
    m = grade_beam(1.0, turn)
    section, material = m.sections[m.members["m0"].section], next(iter(m.materials.values()))
    width, modulus, force = section.width, 5e7, 50e3
    assert material.E is not None
    b = (modulus * width / (4 * material.E * section.iy)) ** 0.25
    m = grade_beam(12 / b, turn)
    m.cases["P"] = LoadCase("P", "dead", node_loads=[NodeLoad("n1", (0, 0, -force))])
    count = len(m.nodes)
    SetMemberBed(["m0", "m1"], modulus).apply(m)
    r = run(m, RunSettings(shear_flexible=False))
    assert not r.motions and r.reaction[0, :, 2].sum() == pytest.approx(force)
    source = "M. Hetenyi, Beams on Elastic Foundation, infinite beam (from memory)"
    deflection = -float(r.displacement[0, r.node_ids.index("n1"), 2])
    moment = float(np.abs(r.force[0, r.stations_of("m0"), 4]).max())
    verified(
        "Long beam on the ground: deflection under the load, m",
        source,
        deflection,
        force * b**3 / (8 * material.E * section.iy * b**6),
        1e-2,
    )
    verified("Long beam on the ground: moment under the load, N m", source, moment, force / (4 * b), 1e-2)
    SetMemberBed(["m0", "m1"], 2 * modulus).apply(m)
    assert run(m, RunSettings(shear_flexible=False)).displacement[0, r.node_ids.index("n1"), 2] > -deflection
    SetMemberBed(["m0", "m1"], 0.0).apply(m)
    assert (
        len(m.nodes) == count
        and not any(n.support.any for n in m.nodes.values())
        and not any(x.joints for x in m.members.values())
    )


def test_ground_under_members_keeps_what_is_there_and_refuses_what_cannot_lie_on_it() -> None:
    m = grade_beam(10.0)
    m.nodes["n1"].support = PINNED
    edit = SetMemberBed(["m0"], 2e7, 1.5)
    before = {n: x.support for n, x in m.nodes.items()}
    edit.apply(m)
    assert m.nodes["n1"].support == PINNED and len(m.members["m0"].joints) >= 7
    assert {m.nodes[n].support for n in ("n0", "n2")} == {before["n0"]}
    inner = m.nodes[m.members["m0"].joints[0].node].support
    step = m.members["m0"].joints[1].distance - m.members["m0"].joints[0].distance
    assert inner.stiffness[2] == pytest.approx(2e7 * 1.5 * step) and inner.stiffness[3] == pytest.approx(
        2e7 * 1.5**3 / 12 * step
    )
    edit.revert(m)
    assert {n: x.support for n, x in m.nodes.items()} == before and not m.members["m0"].joints
    from .frames import frame

    with pytest.raises(EditError, match="not level"):
        SetMemberBed(["m0"], 2e7).apply(frame([(0, 0, 0), (0, 0, 3)], [(0, 1)], {}))
