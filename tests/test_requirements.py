"""Files held against specifications of what they must deliver (IDS 1.0, by the standard's own library)."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from ifctester import ids
from ifctester.facet import Attribute, Entity, Material, Property
from pytestqt.qtbot import QtBot

from rod_tally.cli import main
from rod_tally.demo.writer import IfcWriter
from rod_tally.desk.window import Window
from rod_tally.intake import IntakeError
from rod_tally.intake.requirements import hold_against
from rod_tally.model import PINNED
from rod_tally.model.edits import SetSupport

from .desk_help import act, model_of, rested

NEEDS = Path(__file__).parent.parent / "docs" / "needs.ids"


def building(path: Path, schema: str = "IFC4") -> Path:
    """Two columns and a beam; one column without material, the beam without a name."""
    w = IfcWriter("needs", schema, "METRE")
    w.storey("Ground", 0.0)
    steel = w.material("S355", YoungModulus=210e9, MassDensity=7850.0)
    p = w.profile("Rectangle", "200x200", XDim=0.2, YDim=0.2)
    w.member("IfcColumn", "K1", (0, 0, 0), (0, 0, 3), p, steel, "Ground")
    w.member("IfcColumn", "K2", (4, 0, 0), (4, 0, 3), p, None, "Ground")
    w.member("IfcBeam", "", (0, 0, 3), (4, 0, 3), p, steel, "Ground")
    w.write(path)
    return path


def specification(path: Path, **options: object) -> Path:
    s = ids.Ids(title="Delivery")
    columns = ids.Specification(name="Columns have a material", minOccurs=1, **options)  # type: ignore[arg-type]
    columns.applicability.append(Entity(name="IFCCOLUMN"))
    columns.requirements.append(Material())
    beams = ids.Specification(name="Beams are named", minOccurs=0, **options)  # type: ignore[arg-type]
    beams.applicability.append(Entity(name="IFCBEAM"))
    beams.requirements += [
        Attribute(name="Name"),
        Property(propertySet="Pset_BeamCommon", baseName="LoadBearing", dataType="IFCBOOLEAN"),
    ]
    walls = ids.Specification(name="There are walls", minOccurs=1, **options)  # type: ignore[arg-type]
    walls.applicability.append(Entity(name="IFCWALL"))
    piles = ids.Specification(name="No piles", minOccurs=0, maxOccurs=0, **options)  # type: ignore[arg-type]
    piles.applicability.append(Entity(name="IFCPILE"))
    s.specifications = [columns, beams, walls, piles]
    assert s.to_xml(str(path))
    return path


def test_what_is_not_met_is_named_element_by_element(tmp_path: Path) -> None:
    held = hold_against(building(tmp_path / "m.ifc"), specification(tmp_path / "s.ids"))
    found = {(u.specification, u.kind): u for u in held.unmet}
    assert set(found) == {
        ("Columns have a material", "material"),
        ("Beams are named", "attribute"),
        ("Beams are named", "property"),
        ("There are walls", "missing"),
    }
    column = found["Columns have a material", "material"]
    assert len(column.ids) == 1 and column.asked == 2 and column.required and column.reason
    assert not found["Beams are named", "property"].required
    assert held.passed == ["No piles"] and held.title == "Delivery"


def test_findings_of_the_command_line(tmp_path: Path) -> None:
    """In review.json and as test results, like all others; a note for what need not be there."""
    model, spec = building(tmp_path / "m.ifc"), specification(tmp_path / "s.ids")
    out = tmp_path / "out"
    options = ["--out", str(out), "--ids", str(spec), "--quiet", "--junit", str(tmp_path / "j.xml")]
    main(["review", str(model), *options])
    findings = json.loads((out / "review.json").read_text())["findings"]
    mine = {f["code"]: f for f in findings if f["code"].startswith("requirement.")}
    assert {c: f["severity"] for c, f in mine.items()} == {
        "requirement.material": "warning",
        "requirement.attribute": "note",
        "requirement.property": "note",
        "requirement.missing": "warning",
    }
    assert (
        len(mine["requirement.material"]["ids"]) == 1
        and "column K2" in mine["requirement.material"]["message"]
    )
    assert "requirement" in (tmp_path / "j.xml").read_text()


def test_specifications_for_other_versions_are_told(tmp_path: Path) -> None:
    model = building(tmp_path / "m.ifc", "IFC2X3")
    held = hold_against(model, specification(tmp_path / "s.ids", ifcVersion=["IFC4"]))
    assert not held.unmet and len(held.other) == 4


@pytest.mark.parametrize("text, why", [("", "IDS 1.0"), ("<ids/>", "IDS 1.0"), (None, "no such file")])
def test_what_is_no_specification_is_refused(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], text: str | None, why: str
) -> None:
    model, spec = building(tmp_path / "m.ifc"), tmp_path / "bad.ids"
    if text is not None:
        spec.write_text(text)
    with pytest.raises(IntakeError, match=why):
        hold_against(model, spec)
    status = main(["review", str(model), "--out", str(tmp_path / "o"), "--ids", str(spec), "--quiet"])
    said = capsys.readouterr().err
    assert status == 2 and len(said.strip().splitlines()) == 1 and "bad.ids" in said


def test_the_specification_that_ships_asks_for_what_a_review_needs(tmp_path: Path) -> None:
    held = hold_against(building(tmp_path / "m.ifc"), NEEDS)
    kinds = {(u.specification, u.kind) for u in held.unmet}
    assert any(kind == "material" for _, kind in kinds) and held.passed


@pytest.mark.desk
def test_in_the_window_it_stays_with_later_runs(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Found once, it stands in the list after a correction and a run too; another specification takes its
    place."""
    w = window
    w.session.open(building(tmp_path / "m.ifc"))
    rested(qtbot, w)

    def mine() -> set[str]:
        assert w.state.review is not None
        return {f.code for f in w.state.review.findings if f.code.startswith("requirement.")}

    assert mine() == set()
    w.session.check_specification(specification(tmp_path / "s.ids"))
    rested(qtbot, w)
    found = mine()
    assert "requirement.material" in found and "requirement.missing" in found
    act(w, qtbot, "run.run")
    assert mine() == found
    node = next(iter(model_of(w).nodes))
    w.session.correct(SetSupport([node], PINNED))
    rested(qtbot, w)
    assert mine() == found
    nothing = ids.Ids(title="Nothing")
    any_ = ids.Specification(name="Walls, if any", minOccurs=0)
    any_.applicability.append(ids.Entity(name="IFCWALL"))
    any_.requirements.append(ids.Attribute(name="Name"))
    nothing.specifications.append(any_)
    nothing.to_xml(str(tmp_path / "n.ids"))
    w.session.check_specification(tmp_path / "n.ids")
    rested(qtbot, w)
    assert mine() == set()
    with qtbot.waitSignal(w.session.failed, timeout=5000):
        w.session.check_specification(tmp_path / "none.ids")
    rested(qtbot, w)
    assert "no such file" in w.dialogs.message.text()
    w.dialogs.message.close()
