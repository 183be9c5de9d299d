"""Progress of long-running work: a call with what it does and the share that is done, 0 to 1. It may raise to
cancel."""

from __future__ import annotations

import time
from collections.abc import Callable

Progress = Callable[[str, float], None]


def silent(_text: str, _share: float) -> None:
    """Reports to nobody."""


class TimeLeft:
    """The time that a piece of work still takes, from how far it has come since it began."""

    SOON = 5.0  # s; before that nothing is said

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self.clock = clock
        self._begin, self._share = clock(), 0.0

    def of(self, share: float) -> str:
        """ ", about 40 s left" at a share done; "" while it cannot be known. A share that falls is a new
        piece of work."""
        now = self.clock()
        if share < max(self._share - 0.02, 0.02):
            self._begin = now
        self._share = share
        gone = now - self._begin
        if gone < self.SOON or share < 0.1:
            return ""
        left = gone * (1.0 - share) / share
        if left < 1.0:
            return ""
        return f", about {left:.0f} s left" if left < 90 else f", about {left / 60:.0f} min left"
