"""Slabs and walls that a revision splits, merges, turns or draws the other way round: the same ones, with
their loads and forces."""

from __future__ import annotations

from copy import deepcopy

import numpy as np
import pytest

from rod_tally.compare import compare
from rod_tally.compare.carrying.carry import carry_over
from rod_tally.compare.results.extremes import Extremes, between_axes
from rod_tally.compare.surfaces import match_surfaces
from rod_tally.loads import Distribution
from rod_tally.loads.totals import case_total
from rod_tally.model import AreaLoad, LoadCase, MemberLoad, Model
from rod_tally.model.edits import AddLoads, ReverseMembers, SetThickness, load_values
from rod_tally.review.work import side_of

from .frames import frame
from .plates import plate_model, rectangle, shell
from .test_pieces import reviewed


def slabs(*widths: float, prefix: str = "s", depth: float = 4.0) -> Model:
    """Slabs side by side along x, held along their outer edges, and a wall beside them."""
    m = plate_model()
    x = 0.0
    for k, w in enumerate(widths):
        ring = [(x, 0, 3.0), (x + w, 0, 3.0), (x + w, depth, 3.0), (x, depth, 3.0)]
        shell(m, f"{prefix}{k}", ring, size=0.5)
        x += w
    shell(
        m, f"{prefix}w", [(0, 9, 0), (6, 9, 0), (6, 9, 3), (0, 9, 3)], cls="wall", edges="ux uy uz", size=0.5
    )
    m.cases["Q"] = LoadCase("Q", "live")
    return m


def total(m: Model) -> np.ndarray:
    """Force and moment about the origin of the case Q."""
    return np.asarray(case_total(m, Distribution(m), m.cases["Q"]))


def add(m: Model, *loads: AreaLoad) -> None:
    AddLoads("Q", [load_values(x) for x in loads]).apply(m)


def test_a_slab_in_two_is_one_of_the_baseline_and_back() -> None:
    base, revised = slabs(8.0), slabs(5.0, 3.0, prefix="n")
    rows = match_surfaces(base, revised, None)
    assert sorted((r.baseline_id, r.revised_id, r.piece) for r in rows) == [
        ("s0", "n0", False),
        ("s0", "n1", True),
        ("sw", "nw", False),
    ]
    assert {(r.status, r.shift) for r in rows if r.baseline_id == "s0"} == {("changed", 0.0)}
    assert {c.what for r in rows for c in r.changes} == {"outline"}
    back = match_surfaces(revised, base, None)
    assert sorted((r.baseline_id, r.revised_id, r.piece) for r in back) == [
        ("n0", "s0", False),
        ("n1", "s0", True),
        ("nw", "sw", False),
    ]
    found = compare(side_of(reviewed(base)), side_of(reviewed(revised))).findings
    assert any(f.code == "match.split" and "slab s0 (slab n0, slab n1)" in f.message for f in found)


def test_a_wall_in_storeys_is_the_wall_over_both() -> None:
    base, revised = plate_model(), plate_model()
    shell(base, "a", [(0, 0, 0), (6, 0, 0), (6, 0, 6), (0, 0, 6)], cls="wall")
    shell(revised, "b", [(0, 0, 0), (6, 0, 0), (6, 0, 3), (0, 0, 3)], cls="wall")
    shell(revised, "c", [(0, 0, 3), (6, 0, 3), (6, 0, 6), (0, 0, 6)], cls="wall")
    rows = match_surfaces(base, revised, None)
    assert sorted((r.revised_id, r.status, r.shift) for r in rows) == [
        ("b", "changed", 0.0),
        ("c", "changed", 0.0),
    ]


def test_a_slab_doubled_or_beside_is_no_piece() -> None:
    base = slabs(8.0)
    twice = deepcopy(base)
    twice.surfaces["twin"] = deepcopy(twice.surfaces["s0"])
    twice.surfaces["twin"].id = "twin"
    beside = slabs(8.0, 4.0)
    for revised, new in ((twice, "twin"), (beside, "s1")):
        rows = match_surfaces(base, revised, None)
        assert [r.revised_id for r in rows if r.status == "added"] == [new] and not any(r.piece for r in rows)


