"""What stands on a slab hands its force to the slab, and the ground holds the slab; what has no way to a
support is named."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import Results, run
from rod_tally.checks import Subject, run_checks
from rod_tally.intake.source import SourceModel
from rod_tally.model import FIXED, PINNED, Finding, LoadCase, Model, NodeLoad, Settings, Support
from rod_tally.model.edits import SetSupport
from rod_tally.review.remedies import edits_for

from .physical_models import add, block, model, source
from .test_floors_hold import moved_surfaces
from .test_panels import plate

TURN = np.array([[0.8386705679, -0.544639035, 0], [0.544639035, 0.8386705679, 0], [0, 0, 1.0]])


def found(m: Model, r: Results | None, code: str) -> list[Finding]:
    return [f for f in run_checks(Subject(m, r)) if f.code == code]


def on_a_raft(kind: str = "") -> SourceModel:
    """A frame of four columns on a slab of 10 x 9 m, 0.5 m thick, whose class says nothing, or BASESLAB."""
    s = source([0.0, 4.0])
    plate(s, "slab", "base", (-2, -2, -0.5), (8, 7, 0.0)).kind = kind
    for k, (x, y) in enumerate(((0, 0), (6, 0), (6, 5), (0, 5))):
        add(s, "column", f"K{k}", (x, y, 0), (x, y, 4.0), z=(1, 0, 0))
    for k, (a, b) in enumerate((((0, 0), (6, 0)), ((6, 0), (6, 5)), ((6, 5), (0, 5)), ((0, 5), (0, 0)))):
        add(s, "beam", f"B{k}", (*a, 3.8), (*b, 3.8))
    return s


@pytest.mark.parametrize("kind", ["BASESLAB", ""])
@pytest.mark.parametrize("turn", [np.eye(3), TURN])
def test_a_frame_on_a_raft_stands_on_the_ground(kind: str, turn: np.ndarray) -> None:
    """No foot is held at the raft's middle plane: the ground takes all of it, and the raft bends."""
    m = model(moved_surfaces(on_a_raft(kind), turn))
    assert m.surfaces["base"].bedding > 0 and not any(n.support.any for n in m.nodes.values())
    r = run(m, Settings().run)
    whole = sum(m.weight(x) for x in m.members.values()) + m.surface_weight(m.surfaces["base"])
    assert r.reaction[0][:, 2].sum() == pytest.approx(whole, rel=1e-6) and not r.left_out
    assert not found(m, r, "support.inside") and not found(m, r, "join.island")


def test_supports_inside_a_raft_are_told_and_taken_away() -> None:
    m = model(on_a_raft())
    feet = [x.start for x in m.members.values() if x.cls == "column"]
    SetSupport(feet, FIXED).apply(m)
    r = run(m, Settings().run)
    (f,) = found(m, r, "support.inside")
    assert f.severity == "warning" and set(feet) <= set(f.ids) and f.numbers["takes"] > 0
    for edit in edits_for(m, f, f.actions[0]):
        edit.apply(m)
    assert not found(m, run(m, Settings().run), "support.inside")


def test_what_supports_inside_a_raft_take_acts_together() -> None:
    """The sum is that of one case, the one in which they take most: not of the largest of each."""
    m = model(on_a_raft())
    feet = [x.start for x in m.members.values() if x.cls == "column"]
    SetSupport(feet, FIXED).apply(m)
    tops = [x.end for x in m.members.values() if x.cls == "column"]
    m.cases["one side"] = LoadCase(
        "one side", "live", node_loads=[NodeLoad(n, (0, 0, -9e6)) for n in tops[:2]]
    )
    m.cases["other"] = LoadCase("other", "live", node_loads=[NodeLoad(n, (0, 0, -7e6)) for n in tops[2:]])
    r = run(m, Settings().run)
    (f,) = found(m, r, "support.inside")
    c = r.cases.index("one side")
    takes = sum(float(r.reaction[c, r.support_ids.index(n), 2]) for n in feet)
    assert f.numbers["takes"] == pytest.approx(takes, rel=0.02) and "in one side" in f.message


def test_a_slab_between_columns_is_no_base() -> None:
    """Columns above and below a slab, and a slab on beams: carried, not bedded."""
    s = on_a_raft()
    for k, (x, y) in enumerate(((0, 0), (6, 0), (6, 5), (0, 5))):
        add(s, "column", f"L{k}", (x, y, -4.0), (x, y, -0.5), z=(1, 0, 0))
    m = model(s)
    assert not m.surfaces["base"].on_ground and any(n.support.any for n in m.nodes.values())


