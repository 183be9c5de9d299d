"""The stability index of storeys and Horne's load factor, by hand and by the code's own definition."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis.results.storeys import StoreyRow
from rod_tally.analysis.stability.storey_index import LIMIT, storey_indices
from rod_tally.model import Combination, LoadCase, Model, NodeLoad, Settings, Storey
from rod_tally.output.write import write_review
from rod_tally.review import Review, review
from rod_tally.review.found.second_order import second_order_findings

from .frames import PLAIN, E, frame

HEIGHT, SPAN = 4.0, 8.0


def portal(vertical: float, sideways: tuple[float, float] = (1e4, 0.0), base: float = 0.0) -> Model:
    """Two cantilever columns with pinned-ended nothing between them: heads free, feet fixed."""
    points = [(0, 0, base), (SPAN, 0, base), (0, 0, base + HEIGHT), (SPAN, 0, base + HEIGHT)]
    m = frame(points, [(0, 2), (1, 3)], {0: "fixed", 1: "fixed"}, density=0.0)
    m.storeys = [Storey("L0", base), Storey("L1", base + HEIGHT)]
    m.cases["G"] = LoadCase(
        "G", "dead", node_loads=[NodeLoad(n, (0, 0, -vertical / 2)) for n in ("n2", "n3")]
    )
    m.cases["W"] = LoadCase(
        "W", "wind", node_loads=[NodeLoad(n, (*(f / 2 for f in sideways), 0)) for n in ("n2", "n3")]
    )
    m.combinations = [Combination("1", "ULS", {"G": 1.35, "W": 1.5}), Combination("2", "ULS", {"G": 1.35})]
    return m


def done(m: Model) -> Review:
    own = Settings()
    own.run.shear_flexible = False
    own.modes.count = 0
    return review(m, own)


@pytest.mark.parametrize("way", [0, 1])
@pytest.mark.parametrize("base", [0.0, -7.0])
def test_a_cantilever_storey_by_hand(way: int, base: float) -> None:
    """d = H h3 / 3 E I for each column; P d / (V h) = P h2 / (3 E I n), whatever the push: both axes."""
    p = 1.35 * 8e5
    push = (2e4, 0.0) if way == 0 else (0.0, 3e4)
    r = done(portal(8e5, push, base))
    (x,) = r.storey_indices
    inertia = PLAIN.iy if way == 0 else PLAIN.iz
    assert (x.combination, x.storey, x.direction) == ("1", "L1", "xy"[way])
    assert x.vertical == pytest.approx(p) and x.height == HEIGHT and x.shear == pytest.approx(1.5 * max(push))
    assert x.index == pytest.approx(p * HEIGHT**2 / (2 * 3 * E * inertia), rel=1e-6)
    assert x.alpha_cr == pytest.approx(1 / x.index)


def test_horne_is_near_eulers_load() -> None:
    """alpha_cr of cantilevers by Horne is 12 / pi2 of Euler's (3 E I / h2 for pi2 E I / 4 h2): 1.2158."""
    p = 8e5
    r = done(portal(p))
    euler = np.pi**2 * E * PLAIN.iy / (2 * HEIGHT) ** 2 / (1.35 * p / 2)
    assert r.storey_indices[0].alpha_cr == pytest.approx(12 / np.pi**2 * euler, rel=1e-6)


def test_beyond_the_limit_it_is_a_finding_and_a_table(tmp_path: Path) -> None:
    limit = LIMIT * 2 * 3 * E * PLAIN.iy / HEIGHT**2 / 1.35
    for share, told in ((0.999, False), (1.001, True)):
        r = done(portal(limit * share))
        found = [f for f in r.findings if f.code == "response.second_order"]
        assert bool(found) == told
        write_review(r, tmp_path / str(share))
        with (tmp_path / str(share) / "stability.csv").open(newline="") as f:
            rows = list(csv.DictReader(f))
        assert [(x["combination"], x["storey"], x["direction"]) for x in rows] == [("1", "L1", "x")]
        assert float(rows[0]["index"]) == pytest.approx(LIMIT * share, rel=1e-6)
        assert float(rows[0]["alpha_cr"]) * float(rows[0]["index"]) == pytest.approx(1.0)
    assert found[0].severity == "warning" and "L1 along x" in found[0].message
    assert found[0].numbers["alpha_cr"] == pytest.approx(1 / LIMIT / 1.001, rel=1e-6)


def test_uplift_and_pushes_of_nothing_have_no_index() -> None:
    assert not done(portal(-8e5)).storey_indices
    assert not done(portal(8e5, (8e5 * 1.35 * 0.9e-3 / 1.5, 0.0))).storey_indices
    assert done(portal(8e5, (8e5 * 1.35 * 1.1e-3 / 1.5, 0.0))).storey_indices


def row(case: str, storey: str, z: float, fz: float, shear: float, drift: float | None) -> StoreyRow:
    return StoreyRow(case, storey, z, 0.0, 0.0, fz, shear, 0.0, drift, None, 0.0, None, None)


def test_vertical_load_adds_up_from_the_top_and_spectra_enter_by_their_root() -> None:
    """P of a storey is all at and above it; V and d of responses to spectra add as the root of squares."""
    rows = [row("G", "A", 0, -5e3, 0, None), row("G", "B", 3, -2e3, 0, 0.0), row("G", "C", 7, -1e3, 0, 0.0)]
    for case, factor in (("Ex", 3.0), ("Ey", 4.0)):
        rows += [row(case, "A", 0, 0, 9 * factor, None), row(case, "B", 3, 0, 8 * factor, 2e-3 * factor)]
        rows += [row(case, "C", 7, 0, 5 * factor, 1e-3 * factor)]
    c = Combination("E", "seismic", {"G": 1.0, "Ex": 1.0, "Ey": 1.0}, roots=["Ex", "Ey"])
    low, high = storey_indices(rows[::-1], [c])
    assert (low.storey, low.vertical, low.height, low.shear, low.drift) == ("B", 3e3, 3, 40.0, 1e-2)
    assert (high.storey, high.vertical, high.height, high.shear, high.drift) == ("C", 1e3, 4, 25.0, 5e-3)
    assert [f.code for f in second_order_findings([low, high])] == ["response.second_order"]
    assert not storey_indices(rows, [Combination("?", "ULS", {"G": 1.0, "missing": 1.0})])
