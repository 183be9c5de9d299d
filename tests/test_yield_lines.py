"""Areas to edges: handbook shapes, exact sums for any polygon, one-way spans, columns, parts and points."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from rod_tally.loads.floors.cells import cells
from rod_tally.loads.floors.clip import area
from rod_tally.loads.floors.edge_rows import EdgeRows
from rod_tally.loads.floors.panel import FREE_EDGE, Panel, second_moments
from rod_tally.loads.floors.spread import spread, spread_part

L_SHAPE = Polygon([(0, 0), (6, 0), (6, 6), (3, 6), (3, 3), (0, 3)])


def lacking(panel: Panel, rows: EdgeRows, part: Polygon | None = None) -> float:
    """What the edges lack of a pressure's force and moments, against the size of both."""
    wanted = second_moments(part or panel.polygon)
    scale = np.abs(wanted).max(axis=0)
    return float((np.abs(rows.resultants(panel) - wanted) / scale).max())


def of_edge(rows: EdgeRows, edge: int) -> list[tuple[float, float, float, float]]:
    mine = [k for k in range(len(rows.edge)) if rows.edge[k] == edge]
    return [
        (rows.a[k], rows.b[k], rows.qa[k, 0], rows.qb[k, 0]) for k in sorted(mine, key=lambda k: rows.a[k])
    ]


def plain(rows: EdgeRows) -> EdgeRows:
    """Without rows that only balance a pressure that varies."""
    keep = np.abs(rows.qa[:, 0]) + np.abs(rows.qb[:, 0]) > 1e-12
    return EdgeRows(rows.edge[keep], rows.a[keep], rows.b[keep], rows.qa[keep], rows.qb[keep])


def test_rectangle_gives_triangles_and_trapezoids() -> None:
    """Handbook: a panel of 6 by 4 under p gives its short beams triangles of peak p 4/2 over 4 m, its long
    beams trapezoids of p 4/2 between slopes 2 m long (yield lines at 45 degrees; MacGregor and Wight,
    Reinforced Concrete, load on beams of two-way slabs; from memory)."""
    panel = Panel.of(box(0, 0, 6, 4))
    rows = plain(spread(panel))
    trapezoid = [(0, 2, 0, 2), (2, 4, 2, 2), (4, 6, 2, 0)]
    triangle = [(0, 2, 0, 2), (2, 4, 2, 0)]
    lengths = panel.length
    for edge in range(4):
        wanted = trapezoid if lengths[edge] > 5 else triangle
        assert np.array(of_edge(rows, edge)) == pytest.approx(np.array(wanted, float), abs=1e-12)


def test_equivalent_uniform_load_of_the_handbook() -> None:
    """The mid-span moment of the triangle is that of p l/3 uniform, of the trapezoid that of p l/3 (3 -
    m^2)/2 with m short over long: the usual equivalents (two-way slabs on beams; common practice)."""
    p, short, long = 1.0, 4.0, 6.0
    panel = Panel.of(box(0, 0, long, short))
    rows = plain(spread(panel))
    for edge in range(4):
        span = panel.length[edge]
        half = span / 2
        x, w = np.polynomial.legendre.leggauss(40)
        x, w = (x + 1) / 2 * half, w / 2 * half
        q = np.zeros_like(x)
        for a, b, qa, qb in of_edge(rows, edge):
            q += np.where((x >= a) & (x < b), qa + (qb - qa) * (x - a) / (b - a), 0.0)
        reaction = p * (short / 2 * (long - short / 2) if span > 5 else short**2 / 4) / 2
        moment = reaction * half - (w * q * (half - x)).sum()
        m = short / long
        equivalent = p * short / 3 * ((3 - m * m) / 2 if span > 5 else 1.0)
        assert moment == pytest.approx(equivalent * span**2 / 8, rel=2e-3)


def test_three_carried_edges_bisect_their_corners_and_run_out_at_the_free_one() -> None:
    panel = Panel.of(box(0, 0, 6, 4))
    free = int(np.flatnonzero((panel.start[:, 1] > 3) & (panel.end[:, 1] > 3))[0])
    panel = Panel.of(box(0, 0, 6, 4), [FREE_EDGE if k == free else k for k in range(4)])
    assert sum(area(c) for k, c in cells(panel) if k == free) == 0
    bottom = [k for k in panel.carried if panel.start[k, 1] == panel.end[k, 1] == 0][0]
    # the triangle under 45 degrees
    assert sum(area(c) for k, c in cells(panel) if k == bottom) == pytest.approx(9.0)
    assert lacking(panel, spread(panel)) < 1e-12


def test_one_carried_edge_takes_all() -> None:
    panel = Panel.of(box(0, 0, 6, 1), [0, FREE_EDGE, FREE_EDGE, FREE_EDGE])
    rows = spread(panel)
    assert set(rows.edge) == {0} and rows.resultants(panel)[0, 0] == pytest.approx(6.0)


def test_nothing_carried_gives_nothing() -> None:
    panel = Panel.of(box(0, 0, 1, 1), [FREE_EDGE] * 4)
    assert panel.empty and cells(panel) == [] and len(spread(panel).edge) == 0


