"""Slabs cut into panels, edges with their carriers, convex pieces cut by half-planes, rows along members."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from rod_tally.analysis import run
from rod_tally.loads import Distribution
from rod_tally.loads.floors.clip import area, clip, clip_all, half, halves_of, moments, triangles
from rod_tally.loads.floors.floor import Carrier, cut
from rod_tally.loads.floors.panel import FREE_EDGE, Panel
from rod_tally.loads.floors.rows import along_member
from rod_tally.loads.floors.spread import known_spread, spread
from rod_tally.model import AreaLoad, LoadCase
from rod_tally.model.settings import RunSettings

from .floors import floor

AXES = np.eye(3)


def bay_lines(*lines: tuple[float, float, float, float]) -> list[Carrier]:
    out = []
    for k, (a, b, c, d) in enumerate(lines):
        line = np.array([(a, b), (c, d)], float)
        out.append(Carrier("member", f"b{k}", line, float(np.linalg.norm(line[1] - line[0]))))
    return out


def test_slab_on_a_grid_of_beams_is_cut_into_its_bays() -> None:
    lines = bay_lines(
        (0, 0, 12, 0), (0, 5, 12, 5), (0, 10, 12, 10), (0, 0, 0, 10), (6, 0, 6, 10), (12, 0, 12, 10)
    )
    f = cut("s", np.zeros(3), AXES, box(0, 0, 12, 10), lines)
    assert sorted(round(p.polygon.area, 6) for p in f.panels) == [30.0] * 4
    assert all((p.carrier != FREE_EDGE).all() and len(p.start) == 4 for p in f.panels)


def test_beam_that_stops_short_of_the_next_still_closes_its_panel() -> None:
    """0.2 m to the axis, as where a beam's line ends at a column's face."""
    lines = bay_lines((0.2, 0, 5.8, 0), (0.2, 4, 5.8, 4), (0, 0, 0, 4), (6, 0, 6, 4), (3, 0.2, 3, 3.8))
    f = cut("s", np.zeros(3), AXES, box(0, 0, 6, 4), lines)
    assert sorted(round(p.polygon.area, 6) for p in f.panels) == [12.0, 12.0]


def test_beam_end_that_carries_nothing_further_leaves_the_panel_whole() -> None:
    lines = bay_lines((0, 0, 6, 0), (0, 4, 6, 4), (0, 0, 0, 4), (6, 0, 6, 4), (3, 0, 3, 1.5))
    f = cut("s", np.zeros(3), AXES, box(0, 0, 6, 4), lines)
    assert len(f.panels) == 1 and f.panels[0].polygon.area == pytest.approx(24.0)


def test_opening_is_no_panel_and_its_edges_are_free() -> None:
    hole = box(0, 0, 6, 4).difference(box(2, 1, 4, 3))
    f = cut("s", np.zeros(3), AXES, hole, bay_lines((0, 0, 6, 0), (0, 4, 6, 4), (0, 0, 0, 4), (6, 0, 6, 4)))
    assert sum(p.polygon.area for p in f.panels) == pytest.approx(20.0)
    assert (f.panels[0].carrier == FREE_EDGE).sum() == 4


def test_collinear_beams_in_a_row_each_carry_their_own_part() -> None:
    """One slab edge on three beams end to end: three edges, each with its beam."""
    lines = bay_lines((0, 0, 2, 0), (2, 0, 5, 0), (5, 0, 6, 0), (0, 4, 6, 4), (0, 0, 0, 4), (6, 0, 6, 4))
    f = cut("s", np.zeros(3), AXES, box(0, 0, 6, 4), lines)
    panel = f.panels[0]
    found = {f.carriers[c].id: float(n) for c, n in zip(panel.carrier, panel.length)}
    assert {k: found[k] for k in ("b0", "b1", "b2")} == {"b0": 2.0, "b1": 3.0, "b2": 1.0}


def test_column_beside_a_beam_belongs_to_the_beam() -> None:
    lines = bay_lines((0, 0, 12, 0), (0, 12, 12, 12), (0, 0, 0, 12), (12, 0, 12, 12))
    columns = [
        Carrier("column", n, np.array([p], float)) for n, p in (("edge", (6, 0.1)), ("inside", (6, 6)))
    ]
    f = cut("s", np.zeros(3), AXES, box(0, 0, 12, 12), [*lines, *columns])
    assert [f.carriers[k].id for k in f.panels[0].point_carrier] == ["inside"]


def test_equal_panels_are_worked_out_once_and_moved() -> None:
    """The rows of a panel far away are those of the same one at the origin, moved: also for pressures that
    vary."""
    one, far = Panel.of(box(0, 0, 6, 4)), Panel.of(box(100, 50, 106, 54))
    rows, direct = known_spread(far), spread(far)
    assert known_spread(one).qa[:, 0] == pytest.approx(rows.qa[:, 0])
    assert rows.resultants(far) == pytest.approx(direct.resultants(far), rel=1e-12)


def test_rows_beyond_a_members_end_are_put_at_the_end() -> None:
    member = Carrier("member", "b", np.array([(1.0, 0.0), (5.0, 0.0)]), 4.0)
    a, b, qa, qb = along_member(
        member,
        np.zeros(2),
        np.array([1.0, 0.0]),
        np.array([0.0]),
        np.array([6.0]),
        np.ones((1, 3)),
        np.ones((1, 3)),
    )
    size = b - a
    assert np.where(size == 0, qa[:, 0], (qa[:, 0] + qb[:, 0]) / 2 * size).sum() == pytest.approx(6.0)
    assert sorted(zip(a.tolist(), b.tolist())) == [(0.0, 0.0), (0.0, 4.0), (4.0, 4.0)]


def test_rows_run_backwards_along_a_member_that_does() -> None:
    member = Carrier("member", "b", np.array([(4.0, 0.0), (0.0, 0.0)]), 4.0)
    a, b, qa, qb = along_member(
        member,
        np.zeros(2),
        np.array([1.0, 0.0]),
        np.array([0.0]),
        np.array([1.0]),
        np.full((1, 3), 2.0),
        np.full((1, 3), 5.0),
    )
    assert (a[0], b[0], qa[0, 0], qb[0, 0]) == (3.0, 4.0, 5.0, 2.0)


def test_row_on_a_sloping_member_keeps_its_sum() -> None:
    member = Carrier("member", "b", np.array([(0.0, 0.0), (4.0, 0.0)]), 5.0)
    a, b, qa, _ = along_member(
        member,
        np.zeros(2),
        np.array([1.0, 0.0]),
        np.array([0.0]),
        np.array([4.0]),
        np.ones((1, 3)),
        np.ones((1, 3)),
    )
    assert (b - a)[0] == 5.0 and qa[0, 0] == pytest.approx(0.8)


@given(
    st.lists(st.tuples(st.floats(-5, 5), st.floats(-5, 5)), min_size=3, max_size=7),
    st.floats(0, 6.28),
    st.floats(-3, 3),
)
@settings(max_examples=80, deadline=None)
def test_a_cut_keeps_the_whole(points: list[tuple[float, float]], angle: float, offset: float) -> None:
    hull = Polygon(points).convex_hull if len(set(points)) > 2 else None
    if not isinstance(hull, Polygon) or hull.area < 1e-3:
        return
    corners = [(float(x), float(y)) for x, y in hull.exterior.coords[:-1]]
    if area(corners) < 0:
        corners = corners[::-1]
    inside, outside = clip(corners, (np.cos(angle), np.sin(angle), offset))
    got = sum(area(p) for p in (inside, outside) if p)
    assert got == pytest.approx(hull.area, rel=1e-9)
    first = [sum(moments(p)[k] for p in (inside, outside) if p) for k in (1, 2)]
    assert first == pytest.approx(moments(corners)[1:], rel=1e-6, abs=1e-6)


def test_pieces_outside_several_half_planes_do_not_overlap() -> None:
    square = [(0.0, 0.0), (4.0, 0.0), (4.0, 4.0), (0.0, 4.0)]
    inside, outside = clip_all(square, halves_of([(1.0, 1.0), (3.0, 1.0), (3.0, 3.0), (1.0, 3.0)]))
    assert area(inside) == pytest.approx(4.0) and sum(area(p) for p in outside) == pytest.approx(12.0)
    assert half(0.0, 0.0, 1.0) is None
    assert sum(area(t) for t in triangles(box(0, 0, 4, 4).difference(box(1, 1, 2, 2)))) == pytest.approx(15.0)


def test_run_of_a_part_leaves_the_rest_out_and_says_why() -> None:
    m = floor()
    m.cases = {"w": LoadCase("w", "self-weight", (0.0, 0.0, -1.0))}
    r = run(m, RunSettings(), only={"m0", "m1", "m4"})
    assert r.member_ids == ["m0", "m1", "m4"] and r.left_out["m5"] == "it is not in the chosen part"
    assert r.equilibrium[0].residual < 1e-9


def test_distribution_beside_another_model_shares_what_is_the_same() -> None:
    m = floor()
    m.cases["live"].area_loads = [AreaLoad("s", ((0.0, 0.0, -1000.0),))]
    d = Distribution(m)
    first = d.case("live")
    other = type(m)(**{f: getattr(m, f) for f in m.__slots__})
    other.cases = {**m.cases, "more": LoadCase("more", "live")}
    beside = d.beside(other)
    assert beside.case("live") is first and beside.case("more").empty
