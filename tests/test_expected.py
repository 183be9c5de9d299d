"""What simple formulas let one expect, beside what came: against closed forms, from both sides, whichever way
the building lies."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as settings_of_hypothesis
from hypothesis import strategies as st
from shapely.geometry import Polygon

from rod_tally.model import AreaLoad, LoadCase, Model, NodeLoad, Settings, SpaceLoad, Storey
from rod_tally.output.report.chapters import chapters
from rod_tally.output.write import write_expected
from rod_tally.review import Review
from rod_tally.review.expected.columns import _nearest, tributary
from rod_tally.review.expected.expected import expected, rows_of
from rod_tally.review.expected.row import BEAM, COLUMN, PERIOD, WALL, WIND, Expected
from rod_tally.review.work import review, run_only

from .floors import floor, turned
from .frames import beam, line_load, regular
from .plates import plate_model
from .test_wall_columns import wall


def ran(m: Model, **settings: object) -> Review:
    own = Settings()
    for name, value in settings.items():
        table, key = name.split("__")
        setattr(getattr(own, table), key, value)
    return run_only(m, own)


def of(done: Review, kind: str) -> list[Expected]:
    return [e for e in expected(done) if e.kind == kind]


def loaded_floor(x: float = 6.0, y: float = 4.0, overhang: float = 0.0) -> Model:
    m = floor(x, y, overhang=overhang)
    m.surfaces["s"].way = "two-way"
    m.storeys = [Storey("Ground", 0.0), Storey("First", 3.0)]
    m.cases["live"].area_loads.append(AreaLoad("s", ((0.0, 0.0, -5e3),)))
    return m


def test_a_column_carries_the_floor_that_is_nearest_to_it() -> None:
    """Four columns of a floor of 6 by 4 m at 5 kN/m²: a quarter of 120 kN each, and so they do."""
    done = ran(loaded_floor())
    rows = [e for e in of(done, COLUMN) if e.case == "live"]
    assert len(rows) == 4
    for e in rows:
        assert e.value == pytest.approx(30e3) and e.came == pytest.approx(30e3, rel=1e-6)
        assert e.ratio == pytest.approx(1.0) and not e.odd and e.reason == ""


@pytest.mark.parametrize("degrees", [0.0, 37.0, 90.0])
def test_shares_of_a_floor_are_the_same_however_it_lies(degrees: float) -> None:
    """A column at a quarter of the length: the areas nearest to each are cut half-way between them."""
    m = loaded_floor()
    extra = replace(m.members["m0"], id="mid", name="mid", start="f", end="t", joints=[])
    m.nodes["f"] = replace(m.nodes["n0"], id="f", point=np.array([2.0, 0.0, 0.0]))
    m.nodes["t"] = replace(m.nodes["f"], id="t", point=np.array([2.0, 0.0, 3.0]))
    m.members["mid"] = extra
    turned(m, degrees)
    area, shares = tributary(m)["First"]
    assert area == pytest.approx(24.0) and sum(shares.values()) == pytest.approx(24.0)
    # of the row y < 2 the corner column has x < 1, the middle one 1 < x < 4 at the edge, less behind it
    assert shares["m0"] < shares["m3"] and shares["mid"] > shares["m1"]
    assert shares["m2"] > 0 and "m4" not in shares


def test_a_load_on_a_part_of_a_floor_is_not_held_against_its_mean() -> None:
    """Nor one with a load of its own on a node or member, which goes to the column beside it."""
    for change in ("none", "part", "node", "other slab"):
        m = loaded_floor()
        case = m.cases["live"]
        if change == "part":
            case.area_loads[0] = replace(
                case.area_loads[0], outline=np.array([(0, 0, 3), (1, 0, 3), (1, 4, 3), (0, 4, 3)], float)
            )
        elif change == "node":
            case.node_loads.append(NodeLoad("n4", (0.0, 0.0, -1e3)))
        elif change == "other slab":
            m.surfaces["t"] = replace(
                m.surfaces["s"], id="t", outer=m.surfaces["s"].outer + [0, 8.0, 0], joints=[]
            )
        assert bool([e for e in of(ran(m), COLUMN) if e.case == "live"]) == (change == "none"), change


def test_a_wall_takes_its_share_of_the_floor_and_a_ground_floor_has_none() -> None:
    m = loaded_floor()
    m.surfaces["w"] = replace(
        m.surfaces["s"],
        id="w",
        cls="wall",
        outer=np.array([(0, 0, 0), (0, 4, 0), (0, 4, 3), (0, 0, 3)], float),
        joints=[],
        openings=[],
    )
    area, shares = tributary(m)["First"]
    assert area == pytest.approx(24.0) and 10.5 < shares["m1"] + shares["m2"] < 12.0
    assert shares["m0"] == pytest.approx(shares["m3"]) and shares["m0"] < 1.0  # the wall takes the rest
    assert set(tributary(m)) == {"First"}
    del m.surfaces["s"]
    assert tributary(m) == {}


def test_a_column_that_carries_nothing_is_odd_and_the_gap_at_it_is_the_reason() -> None:
    m = loaded_floor()
    done = ran(m)
    assert not [e for e in of(done, COLUMN) if e.odd]
    for k in ("m4", "m7"):  # the beams at one corner end beside the column
        own = m.members[k]
        m.members[k] = replace(own, **{("start" if own.start == "n4" else "end"): "loose"})
    m.nodes["loose"] = replace(m.nodes["n4"], point=m.nodes["n4"].point + [0.06, 0.06, 0.0])
    m.surfaces["s"].joints = [j for j in m.surfaces["s"].joints if j.node != "n4"]
    done = review(m, Settings())
    rows = {e.ids[0]: e for e in of(done, COLUMN) if e.case == "live"}
    assert rows["m0"].odd and rows["m0"].ratio == pytest.approx(0.0, abs=1e-6)
    assert expected(done)[0].off >= rows["m1"].off and "(join.gap)" in rows["m0"].reason


@pytest.mark.parametrize(
    "left, right, formula, share, came",
    [
        (
            "pinned",
            "uy uz rx",
            "w L²/12",
            1 / 12,
            1 / 8,
        ),  # supports turn though its ends are fixed: 1.5 times
        ("fixed", "fixed", "w L²/12", 1 / 12, 1 / 12),
    ],
)
def test_a_beam_has_the_moment_of_the_handbook(
    left: str, right: str, formula: str, share: float, came: float
) -> None:
    """w L²/8 and w L²/12 (any handbook of beams)."""
    m = beam(6.0, left, right)
    m.cases = {"q": line_load(m, "m0", (0, 0, -4e3))}
    m.cases["q"].kind = "live"
    (e,) = of(ran(m), BEAM)
    assert e.formula == formula and e.value == pytest.approx(4e3 * 36 * share)
    assert e.came == pytest.approx(4e3 * 36 * came, rel=1e-6) and not e.odd


def test_a_beam_with_hinges_has_w_l2_over_8_and_one_with_a_point_load_no_row() -> None:
    from rod_tally.model import PINNED_END, MemberLoad

    m = beam(6.0, "fixed", "fixed")
    m.members["m0"] = replace(m.members["m0"], release_start=PINNED_END, release_end=PINNED_END)
    m.cases = {"Q": line_load(m, "m0", (0, 0, -4e3))}
    m.cases["Q"].name, m.cases["Q"].kind = "Q", "live"
    m.cases["W"] = LoadCase(
        "W", "wind", member_loads=[MemberLoad("m0", 0.0, 6.0, (0, 0, -9e4), (0, 0, -9e4))]
    )
    (e,) = of(ran(m), BEAM)
    assert e.case == "Q" and e.value == pytest.approx(4e3 * 36 / 8) and e.ratio == pytest.approx(1.0)
    assert (e.least, e.most) == (0.75, 1.25)
    m.cases["Q"].member_loads.append(MemberLoad("m0", 3.0, 3.0, (0, 0, -2e4), (0, 0, -2e4)))
    assert not of(ran(m), BEAM)


def test_the_limits_of_what_is_usual_from_both_sides() -> None:
    e = Expected(COLUMN, "S", (), "G", "f", 100.0, 60.0, 0.6, 1.67)
    assert (
        not e.odd
        and replace(e, came=59.9).odd
        and not replace(e, came=167.0).odd
        and replace(e, came=167.1).odd
    )
    assert replace(e, came=-1.0).odd and replace(e, came=-1.0).off > replace(e, came=300.0).off > 1
    assert replace(e, value=None).ratio is None and not replace(e, value=None).odd
    assert replace(e, agrees=False).odd and not replace(e, agrees=True, came=1e9).odd


@pytest.mark.parametrize("way", [(1.0, 0.0), (0.0, 1.0), (-0.6, 0.8)])
def test_wind_is_held_against_a_usual_pressure_on_the_face_across_it(way: tuple[float, float]) -> None:
    m = regular(2, 2)
    points = np.array([n.point for n in m.nodes.values()])
    across = points[:, :2] @ np.array([-way[1], way[0]])
    area = float(np.ptp(across) * np.ptp(points[:, 2]))
    for k, (pressure, odd) in enumerate(((290.0, True), (310.0, False), (2490.0, False), (2510.0, True))):
        force = pressure * area
        load = NodeLoad(list(m.nodes)[-1], (way[0] * force, way[1] * force, 0.0))
        m.cases = {
            f"W{k}": LoadCase(f"W{k}", "wind", node_loads=[load]),
            "Q": LoadCase("Q", "live", node_loads=[load]),
        }
        (e,) = of(ran(m), WIND)
        assert e.came == pytest.approx(force) and e.value == pytest.approx(1000.0 * area) and e.odd == odd


@pytest.mark.parametrize("push", [1.0, -1.0])
@pytest.mark.parametrize("along", ["x", "y"])
def test_the_wall_that_the_push_comes_to_is_in_tension(push: float, along: str) -> None:
    """Two walls square to the push, tied at their heads by a stiff slab: one pulled, one pressed, as the push
    turns. Pushed with a couple that turns the other way they are at odds with it."""
    m = plate_model()
    x = along == "x"
    for name, at in (("near", 0.0), ("far", 6.0)):
        a, b = ((at, 0.0), (at, 4.0)) if x else ((0.0, at), (4.0, at))
        wall(m, name, a, b, 0.0, 6.0)
        m.surfaces[name].way = "shell"
    from .plates import shell

    shell(
        m,
        "top",
        [(0, 0, 6), (6, 0, 6), (6, 4, 6), (0, 4, 6)] if x else [(0, 0, 6), (4, 0, 6), (4, 6, 6), (0, 6, 6)],
        1.0,
    )
    for name in ("near", "far"):
        outer = m.surfaces[name].outer
        from rod_tally.model import SurfaceJoint

        line = outer[2:4]
        m.surfaces[name].joints.append(SurfaceJoint("surface", "top", line))
        m.surfaces["top"].joints.append(SurfaceJoint("surface", name, line))
    u = np.array([push, 0, 0]) if x else np.array([0, push, 0])
    edge = np.array([(0, 0, 6), (0, 4, 6)] if x else [(0, 0, 6), (4, 0, 6)], float)
    m.cases["W"] = LoadCase("W", "wind", space_loads=[SpaceLoad(edge, tuple(10e3 * u), tuple(10e3 * u))])
    rows = {e.of: e for e in of(ran(m, mesh__size=1.0), WALL)}
    assert set(rows) == {"near", "far"}
    pulled = "near" if push > 0 else "far"
    for name, e in rows.items():
        assert e.agrees and e.words.startswith("tension" if name == pulled else "compression")
        assert (e.came or 0) > 0 if name == pulled else (e.came or 0) < 0


def test_the_period_is_held_against_the_height() -> None:
    """EN 1998-1 4.3.3.2.2(3), steel frames 0.085 H^(3/4)."""
    m = regular(2, 3)
    m.storeys = [
        Storey(f"L{k}", z) for k, z in enumerate(sorted({float(n.point[2]) for n in m.nodes.values()}))
    ]
    m.cases = {"Self-weight": LoadCase("Self-weight", "self-weight", self_weight=(0, 0, -1.0))}
    done = ran(m)
    (e,) = of(done, PERIOD)
    height = max(float(n.point[2]) for n in m.nodes.values())
    assert e.value == pytest.approx(0.085 * height**0.75) and e.came == max(x.period for x in done.modes)
    m.materials = {k: replace(x, kind="timber") for k, x in m.materials.items()}
    assert of(ran(m), PERIOD)[0].value == pytest.approx(0.05 * height**0.75)
    assert not of(ran(m, modes__count=0), PERIOD)


def test_they_are_written_and_reported(tmp_path: Path) -> None:
    done = review(loaded_floor(), Settings())
    assert rows_of(expected(done)) and expected(done) is expected(done)
    write_expected(expected(done), tmp_path)
    with (tmp_path / "expected.csv").open(newline="") as f:
        rows = list(csv.DictReader(f))
    assert [*rows[0]] == [
        "kind",
        "of",
        "ids",
        "case",
        "formula",
        "expected",
        "came",
        "ratio",
        "odd",
        "reason",
    ]
    own = [r for r in rows if r["kind"] == "column" and r["case"] == "live"]
    assert (
        len(own) == 4
        and float(own[0]["expected"]) == pytest.approx(30e3)
        and own[0]["odd"] in ("false", "False")
    )
    chapter = next(c for c in chapters(done, done.settings) if c.key == "expected")
    assert "simple formulas" in chapter.words[0] and len(chapter.tables[0].cells) == len(rows)
    done.stale = True
    assert expected(done) == [] and "expected" not in [c.key for c in chapters(done, done.settings)]


@settings_of_hypothesis(max_examples=60, deadline=None)
@given(
    st.lists(st.floats(2.0, 9.0), min_size=0, max_size=5),
    st.lists(st.floats(2.0, 9.0), min_size=0, max_size=4),
    st.floats(0.0, 360.0),
    st.floats(-5e4, 5e4),
)
def test_columns_on_a_grid_have_half_the_bays_beside_them(
    x: list[float], y: list[float], degrees: float, away: float
) -> None:
    """A rectangle each, on a grid of any spacings, turned and far off; the shares are the whole floor."""
    at = [np.array([0.0, *np.cumsum(v)]) for v in (x, y)]
    half = []
    for v in at:
        edges = np.array([v[0] - 1.0, *(v[:-1] + v[1:]) / 2, v[-1] + 1.0])
        half.append(np.diff(edges))
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, s], [-s, c]])
    move = np.array([away, 0.3 * away])
    places = [
        ((np.array([a, b]) @ turn + move).tolist(), f"C{i}-{j}")
        for i, a in enumerate(at[0])
        for j, b in enumerate(at[1])
    ]
    ring = [
        (at[0][i] + d, at[1][j] + e)
        for i, d, j, e in ((0, -1, 0, -1), (-1, 1, 0, -1), (-1, 1, -1, 1), (0, -1, -1, 1))
    ]
    whole = Polygon(np.array(ring) @ turn + move)
    found = dict(_nearest(whole, [((p[0], p[1]), i) for p, i in places]))
    for i, wide in enumerate(half[0]):
        for j, deep in enumerate(half[1]):
            assert found[f"C{i}-{j}"] == pytest.approx(wide * deep, rel=1e-5)
    assert sum(found.values()) == pytest.approx(whole.area, rel=1e-6)
