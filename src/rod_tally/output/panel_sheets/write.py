"""Sheets of wall panels as HTML and PDF: one page a panel."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from markupsafe import Markup

from ...model.geometry.vectors import Array
from ...model.settings import WallSettings
from ...review.review import Review
from ...review.walls.panel_sheet import (
    GOVERNS,
    CutOverCombinations,
    JointOverCombinations,
    PanelSheet,
    panel_sheets,
    workings,
)
from ..printed import FONTS, environment, write_page
from ..write import OutputError
from .drawing import drawing

MOST_ROWS = 30  # combinations of a cut that a page holds; what governs comes before what does not
COLUMNS = [
    "N, kN",
    "V, kN",
    "M, kNm",
    "e, m",
    "Pressed, elastic, m",
    "Pressed, plastic, m",
    "Pressure, MPa",
    "Tie, kN",
    "Sliding",
    "Shear on it, MPa",
]


def write_sheets(review: Review, path: Path, only: str = "") -> int:
    """Write the sheets of all wall panels, or of the wall of that id, as HTML or, by the name's ending, PDF;
    return how many there are. Raises OutputError, also where the run computed no such wall."""
    sheets, without = panel_sheets(review, only)
    if not sheets:
        raise OutputError(
            f"{path}: no wall panel has forces to write: {'; '.join(without[:4]) or 'the model has no walls'}"
        )
    text = sheets_html(review, sheets, without, paper=path.suffix.lower() == ".pdf")
    write_page(text, path)
    return len(sheets)


def sheets_html(
    review: Review, sheets: list[PanelSheet], without: list[str], paper: bool = False, drawn: bool = True
) -> str:
    """The sheets as one HTML text; `drawn`: with the drawings."""
    own = review.settings.walls
    pages = [
        {
            "title": s.title,
            "words": _words(review, s),
            "drawing": Markup(drawing(review, s)) if drawn else "",
            "loads": [(case, *(_number(v * 1e-3) for v in force)) for case, force in s.loads],
            "cuts": [_cut(s, c, own) for c in s.cuts],
            "joints": [row for j in s.joints for row in _joint(s, j)],
            "remarks": s.remarks,
        }
        for s in sheets
    ]
    return (
        environment("rod_tally.output.panel_sheets")
        .get_template("panels.html")
        .render(
            name=review.settings.report.project or review.model.name or Path(review.model.source_file).stem,
            pages=pages,
            columns=COLUMNS,
            without=without,
            paper=paper,
            drawn=drawn,
            fonts=FONTS.as_uri(),
        )
    )


def _words(review: Review, s: PanelSheet) -> str:
    wall, z = s.wall, float(review.model.origin[2])
    way = {"shell": "computed as a shell", "column": "computed as a column"}.get(wall.way, "")
    parts = [
        f"{wall.thickness * 1000:.0f} mm",
        wall.material or "no material",
        f"from {s.low + z:+.3f} to {s.high + z:+.3f} m",
        way,
        f"over {len(s.names)} {s.over}",
    ]
    return ", ".join(p for p in parts if p)


def _cut(s: PanelSheet, c: CutOverCombinations, settings: WallSettings) -> dict[str, object]:
    by: dict[int, list[str]] = {}
    for key, k in c.governing.items():
        by.setdefault(k, []).append(GOVERNS[key][0])
    known = [k for k in range(len(s.names)) if not np.isnan(c.n[k])]
    rows = sorted(known, key=lambda k: (k not in by, k))
    shown = rows[: max(MOST_ROWS, len(by))]
    b = c.block
    table = []
    for k in sorted(shown):
        stability: list[Array | float] = [b.eccentricity[k], b.elastic_length[k], b.plastic_length[k], b.plastic_pressure[k] * 1e-6, b.tie[k] * 1e-3, b.sliding[k], c.stress[k] * 1e-6]  # fmt: skip
        cells = [_number(v) for v in (c.n[k] * 1e-3, c.v[k] * 1e-3, c.m[k] * 1e-3)]
        cells += ["" if c.panel.why_not else _number(float(v)) for v in stability]
        if np.isinf(c.stress[k]):
            cells[-1] = "nothing pressed"
        table.append((s.names[k], cells, ", ".join(by.get(k, ()))))
    # the worst of each, each combination's workings once
    worst = dict.fromkeys(
        c.governing[key] for key in ("plastic_length", "tie", "sliding") if key in c.governing
    )
    return {
        "part": c.panel.part,
        "length": _number(c.panel.length),
        "rows": table,
        "more": len(rows) - len(shown),
        "workings": [(s.names[k], workings(c, k, settings, _force, _moment)) for k in worst],
    }


def _joint(s: PanelSheet, j: JointOverCombinations) -> list[tuple[str, ...]]:
    out: list[tuple[str, ...]] = []
    by: dict[int, list[str]] = {}
    for name, (k, _) in j.governing.items():
        by.setdefault(k, []).append(name)
    for k, names in by.items():
        f = j.governing[names[0]][1]
        use = f"{abs(f.shear) / j.capacity:.0%}" if j.capacity > 0 else ""
        out.append((
            ", ".join(j.others),
            _number(j.length),
            ", ".join(names),
            s.names[k],
            _number(float(f.total[0]) * 1e-3),
            _number(f.shear * 1e-3),
            _number(f.height),
            _number(f.tension * 1e-3),
            _number(f.compression * 1e-3),
            _number(j.capacity * 1e-3) if j.capacity > 0 else "",
            use,
        ))  # fmt: skip
    return out


def _number(v: float) -> str:
    if np.isnan(v):
        return ""
    if np.isinf(v):
        return "none holds"
    return "0" if abs(v) < 1e-6 else f"{v:.4g}" if abs(v) < 1e4 else f"{v:.0f}"


def _force(v: float) -> str:
    return f"{v * 1e-3:.4g} kN"


def _moment(v: float) -> str:
    return f"{v * 1e-3:.4g} kNm"
