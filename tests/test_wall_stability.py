"""Stability of walls without tension: the textbook block, statics of the tie, a wall under a push against its
own reactions."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from rod_tally.analysis.walls.stability import block, in_row, panels, solid_at
from rod_tally.model import FIXED, Combination, Settings
from rod_tally.model.settings import WallSettings
from rod_tally.review.walls.wall_stability import governed, stability_in
from rod_tally.review.work import review

from .verification import verified

W = WallSettings()
L, T, F = 4.0, 0.2, 20e6
N = 800e3


def one(n: float, m: float, v: float = 0.0, f: float = F):  # type: ignore[no-untyped-def]
    return block(np.array([n]), np.array([v]), np.array([m]), L, T, f, W)


def test_within_the_kernel_and_on_its_edge() -> None:
    """sigma = N/A + M/W; on the kernel's edge the one side is free of pressure and the other has twice the
    mean."""
    b = one(N, N * 0.4)
    assert b.elastic_length[0] == L
    assert b.elastic_pressure[0] == pytest.approx(N / (T * L) + N * 0.4 * 6 / (T * L**2))
    b = one(N, N * L / 6)
    assert b.elastic_length[0] == pytest.approx(L) and b.elastic_pressure[0] == pytest.approx(2 * N / (T * L))


def test_beyond_the_kernel() -> None:
    """sigma = 2N / (3t (L/2 - e)) on 3 (L/2 - e); plastic L - 2e."""
    e = 1.2
    b = one(N, -N * e)
    assert b.eccentricity[0] == pytest.approx(-e)
    assert b.elastic_length[0] == pytest.approx(3 * (L / 2 - e))
    wanted = 2 * N / (3 * T * (L / 2 - e))
    verified(
        "wall beyond its kernel, e = 0.3 L, edge pressure, Pa",
        "no-tension block, any textbook",
        float(b.elastic_pressure[0]),
        wanted,
        1e-9,
    )
    assert b.plastic_length[0] == pytest.approx(L - 2 * e)
    assert b.plastic_pressure[0] == pytest.approx(N / (T * (L - 2 * e)))
    assert b.tie[0] == 0.0


def test_tipping_at_half_the_length() -> None:
    """The moment that a weight alone resists is N L/2; from there on a tie is needed, and tension always
    needs one."""
    assert one(N, N * L / 2 * 0.999, f=np.inf).tie[0] == 0.0
    assert one(N, N * L / 2 * 1.001, f=1e12).tie[0] > 0.0
    assert np.isnan(one(N, N * L).elastic_pressure[0]) and one(N, N * L).plastic_length[0] == 0.0
    b = one(-N, 0.0)
    assert np.isnan(b.eccentricity[0]) and b.tie[0] == pytest.approx(N / 2)  # one in either edge
    assert one(N, 1e9).tie[0] == np.inf  # no tie holds what the pressure cannot


@given(st.floats(-2e6, 4e6), st.floats(-6e6, 6e6))
def test_the_tie_balances_forces_and_moments(n: float, m: float) -> None:
    b = one(n, m)
    tie = float(b.tie[0])
    if tie in (0.0, np.inf):
        return
    arm = L / 2 - W.tie_edge
    other = -n - tie  # in the other edge, of a wall that is pulled all along
    if n < 0 and other > 0:
        assert (tie - other) * arm == pytest.approx(abs(m), rel=1e-9, abs=1.0) and tie >= other - 1e-6
        return
    x = (tie + n) / (F * T)
    assert -1e-9 <= x <= L
    moment = tie * (L / 2 - W.tie_edge) + F * T * x * (L / 2 - x / 2)
    assert moment == pytest.approx(abs(m), rel=1e-9, abs=1.0)


@given(st.floats(1e4, 4e6), st.floats(-0.49, 0.49))
def test_pressures_integrate_to_the_force_and_its_place(n: float, share: float) -> None:
    """The triangle or trapezium of the elastic block has the resultant N at e."""
    b = one(n, n * share * L)
    c, p = float(b.elastic_length[0]), float(b.elastic_pressure[0])
    least = 2 * n / (T * L) - p if c >= L else 0.0
    x = np.linspace(0, c, 4001)
    q = p + (least - p) * x / c
    force = np.trapezoid(q, x) * T
    arm = L / 2 - np.trapezoid(q * x, x) * T / force
    assert force == pytest.approx(n, rel=1e-6)
    assert arm == pytest.approx(abs(share) * L, abs=2e-3)


def test_sliding_by_friction() -> None:
    assert one(N, 0.0, 0.3 * N).sliding[0] == pytest.approx(0.5)
    assert one(-N, 0.0, 1.0).sliding[0] == np.inf
    assert one(N, 0.0, 0.0).sliding[0] == 0.0


def wall_model():  # type: ignore[no-untyped-def]
    from rod_tally.model import LineSupport, LoadCase, SpaceLoad, Storey

    from .plates import plate_model, shell

    m = plate_model()
    m.storeys = [Storey("Ground", 0.0), Storey("Level 1", 3.0)]
    s = shell(m, "w", [(0, 0, 0), (L, 0, 0), (L, 0, 3.0), (0, 0, 3.0)], T, cls="wall")
    s.supports = [LineSupport(np.array([(0, 0, 0), (L, 0, 0)], float), FIXED)]
    case = LoadCase("q", "wind", self_weight=(0.0, 0.0, -1.0))
    case.space_loads = [
        SpaceLoad(np.array([(0, 0, 3.0), (L, 0, 3.0)], float), (40e3, 0, -20e3), (40e3, 0, -20e3))
    ]
    m.cases["q"] = case
    return m


@pytest.mark.parametrize("way", ["shell", "column"])
def test_a_wall_under_a_push_by_statics(way: str) -> None:
    from .test_wall_forces import found

    m = wall_model()
    m.surfaces["w"].way = way
    _, forces = found(m)
    strong = WallSettings(pressure=F)
    foot = next(p for p in panels(m, forces, strong) if p.part == "bottom")
    assert foot.why_not == "" and foot.length == pytest.approx(L) and foot.f == F
    b = in_row(foot, forces.values[:, foot.row], strong)
    material = next(iter(m.materials.values()))
    n = 20e3 * L + L * 3.0 * T * (material.density or 0) * 9.80665
    moment, v = 40e3 * L * 3.0, 40e3 * L
    assert abs(float(b.eccentricity[0])) == pytest.approx(moment / n, rel=1e-6)
    want = block(np.array([n]), np.array([v]), np.array([moment]), L, T, F, strong)
    assert b.tie[0] == pytest.approx(want.tie[0], rel=1e-6)
    assert b.sliding[0] == pytest.approx(v / (W.friction * n), rel=1e-6)


def test_conditions_are_looked_at_first() -> None:
    from .test_wall_forces import found

    m = wall_model()
    _, forces = found(m)
    next(iter(m.materials.values())).strength = None
    assert all("strength" in p.note and p.f == np.inf for p in panels(m, forces, W))
    next(iter(m.materials.values())).strength = 30e6
    assert all(p.note == "" and p.f == pytest.approx(20e6) for p in panels(m, forces, W))
    s = m.surfaces["w"]
    s.openings = [np.array([(1.0, 0, 0.0), (2.0, 0, 0.0), (2.0, 0, 2.1), (1.0, 0, 2.1)])]
    own = {p.part: p for p in panels(m, forces, WallSettings(pressure=F))}
    assert "opening" in own["bottom"].why_not and own["bottom"].length == pytest.approx(L - 1.0)
    assert own["top"].why_not == "" and own["top"].length == pytest.approx(L)
    assert solid_at(s, 0.0, True) == (pytest.approx(L - 1.0), 2)


def test_over_combinations_each_quantity_has_what_governs_it() -> None:
    """A push with half of the weight is worst for sliding and for the pressed length; a push alone finds
    nothing that presses the joint."""
    m = wall_model()
    case = m.cases["q"]
    m.cases = {
        "G": replace(case, name="G", kind="dead", space_loads=[]),
        "W": replace(case, name="W", self_weight=(0.0, 0.0, 0.0)),
    }
    m.cases["W"].space_loads = [replace(x, qa=(40e3, 0, 0), qb=(40e3, 0, 0)) for x in case.space_loads]
    own = Settings()
    own.walls = WallSettings(pressure=F)
    m.combinations = [
        Combination("heavy", "strength", {"G": 40.0, "W": 1.0}),
        Combination("light", "strength", {"G": 20.0, "W": 1.0}),
    ]
    done = review(m, own)
    found, what = governed(done)
    foot = next(x for x in found if x.panel.part == "bottom")
    assert what == "2 combinations" and {x.panel.part for x in found} == {"bottom", "top"}
    by = {name: {x[0].part: x[2] for x in stability_in(done, name)}["bottom"] for name in ("heavy", "light")}
    assert foot.worst["sliding"] == (pytest.approx(float(by["light"].sliding[0])), "light")
    assert foot.worst["plastic_length"] == (pytest.approx(float(by["light"].plastic_length[0])), "light")
    assert foot.worst["plastic_pressure"][1] == max(by, key=lambda n: float(by[n].plastic_pressure[0]))
    assert float(by["light"].sliding[0]) == pytest.approx(2 * float(by["heavy"].sliding[0]), rel=1e-6)
    m.combinations.append(Combination("push", "strength", {"W": 1.0}))
    found, _ = governed(review(m, own))
    foot = next(x for x in found if x.panel.part == "bottom")
    assert foot.worst["sliding"] == (np.inf, "push") and foot.worst["plastic_length"] == (0.0, "push")
