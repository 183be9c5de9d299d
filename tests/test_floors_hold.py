"""What a floor that is stiff in its plane holds: what is joined to its slabs, and nothing beside it."""

from __future__ import annotations

import math

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.analysis.solve.diaphragms import every_floor
from rod_tally.intake.source import Prism, SourceModel, SourceProfile, SourceSurface
from rod_tally.model import LoadCase, Model, NodeLoad, Settings
from rod_tally.model.entities.loads import TemperatureLoad
from rod_tally.model.geometry.vectors import Array

from .physical_models import add, model, moved, source

H, SPAN, ROW = 4.0, 6.0, 5.0
TURN = math.radians(33)
TURNED = np.array([[math.cos(TURN), -math.sin(TURN), 0], [math.sin(TURN), math.cos(TURN), 0], [0, 0, 1.0]])


def slab(s: SourceModel, name: str, outline: list[tuple[float, ...]], thickness: float = 0.2) -> None:
    """A slab whose upper face is the outline (x, y, z)."""
    ring = np.array(outline, float) - [0, 0, thickness]
    body = Prism(ring, [], np.array([0, 0, thickness]))
    s.surfaces.append(SourceSurface(name, name, "slab", "IfcSlab", "", body, [], "S355"))
    s.counts["slab"] = s.counts.get("slab", 0) + 1


def frame(
    s: SourceModel, name: str, y: float, stiff: bool = False, x0: float = 0.0, top: float = 2 * H + 1
) -> None:
    """Two columns in one piece through two storeys and beams 0.3 m below the middle of the slabs at each."""
    profile = "stiff" if stiff else ""
    s.profiles["stiff"] = SourceProfile("stiff", "rectangle", {"width": 0.6, "depth": 0.6})
    for k, x in enumerate((x0, x0 + SPAN)):
        add(s, "column", f"{name}{k}", (x, y, 0), (x, y, top), profile, z=(1, 0, 0))
    for n in (1, 2):
        add(s, "beam", f"{name}B{n}", (x0, y, n * H - 0.4), (x0 + SPAN, y, n * H - 0.4))


def tied(s: SourceModel, names: str, rows: list[float], x0: float = 0.0) -> None:
    """Beams from row to row, at both columns of each."""
    for n in (1, 2):
        for k, x in enumerate((x0, x0 + SPAN)):
            for j, (a, b) in enumerate(zip(rows, rows[1:])):
                add(s, "beam", f"{names}T{n}{k}{j}", (x, a, n * H - 0.4), (x, b, n * H - 0.4))


def floors(s: SourceModel, name: str, x0: float, y0: float, x1: float, y1: float, fall: float = 0.0) -> None:
    for n in (1, 2):
        z = n * H
        slab(
            s,
            f"{name}{n}",
            [(x0, y0, z), (x1, y0, z), (x1, y1, z + fall * (y1 - y0)), (x0, y1, z + fall * (y1 - y0))],
        )


def building() -> SourceModel:
    s = source([0.0, H, 2 * H])
    for name, y, stiff in (("a", 0.0, True), ("b", ROW, False), ("c", 2 * ROW, True)):
        frame(s, name, y, stiff)
    tied(s, "t", [0.0, ROW, 2 * ROW])
    floors(s, "F", -0.15, -0.15, SPAN + 0.15, 2 * ROW + 0.15)
    return s


def pushed(m: Model, members: list[str], way: Array, force: float = 60e3) -> Results:
    """A push at the level of the upper slab on the columns named, shared evenly."""
    case = LoadCase("push", "wind")
    for name in members:
        column = m.members[name]
        nodes = [*(j.node for j in column.joints), column.end]
        node = min(nodes, key=lambda n: abs(m.nodes[n].point[2] - (2 * H - 0.1)))
        case.node_loads.append(NodeLoad(node, tuple(float(v) for v in way * force / len(members))))
    m.cases = {"push": case}
    return run(m, Settings().run)


def base(r: Results, m: Model, names: list[str], way: Array) -> float:
    """What the feet of columns hold back along a way, N."""
    feet = {m.members[n].start for n in names}
    k = [r.support_ids.index(n) for n in feet]
    return float(-(r.reaction[0][k, :3] @ way).sum())


@pytest.mark.parametrize("turn", [np.eye(3), TURNED])
def test_columns_in_one_piece_share_a_push_through_floors_above_their_beams(turn: Array) -> None:
    """Of a push in the middle each row takes what its stiffness asks for: rows alone, pushed by as much as
    the rigid floors move them, give the same sum."""
    m = model(moved_surfaces(building(), turn))
    way = turn @ np.array([1.0, 0, 0])
    r = pushed(m, ["b0", "b1"], way)
    shares = {n: base(r, m, [f"{n}0", f"{n}1"], way) / 60e3 for n in "abc"}
    assert sum(shares.values()) == pytest.approx(1.0, rel=1e-6)
    assert shares["a"] == pytest.approx(shares["c"], rel=1e-6)
    # columns of 600 are sixteen times as stiff as those of 300
    assert shares["b"] < 0.15 and shares["a"] > 0.42
    assert r.equilibrium[0].residual < 1e-9
    top = [r.displacement[0][r.node_ids.index(at_level(m, f"{n}0", 2 * H - 0.4)), :3] @ way for n in "abc"]
    assert np.ptp(top) < 1e-9 * abs(top[0]) + 1e-12


