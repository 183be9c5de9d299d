"""Corrections made since a run, in words."""

from __future__ import annotations

from typing import Any

from ..words import and_more
from .entities.model import Model

NAMED = 3


def corrected_since(model: Model, then: list[dict[str, Any]] | None) -> str:
    """Return what was corrected after a run whose model had the corrections `then`, in words; "" where nothing
    was, or nobody knows."""
    now = model.corrections
    if then is None or now == then:
        return ""
    same = next((k for k, (a, b) in enumerate(zip(now, then)) if a != b), min(len(now), len(then)))
    made = [e.message for e in model.log if e.kind == "corrected"][same - len(now) :] if now[same:] else []
    words = "; ".join(made[:NAMED]) + and_more(made, NAMED, "; and")
    if back := len(then) - same:
        words += f"{'; ' if words else ''}{back} correction{'s' if back > 1 else ''} taken back"
    return words
