"""Buckling factors against Euler's columns, a portal that sways, and plates in compression."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis.stability.buckling import Buckling, buckling
from rod_tally.model import (
    Combination,
    LineSupport,
    LoadCase,
    Model,
    NodeLoad,
    Release,
    Settings,
    SpaceLoad,
)
from rod_tally.review.work import review

from .by_command import reviewed, rows
from .frames import frame, held
from .plates import plate_model, rectangle, shell
from .verification import verified

P = 1e5
L = 5.0


def of_case(m: Model, count: int = 1, name: str = "P") -> list[Buckling]:
    return buckling(m, Settings(), [Combination(name, "", {name: 1.0})], count)


def column(bottom: str, top: str) -> Model:
    m = frame([(0, 0, 0), (0, 0, L)], [(0, 1)], {0: bottom, 1: top})
    m.cases = {"P": LoadCase("P", "live", node_loads=[NodeLoad("n1", (0.0, 0.0, -P), (0, 0, 0))])}
    return m


def weak(m: Model) -> float:
    s = next(iter(m.sections.values()))
    return min(s.iy, s.iz) * next(iter(m.materials.values())).E  # type: ignore[operator]


@pytest.mark.parametrize(
    "bottom, top, k",
    [
        ("ux uy uz rz", "ux uy", 1.0),
        ("fixed", "ux uy rx ry rz", 0.5),
        ("fixed", "ux uy", 0.6992),
        ("fixed", "", 2.0),
    ],
)
def test_eulers_columns(bottom: str, top: str, k: float) -> None:
    m = column(bottom, top)
    (found,) = of_case(m)
    source = "pi^2 E I / (k L)^2, Timoshenko and Gere, Theory of Elastic Stability, 2.1 (from memory)"
    verified(f"Euler's column, k = {k:g}", source, found.factor * P, np.pi**2 * weak(m) / (k * L) ** 2, 5e-3)


def test_tension_never_buckles_and_twice_the_load_halves_the_factor() -> None:
    m = column("fixed", "")
    (one,) = of_case(m)
    m.cases["P"].node_loads[0].force = (0.0, 0.0, -2 * P)
    assert of_case(m)[0].factor == pytest.approx(one.factor / 2, rel=1e-9)
    m.cases["P"].node_loads[0].force = (0.0, 0.0, P)
    assert of_case(m, 3) == []


def test_a_portal_sways() -> None:
    """Hinged feet, a beam as stiff as the columns: u tan u = 6 (I_b / b) / (I_c / h), u = h sqrt(P / E I_c)."""
    h, b = 4.0, 6.0
    m = frame(
        [(0, 0, 0), (0, 0, h), (b, 0, h), (b, 0, 0)],
        [(0, 1), (1, 2), (3, 2)],
        {0: "ux uy uz rx rz", 3: "ux uy uz rx rz"},
    )
    for n in ("n1", "n2"):
        m.nodes[n].support = type(m.nodes[n].support).of("uy rx rz")
    for x in m.members.values():
        x.z_axis = np.array([0.0, 0.0, 1.0]) if x.cls == "beam" else np.array([1.0, 0.0, 0.0])
    m.cases = {
        "P": LoadCase("P", "live", node_loads=[NodeLoad(n, (0.0, 0.0, -P), (0, 0, 0)) for n in ("n1", "n2")])
    }
    s = next(iter(m.sections.values()))
    e = next(iter(m.materials.values())).E
    assert e is not None
    ratio = 6.0 * (s.iy / b) / (s.iy / h)
    lo, hi = 1e-6, np.pi / 2 - 1e-9
    for _ in range(200):
        mid = (lo + hi) / 2
        lo, hi = (mid, hi) if mid * np.tan(mid) < ratio else (lo, mid)
    settings = Settings()
    settings.run.shear_flexible = False
    (found,) = buckling(m, settings, [Combination("P", "", {"P": 1.0})], 1)
    source = "u tan u = 6 (I_b / b) / (I_c / h) by slope deflection with stability functions"
    verified("a portal with hinged feet sways", source, found.factor * P, lo**2 * e * s.iy / h**2, 5e-3)


def test_a_hinge_at_the_foot_is_one_and_a_long_column_buckles_between_its_floors() -> None:
    m = column("fixed", "ux uy rx ry rz")
    fixed = of_case(m)[0].factor
    m.members["m0"].release_start = m.members["m0"].release_end = Release.of("my mz")
    (hinged,) = of_case(m)
    assert fixed / hinged.factor == pytest.approx(4.0, rel=5e-3)
    # half-way along the column its shape is largest: there is no node of the model there
    assert hinged.factor * P == pytest.approx(np.pi**2 * weak(m) / L**2, rel=5e-3)


def test_a_plate_in_compression() -> None:
    """A square plate held along its edges, pressed one way: N = 4 pi^2 D / b^2."""
    b, t, q = 2.0, 0.02, 1e4
    m = plate_model()
    s = shell(m, "s", rectangle(b, b), t, edges="uz", size=b / 12)
    s.supports[3] = LineSupport(s.supports[3].line, held("ux uz"))
    s.supports[0] = LineSupport(s.supports[0].line, held("uy uz"))
    line = np.array([(b, 0, 0), (b, b, 0)], float)
    m.cases = {"P": LoadCase("P", "live", space_loads=[SpaceLoad(line, (-q, 0, 0), (-q, 0, 0), "s")])}
    (found,) = of_case(m)
    d = m.materials["plate"].E * t**3 / 12 / (1 - 0.2**2)  # type: ignore[operator]
    source = "4 pi^2 D / b^2, Timoshenko and Gere, 9.2 (from memory)"
    verified("a square plate pressed one way", source, found.factor * q, 4 * np.pi**2 * d / b**2, 2e-2)


def test_factors_stand_in_their_table(tmp_path: Path) -> None:
    m = column("fixed", "")
    m.combinations = [Combination("A", "strength", {"P": 1.5}), Combination("B", "strength", {"P": -1.0})]
    found = rows(reviewed(m, tmp_path, "[buckling]\ncount = 2\n"), "buckling")
    assert [(r["combination"], r["mode"]) for r in found] == [("A", "1"), ("A", "2")]
    assert float(found[0]["factor"]) * 1.5 * P == pytest.approx(np.pi**2 * weak(m) / (2 * L) ** 2, rel=5e-3)
    assert rows(reviewed(m, tmp_path), "buckling") == []


def test_what_has_no_factor_and_what_acts_otherwise_is_said() -> None:
    m = column("fixed", "")
    m.combinations = [Combination("up", "strength", {"P": -1.0}), Combination("down", "strength", {"P": 1.0})]
    settings = Settings()
    settings.buckling.count = 1
    (found,) = [f for f in review(m, settings).findings if f.code == "run.buckling"]
    assert "1 of 2 have no factor (up)" in found.message and "one way" not in found.message
    m.combinations = m.combinations[1:]
    assert not any(f.code == "run.buckling" for f in review(m, settings).findings)
    m.one_way = {"m0": "compression"}
    (found,) = [f for f in review(m, settings).findings if f.code == "run.buckling"]
    assert "1 part that acts one way" in found.message