def turned_prism(p: Prism, turn: Array, shift: tuple[float, ...]) -> Prism:
    return Prism(p.outer @ turn.T + shift, [v @ turn.T + shift for v in p.voids], turn @ p.vector)


def moved_surfaces(s: SourceModel, turn: Array, shift: tuple[float, ...] = (0, 0, 0)) -> SourceModel:
    moved(s, turn, np.array(shift, float))
    for x in s.surfaces:
        assert x.body is not None
        x.body = turned_prism(x.body, turn, shift)
        x.openings = [turned_prism(o, turn, shift) for o in x.openings]
    return s


def at_level(m: Model, member: str, z: float) -> str:
    column = m.members[member]
    nodes = [column.start, *(j.node for j in column.joints), column.end]
    return min(nodes, key=lambda n: abs(m.nodes[n].point[2] - z))


def test_a_column_is_not_clamped_between_its_beam_and_its_slab() -> None:
    """Where a floor holds a column at the slab and a beam meets it 0.3 m below, one of the two nodes is
    held: the column turns there as a frame without slabs does."""
    m = model(building())
    held = {n for f in of(m) for n in f}
    for column in ("a0", "b1", "c0"):
        own = [j.node for j in m.members[column].joints]
        assert len(own) == 4 and sum(n in held for n in own) == 2


@pytest.mark.parametrize("turn", [np.eye(3), TURNED])
def test_a_node_beside_the_plane_of_a_floor_follows_by_an_arm(turn: Array) -> None:
    """A column that no beam meets is held at the slab, 0.3 m above the plane of the others: forces and
    moments balance, and it moves with the floor by its turn."""
    s = building()
    add(s, "column", "lone", (SPAN - 0.5, 2.5, 0), (SPAN - 0.5, 2.5, 2 * H + 1), z=(1, 0, 0))
    m = model(moved_surfaces(s, turn))
    r = pushed(m, ["lone"], turn @ np.array([0.6, 0.8, 0]))
    assert r.equilibrium[0].residual < 1e-9
    node = at_level(m, "lone", 2 * H - 0.1)
    assert any(node in f for f in of(m))
    u = {n: r.displacement[0][r.node_ids.index(n)] for n in (node, at_level(m, "a0", 2 * H - 0.4))}
    (mine, other), points = u.values(), [m.nodes[n].point for n in u]
    arm = points[0] - points[1]
    at_plane = mine[:3] - np.cross(mine[3:], [0, 0, arm[2]])
    expected = other[:3] + np.cross([0, 0, other[5]], [arm[0], arm[1], 0])
    assert at_plane[:2] == pytest.approx(expected[:2], rel=1e-9)


def of(m: Model) -> list[set[str]]:
    xyz = np.array([n.point for n in m.nodes.values()])
    ids = list(m.nodes)
    return [{ids[k] for k in f.nodes} for f in every_floor(m, ids, None, xyz, np.ones(len(ids), bool), [])]


@pytest.mark.parametrize("gap", [0.05, 0.1, 0.5])
def test_nothing_goes_across_a_movement_joint(gap: float) -> None:
    """Two halves, each with its own frames: the one that is not pushed stands still."""
    s = source([0.0, H, 2 * H])
    for half, x0 in (("l", 0.0), ("r", SPAN + 0.3 + gap)):
        frame(s, half + "a", 0.0, x0=x0)
        frame(s, half + "b", ROW, x0=x0)
        tied(s, half, [0.0, ROW], x0)
        floors(s, half, x0 - 0.15, -0.15, x0 + SPAN + 0.15, ROW + 0.15)
    m = model(s)
    assert len(of(m)) == 4
    r = pushed(m, ["la0", "lb0"], np.array([1.0, 0, 0]))
    assert abs(base(r, m, ["ra0", "ra1", "rb0", "rb1"], np.array([1.0, 0, 0]))) < 1e-6
    assert base(r, m, ["la0", "la1", "lb0", "lb1"], np.array([1.0, 0, 0])) == pytest.approx(60e3)


