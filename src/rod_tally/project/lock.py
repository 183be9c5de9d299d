"""One window a project: a hold on it that ends with the process, whatever ends that."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path


class Lock:
    """An advisory lock on a small file beside the project's own."""

    def __init__(self, path: Path) -> None:
        self._file = path.with_name(f".{path.name}.lock")
        self._handle: int | None = None

    def take(self) -> bool:
        """False when another window has it. Where no lock file can be made, or the system has none, it counts
        as taken."""
        try:
            import fcntl
        except ImportError:
            return True
        try:
            handle = os.open(self._file, os.O_RDWR | os.O_CREAT, 0o600)
        except OSError:
            return True
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(handle)
            return False
        self._handle = handle
        return True

    def release(self) -> None:
        """Let it go; nothing when it is not held."""
        if self._handle is not None:
            with contextlib.suppress(OSError):
                self._file.unlink()
            os.close(self._handle)
            self._handle = None
