"""A folder of models, each reviewed by a process of its own, with one summary."""

from __future__ import annotations

import csv
import io
import json
import os
import subprocess
import sys
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path

SUFFIXES = (".ifc", ".ifczip", ".rodtally")


@dataclass(slots=True)
class Reviewed:
    """One model of a folder: `status` is the exit status of its review, `message` what it said where it could
    not be."""

    model: str
    folder: str
    status: int
    blocking: int | None
    warnings: int | None
    notes: int | None
    message: str


def models_in(folder: Path) -> list[Path]:
    """Models of a folder by name, not of folders in it."""
    return sorted(p for p in folder.iterdir() if p.suffix.lower() in SUFFIXES and p.is_file())


def review_folder(
    models: list[Path],
    out: Path,
    options: list[str],
    at_once: int = 0,
    finished: Callable[[Reviewed], None] | None = None,
) -> list[Reviewed]:
    """Review every model into a folder of its own below `out`. One that fails, or takes more memory than
    there is, leaves the others alone. `at_once`: how many run together, 0 for as many as the machine has
    processors, at most four."""
    names: dict[str, Path] = {}
    for path in models:
        name, n = path.stem, 2
        while name in names:
            name, n = f"{path.stem} ({n})", n + 1
        names[name] = path
    at_once = at_once or min(4, os.cpu_count() or 1)

    def one(name: str) -> Reviewed:
        done = _review(names[name], out / name, options, max(1, (os.cpu_count() or 1) // at_once))
        if finished is not None:
            finished(done)
        return done

    with ThreadPoolExecutor(at_once) as pool:
        return list(pool.map(one, names))


def _review(path: Path, out: Path, options: list[str], threads: int) -> Reviewed:
    command = [
        sys.executable,
        "-m",
        "rod_tally.cli",
        "review",
        str(path),
        "--out",
        str(out),
        "--quiet",
        *options,
    ]
    limits = {"OMP_NUM_THREADS": str(threads), "MKL_NUM_THREADS": str(threads)}
    done = subprocess.run(command, capture_output=True, text=True, check=False, env=limits | dict(os.environ))
    message = done.stderr.strip().splitlines()[-1].removeprefix("rod-tally: ") if done.stderr.strip() else ""
    if done.returncode not in (0, 1):
        message = message or f"{path}: the review ended with status {done.returncode}, perhaps out of memory"
        return Reviewed(path.name, out.name, 2, None, None, None, message)
    found = json.loads((out / "review.json").read_text(encoding="utf-8"))["findings"]
    count = {s: sum(f["severity"] == s for f in found) for s in ("blocking", "warning", "note")}
    return Reviewed(
        path.name, out.name, done.returncode, count["blocking"], count["warning"], count["note"], ""
    )


def summary_files(done: list[Reviewed]) -> dict[str, str]:
    """`summary.json` and `summary.csv` as text, by name."""
    table = io.StringIO()
    rows = csv.DictWriter(table, list(Reviewed.__dataclass_fields__), lineterminator="\n")
    rows.writeheader()
    rows.writerows({k: "" if v is None else v for k, v in asdict(r).items()} for r in done)
    text = json.dumps(
        {"format": "rod-tally-summary", "version": 1, "models": [asdict(r) for r in done]}, indent=1
    )
    return {"summary.json": text + "\n", "summary.csv": table.getvalue()}
