"""Building blocks of a report's chapters: paragraphs, tables with values and their SI numbers, findings."""

from __future__ import annotations

from dataclasses import dataclass, field

from ...model import Finding
from ...review.decisions import Decision
from ...review.titles import title_of

UNITS = {
    "force": ("kN", 1e-3), "moment": ("kNm", 1e-3), "length": ("m", 1.0), "small": ("mm", 1e3), "area": ("m2", 1.0), "mass": ("t", 1e-3),
    "period": ("s", 1.0), "share": ("%", 100.0), "plain": ("", 1.0), "turn": ("mrad", 1e3),
}  # fmt: skip

ROUNDING = 1e-6  # of the unit shown; less is the rest of a sum


@dataclass(slots=True)
class Cell:
    """A text, or a value in SI shown in the unit of its kind; `ids` are parts of the model it names."""

    text: str = ""
    si: float | None = None
    ids: tuple[str, ...] = ()


def value(v: float | None, kind: str) -> Cell:
    """A number of a kind of UNITS, five digits shown; empty for none."""
    if v is None:
        return Cell()
    shown = float(v) * UNITS[kind][1]
    text = f"{shown:.5g}" if abs(shown) < 1e5 else f"{shown:.0f}"
    return Cell("0" if abs(shown) < ROUNDING else text, float(v))


@dataclass(slots=True)
class Table:
    """`columns` are headings, with the unit where values have one; `rows` of cells or plain texts."""

    title: str
    columns: list[str]
    rows: list[list[Cell | str]]
    note: str = ""

    @property
    def cells(self) -> list[list[Cell]]:
        return [[c if isinstance(c, Cell) else Cell(c) for c in row] for row in self.rows]


@dataclass(slots=True)
class ReportFinding:
    """One finding with its number in the report, its decision and a drawing of its place ("" for none)."""

    number: int
    finding: Finding
    decision: Decision | None
    place: str
    sketch: str = ""

    @property
    def title(self) -> str:
        """Return what was found, in words."""
        return title_of(self.finding)


@dataclass(slots=True)
class Chapter:
    """`key` names it in the settings and as a link."""

    key: str
    title: str
    words: list[str] = field(default_factory=list)
    tables: list[Table] = field(default_factory=list)
    findings: list[ReportFinding] = field(default_factory=list)
    pictures: list[tuple[str, str]] = field(default_factory=list)  # title, and a PNG file in base 64
    drawings: list[tuple[str, str]] = field(default_factory=list)  # title, and an SVG element
    sign: bool = False


def titled(name: str, kind: str) -> str:
    """A heading with its unit."""
    unit = UNITS[kind][0]
    return f"{name}, {unit}" if unit else name
