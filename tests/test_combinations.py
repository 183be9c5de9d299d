"""Combinations against the printed expressions, a worked set, the grammar and its errors."""

from __future__ import annotations

from itertools import combinations as selections
from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis.results.superpose import envelope
from rod_tally.loads.combinations.combine import MOST, CombineError, combine, count_combinations, expand
from rod_tally.loads.combinations.orientation import directions, orientation
from rod_tally.loads.combinations.rules import SHIPPED, RulesError, parse, read_rules, shipped
from rod_tally.model import Combination, LoadCase, Model, NodeLoad, Settings, Storey
from rod_tally.review import review

from .floors import floor, wall

BASIC = [
    LoadCase("G", "dead"),
    LoadCase("Q", "live", category="B"),
    LoadCase("S", "snow"),
    LoadCase("W", "wind"),
]


def sets(found: list[Combination], number: str) -> list[dict[str, float]]:
    return [c.factors for c in found if c.name.split("/")[0] == number]


def has(found: list[dict[str, float]], **factors: float) -> bool:
    return any(
        set(f) == set(factors) and all(f[k] == pytest.approx(v) for k, v in factors.items()) for f in found
    )


def test_expression_6_10_with_each_action_leading() -> None:
    """EN 1990 6.10 with table A1.2(B) and A1.1: offices psi0 0.7, snow below 1000 m 0.5, wind 0.6."""
    found = sets(combine(BASIC, shipped("EN 1990")).combinations, "6.10")
    assert has(found, G=1.35)
    assert has(found, G=1.35, Q=1.5, S=1.5 * 0.5, W=1.5 * 0.6)
    assert has(found, G=1.35, Q=1.5 * 0.7, S=1.5, W=1.5 * 0.6)
    assert has(found, G=1.35, Q=1.5 * 0.7, S=1.5 * 0.5, W=1.5)
    assert has(found, G=1.0, W=1.5)  # uplift: permanent favourable, the others away
    assert has(found, G=1.35, W=1.5)  # what relieves is left out
    # both factors of the permanent actions: alone, and each action leading with every selection of the two
    # others
    assert len(found) == 2 * (1 + 3 * 4)


def test_expressions_6_10a_and_b() -> None:
    """EN 1990 6.10a: all variable actions with psi0; 6.10b: permanent times xi 0.85 (table A1.2(B))."""
    found = combine(BASIC, shipped("EN 1990, 6.10a and 6.10b")).combinations
    assert has(sets(found, "6.10a"), G=1.35, Q=1.05, S=0.75, W=0.9)
    assert has(sets(found, "6.10b"), G=0.85 * 1.35, Q=1.5, S=0.75, W=0.9)
    assert not sets(found, "6.10")


def test_serviceability_expressions() -> None:
    """EN 1990 6.14b, 6.15b, 6.16b with table A1.1."""
    found = combine(BASIC, shipped("EN 1990")).combinations
    assert has(sets(found, "6.14"), G=1, Q=1, S=0.5, W=0.6)
    assert has(sets(found, "6.15"), G=1, Q=0.5)
    assert has(sets(found, "6.15"), G=1, W=0.2, Q=0.3)
    assert sets(found, "6.16") == [{"G": 1.0}, {"G": 1.0, "Q": 0.3}]


def test_accidental_and_seismic_situations() -> None:
    """EN 1990 6.11b and 6.12b."""
    cases = [*BASIC, LoadCase("A", "accidental"), LoadCase("E", "seismic")]
    found = combine(cases, shipped("EN 1990")).combinations
    assert has(sets(found, "6.11"), G=1, A=1, Q=0.5) and has(sets(found, "6.11"), G=1, A=1, Q=0.3, W=0.2)
    assert has(sets(found, "6.12"), G=1, E=1, Q=0.3) and has(sets(found, "6.12"), G=1, E=-1, Q=0.3)
    assert len(sets(found, "6.12")) == 4  # both ways, the imposed load there or not


ASCE = [
    LoadCase("D", "dead"),
    LoadCase("L", "live", category="B"),
    LoadCase("Lr", "live", category="H"),
    LoadCase("S", "snow"),
    LoadCase("W", "wind"),
    LoadCase("E", "seismic"),
]