@pytest.mark.parametrize("fall", [0.01, 0.02, 0.2])
def test_a_floor_with_a_fall_is_stiff_in_its_own_plane(fall: float) -> None:
    """Gables hold a sloping roof as they hold a level one."""

    def built(fall: float) -> Model:
        s = source([0.0, H])
        s.profiles["stiff"] = SourceProfile("stiff", "rectangle", {"width": 0.6, "depth": 0.6})
        for n, y in zip("abc", (0.0, ROW, 2 * ROW)):
            z = H + fall * y
            for k, x in enumerate((0.0, SPAN)):
                add(s, "column", f"{n}{k}", (x, y, 0), (x, y, z), "" if n == "b" else "stiff", z=(1, 0, 0))
            add(s, "beam", f"{n}B", (0, y, z - 0.2), (SPAN, y, z - 0.2))
        for k, x in enumerate((0.0, SPAN)):
            for n, y in zip("de", (0.0, ROW)):
                add(
                    s, "beam", f"{n}{k}", (x, y, H + fall * y - 0.2), (x, y + ROW, H + fall * (y + ROW) - 0.2)
                )
        ring = [(-0.1, -0.1), (SPAN + 0.1, -0.1), (SPAN + 0.1, 2 * ROW + 0.1), (-0.1, 2 * ROW + 0.1)]
        slab(s, "roof", [(x, y, H + fall * y + 0.05) for x, y in ring])
        m = model(s)
        assert m.surfaces["roof"].way == "two-way" and m.surfaces["roof"].diaphragm
        case = LoadCase("push", "wind")
        for k in (0, 1):
            case.node_loads.append(NodeLoad(m.members[f"b{k}"].end, (30e3, 0, 0)))
        m.cases = {"push": case}
        return m

    found = []
    for slope in (0.0, fall):
        m = built(slope)
        r = run(m, Settings().run)
        found.append(
            (
                r.displacement[0][r.node_ids.index(m.members["b0"].end), 0],
                base(r, m, ["a0", "a1", "c0", "c1"], np.array([1.0, 0, 0])) / 60e3,
            )
        )
    assert found[0][1] > 0.85
    # a row that is higher is softer, by the cube of its height at the most
    assert found[1][1] == pytest.approx(found[0][1], rel=0.02 + 8 * fall)
    assert found[1][0] == pytest.approx(found[0][0], rel=0.02 + 8 * fall)


def test_what_stands_beside_or_in_an_opening_is_free() -> None:
    """A mast 0.4 m outside the slab and a column in an opening sway by themselves."""
    s = building()
    add(s, "column", "mast", (SPAN + 0.15 + 0.15 + 0.4, ROW, 0), (SPAN + 0.7, ROW, 2 * H + 1), z=(1, 0, 0))
    add(s, "column", "inside", (3.0, 2.5, 0), (3.0, 2.5, 2 * H + 1), z=(1, 0, 0))
    for x in s.surfaces:
        assert x.body is not None
        ring = np.array([(2.3, 1.8, 0), (3.7, 1.8, 0), (3.7, 3.2, 0), (2.3, 3.2, 0)])
        x.openings.append(Prism(ring + [0, 0, x.body.outer[0, 2] - 0.1], [], np.array([0, 0, 0.5])))
    m = model(s)
    held = {n for f in of(m) for n in f}
    for name in ("mast", "inside"):
        c = m.members[name]
        assert not {c.start, c.end, *(j.node for j in c.joints)} & held


def test_a_column_that_touches_the_edge_of_an_opening_is_held() -> None:
    s = building()
    add(s, "column", "inside", (2.45, 2.5, 0), (2.45, 2.5, 2 * H + 1), z=(1, 0, 0))
    for x in s.surfaces:
        assert x.body is not None
        ring = np.array([(2.3, 1.8, 0), (3.7, 1.8, 0), (3.7, 3.2, 0), (2.3, 3.2, 0)])
        x.openings.append(Prism(ring + [0, 0, x.body.outer[0, 2] - 0.1], [], np.array([0, 0, 0.5])))
    m = model(s)
    nodes = {j.node for j in m.members["inside"].joints}
    assert len(nodes) == 2
    for n in (1, 2):
        assert len({j.node for j in m.surfaces[f"F{n}"].joints if j.other == "inside"} & nodes) == 1


def test_a_warmed_floor_expands() -> None:
    """Warmed by 30 K a row of columns bends as the same row without a floor; wind still goes to the stiff
    rows."""
    found = []
    for diaphragm in (True, False):
        m = model(building())
        for x in m.surfaces.values():
            x.diaphragm = diaphragm
        m.cases = {"heat": LoadCase("heat", "temperature")}
        m.cases["heat"].temperatures = [
            TemperatureLoad(i, 30.0) for i, b in m.members.items() if b.cls == "beam"
        ]
        r = run(m, Settings().run)
        assert r.equilibrium[0].residual < 1e-6
        found.append(r.reaction[0])
    assert found[0] == pytest.approx(found[1], abs=1e-3 * np.abs(found[1]).max())
    assert np.abs(found[0][:, 4]).max() > 10e3