def test_openings_belong_to_the_piece_they_are_in() -> None:
    base, revised = slabs(8.0), slabs(5.0, 3.0, prefix="n")
    hole = np.array([(6, 1, 3), (7, 1, 3), (7, 2, 3), (6, 2, 3)], float)
    base.surfaces["s0"].openings.append(hole)
    changes = {r.revised_id: {c.what for c in r.changes} for r in match_surfaces(base, revised, None)}
    assert changes["n0"] == {"outline"} and changes["n1"] == {"outline", "openings"}
    revised.surfaces["n1"].openings.append(hole.copy())
    changes = {r.revised_id: {c.what for c in r.changes} for r in match_surfaces(base, revised, None)}
    assert changes["n0"] == changes["n1"] == {"outline"}


@pytest.mark.parametrize("outline", [None, [(1, 1, 3), (7, 1, 3), (7, 3, 3), (1, 3, 3)]])
def test_a_pressure_on_a_split_slab_is_carried_whole(
    outline: list[tuple[float, float, float]] | None,
) -> None:
    base, revised = slabs(8.0), slabs(5.0, 3.0, prefix="n")
    add(base, AreaLoad("s0", ((0.0, 0.0, -5e3),), None if outline is None else np.array(outline, float)))
    SetThickness(["s0"], 0.25).apply(base)
    over = carry_over(base, revised)
    assert {x.status for x in over.lines} == {"carried"}, over.lines
    assert total(revised) == pytest.approx(total(base), rel=1e-12)
    assert [revised.surfaces[i].thickness for i in ("n0", "n1", "nw")] == [0.25, 0.25, 0.2]
    found = compare(side_of(reviewed(base)), side_of(reviewed(revised)))
    if outline is None:
        assert not found.loads and [c.status for c in found.cases if c.name == "Q"] == ["same"]
    q = [c for c in found.cases if c.name == "Q"][0]
    assert q.baseline_total == pytest.approx(q.revised_total, rel=1e-9)


def test_a_pressure_on_one_of_two_that_were_merged_stays_where_it_was() -> None:
    base, revised = slabs(5.0, 3.0), slabs(8.0, prefix="n")
    add(base, AreaLoad("s1", ((0.0, 0.0, -5e3),)))
    over = carry_over(base, revised)
    assert [x.status for x in over.lines] == ["carried"]
    assert total(revised) == pytest.approx(total(base), rel=1e-12)


def test_a_pressure_over_all_of_a_slab_that_is_larger_says_by_how_much() -> None:
    base, revised = slabs(8.0), slabs(9.0, prefix="n")
    add(base, AreaLoad("s0", ((0.0, 0.0, -5e3),)))
    over = carry_over(base, revised)
    assert [x.status for x in over.lines] == ["moved"] and "larger now: 20 kN more" in over.lines[0].words
    assert over.finding is not None and "0 mm" not in over.finding.message
    assert total(revised)[2] == pytest.approx(-180e3)
    smaller = slabs(6.0, prefix="n")
    assert "smaller now: 40 kN less" in carry_over(base, smaller).lines[0].words


def test_a_part_of_a_slab_that_is_gone_is_named_with_its_load() -> None:
    base, revised = slabs(8.0), slabs(6.0, prefix="n")
    add(
        base,
        AreaLoad("s0", ((0.0, 0.0, -5e3),), np.array([(4, 0, 3), (8, 0, 3), (8, 4, 3), (4, 4, 3)], float)),
    )
    over = carry_over(base, revised)
    assert [x.status for x in over.lines] == ["partly"] and "40 kN lie beside slab s0" in over.lines[0].words


@pytest.mark.parametrize("backwards", [False, True])
@pytest.mark.parametrize("angle", [0.0, np.pi / 2, np.pi])
def test_pressure_in_a_walls_own_axes_keeps_its_direction(angle: float, backwards: bool) -> None:
    """A wall's normal looks along +x or +y: that of one turned by 180 degrees, or drawn the other way round,
    is another one."""
    base, revised = slabs(8.0), slabs(8.0, prefix="n")
    add(base, AreaLoad("sw", ((0.0, 0.0, 1e3),), local=True))
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    for k, x in revised.surfaces.items():
        x.outer = x.outer @ turn.T
        if backwards and k == "nw":
            x.outer = x.outer[::-1].copy()
    carry_over(base, revised)
    assert total(revised)[:3] @ turn == pytest.approx(total(base)[:3], abs=1e-6)


