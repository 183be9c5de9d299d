"""Whatever a review can read, it can write: tables without a NaN, a report and topics, against itself too."""

from __future__ import annotations

import json
import random
from pathlib import Path

import ifcopenshell
import pytest

from rod_tally.cli import main
from rod_tally.intake import IntakeError
from rod_tally.intake.ifc.structural.state import brought_results
from rod_tally.model import Settings
from rod_tally.output.bcf import write_bcf
from rod_tally.output.ifc import write_ifc
from rod_tally.output.panel_sheets import sheets_html
from rod_tally.output.report.write import html
from rod_tally.output.write import write_review
from rod_tally.project.open import review_path
from rod_tally.review import Review
from rod_tally.review.walls.panel_sheet import panel_sheets
from rod_tally.review.work import read_model, review

from .test_damaged_files import HARM, sources


def written(path: Path, out: Path) -> Review:
    limits = [{"quantity": q, "most": 1e-3} for q in ("mx", "uz", "As")]
    done = review_path(path, Settings.from_dict({"output": {"combinations": True}, "limits": limits}), path)
    write_review(done, out)
    for table in out.glob("*.csv"):
        text = table.read_text(encoding="utf-8").lower()
        assert "nan" not in [v for line in text.splitlines() for v in line.split(",")], table
    json.loads((out / "review.json").read_text(encoding="utf-8"))
    assert done.comparison is not None and {m.status for m in done.comparison.parts} <= {"same"}
    assert html(done, done.settings).count('class="finding ') == len(done.findings)
    write_bcf(done, out / "r.bcf")
    return done


def handed_on(done: Review, out: Path) -> None:
    """Its results as IFC, of the model as the file holds it, and the sheets of its walls."""
    back = write_ifc(done.model, out / "back.ifc", done.results, done.fields, done)
    for brought in brought_results(ifcopenshell.open(str(back))):
        assert brought.differs == () and len(brought.groups) >= len(done.results.cases)
    sheets, without = panel_sheets(done)
    page = sheets_html(done, sheets, without)
    assert page.count("<h2>") == len(sheets) and ">nan<" not in page


@pytest.mark.parametrize("k", range(7))
def test_generated_models(tmp_path: Path, k: int) -> None:
    path = tmp_path / "model.ifc"
    path.write_text(sources(tmp_path)[k])
    handed_on(written(path, tmp_path / "out"), tmp_path / "out")


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
