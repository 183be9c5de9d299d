"""Loads that reach beyond their slab: left out, put on the edges, put on the rest; nothing is lost, and each
way adds up to what it says."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from rod_tally.checks import Subject, run_checks
from rod_tally.loads import Distribution
from rod_tally.loads.beyond import AROUND, ON_EDGES, TRIM, beyond, without_holes
from rod_tally.model import AreaLoad, Finding, Model
from rod_tally.review.remedies import can_do, edits_for

from .floors import floor, turned, wall


def loaded(
    outline: list[tuple[float, float]], q: float = 3000.0, surface: str = "s", **more: object
) -> Model:
    """The slab of 6 by 4 m with an opening from (1, 1) to (2, 2), and a load over an outline in plan."""
    m = floor(openings=True)
    area = np.array([(x, y, 3.0) for x, y in outline])
    m.cases["live"].area_loads = [AreaLoad(surface, ((0.0, 0.0, -q),), area, **more)]  # type: ignore[arg-type]
    return m


def lost(m: Model) -> list[Finding]:
    return [f for f in run_checks(Subject(m)) if f.code == "load.uncarried"]


def sums(m: Model) -> tuple[float, float]:
    """Applied and lost in the case, N, downwards."""
    arrival = Distribution(m).case("live")
    return -float(arrival.total("applied")[2]), -float(arrival.total("lost")[2])


def mended(m: Model, action: str) -> Model:
    (finding,) = lost(m)
    assert can_do(m, finding, action)
    for edit in edits_for(m, finding, action):
        edit.apply(m)
    return m


RING = [(0.5, 0.5), (2.5, 0.5), (2.5, 2.5), (0.5, 2.5)]  # 4 m2, one of them over the opening


@pytest.mark.parametrize("surface", ["s", ""])
def test_over_an_opening(surface: str) -> None:
    """4 m2 of 3 kN/m2, 1 m2 of them over the opening: 3 kN lie there, on 4 m of its edges 0.75 kN/m, on the other 3
    m2 4 for 3 kN/m2."""
    m = loaded(RING, surface=surface)
    assert sums(m) == pytest.approx((12e3, 3e3))
    (f,) = lost(m)
    assert "3 kN of it lies beyond" in f.message and "4 m of the edges there (up to 0.75 kN/m)" in f.message
    assert "up to 4 for 3 kN/m2" in f.message and f.actions[:3] == (ON_EDGES, AROUND, TRIM)
    for action, applied in ((TRIM, 9e3), (ON_EDGES, 12e3), (AROUND, 12e3)):
        m = mended(loaded(RING, surface=surface), action)
        assert sums(m) == pytest.approx((applied, 0.0), abs=1e-3)
        assert not lost(m)
    lines = mended(loaded(RING), ON_EDGES).cases["live"].space_loads
    assert len(lines) == 4 and {x.to for x in lines} == {"s"}
    assert all(x.qa == x.qb == pytest.approx((0, 0, -750.0)) for x in lines)


@pytest.mark.parametrize("action", [TRIM, ON_EDGES, AROUND])
def test_over_an_opening_of_a_shell_and_of_a_wall(action: str) -> None:
    """Wind over a window goes to its edges; 4 m2 of 1 kN/m2, one of them over the opening."""
    m = loaded(RING)
    m.surfaces["s"].way = "shell"
    assert sums(mended(m, action)) == pytest.approx((9e3 if action == TRIM else 12e3, 0.0), abs=1e-3)
    m = floor()
    w = wall(m, "w", (0, 0), (6, 0), 0, 3)
    w.openings = [np.array([(1, 0, 1.0), (2, 0, 1), (2, 0, 2), (1, 0, 2)])]
    ring = np.array([(0.5, 0, 0.5), (2.5, 0, 0.5), (2.5, 0, 2.5), (0.5, 0, 2.5)])
    m.cases["live"].area_loads = [AreaLoad("w", ((0.0, 1000.0, 0.0),), ring)]
    arrival = Distribution(mended(m, action)).case("live")
    assert arrival.total("lost") == pytest.approx(np.zeros(3), abs=1e-6)
    assert arrival.total("applied")[1] == pytest.approx(3e3 if action == TRIM else 4e3)


def test_past_the_slabs_edge() -> None:
    """A strip 0.5 m past the long edge at y = 4: what lies there goes to the 2 m of edge beside it, not to others."""
    m = loaded([(3, 3), (5, 3), (5, 4.5), (3, 4.5)])
    assert sums(m) == pytest.approx((9e3, 3e3))
    (line,) = mended(m, ON_EDGES).cases["live"].space_loads
    assert np.sort(line.line[:, 0]) == pytest.approx([3.0, 5.0]) and line.line[:, 1] == pytest.approx(4.0)
    assert line.qa[2] == pytest.approx(-1500.0)


def test_an_edge_that_transfer_took_off_holds_no_line() -> None:
    """A slab drawn 0.2 m further at x = 0, over a wall: past that edge a load goes onto the rest or is left out; a
    line on the drawn edge would be lost again, and not be told as mended."""
    m = loaded([(-1, 1), (4, 1), (4, 3), (-1, 3)])
    s = m.surfaces["s"]
    s.openings = []
    s.source_outer = s.outer.copy()
    s.source_outer[:, 0] = np.where(s.outer[:, 0] == 0, -0.2, s.outer[:, 0])
    s.area_share = 6.2 / 6
    (f,) = lost(m)
    assert f.actions[:2] == (AROUND, TRIM) and "m of the edges" not in f.message
    assert not edits_for(m, f, ON_EDGES)
    whole, gone = sums(m)
    assert (whole, gone) == pytest.approx((30e3, 4.8e3))
    assert sums(mended(m, AROUND)) == pytest.approx((30e3, 0.0), abs=1.0)


def test_what_misses_its_slab_has_no_way() -> None:
    """Wholly beside the slab, or wholly over the opening: no rest to put it on, and it is said to be lost."""
    for ring in ([(8, 1), (9, 1), (9, 2), (8, 2)], [(1.2, 1.2), (1.8, 1.2), (1.8, 1.8), (1.2, 1.8)]):
        (f,) = lost(loaded(ring))
        assert not f.actions and f.numbers["share"] == pytest.approx(1.0)
        assert not edits_for(loaded(ring), f, TRIM)


def test_a_load_within_its_slab_is_left_as_it_is() -> None:
    m = loaded([(3, 1), (5, 1), (5, 3), (3, 3)])
    assert beyond(m, m.cases["live"]) is None and not lost(m)
    m.cases["live"].area_loads.append(loaded(RING).cases["live"].area_loads[0])
    ways = beyond(m, m.cases["live"])
    assert ways is not None and ways.numbers == [1]


def test_a_load_that_varies_keeps_its_field() -> None:
    """From 1 to 5 kN/m2 over x = 0.5 to 2.5: over the opening, from x = 1 to 2, it is 3 in the mean."""
    m = loaded(RING)
    load = m.cases["live"].area_loads[0]
    load.values = ((0, 0, -1e3), (0, 0, -5e3), (0, 0, -1e3))
    load.at = np.array([(0.5, 0.5, 3.0), (2.5, 0.5, 3.0), (0.5, 2.5, 3.0)])
    before = Distribution(m).case("live").total("on_members")
    assert sums(m) == pytest.approx((12e3, 3e3))
    m = mended(m, TRIM)
    assert sums(m) == pytest.approx((9e3, 0.0), abs=1e-3)
    assert Distribution(m).case("live").total("on_members") == pytest.approx(before)


@given(
    st.floats(-1, 5), st.floats(-1, 3), st.floats(0.3, 4), st.floats(0.3, 4), st.floats(0, 90), st.sampled_from((TRIM, ON_EDGES, AROUND))
)  # fmt: skip
def test_any_outline_anywhere_in_any_turn(
    x: float, y: float, a: float, b: float, turn: float, action: str
) -> None:
    """The rest keeps what it carried, on the edges and on the rest the sum is that of the whole load."""
    x, y, a, b, turn = (round(v, 6) for v in (x, y, a, b, turn))  # what files carry
    ring = [(x, y), (x + a, y), (x + a, y + b), (x, y + b)]
    slab = Polygon([(0, 0), (6, 0), (6, 4), (0, 4)], [[(1, 1), (2, 1), (2, 2), (1, 2)]])
    own = box(x, y, x + a, y + b)
    assume(own.difference(slab).area > 1e-3 and own.intersection(slab).area > 1e-3)
    m = turned(loaded(ring), turn)
    c, s = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    load = m.cases["live"].area_loads[0]
    assert load.outline is not None
    load.outline = load.outline @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]).T
    whole, gone = sums(m)
    assert whole == pytest.approx(3000.0 * own.area) and gone == pytest.approx(
        3000.0 * own.difference(slab).area
    )
    assume(beyond(m, m.cases["live"]) is not None)
    m = mended(m, action)
    left = whole - gone if action == TRIM else whole
    assert sums(m) == pytest.approx((left, 0.0), abs=1e-3 * whole)


def test_polygons_are_taken_apart_at_their_holes() -> None:
    holes = [box(1 + 2 * k, 1, 2 + 2 * k, 2).exterior.coords[:] for k in range(3)]
    p = Polygon(box(0, 0, 8, 3).exterior.coords[:], holes)
    parts = without_holes(p)
    assert sum(q.area for q in parts) == pytest.approx(p.area) and not any(q.interiors for q in parts)
