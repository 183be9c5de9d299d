"""Fields of forms take other units of their kind, and are shown in the window's; what is not touched stays
exactly as it was."""

from __future__ import annotations

import pytest
from PyQt6.QtWidgets import QWidget
from pytestqt.qtbot import QtBot

from rod_tally.desk.forms.form import Field, Form
from rod_tally.desk.forms.quantity import QuantityBox
from rod_tally.desk.quantities import IMPERIAL, METRIC, SI, UnitSet
from rod_tally.desk.tables.rows import Rows, in_units
from rod_tally.desk.window import Window
from rod_tally.model.units import UnitError, quantity

from .desk_help import act, fill, model_of, rested

FOOT, INCH, KIP = 0.3048, 0.0254, 4448.2216152605


@pytest.mark.parametrize(
    ("text", "value", "dimension"),
    [
        ("12 ft 6 in", 12.5 * FOOT, (0, 1)),
        ("5' 7 1/2\"", 5 * FOOT + 7.5 * INCH, (0, 1)),
        ("25 kip/ft", 25 * KIP / FOOT, (1, -1)),
        ("0.5 psi", 0.5 * KIP / 1000 / INCH**2, (1, -2)),
        ("1,5 m", 1.5, (0, 1)),
        ("-3 kN m", -3000.0, (1, 1)),
        ("4 m 20 cm", 4.2, (0, 1)),
    ],
)
def test_quantities_as_people_write_them(text: str, value: float, dimension: tuple[int, int]) -> None:
    """Foot, inch and pound-force as in `model/units.py`, which names their sources."""
    found = quantity(text)
    assert found.factor == pytest.approx(value, rel=1e-12) and found.dimension[:2] == dimension


@pytest.mark.parametrize("text", ["12", "abc", "3 m 2 kN", "1/0 in", "3 ft x", "", "ft"])
def test_what_is_no_quantity(text: str) -> None:
    with pytest.raises(UnitError):
        quantity(text)


def box(qtbot: QtBot, given: float, unit: str, units: UnitSet = METRIC) -> QuantityBox:
    made = QuantityBox(given, unit, -1e6, 1e6, 3, units)
    qtbot.addWidget(made)
    return made


def typed(b: QuantityBox, qtbot: QtBot, text: str) -> float:
    b.selectAll()
    qtbot.keyClicks(b, text)
    b.interpretText()
    return b.given_value


@pytest.mark.parametrize("units", [METRIC, IMPERIAL, SI])
def test_a_field_takes_any_unit_of_its_kind_whatever_is_shown(units: UnitSet, qtbot: QtBot) -> None:
    assert typed(box(qtbot, 1.0, "m", units), qtbot, "12 ft 6 in") == pytest.approx(12.5 * FOOT, abs=2e-4)
    assert typed(box(qtbot, 1.0, "mm", units), qtbot, "8 in") == pytest.approx(203.2, abs=0.02)
    assert typed(box(qtbot, 1.0, "kN/m", units), qtbot, "25 kip/ft") == pytest.approx(
        25 * KIP / FOOT / 1e3, rel=1e-4
    )
    assert typed(box(qtbot, 4.0, "m", units), qtbot, "3 kN") == 4.0  # not of its kind: as it was
    assert typed(box(qtbot, 0.5, "K", units), qtbot, "12") == 12.0


def test_what_nobody_touched_is_exactly_what_was_given(qtbot: QtBot) -> None:
    for units in (METRIC, IMPERIAL, SI):
        b = box(qtbot, 4.123456789, "m", units)
        assert b.given_value == 4.123456789
    b = box(qtbot, 3.048, "m", IMPERIAL)
    assert b.text() == "10.000 ft"
    assert typed(b, qtbot, "20") == pytest.approx(6.096)


def test_forms_follow_the_units_of_their_window(qtbot: QtBot) -> None:
    class Shown(QWidget):
        units = IMPERIAL

    parent = Shown()
    qtbot.addWidget(parent)
    got: list[dict[str, object]] = []
    form = Form(
        parent, "A", "b", [Field("x", "x", 3.048, unit="m"), Field("t", "t", 254.0, unit="mm")], got.append
    )
    assert [form.widgets[k].text() for k in "xt"] == ["10.000 ft", "10.0000 in"]  # type: ignore[union-attr]
    form.accept()
    assert got == [{"x": 3.048, "t": 254.0}]


def test_a_text_of_another_kind_is_refused_before_the_form_closes(qtbot: QtBot) -> None:
    got: list[dict[str, object]] = []
    form = Form(None, "A", "b", [Field("x", "length", 4.0, unit="m"), Field("y", "y", 1.0)], got.append)  # type: ignore[arg-type]
    qtbot.addWidget(form)
    form.show()
    length = form.widgets["x"]
    assert isinstance(length, QuantityBox)
    length.selectAll()
    qtbot.keyClicks(length, "3 kN")
    form.accept()
    assert not got and form.isVisible() and "length: '3 kN'" in form.fault.text()
    assert length.given_value == 4.0
    assert typed(length, qtbot, "20000000 m") == 4.0 and length.refused
    assert typed(length, qtbot, "3 ft") == pytest.approx(0.914)
    form.accept()
    assert got == [{"x": pytest.approx(0.914), "y": 1.0}]


