"""One value on both sides, and what of theirs stands against nothing of ours."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(slots=True)
class ElsewhereRow:
    """One quantity on both sides, SI; `at` is a place (m), or the distance along a member.
    `theirs - ours` is the difference; `table` is the one that theirs stands in."""

    quantity: str
    case: str
    id: str
    at: tuple[float, ...] | float | None
    ours: float
    theirs: float
    table: str = ""

    @property
    def difference(self) -> float:
        return self.theirs - self.ours


@dataclass(slots=True)
class Unmatched:
    case: str
    id: str
    at: tuple[float, ...] | float | None
    reason: str
