"""A field for a number with a unit: it takes other units of the same kind, `12 ft 6 in` or `25 kip/ft`, and
shows them in its own."""

from __future__ import annotations

from PyQt6.QtGui import QValidator
from PyQt6.QtWidgets import QDoubleSpinBox, QWidget

from ...model.units import Unit, UnitError, parse_unit, quantity
from ..quantities import IMPERIAL, SI, UnitSet

# the unit that stands in a field instead, by the set of units that is shown
INSTEAD: dict[str, dict[str, str]] = {
    IMPERIAL.name: {
        "m": "ft",
        "mm": "in",
        "cm": "in",
        "kN": "kip",
        "kNm": "kip ft",
        "kN m": "kip ft",
        "kN/m": "kip/ft",
        "kN/m²": "psf",
        "kN/m2": "psf",
        "MPa": "ksi",
        "GPa": "ksi",
        "cm²": "in²",
        "cm⁴": "in⁴",
        "MN/m³": "kip/ft³",
        "kNm/m": "kip ft/ft",
        "kN/mm": "kip/in",
    },
    SI.name: {
        "kN": "N",
        "kNm": "N m",
        "kN m": "N m",
        "kN/m": "N/m",
        "kN/m²": "N/m²",
        "kN/m2": "N/m²",
        "kNm/m": "N m/m",
    },
}


def unit_of(text: str) -> Unit | None:
    """The unit of a field, None for words that are none."""
    try:
        return parse_unit(text)
    except UnitError:
        return None


class QuantityBox(QDoubleSpinBox):
    """`given` is the value in the field's own `unit`; it is shown in that of the set of units, and
    `given_value` is in the field's own again: exactly the given one where nobody changed it. `refused` is the
    last text that was none of its kind, "" for none: the value then is the one before."""

    def __init__(
        self,
        given: float,
        unit: str,
        low: float,
        high: float,
        digits: int,
        units: UnitSet,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        own = unit_of(unit) if unit else None
        shown = INSTEAD.get(units.name, {}).get(unit, unit)
        there = unit_of(shown) if own is not None else None
        self._unit = (
            there if there is not None and own is not None and there.dimension == own.dimension else own
        )
        self._factor = self._unit.factor / own.factor if self._unit is not None and own is not None else 1.0
        if self._unit is own:
            shown = unit
        self._suffix = f" {shown}" if shown else ""
        self._given = given
        more = 1 if self._factor > 2 else 0
        self.setDecimals(digits + more)
        self.setRange(low / self._factor, high / self._factor)
        self.setValue(given / self._factor)
        self.setSuffix(self._suffix)
        self._first = self.value()
        self.refused = ""
        # what is typed counts when it is whole: "3 k" of "3 kip" is no 3
        self.setKeyboardTracking(False)
        self.valueChanged.connect(lambda _: setattr(self, "refused", ""))

    @property
    def given_value(self) -> float:
        """The value in the unit that the field was made with."""
        self.interpretText()
        return self._given if self.value() == self._first else self.value() * self._factor

    def _read(self, text: str) -> float | None:
        """A text in the unit that is shown; None for one that is not understood."""
        clean = text.removesuffix(self._suffix).strip()
        if self._unit is not None and any(c.isalpha() or c in "'\"′″" for c in clean):
            try:
                found = quantity(clean)
            except UnitError:
                return None
            return found.factor / self._unit.factor if found.dimension == self._unit.dimension else None
        raw = clean.replace("\u2212", "-")
        try:
            return float(
                raw.replace(",", ".") if raw.count(",") == 1 and "." not in raw else raw.replace(",", "")
            )
        except ValueError:
            return None

    def validate(self, text: str | None, pos: int) -> tuple[QValidator.State, str, int]:
        value = self._read(text or "")
        good = value is not None and self.minimum() <= value <= self.maximum()
        return (QValidator.State.Acceptable if good else QValidator.State.Intermediate), text or "", pos

    def valueFromText(self, text: str | None) -> float:
        value = self._read(text or "")
        return self.value() if value is None else value

    def fixup(self, text: str | None) -> str:
        """Asked by Qt for a text that is not acceptable when it is to be taken; the value stays what it
        was."""
        self.refused = (text or "").removesuffix(self._suffix).strip()
        return super().fixup(text)
