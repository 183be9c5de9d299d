"""Cases and loads made by hand and from pasted tables: undo, records, and every fault with its row and
column."""

from __future__ import annotations

import json

import numpy as np
import pytest

from rod_tally.loads import Distribution
from rod_tally.model import Combination, LoadCase, Model, NodeLoad, SpaceLoad
from rod_tally.model.edits import (
    AddCases,
    AddLoads,
    DeleteCases,
    Edit,
    EditError,
    HoldSelfWeight,
    RemoveLoads,
    ScaleCase,
    SetCase,
    SetCombinations,
    SetSpan,
    SplitMember,
    TellLoad,
    from_record,
    load_values,
)
from rod_tally.model.entities.model import Storey
from rod_tally.model.load_table import TableError, read_cases, read_loads, read_storey_forces
from rod_tally.project.codec import pack

from .floors import floor, wall

DOWN = [0.0, 0.0, -1000.0]
EVERY = [
    {"on": "node", "node": "n4", "force": DOWN},
    {"on": "member", "member": "m4", "a": 0.0, "b": 6.0, "qa": DOWN, "qb": DOWN},
    {"on": "area", "surface": "s", "values": [DOWN]},
    {"on": "area", "surface": "", "values": [DOWN], "outline": [[0, 0, 3], [2, 0, 3], [0, 2, 3]]},
    {"on": "space", "line": [[1, 1, 3], [2, 2, 3]], "qa": DOWN, "qb": DOWN},
    {"on": "temperature", "member": "m4", "uniform": 20.0},
    {"on": "settlement", "node": "n0", "movement": [0, 0, -0.01, 0, 0, 0]},
]


def there_and_back(m: Model, edit: Edit) -> None:
    """Apply, take back, apply a copy made from the record: the same model each way."""
    before = pack(m)
    edit.apply(m)
    after = pack(m)
    record = json.loads(json.dumps(m.corrections[-1]))
    edit.revert(m)
    assert pack(m) == before
    from_record(record, m).apply(m)
    assert pack(m) == after


def test_every_kind_of_load_goes_in_and_out_again() -> None:
    m = floor()
    there_and_back(m, AddCases([{"name": "new", "kind": "live", "category": "B", "loads": EVERY}]))
    case = m.cases["new"]
    assert case.count == len(EVERY) and case.by == "by hand" and not case.empty
    assert load_values(case.node_loads[0])["force"] == (0.0, 0.0, -1000.0)
    there_and_back(m, AddLoads("new", EVERY[:2]))
    there_and_back(m, RemoveLoads("new", [["node", 0], ["member", 1]]))
    assert m.cases["new"].count == len(EVERY)


@pytest.mark.parametrize(
    ("load", "says"),
    [
        ({"on": "roof"}, "no kind of load"),
        ({"on": "node", "node": "n99"}, "no node"),
        ({"on": "node", "node": "n4", "weight": 1}, "has no weight"),
        ({"on": "node", "node": "n4", "force": [0, 0, 1e20]}, "beyond any load"),
        ({"on": "node", "node": "n4", "force": [0, 0, float("nan")]}, "beyond any load"),
        ({"on": "member", "member": "m4", "a": 0, "b": 9, "qa": DOWN, "qb": DOWN}, "6.000 m long"),
        ({"on": "area", "surface": "", "values": [DOWN]}, "outline"),
        ({"on": "area", "surface": "t", "values": [DOWN]}, "no surface"),
        (
            {"on": "area", "surface": "", "values": [DOWN], "outline": [[0, 0, 3], [1, 0, 3], [2, 0, 3]]},
            "no area",
        ),
        (
            {"on": "area", "surface": "s", "values": [DOWN] * 3, "at": [[0, 0, 3], [1, 0, 3], [2, 0, 3]]},
            "on one line",
        ),
        ({"on": "area", "surface": "s", "values": [DOWN] * 2}, "one value, or three"),
        ({"on": "space", "line": [[1, 1, 3], [1, 1, 3]], "qa": DOWN, "qb": DOWN}, "two points are one"),
        ({"on": "settlement", "node": "n4"}, "held by nothing"),
        ({"on": "member", "member": "m4"}, "cannot be made"),
    ],
)
def test_wrong_loads_are_refused_and_leave_the_model_as_it_was(load: dict[str, object], says: str) -> None:
    m = floor()
    before = pack(m)
    with pytest.raises(EditError, match=says):
        AddLoads("live", [load]).apply(m)
    assert pack(m) == before


