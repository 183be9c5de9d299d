"""Ends brought together: what joins, what does not, and that neither order nor place nor turn matters."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.checks import Subject, run_checks
from rod_tally.intake.source import SourceProfile
from rod_tally.model.geometry.vectors import Bodies, clear_distance

from .physical_models import add, bay, block, model, moved, shared, source


def codes(m: object) -> set[str]:
    return {f.code for f in run_checks(Subject(m)) if f.severity != "note"}  # type: ignore[arg-type]


def test_beam_between_faces_is_brought_to_the_column_axes() -> None:
    """150 mm along its own line and 200 mm down from the columns' top: joined however far the axis is."""
    m = model(bay())
    assert shared(m) == {
        frozenset({"K1"}),
        frozenset({"K2"}),
        frozenset({"K1", "B1"}),
        frozenset({"K2", "B1"}),
    }
    assert m.length(m.members["B1"]) == pytest.approx(6.0)
    assert any(e.kind == "moved" and e.ids == ("B1",) and e.distance == pytest.approx(0.25) for e in m.log)


@pytest.mark.parametrize(
    ("gap", "joined"),
    [(0.0, True), (0.02, True), (0.0249, True), (0.026, False), (0.1, False), (0.29, False)],
)
def test_clear_distance_decides(gap: float, joined: bool) -> None:
    """Between bodies, not axes: joined up to the snap distance, a finding up to the search distance."""
    m = model(bay(gap))
    assert (frozenset({"K2", "B1"}) in shared(m)) is joined
    assert ("join.gap" in codes(m)) is not joined


def test_beyond_the_search_distance_is_a_loose_end_not_a_gap() -> None:
    m = model(bay(0.35))
    assert "join.gap" not in codes(m) and "join.loose_end" in codes(m)


def test_gap_says_how_far_and_where() -> None:
    finding = next(f for f in run_checks(Subject(model(bay(0.04)))) if f.code == "join.gap")
    assert "40 mm before the face of column K2" in finding.message
    assert finding.severity == "blocking"
    assert finding.numbers["distance"] == pytest.approx(0.04)
    assert finding.at == pytest.approx((5.81, 0, 3.8))


def test_beam_on_a_beam_sits_inside_it() -> None:
    """A secondary lands on the web side of a primary: a joint inside the primary, which keeps its
    identity."""
    s = bay()
    add(s, "column", "K3", (3, 5, 0), (3, 5, 4.0), z=(1, 0, 0))
    add(s, "beam", "S1", (3, 0.1, 3.8), (3, 4.85, 3.8))
    m = model(s)
    joints = m.members["B1"].joints
    assert len(joints) == 1 and joints[0].distance == pytest.approx(3.0)
    assert joints[0].node == m.members["S1"].start
    assert codes(m) == set()


def test_beams_of_two_depths_at_one_column_share_its_node() -> None:
    """Tops flush, axes 100 mm apart: one node, no short piece between them."""
    s = bay()
    s.profiles["low"] = type(s.profiles["beam 200x400"])("low", "rectangle", {"width": 0.2, "depth": 0.2})
    add(s, "column", "K3", (12, 0, 0), (12, 0, 8.0), z=(1, 0, 0))
    add(s, "column", "K2b", (6, 0, 4), (6, 0, 8.0), z=(1, 0, 0))
    add(s, "beam", "B2", (6.15, 0, 3.9), (11.85, 0, 3.9), "low")
    m = model(s)
    assert frozenset({"K2", "K2b", "B1", "B2"}) in shared(m)
    assert len(m.members["K3"].joints) == 1
    assert "join.short" not in codes(m)


def test_brace_into_a_corner_joins_it() -> None:
    s = bay()
    add(s, "brace", "D1", (0.1, 0, 0.1), (5.9, 0, 3.9))
    m = model(s)
    assert frozenset({"K1", "D1"}) in shared(m) and frozenset({"K2", "B1", "D1"}) in shared(m)


