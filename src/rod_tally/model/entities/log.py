"""The transfer log: every guess, move and omission between a source and the model, readable by a person."""

from __future__ import annotations

from dataclasses import dataclass

KINDS = (
    "moved",
    "joined",
    "guessed",
    "skipped",
    "supported",
    "shifted",
    "corrected",
    "results",
    "other results",
)


@dataclass(slots=True)
class LogEntry:
    """`kind` is one of KINDS; `distance` (m) is how far something went, 0 where nothing moved."""

    kind: str
    ids: tuple[str, ...]
    message: str
    distance: float = 0.0
    at: tuple[float, float, float] | None = None


@dataclass(slots=True)
class Skipped:
    """An element of the source that is not in the model, and why; `by_choice`: because the reviewer said
    so; `blocking`: what the model is meaningless without there."""

    cls: str
    id: str
    reason: str
    name: str = ""
    ifc_class: str = ""
    by_choice: bool = False
    blocking: bool = False
