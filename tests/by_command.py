"""A model reviewed by the command line alone: its tables go in, its tables come out."""

from __future__ import annotations

import csv
from pathlib import Path

from rod_tally.cli import main
from rod_tally.model import Model
from rod_tally.output.model_tables import write_model_tables


def reviewed(
    m: Model, folder: Path, settings: str = "", *options: str, status: tuple[int, ...] = (0, 1)
) -> Path:
    """The folder of what a review with these settings (TOML) writes; `folder` takes it all."""
    folder.mkdir(exist_ok=True)
    write_model_tables(m, folder / "model")
    (folder / "s.toml").write_text(settings)
    out = folder / "out"
    own = ["--settings", str(folder / "s.toml"), "--out", str(out), "--quiet", *options]
    assert main(["review", str(folder / "model" / "nodes.csv"), *own]) in status
    return out


def rows(out: Path, table: str) -> list[dict[str, str]]:
    """Rows of a table by its name."""
    with (out / f"{table}.csv").open() as f:
        return list(csv.DictReader(f))