def test_strength_combinations_of_asce_7() -> None:
    """ASCE/SEI 7-16 2.3.1 numbers 1 to 5 and 2.3.6 numbers 6 and 7, expression by expression."""
    found = combine(ASCE, shipped("ASCE 7")).combinations
    assert sets(found, "2.3.1-1") == [{"D": 1.4}]
    assert has(sets(found, "2.3.1-2"), D=1.2, L=1.6, Lr=0.5) and has(
        sets(found, "2.3.1-2"), D=1.2, L=1.6, S=0.5
    )
    assert len(sets(found, "2.3.1-2")) == 6  # L or not, with Lr, S or neither
    assert has(sets(found, "2.3.1-3"), D=1.2, S=1.6, L=1.0) and has(
        sets(found, "2.3.1-3"), D=1.2, Lr=1.6, W=0.5
    )
    assert len(sets(found, "2.3.1-3")) == 6  # Lr or S, with L, half the wind or neither
    assert has(sets(found, "2.3.1-4"), D=1.2, W=1.0, L=1.0, S=0.5)
    assert sets(found, "2.3.1-5") == [{"D": 0.9}, {"D": 0.9, "W": 1.0}]
    assert has(sets(found, "2.3.6-6"), D=1.2, E=1.0, L=1.0, S=0.2) and has(
        sets(found, "2.3.6-6"), D=1.2, E=-1.0, L=1.0, S=0.2
    )
    assert has(sets(found, "2.3.6-7"), D=0.9, E=1.0) and len(sets(found, "2.3.6-7")) == 2


def test_allowable_stress_combinations_of_asce_7() -> None:
    """ASCE/SEI 7-16 2.4.1 numbers 1 to 7 and 2.4.5 numbers 8 to 10."""
    found = combine(ASCE, shipped("ASCE 7, allowable stress")).combinations
    assert sets(found, "2.4.1-1") == [{"D": 1.0}] and sets(found, "2.4.1-2") == [{"D": 1.0, "L": 1.0}]
    assert has(sets(found, "2.4.1-4"), D=1, L=0.75, S=0.75) and has(sets(found, "2.4.1-3"), D=1, Lr=1)
    assert has(sets(found, "2.4.1-5"), D=1, W=0.6) and has(sets(found, "2.4.1-7"), D=0.6, W=0.6)
    assert has(sets(found, "2.4.1-6"), D=1, L=0.75, W=0.45, S=0.75)
    assert has(sets(found, "2.4.5-9"), D=1, E=0.525, L=0.75, S=0.75) and has(
        sets(found, "2.4.5-10"), D=0.6, E=-0.7
    )


def test_worked_set_of_numbers() -> None:
    """G 10, Q 6, S 4, W 5 kN: by hand, wind leading governs 6.10: 1.35 10 + 1.5 5 + 1.05 6 + 0.75 4 = 30.3
    kN."""
    value = {"G": 10.0, "Q": 6.0, "S": 4.0, "W": 5.0}
    found = sets(combine(BASIC, shipped("EN 1990")).combinations, "6.10")
    assert max(sum(f * value[k] for k, f in c.items()) for c in found) == pytest.approx(30.3)


def test_patterns_exclude_each_other_and_permanent_cases_act_together() -> None:
    cases = [
        LoadCase("own", "self-weight"),
        LoadCase("finish", "dead"),
        LoadCase("all", "live", category="A", together="floor"),
        LoadCase("odd", "live", category="A", together="floor"),
    ]
    found = sets(combine(cases, shipped("EN 1990")).combinations, "6.16")
    assert found == [
        {"own": 1, "finish": 1}, {"own": 1, "finish": 1, "all": 0.3}, {"own": 1, "finish": 1, "odd": 0.3},
    ]  # fmt: skip


# EN 1990 table A1.1, category B
PSI = {
    "live": (0.7, 0.5, 0.3),
    "snow": (0.5, 0.2, 0.0),
    "wind": (0.6, 0.2, 0.0),
    "temperature": (0.6, 0.5, 0.0),
}


