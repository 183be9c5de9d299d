"""Chapters to HTML by one template, and the same to PDF."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any

from jinja2 import Environment
from markupsafe import Markup

from ...model import Settings
from ...review.review import Review
from ..printed import FONTS, environment, write_html_page, write_pdf_page
from .chapters import chapters, stamps
from .overview import drawing, summary_lines
from .parts import Chapter
from .scene import scene_json, scripts


@lru_cache(maxsize=1)
def _environment() -> Environment:
    env = environment("rod_tally.output.report")
    env.globals["raw"] = Markup
    return env


def html(review: Review, settings: Settings, paper: bool = False) -> str:
    """The report as one HTML text; `paper`: with page numbers in the contents and without the index of
    links."""
    made = chapters(review, settings)
    own = settings.report
    title = " ".join((own.project or review.model.name or Path(review.model.source_file).stem).split())
    return (
        _environment()
        .get_template("report.html")
        .render(
            title=title,
            firm=own.firm,
            reviewer=own.reviewer,
            chapters=made,
            stamps=stamps(review),
            paper=paper,
            index=_index(review, made),
            made=datetime.now(UTC).strftime("%Y-%m-%d %H:%M UTC"),
            fonts=FONTS.as_uri(),
            linked=_linked(review, made),
            drawing=drawing(review.model),
            summary=summary_lines(review),
            scene="" if paper else scene_json(review, made),
            scripts=("", "") if paper else scripts(),
        )
    )


def write_html(review: Review, settings: Settings, path: Path) -> Path:
    """Write the report to one HTML file that needs nothing else. Raises OutputError."""
    return write_html_page(html(review, settings), path)


def write_pdf(review: Review, settings: Settings, path: Path) -> Path:
    """Write the report as PDF. Raises OutputError, also where the libraries that print are missing."""
    return write_pdf_page(html(review, settings, paper=True), path)


def _named(made: list[Chapter]) -> dict[str, list[int]]:
    """Parts that chapters name, with the numbers of the findings about each."""
    out: dict[str, list[int]] = {}
    for c in made:
        for f in c.findings:
            for ident in f.finding.ids:
                out.setdefault(ident, []).append(f.number)
        for t in c.tables:
            for row in t.cells:
                for cell in row:
                    for ident in cell.ids:
                        out.setdefault(ident, [])
    return out


def _linked(review: Review, made: list[Chapter]) -> set[str]:
    return {i for i in _named(made) if review.model.part(i) is not None}


def _index(review: Review, made: list[Chapter]) -> list[dict[str, Any]]:
    rows = []
    for ident, numbers in _named(made).items():
        part = review.model.part(ident)
        if part is not None:
            section = getattr(part, "section", None) or f"{getattr(part, 'thickness', 0.0) * 1000:.0f} mm"
            rows.append(
                {
                    "id": ident,
                    "name": part.name or ident,
                    "cls": part.cls,
                    "section": section,
                    "storey": part.storey,
                    "findings": numbers,
                }
            )
    return sorted(rows, key=lambda r: (str(r["cls"]), str(r["name"])))