def test_column_on_a_beam_and_beam_over_a_column() -> None:
    """A column standing on a beam's back, and a beam lying over a column's head."""
    s = source((0.0, 4.0, 8.0))
    add(s, "column", "K1", (0, 0, 0), (0, 0, 3.6), z=(1, 0, 0))
    add(s, "column", "K2", (6, 0, 0), (6, 0, 3.6), z=(1, 0, 0))
    add(s, "beam", "B1", (-0.2, 0, 3.8), (6.2, 0, 3.8))
    add(s, "column", "K3", (2, 0, 4.0), (2, 0, 7.0), z=(1, 0, 0))
    m = model(s)
    assert frozenset({"K1", "B1"}) in shared(m) and frozenset({"K3", "B1"}) in shared(m)
    assert codes(m) == set()


def test_both_ends_of_a_short_member_stay_apart() -> None:
    """A stub shorter than its own width does not collapse into one node."""
    s = bay()
    add(s, "beam", "stub", (6.15, 0, 3.8), (6.30, 0, 3.8))
    m = model(s)
    stub = m.members["stub"]
    assert stub.start != stub.end and m.length(stub) > 0.05


def test_doubled_and_overlapping_members() -> None:
    s = bay()
    add(s, "beam", "B1 bis", (0.15, 0, 3.8), (5.85, 0, 3.8))
    add(s, "beam", "B2", (3.0, 0, 3.8), (5.85, 0, 3.8))
    found = [f for f in run_checks(Subject(model(s))) if f.code == "join.duplicate"]
    assert {f.ids for f in found} == {("B1", "B1 bis"), ("B1", "B2"), ("B1 bis", "B2")}
    assert all(f.severity == "blocking" for f in found)


def test_crossing_without_a_node() -> None:
    """A beam that runs through another; braces that cross are a note."""
    s = bay()
    add(s, "column", "K3", (3, -3, 0), (3, -3, 4), z=(1, 0, 0))
    add(s, "column", "K4", (3, 3, 0), (3, 3, 4), z=(1, 0, 0))
    add(s, "beam", "B2", (3, -2.85, 3.8), (3, 2.85, 3.8))
    found = [f for f in run_checks(Subject(model(s))) if f.code == "join.crossing"]
    assert [f.ids for f in found] == [("B1", "B2")] and found[0].severity == "warning"
    assert found[0].at == pytest.approx((3, 0, 3.8))
    s = bay()
    add(s, "brace", "D1", (0, 0, 0), (6, 0, 3.8))
    add(s, "brace", "D2", (6, 0, 0), (0, 0, 3.8))
    assert [f.severity for f in run_checks(Subject(model(s))) if f.code == "join.crossing"] == ["note"]


def test_island_is_named() -> None:
    s = bay()
    add(s, "beam", "far", (20, 0, 3), (24, 0, 3))
    found = [f for f in run_checks(Subject(model(s))) if f.code == "join.island"]
    assert [f.ids for f in found] == [("far",)]


def test_clean_building_gives_no_finding_above_a_note() -> None:
    m = model(block(3, 3))
    assert codes(m) == set()
    assert sum(n.support.any for n in m.nodes.values()) == 16


def rotation(a: float, b: float, c: float) -> np.ndarray:
    def about(axis: int, t: float) -> np.ndarray:
        i, j = (axis + 1) % 3, (axis + 2) % 3
        r = np.eye(3)
        r[i, i] = r[j, j] = np.cos(t)
        r[i, j], r[j, i] = -np.sin(t), np.sin(t)
        return r

    return about(0, a) @ about(1, b) @ about(2, c)


@settings(max_examples=25, deadline=None)
@given(
    st.tuples(*[st.floats(-3.1, 3.1)] * 3),
    st.tuples(*[st.floats(-500, 500)] * 3),
    st.permutations(range(16)),
)
def test_any_rigid_motion_and_any_order_gives_the_same_joins(
    angles: tuple, shift: tuple, order: list[int]
) -> None:
    """A bay block with a secondary, turned any way and listed in any order: the same members meet."""

    def make() -> object:
        s = block(1, 2)
        s.footings.clear()
        return s

    still = model(make())  # type: ignore[arg-type]
    gone = model(moved(make(), rotation(*angles), np.array(shift), order))  # type: ignore[arg-type]
    assert shared(gone) == shared(still)
    for ident in still.members:
        assert gone.length(gone.members[ident]) == pytest.approx(still.length(still.members[ident]), abs=1e-6)


