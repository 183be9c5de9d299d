"""The model handed back as IFC4: valid, and what intake reads of it equals what was written."""

from __future__ import annotations

import json
from pathlib import Path

import ifcopenshell
import ifcopenshell.validate
import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.cli import main
from rod_tally.intake import read_source
from rod_tally.model import (
    PINNED_END,
    Combination,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Release,
    Settings,
    Storey,
    Support,
)
from rod_tally.output.ifc import write_ifc
from rod_tally.output.write import OutputError
from rod_tally.review.work import read_model
from rod_tally.transfer import transfer

from .analytical_ifc import portal
from .frames import FLEXIBLE, regular
from .physical_models import block, model


def again(m: Model, tmp_path: Path) -> Model:
    return transfer(read_source(write_ifc(m, tmp_path / "back.ifc")), Settings().transfer)


def rich() -> Model:
    """A frame with everything a model may hold."""
    m = regular(1, 2)
    m.name = "rich"
    m.origin = np.array([0.0, 0, 100.0])
    m.storeys = [Storey("L0", 0.0), Storey("L1", 3.5)]
    m.sections["flexible"] = FLEXIBLE
    ids = list(m.members)
    m.members[ids[0]].section = "flexible"
    m.members[ids[1]].release_start = PINNED_END
    m.members[ids[2]].release_end = Release.of("my=4e6 mz")
    m.members[ids[9]].offset_start = np.array([0.1, 0.0, -0.2])
    m.members[ids[9]].offset_end = np.array([0.1, 0.0, -0.2])
    m.nodes["n0"].support = Support.of("ux uy=3e7 rx rz")
    c = np.sqrt(0.5)
    m.nodes["n1"].support = Support.of("ux uy uz", axes=((c, c, 0), (-c, c, 0), (0, 0, 1)))
    beam = m.members[ids[8]].id
    m.cases["Own"] = LoadCase("Own", "dead", (0, 0, -1))
    m.cases["Snow"] = LoadCase(
        "Snow",
        "snow",
        node_loads=[NodeLoad("n4", (1e3, 2e3, -3e3), (10, 20, 30))],
        member_loads=[
            MemberLoad(beam, 0.5, 4.0, (0, 0, -1e3), (0, 500, -2e3), projected=True),
            MemberLoad(beam, 2.0, 2.0, (0, 0, -5e3), (0, 0, -5e3), local=True),
            MemberLoad(beam, 0.0, 6.0, (0, 100, 0), (0, 100, 0), "moment"),
        ],
    )
    m.cases["Odd"] = LoadCase("Odd")
    m.combinations = [Combination("ULS 1", "strength", {"Own": 1.35, "Snow": 1.5})]
    return m


def test_a_rich_model_comes_back_equal(tmp_path: Path) -> None:
    """Geometry, supports, releases, offsets, sections, materials, cases and factors to 1e-9; the same
    results."""
    m = rich()
    b = again(m, tmp_path)
    names = {x.name: x for x in b.members.values()}
    assert set(names) == {x.name or x.id for x in m.members.values()}
    for ident, member in m.members.items():
        back = names[ident]
        assert b.line(back) + b.origin == pytest.approx(m.line(member) + m.origin, abs=1e-9)
        assert back.axes(b.line(back)) == pytest.approx(member.axes(m.line(member)), abs=1e-9)
        assert (back.release_start, back.release_end) == (member.release_start, member.release_end)
        assert back.offset_start == pytest.approx(member.offset_start, abs=1e-9)
        one, other = b.sections[back.section], m.sections[member.section]
        assert (one.area, one.iy, one.iz, one.j) == pytest.approx(
            (other.area, other.iy, other.iz, other.j), rel=1e-9
        )
        assert (one.avy, one.avz) == pytest.approx((other.avy, other.avz), rel=1e-9)
        steel, was = b.materials[back.material], m.materials[member.material]
        assert (steel.E, steel.G, steel.density) == (was.E, was.G, was.density)
    supports = sorted(n.support.words for n in b.nodes.values() if n.support.any)
    assert supports == sorted(n.support.words for n in m.nodes.values() if n.support.any)
    assert [(c.name, c.kind, c.self_weight) for c in b.cases.values()] == [
        (c.name, c.kind, c.self_weight) for c in m.cases.values()
    ]
    assert b.combinations[0].factors == m.combinations[0].factors
    r0, r1 = run(m, Settings().run), run(b, Settings().run)
    for case in ("Own", "Snow"):
        i, j = r0.case_index(case), r1.case_index(case)
        assert r1.applied[case] == pytest.approx(r0.applied[case], rel=1e-9, abs=1e-9)
        largest = np.abs(r0.displacement[i]).max()
        assert np.abs(r1.displacement[j]).max() == pytest.approx(largest, rel=1e-9)


