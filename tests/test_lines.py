"""Column stacks, beam lines, walls and frames: recognised, and named after the grid where there is one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from rod_tally.intake import read_source
from rod_tally.model import GridLine, Settings
from rod_tally.model.geometry.lines import lines_of
from rod_tally.transfer import transfer

from .physical_models import add, block, model, source
from .test_panels import plate


def by_kind(m) -> dict[str, list]:  # type: ignore[no-untyped-def]
    out: dict[str, list] = {}
    for line in lines_of(m):
        out.setdefault(line.kind, []).append(line)
    return out


def test_a_regular_block() -> None:
    """3 x 3 stacks of two, six beam lines of two on each of two storeys, frames where three stacks stand in a
    row."""
    found = by_kind(model(block(2, 2)))
    assert len(found["stack"]) == 9 and all(len(x.members) == 2 for x in found["stack"])
    assert found["stack"][0].members == ["K000", "K100"]  # from the bottom up
    assert len(found["beams"]) == 12 and found["beams"][0].members in (
        ["X000", "X010"],
        ["X000", "X010"][::-1],
    )
    assert [x.name for x in found["frame"]] == [
        "Frame x = 0.00",
        "Frame x = 6.00",
        "Frame x = 12.00",
        "Frame y = 0.00",
        "Frame y = 5.00",
        "Frame y = 10.00",
    ]
    assert all(len(x.members) == 3 * 2 + 2 * 2 for x in found["frame"])


def test_names_come_from_the_grid() -> None:
    s = block(2, 1)
    s.grids = [
        GridLine(n, np.array([[x, -2.0], [x, 12.0]]), "u") for n, x in (("A", 0.0), ("B", 6.0), ("C", 12.0))
    ]
    s.grids += [
        GridLine(n, np.array([[-2.0, y], [14.0, y]]), "v") for n, y in (("1", 0.0), ("2", 5.0), ("3", 10.2))
    ]
    found = by_kind(model(s))
    assert [x.name for x in found["stack"]][:3] == ["Stack A/1", "Stack B/1", "Stack C/1"]
    assert {x.name for x in found["frame"]} == {
        "Frame A",
        "Frame B",
        "Frame C",
        "Frame 1",
        "Frame 2",
        "Frame 3",
    }
    assert {x.name for x in found["beams"]} >= {"L1, grid 1", "L1, grid A"}


def test_a_beam_that_turns_ends_its_line_and_a_column_that_leans_its_stack() -> None:
    s = source([0, 4, 8])
    add(s, "beam", "a", (0, 0, 4), (5, 0, 4))
    add(s, "beam", "b", (5, 0, 4), (10, 0, 4))
    add(s, "beam", "c", (10, 0, 4), (10, 5, 4))
    add(s, "column", "up", (0, 0, 0), (0, 0, 4), z=(1, 0, 0))
    add(s, "column", "leaning", (0, 0, 4), (2, 0, 8), z=(0, 1, 0))
    found = by_kind(model(s))
    assert [x.members for x in found["beams"]] == [["a", "b"]]
    assert sorted(x.members for x in found["stack"]) == [["leaning"], ["up"]]


def test_walls_stand_on_each_other_through_a_slab() -> None:
    s = source([0, 3, 6])
    plate(s, "wall", "low", (0, 0, 0), (4, 0.2, 3))
    plate(s, "slab", "floor", (-1, -1, 3), (5, 4, 3.2))
    plate(s, "wall", "high", (0, 0, 3.2), (4, 0.2, 6))
    plate(s, "wall", "across", (4.0, 0.2, 3.2), (4.2, 3, 6))
    found = by_kind(model(s))
    assert [x.members for x in found["wall"]] == [["low", "high"]]


def test_the_demo_has_its_grid(loft_a: Path) -> None:
    m = transfer(read_source(loft_a), Settings().transfer)
    assert [g.name for g in m.grids] == [*"ABCDE", *"1234"]
    found = by_kind(m)
    assert len(found["stack"]) == 20 and found["stack"][0].name == "Stack A/1"
    assert len(found["wall"]) == 4 and {x.name for x in found["frame"]} == {f"Frame {n}" for n in "ABCDE1234"}


@pytest.mark.parametrize("unit", ["MILLIMETRE", "FOOT"])
def test_grids_groups_north_and_flags_are_read(tmp_path: Path, unit: str) -> None:
    from rod_tally.demo.writer import IfcWriter

    w = IfcWriter("test", "IFC4", unit)
    w.context.TrueNorth = w.file.create_entity("IfcDirection", (-0.5, 3**0.5 / 2))
    w.storey("Ground", 0.0)
    steel = w.material("S355", YoungModulus=210e9, MassDensity=7850)
    profile = w.profile("Rectangle", "R", XDim=0.3, YDim=0.3)
    one, two = (
        w.member("IfcColumn", f"K{k}", (4.0 * k, 0, 0), (4.0 * k, 0, 3), profile, steel, "Ground")
        for k in (0, 1)
    )
    w.grid("G", {"A": ((0, -1), (0, 5))}, {"1": ((-1, 0), (9, 0))})
    group = w.root("IfcGroup", "east wing")
    w.root("IfcRelAssignsToGroup", None, RelatedObjects=[two], RelatingGroup=group)
    f = w.file
    flag = f.create_entity(
        "IfcPropertySingleValue", "LoadBearing", None, f.create_entity("IfcBoolean", False), None
    )
    pset = w.root("IfcPropertySet", "Pset_ColumnCommon", HasProperties=[flag])
    w.root("IfcRelDefinesByProperties", None, RelatedObjects=[one], RelatingPropertyDefinition=pset)
    w.write(tmp_path / "m.ifc")
    s = read_source(tmp_path / "m.ifc")
    assert s.north == pytest.approx(np.pi / 6)
    assert [(g.name, g.family) for g in s.grids] == [("A", "u"), ("1", "v")]
    assert s.grids[1].points == pytest.approx(np.array([[-1, 0], [9, 0]]))
    assert s.groups == {"east wing": [two.GlobalId]}
    assert {e.name: e.bearing for e in s.elements} == {"K0": False, "K1": None}


def test_wholes_of_parts_and_bodies_of_no_kind_are_listed(tmp_path: Path) -> None:
    from rod_tally.demo.writer import IfcWriter

    w = IfcWriter("test")
    w.storey("Ground", 0.0)
    profile = w.profile("Rectangle", "R", XDim=0.3, YDim=0.3)
    part = w.member("IfcBeam", "B", (0, 0, 3), (4, 0, 3), profile, None, "Ground")
    whole = w.root("IfcElementAssembly", "truss")
    w.aggregate(whole, [part])
    w.root("IfcBuildingElementProxy", "thing")
    w.root("IfcStair", "stair")
    w.write(tmp_path / "m.ifc")
    s = read_source(tmp_path / "m.ifc")
    reasons = {k.cls: k.reason for k in s.skipped}
    assert (
        "whole of parts" in reasons["assembly"]
        and "not transferred" in reasons["proxy"]
        and "stair" in reasons
    )
    assert len(s.elements) == 1