@settings(max_examples=25, deadline=None)
@given(st.floats(-3.1, 3.1), st.floats(0.001, 0.3), st.permutations(range(3)))
def test_findings_do_not_depend_on_plan_angle_or_order(angle: float, gap: float, order: list[int]) -> None:
    if min(abs(gap - 0.025), abs(gap - 0.3)) < 1e-6:
        return

    def said(m: object) -> list[tuple[str, tuple[str, ...]]]:
        found = run_checks(Subject(m))  # type: ignore[arg-type]
        return sorted((f.code, tuple(sorted(f.ids))) for f in found if f.code.startswith(("join", "support")))

    still = model(bay(gap))
    gone = model(moved(bay(gap), rotation(0, 0, angle), np.array([40.0, -30.0, 0]), order))
    assert said(gone) == said(still)


@settings(max_examples=30, deadline=None)
@given(st.lists(st.tuples(*[st.floats(-0.004, 0.004)] * 6), min_size=16, max_size=16))
def test_noise_below_the_tolerance_changes_no_join(noise: list[tuple[float, ...]]) -> None:
    """Ends off by up to 4 mm each way (7 mm in space, far below the snap) meet as before."""
    still = model(block(1, 2))
    s = block(1, 2)
    for e, n in zip(s.elements, noise):
        e.line = e.line + np.array(n).reshape(2, 3)
    assert shared(model(s)) == shared(still)


@settings(max_examples=60, deadline=None)
@given(
    st.tuples(*[st.floats(-4, 4)] * 3),
    st.tuples(*[st.floats(-1, 1)] * 3),
    st.sampled_from([3.0, 0.1, 0.01, 1e-3, 1e-4]),
    st.tuples(st.floats(0.05, 6), *[st.floats(0.05, 1.5)] * 2),
    st.tuples(st.floats(0.05, 6), *[st.floats(0.05, 1.5)] * 2),
)
def test_clear_distance_is_that_of_bounded_least_squares(
    centre: tuple, turn: tuple, size: float, ha: tuple, hb: tuple
) -> None:
    """Two boxes in any position, all but parallel ones too, against an exact active-set solution (SciPy,
    BVLS) to 1e-6 m."""
    from scipy.optimize import lsq_linear

    axes = rotation(*(size * np.array(turn)))
    a = Bodies(np.zeros((1, 3)), np.eye(3)[None], np.array([ha]), np.zeros(1, bool))
    b = Bodies(np.array([centre], float), axes[None], np.array([hb]), np.zeros(1, bool))
    mine, on_a, on_b = clear_distance(a, b)
    bound = np.array([*ha, *hb])
    best = lsq_linear(
        np.hstack([np.eye(3), -axes.T]), np.array(centre), (-bound, bound), method="bvls", tol=1e-14
    )
    assert mine[0] == pytest.approx(np.sqrt(2 * best.cost), abs=1e-6)
    assert np.linalg.norm(on_a - on_b) == pytest.approx(mine[0], abs=2e-7)
    assert (np.abs(on_a[0]) <= np.array(ha) + 1e-9).all()
    assert (np.abs(axes @ (on_b[0] - np.array(centre))) <= np.array(hb) + 1e-9).all()


def test_long_tubes_all_but_parallel_are_as_far_apart_as_their_nearer_ends() -> None:
    """Two tubes of 12 m length and 0.2 m radius, axes 0.6 m apart at the middle, turned by half a degree in
    their plane."""
    turn = np.radians(0.5)
    axes = np.stack([np.eye(3), rotation(0.0, 0.0, turn)])
    tubes = [
        Bodies(np.array([[0.0, y, 0]]), axes[k][None], np.array([[6.0, 0.2, 0.2]]), np.ones(1, bool))
        for k, y in enumerate((0.0, 0.6))
    ]
    # the second one's nearer end circle against the first one's side
    expected = 0.6 - 6 * np.sin(turn) - 0.2 * np.cos(turn) - 0.2
    assert clear_distance(*tubes)[0][0] == pytest.approx(expected, abs=1e-6)


def test_round_bodies_touch_on_their_circle() -> None:
    """A point body 0.5 m off the axis of a tube of 0.2 m radius is 0.3 m away, in any direction."""
    for angle in (0.0, 0.6, 2.2):
        tube = Bodies(np.zeros((1, 3)), np.eye(3)[None], np.array([[2.0, 0.2, 0.2]]), np.ones(1, bool))
        dot = Bodies(
            np.array([[0.5, 0.5 * np.cos(angle), 0.5 * np.sin(angle)]]),
            np.eye(3)[None],
            np.zeros((1, 3)),
            np.zeros(1, bool),
        )
        assert clear_distance(tube, dot)[0][0] == pytest.approx(0.3)


