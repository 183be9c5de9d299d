"""Factors from a file's units to SI, and what was assumed where the file is silent."""

from __future__ import annotations

import math
from typing import Any

from ifcopenshell.util.unit import get_measure_unit_type

from .damage import UNREADABLE

PREFIX = {
    "EXA": 1e18,
    "PETA": 1e15,
    "TERA": 1e12,
    "GIGA": 1e9,
    "MEGA": 1e6,
    "KILO": 1e3,
    "HECTO": 1e2,
    "DECA": 1e1,
    "DECI": 1e-1,
    "CENTI": 1e-2,
    "MILLI": 1e-3,
    "MICRO": 1e-6,
    "NANO": 1e-9,
    "PICO": 1e-12,
    "FEMTO": 1e-15,
    "ATTO": 1e-18,
}


def factor(unit: Any) -> float:
    """The factor from one IfcUnit to SI (kilogram for mass). Raises ValueError for a unit without a meaning
    in SI."""
    if unit.is_a("IfcSIUnit"):
        value = PREFIX[unit.Prefix] if unit.Prefix else 1.0
        if unit.Name == "SQUARE_METRE":
            return value**2
        if unit.Name == "CUBIC_METRE":
            return value**3
        return value / 1000 if unit.Name == "GRAM" else value
    if unit.is_a("IfcConversionBasedUnit"):
        measure = unit.ConversionFactor
        value = float(measure.ValueComponent.wrappedValue) * factor(measure.UnitComponent)
        if not math.isfinite(value) or value <= 0:
            raise ValueError(f"unit {unit.Name} has the conversion factor {value}")
        return value
    if unit.is_a("IfcDerivedUnit"):
        value = 1.0
        for element in unit.Elements:
            value *= factor(element.Unit) ** element.Exponent
        return value
    raise ValueError(f"unit {unit.is_a()} has no meaning in SI")


def label(unit: Any) -> str:
    """The unit's name as the tally shows it, e.g. MILLIMETRE, FOOT."""
    if unit.is_a("IfcSIUnit"):
        return f"{unit.Prefix or ''}{unit.Name}"
    if unit.is_a("IfcConversionBasedUnit"):
        return str(unit.Name).strip("'").upper()
    parts = [
        label(e.Unit) + (f"^{e.Exponent}" if e.Exponent != 1 else "") for e in getattr(unit, "Elements", ())
    ]
    return " ".join(parts) or unit.is_a()


# Derived measures: exponents of length, force and angle, for files that do not state the unit itself.
DERIVED = {
    "LINEARFORCEUNIT": (-1, 1),
    "TORQUEUNIT": (1, 1),
    "LINEARMOMENTUNIT": (0, 1),
    "PLANARFORCEUNIT": (-2, 1),
    "LINEARSTIFFNESSUNIT": (-1, 1),
    "ROTATIONALSTIFFNESSUNIT": (1, 1),
    "PRESSUREUNIT": (-2, 1),
    "MODULUSOFSUBGRADEREACTIONUNIT": (-3, 1),
    "MODULUSOFLINEARSUBGRADEREACTIONUNIT": (-2, 1),
    "MODULUSOFROTATIONALSUBGRADEREACTIONUNIT": (0, 1),
}
LENGTH_POWERS = {
    "AREAUNIT": 2,
    "VOLUMEUNIT": 3,
    "SECTIONMODULUSUNIT": 3,
    "MOMENTOFINERTIAUNIT": 4,
    "SECTIONAREAINTEGRALUNIT": 5,
    "WARPINGCONSTANTUNIT": 6,
}
# Measures that are another one under a name of their own: without a unit of their own they follow that one.
SAME_AS = {"MODULUSOFELASTICITYUNIT": "PRESSUREUNIT", "SHEARMODULUSUNIT": "PRESSUREUNIT"}


