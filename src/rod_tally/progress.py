"""How long-running work reports progress: a call with what it does and the share that is done, 0 to 1. It may raise to cancel."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[str, float], None]


def silent(_text: str, _share: float) -> None:
    """Reports to nobody."""