def test_one_way_panel_loads_the_two_edges_across_its_span() -> None:
    """A strip is a beam on two supports: half of p l each, nothing on the edges along it."""
    panel = Panel.of(box(0, 0, 6, 4))
    rows = spread(panel, "one-way", np.array([0.0, 1.0]))
    for k in range(4):
        level = panel.start[k, 1] == panel.end[k, 1]
        assert of_edge(rows, k) == ([(0.0, 6.0, pytest.approx(2.0), pytest.approx(2.0))] if level else [])


def test_one_way_strip_to_a_free_opening_hangs_on_its_one_end() -> None:
    hole = box(0, 0, 6, 4).difference(box(2, 1, 4, 3))
    panel = Panel.of(hole, [0, 1, 2, 3, -1, -1, -1, -1])
    rows = spread(panel, "one-way", np.array([0.0, 1.0]))
    assert rows.resultants(panel)[0, 0] == pytest.approx(hole.area)
    assert np.array([q[:, 0].max() for q in (rows.qa, rows.qb)]) == pytest.approx([2.0, 2.0])


def test_column_in_the_middle_takes_its_tributary_area() -> None:
    panel = Panel.of(box(0, 0, 12, 12))
    panel.points, panel.point_carrier = np.array([[6.0, 6.0]]), np.array([9])
    rows = spread(panel)
    assert [r[2] for r in of_edge(plain(rows), 4)] == pytest.approx([36.0])
    assert lacking(panel, rows) < 1e-12


def test_columns_alone_carry_a_flat_slab() -> None:
    panel = Panel.of(box(0, 0, 12, 12), [FREE_EDGE] * 4)
    panel.points = np.array([[2.0, 2], [10, 2], [10, 10], [2, 10], [6, 6]])
    panel.point_carrier = np.arange(5)
    assert lacking(panel, spread(panel)) < 1e-12


@st.composite
def panels(draw: st.DrawFn) -> Panel:
    """Star-shaped outlines, convex or not, with or without an opening, some edges free but not all."""
    n = draw(st.integers(3, 9))
    angle = np.cumsum([draw(st.floats(0.3, 1.0)) for _ in range(n)])
    angle *= 2 * np.pi / (angle[-1] + 0.3)
    radius = np.array([draw(st.floats(1.0, 5.0)) for _ in range(n)])
    shift = np.array([draw(st.floats(-50, 50)), draw(st.floats(-50, 50))])
    polygon = Polygon(np.column_stack([radius * np.cos(angle), radius * np.sin(angle)]) + shift)
    # the widest of few corners may be more than half a turn: its edge can cut another
    assume(polygon.is_valid)
    if draw(st.booleans()):
        middle = polygon.representative_point()
        polygon = polygon.difference(middle.buffer(0.5 * polygon.exterior.distance(middle), quad_segs=1))
    count = len(Panel.of(polygon).start)
    free = draw(st.sets(st.integers(1, count - 1), max_size=count // 3)) if draw(st.booleans()) else set()
    return Panel.of(polygon, [FREE_EDGE if k in free else k for k in range(count)])


@given(panels())
@settings(max_examples=150, deadline=None)
def test_cells_are_the_whole_panel(panel: Panel) -> None:
    parts = cells(panel)
    assert sum(area(c) for _, c in parts) == pytest.approx(panel.polygon.area, rel=1e-12)
    assert all(area(c) >= -1e-12 for _, c in parts)


@given(panels())
@settings(max_examples=150, deadline=None)
def test_force_and_moments_are_kept(panel: Panel) -> None:
    """To 1e-12, for uniform pressures and such that vary, wherever the carried edges do not all lie on one
    line."""
    rows = spread(panel)
    wanted = second_moments(panel.polygon)
    assert (np.abs(rows.resultants(panel) - wanted)[0] <= 1e-12 * np.abs(wanted).max(axis=0)).all()
    if len(panel.carried) == len(panel.start):
        assert lacking(panel, rows) < 1e-12


@given(panels(), st.floats(0, 6.3))
@settings(max_examples=60, deadline=None)
def test_one_way_keeps_them_too_when_all_edges_carry(panel: Panel, angle: float) -> None:
    if len(panel.carried) == len(panel.start):
        assert lacking(panel, spread(panel, "one-way", np.array([np.cos(angle), np.sin(angle)]))) < 1e-11


@pytest.mark.parametrize("way", ["two-way", "one-way"])
def test_part_of_a_panel_gives_its_own_sum(way: str) -> None:
    panel, part = Panel.of(L_SHAPE), box(1, 1, 5, 2.5)
    rows = spread_part(panel, part, way, np.array([1.0, 0.3]))  # type: ignore[arg-type]
    assert lacking(panel, rows, part) < 1e-12


def test_every_point_goes_to_its_nearest_edge_in_a_convex_panel() -> None:
    """The definition itself, on a fine raster."""
    polygon = Polygon([(0, 0), (7, -1), (9, 4), (4, 6), (-1, 3)])
    panel = Panel.of(polygon)
    by_edge = np.zeros(5)
    for k, c in cells(panel):
        by_edge[k] += area(c)
    x, y = np.meshgrid(np.arange(-1, 9, 0.02) + 0.01, np.arange(-1, 6, 0.02) + 0.01)
    p = np.column_stack([x.ravel(), y.ravel()])
    off = np.stack([(p - panel.start[k]) @ panel.inward[k] for k in range(5)])
    inside = (off > 0).all(axis=0)
    raster = np.bincount(off[:, inside].argmin(axis=0), minlength=5) * 0.0004
    assert by_edge == pytest.approx(raster, rel=5e-3)