def measure_unit(value: Any) -> str:
    """The unit type of a typed value, e.g. PRESSUREUNIT of an IfcPressureMeasure; "" for a plain number or a
    ratio."""
    kind = value.is_a()
    if not kind.endswith("Measure") or kind in (
        "IfcNumericMeasure",
        "IfcRatioMeasure",
        "IfcNormalisedRatioMeasure",
    ):
        return ""
    return str(get_measure_unit_type(kind))


class Units:
    """Factors by unit type, `units["LENGTHUNIT"]`, and `stated`, what the file says, as words.

    A measure the file states no unit for: a power of length follows the length unit; a modulus follows the
    unit of pressure; a measure of force follows force and length where the file states a force unit, and is
    SI otherwise. `guessed` keeps the latter's names."""

    def __init__(self, assignment: Any) -> None:
        self._factors: dict[str, float] = {}
        self.stated: dict[str, str] = {}
        self.guessed: set[str] = set()
        for unit in (assignment.Units or ()) if assignment is not None else ():
            if unit is None or unit.is_a("IfcMonetaryUnit") or not getattr(unit, "UnitType", None):
                continue
            kind = unit.UnitType
            try:
                self._factors[kind] = factor(unit)
            except UNREADABLE:
                continue
            self.stated[kind.removesuffix("UNIT").lower()] = label(unit)

    def __contains__(self, kind: str) -> bool:
        return kind in self._factors

    def __getitem__(self, kind: str) -> float:
        if kind in self._factors:
            return self._factors[kind]
        if kind in SAME_AS:
            value = self[SAME_AS[kind]]
            if SAME_AS[kind] in self.guessed:
                self.guessed.add(kind)
            self._factors[kind] = value
            return value
        length = self._factors.get("LENGTHUNIT", 1.0)
        if kind == "MASSDENSITYUNIT" and "MASSUNIT" in self._factors:
            self.guessed.add(kind)
            value = self._factors["MASSUNIT"] / length**3
        elif kind in LENGTH_POWERS:
            value = length ** LENGTH_POWERS[kind]
        elif kind in DERIVED and "FORCEUNIT" in self._factors:
            power, force = DERIVED[kind]
            value = length**power * self._factors["FORCEUNIT"] ** force
        else:
            value = 1.0
        if (length != 1.0 and kind in DERIVED) or kind == "MASSDENSITYUNIT":
            self.guessed.add(kind)
        self._factors[kind] = value
        return value

    def readings(self, kind: str) -> list[float]:
        """Factors that a value of a measure without a stated unit may have, the likeliest first."""
        out = [self[kind], 1.0]
        if kind == "MASSDENSITYUNIT" and "FORCEUNIT" in self._factors:
            # the mass that one unit of force accelerates by one unit of length a second squared, a cubic
            # length
            out.append(self._factors["FORCEUNIT"] / self["LENGTHUNIT"] ** 4)
        return out

    def of_property(self, prop: Any, default: str) -> tuple[float, bool]:
        """Factor to SI of an IfcPropertySingleValue, and whether it had to be guessed.

        The property's own unit comes first, then the unit of its value's measure, then that of type `default`
        ("": none). Raises ValueError for a unit of its own that has no meaning in SI."""
        own = getattr(prop, "Unit", None)
        if own is not None:
            return factor(own), False
        kind = measure_unit(prop.NominalValue) or default
        if not kind:
            return 1.0, False
        if kind not in self and kind not in DERIVED and kind not in LENGTH_POWERS and kind not in SAME_AS:
            kind = default or kind
        value = self[kind]
        return value, kind in self.guessed


def assignment(file: Any) -> Any:
    """The units that hold for an open file; None where it states none."""
    contexts = file.by_type("IfcProject") or (
        file.by_type("IfcProjectLibrary") if file.schema != "IFC2X3" else []
    )
    for project in contexts:
        if project.UnitsInContext is not None:
            return project.UnitsInContext
    found = file.by_type("IfcUnitAssignment")
    return found[0] if found else None
