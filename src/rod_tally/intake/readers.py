"""The registry of readers, and the one function through which every file is read."""

from __future__ import annotations

import gc
import os
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from importlib.metadata import entry_points
from pathlib import Path
from typing import Any

from ..progress import Progress, silent
from .source import SourceModel


class IntakeError(Exception):
    """A file that cannot be taken in; the message is one line: which file, what is wrong, what to do."""


@cache
def readers() -> dict[str, Any]:
    """Readers by name: modules with SUFFIXES and `read(path, progress) -> SourceModel`, from the entry
    points."""
    return {e.name: e.load() for e in entry_points(group="rod_tally.readers")}


@contextmanager
def uncollected() -> Iterator[None]:
    """No garbage collections meanwhile: hundreds of thousands of new objects, all of them kept, set off many
    in vain."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def read_source(path: Path, progress: Progress = silent) -> SourceModel:
    """Read a file with the reader for its suffix; the file is only ever read.

    Raises IntakeError when there is no such file, it is a directory, may not be read, or no reader takes it.
    """
    if not path.exists():
        raise IntakeError(f"{path}: there is no such file")
    if path.is_dir():
        raise IntakeError(f"{path}: is a directory; name a file")
    if not os.access(path, os.R_OK):
        raise IntakeError(f"{path}: no permission to read it")
    for reader in readers().values():
        if path.suffix.lower() in reader.SUFFIXES:
            with uncollected():
                return reader.read(path, progress)
    known = ", ".join(s for r in readers().values() for s in r.SUFFIXES)
    raise IntakeError(f"{path}: no reader for files of this kind; known are {known}")
