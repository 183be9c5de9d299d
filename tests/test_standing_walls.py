"""Walls that only stand on what is below them: the joint at the foot opens where it would have to pull."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.checks.framing.sides import find_one_way
from rod_tally.checks.registry import Subject
from rod_tally.checks.response.one_way import find_slack
from rod_tally.compare import compare
from rod_tally.compare.results import Side
from rod_tally.intake import read_source
from rod_tally.model import (
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
from rod_tally.model.edits import EditError, SetGroundLifting, SetStanding
from rod_tally.model.entities.structure import Node
from rod_tally.model.entities.surface import SurfaceJoint
from rod_tally.model.settings import MeshSettings, RunSettings
from rod_tally.output.ifc import write_ifc
from rod_tally.project.run_records import packed, results_of
from rod_tally.review import review
from rod_tally.transfer import transfer

from .plates import MATERIAL, E
from .test_one_way import ONE_WAY

LONG, HIGH, LOW, T, N = 4.0, 3.0, 0.25, 0.2, 400e3
MESH = MeshSettings(size=0.25)


def panels(e: float, turn: float = 0.0, under: float = 1e4, lifts: bool = False) -> Model:
    """A wall on another one `under` times as stiff that stands fast, N down on its head with a push that
    brings it to e from its middle at the joint; or with `lifts` the upper one alone, on a held edge that can
    lift off."""
    m = Model("panels", "analytical")
    m.storeys = [Storey("Ground", -LOW), Storey("First", 0.0)]
    m.materials["plate"] = MATERIAL
    m.materials["stiff"] = Material("stiff", "concrete", min(E * under, 9e11), density=2500.0)
    c, s = np.cos(turn), np.sin(turn)

    def at(x: float, z: float) -> np.ndarray:
        return np.array([c * x, s * x, z])

    def wall(ident: str, low: float, high: float, material: str) -> Surface:
        outer = np.array([at(0, low), at(LONG, low), at(LONG, high), at(0, high)])
        out = m.surfaces[ident] = Surface(ident, ident, "wall", "First", outer, [], T, material, way="shell")
        return out

    foot = Support.of("ux uy uz rx rz", ((c, s, 0.0), (-s, c, 0.0), (0.0, 0.0, 1.0)))
    upper = wall("upper", 0.0, HIGH, "plate")
    if lifts:
        upper.supports = [LineSupport(upper.outer[:2], foot)]
    else:
        lower = wall("lower", -LOW, 0.0, "stiff")
        lower.supports = [LineSupport(lower.outer[:2], foot)]
        joint = np.array([at(0, 0), at(LONG, 0)])
        upper.joints.append(SurfaceJoint("surface", "lower", joint, 0.0, ""))
        lower.joints.append(SurfaceJoint("surface", "upper", joint, 0.0, ""))
    m.nodes["head"] = Node("head", at(LONG / 2, HIGH))
    upper.joints.append(SurfaceJoint("end", "", at(LONG / 2, HIGH)[None], 0.0, "head"))
    push = N * e / HIGH
    m.cases["N"] = LoadCase("N", "dead", node_loads=[NodeLoad("head", (c * push, s * push, -N))])
    (SetGroundLifting if lifts else SetStanding)(["upper"]).apply(m)
    return m


def head(r: Results) -> np.ndarray:
    return r.displacement[0, r.node_ids.index("head"), :3]


@pytest.mark.parametrize("turn", [0.0, 0.5])
@pytest.mark.parametrize("e", [0.3, 1.0, 1.6])
def test_as_on_an_edge_that_can_lift_off(e: float, turn: float) -> None:
    """A wall on a stiff wall moves as one on a held edge that only pushes, and opens as far."""
    r, alone = (
        run(panels(e, turn), ONE_WAY, meshing=MESH),
        run(panels(e, turn, lifts=True), ONE_WAY, meshing=MESH),
    )
    assert not r.unsettled and r.equilibrium[0].residual < 1e-9
    opened, lifted = (x.slack.get("N", {}).get("upper", 0.0) for x in (r, alone))
    assert opened == pytest.approx(lifted, rel=0.05, abs=1e-12)
    # the stiff wall below gives way by a little: 30 times stiffer is what a material may be
    assert head(r) == pytest.approx(head(alone), rel=0.06, abs=1e-7)
    joined = run(panels(e, turn), RunSettings(), meshing=MESH)
    assert not joined.slack
    if e > LONG / 6:
        assert opened > 1e-6 and abs(head(r) @ head(r)) > abs(head(joined) @ head(joined))


def test_where_nothing_opens_it_is_as_if_joined() -> None:
    r, joined = run(panels(0.2), ONE_WAY, meshing=MESH), run(panels(0.2), RunSettings(), meshing=MESH)
    assert not r.slack
    assert head(r) == pytest.approx(head(joined), rel=5e-3)  # but for turns in the plane, which hardly count
    assert r.reaction.sum(axis=1) == pytest.approx(joined.reaction.sum(axis=1), abs=1e-3)


def test_beyond_its_edge_nothing_holds_it() -> None:
    assert run(panels(2.2), ONE_WAY, meshing=MESH).unsettled == ["N"]


def test_it_is_said_kept_and_taken_back() -> None:
    m = panels(1.0)
    settings = Settings.from_dict({"run": {"one_way": True}, "mesh": {"size": 0.25}, "modes": {"count": 1}})
    done = review(m, settings)
    (f,) = [f for f in find_slack(Subject(m, done.results, settings)) if f.code == "run.one_way"]
    assert "upper" in f.message and "upper" in f.ids
    assert any(f.code == "source.one_way" and "press" in f.message for f in review(m, Settings()).findings)
    again = results_of(*packed(done.results, None))
    assert again.plates is not None and done.results.plates is not None
    assert again.plates.standing == done.results.plates.standing
    edit = SetStanding(["upper"], False)
    edit.apply(m)
    assert not m.standing
    edit.revert(m)
    assert m.standing == ["upper"]
    m.surfaces["upper"].way = "column"
    (f,) = [f for f in find_one_way(Subject(m, None, settings)) if f.code == "source.one_way"]
    assert f.ids == ("upper",) and "as shells" in f.message
    with pytest.raises(EditError, match="as a column"):
        SetStanding(["upper"]).apply(m)


def test_through_ifc_and_a_difference_is_told(tmp_path: Path) -> None:
    m = panels(0.5)
    back = transfer(read_source(write_ifc(m, tmp_path / "p.ifc")), Settings().transfer)
    assert [back.surfaces[i].name for i in back.standing] == ["upper"]
    plain = panels(0.5)
    plain.standing.clear()
    (row,) = [x for x in compare(Side(plain), Side(m)).surfaces if x.status != "same"]
    assert [(c.what, c.was, c.is_) for c in row.changes] == [("foot", "joined", "only stands")]


def test_a_corner_of_two_walls_stays_together() -> None:
    """Two walls that meet at an upright edge and both only stand share the node of their feet there."""
    m = panels(0.0)
    other = np.array([(0, 0, 0.0), (0, 3, 0), (0, 3, HIGH), (0, 0, HIGH)])
    below = np.array([(0, 0, -LOW), (0, 3, -LOW), (0, 3, 0.0), (0, 0, 0)])
    edge = np.array([(0.0, 0, 0), (0, 0, HIGH)])
    for ident, outer, material in (("side", other, "plate"), ("side below", below, "stiff")):
        m.surfaces[ident] = Surface(ident, ident, "wall", "First", outer, [], T, material, way="shell")
    m.surfaces["side below"].supports = [LineSupport(below[:2], Support.of("ux uy uz ry rz"))]
    for a, b, line in (
        ("upper", "side", edge),
        ("lower", "side below", np.array([(0.0, 0, -LOW), (0, 0, 0)])),
        ("side", "side below", other[:2]),
    ):
        m.surfaces[a].joints.append(SurfaceJoint("surface", b, line, 0.0, ""))
        m.surfaces[b].joints.append(SurfaceJoint("surface", a, line, 0.0, ""))
    SetStanding(["side"]).apply(m)
    r = run(m, ONE_WAY, meshing=MESH)
    assert r.plates is not None
    upper, side = (set(r.plates.nodes_of(i).tolist()) for i in ("upper", "side"))
    assert len(upper & side) == len({n for n in upper & side if r.xyz[n, 2] >= 0}) == round(HIGH / 0.25) + 1
    assert r.equilibrium[0].residual < 1e-9 and not r.unsettled


def beside(turn: float, pull: float) -> Model:
    """A wall beside a stiff one that stands fast, pulled away (+) or pressed to it (-) at mid-height; its
    foot gives way along it."""
    m = Model("beside", "analytical")
    m.storeys = [Storey("Ground", 0.0)]
    m.materials["plate"] = MATERIAL
    m.materials["stiff"] = Material("stiff", "concrete", 9e11, density=2500.0)
    c, s = np.cos(turn), np.sin(turn)
    axes = ((c, s, 0.0), (-s, c, 0.0), (0.0, 0.0, 1.0))

    def wall(ident: str, x0: float, x1: float, material: str, foot: str) -> Surface:
        corners = [(x0, 0.0), (x1, 0.0), (x1, HIGH), (x0, HIGH)]
        outer = np.array([(c * x, s * x, z) for x, z in corners])
        out = m.surfaces[ident] = Surface(ident, ident, "wall", "Ground", outer, [], T, material, way="shell")
        out.supports = [LineSupport(outer[:2], Support.of(foot, axes))]
        return out

    free = wall("free", 0.5, 0.5 + LONG, "plate", "ux=1e7 uy uz rx")
    # not in the corner that the fast one holds
    free.supports[0].line = free.supports[0].line + np.array([[c, s, 0.0], [0, 0, 0]]) * 0.25
    fast = wall("fast", 0.0, 0.5, "stiff", "ux uy uz rx rz")
    joint = np.array([(c * 0.5, s * 0.5, 0.0), (c * 0.5, s * 0.5, HIGH)])
    free.joints.append(SurfaceJoint("surface", "fast", joint, 0.0, ""))
    fast.joints.append(SurfaceJoint("surface", "free", joint, 0.0, ""))
    end = np.array([c * (0.5 + LONG), s * (0.5 + LONG), HIGH / 2])
    m.nodes["n"] = Node("n", end)
    free.joints.append(SurfaceJoint("end", "", end[None], 0.0, "n"))
    m.cases["N"] = LoadCase("N", "wind", node_loads=[NodeLoad("n", (c * pull, s * pull, 0.0))])
    SetStanding(["free"], sides=True).apply(m)
    return m


@pytest.mark.parametrize("turn", [0.0, 0.5, np.pi / 2])
def test_a_side_that_only_presses(turn: float) -> None:
    """Pulled away, the wall goes with its foot's springs alone, P / k L; pressed, it is as if joined."""
    pull = 100e3
    m = beside(turn, pull)
    r = run(m, ONE_WAY, meshing=MESH)
    way = np.array([np.cos(turn), np.sin(turn), 0.0])
    moved = float(r.displacement[0, r.node_ids.index("n"), :3] @ way)
    assert not r.unsettled and r.equilibrium[0].residual < 1e-8
    assert moved == pytest.approx(pull / (1e7 * (LONG - 0.25)), rel=0.05)
    assert r.slack["N"]["free"] == pytest.approx(moved, rel=0.05)
    pressed, joined = (run(beside(turn, -pull), s, meshing=MESH) for s in (ONE_WAY, RunSettings()))
    # but for what a point load opens at its ends
    assert max(pressed.slack.get("N", {}).values(), default=0.0) < 0.01 * moved
    got, want = (float(x.displacement[0, x.node_ids.index("n"), :3] @ way) for x in (pressed, joined))
    assert got == pytest.approx(want, rel=0.02) and abs(got) < 0.1 * moved


def test_sides_are_told_and_handed_back(tmp_path: Path) -> None:
    m = beside(0.3, 1e3)
    back = transfer(read_source(write_ifc(m, tmp_path / "s.ifc")), Settings().transfer)
    assert [back.surfaces[i].name for i in back.leaning] == ["free"] and not back.standing
    plain = beside(0.3, 1e3)
    plain.leaning.clear()
    (row,) = [x for x in compare(Side(plain), Side(m)).surfaces if x.status != "same"]
    assert [(c.what, c.was, c.is_) for c in row.changes] == [("sides", "joined", "only press")]
    SetStanding(["free"]).apply(m)
    assert m.standing == m.leaning == ["free"]
    r = run(m, ONE_WAY, meshing=MESH)
    assert r.equilibrium[0].residual < 1e-8
    SetStanding(["free"], False, sides=True).apply(m)
    assert m.leaning == [] and m.standing == ["free"]