@pytest.mark.parametrize("gap", [0.04, 0.2])
def test_close_up_shows_the_true_distance(gap: float) -> None:
    """The beam's end and the column's face, as far apart in the picture as in the building."""
    from rod_tally.model.geometry.closeup import close_up

    m = model(bay(gap))
    spot = close_up(m, "B1", "K2")
    assert spot.distance == pytest.approx(gap)
    assert np.linalg.norm(spot.near_own - spot.near_other) == pytest.approx(gap)
    assert np.ptp(spot.own[:, 1]) == pytest.approx(0.4) and np.ptp(spot.other[:, 0]) == pytest.approx(0.3)
    assert spot.own[:, 0].max() == pytest.approx(-gap / 2) and spot.other[:, 0].min() == pytest.approx(
        gap / 2
    )


def test_close_up_of_members_that_touch_or_lie_on_each_other() -> None:
    from rod_tally.model.geometry.closeup import close_up

    s = bay()
    add(s, "beam", "B1 bis", (0.15, 0, 3.8), (5.85, 0, 3.8))
    m = model(s)
    assert close_up(m, "B1", "K1").distance == 0
    assert close_up(m, "B1", "B1 bis").distance == 0


def test_a_beam_and_a_brace_that_sit_on_each_other_at_a_column_share_its_node() -> None:
    """The beam's end touches the brace, the brace's the beam, both the column: one node, not two at one place
    with the beam on the brace alone."""
    s = source([3.3, 6.6])
    add(s, "column", "K1", (6.05, 0, 3.3), (6.05, 0, 6.3), z=(1, 0, 0))
    add(s, "column", "K2", (6.0, 0, 6.3), (6.0, 0, 9.6), z=(1, 0, 0))
    add(s, "column", "K0", (0, 0, 3.3), (0, 0, 6.3), z=(1, 0, 0))
    add(s, "beam", "X", (0.15, 0, 5.9), (5.83, 0, 5.9))
    add(s, "brace", "D", (0, 0, 3.3), (6.0, 0, 6.1))
    m = model(s)
    assert frozenset({"X", "D", "K1", "K2"}) in shared(m)
    at = np.array([n.point for n in m.nodes.values()])
    apart = np.linalg.norm(at[:, None] - at[None], axis=2) + np.eye(len(at))
    assert apart.min() > 0.1


def test_a_beam_on_column_heads_stays_where_it_lies() -> None:
    """A beam 800 mm deep on two columns at the top: the columns go up to its axis, not it down by 400 mm."""
    s = source([0.0, 4.0])
    s.profiles["deep"] = SourceProfile("deep", "rectangle", {"width": 0.3, "depth": 0.8})
    for k, x in enumerate((0.0, 6.0)):
        add(s, "column", f"K{k}", (x, 0, 0), (x, 0, 3.2), z=(1, 0, 0))
    add(s, "beam", "B", (0, 0, 3.6), (6, 0, 3.6), "deep")
    m = model(s)
    assert m.line(m.members["B"])[:, 2] == pytest.approx([3.6, 3.6])
    assert m.members["B"].start == m.members["K0"].end and m.members["B"].end == m.members["K1"].end


def test_a_beam_beside_the_head_of_a_column_meets_its_end() -> None:
    """As before where the beam's axis lies below the head."""
    m = model(bay())
    assert m.line(m.members["B1"])[:, 2] == pytest.approx([4.0, 4.0])


@pytest.mark.parametrize("aside, named", [(0.03, True), (0.1, True), (0.14, False)])
def test_members_side_by_side_in_each_other_are_doubles(aside: float, named: bool) -> None:
    s = bay()
    add(s, "beam", "twin", (0.15, aside, 3.8), (5.85, aside, 3.8))
    s.profiles["beam 200x400"].dims["width"] = 0.16
    found = [f for f in run_checks(Subject(model(s))) if f.code == "join.duplicate"]
    assert bool(found) == named and all(set(f.ids) == {"B1", "twin"} for f in found)
