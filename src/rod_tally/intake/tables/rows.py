"""Rows of the tables, and the cells that several of them have: names, supports, sections and materials."""

from __future__ import annotations

from collections.abc import Iterator

from ...model import Support
from ...model.entities.log import Skipped
from ...model.entities.structure import SUPPORT_WORDS
from ..source import SourceCondition, SourceMaterial, SourceModel, SourceProfile
from .table import CellError, Table

YES = ("yes", "true", "1", "x")


def each(
    tables: dict[str, Table], name: str, source: SourceModel, cls: str
) -> Iterator[tuple[Table, int, list[str]]]:
    """Rows of a table; what the loop's body finds wrong is put in `source.skipped` by `_skip`."""
    table = tables.get(name)
    if table is None:
        return
    for n, row in table.rows:
        if cls:
            source.counts[cls] = source.counts.get(cls, 0) + 1
        yield table, n, row


def skip(source: SourceModel, cls: str, ident: str, n: int, table: Table, error: Exception) -> None:
    source.skipped.append(Skipped(cls, ident or f"{table.name} row {n}", str(error), ident, cls.capitalize()))


def new_name(ident: str, seen: set[str], t: Table, n: int, column: str) -> None:
    if not ident:
        raise CellError(f"{t.place(n, column)}: a name is needed")
    if ident in seen:
        raise CellError(f"{t.place(n, column)}: {ident!r} is there twice")
    seen.add(ident)


def condition_of(t: Table, n: int, row: list[str]) -> SourceCondition | None:
    words = t.text(row, "support")
    words = SUPPORT_WORDS.get(words.lower(), words)
    if not words:
        return None
    try:
        support = Support.of(words)
    except ValueError as error:
        raise CellError(f"{t.place(n, 'support')}: {error}") from None
    if not all(k >= 0 for k in support.stiffness):
        raise CellError(f"{t.place(n, 'support')}: a spring has a stiffness above zero")
    axes = t.vector(n, row, "support_axes", 9)
    own = tuple(tuple(float(v) for v in r) for r in axes.reshape(3, 3)) if axes is not None else None
    return SourceCondition(support.stiffness, own)  # type: ignore[arg-type]


def weight_share(t: Table, n: int, row: list[str]) -> float:
    """Return what a part weighs over its volume by section or thickness; 1 for an empty cell."""
    share = t.number(n, row, "weight_share")
    if share is None:
        return 1.0
    if not 0 < share < 1e3:
        raise CellError(f"{t.place(n, 'weight_share')}: {share:g} is no share above zero")
    return share


def one_of(t: Table, n: int, row: list[str], column: str, known: tuple[str, ...]) -> str:
    word = t.text(row, column).lower()
    if word not in known:
        raise CellError(f"{t.place(n, column)}: {word!r} is none of {', '.join(k for k in known if k)}")
    return word


def made_of(t: Table, row: list[str], source: SourceModel) -> tuple[str, str]:
    """Section and material by name; one that its own table does not describe is taken by its name, as from
    any source."""
    section, material = t.text(row, "section"), t.text(row, "material")
    if section and section not in source.profiles:
        source.profiles[section] = SourceProfile(section, reason="the table of sections does not hold it")
    if material and material not in source.materials:
        source.materials[material] = SourceMaterial(material)
    return section, material
