"""Storeys of several buildings in one file: of one name at two heights, and of two names at one height."""

from __future__ import annotations

from itertools import permutations
from pathlib import Path

import pytest

from rod_tally.demo.writer import IfcWriter
from rod_tally.model import Model
from rod_tally.model.settings import Settings
from rod_tally.review import review
from rod_tally.review.work import read_model

Row = tuple[str, float, float]  # storey, its elevation, the column's x


def building(path: Path, rows: list[Row]) -> Model:
    """A column on each storey, 3 m high; those at x > 0 begin at zero."""
    w = IfcWriter("two buildings")
    shape, steel = w.i_profile("H", 0.2, 0.2, 0.01, 0.015, 0.0), w.material("S355")
    for n, (name, z, x) in enumerate(rows):
        w.storey(str(n), z)
        w.member("IfcColumn", f"{name} {x:g}", (x, 0, 0.0 if x else z), (x, 0, z + 3.0), shape, steel, str(n))
        w.storeys[str(n)][0].Name = name
    w.write(path)
    return read_model(path, Settings())


def test_storeys_of_one_name_at_two_heights_are_two(tmp_path: Path) -> None:
    rows = [("Ground", 0.0, 0.0), ("Ground", 1.5, 30.0), ("First", 3.0, 0.0)]
    for k, order in enumerate(permutations(rows)):
        m = building(tmp_path / f"{k}.ifc", list(order))
        assert [s.name for s in m.storeys] == ["Ground (+0.00)", "Ground (+1.50)", "First"]
        at = {x.name: x.storey for x in m.members.values()}
        assert at == {"Ground 0": "Ground (+0.00)", "Ground 30": "Ground (+1.50)", "First 0": "First"}


@pytest.mark.parametrize(("off", "count"), [(0.0, 2), (0.009, 2), (0.011, 3)])
def test_storeys_at_one_height_are_one(tmp_path: Path, off: float, count: int) -> None:
    """Each storey has the weight between half-way below and half-way above it, once; the log says which
    names gave way."""
    rows = [("A 0", 0.0, 0.0), ("B 1", 3.0 + off, 30.0), ("A 1", 3.0, 0.0)]
    for k, order in enumerate(permutations(rows)):
        m = building(tmp_path / f"{k}.ifc", list(order))
        assert len(m.storeys) == count
        told = [e.message for e in m.log if "lie at one height" in e.message]
        if count == 3:
            assert not told
            continue
        assert [s.name for s in m.storeys] == ["A 0", "A 1"] and m.storeys[1].elevation == pytest.approx(3.0)
        assert told == ["storeys B 1 and A 1 lie at one height: they are one storey, A 1"]
        assert {x.storey for x in m.members.values()} == {"A 0", "A 1"}
        done = review(m, Settings()).storeys
        weight = sum(m.weight(x) for x in m.members.values())
        own = {r.storey: -r.fz for r in done if r.case == "Self-weight"}
        low = 3.0 / (12.0 + off)
        assert own == pytest.approx({"A 0": weight * low, "A 1": weight * (1 - low)}, rel=1e-9)