@pytest.mark.parametrize("degrees", [0, 30, 90, 180, 270])
def test_shells_of_a_turned_building_are_compared_in_the_baselines_axes(degrees: int) -> None:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])

    def build(turn: np.ndarray) -> Model:
        m = plate_model()
        for ident, cls, ring, q in (
            ("s", "slab", rectangle(8, 5, 3.0), (50.0, 90.0, -5e3)),
            ("w", "wall", [(0, 8, 0), (8, 8, 0), (8, 8, 3), (0, 8, 3)], (300.0, 1e3, -200.0)),
            ("v", "wall", [(10, 0, 0), (10, 5, 0), (10, 5, 3), (10, 0, 3)], (1500.0, 700.0, -200.0)),
        ):
            shell(
                m,
                ident,
                [tuple(turn @ p) for p in np.array(ring, float)],
                cls=cls,
                edges="ux uy uz",
                size=0.5,
            )
            case = m.cases.setdefault("q", LoadCase("q", "live"))
            case.area_loads.append(AreaLoad(ident, (tuple(turn @ q),)))
        return m

    found = compare(side_of(reviewed(build(np.eye(3)))), side_of(reviewed(build(turn))))
    rows = [r for r in found.results if r.baseline_id in ("s", "w", "v") and r.case == "q"]
    assert len(rows) == 24
    size = {q: max(abs(r.baseline) for r in rows if r.quantity[0] == q) for q in "nmv"}
    for r in rows:
        assert r.revised == pytest.approx(r.baseline, rel=2e-3, abs=1e-6 * size[r.quantity[0]]), r
    assert not [x for x in found.again if x.why == "demand"]


def test_forces_per_metre_turn_as_tensors_do() -> None:
    """Against the rotation of the stress tensor itself: by 90 degrees x and y change places; a normal the
    other way round turns moments."""
    angle = 0.3
    own = np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1.0]])
    values = np.array([3.0, -2.0, 0.7, 5.0, 1.0, -0.4, 2.0, 6.0])
    out = between_axes(own, np.eye(3)) @ values
    for k, sign in ((0, 1.0), (3, 1.0)):
        tensor = np.array([[values[k], values[k + 2]], [values[k + 2], values[k + 1]]])
        turned = own[:2, :2].T @ tensor @ own[:2, :2]
        assert out[k : k + 3] == pytest.approx(sign * turned[[0, 1, 0], [0, 1, 1]])
    assert out[6:] == pytest.approx(own[:2, :2].T @ values[6:])
    down = np.diag([1.0, -1.0, -1.0])  # x stays, y and z turn
    assert between_axes(down, np.eye(3)) @ values == pytest.approx([3, -2, -0.7, -5, -1, -0.4, -2, 6])


def test_equal_values_of_opposite_sign_are_no_change() -> None:
    """Shears at the ends of a beam under a uniform load are equal: which is larger is rounding."""
    a = frame([(0, 0, 0), (6, 0, 0)], [(0, 1)], {0: "fixed", 1: "fixed"})
    a.cases["q"] = LoadCase("q", "live", member_loads=[MemberLoad("m0", 0, 6, (0, 0, -5e3), (0, 0, -5e3))])
    b = deepcopy(a)
    ReverseMembers(["m0"]).apply(b)
    found = compare(side_of(reviewed(a)), side_of(reviewed(b)))
    for r in found.results:
        assert r.revised == pytest.approx(r.baseline, rel=1e-9, abs=1e-3), r
    both = Extremes(*(np.array([[v]]) for v in (-100.0, 99.99, -99.995, 100.0)))
    assert [float(x[0, 0]) for x in both.largest()] in ([-100.0, -99.995], [99.99, 100.0])
    real = Extremes(*(np.array([[v]]) for v in (-100.0, 20.0, -30.0, 100.0)))
    assert [float(x[0, 0]) for x in real.largest()] == [-100.0, 100.0]
