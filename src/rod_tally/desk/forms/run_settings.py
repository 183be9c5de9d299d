"""Settings of runs, results and comparisons as one form; their ranges are those of the settings
themselves."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtWidgets import QWidget

from ...loads.combinations.rules import SHIPPED
from ...model import Settings
from ...model.validated import limits
from .form import Field, Form


@dataclass(frozen=True, slots=True)
class Row:
    """A setting by its key: its title, the unit it is shown in and that unit in SI; `choices` for true,
    false."""

    key: str
    title: str
    unit: str = ""
    factor: float = 1.0
    digits: int = 2
    choices: tuple[str, ...] = ()


ROWS = (
    Row("mesh.size", "size of elements (0: that suits each panel)", "m"),
    Row("mesh.columns", "columns hold flat slabs at their", choices=("node", "section")),
    Row("run.shear_flexible", "shear strain of members", choices=("counts", "is left out")),
    Row("run.one_way", "one-way parts", choices=("act one way", "act both ways")),
    Row("run.stations", "places along each member", digits=0),
    Row("run.ask_above", "ask before runs longer than", "s", digits=0),
    Row("modes.count", "number of modes", digits=0),
    Row("modes.consistent", "mass of members", choices=("spread along them", "in lumps at nodes")),
    Row("combinations.standard", "rules of combinations", choices=tuple(SHIPPED)),
    Row("compare.relative", "a result has changed from", "%", 0.01),
    Row("compare.absolute_force", "and by at least", "kN", 1e3),
    Row("walls.friction", "friction in joints of walls"),
    Row("walls.tie_edge", "from a wall's edge to its tie", "m"),
    Row("walls.pressure", "pressure that a wall may bear (0: by its strength)", "N/mm²", 1e6),
    Row("walls.joint_shear", "what an upright joint carries along it (0: not given)", "kN/m", 1e3),
    Row("output.combinations", "written tables", choices=("hold combinations too", "hold cases only")),
)


def fields_of(settings: Settings) -> list[Field]:
    """A field for each row, with what holds now."""
    out = []
    for row in ROWS:
        table, key = row.key.split(".")
        now = getattr(getattr(settings, table), key)
        if row.key == "combinations.standard":
            out.append(Field(row.key, row.title, now, row.choices, True))
        elif row.choices:
            chosen = now if isinstance(now, str) else row.choices[0 if now else 1]
            out.append(Field(row.key, row.title, chosen, row.choices))
        else:
            low, high = limits(Settings, row.key)
            value = 0.0 if now == "auto" else float(now) / row.factor
            low = 0.0 if row.key == "mesh.size" else low / row.factor
            out.append(
                Field(
                    row.key,
                    row.title,
                    value,
                    low=low,
                    high=high / row.factor,
                    unit=row.unit,
                    digits=row.digits,
                )
            )
    return out


def put(values: dict[str, Any], settings: Settings) -> None:
    """Put what the form says into the settings."""
    for row in ROWS:
        table, key = row.key.split(".")
        given = values[row.key]
        value: Any
        if row.key == "combinations.standard":
            value = str(given).strip() or "EN 1990"
        elif row.key == "mesh.columns":
            value = str(given)
        elif row.choices:
            value = given == row.choices[0]
        elif row.key == "mesh.size" and given <= 0:
            value = "auto"
        else:
            value = given * row.factor
            if row.digits == 0 and not row.unit:
                value = int(round(value))
        low_high = (
            limits(Settings, row.key)
            if isinstance(value, (int, float)) and not isinstance(value, bool)
            else None
        )
        if low_high is not None:
            value = type(value)(min(max(value, low_high[0]), low_high[1]))
        setattr(getattr(settings, table), key, value)


def form_of(
    parent: QWidget, settings: Settings, keep: Callable[[Callable[[Settings], None]], object]
) -> Form:
    """The form; `keep` is called with what changes the settings."""
    text = "What holds for this project from the next run or comparison on. Files of settings hold the same keys."
    return Form(
        parent, "Runs, results, comparisons", text, fields_of(settings), lambda v: keep(lambda s: put(v, s))
    )