def permitted_6_10(cases: list[LoadCase]) -> list[dict[str, float]]:
    """All that EN 1990 6.10 permits, written down from its words: permanent at 1.35 or 1.0, any variable
    actions present, one of them leading, the others times psi0; cases of one kind but imposed exclude each
    other, and so do alternatives."""
    out = []
    permanent = [c for c in cases if c.kind == "dead"]
    variable = [c for c in cases if c.kind != "dead"]
    for n in range(len(variable) + 1):
        for there in selections(variable, n):
            kinds = [c.kind for c in there if c.kind not in ("live", "snow")]
            names = [c.together for c in there if c.together]
            if len(kinds) != len(set(kinds)) or len(names) != len(set(names)):
                continue
            actions = {(c.kind, c.category) for c in there}
            for lead in actions or {None}:
                for g in (1.35, 1.0):
                    factors = {c.name: g for c in permanent}
                    for c in there:
                        factors[c.name] = 1.5 if (c.kind, c.category) == lead else 1.5 * PSI[c.kind][0]
                    out.append(factors)
    return out


@given(
    st.lists(
        st.sampled_from(["live", "live", "snow", "wind", "wind", "temperature"]), min_size=1, max_size=6
    ),
    st.integers(0, 99),
)
@settings(max_examples=40, deadline=None)
def test_extremes_over_the_set_are_those_over_all_that_is_permitted(kinds: list[str], seed: int) -> None:
    """Brute force: for random effects of cases (and random alternatives across kinds) the largest and
    smallest agree."""
    rng = np.random.default_rng(seed)
    names = ["", "", "x", "y"]
    cases = [LoadCase("G1", "dead"), LoadCase("G2", "dead")]
    for k, kind in enumerate(kinds):
        cases.append(
            LoadCase(f"V{k}", kind, category="B" if kind == "live" else "", together=names[rng.integers(4)])
        )
    found = [c.factors for c in combine(cases, shipped("EN 1990")).combinations if c.kind == "strength"]
    all_of_them = permitted_6_10(cases)
    for _ in range(10):
        effect = dict(zip([c.name for c in cases], rng.normal(size=len(cases))))
        ours, theirs = (
            [sum(f * effect[n] for n, f in c.items()) for c in group] for group in (found, all_of_them)
        )
        assert (max(ours), min(ours)) == (pytest.approx(max(theirs)), pytest.approx(min(theirs)))


def test_extremes_of_asce_7_are_those_of_all_loads_acting_or_not() -> None:
    """ASCE/SEI 7-16 2.3.1: effects of one or more loads not acting shall be considered."""
    rng = np.random.default_rng(3)
    cases = [c for c in ASCE if c.name != "E"]
    found = [c.factors for c in combine(cases, shipped("ASCE 7")).combinations]
    lists = [  # (D, [(alternatives of (case, factor))]) of 2.3.1-1 to 5
        (1.4, []), (1.2, [[("L", 1.6)], [("Lr", 0.5), ("S", 0.5)]]), (1.2, [[("Lr", 1.6), ("S", 1.6)], [("L", 1.0), ("W", 0.5)]]),
        (1.2, [[("W", 1.0)], [("L", 1.0)], [("Lr", 0.5), ("S", 0.5)]]), (0.9, [[("W", 1.0)]]),
    ]  # fmt: skip
    permitted = [
        {"D": d} | dict(choice)
        for d, slots in lists
        for choice in (
            [x for x in picked if x is not None] for picked in product(*([None, *slot] for slot in slots))
        )
    ]
    for _ in range(200):
        effect = dict(zip([c.name for c in cases], rng.normal(size=len(cases))))
        ours, theirs = (
            [sum(f * effect[n] for n, f in c.items()) for c in group] for group in (found, permitted)
        )
        assert (max(ours), min(ours)) == (pytest.approx(max(theirs)), pytest.approx(min(theirs)))


def test_never_together_holds_across_kinds_and_categories() -> None:
    cases = [
        LoadCase("G", "dead"),
        LoadCase("crane", "live", category="E", together="roof"),
        LoadCase("maintenance", "live", category="H", together="roof"),
        LoadCase("drift", "snow", together="roof"),
    ]
    found = combine(cases, shipped("EN 1990")).combinations
    assert all(sum(n in c.factors for n in ("crane", "maintenance", "drift")) <= 1 for c in found)
    assert {n for c in found for n in c.factors} == {"G", "crane", "maintenance", "drift"}