def test_case_gets_a_kind_and_a_name_everywhere() -> None:
    m = floor()
    m.combinations = [Combination("1", "strength", {"live": 1.5}, roots=["live"])]
    there_and_back(m, SetCase("live", "Offices", "live", "B", "floor"))
    assert list(m.cases) == ["Offices"] and m.combinations[0].factors == {"Offices": 1.5}
    with pytest.raises(EditError, match="no kind"):
        SetCase("Offices", "Offices", "rain").apply(m)
    with pytest.raises(EditError, match="no category"):
        SetCase("Offices", "Offices", "wind", "B").apply(m)


def test_deleted_case_takes_its_combinations_along() -> None:
    m = floor()
    m.combinations = [Combination("1", "strength", {"live": 1.5})]
    there_and_back(m, DeleteCases(["live"]))
    assert not m.cases and not m.combinations


def test_sign_turned_and_partial_factor_taken_off() -> None:
    m = floor()
    AddLoads("live", EVERY).apply(m)
    there_and_back(m, ScaleCase("live", -1.0))
    c = m.cases["live"]
    assert c.node_loads[0].force[2] == 1000 and c.area_loads[0].values[0][2] == 1000
    assert (
        c.temperatures[0].uniform == -20
        and c.settlements[0].movement[2] == 0.01
        and c.space_loads[0].qb[2] == 1000
    )
    with pytest.raises(EditError, match="no factor"):
        ScaleCase("live", 0.0).apply(m)


def test_self_weight_is_held_by_one_case() -> None:
    m = floor()
    m.cases |= {n: LoadCase(n, "dead", (0.0, 0.0, -1.0)) for n in ("a", "b")}
    there_and_back(m, HoldSelfWeight("live"))
    assert [n for n, c in m.cases.items() if any(c.self_weight)] == ["live"]


def test_load_is_told_which_wall_takes_it() -> None:
    m = floor()
    wall(m, "above", (10, 0), (14, 0), 3, 6)
    m.cases["live"].space_loads = [
        SpaceLoad(np.array([(10, 0, 3.0), (14, 0, 3)]), (0, 0, -1.0), (0, 0, -1.0))
    ]
    there_and_back(m, TellLoad("live", 0, "above"))
    with pytest.raises(EditError, match="no member or surface"):
        TellLoad("live", 0, "x").apply(m)


def test_combinations_are_replaced_and_need_their_cases() -> None:
    m = floor()
    there_and_back(
        m, SetCombinations([{"name": "1", "kind": "strength", "factors": {"live": 1.5}}], "EN 1990")
    )
    assert m.combinations[0].factors == {"live": 1.5}
    with pytest.raises(EditError, match="needs load case 'wind'"):
        SetCombinations([{"name": "1", "kind": "strength", "factors": {"wind": 1.5}}]).apply(m)


def test_slab_is_told_its_span() -> None:
    m = floor()
    there_and_back(m, SetSpan(["s"], "one-way", [1.0, 0.0, 0.0]))
    assert m.surfaces["s"].way == "one-way"
    with pytest.raises(EditError, match="direction"):
        SetSpan(["s"], "one-way", [0.0, 0.0, 0.0]).apply(m)


def test_split_member_keeps_its_temperature_on_both_parts() -> None:
    m = floor()
    AddLoads("live", [EVERY[5]]).apply(m)
    SplitMember("m4", 2.0).apply(m)
    assert len(m.cases["live"].temperatures) == 2


TABLE = """case\tkind\ton\ta\tb\tfx\tfy\tfz [kN]\tfz2\toutline
live\tmember\tm4\t1\t5\t\t\t-2,5\t-5\t
live\tnode\tn4\t\t\t1.5\t\t\u22123\t\t
live\tsurface\tSlab\t\t\t\t\t-2\t\t
live\tarea\t\t\t\t\t\t-1\t\t0 0 3; 6 0 3; 0 4 3
live\tline\t\t\t\t\t\t-1\t-2\t1 1 3 | 3 1 3
live\tcladding\t\t\t\t\t1\t\t\t0 0 0; 6 0 0; 6 0 3; 0 0 3
"""


def test_pasted_table_becomes_loads() -> None:
    m = floor()
    found = read_loads(TABLE, m)
    AddLoads("live", found["live"]).apply(m)
    c = m.cases["live"]
    assert (c.member_loads[0].a, c.member_loads[0].b, c.member_loads[0].qa[2], c.member_loads[0].qb[2]) == (
        1,
        5,
        -2500,
        -5000,
    )
    assert c.node_loads[0] == NodeLoad("n4", (1500, 0, -3000), (0, 0, 0), by="by hand")
    assert c.area_loads[0].surface == "s" and c.area_loads[2].onto == "members"
    total = Distribution(m).case("live").total("applied")
    assert total == pytest.approx([0, 18000, -48000 - 12000 - 3000])


