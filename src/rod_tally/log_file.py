"""The log file: what went wrong and what was done, in the platform's folder for such things, rotating."""

from __future__ import annotations

import logging
import logging.handlers
from functools import cache
from pathlib import Path

from platformdirs import user_log_path

NAME = "rod-tally.log"
LARGEST, KEPT = 1_000_000, 3  # bytes a file, and how many older ones are kept


@cache
def start_log() -> Path | None:
    """Log of the whole package into the file, once a process; its path, None where it cannot be written."""
    root = logging.getLogger("rod_tally")
    root.setLevel(logging.INFO)
    root.propagate = False
    try:
        folder = user_log_path("rod-tally", ensure_exists=True)
        handler = logging.handlers.RotatingFileHandler(
            folder / NAME, maxBytes=LARGEST, backupCount=KEPT, encoding="utf-8", delay=True
        )
        (folder / NAME).touch()
    except OSError:
        root.addHandler(logging.NullHandler())
        return None
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    root.addHandler(handler)
    logging.raiseExceptions = False  # a full disk must not write a traceback to the user's terminal
    return folder / NAME
