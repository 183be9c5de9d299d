"""Results of a design elsewhere, a table of parts, or of places in them, with their utilisation, required
reinforcement or the like: CSV or a workbook."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from ..model import Model
from .readers import IntakeError
from .result_tables import mark_of, number_of, rows_of

WHO = ("id", "globalid", "tag", "mark", "number", "name", "part", "member", "element", "wall", "slab")
MOST_VALUES = 8  # columns of values that are read


PLACE = ("x", "y", "z")


@dataclass(slots=True)
class DesignPlace:
    """The values at one place (m, the source's coordinates) of a part."""

    part: str
    at: tuple[float, float, float]
    values: dict[str, float]


@dataclass(slots=True)
class DesignResults:
    """`values`: by part, and by heading, the largest of its rows as they stand (no unit is known here).
    `names` are the headings of values in their order, `places` the rows that say where, `unread` rows (where,
    why) and columns that were not read."""

    names: list[str] = field(default_factory=list)
    values: dict[str, dict[str, float]] = field(default_factory=dict)
    unread: list[tuple[str, str]] = field(default_factory=list)
    source: str = ""
    places: list[DesignPlace] = field(default_factory=list)


def read_design(path: Path, model: Model) -> DesignResults:
    """A table whose first row holds headings: one that says who (`WHO`), x, y and z (m) where it says at which
    place of the part, the others values. Parts are found
    by id, else by tag, else by name where only one has it. Raises IntakeError for a table that cannot be
    read, or in which nobody is found."""
    rows = rows_of(path)
    head = [c.strip() for c in rows[0]] if rows else []
    who = [k for k, h in enumerate(head) if "".join(h.lower().split()).replace("_", "") in WHO]
    if not who:
        raise IntakeError(f"{path}: needs a column that says which part a row is of: {', '.join(WHO)}")
    out = DesignResults(source=path.name)
    plain = ["".join(h.lower().removesuffix("[m]").split()) for h in head]
    place = [plain.index(a) for a in PLACE] if all(a in plain for a in PLACE) else []
    columns = [k for k, h in enumerate(head) if h and k not in (*who, *place) and _numbers(rows[1:], k)]
    for k in columns[MOST_VALUES:]:
        out.unread.append((f"column {head[k]}", f"only the first {MOST_VALUES} columns of values are read"))
    columns = columns[:MOST_VALUES]
    out.unread += [
        (f"column {h}", "it holds no numbers")
        for k, h in enumerate(head)
        if h and k not in (*who, *columns, *place)
    ]
    if not columns:
        raise IntakeError(f"{path}: holds no column of numbers beside {', '.join(head[k] for k in who)}")
    out.names = [head[k] for k in columns]
    known, mark = _known(model), mark_of(rows[1:])
    for number, row in enumerate(rows[1:], 2):
        texts = [row[k].strip() for k in who if k < len(row) and row[k].strip()]
        found = next((known[t] for t in texts if t in known), None)
        if not texts:
            continue
        if not found:
            why = "several parts have this name" if found == "" else "no part has this id, tag or name"
            out.unread.append((f"row {number}, {texts[0]}", why))
            continue
        own = out.values.setdefault(found, {})
        here: dict[str, float] = {}
        for k in columns:
            text = row[k].strip() if k < len(row) else ""
            if not text:
                continue
            try:
                value = number_of(text, mark)
            except ValueError as error:
                words = str(error) if "may be read" in str(error) else f"{text!r} is no number"
                out.unread.append((f"row {number}, {head[k]}", words))
                continue
            own[head[k]] = max(own.get(head[k], value), value)
            here[head[k]] = value
        if place and here:
            try:
                x, y, z = (number_of(row[k].strip(), mark) for k in place)
                out.places.append(DesignPlace(found, (x, y, z), here))
            except (ValueError, IndexError):
                out.unread.append((f"row {number}, {texts[0]}", "its place is not three numbers"))
    if not out.values:
        raise IntakeError(
            f"{path}: names no part of this model; its first row is of {rows[1][who[0]] if len(rows) > 1 else 'nobody'}"
        )
    return out


def _numbers(rows: list[list[str]], k: int) -> bool:
    for row in rows:
        if k < len(row) and row[k].strip():
            try:
                number_of(row[k], ".")
            except ValueError:
                continue
            return True
    return False


def _known(model: Model) -> dict[str, str]:
    """Id of the part that a text means; "" where several have that name."""
    out: dict[str, str] = {}
    for key in ("name", "tag", "id"):  # the later ones win
        seen: dict[str, str] = {}
        for part in model.parts():
            text = getattr(part, key)
            if text:
                seen[text] = "" if text in seen else part.id
        out |= seen
    return out
