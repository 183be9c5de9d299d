"""The source file written again: what was corrected stands in the same elements, all else is as it was."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import ifcopenshell
import ifcopenshell.validate
import numpy as np
import pytest

from rod_tally.cli import main
from rod_tally.compare import Side, compare
from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import read_source
from rod_tally.model import Model, Settings
from rod_tally.model.edits import (
    AddMembers,
    AddOpenings,
    DeleteMembers,
    Edit,
    MoveNodes,
    ReverseMembers,
    SetMaterial,
    SetMaterialValue,
    SetSection,
    SetThickness,
    SplitMember,
    TurnMembers,
)
from rod_tally.output.ifc.corrected import write_corrected
from rod_tally.output.write import OutputError
from rod_tally.project import Project
from rod_tally.transfer import transfer

from .bodies import kernel_volumes, mapped

STATEMENT = re.compile(rb"^#(\d+)=.*$", re.M)


def written(folder: Path, schema: str, unit: str) -> Path:
    """A frame in the mountains of coordinates that surveys use: an I, an angle off its centre, a turned
    rectangle, two beams that share one mapped body, a slab."""
    w = IfcWriter("frame", schema, unit)
    w.storey("Ground", 0.0)
    w.storey("First", 3.5)
    steel = w.material("S355", YoungModulus=210e9, ShearModulus=81e9, MassDensity=7850.0)
    w.material("S235", YoungModulus=210e9, MassDensity=7850.0)
    i = w.i_profile("IPE 300", 0.3, 0.15, 0.0071, 0.0107, 0.015)
    box = w.profile("Rectangle", "box", XDim=0.3, YDim=0.3)
    ell = w.profile("LShape", "L 200x100", Depth=0.2, Width=0.1, Thickness=0.01)
    place = w.file.create_entity("IfcAxis2Placement2D", w.point((0.05, 0.02)), w.direction((0.6, 0.8)))
    x, y = (v / w.scale for v in (0.12, 0.24))
    turned = w.file.create_entity("IfcRectangleProfileDef", "AREA", "turned", place, x, y)
    for k, at in enumerate(((0, 0), (6, 0), (6, 5), (0, 5))):
        w.member("IfcColumn", f"K{k}", (*at, 0), (*at, 3.5), box, steel, "Ground", (0, 1, 0))
    w.member("IfcBeam", "B0", (0.15, 0, 3.35), (5.85, 0, 3.35), i, steel, "First")
    w.member("IfcBeam", "B1", (6, 0.15, 3.35), (6, 4.85, 3.35), ell, steel, "First")
    w.member("IfcBeam", "B2", (5.85, 5, 3.35), (0.15, 5, 3.35), turned, steel, "First")
    solid = w.extrusion(i, 4.7)
    for k, (x, up) in enumerate(((0.0, 3.35), (3.0, 1.5))):
        shape = w.shape([mapped(w, [solid])], "MappedRepresentation")
        axes = np.array([[0, 1, 0], [1, 0, 0]], float)
        w.element("IfcBeam", f"M{k}", np.array([x, 0.15, up]), axes, shape, steel, "First")
    w.block("IfcSlab", "S", (0, 0, 3.5), (6, 5, 3.7), w.material("C30/37", YoungModulus=33e9), "First")
    path = folder / "source.ifc"
    w.write(path)
    return path


def taken(path: Path) -> Model:
    return transfer(read_source(path), Settings().transfer)


def named(m: Model, *names: str) -> list[str]:
    by_name = {p.name: p.id for p in m.parts()}
    return [by_name[n] for n in names]


CORRECTIONS: dict[str, Callable[[Model], list[Edit]]] = {
    "a section of the catalogue": lambda m: [SetSection(named(m, "B0", "K1"), "HE 200 B")],
    "a section of the file": lambda m: [SetSection(named(m, "B0"), "L 200x100")],
    "an angle": lambda m: [SetSection(named(m, "K2", "B2"), "L 120x80x8")],
    "a hollow one": lambda m: [
        SetSection(named(m, "B1"), "CHS 114.3x5"),
        SetSection(named(m, "B2"), "SHS 100x100x5"),
    ],
    "one of two that share a body": lambda m: [SetSection(named(m, "M1"), "IPE 200")],
    "a material of the file": lambda m: [SetMaterial(named(m, "B0", "S"), "S235")],
    "a grade": lambda m: [SetMaterial(named(m, "B1", "M0"), "S460")],
    "a value": lambda m: [SetMaterialValue("S355", "E", 200e9), SetMaterialValue("S355", "density", 8000.0)],
    "a place": lambda m: [MoveNodes([m.members[named(m, "B1")[0]].end], [0.1, -0.2, 0.0])],
    "a place of a shared body": lambda m: [MoveNodes([m.members[named(m, "M1")[0]].end], [0.1, 0.0, 0.3])],
    "turned": lambda m: [TurnMembers(named(m, "B0", "B1", "B2"), 30.0)],
    "turned round": lambda m: [ReverseMembers(named(m, "B0", "K0"))],
    "several": lambda m: [
        SetSection(named(m, "B0"), "IPE 400"),
        MoveNodes([m.members[named(m, "B0")[0]].start], [0.0, 0.1, 0.0]),
        SetMaterial(named(m, "B0"), "S235"),
        TurnMembers(named(m, "B0"), -20.0),
    ],
}


@pytest.mark.parametrize(
    ("schema", "unit"), [("IFC2X3", "MILLIMETRE"), ("IFC4", "METRE"), ("IFC4X3", "FOOT")]
)
@pytest.mark.parametrize("what", CORRECTIONS)
def test_our_own_review_of_it_says_the_same(tmp_path: Path, what: str, schema: str, unit: str) -> None:
    """Corrected here and read again are one model; only what was corrected differs from the source, in the
    model and in the text."""
    path = written(tmp_path, schema, unit)
    m = taken(path)
    for edit in CORRECTIONS[what](m):
        edit.apply(m)
    out = write_corrected(m, tmp_path / "out.ifc")
    assert out.left == []
    again = taken(out.path)
    found = compare(Side(m), Side(again))
    off = [(r.baseline_id, r.status, r.changes) for r in found.parts if r.status != "same"]
    assert not off, off
    assert {p.id for p in again.parts()} == {p.id for p in taken(path).parts()}
    lines = [
        dict((k, v) for k, v in zip(STATEMENT.findall(t), STATEMENT.finditer(t)))
        for t in (path.read_bytes(), out.path.read_bytes())
    ]
    changed = [k for k, v in lines[0].items() if lines[1][k][0] != v[0]]
    assert len(changed) <= 8, "each correction touches few statements"
    if what == "turned round":
        assert out.path.read_bytes() == path.read_bytes()


def statements(path: Path, rules: bool) -> list[str]:
    """What the library's own validator has to say of a file; `rules`: with the schema's own rules."""
    log = ifcopenshell.validate.json_logger()
    ifcopenshell.validate.validate(ifcopenshell.open(str(path)), log, express_rules=rules)
    return [s["message"] for s in log.statements]


@pytest.mark.parametrize(("schema", "rules"), [("IFC2X3", False), ("IFC4", True)])
def test_it_is_as_valid_as_the_source(tmp_path: Path, schema: str, rules: bool) -> None:
    path = written(tmp_path, schema, "MILLIMETRE")
    m = taken(path)
    for what in ("several", "one of two that share a body", "a grade", "a value", "an angle", "a hollow one"):
        for edit in CORRECTIONS[what](m):
            edit.apply(m)
    out = write_corrected(m, tmp_path / "out.ifc")
    assert out.left == [] and len(out.sections) >= 5
    assert len(statements(out.path, rules)) <= len(statements(path, rules))


def test_the_kernel_makes_the_bodies_that_the_model_has(tmp_path: Path) -> None:
    """An outside view: volumes by the geometry library are area times length of what was corrected."""
    m = taken(written(tmp_path, "IFC4", "MILLIMETRE"))
    for edit in CORRECTIONS["several"](m) + CORRECTIONS["one of two that share a body"](m):
        edit.apply(m)
    volumes = kernel_volumes(write_corrected(m, tmp_path / "out.ifc").path)
    for ident in named(m, "B0", "M0", "M1"):
        own, drawn = m.members[ident], m.members[ident].drawn
        assert drawn is not None
        expected = m.sections[own.section].area * np.linalg.norm(drawn[1] - drawn[0])
        assert volumes[ident] == pytest.approx(expected, rel=2e-3)  # fillets are chords in the kernel


def test_without_a_correction_it_is_the_source_byte_for_byte(tmp_path: Path) -> None:
    path = written(tmp_path, "IFC4", "METRE")
    path.write_bytes(path.read_bytes().replace(b"\n", b"\r\n") + b"/* end */")
    assert main(["export", str(path), "--physical", str(tmp_path / "out.ifc")]) == 0
    assert (tmp_path / "out.ifc").read_bytes() == path.read_bytes()
    with zipfile.ZipFile(tmp_path / "z.ifczip", "w") as z:
        z.write(path, "inner.ifc")
    assert main(["export", str(tmp_path / "z.ifczip"), "--physical", str(tmp_path / "two.ifc")]) == 0
    assert (tmp_path / "two.ifc").read_bytes() == path.read_bytes()


def test_line_ends_and_odd_text_stay_as_they_are(tmp_path: Path) -> None:
    """Names with semicolons, number signs and quotes; statements over several lines; comments."""
    path = written(tmp_path, "IFC4", "METRE")
    text = path.read_bytes().replace(b"'K1'", b"'K1; #12=IFCBEAM(''x'')'").replace(b"\n", b"\r\n")
    text = text.replace(b"DATA;\r\n", b"DATA;\r\n/* a comment; with #5=nothing; */\r\n")
    text = re.sub(rb"(IFCEXTRUDEDAREASOLID\()", rb"\1\r\n  ", text)
    path.write_bytes(text)
    m = taken(path)
    SetSection(named(m, "B0"), "IPE 400").apply(m)
    new = write_corrected(m, tmp_path / "out.ifc").path.read_bytes()
    assert b"K1; #12=IFCBEAM(''x'')" in new and b"/* a comment; with #5=nothing; */" in new
    assert new.count(b"\n") == new.count(b"\r\n")
    kept, old = set(new.split(b"\r\n")), text.split(b"\r\n")
    assert len([line for line in old if line not in kept]) <= 3
    assert compare(Side(m), Side(taken(tmp_path / "out.ifc"))).count("same") == len(m.parts())


def test_what_cannot_be_written_is_named(tmp_path: Path) -> None:
    m = taken(written(tmp_path, "IFC4", "METRE"))
    b0, b1, b2, k0, s = named(m, "B0", "B1", "B2", "K0", "S")
    line = m.line(m.members[k0])
    edits: list[Edit] = [
        DeleteMembers([b1]),
        SplitMember(b0, 2.0),
        SetSection([b0], "IPE 400"),
        SetThickness([s], 0.3),
        AddMembers(
            [
                {
                    "start": line[1].tolist(),
                    "end": (line[1] + [0, 0, 1]).tolist(),
                    "section": "box",
                    "material": "S355",
                    "cls": "column",
                    "name": "new",
                }
            ]
        ),
        SetSection([b2], "IPE 300"),
    ]
    for e in edits:
        e.apply(m)
    out = write_corrected(m, tmp_path / "out.ifc")
    told = "; ".join(out.left)
    for words in (
        "beam B1 was deleted here",
        "beam B0: it was split",
        "slab S: its thickness",
        "column new was added",
    ):
        assert words in told
    assert out.sections == [b2]
    assert "not written" in out.words and "1 section" in out.words


def test_a_moved_corner_of_a_slab_is_named(tmp_path: Path) -> None:
    m = taken(written(tmp_path, "IFC4", "METRE"))
    s = m.surfaces[named(m, "S")[0]]
    AddOpenings([{"surface": s.id, "outline": [[1, 1, 3.6], [2, 1, 3.6], [2, 2, 3.6], [1, 2, 3.6]]}]).apply(m)
    assert "slab S: its outline or openings" in write_corrected(m, tmp_path / "out.ifc").left
    m = taken(tmp_path / "source.ifc")
    s = m.surfaces[named(m, "S")[0]]
    s.source_outer = s.outer = s.outer + np.array([[0.1, 0, 0], [0, 0, 0], [0, 0, 0], [0, 0, 0]])
    m.corrections.append({"edit": "by hand"})
    assert "slab S: its outline or openings" in write_corrected(m, tmp_path / "out.ifc").left


def test_a_project_is_written_from_the_command_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = written(tmp_path, "IFC4", "MILLIMETRE")
    before = path.read_bytes()
    m = taken(path)
    SetSection(named(m, "B0"), "IPE 400").apply(m)
    kept = tmp_path / "p.rodtally"
    project = Project.create(kept)
    project.add_revision("A", m)
    project.close()
    assert main(["export", str(kept), "--physical", str(tmp_path / "out.ifc")]) == 0
    assert "1 section changed" in capsys.readouterr().out
    assert taken(tmp_path / "out.ifc").sections["IPE 400"].depth == pytest.approx(0.4)
    for target in (path, kept):
        assert main(["export", str(kept), "--physical", str(target)]) == 2
        assert "never changed" in capsys.readouterr().err
    assert path.read_bytes() == before
    path.write_bytes(before.replace(b"3500.", b"3600."))
    assert main(["export", str(kept), "--physical", str(tmp_path / "o.ifc")]) == 2
    assert "another file now" in capsys.readouterr().err
    path.unlink()
    assert main(["export", str(kept), "--physical", str(tmp_path / "o.ifc")]) == 2
    assert len(capsys.readouterr().err.strip().splitlines()) == 1
    assert not (tmp_path / "o.ifc").exists()


def test_a_model_that_is_no_ifc_has_none_to_write(tmp_path: Path) -> None:
    with pytest.raises(OutputError, match="no IFC file"):
        write_corrected(Model(name="made"), tmp_path / "out.ifc")