def house() -> SourceModel:
    """A base slab (class slab) with walls on it, a floor on the walls, a timber post on the floor that
    carries a ridge."""
    s = source([0.0, 2.8])
    plate(s, "slab", "ground", (0, 0, -0.3), (8, 6, 0.0))
    for name, a, b in (
        ("w", (0, 0), (0.2, 6)),
        ("e", (7.8, 0), (8, 6)),
        ("s", (0.2, 0), (7.8, 0.2)),
        ("n", (0.2, 5.8), (7.8, 6)),
    ):
        plate(s, "wall", name, (*a, 0.0), (*b, 2.6))
    plate(s, "slab", "floor", (0, 0, 2.6), (8, 6, 2.8))
    add(s, "column", "post", (4, 3, 2.8), (4, 3, 5.0), z=(1, 0, 0))
    add(s, "beam", "ridge", (0.0, 3, 5.2), (8.0, 3, 5.2))
    return s


def test_a_house_stands_on_its_base_slab_and_not_on_a_post() -> None:
    m = model(house())
    assert m.surfaces["ground"].on_ground and not any(n.support.any for n in m.nodes.values())
    r = run(m, Settings().run)
    assert not [i for i in r.left_out if i in m.surfaces]
    f = found(m, r, "join.island") + found(m, r, "support.base_free")
    assert not f, [x.message for x in f]


def test_what_has_no_way_to_a_support_is_named_with_buttons() -> None:
    """Without ground all of the house but a held post hangs in the air."""
    m = model(house())
    m.surfaces["ground"].bedding = 0.0
    add_to = m.members["post"].start
    SetSupport([add_to], FIXED).apply(m)
    r = run(m, Settings().run)
    islands = found(m, r, "join.island")
    assert {f.severity for f in islands} <= {"blocking"}
    out = {i for i, why in r.left_out.items() if "no support" in why}
    assert out <= {i for f in islands for i in f.ids}
    for f in islands:
        assert f.actions


def test_a_second_building_beside_is_laid_on_its_own_ground() -> None:
    s = house()
    plate(s, "slab", "shed", (20, 0, -0.2), (24, 4, 0.0))
    plate(s, "wall", "shed wall", (20, 0, 0), (24, 0.2, 2.5))
    m = model(s)
    assert m.surfaces["shed"].on_ground and m.surfaces["ground"].on_ground


@pytest.mark.parametrize("turn", [np.eye(3), TURN])
def test_supports_at_all_nodes_are_told_and_taken_away(turn: np.ndarray) -> None:
    """Each takes too little to be named by itself; nine of ten are enough, eight are not, and one direction
    alone is a plane frame's."""
    m = model(moved_surfaces(block(4, 2), turn))
    used = [n for n in m.nodes if m.members_at().get(n)]
    above = sorted(
        (n for n in used if m.nodes[n].point[2] > 1.5), key=lambda n: tuple(np.round(m.nodes[n].point, 6))
    )
    assert not found(m, None, "support.everywhere")
    few = m.snapshot()
    SetSupport(above[: int(0.88 * len(above))], PINNED).apply(few)
    assert not found(few, None, "support.everywhere")
    plane = m.snapshot()
    SetSupport(above, Support.of("uy")).apply(plane)
    assert not found(plane, None, "support.everywhere")
    SetSupport(above[: int(np.ceil(0.9 * len(above)))], PINNED).apply(m)
    (f,) = found(m, None, "support.everywhere")
    assert f.severity == "warning" and set(f.ids) < set(above) and f"of the {len(above)} nodes" in f.message
    (edit,) = edits_for(m, f, f.actions[0])
    edit.apply(m)
    assert not found(m, None, "support.everywhere")


def test_beams_that_lie_on_supports_at_each_level_are_as_they_should_be() -> None:
    s = source([0.0, 4.0, 8.0])
    for k, z in enumerate((0.0, 4.0, 8.0)):
        for i in range(3):
            add(s, "beam", f"B{k}{i}", (0, 5 * i, z), (6, 5 * i, z))
    m = model(s)
    SetSupport(list(m.nodes), PINNED).apply(m)
    assert len(m.nodes) == 18 and not found(m, None, "support.everywhere")
