"""Results handed back as IFC read back as they were computed."""

from __future__ import annotations

from pathlib import Path

import ifcopenshell
import ifcopenshell.validate
import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.shells.fields import PlateFields
from rod_tally.cli import main
from rod_tally.intake.ifc.structural.results import read_results
from rod_tally.intake.readers import IntakeError
from rod_tally.model import Finding, Settings
from rod_tally.model.settings import RunSettings
from rod_tally.output.ifc import write_ifc
from rod_tally.output.ifc.results import SURFACE_PARTS
from rod_tally.review import review
from rod_tally.review.decisions import Decision
from rod_tally.review.work import read_model

from .floors import floor


def test_results_of_members_and_slabs_read_back(tmp_path: Path) -> None:
    m = floor()
    m.surfaces["s"].way = "shell"
    m.cases["live"].self_weight = (0.0, 0.0, -1.0)
    r = run(m, RunSettings())
    assert r.plates is not None
    fields = PlateFields(m, r.plates)
    path = write_ifc(m, tmp_path / "out.ifc", r, fields)
    (found,) = read_results(path)
    assert found.case == "live" and len(found.reactions) == 4 and len(found.displacements) == 8
    total = sum(found.reactions.values())
    assert total[2] == pytest.approx(-r.applied["live"][2])
    file = ifcopenshell.open(str(path))
    name = {e.GlobalId: e.Name for e in file.by_type("IfcStructuralItem")}
    by_name = {name[k]: v for k, v in found.members.items()}
    for ident in r.member_ids:
        k = r.stations_of(ident)
        x, values = by_name[ident]
        assert x == pytest.approx(r.station_x[k]) and values == pytest.approx(r.force[0, k])
    _, node, values = fields.averaged(fields.at_corners(r.displacement[0]))
    flat = m.surfaces["s"].flat(r.plates.points[node])
    for (_, part), (places, got) in found.surfaces.items():
        columns = SURFACE_PARTS[part]
        assert places == pytest.approx(flat) and got[:, : len(columns)] == pytest.approx(
            values[:, list(columns)]
        )
    assert len(found.surfaces) == 3


def test_the_file_keeps_to_the_schema(tmp_path: Path) -> None:
    m = floor()
    path = write_ifc(m, tmp_path / "out.ifc", run(m, RunSettings()))
    logger = ifcopenshell.validate.json_logger()
    ifcopenshell.validate.validate(str(path), logger)
    assert [s for s in logger.statements if "Result" in str(s) or "Reaction" in str(s)] == []


def test_from_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    m = floor()
    m.cases["live"].self_weight = (0.0, 0.0, -1.0)
    plain = write_ifc(m, tmp_path / "plain.ifc")
    assert main(["export", str(plain), "--ifc", str(tmp_path / "with.ifc"), "--results"]) == 0
    assert "with results of 1 cases" in capsys.readouterr().out
    (found,) = read_results(tmp_path / "with.ifc")
    assert len(found.members) == 8 and np.isfinite(list(found.displacements.values())).all()
    assert read_results(plain) == []


def test_a_file_that_is_none_is_refused_in_words(tmp_path: Path) -> None:
    path = tmp_path / "x.ifc"
    path.write_text("nothing")
    with pytest.raises(IntakeError, match="cannot be read as IFC"):
        read_results(path)


def test_findings_and_decisions_stand_on_the_parts_they_are_about(tmp_path: Path) -> None:
    """Property sets by the schema; a finding without a part stands on the building; the file reads back as
    the same model."""
    m = floor()
    own = Settings()
    own.modes.count = 0
    done = review(m, own)
    member = next(iter(m.members))
    done.findings = [
        Finding("join.gap", "blocking", "A gap of 40 mm.", (member, "nobody")),
        Finding("join.gap", "warning", "Another one.", (member,)),
        Finding("load.direction", "note", "Upwards.", ("live",)),
    ]
    done.decisions = [
        Decision("join.gap", (member, "nobody"), "accepted", "drawn so", "A. N.", "2026-01-02T03:04:05+00:00")
    ]
    path = write_ifc(m, tmp_path / "out.ifc", reviewed=done)
    file = ifcopenshell.open(str(path))
    logger = ifcopenshell.validate.json_logger()
    ifcopenshell.validate.validate(file, logger)
    assert not [s for s in logger.statements if s["level"] == "error"]
    found = {}
    for rel in file.by_type("IfcRelDefinesByProperties"):
        if rel.RelatingPropertyDefinition.Name == "Review findings":
            for p in rel.RelatingPropertyDefinition.HasProperties:
                found[rel.RelatedObjects[0].is_a(), p.Name] = (p.Description, p.NominalValue.wrappedValue)
    kind = "IfcStructuralCurveMember"
    assert found == {
        (kind, "join.gap"): (
            "A gap of 40 mm.",
            "blocking, accepted by A. N.: drawn so (2026-01-02T03:04:05+00:00)",
        ),
        (kind, "join.gap (2)"): ("Another one.", "warning, open"),
        ("IfcBuilding", "load.direction"): ("Upwards.", "note, open"),
    }
    assert set(read_model(path, own).members) == set(
        read_model(write_ifc(m, tmp_path / "plain.ifc"), own).members
    )
