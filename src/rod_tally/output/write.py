"""Writing a review to a directory: each file whole or not at all."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import pyarrow as pa
from pyarrow import csv

from ..review.effects.effect import Effect
from ..review.effects.effects import rows_of
from ..review.expected.expected import HEADER as EXPECTED
from ..review.expected.expected import rows_of as expected_rows
from ..review.expected.row import Expected
from ..review.review import Review
from .document import document
from .tables import HEADERS, tables


class OutputError(Exception):
    """A directory that cannot be written to; the message names it and says why."""


def write_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Let `write` fill a file beside `path`, then put it in place in one step; on any failure nothing is
    left."""
    handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    os.close(handle)
    try:
        write(Path(name))
        os.chmod(name, 0o666 & ~_umask())
        os.replace(name, path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def write_csv(header: str, pieces: Iterator[pa.Table], path: Path) -> None:
    """A table as CSV with a header; numbers keep every digit, an absent value is an empty cell."""
    options = csv.WriteOptions(include_header=False, quoting_style="needed")
    with path.open("wb") as f:
        f.write((header.replace(" ", ",") + "\n").encode())
        for piece in pieces:
            if piece.num_rows:
                csv.write_csv(piece, f, options)


def write_review(review: Review, directory: Path) -> list[Path]:
    """Write the contract's files; returns their paths. Raises OutputError when the directory cannot be
    written to."""
    text = json.dumps(document(review), indent=1, allow_nan=False, ensure_ascii=False)
    written = []
    try:
        directory.mkdir(parents=True, exist_ok=True)
        for name, pieces in tables(review):
            write_whole(directory / name, partial(write_csv, HEADERS[name], pieces))
            written.append(directory / name)
        # last, so that whoever waits for it finds the tables there
        write_whole(directory / "review.json", lambda p: write_text(p, text + "\n"))
    except OSError as error:
        raise OutputError(f"{directory}: cannot be written to: {error.strerror or error}") from error
    return [*written, directory / "review.json"]


def write_text(path: Path, text: str) -> None:
    path.write_text(text, encoding="utf-8")


EFFECTS = "switch ids was is quantity of place before after parts"


def write_effects(found: list[Effect], directory: Path) -> Path:
    """Write `effects.csv` into a directory. Raises OutputError."""
    return _write_rows(rows_of(found), EFFECTS, directory, "effects.csv")


def write_expected(found: list[Expected], directory: Path) -> Path:
    """Write `expected.csv` into a directory. Raises OutputError."""
    return _write_rows(expected_rows(found), EXPECTED, directory, "expected.csv")


def _write_rows(rows: list[tuple[object, ...]], header: str, directory: Path, name: str) -> Path:
    names = header.split()
    table = [pa.table({c: [row[k] for row in rows] for k, c in enumerate(names)})] if rows else []
    try:
        write_whole(directory / name, partial(write_csv, header, iter(table)))
    except OSError as error:
        raise OutputError(f"{directory}: cannot be written to: {error.strerror or error}") from error
    return directory / name
