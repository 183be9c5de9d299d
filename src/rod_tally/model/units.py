"""Units as people write them in headings and fields, to SI: `kN/m`, `kNmm`, `lbf/ft2`, `kip-ft`, `psf`.

Factors: International System of Units (BIPM, 9th edition, tables 4 and 8); the foot of 0.3048 m and the pound
of 0.45359237 kg of the international yard and pound agreement of 1959; standard gravity 9.80665 m/s2 (3rd
CGPM, 1901)."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cache

GRAVITY = 9.80665
FOOT = 0.3048
POUND_FORCE = 0.45359237 * GRAVITY

# powers of force, length, time, temperature, angle, mass
Dimension = tuple[int, int, int, int, int, int]
NONE: Dimension = (0, 0, 0, 0, 0, 0)
FORCE: Dimension = (1, 0, 0, 0, 0, 0)
MOMENT: Dimension = (1, 1, 0, 0, 0, 0)
FORCE_BY_LENGTH: Dimension = (1, -1, 0, 0, 0, 0)
PRESSURE: Dimension = (1, -2, 0, 0, 0, 0)
LENGTH: Dimension = (0, 1, 0, 0, 0, 0)
TIME: Dimension = (0, 0, 1, 0, 0, 0)
ACCELERATION: Dimension = (0, 1, -2, 0, 0, 0)
TEMPERATURE: Dimension = (0, 0, 0, 1, 0, 0)
TEMPERATURE_BY_LENGTH: Dimension = (0, -1, 0, 1, 0, 0)
ANGLE: Dimension = (0, 0, 0, 0, 1, 0)
MASS: Dimension = (0, 0, 0, 0, 0, 1)


class UnitError(ValueError):
    """A unit that is not understood; the message names it."""


@dataclass(frozen=True, slots=True)
class Unit:
    """`factor` to SI and the powers of force, length, time, temperature, angle and mass."""

    factor: float
    dimension: Dimension


def _table() -> dict[str, Unit]:
    out: dict[str, Unit] = {}

    def add(dimension: Dimension, **units: float) -> None:
        out.update({name: Unit(factor, dimension) for name, factor in units.items()})

    add(
        FORCE, N=1.0, kN=1e3, MN=1e6, daN=10.0, kgf=GRAVITY, tf=1e3 * GRAVITY, lbf=POUND_FORCE, lb=POUND_FORCE,
        lbs=POUND_FORCE, kip=1e3 * POUND_FORCE, kips=1e3 * POUND_FORCE, k=1e3 * POUND_FORCE,
    )  # fmt: skip
    add(LENGTH, m=1.0, mm=1e-3, cm=1e-2, dm=0.1, km=1e3, ft=FOOT, inch=FOOT / 12, yd=3 * FOOT)
    out["in"] = out["inch"]
    add(
        PRESSURE,
        Pa=1.0,
        kPa=1e3,
        MPa=1e6,
        GPa=1e9,
        psf=POUND_FORCE / FOOT**2,
        ksf=1e3 * POUND_FORCE / FOOT**2,
    )
    add(PRESSURE, psi=POUND_FORCE / (FOOT / 12) ** 2, ksi=1e3 * POUND_FORCE / (FOOT / 12) ** 2)
    add(FORCE_BY_LENGTH, plf=POUND_FORCE / FOOT, klf=1e3 * POUND_FORCE / FOOT)
    add(TIME, s=1.0, sec=1.0, ms=1e-3)
    add(ACCELERATION, g=GRAVITY)
    add(TEMPERATURE, K=1.0, C=1.0, F=5 / 9)
    add(ANGLE, rad=1.0, mrad=1e-3, deg=math.pi / 180)
    add(MASS, kg=1.0, t=1e3)
    return out


@cache
def _names() -> list[str]:
    return sorted(_table(), key=len, reverse=True)


@cache
def parse_unit(text: str) -> Unit:
    """The unit of a text such as "kN/m", "N/mm2", "kip-ft", "1/s".

    A product is written with a dot, a star, a hyphen, a space or nothing between; powers as 2, ^2, ** 2 or a
    raised digit. Raises UnitError, which names the text, for anything that is not understood as a whole.

    >>> parse_unit("kNmm").factor, round(parse_unit("lbf/ft2").factor, 4), parse_unit("N/mm").factor
    (1.0, 47.8803, 1000.0)
    """
    clean = (
        text.strip().replace("\u00b2", "2").replace("\u00b3", "3").replace("\u00b0", "").replace("**", "^")
    )
    clean = clean.replace("\u2074", "4").replace("\u22c5", "*").replace("\u00b7", "*").replace("\u00d7", "*")
    if not clean:
        raise UnitError("an empty unit")
    factor, power = 1.0, [0] * 6
    sign = 1
    rest = clean
    first = True
    while rest:
        if not first:
            mark = re.match(r"\s*([/*.\-])\s*|\s+", rest)
            if mark is not None:
                if mark[1] == "/":
                    if sign < 0:
                        raise UnitError(f"{text!r} has two strokes; write kN/(m s) as kN/m/s is not clear")
                    sign = -1
                rest = rest[mark.end() :]
        elif re.match(r"1\s*/", rest):
            rest, sign = rest[rest.index("/") + 1 :].strip(), -1
        first = False
        unit, length = _one(rest, text)
        rest = rest[length:]
        raised = re.match(r"\s*\^?\s*(-?\d)", rest)
        exponent = sign
        if raised is not None:
            exponent *= int(raised[1])
            rest = rest[raised.end() :]
        factor *= unit.factor**exponent
        power = [p + exponent * q for p, q in zip(power, unit.dimension)]
    return Unit(factor, tuple(power))  # type: ignore[arg-type]


def _one(rest: str, text: str) -> tuple[Unit, int]:
    """The unit at the head of a text, and its length; letters must be as they are written, then in any
    case."""
    word = re.match(r"[A-Za-z]+", rest)
    if word is not None:
        known = _table()
        whole = word[0]
        # the whole word, else a head whose remainder is a unit too ("kNm", "kipft")
        for fold in (False, True):
            names = {(n.lower() if fold else n): n for n in _names()}
            asked = whole.lower() if fold else whole
            if asked in names:
                return known[names[asked]], len(whole)
            for n in sorted(names, key=len, reverse=True):
                if asked.startswith(n) and asked[len(n) :] in names:
                    return known[names[n]], len(n)
    raise UnitError(f"{text!r} is not a unit that is known")


_FRACTION = r"(?:\d+\s+\d+/\d+|\d+/\d+|\d*[.,]?\d+(?:[eE][+-]?\d+)?|\d+[.,]?)"


def quantity(text: str) -> Unit:
    """A number with its unit, or several of one kind that are added, as a value in SI (`factor`) and its
    dimension. Raises UnitError.

    >>> round(quantity("12 ft 6 in").factor, 4), quantity("25 kN/m").factor
    (3.81, 25000.0)
    >>> round(quantity("5' 7 1/2 in").factor, 4)
    1.7145
    """
    clean = (
        text.replace("\u2212", "-")
        .replace("\u2032", "'")
        .replace("\u2033", '"')
        .replace("'", " ft ")
        .replace('"', " in ")
        .strip()
    )
    sign = -1.0 if clean.startswith("-") else 1.0
    rest = clean.lstrip("+-").strip()
    total, dimension = 0.0, None
    while rest:
        match = re.match(rf"({_FRACTION})\s*([^\d\s][^\s]*(?:\s+(?![\d.])[^\s]+)*)\s*", rest)
        if match is None:
            raise UnitError(f"{text!r} is not a number with a unit")
        unit = parse_unit(match[2])
        if dimension is not None and unit.dimension != dimension:
            raise UnitError(f"{text!r} adds what cannot be added")
        dimension = unit.dimension
        total += _number(match[1]) * unit.factor
        rest = rest[match.end() :]
    if dimension is None:
        raise UnitError(f"{text!r} is not a number with a unit")
    return Unit(sign * total, dimension)


def _number(text: str) -> float:
    """A decimal number, a fraction, or a whole number with one: "6 1/2"."""
    value = 0.0
    for part in text.split():
        over, _, under = part.partition("/")
        try:
            value += float(over.replace(",", ".")) / (float(under) if under else 1.0)
        except ZeroDivisionError:
            raise UnitError(f"{text!r} divides by zero") from None
    return value
