"""What users paste and write: any text is either taken or refused in words."""

from __future__ import annotations

import contextlib

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.loads.combinations.rules import RulesError, parse
from rod_tally.model.edits import AddCases, AddLoads, EditError
from rod_tally.model.load_table import TableError, read_cases, read_curve, read_loads, read_storey_forces
from rod_tally.model.units import UnitError, parse_unit

from .floors import floor

WORDS = st.sampled_from(
    [
        "case",
        "kind",
        "on",
        "a",
        "b",
        "fx",
        "fz",
        "fz [N]",
        "outline",
        "live",
        "node",
        "member",
        "surface",
        "area",
        "line",
        "n4",
        "m4",
        "s",
        "-1",
        "2,5",
        "1e400",
        "nan",
        "",
        "0 0 3; 1 0 3; 0 1 3",
        "0 0 3 | 1 1 3",
        "storey",
        "period",
        "sa",
        "yes",
        "B",
        "x y z",
    ]
)
TABLES = st.lists(st.lists(WORDS, min_size=1, max_size=6).map("\t".join), min_size=1, max_size=6).map(
    "\n".join
)
RULES = st.lists(
    st.lists(
        st.sampled_from(
            [
                "set",
                "psi",
                "group",
                "combination",
                "live.B",
                "G",
                "=",
                "dead",
                ",",
                "strength",
                "6.10:",
                "1.35",
                "+",
                "+-",
                "lead",
                "others",
                "must",
                "psi0",
                "|",
                "0.7",
                "#",
                "0.85*1.35",
                "snow",
            ]
        ),
        max_size=8,
    ).map(" ".join),
    max_size=6,
).map("\n".join)


@given(TABLES)
@settings(max_examples=300, deadline=None)
def test_any_pasted_table_is_taken_or_told(text: str) -> None:
    m = floor()
    with contextlib.suppress(TableError, EditError):
        for case, loads in read_loads(text, m).items():
            AddLoads(case, loads).apply(m)
    with contextlib.suppress(TableError, EditError):
        AddCases(read_cases(text)).apply(m)
    for read in (read_curve, lambda t: read_storey_forces(t, m)):
        with contextlib.suppress(TableError):
            read(text)


@given(st.text(max_size=200))
@settings(max_examples=200, deadline=None)
def test_any_text_at_all_is_told(text: str) -> None:
    m = floor()
    with contextlib.suppress(TableError):
        read_loads(text, m)
    with contextlib.suppress(RulesError):
        parse(text)


@given(RULES)
@settings(max_examples=300, deadline=None)
def test_any_rule_file_is_taken_or_told_with_its_line(text: str) -> None:
    try:
        parse(text, "own.rules")
    except RulesError as error:
        assert str(error).startswith("own.rules")


@pytest.mark.parametrize(
    "text, factor",
    # pound-force 4.4482216152605 N, foot 0.3048 m: NIST SP 811, appendix B.8
    [
        ("N/mm", 1e3),
        ("lbf/ft2", 47.880258980336),
        ("psf", 47.880258980336),
        ("kip/ft", 14593.902937206),
        ("klf", 14593.902937206),
        ("plf", 14.593902937206),
        ("kNmm", 1.0),
        ("kN m", 1e3),
        ("kip-ft", 1355.8179483314),
        ("lbf in", 0.1129848290276),
        ("ksi", 6894757.2931684),
        ("psi", 6894.7572931684),
        ("ksf", 47880.258980336),
        ("MN/m\u00b2", 1e6),
        ("kN/m^2", 1e3),
        ("in", 0.0254),
        ("kgf/cm2", 98066.5),
        ("m/s2", 1.0),
        ("1/s", 1.0),
    ],
)
def test_whole_units_are_read_by_published_factors(text: str, factor: float) -> None:
    assert parse_unit(text).factor == pytest.approx(factor, rel=1e-12)


@pytest.mark.parametrize("text", ["", "kN/", "furlong", "kN/m/", "kNx", "m/s/s/", "%", "N//m"])
def test_what_is_no_unit_is_refused(text: str) -> None:
    with pytest.raises(UnitError):
        parse_unit(text)


HEAD = "case\tkind\ton\ta\tb\tfz"


@pytest.mark.parametrize(
    "unit, row, value",
    [
        ("N/mm", "live\tmember\tm1\t\t\t-2", -2000.0),
        ("kip/ft", "live\tmember\tm1\t\t\t-1", -14593.902937206),
        ("kN", "live\tmember\tm1\t\t\t-2", -2000.0),
        ("kN", "live\tmember\tm1\t1\t\t-2", -2000.0),
        ("lbf/ft2", "live\tsurface\ts\t\t\t-100", -4788.0258980336),
    ],
)
def test_pasted_loads_keep_the_length_in_their_unit(unit: str, row: str, value: float) -> None:
    load = read_loads(f"{HEAD} [{unit}]\n{row}", floor())["live"][0]
    found = load["values"][0] if load["on"] == "area" else load["qa"]
    assert found[2] == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    "text, where",
    [
        (f"{HEAD} [N/mm]\nlive\tnode\tn4\t\t\t-2", "row 2, column 'fz'"),
        (f"{HEAD} [psf]\nlive\tmember\tm1\t\t\t-2", "row 2, column 'fz'"),
        (f"{HEAD} [furlong]\nlive\tmember\tm1\t\t\t-2", "row 1, column 6"),
        (f"{HEAD} [s]\nlive\tmember\tm1\t\t\t-2", "row 1, column 6"),
        ("case [mm]\tkind\nlive\tnode", "row 1, column 1"),
    ],
)
def test_a_unit_that_does_not_fit_is_refused_with_its_place(text: str, where: str) -> None:
    with pytest.raises(TableError, match=where):
        read_loads(text, floor())


def test_lengths_temperatures_and_movements_have_units_too() -> None:
    loads = read_loads(
        f"{HEAD}\nlive\tmember\tm1\t1000\t2000\t-1".replace("\ta\tb", "\ta [mm]\tb [mm]"), floor()
    )["live"]
    assert (loads[0]["a"], loads[0]["b"]) == (1.0, 2.0)
    loads = read_loads(
        "case\tkind\ton\tfz [mm]\tuniform [F]\nlive\tsettlement\tn4\t-5\t\nlive\ttemperature\tm1\t\t18",
        floor(),
    )["live"]
    assert loads[0]["movement"][2] == pytest.approx(-0.005) and loads[1]["uniform"] == pytest.approx(10.0)
