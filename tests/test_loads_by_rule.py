"""Loads made by a rule are made again for a revision: by storey, in turned buildings, kept where changed by
hand."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from rod_tally.analysis.by_rule.rules import cases_by_rule, rules_of, same_loads, storey_sums
from rod_tally.analysis.by_rule.storey_forces import Level, storey_cases
from rod_tally.checks import Subject
from rod_tally.checks.loading.by_rule import AGAIN, find_outdated_cases
from rod_tally.compare.carrying.by_rule import make_loads_again
from rod_tally.compare.carrying.carry import CarriedOver, carry_only, carry_over
from rod_tally.loads import Distribution
from rod_tally.loads.combinations.orientation import directions, orientation
from rod_tally.model import AreaLoad, LoadCase, Model
from rod_tally.model.edits import AddCases, AddLoads, DeleteMembers, MakeCasesAgain, ScaleCase, SetCase
from rod_tally.model.geometry.directions import turn
from rod_tally.review.remedies import edits_for

from .floors import floor, turned
from .test_made_from_rules import tower

LATERAL: dict[str, Any] = {
    "code": "EN", "names": ["Ex", "Ey"], "ag": 1.0, "ground": "B", "q": 1.5, "system": "other", "e": 0.05, "angle": None,
}  # fmt: skip
ASCE: dict[str, Any] = {
    "code": "ASCE", "names": ["Ex", "Ey"], "sds": 0.5, "sd1": 0.3, "r": 3.0, "ie": 1.0, "system": "other", "e": 0.05, "angle": None,
}  # fmt: skip
WIND: dict[str, Any] = {
    "code": "EN", "v": 26.0, "place": "II", "factor": 1.0, "level": 0.0, "faces": False, "name": "Wind", "angle": None,
}  # fmt: skip
NOTIONAL: dict[str, Any] = {"share": 1 / 200, "factors": {"G": 1.0}, "name": "Notional", "angle": None}


def with_rule(m: Model, kind: str, inputs: dict[str, Any]) -> Model:
    AddCases(cases_by_rule(kind, inputs, m)).apply(m)
    return m


def carried(base: Model, new: Model) -> CarriedOver:
    over = carry_over(base, new)
    make_loads_again(base, new, over)
    return over


def sums(m: Model, case: str) -> dict[str, np.ndarray]:
    return storey_sums(m, m.cases[case], Distribution(m))


@pytest.mark.parametrize(
    "kind, inputs, case",
    [
        ("lateral forces", LATERAL, "Ex +e"),
        ("lateral forces", ASCE, "Ey -e"),
        ("wind", WIND, "Wind +y"),
        ("wind", WIND | {"faces": True}, "Wind -y"),
        ("wind", WIND | {"code": "ASCE", "v": 50.0, "place": "C", "factor": 0.85}, "Wind -x"),
        ("notional loads", NOTIONAL, "Notional -x"),
    ],
)
def test_a_building_that_gains_a_storey_gets_loads_there(
    kind: str, inputs: dict[str, Any], case: str
) -> None:
    """What the rule gives for the taller building, made from nothing, is what it has after being carried."""
    base, new = with_rule(tower(3), kind, inputs), tower(4)
    expected = with_rule(tower(4), kind, inputs)
    over = carried(base, new)
    # pressures on a face belong to the storey that they lie in, which is the one below the roof
    top = "L3" if inputs.get("faces") else "L4"
    assert np.abs(sums(new, case)[top]).max() > 0
    for name in (n for n, c in expected.cases.items() if c.by_rule):
        assert same_loads(new.cases[name], expected.cases[name]), name
    line = over.lines[-1]
    assert line.status == "again" and f"{top} 0 to" in line.words and "in all" in line.words
    assert over.finding is not None and f"{top} 0 to" in over.finding.message
    # it is a line of its own: left out, the loads are those of the baseline
    back = carry_only(over, new, {len(over.lines) - 1})
    assert back.lines[-1].status == "left" and np.abs(sums(new, case)[top]).max() == 0
    assert same_loads(new.cases[case], base.cases[case])


def test_the_same_building_has_nothing_made_again() -> None:
    over = carried(with_rule(tower(3), "lateral forces", LATERAL), tower(3))
    assert [x.status for x in over.lines] == ["carried"]


@pytest.mark.parametrize(
    "edit",
    [AddLoads("Ex +e", [{"on": "node", "node": "n12", "force": [5e3, 0.0, 0.0]}]), ScaleCase("Ey -e", 2.0)],
)
def test_what_was_changed_by_hand_is_kept_and_told(edit: AddLoads | ScaleCase) -> None:
    base = with_rule(tower(3), "lateral forces", LATERAL)
    edit.apply(base)
    name = getattr(edit, "case", "") or getattr(edit, "name", "")
    new = tower(4)
    over = carried(base, new)
    told = next(x for x in over.lines if x.status == "kept")
    assert name in told.what and "by hand" in told.words
    assert same_loads(new.cases[name], base.cases[name])
    # the rule's other cases follow
    other = next(n for n in base.cases if n.startswith("E") and n != name)
    assert np.abs(sums(new, other)["L4"]).max() > 0
    assert over.finding is not None and over.finding.severity == "warning"


def test_a_renamed_case_is_made_again_under_its_name() -> None:
    base = with_rule(tower(2), "wind", WIND)
    SetCase("Wind +x", "Gale", "wind", "", "Wind").apply(base)
    new = tower(3)
    carried(base, new)
    expected = with_rule(tower(3), "wind", WIND)
    assert same_loads(new.cases["Gale"], expected.cases["Wind +x"]) and "Wind +x" not in new.cases


def test_making_again_twice_over_two_revisions_is_as_once() -> None:
    """A revision of a revision: what was made again is no correction of its own."""
    first = with_rule(tower(2), "lateral forces", LATERAL)
    second, third = tower(3), tower(4)
    carried(first, second)
    over = carried(second, third)
    expected = with_rule(tower(4), "lateral forces", LATERAL)
    assert same_loads(third.cases["Ex -e"], expected.cases["Ex -e"])
    assert [x.status for x in over.lines] == ["carried", "again"]
    # by hand in the second: the third has what the second had
    AddLoads("Ex +e", [{"on": "node", "node": "n8", "force": [1e3, 0.0, 0.0]}]).apply(second)
    fourth = tower(4)
    carried(second, fourth)
    assert same_loads(fourth.cases["Ex +e"], second.cases["Ex +e"])


@pytest.mark.parametrize("degrees", [0.0, 30.0, -17.0])
def test_horizontal_loads_go_along_a_turned_buildings_axes(degrees: float) -> None:
    """The turned building's loads are the straight one's, turned."""
    straight, askew = tower(3), turned(tower(3), degrees)
    for kind, inputs in (("lateral forces", LATERAL), ("notional loads", NOTIONAL), ("wind", WIND)):
        with_rule(straight, kind, inputs)
        with_rule(askew, kind, inputs)
    own = turn(np.radians(degrees))
    for name in (n for n, c in straight.cases.items() if c.by_rule):
        for a, b in zip(straight.cases[name].node_loads, askew.cases[name].node_loads, strict=True):
            assert a.node == b.node and np.allclose(own @ a.force, b.force, atol=1e-6 * 1e5), name
    totals = {n: np.sum([x.force for x in c.node_loads], axis=0) for n, c in askew.cases.items() if c.by_rule}
    ways = directions(askew.cases, totals, np.radians(degrees))
    assert ways["Ex +e"] == "x" and ways["Ey -e"] == "y" and ways["Notional -y"] == "-y"


@pytest.mark.parametrize("degrees", [90.0, 25.0])
def test_a_rule_turns_with_a_building_that_was_turned(degrees: float) -> None:
    inputs = LATERAL | {"angle": 0.0}
    base, new = with_rule(tower(3), "lateral forces", inputs), turned(tower(4), degrees)
    carried(base, new)
    rule = rules_of(new)[0][0]
    assert rule.inputs["angle"] == pytest.approx(np.radians(degrees), abs=1e-9)
    along = turn(np.radians(degrees))[:, 0]
    total = np.sum([x.force for x in new.cases["Ex +e"].node_loads], axis=0)
    assert total / np.linalg.norm(total) == pytest.approx(along, abs=1e-9)


def test_storey_forces_of_a_table_stay_at_their_height_and_follow_the_mass() -> None:
    rows = [{"storey": "L2", "elevation": 6.0, "force": [1e4, 0.0], "moment": 2e3}]
    inputs = {"name": "W", "kind": "wind", "e": 0.0, "by": "storey table", "storeys": rows}
    base, new = with_rule(tower(3), "storey forces", inputs), tower(3)
    for s in new.storeys:
        s.name = f"Deck {s.elevation:g}"
    new.nodes["n8"].point = new.nodes["n8"].point + [0.0, 0.5, 0.0]  # its mass lies elsewhere
    carried(base, new)
    assert sums(new, "W")["Deck 6"] == pytest.approx([1e4, 0, 0]) and len(new.cases["W"].node_loads) == 4


def test_patterns_follow_the_spans() -> None:
    """A further line of columns gives a pattern more; one that there is no more takes its combinations
    along."""

    def deck(lines: int) -> Model:
        m = floor(6.0 * (lines + 1), 4.0)
        m.cases["live"].area_loads = [AreaLoad("s", ((0.0, 0.0, -2000.0),))]
        for k in range(lines):
            m.nodes[f"p{k}"] = type(m.nodes["n0"])(f"p{k}", np.array([6.0 * (k + 1), 0.0, 0.0]))
            m.members[f"c{k}"] = type(m.members["m0"])(
                f"c{k}", f"c{k}", "column", f"p{k}", "n4", "plain", "steel", np.array([1.0, 0, 0])
            )
        return m

    base, new = with_rule(deck(1), "patterns", {"case": "live"}), deck(2)
    assert {n for n, c in base.cases.items() if c.by_rule} == {"live x odd", "live x even"}
    carried(base, new)
    assert {n for n, c in new.cases.items() if c.by_rule} == {
        "live x odd",
        "live x even",
        "live x 1+2",
        "live x 2+3",
    }
    fewer = deck(1)
    over = carried(with_rule(deck(2), "patterns", {"case": "live"}), fewer)
    assert {n for n, c in fewer.cases.items() if c.by_rule} == {"live x odd", "live x even"}
    assert "not any more live x 1+2" in over.lines[-1].words


def test_a_model_that_changed_since_its_loads_were_made_says_so_and_mends_it() -> None:
    m = with_rule(tower(3), "lateral forces", LATERAL)
    assert list(find_outdated_cases(Subject(m))) == []
    DeleteMembers([i for i, x in m.members.items() if x.cls == "beam"][:1]).apply(m)
    (finding,) = find_outdated_cases(Subject(m))
    assert finding.code == "case.outdated" and AGAIN in finding.actions and "Ex +e" in finding.message
    (edit,) = edits_for(m, finding, AGAIN)
    assert isinstance(edit, MakeCasesAgain)
    edit.apply(m)
    assert list(find_outdated_cases(Subject(m))) == []
    edit.revert(m)
    assert len(list(find_outdated_cases(Subject(m)))) == 1


def test_a_rule_that_makes_no_cases_any_more_is_told() -> None:
    base, new = with_rule(tower(3), "lateral forces", LATERAL), tower(3)
    new.storeys = new.storeys[:1]
    over = carried(base, new)
    assert over.lines[-1].status == "kept" and "two storeys" in over.lines[-1].words
    assert "Ex +e" in new.cases


@pytest.mark.parametrize("degrees", [0.0, 90.0, 36.87])
def test_an_eccentricity_is_across_the_force(degrees: float) -> None:
    """5 % of the extent across: of a rectangle 6 by 4 pushed along its own axes M = 0.05 x 4 x F, turned or
    not."""
    m = turned(tower(1), degrees)
    level = _top(m)
    own = turn(np.radians(degrees))
    for axis, wide in ((0, 4.0), (1, 6.0)):
        way = own[:, axis]
        (plus, minus) = storey_cases(
            "E", "seismic", [level], {"L1": [1e4 * way[0], 1e4 * way[1], 0.0]}, 0.05, "t", np.radians(degrees)
        )
        for case, sign in ((plus, 1), (minus, -1)):
            arms = [m.nodes[x["node"]].point[:2] - level.centre for x in case["loads"]]
            moment = sum(a[0] * x["force"][1] - a[1] * x["force"][0] for a, x in zip(arms, case["loads"]))
            assert abs(moment) == pytest.approx(0.05 * wide * 1e4, rel=1e-6), (axis, sign)


def _top(m: Model) -> Level:
    from rod_tally.analysis.by_rule.storey_forces import levels

    return levels(m, {"G": 1.0})[-1]


def test_columns_axes_count_for_how_directions_are_combined() -> None:
    """Columns of 300 by 600 turned by 30 degrees in an orthogonal grid: no plain set."""
    m = tower(2)
    assert orientation(m).scheme == "plain"
    for x in m.members.values():
        if x.cls == "column":
            x.z_axis = turn(np.radians(30.0)) @ np.array([1.0, 0.0, 0.0])
    assert orientation(m).scheme == "100+30"
    # a building turned as a whole is along its own axes
    assert orientation(turned(tower(2), 30.0)).scheme == "plain"
    for x in m.members.values():
        if x.cls == "column":
            x.z_axis = np.array([1.0, 0.0, 0.0])
    assert orientation(m).scheme == "plain"


def test_loads_are_compared_to_what_files_carry() -> None:
    a, b = LoadCase("a"), LoadCase("b")
    from rod_tally.model import NodeLoad

    a.node_loads = [NodeLoad("n", (1e5, 0.0, 0.0)), NodeLoad("k", (0.0, 5.0, 0.0))]
    b.node_loads = [NodeLoad("k", (0.0, 5.0, 0.0)), NodeLoad("n", (1e5 * (1 + 5e-7), 0.0, 0.0))]
    assert same_loads(a, b)
    b.node_loads[1] = NodeLoad("n", (1e5 * (1 + 2e-6), 0.0, 0.0))
    assert not same_loads(a, b)
    b.node_loads = b.node_loads[:1]
    assert not same_loads(a, b)
    # large forces make no large differences of places small
    outline = np.array([(0, 0, 3), (4, 0, 3), (4, 4, 3.0)])
    a, b = LoadCase("a"), LoadCase("b")
    a.area_loads = [AreaLoad("s", ((0.0, 0.0, -1e5),), outline)]
    b.area_loads = [AreaLoad("s", ((0.0, 0.0, -1e5),), outline + [1e-3, 0, 0])]
    assert not same_loads(a, b)
    b.area_loads = [AreaLoad("s", ((0.0, 0.0, -1e5),), outline + [5e-7, 0, 0])]
    assert same_loads(a, b)
    # nor is a load that acts otherwise the same load
    b.area_loads = [AreaLoad("s", ((0.0, 0.0, -1e5),), outline, projected=True)]
    assert not same_loads(a, b)
    # and where many lie on a part, no order of theirs counts
    many = [AreaLoad("s", ((0.0, 0.0, -1e5),), outline + [x, 0, 0]) for x in (0.0005, 0.0015, 3.0)]
    near = [AreaLoad("s", ((0.0, 0.0, -1e5),), o.outline + [4e-7, 0, 0]) for o in many[::-1]]
    a.area_loads, b.area_loads = many, near
    assert same_loads(a, b)
