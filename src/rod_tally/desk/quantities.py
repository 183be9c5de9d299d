"""Units at the edge: how numbers are shown. The one small table for all of the window."""

from __future__ import annotations

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


METRIC = UnitSet("kN · m", (1e-3, "kN"), (1e-3, "kNm"), (1.0, "m"), (1e3, "mm"))
IMPERIAL = UnitSet(
    "kip · ft",
    (1 / 4448.2216152605, "kip"),
    (1 / 1355.8179483314, "kip ft"),
    (1 / 0.3048, "ft"),
    (1 / 0.0254, "in"),
)
SI = UnitSet("N · m", (1.0, "N"), (1.0, "N m"), (1.0, "m"), (1e3, "mm"))
UNIT_SETS = (METRIC, IMPERIAL, SI)
FORCE_KIND = {"n": "force", "vy": "force", "vz": "force", "mt": "moment", "my": "moment", "mz": "moment"}
