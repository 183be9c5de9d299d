"""Files with broken places: one damaged entity costs itself, not the file."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...model.log import LogEntry

# What reading a damaged entity comes to: an attribute absent or of another kind, a reference into nothing, a value out
# of range; our own errors for bodies, curves, placements and actions are ValueErrors.
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
    """The first line of an error's text, or its kind when it has none."""
    return (str(error).strip().splitlines() or [type(error).__name__])[0]


def ident(entity: Any) -> str:
    """An entity's GlobalId, or its number in the file where that is none."""
    value = entity.get_argument(0)  # GlobalId of an IfcRoot
    return value if isinstance(value, str) and value else f"#{entity.id()}"


def text(value: Any) -> str:
    """A name or tag; "" where the file has none, or something else in its place."""
    return value if isinstance(value, str) else ""
