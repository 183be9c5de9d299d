"""The worst direction of an earthquake in closed form, beside a search over all directions."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.results.superpose import envelope
from rod_tally.analysis.results.worst_direction import worst_direction
from rod_tally.model import Combination, LoadCase, Model, NodeLoad, Settings
from rod_tally.model.settings import RunSettings
from rod_tally.review.work import review

from .floors import turned
from .test_made_from_rules import tower

PLAIN = [{"Ex": 1.0}, {"Ex": -1.0}, {"Ey": 1.0}, {"Ey": -1.0}]
BOTH = [{"Ex": a, "Ey": b} for s in (1, -1) for t in (1, -1) for a, b in ((s, 0.3 * t), (0.3 * t, s))]


def shaken(factors: list[dict[str, float]], roots: bool = False, degrees: float = 0.0) -> Model:
    """A tower with one level case along each axis, unequal, and dead load that acts with both."""
    m = tower(2)
    for name, axis, size in (("Ex", 0, 3e4), ("Ey", 1, 2e4)):
        force = [0.0, 0.0, 0.0]
        force[axis] = size
        case = m.cases[name] = LoadCase(name, "seismic")
        case.node_loads = [NodeLoad(f"n{k}", (force[0], force[1], 0.0)) for k in (4, 5, 6, 7, 8, 9, 10, 11)]
    m.combinations = [
        Combination(str(k), "seismic", {"G": 1.0} | f, "", ["Ex", "Ey"] if roots else [])
        for k, f in enumerate(factors)
    ]
    return turned(m, degrees)


@pytest.mark.parametrize("factors, roots", [(PLAIN, False), (BOTH, False), ([{"Ex": 1.0, "Ey": 1.0}], True)])
def test_the_worst_direction_is_what_a_search_finds(factors: list[dict[str, float]], roots: bool) -> None:
    m = shaken(factors, roots)
    r = run(m, RunSettings())
    found = worst_direction(r, m.combinations, ["Ex"], ["Ey"], r.force)
    assert found is not None
    g, x, y = (r.force[r.case_index(n)] for n in ("G", "Ex", "Ey"))
    t = np.linspace(0, 2 * np.pi, 3601)[:, None, None]
    every = np.abs(g + x * np.cos(t) + y * np.sin(t)).max(axis=0)
    scale = every.max(axis=0)
    assert (np.abs(found.worst - every) <= 1e-6 * scale).all()
    if roots:  # the root of the sum of squares is the worst direction
        assert (np.abs(found.held - found.worst) <= 1e-9 * scale).all()
    else:
        assert (found.held <= found.worst * (1 + 1e-12)).all() and (found.held < 0.99 * found.worst).any()
    over = envelope(r, m.combinations)
    assert np.allclose(found.held, np.maximum(abs(over.low), abs(over.high)))


def test_a_factor_of_the_action_counts_and_the_larger_of_two_along_an_axis() -> None:
    m = shaken([{"Ex": 1.4}, {"Ey": 1.4}])
    big = m.cases["Ex big"] = LoadCase("Ex big", "seismic")
    big.node_loads = [NodeLoad(x.node, (2 * x.force[0], 0.0, 0.0)) for x in m.cases["Ex"].node_loads]
    r = run(m, RunSettings())
    found = worst_direction(r, m.combinations, ["Ex", "Ex big"], ["Ey"], r.force)
    g, x, y = (r.force[r.case_index(n)] for n in ("G", "Ex", "Ey"))
    assert found is not None
    assert np.allclose(found.worst, abs(g) + 1.4 * np.hypot(2 * x, y), atol=1e-6 * abs(g).max())
    assert worst_direction(r, [Combination("0", "strength", {"G": 1.35})], ["Ex"], ["Ey"], r.force) is None


@pytest.mark.parametrize("degrees", [0.0, 30.0])
def test_a_review_says_which_parts_the_combinations_do_not_hold(degrees: float) -> None:
    done = review(shaken(PLAIN, degrees=degrees), Settings())
    (finding,) = [f for f in done.findings if f.code == "combination.direction"]
    assert finding.severity == "note" and "parts would get more" in finding.message
    first = done.directions_held[0]
    assert first.ratio == pytest.approx(finding.numbers["ratio"]) and first.worst > first.held
    assert done.directions_held is done.directions_held, "worked out once"
    assert done.storey_indices is done.storey_indices
    assert {d.of for d in done.directions_held} == {"member", "support"}
    none = review(shaken([{"Ex": 1.0, "Ey": 1.0}], True, degrees), Settings())
    assert none.directions_held == [] and not any(f.code == "combination.direction" for f in none.findings)
