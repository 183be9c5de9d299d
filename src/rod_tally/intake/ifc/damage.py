"""Files with broken places: one damaged entity costs itself, not the file."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from ...model.entities.log import LogEntry, Skipped
from .lines import BadLine

# What reading a damaged entity comes to: an attribute absent or of another kind, a reference into nothing, a
# value out of range; our own errors for bodies, curves, placements and actions are ValueErrors.
UNREADABLE = (AttributeError, TypeError, ValueError, LookupError, RuntimeError, OverflowError)


def for_each(file: Any, kind: str, use: Callable[[Any], None], log: list[LogEntry]) -> None:
    """Call `use` on every entity of a kind; one that cannot be read is left out, with an entry in the log."""
    for entity in file.by_type(kind):
        try:
            use(entity)
        except UNREADABLE as error:
            name = f"#{entity.id()}"
            message = f"{kind} {name} is damaged and was left out ({first_line(error)})"
            log.append(LogEntry("skipped", (name,), message))


def first_line(error: Exception) -> str:
    """Why something cannot be read: our own words or the reader's, and plain ones where Python's say nothing
    to an engineer."""
    if isinstance(error, (AttributeError, TypeError, LookupError)):
        return "something it needs is absent or of another kind"
    return (str(error).strip().splitlines() or [type(error).__name__])[0]


def ident(entity: Any) -> str:
    """An entity's GlobalId, or its number in the file where that is none."""
    value = entity.get_argument(0)  # GlobalId of an IfcRoot
    return value if isinstance(value, str) and value else f"#{entity.id()}"


def text(value: Any) -> str:
    """A name or tag; "" where the file has none, or something else in its place."""
    return value if isinstance(value, str) else ""


GLOBAL_ID = re.compile(r"=\s*\w+\s*\(\s*'([0-9A-Za-z_$]{22})'\s*,[^,]*,\s*(?:'([^']*)')?")
PLACE = (5, 6)  # ObjectPlacement and Representation of an IfcProduct, the same in all three schemas


def where_it_stands(bad: BadLine) -> str:
    """A bad line as a message names it: "line 63 (#56, IFCCOLUMN): a quotation mark is missing"."""
    what = ", ".join(x for x in (f"#{bad.id}" if bad.id else "", bad.kind) if x)
    return f"line {bad.line} of the file{f' ({what})' if what else ''}: {bad.reason}"


def lost_elements(bad: list[BadLine], classes: dict[str, str]) -> list[Skipped]:
    """Return what is not in the parsed file, one by one; `classes` gives the class of IFC entities by their
    name in capitals."""
    out = []
    for b in bad:
        if not b.lost:
            continue
        known = GLOBAL_ID.search(b.text)
        ident = known[1] if known else f"#{b.id}" if b.id else f"line {b.line}"
        name = known[2] or "" if known else ""
        out.append(Skipped(classes.get(b.kind.upper(), "line"), ident, where_it_stands(b), name, b.kind))
    return out


def damaged_products(file: Any, bad: list[BadLine]) -> tuple[dict[int, str], list[Skipped]]:
    """Products whose place or shape leads to a bad line, by entity id with the reason; and what else is bad
    of those lines.

    From a bad entity everything that refers to it is bad too, up to the objects that have an identity: a
    product is left out, a relation keeps what can be read of it.
    """
    out: dict[int, str] = {}
    reported: list[Skipped] = []
    cause = {b.id: b for b in bad if b.lost}
    for b in bad:
        if b.lost:
            continue
        entity = _by_id(file, b.id)
        if entity is None:
            continue
        reason = where_it_stands(b)
        # a consequence is reported with what caused it
        source = next(
            (cause[int(n)] for n in re.findall(r"#(\d+), which cannot be read", b.reason) if int(n) in cause),
            None,
        )
        if source is not None:
            reason = where_it_stands(source)
        if entity.is_a("IfcRoot"):
            _root(entity, b, reason, source is not None, out, reported)
            continue
        if source is None:
            reported.append(Skipped("line", f"#{b.id}", reason, "", entity.is_a()))
        todo, seen = [entity], {entity.id()}
        while todo:
            for user in file.get_inverse(todo.pop()):
                if user.id() in seen:
                    continue
                seen.add(user.id())
                if not user.is_a("IfcRoot"):
                    todo.append(user)
                elif user.is_a("IfcProduct"):
                    out.setdefault(user.id(), reason)
    return out, reported


def _root(
    entity: Any, b: BadLine, reason: str, follows: bool, out: dict[int, str], reported: list[Skipped]
) -> None:
    """An object with an identity that refers to something bad, or whose own values are too few."""
    if entity.is_a("IfcProduct") and (not b.positions or any(p in PLACE for p in b.positions)):
        out.setdefault(entity.id(), reason)
        return
    if entity.is_a("IfcStructuralActivity") and follows:
        return  # an action without its value is reported as one
    names = [entity.attribute_name(p) for p in b.positions if p < len(entity)]
    what = f"its {' and '.join(names)} is not read; " if names else ""
    if names or not follows:
        reported.append(
            Skipped("line", ident(entity), what + reason, text(getattr(entity, "Name", None)), entity.is_a())
        )


def _by_id(file: Any, number: int) -> Any:
    try:
        return file.by_id(number)
    except RuntimeError:
        return None