def test_two_towers_of_one_storey_are_two_floors() -> None:
    """[run] diaphragms: what does not hang together at a level does not move together."""
    s = source([0.0, H, 2 * H])
    for half, x0 in (("l", 0.0), ("r", 20.0)):
        frame(s, half + "a", 0.0, x0=x0, top=2 * H - 0.3)
        frame(s, half + "b", ROW, x0=x0, top=2 * H - 0.3)
        tied(s, half, [0.0, ROW], x0)
    m = model(s)
    m.storeys = [type(m.storeys[0])("L2", 2 * H - 0.3)]
    case = LoadCase("push", "wind", node_loads=[NodeLoad(m.members["la0"].end, (80e3, 0, 0))])
    m.cases = {"push": case}
    settings = Settings().run
    settings.diaphragms = ["L2"]
    r = run(m, settings)
    assert base(r, m, ["la0", "la1", "lb0", "lb1"], np.array([1.0, 0, 0])) == pytest.approx(80e3)
    assert abs(base(r, m, ["ra0", "ra1", "rb0", "rb1"], np.array([1.0, 0, 0]))) < 1e-3


def test_the_force_of_a_storey_of_two_towers_is_shared_about_their_own_centres() -> None:
    """Two towers of one level, 20 m apart, the second of one row only: each takes its share by mass, off
    its own centre by 5 % of its own width; forces and moments by hand."""
    from rod_tally.analysis.by_rule.storey_forces import levels, storey_cases
    from rod_tally.loads import Distribution

    s = source([0.0, H, 2 * H])
    for half, x0, rows in (("l", 0.0, [0.0, ROW, 2 * ROW]), ("r", 20.0, [0.0, ROW])):
        for k, y in enumerate(rows):
            frame(s, f"{half}{k}", y, x0=x0, top=2 * H)
        tied(s, half, rows, x0)
    m = model(s)
    found = levels(m, {"Self-weight": 1.0}, Distribution(m))
    top = found[-1]
    assert [len(p.nodes) for p in top.parts] == [12, 8]  # heads of columns, and beams 0.4 m below
    (case,) = [
        c
        for c in storey_cases("E", "seismic", found, {top.name: [60e3, 0.0, 0.0]}, 0.05, "x")
        if c["name"] == "E +e"
    ]
    for part, width in zip(top.parts, (2 * ROW, ROW)):
        loads = [
            (np.array(x["force"]), m.nodes[x["node"]].point) for x in case["loads"] if x["node"] in part.nodes
        ]
        own = 60e3 * part.mass / sum(p.mass for p in top.parts)
        assert sum(f for f, _ in loads)[:2] == pytest.approx([own, 0], abs=1e-6)
        turning = sum((p[0] - part.centre[0]) * f[1] - (p[1] - part.centre[1]) * f[0] for f, p in loads)
        assert turning == pytest.approx(-own * 0.05 * width, rel=1e-6)


@pytest.mark.parametrize("turn", [np.eye(3), TURNED])
def test_of_two_slopes_one_holds_the_ridge_and_the_other_says_that_it_does_not(turn: np.ndarray) -> None:
    """Two slabs that meet over a ridge beam: no node can follow two planes, and the second floor names what
    carries it and is not its own."""
    s = source([0.0, H])
    rise = 2.5
    for name, y, z in (("a", 0.0, H), ("r", ROW, H + rise), ("b", 2 * ROW, H)):
        for k, x in enumerate((0.0, SPAN)):
            add(s, "column", f"{name}{k}", (x, y, 0), (x, y, z), z=(1, 0, 0))
        add(s, "beam", f"{name}B", (0, y, z - 0.2), (SPAN, y, z - 0.2))
    for k, x in enumerate((0.0, SPAN)):
        add(s, "beam", f"s{k}", (x, 0, H - 0.2), (x, ROW, H + rise - 0.2))
        add(s, "beam", f"t{k}", (x, 2 * ROW, H - 0.2), (x, ROW, H + rise - 0.2))
    slab(s, "south", [(0, 0, H), (SPAN, 0, H), (SPAN, ROW, H + rise), (0, ROW, H + rise)])
    slab(s, "north", [(0, ROW, H + rise), (SPAN, ROW, H + rise), (SPAN, 2 * ROW, H), (0, 2 * ROW, H)])
    m = model(moved_surfaces(s, turn))
    found = every_floor(
        m, list(m.nodes), None, np.array([n.point for n in m.nodes.values()]), np.ones(len(m.nodes), bool), []
    )
    first, second = sorted(found, key=lambda f: -len(f.nodes))
    assert not first.not_held and set(second.not_held) == {"rB", "r0", "r1"}
    assert not set(first.nodes.tolist()) & set(second.nodes.tolist())