def test_a_member_is_added_in_feet(loft: Window, qtbot: QtBot) -> None:
    """The model is in metres whatever is shown."""
    loft.next_units()
    assert loft.units is IMPERIAL
    again = Window()
    qtbot.addWidget(again)
    assert again.units is IMPERIAL and again.header.units.text() == IMPERIAL.name
    again.close()
    act(loft, qtbot, "model.add")
    fill(loft, qtbot, loft.add_desk.form, ax=10.0, ay=0.0, az=0.0, bx=10.0, by=0.0, bz=20.0)
    rested(qtbot, loft)
    model = model_of(loft)
    line = model.line(model.members["added-1"]) + model.origin
    assert line.ravel() == pytest.approx([3.048, 0, 0, 3.048, 0, 6.096], abs=0.03)


@pytest.mark.parametrize(
    ("text", "feet", "newtons"),
    [
        ("moves 0.644 m", "moves 2.113 ft", "moves 0.644 m"),
        ("300 x 600 mm", "11.81 x 23.62 in", "300 x 600 mm"),
        ("from 10.3 to 16.9 kN/m", "from 0.7058 to 1.158 kip/ft", "from 10300 to 16900 N/m"),
        ("-12 kN, 5 kNm", "-2.698 kip, 3.688 kip ft", "-12000 N, 5000 N m"),
        ("5 kN/m2 on 2 m²", "104.4 lbf/ft² on 21.53 ft²", "5000 N/m² on 2 m²"),
        ("210 GPa", "30458 ksi", "210 GPa"),
        ("B12 m, Level2 kN, IPE 300, 4 members, 3 mx", "B12 m, Level2 kN, IPE 300, 4 members, 3 mx", ""),
    ],
)
def test_findings_are_said_in_the_units_that_are_shown(text: str, feet: str, newtons: str) -> None:
    """Factors: NIST SP 811, appendix B (1 ft = 0.3048 m, 1 lbf = 4.4482216 N)."""
    assert METRIC.words(text) == text
    assert IMPERIAL.words(text) == feet
    assert SI.words(text) == (newtons or text)


def test_columns_of_tables_are_in_the_units_that_are_shown() -> None:
    """A second column of a pair goes by the first; what is typed into, texts and counts stay."""
    columns = [
        "Storey",
        "Elevation, m",
        "Fx, kip",
        "Mass, t",
        "Centre x, m",
        "Centre y",
        "Thickness, mm",
        "Parts",
        "y",
    ]
    made = Rows(list(columns))
    made.add(["Roof", 3.048, 5.0, 1.0, 0.3048, 0.6096, 200.0, 7, 1.0])
    made.add(["No, m", None, 5.0, 1.0, "none", 0.3048, 200.0, 7, 1.0])
    found = in_units(made, IMPERIAL, {"Thickness": object()})
    assert found.columns == [
        "Storey",
        "Elevation, ft",
        "Fx, kip",
        "Mass, 1000 lb",
        "Centre x, ft",
        "Centre y",
        "Thickness, mm",
        "Parts",
        "y",
    ]
    assert found.rows[0] == [
        "Roof",
        pytest.approx(10.0),
        5.0,
        pytest.approx(2.2046226),
        pytest.approx(1.0),
        pytest.approx(2.0),
        200.0,
        7,
        1.0,
    ]
    assert found.rows[1][0] == "No, m" and found.rows[1][1] is None and found.rows[1][4] == "none"
    plain = Rows(list(columns))
    plain.add(["Roof", 3.048, 5.0])
    assert in_units(plain, METRIC).rows[0][1] == 3.048 and plain.columns == columns


def test_every_table_of_the_demo_has_no_metres_in_feet(loft: Window, qtbot: QtBot) -> None:
    from rod_tally.desk.tables.editing import EDITABLE, plain_title
    from rod_tally.desk.tables.registry import ASPECTS, TABLES

    loft.next_units()
    rested(qtbot, loft)
    left = []
    for name in TABLES:
        for aspect in range(max(len(ASPECTS.get(name, ())), 1)):
            loft.tables.show_table(name, aspect)
            loft.tables._front()
            page = loft.tables.pages.get(name)
            for title in page.model.content.columns if page is not None else ():
                unit = title.rpartition(", ")[2] if ", " in title else ""
                if unit in ("m", "mm", "t", "kN", "kNm", "m²", "m³", "MPa") and plain_title(
                    title
                ) not in EDITABLE.get(name, ()):
                    left.append((name, title))
    assert not left
