"""Tables as rows of text: CSV files of any usual mark and coding, and sheets of a workbook."""

from __future__ import annotations

import csv
import zipfile
from pathlib import Path
from typing import Any

from .readers import IntakeError
from .zipped import look_inside

Rows = list[list[str]]


def csv_rows(path: Path) -> Rows:
    """Rows of a CSV file, separated by commas, semicolons or tabs. Raises IntakeError."""
    try:
        data = path.read_bytes()
        text = data.decode("utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    except OSError as error:
        raise IntakeError(f"{path}: cannot be read: {error}") from error
    head = text.split("\n", 1)[0]
    mark = ";" if head.count(";") > head.count(",") else "\t" if "\t" in head else ","
    try:
        return list(csv.reader(text.splitlines(), delimiter=mark))
    except csv.Error as error:
        raise IntakeError(f"{path}: cannot be read as a table: {error}") from error


def workbook(path: Path, instead: str = "") -> Any:
    """An .xlsx workbook, open for reading. Raises IntakeError; `instead` says what else could have been
    named."""
    from openpyxl import load_workbook

    if path.suffix.lower() != ".xlsx":
        raise IntakeError(f"{path}: is {instead or 'not'} an .xlsx workbook")
    try:
        with zipfile.ZipFile(path) as z:
            look_inside(z, path, "a workbook")
        return load_workbook(path, read_only=True, data_only=True)
    except IntakeError:
        raise
    except Exception as error:  # the library raises many kinds for files that are no workbook
        raise IntakeError(f"{path}: cannot be read as a workbook: {error}") from error


def sheet_rows(sheet: Any) -> Rows:
    """Rows of a sheet as text, empty cells as ""."""
    return [["" if v is None else str(v) for v in row] for row in sheet.iter_rows(values_only=True)]
