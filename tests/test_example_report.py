"""The example report: the demo's revision A corrected, decided and looked at, through the command line
alone."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from rod_tally.cli import main, parser, settings_of
from rod_tally.demo.close_out import REVIEWER, close_out
from rod_tally.model import Settings


@pytest.fixture(scope="module")
def project(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return close_out(tmp_path_factory.mktemp("example") / "tern-quay.rodtally")


def test_the_example_is_ready_to_be_signed(project: Path, tmp_path: Path) -> None:
    files = [tmp_path / f"r.{kind}" for kind in ("html", "pdf", "bcf")]
    assert main(["report", str(project), *(x for f in files for x in (f"--{f.suffix[1:]}", str(f)))]) == 0
    assert all(1_000_000 > f.stat().st_size > 50_000 for f in files)
    text = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", files[0].read_text(encoding="utf-8")))
    # the project's own settings: its title page, and floors that hand their loads on
    assert "Tern Quay sail loft" in text and f"by {REVIEWER}" in text and "hand their loads on" in text
    assert "Not ready for design" not in text and "Blocking findings yes none" in text
    signed = text[text.index("What a signature needs") : text.index("Looked at")]
    assert " no " not in signed and f"looked at by {REVIEWER}" in signed


def test_its_faults_are_corrected_and_all_else_has_a_reason(project: Path, tmp_path: Path) -> None:
    assert main(["review", str(project), "--out", str(tmp_path), "--quiet"]) == 0
    made = json.loads((tmp_path / "review.json").read_text(encoding="utf-8"))
    corrected = {d["code"] for d in made["decisions"] if d["decision"] == "corrected"}
    assert corrected == {
        "join.duplicate",
        "join.gap",
        "section.unknown",
        "support.base_free",
        "load.direction",
        "load.magnitude",
    }
    # of two loads of an unusual size one is meant
    left = [f for f in made["findings"] if f["code"] in corrected]
    assert [(f["code"], f["ids"]) for f in left] == [("load.magnitude", ["Boat cradles"])]
    reasons = {
        (d["code"], tuple(d["ids"])): d["reason"] for d in made["decisions"] if d["decision"] == "accepted"
    }
    for f in made["findings"]:
        assert any(code == f["code"] and set(ids) & set(f["ids"]) for code, ids in reasons) or not f["ids"], f
    assert all(reasons.values())
    assert len(made["corrections"]) >= 6


def test_settings_of_a_project_hold_unless_others_are_named(
    project: Path, tmp_path: Path, loft_b: Path
) -> None:
    """Of the project that is reviewed, and of one that a new file is reviewed against; not with --bare."""
    named = Settings()
    named.transfer.slabs = "one-way"
    (tmp_path / "s.toml").write_text(named.to_toml(), encoding="utf-8")

    def slabs(*arguments: str) -> str:
        return settings_of(
            parser().parse_args(["review", *arguments, "--out", str(tmp_path / "o")])
        ).transfer.slabs

    assert slabs(str(project)) == slabs(str(loft_b), "--against", str(project)) == "two-way"
    assert slabs(str(loft_b), "--against", str(project), "--bare") == slabs(str(loft_b)) == "auto"
    assert slabs(str(loft_b), "--against", str(loft_b)) == "auto"
    for model in (str(project), str(loft_b)):
        assert slabs(model, "--against", str(project), "--settings", str(tmp_path / "s.toml")) == "one-way"