def test_notional_loads_of_dead_and_of_live_act_together() -> None:
    cases = [
        LoadCase("G", "dead"),
        *(LoadCase(f"N{of}{way}", "notional") for of in "GQ" for way in ("+x", "-x")),
    ]
    way = {c.name: c.name[2:] for c in cases[1:]}
    found = sets(combine(cases, shipped("EN 1990"), "plain", way).combinations, "6.10")
    assert has(found, G=1.35, **{"NG+x": 1.35, "NQ+x": 1.35})
    assert not any("NG+x" in c and "NQ-x" in c for c in found)


def test_of_very_many_those_that_govern_are_kept() -> None:
    """Sifted piece by piece, the extremes of every value are those over all of them."""
    m = floor()
    m.cases = {"G": LoadCase("G", "dead", (0, 0, -1.0))}
    rng = np.random.default_rng(1)
    for k in range(12):
        load = NodeLoad(f"n{4 + k % 4}", tuple(rng.normal(size=3) * 1e3))
        m.cases[f"Q{k}"] = LoadCase(f"Q{k}", "live", category="AB"[k % 2], node_loads=[load])
    options = Settings()
    options.modes.count = 0
    done = review(m, options)
    rules, cases = shipped("EN 1990"), m.cases.values()
    assert count_combinations(cases, rules) > MOST
    everything = list(expand(cases, rules))
    kept = done.combinations
    assert 0 < len(kept) < 2000 and done.combinations is kept
    (finding,) = [f for f in done.findings if f.code == "combination.many"]
    assert f"{len(everything):,}" in finding.message and f"the {len(kept)} that govern" in finding.message
    for kind in ("strength", "serviceability-characteristic"):
        a, b = (
            envelope(done.results, [c for c in group if c.kind == kind], done.results.reaction)
            for group in (kept, everything)
        )
        assert a.low == pytest.approx(b.low) and a.high == pytest.approx(b.high)


def test_directions_of_an_earthquake() -> None:
    """EN 1998-1 4.3.3.5.1: 100 % with 30 % both ways is 8 for a pair; the root of squares is one, marked as
    such."""
    cases = [LoadCase("G", "dead"), LoadCase("Ex", "seismic"), LoadCase("Ey", "seismic")]
    way = {"Ex": "x", "Ey": "y"}
    rules = shipped("EN 1990")
    assert len(sets(combine(cases, rules, "plain", way).combinations, "6.12")) == 4
    both = sets(combine(cases, rules, "100+30", way).combinations, "6.12")
    assert len(both) == 8 and has(both, G=1, Ex=-0.3, Ey=1)
    root = [c for c in combine(cases, rules, "square root", way).combinations if c.name.startswith("6.12")]
    assert len(root) == 1 and root[0].roots == ["Ex", "Ey"]
    with pytest.raises(CombineError, match="no way"):
        combine(cases, rules, "both")


def test_vertical_component_enters_with_the_two_others() -> None:
    """EN 1998-1 4.3.3.5.2: E = +-0.3 Ex +-0.3 Ey +- Ez and so on, 24 in all."""
    cases = [LoadCase(n, "seismic") for n in ("Ex", "Ey", "Ez")]
    way = {"Ex": "x", "Ey": "y", "Ez": "z"}
    found = sets(combine(cases, shipped("EN 1990"), "100+30", way).combinations, "6.12")
    assert len(found) == 24 and has(found, Ex=0.3, Ey=-0.3, Ez=1.0)


def test_untyped_and_unused_cases_are_told() -> None:
    done = combine([*BASIC, LoadCase("?", ""), LoadCase("E", "seismic")], shipped("ASCE 7, allowable stress"))
    assert done.untyped == ["?"] and done.unused == []
    assert combine([LoadCase("A", "accidental")], shipped("ASCE 7")).unused == ["A"]


