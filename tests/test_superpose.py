"""Combinations and envelopes: the sum of the cases, the governing combination, the root of squares, by brute
force."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis import Results, run
from rod_tally.analysis.frame.shape import member_shapes
from rod_tally.analysis.results.superpose import combined, combined_shapes, envelope, of_members, usable
from rod_tally.loads import Distribution
from rod_tally.model import Combination, LoadCase, MemberLoad, Model, NodeLoad
from rod_tally.model.settings import RunSettings

from .frames import regular


def three_cases() -> tuple[Model, Results]:
    m = regular(1, 2)
    beam = next(i for i, x in m.members.items() if x.cls == "beam")
    m.cases = {
        "G": LoadCase("G", "dead", (0.0, 0.0, -1.0)),
        "Q": LoadCase("Q", "live", member_loads=[MemberLoad(beam, 0.0, 6.0, (0, 0, -9e3), (0, 0, -9e3))]),
        "W": LoadCase("W", "wind", node_loads=[NodeLoad(list(m.nodes)[-1], (20e3, 5e3, 0.0))]),
    }
    return m, run(m, RunSettings())


SETS = [
    Combination("a", "strength", {"G": 1.35, "Q": 1.5}),
    Combination("b", "strength", {"G": 1.0, "W": 1.5}),
    Combination("c", "strength", {"G": 1.0, "W": -1.5, "Q": 0.7}),
]


def test_combination_is_what_a_run_of_the_summed_loads_gives() -> None:
    """Linear statics: superposition against one run with the factored loads themselves."""
    m, r = three_cases()
    m.cases["sum"] = LoadCase(
        "sum",
        "",
        (0.0, 0.0, -1.35),
        member_loads=[
            MemberLoad(x.member, x.a, x.b, (0, 0, -13.5e3), (0, 0, -13.5e3))
            for x in m.cases["Q"].member_loads
        ],
    )
    whole = run(m, RunSettings())
    c = whole.case_index("sum")
    one = combined(whole, SETS[0])
    for name in ("displacement", "reaction", "force"):
        got, wanted = getattr(one, name)[0], getattr(whole, name)[c]
        assert np.abs(got - wanted).max() <= 1e-9 * np.abs(wanted).max()
    assert one.equilibrium[0].applied == pytest.approx(whole.equilibrium[c].applied, rel=1e-9, abs=1e-3)
    shape = combined_shapes(m, whole, SETS[0], 7, True, Distribution(m))
    direct = member_shapes(m, whole, "sum", 7)
    assert np.abs(shape.displacement - direct.displacement).max() <= 1e-9 * np.abs(direct.displacement).max()
    assert r.cases == ["G", "Q", "W"]


def test_root_of_squares_goes_both_ways() -> None:
    _, r = three_cases()
    c = Combination("e", "seismic", {"G": 1.0, "Q": 1.0, "W": 2.0}, roots=["Q", "W"])
    root = np.sqrt(r.force[1] ** 2 + (2 * r.force[2]) ** 2)
    assert combined(r, c).force[0] == pytest.approx(r.force[0] + root)
    e = envelope(r, [c])
    assert e.low == pytest.approx(r.force[0] - root) and e.high == pytest.approx(r.force[0] + root)


def test_envelope_names_the_combination_of_each_extreme() -> None:
    _, r = three_cases()
    e = envelope(r, SETS)
    every = np.stack([combined(r, c).force[0] for c in SETS])
    assert e.low == pytest.approx(every.min(axis=0)) and e.high == pytest.approx(every.max(axis=0))
    picked = np.take_along_axis(every, e.high_by[None].astype(int), axis=0)[0]
    assert picked == pytest.approx(e.high)


def test_members_get_their_extremes_with_their_places() -> None:
    m, r = three_cases()
    e = envelope(r, SETS)
    of = of_members(r, e)
    for n, ident in enumerate(r.member_ids):
        s = r.stations_of(ident)
        for k in range(6):
            assert of.low[n, k] == e.low[s, k].min() and of.high[n, k] == e.high[s, k].max()
            at = s[int(e.high[s, k].argmax())]
            assert e.high[at, k] == of.high[n, k] and of.high_x[n, k] == r.station_x[at]
    assert len(m.members) == len(of.low)


def test_combination_of_a_case_that_was_not_computed_is_left_aside() -> None:
    _, r = three_cases()
    odd = Combination("d", "strength", {"snow": 1.0})
    assert usable(r, [*SETS, odd]) == SETS
    with pytest.raises(ValueError, match="no combination"):
        envelope(r, [odd])


@given(st.lists(st.tuples(*[st.floats(-3, 3) for _ in range(3)]), min_size=1, max_size=12), st.integers(1, 5))
@settings(max_examples=40, deadline=None)
def test_envelope_against_brute_force(factors: list[tuple[float, ...]], seed: int) -> None:
    values = np.random.default_rng(seed).normal(size=(3, 50, 6))
    r = Results(["a", "b", "c"], [], [], np.zeros((0, 3)), np.zeros((3, 0, 6)), [], np.zeros((3, 0, 6)),
                np.zeros(0, int), np.zeros(0), values, np.zeros((3, 0), bool), np.zeros((3, 0), bool))  # fmt: skip
    sets = [Combination(str(k), "", dict(zip("abc", f))) for k, f in enumerate(factors)]
    e = envelope(r, sets)
    every = np.tensordot(np.array(factors), values, axes=1)
    assert np.allclose(e.low, every.min(axis=0)) and np.allclose(e.high, every.max(axis=0))