@pytest.mark.parametrize("schema", ["IFC2X3", "IFC4"])
def test_an_analytical_file_keeps_its_identities(tmp_path: Path, schema: str) -> None:
    portal(schema).write(tmp_path / "portal.ifc")
    m = read_model(tmp_path / "portal.ifc", Settings())
    b = again(m, tmp_path)
    assert set(b.members) == set(m.members) and set(b.nodes) == set(m.nodes)
    r0, r1 = run(m, Settings().run), run(b, Settings().run)
    order = [r1.support_ids.index(n) for n in r0.support_ids]
    for case in ("Floor", "Wind"):
        mine, theirs = r0.reaction[r0.case_index(case)], r1.reaction[r1.case_index(case)][order]
        assert theirs == pytest.approx(mine, rel=1e-9, abs=1e-6)


def test_a_physical_building_comes_back_with_its_joints(tmp_path: Path) -> None:
    s = block(2, 2)
    m = model(s)
    b = again(m, tmp_path)
    assert set(b.members) != set(m.members)  # its ids are no GlobalIds
    assert {x.name for x in b.members.values()} == set(m.members)
    assert len(b.nodes) == len(m.nodes)
    assert sum(len(x.joints) for x in b.members.values()) == sum(len(x.joints) for x in m.members.values())
    r0, r1 = run(m, Settings().run), run(b, Settings().run)
    assert np.sort(r1.reaction[0, :, 2]) == pytest.approx(np.sort(r0.reaction[0, :, 2]), rel=1e-9)


def test_the_file_is_valid(tmp_path: Path) -> None:
    """By the library's own validator: no error in schema, cardinality or type."""
    path = write_ifc(rich(), tmp_path / "m.ifc")
    logger = ifcopenshell.validate.json_logger()
    ifcopenshell.validate.validate(ifcopenshell.open(str(path)), logger)
    assert [s["message"] for s in logger.statements] == [], json.dumps(logger.statements, default=str)[:500]


def test_the_demo_comes_back(tmp_path: Path, loft_b: Path) -> None:
    m = read_model(loft_b, Settings())
    b = again(m, tmp_path)
    assert len(b.members) == len(m.members) and len(b.nodes) == len(m.nodes)
    r0, r1 = run(m, Settings().run), run(b, Settings().run)
    assert r1.applied["Self-weight"][2] == pytest.approx(r0.applied["Self-weight"][2], rel=1e-9)
    assert r1.largest_displacement(0)[1] == pytest.approx(r0.largest_displacement(0)[1], rel=1e-6)  # type: ignore[index]


def test_what_cannot_be_written_says_so(tmp_path: Path) -> None:
    with pytest.raises(OutputError, match="cannot be written"):
        write_ifc(regular(1, 1), tmp_path / "nowhere" / "m.ifc")
    assert list(tmp_path.iterdir()) == []


def test_the_command_hands_back_and_never_over_the_source(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    source = portal().write(tmp_path / "portal.ifc")
    before = source.read_bytes()
    assert main(["export", str(source), "--ifc", str(tmp_path / "back.ifc")]) == 0
    assert (tmp_path / "back.ifc").exists()
    assert main(["export", str(source), "--ifc", str(source)]) == 2
    assert "never changed" in capsys.readouterr().err
    assert source.read_bytes() == before
    assert main(["export", str(tmp_path / "none.ifc"), "--ifc", str(tmp_path / "x.ifc")]) == 2


def test_an_empty_model_is_a_file_all_the_same(tmp_path: Path) -> None:
    assert write_ifc(Model(), tmp_path / "empty.ifc").stat().st_size > 500
