"""Whatever a review can read, it can write: tables without a NaN, a report and topics, against itself too."""

from __future__ import annotations

import json
import random
from pathlib import Path

import pytest

from rod_tally.cli import main
from rod_tally.intake import IntakeError
from rod_tally.model import Settings
from rod_tally.output.bcf import write_bcf
from rod_tally.output.report.write import html
from rod_tally.output.write import write_review
from rod_tally.project.open import review_path
from rod_tally.review.work import read_model, review

from .test_damaged_files import HARM, sources


def written(path: Path, out: Path) -> None:
    done = review_path(path, Settings.from_dict({"output": {"combinations": True}}), path)
    write_review(done, out)
    for table in out.glob("*.csv"):
        text = table.read_text(encoding="utf-8").lower()
        assert "nan" not in [v for line in text.splitlines() for v in line.split(",")], table
    json.loads((out / "review.json").read_text(encoding="utf-8"))
    assert done.comparison is not None and {m.status for m in done.comparison.parts} <= {"same"}
    assert html(done, done.settings).count('class="finding ') == len(done.findings)
    write_bcf(done, out / "r.bcf")


@pytest.mark.parametrize("k", range(7))
def test_generated_models(tmp_path: Path, k: int) -> None:
    path = tmp_path / "model.ifc"
    path.write_text(sources(tmp_path)[k])
    written(path, tmp_path / "out")


@pytest.mark.parametrize("seed", range(12))
def test_damaged_models(tmp_path: Path, seed: int) -> None:
    """What can still be read is written; what cannot is one line."""
    rng = random.Random(seed)
    lines = rng.choice(sources(tmp_path)).split("\n")
    for _ in range(3):
        at = rng.randrange(8, len(lines) - 3)
        lines[at] = rng.choice(HARM)(lines[at], rng)
    path = tmp_path / "model.ifc"
    path.write_text("\n".join(lines))
    try:
        written(path, tmp_path / "out")
    except IntakeError as error:
        assert len(str(error).splitlines()) == 1
        assert main(["report", str(path), "--html", str(tmp_path / "r.html")]) == 2


def test_a_model_without_cases(tmp_path: Path) -> None:
    """Nothing to run is still a review that can be written."""
    path = tmp_path / "model.ifc"
    path.write_text(sources(tmp_path)[3])
    model = read_model(path, Settings())
    model.cases.clear()
    write_review(review(model, Settings()), tmp_path / "out")
    assert (tmp_path / "out" / "wall_forces.csv").read_text().count("\n") == 1
