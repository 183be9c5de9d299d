"""The registry of chapters: a function that fills an empty chapter from a review. Their order is that of the
settings."""

from __future__ import annotations

from collections.abc import Callable

from ....model import Settings
from ....model.settings import CHAPTERS
from ....review.decisions import decision_on
from ....review.review import Review
from ....words import few
from ..parts import Chapter, Table

LONG, SHORT = 400, 30  # rows of a table in a full and in a short chapter; the rest is in the files

Fill = Callable[[Chapter, Review, bool], None]
_made: dict[str, tuple[str, Fill]] = {}


def chapter(key: str, title: str) -> Callable[[Fill], Fill]:
    """Register a chapter under its name in the settings; `fill(out, review, short)` writes into `out`."""

    def register(fill: Fill) -> Fill:
        _made[key] = (title, fill)
        return fill

    return register


def chapters(review: Review, settings: Settings) -> list[Chapter]:
    """Each full, short or left out as the settings say; those without content are left out too."""
    out = []
    for key in CHAPTERS:
        how = settings.report.chapters.get(key, "full")
        if how == "off":
            continue
        title, fill = _made[key]
        made = Chapter(key, title)
        fill(made, review, how == "short")
        if made.words or made.tables or made.findings or made.pictures or made.drawings or made.sign:
            out.append(made)
    return out


def stamps(review: Review) -> list[str]:
    """Return what has to stand on every page."""
    undecided = [
        f for f in review.findings if f.severity == "blocking" and decision_on(f, review.decisions) is None
    ]
    out = []
    if undecided:
        out.append(f"{len(undecided)} blocking finding{'s are' if len(undecided) > 1 else ' is'} not decided")
    if review.stale:
        out.append("results are older than the model")
    return out


def shortened(table: Table, short: bool, where: str) -> Table:
    """The table with its first rows alone where it is long, and a note of the file that holds the rest."""
    most = SHORT if short else LONG
    if len(table.rows) > most:
        table.note = f"{len(table.rows) - most} more rows are in {where}."
        table.rows = table.rows[:most]
    return table


def some(ids: tuple[str, ...], most: int = 6) -> str:
    """The first ids, and how many more there are."""
    return few(ids, most)
