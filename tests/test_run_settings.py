"""The form for settings of runs, results and comparisons: what it shows is what holds, what it says is kept
in the project."""

from __future__ import annotations

import pytest
from pytestqt.qtbot import QtBot

from rod_tally.desk.forms.form import Form
from rod_tally.desk.forms.run_settings import ROWS, fields_of, put
from rod_tally.desk.window import Window
from rod_tally.model import Settings
from rod_tally.model.validated import limits

from .desk_help import act


def given(settings: Settings) -> dict[str, object]:
    return {f.name: f.value for f in fields_of(settings)}


def test_what_is_shown_goes_back_as_it_is() -> None:
    for settings in (
        Settings(),
        Settings.from_dict({"mesh": {"size": 0.4}, "run": {"one_way": True}, "compare": {"relative": 0.02}}),
    ):
        out = Settings()
        put(given(settings), out)
        assert out == settings


def test_each_row_is_a_setting_and_each_number_has_the_settings_range() -> None:
    known = Settings().to_dict()
    for row in ROWS:
        table, key = row.key.split(".")
        assert key in known[table]
    for f in fields_of(Settings()):
        if not f.choices:
            low, high = limits(Settings, f.name)
            factor = next(r.factor for r in ROWS if r.key == f.name)
            assert f.high == pytest.approx(high / factor) and f.low == pytest.approx(
                0.0 if f.name == "mesh.size" else low / factor
            )
    with pytest.raises(KeyError):
        limits(Settings, "combinations.standard")


def test_every_row_changed_is_kept_and_can_be_read_again() -> None:
    other: dict[str, object] = {}
    for f in fields_of(Settings()):
        if f.name == "combinations.standard":
            other[f.name] = "ASCE 7"
        elif f.choices:
            other[f.name] = next(c for c in f.choices if c != f.value)
        else:
            other[f.name] = float(f.value) * 1.5 + 1
    out = Settings()
    put(other, out)
    again = Settings.from_dict(out.to_dict())
    assert again == out
    assert given(again) == pytest.approx(
        {k: round(v) if k in ("run.stations", "modes.count") else v for k, v in other.items()}
    )  # type: ignore[call-overload]


def test_in_the_window(loft: Window, qtbot: QtBot) -> None:
    act(loft, qtbot, "run.settings")
    form = loft.layout_desk.form
    assert isinstance(form, Form)
    form.widgets["modes.count"].setValue(3)  # type: ignore[union-attr]
    form.widgets["mesh.size"].setValue(0.8)  # type: ignore[union-attr]
    form.accept()
    assert loft.session.settings.modes.count == 3 and loft.session.settings.mesh.size == pytest.approx(0.8)
    assert loft.state.revision is not None and loft.state.revision.stale  # the run is of other settings