def test_too_many_are_refused_with_what_to_do() -> None:
    cases = [
        LoadCase(f"Q{k}{n}", "live", category="ABCDE"[k], together=f"p{k}")
        for k in range(5)
        for n in range(19)
    ]
    with pytest.raises(CombineError, match="together"):
        combine([LoadCase("G", "dead"), *cases], shipped("EN 1990"))


@pytest.mark.parametrize("name", SHIPPED)
def test_shipped_sets_read_back_from_their_text(name: str, tmp_path: object) -> None:
    rules = shipped(name)
    assert parse(rules.text).rules == rules.rules and rules.name


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no combination"),
        ("sett X", "line 1: 'sett' starts no line"),
        ("set X\npsi live.B 0.7 0.5", "line 2: psi needs"),
        ("psi rain 0 0 0", "'rain' is no kind"),
        ("psi live.Z 0 0 0", "Z is no category"),
        ("group G = dead\ncombination a 1: 1.2 H", "does not end with a group"),
        ("group G = dead\ncombination a 1: must G", "no factor"),
        ("group G = dead\ncombination a: 1 G", "needs a kind"),
        ("group G = dead\ncombination a 1: 1 others G", "no"),
        ("group G = dead\ncombination a 1: 1 lead G + 1 lead G", "one leading"),
        ("group G = dead\ncombination a 1: 1.x G", "not a number"),
        ("group G = dead\ncombination a 1: 1e9 G", "no factor of a load"),
    ],
)
def test_wrong_rules_are_told_with_their_line(text: str, says: str) -> None:
    with pytest.raises(RulesError, match=says):
        parse(text)


def test_a_rule_file_of_ones_own(tmp_path: object) -> None:
    from pathlib import Path

    path = Path(str(tmp_path)) / "own.rules"
    path.write_text("set Own\ngroup G = dead\ngroup W = wind\ncombination strength 1: 1.1 G + +-1.3 must W\n")
    found = combine(BASIC, read_rules(str(path))).combinations
    assert [c.factors for c in found] == [{"G": 1.1, "W": 1.3}, {"G": 1.1, "W": -1.3}]
    assert found[0].rule == "Own 1"
    with pytest.raises(RulesError, match="no readable file"):
        read_rules(str(path) + "x")


def test_orientation_proposes_the_way_of_combining() -> None:
    m = floor()
    assert orientation(m).scheme == "plain"
    wall(m, "w1", (10, 0), (13, 1.7), 0, 3)
    assert orientation(m).scheme == "100+30"
    for k in range(4):
        wall(m, f"d{k}", (20, k), (25, k + 5), 0, 3)
    found = orientation(m)
    assert found.scheme == "square root" and "45" in found.why


@pytest.mark.parametrize("turn", [0.0, 0.3, 1.1])
@pytest.mark.parametrize(("extra", "scheme"), [(0.0, "100+30"), (-0.01, "plain")])
def test_a_tenth_at_an_angle_counts_however_the_building_is_turned(
    turn: float, extra: float, scheme: str
) -> None:
    """Exactly the share from which it counts, in any axes; a little less does not."""
    m = Model()
    m.storeys = [Storey("G", 0.0), Storey("L", 3.0)]
    c, s = np.cos(turn), np.sin(turn)

    def put(name: str, length: float, angle: float, y: float) -> None:
        a = np.array([0.0, y])
        b = a + length * np.array([np.cos(angle), np.sin(angle)])
        (x0, y0), (x1, y1) = (np.array([c * p[0] - s * p[1], s * p[0] + c * p[1]]) for p in (a, b))
        wall(m, name, (x0, y0), (x1, y1), 0, 3)

    for k in range(9):
        put(f"w{k}", 3.0, 0.0, 5.0 * k)
    put("askew", 3.0 + extra * 10 / 0.9, np.radians(25), 60.0)
    assert orientation(m).scheme == scheme


def test_direction_of_a_case_is_where_it_pushes() -> None:
    cases = {"a": LoadCase("a", "seismic"), "b": LoadCase("b", "seismic"), "w": LoadCase("w", "wind")}
    totals = {"a": np.array([1.0, 9.0, 0]), "b": np.array([-5.0, 0, 1]), "w": np.array([1.0, 0, 0])}
    assert directions(cases, totals) == {"a": "y", "b": "x"}