def test_pressure_that_varies_is_pasted_with_its_three_points() -> None:
    """1 kN/m2 at x = 0 and 7 at x = 6 over 6 by 4: 96 kN."""
    m = floor()
    text = "case\tkind\ton\tfz\tfz2\tfz3\toutline\nlive\tsurface\ts\t-1\t-7\t-1\t0 0 3; 6 0 3; 0 4 3\n"
    AddLoads("live", read_loads(text, m)["live"]).apply(m)
    assert Distribution(m).case("live").total("on_members")[2] == pytest.approx(-96e3)
    with pytest.raises(TableError, match="three points"):
        read_loads(text.replace("; 0 4 3", ""), m)
    part = "case\tkind\ton\tfz\toutline\nlive\tsurface\ts\t-1\t0 0 3; 3 0 3; 3 4 3; 0 4 3\n"
    m.cases["live"].area_loads = []
    AddLoads("live", read_loads(part, m)["live"]).apply(m)
    assert Distribution(m).case("live").total("on_members")[2] == pytest.approx(-12e3)


def test_points_of_a_table_are_in_the_sources_coordinates() -> None:
    m = floor()
    m.origin = np.array([1000.0, 2000, 0])
    found = read_loads("case,kind,fz,outline\nlive,point,-1,1003 2002 3\n", m)
    assert found["live"][0]["line"] == [[3.0, 2.0, 3.0]]


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("live\tmember\tm4\t1\tx\t\t\t-1\t\t", "row 2, column 'b': 'x' is not a number"),
        ("wind\tnode\tn4\t\t\t\t\t-1\t\t", "row 2, column 'case': there is no load case 'wind'"),
        ("live\tcable\tn4\t\t\t\t\t-1\t\t", "row 2, column 'kind'"),
        ("live\tnode\tm4\t\t\t\t\t-1\t\t", "row 2, column 'on': there is no node 'm4'"),
        ("live\tmember\tm4\t1\t9\t\t\t-1\t\t", "row 2, column 'b': from 1 to 9 m"),
        ("live\tarea\t\t\t\t\t\t-1\t\t0 0 3; 1 1", "row 2, column 'outline': '1 1' is no point"),
        ("live\tline\t\t\t\t\t\t-1\t\t0 0 3", "row 2, column 'outline': a line has two points"),
        ("live\tnode\tn4\t\t\t\t\t1e20\t\t", "row 2, column 'fz'"),
        ("live\tnode\tn4\t\t\t\t\t1\t\t\tmore", "row 2: 11 cells"),
    ],
)
def test_bad_row_is_told_with_row_and_column(row: str, says: str) -> None:
    with pytest.raises(TableError) as error:
        read_loads(TABLE.splitlines()[0] + "\n" + row, floor())
    assert says in str(error.value)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("case\tkind", "row of values"),
        ("case\tkin\nlive\tnode", "row 1, column 2: 'kin' is no column"),
        ("case\tcase\nlive\tnode", "there twice"),
        ("case\tfz\nlive\t1", "no column 'kind'"),
        ("case\tkind\tfz [stone]\nlive\tnode\t1", "not a unit that is known"),
    ],
)
def test_bad_head_is_told(text: str, says: str) -> None:
    with pytest.raises(TableError) as error:
        read_loads(text, floor())
    assert says in str(error.value)


def test_two_parts_of_one_name_ask_for_an_id() -> None:
    m = floor()
    m.members["m4"].name = m.members["m5"].name = "B"
    with pytest.raises(TableError, match="2 members are named 'B'; give an id, such as m4"):
        read_loads("case\tkind\ton\tfz\nlive\tmember\tB\t-1", m)


def test_cases_and_storey_forces_are_pasted() -> None:
    m = floor()
    found = read_cases("case;kind;category;together;self-weight\nDead;dead;;;yes\nOffice;live;b;floor;\n")
    AddCases(found).apply(m)
    assert any(m.cases["Dead"].self_weight) and m.cases["Office"].category == "B"
    with pytest.raises(TableError, match="there twice"):
        read_cases("case\nA\nA")
    m.storeys = [Storey("First", 3.0)]
    assert read_storey_forces("storey\tfx\tfy [N]\nFirst\t12\t500", m) == {"First": [12000.0, 500.0, 0.0]}
    with pytest.raises(TableError, match="row 2, column 'storey'"):
        read_storey_forces("storey\tfx\nSecond\t12", m)
