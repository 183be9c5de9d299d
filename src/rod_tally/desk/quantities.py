"""Units at the edge: how numbers are shown. The one small table for all of the window."""

from __future__ import annotations

import re
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class UnitSet:
    """Factors from SI to what is shown, and the units' names."""

    name: str
    force: tuple[float, str]
    moment: tuple[float, str]
    length: tuple[float, str]
    small: tuple[float, str]

    def show(self, value: float | None, kind: str, digits: int = 4) -> str:
        """A number in these units without its unit; "" for None."""
        if value is None:
            return ""
        factor = getattr(self, kind)[0] if kind in ("force", "moment", "length", "small") else 1.0
        shown = value * factor
        if kind == "length":
            return f"{shown:.3f}"
        if abs(shown) < 1e-9:
            return "0"
        return f"{shown:.{digits}g}" if abs(shown) < 10**digits else f"{shown:.0f}"

    def words(self, text: str) -> str:
        """A sentence whose quantities are in m, mm and kN, as findings are written, with these units.

        >>> IMPERIAL.words("1.5 to 3 m apart, 2 mm above B12, 12 kN/m")
        '4.921 to 9.843 ft apart, 0.07874 in above B12, 0.8223 kip/ft'
        """
        known = WRITTEN.get(self.name)
        if known is None:
            return text

        def shown(found: re.Match[str]) -> str:
            factor, unit = known.get(found["unit"], (0.0, ""))
            if not unit:
                return found[0]
            numbers = NUMBER.sub(lambda n: _four_digits(float(n[0]) * factor), found["numbers"])
            return f"{numbers} {unit}"

        return QUANTITY.sub(shown, text)


def _four_digits(value: float) -> str:
    return f"{value:.4g}" if abs(value) < 1e4 else f"{value:.0f}"


METRIC = UnitSet("kN · m", (1e-3, "kN"), (1e-3, "kNm"), (1.0, "m"), (1e3, "mm"))
IMPERIAL = UnitSet(
    "kip · ft",
    (1 / 4448.2216152605, "kip"),
    (1 / 1355.8179483314, "kip ft"),
    (1 / 0.3048, "ft"),
    (1 / 0.0254, "in"),
)
SI = UnitSet("N · m", (1.0, "N"), (1.0, "N m"), (1.0, "m"), (1e3, "mm"))
FOOT, INCH, KIP = 0.3048, 0.0254, 4.4482216152605  # m, m, kN
# by the set of units what quantities of findings are multiplied with, and the unit then
WRITTEN = {
    IMPERIAL.name: {
        "m": (1 / FOOT, "ft"),
        "cm": (0.01 / INCH, "in"),
        "mm": (0.001 / INCH, "in"),
        "m2": (1 / FOOT**2, "ft²"),
        "m²": (1 / FOOT**2, "ft²"),
        "m3": (1 / FOOT**3, "ft³"),
        "m³": (1 / FOOT**3, "ft³"),
        "kN": (1 / KIP, "kip"),
        "kNm": (1 / KIP / FOOT, "kip ft"),
        "kN m": (1 / KIP / FOOT, "kip ft"),
        "kN/m": (FOOT / KIP, "kip/ft"),
        "kN/m2": (FOOT**2 / KIP * 1000, "lbf/ft²"),
        "kN/m²": (FOOT**2 / KIP * 1000, "lbf/ft²"),
        "MPa": (1e3 * INCH**2 / KIP, "ksi"),
        "GPa": (1e6 * INCH**2 / KIP, "ksi"),
        "N/mm2": (1e3 * INCH**2 / KIP, "ksi"),
        "N/mm²": (1e3 * INCH**2 / KIP, "ksi"),
        "kg/m3": (FOOT**3 / 0.45359237, "lb/ft³"),
        "kg/m³": (FOOT**3 / 0.45359237, "lb/ft³"),
    },
    SI.name: {
        "kN": (1e3, "N"),
        "kNm": (1e3, "N m"),
        "kN m": (1e3, "N m"),
        "kN/m": (1e3, "N/m"),
        "kN/m2": (1e3, "N/m²"),
        "kN/m²": (1e3, "N/m²"),
    },
}
NUMBER = re.compile(r"-?\d+(?:\.\d+)?(?:e[-+]?\d+)?")
# one number, or several of one unit ("300 x 600 mm", "1.5 to 3 m"), that are no part of a name
QUANTITY = re.compile(
    rf"(?<![\w.])(?P<numbers>(?:{NUMBER.pattern}(?: to | x | × |, | and ))*{NUMBER.pattern}) "
    r"(?P<unit>kN/m[2²]|kN/m|kNm|kN m|kN|N/mm[2²]|MPa|GPa|kg/m[3³]|mm|cm|m[2²3³]|m)(?![\w²³/])"
)
UNIT_SETS = (METRIC, IMPERIAL, SI)
FORCE_KIND = {"n": "force", "vy": "force", "vz": "force", "mt": "moment", "my": "moment", "mz": "moment"}
