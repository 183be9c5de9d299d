"""What a build server uses: a folder at once, JUnit's XML, severities of one's own, quiet and progress; and
the built wheel."""

from __future__ import annotations

import csv
import json
import os
import subprocess
import sys
import xml.etree.ElementTree as ET
import zipfile
from pathlib import Path

import pytest

from rod_tally.cli import main
from rod_tally.model import Finding, Settings, SettingsError
from rod_tally.project import Project
from rod_tally.review import review
from rod_tally.review.ranking import ranked
from rod_tally.review.work import read_model

ROOT = Path(__file__).parent.parent


@pytest.fixture(scope="module")
def gap(tmp_path_factory: pytest.TempPathFactory, loft_a: Path) -> Path:
    """Settings that make a review of the loft quick."""
    path = tmp_path_factory.mktemp("settings") / "quick.toml"
    path.write_text('[transfer]\nslabs = "two-way"\n[modes]\ncount = 0\n')
    return path


def test_junit_fails_what_blocks_and_passes_what_was_not_found(
    tmp_path: Path, loft_a: Path, gap: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    code = main(
        [
            "review",
            str(loft_a),
            "--out",
            str(tmp_path / "o"),
            "--settings",
            str(gap),
            "--junit",
            str(tmp_path / "j.xml"),
            "--quiet",
            "--progress",
        ]
    )
    said = capsys.readouterr()
    assert code == 1 and said.out == "" and "Joining ends" in said.err
    root = ET.parse(tmp_path / "j.xml").getroot()
    cases = {c.get("name", ""): c for c in root.iter("testcase")}
    failed = {n for n, c in cases.items() if c.find("failure") is not None}
    found = json.loads((tmp_path / "o" / "review.json").read_text())["findings"]
    blocking = {f["code"] for f in found if f["severity"] == "blocking"}
    assert {n.rsplit("(", 1)[1].rstrip(")") for n in failed} == blocking
    assert int(root.get("failures", "")) == len(failed) and int(root.get("tests", "")) == len(cases)
    assert cases["No support (support.none)"].find("failure") is None
    written = " ".join(e.text or "" for e in root.iter() if e.tag in ("failure", "system-out"))
    assert all(f["message"] in written for f in found)


def test_severities_of_ones_own(tmp_path: Path, loft_a: Path, gap: Path) -> None:
    own = tmp_path / "own.toml"
    own.write_text(gap.read_text() + '[findings.severity]\nsource = "blocking"\njoin.gap = "note"\n')
    assert main(["review", str(loft_a), "--out", str(tmp_path / "o"), "--settings", str(own), "--quiet"]) == 1
    found = json.loads((tmp_path / "o" / "review.json").read_text())["findings"]
    assert all(f["severity"] == "blocking" for f in found if f["code"].startswith("source."))
    assert [f["severity"] for f in found if f["code"] == "join.gap"] == ["note"]
    order = [("blocking", "warning", "note").index(f["severity"]) for f in found]
    assert order == sorted(order)


@pytest.mark.parametrize(
    "code", ["support.none", "support", "stability.mechanism", "join.island", "equilibrium"]
)
def test_what_makes_results_meaningless_stays_blocking(code: str) -> None:
    with pytest.raises(SettingsError, match="cannot be lowered"):
        Settings.from_dict({"findings": {"severity": {code: "note"}}})
    with pytest.raises(SettingsError, match="one of blocking, note, warning"):
        Settings.from_dict({"findings": {"severity": {"join.gap": "fatal"}}})
    with pytest.raises(SettingsError, match="severity is 3; it must be a table"):
        Settings.from_dict({"findings": {"severity": 3}})


def test_a_code_is_stronger_than_its_family() -> None:
    s = Settings.from_dict({"findings": {"severity": {"join": "note", "join.short": "blocking"}}})
    out = ranked([Finding("join.gap", "blocking", "a"), Finding("join.short", "note", "b")], s)
    assert [(f.code, f.severity) for f in out] == [("join.short", "blocking"), ("join.gap", "note")]


def test_a_folder_is_reviewed_model_by_model(
    tmp_path: Path, loft_a: Path, loft_b: Path, gap: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    models = tmp_path / "models"
    models.mkdir()
    for path in (loft_a, loft_b):
        (models / path.name).write_bytes(path.read_bytes())
    (models / "broken.ifc").write_text("not a model")
    code = main(["review", str(models), "--out", str(tmp_path / "o"), "--settings", str(gap), "--jobs", "2"])
    assert code == 2
    rows = list(csv.DictReader((tmp_path / "o" / "summary.csv").open()))
    assert [r["model"] for r in rows] == ["broken.ifc", loft_a.name, loft_b.name]
    assert rows[0]["status"] == "2" and "not an IFC file" in rows[0]["message"] and rows[0]["blocking"] == ""
    assert rows[1]["status"] == "1" and int(rows[1]["blocking"]) > 0
    for row in rows[1:]:
        found = json.loads((tmp_path / "o" / row["folder"] / "review.json").read_text())["findings"]
        assert sum(f["severity"] == "blocking" for f in found) == int(row["blocking"])
    whole = json.loads((tmp_path / "o" / "summary.json").read_text())
    assert [m["model"] for m in whole["models"]] == [r["model"] for r in rows]
    assert "broken.ifc" in capsys.readouterr().out
    assert (
        main(["review", str(models), "--out", str(tmp_path / "p"), "--junit", str(tmp_path / "x.xml")]) == 2
    )
    empty = tmp_path / "none"
    empty.mkdir()
    assert main(["review", str(empty), "--out", str(tmp_path / "p")]) == 2


def test_the_desktop_gets_its_entry_and_loses_it_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert main(["desktop"]) == 0
    entry = (tmp_path / "applications" / "rod-tally.desktop").read_text()
    assert "{" not in entry and "open %f" in entry and "MimeType=application/x-rod-tally" in entry
    for name in (
        "mime/packages/rod-tally.xml",
        "metainfo/rod-tally.metainfo.xml",
        "icons/hicolor/scalable/apps/rod-tally.svg",
    ):
        assert ET.parse(tmp_path / name).getroot() is not None
    assert main(["desktop", "--remove"]) == 0
    assert not [p for p in tmp_path.rglob("rod-tally*") if p.is_file()]
    capsys.readouterr()


def test_the_wheel_holds_all_that_a_review_needs(tmp_path: Path, loft_a: Path, gap: Path) -> None:
    """Built, installed where nothing else of the project is, and asked for a review with a report."""
    quiet = ["-q", "--disable-pip-version-check", "--no-deps"]
    pip = [sys.executable, "-m", "pip"]
    subprocess.run(
        [*pip, "wheel", *quiet, "--no-build-isolation", "-w", tmp_path, ROOT], check=True, capture_output=True
    )
    (wheel,) = tmp_path.glob("rod_tally-*.whl")
    site = tmp_path / "site"
    subprocess.run([*pip, "install", *quiet, "--target", site, wheel], check=True, capture_output=True)
    run = [sys.executable, "-P", "-m", "rod_tally.cli"]
    own = dict(os.environ, PYTHONPATH=str(site), HOME=str(tmp_path))
    where = subprocess.run(
        [sys.executable, "-P", "-c", "import rod_tally; print(rod_tally.__file__)"],
        env=own,
        cwd=tmp_path,
        check=True,
        capture_output=True,
        text=True,
    )
    assert where.stdout.startswith(str(site))
    html = tmp_path / "r.html"
    done = subprocess.run(
        [*run, "report", str(loft_a), "--settings", str(gap), "--html", str(html)],
        env=own,
        cwd=tmp_path,
        check=False,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 1, done.stderr
    assert html.stat().st_size > 10_000
    assert not any(n.startswith("tests/") for n in zipfile.ZipFile(wheel).namelist())
    for data in ("demo/data/tern-quay-a.ifc", "desktop_files/rod-tally.svg", "fonts/Lato-Regular.ttf"):
        assert (site / "rod_tally" / data).is_file()


def test_what_was_accepted_stays_accepted_against_a_project(tmp_path: Path, loft_a: Path, gap: Path) -> None:
    settings = Settings.read(gap)
    model = read_model(loft_a, settings)
    done = review(model, settings)
    accepted = next(f for f in done.findings if f.code == "join.duplicate")
    corrected = next(f for f in done.findings if f.code == "join.gap")
    path = tmp_path / "reviewed.rodtally"
    project = Project.create(path)
    ident = project.add_revision("Revision A", model)
    project.decide_all(ident, {accepted.key: ("accepted", "asked on site")}, "A. Reviewer")
    project.decide_all(ident, {corrected.key: ("corrected", "")}, "A. Reviewer")
    project.close()
    out = tmp_path / "o"
    junit = tmp_path / "j.xml"
    options = ["--against", str(path), "--settings", str(gap), "--junit", str(junit), "--quiet"]
    assert main(["review", str(loft_a), "--out", str(out), *options]) == 1
    (kept,) = json.loads((out / "review.json").read_text())["decisions"]
    assert kept["code"] == "join.duplicate" and kept["decision"] == "accepted" and kept["by"] == "A. Reviewer"
    assert kept["reason"] == "asked on site (decided on reviewed)" and sorted(kept["ids"]) == sorted(
        accepted.ids
    )
    row = next(r for r in csv.DictReader((out / "findings.csv").open()) if r["code"] == "join.duplicate")
    assert row["decision"] == "accepted" and "asked on site" in row["reason"]
    cases = {c.get("name", ""): c for c in ET.parse(junit).getroot().iter("testcase")}
    assert cases["Duplicate member (join.duplicate)"].find("failure") is None
    assert cases["Gap at a joint (join.gap)"].find("failure") is not None
    assert main(["review", str(loft_a), "--out", str(out), *options, "--bare"]) == 1
    assert json.loads((out / "review.json").read_text())["decisions"] == []
