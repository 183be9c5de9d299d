"""One building, exported again turned, in another order and under new identities: joints, loads, elements and
results are the same, to rounding."""

from __future__ import annotations

import re
from pathlib import Path

import ifcopenshell
import numpy as np
import pytest
from ifcopenshell import guid

from rod_tally.compare import compare
from rod_tally.intake.source import SourceFooting
from rod_tally.loads import Distribution
from rod_tally.meshing.facing import facing
from rod_tally.model import Settings, Surface
from rod_tally.model.geometry.meetings import shared_edges
from rod_tally.review.work import read_model, run_only, side_of

from .physical_models import add, model, moved, source

DEMO = Path(__file__).parents[1] / "src" / "rod_tally" / "demo" / "data" / "tern-quay-a.ifc"
SHIFT = (3.0, -7.0, 0.0)


def exported_again(degrees: float, folder: Path) -> Path:
    """The demo's building with its outermost placements turned about Z and shifted, its entities in another
    order, all identities new."""
    f = ifcopenshell.open(str(DEMO))
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    prefix = next(u for u in f.by_type("IfcSIUnit") if u.UnitType == "LENGTHUNIT").Prefix
    unit = 1000.0 if prefix == "MILLI" else 1.0
    for p in f.by_type("IfcLocalPlacement"):
        if p.PlacementRelTo is None:
            old = p.RelativePlacement
            at = turn @ old.Location.Coordinates + np.array(SHIFT) * unit
            x = turn @ (old.RefDirection.DirectionRatios if old.RefDirection else (1.0, 0.0, 0.0))
            z = turn @ (old.Axis.DirectionRatios if old.Axis else (0.0, 0.0, 1.0))
            p.RelativePlacement = f.create_entity(
                "IfcAxis2Placement3D",
                f.create_entity("IfcCartesianPoint", at.tolist()),
                f.create_entity("IfcDirection", z.tolist()),
                f.create_entity("IfcDirection", x.tolist()),
            )
    out = folder / "again.ifc"
    f.write(str(out))
    head, body, tail = re.split(r"(?<=DATA;)|(?=ENDSEC;\s*END-ISO)", out.read_text(encoding="utf-8"))
    numbers = [int(n) for n in re.findall(r"^#(\d+)=", body, flags=re.M)]
    other = dict(zip(numbers, np.random.default_rng(5).permutation(numbers).tolist()))
    body = re.sub(r"#(\d+)", lambda m: f"#{other[int(m.group(1))]}", body)
    new: dict[str, str] = {}
    body = re.sub(r"'([0-3][\w$]{21})'", lambda m: f"'{new.setdefault(m.group(1), guid.new())}'", body)
    lines = sorted(body.strip().splitlines(), key=lambda line: int(line[1 : line.index("=")]))
    out.write_text(head + "\n" + "\n".join(lines) + "\n" + tail, encoding="utf-8")
    return out


@pytest.mark.parametrize(
    ("slabs", "walls", "degrees"), [("two-way", "shell", 37.0), ("shell", "column", 163.0)]
)
def test_a_building_exported_again_has_the_same_results(
    slabs: str, walls: str, degrees: float, tmp_path: Path
) -> None:
    settings = Settings()
    settings.transfer.slabs, settings.transfer.walls = slabs, walls
    settings.modes.count = 3
    models = [read_model(p, settings, lambda *_: None) for p in (DEMO, exported_again(degrees, tmp_path))]
    sums = []
    for m in models:
        arrival = Distribution(m).case("Self-weight")
        sums.append(sum(s.on_members + s.on_surfaces for s in arrival.shares))
        for s in arrival.shares:
            assert np.abs(s.lost).max() <= 1e-6 * np.abs(s.applied).max(), s.name
    assert sums[1] == pytest.approx(sums[0], rel=1e-6)
    found = compare(*(side_of(run_only(m, settings, lambda *_: None)) for m in models))
    assert found.transform is not None and np.degrees(found.transform.angle) == pytest.approx(
        degrees, abs=1e-6
    )
    assert {x.status for x in (*found.parts, *found.supports, *found.levels, *found.cases)} == {"same"}
    size: dict[str, float] = {}
    for r in found.results:
        size[r.quantity] = max(size.get(r.quantity, 0.0), abs(r.baseline))
    assert len(found.results) > 1000
    for r in found.results:
        assert r.revised == pytest.approx(r.baseline, rel=1e-3, abs=1e-3 * size[r.quantity] + 1e-6), r
    assert not found.again


def test_every_way_to_look_at_a_face_gives_one_mesh() -> None:
    """A face without symmetry is laid alike from either side, drawn from any corner, either way round, turned
    by anything."""
    ring = np.array([(0, 0), (7, 0), (7, 3), (4, 5), (0, 5)], float)
    inside = np.array([*ring, (2, 1.5), (3, 0)])
    rng = np.random.default_rng(2)
    seen = set()
    for _ in range(20):
        a = rng.uniform(0, 2 * np.pi)
        turn = np.array([[np.cos(a), -np.sin(a), 0], [np.sin(a), np.cos(a), 0], [0, 0, 1]])
        tilt = np.array([[1, 0, 0], [0, 0, -1], [0, 1, 0]]) if rng.random() < 0.5 else np.eye(3)
        move = turn @ tilt
        order = np.roll(ring, rng.integers(5), axis=0)[:: rng.choice([1, -1])]
        outer = np.column_stack([order, np.zeros(5)]) @ move.T + rng.uniform(-9, 9, 3)
        s = Surface("s", "s", "slab", "", outer, [], 0.2, "")
        places = s.flat(
            np.column_stack([inside, np.zeros(7)]) @ move.T + (outer[0] - move @ [*order[0], 0.0])
        )
        flat = s.flat(outer)
        area = (flat[:, 0] * np.roll(flat[:, 1], -1) - np.roll(flat[:, 0], -1) * flat[:, 1]).sum()
        way = facing(s, flat if area > 0 else flat[::-1], places, rng.uniform(-9, 9, 3))
        there = way.there(places)
        laid = np.round(there - there.min(axis=0), 6) + 0.0
        seen.add(tuple(map(tuple, laid[np.lexsort(laid.T)].tolist())))
        assert way.back(there) == pytest.approx(places)
    assert len(seen) == 1


def test_a_wall_is_joined_to_one_with_a_door_on_both_sides_of_it() -> None:
    """Not along the longest piece alone, and no piece reaches into the door."""
    below = np.array([(0, 0), (7.2, 0), (7.2, 3), (0, 3)], float)
    above = np.array([(0, 3), (3, 3), (3, 5.1), (4.2, 5.1), (4.2, 3), (7.2, 3), (7.2, 6), (0, 6)], float)
    found = sorted(sorted(map(tuple, np.round(x, 6).tolist())) for x in shared_edges(below, above, 0.025))
    assert found == [[(0.0, 3.0), (3.0, 3.0)], [(4.2, 3.0), (7.2, 3.0)]]
    back = sorted(sorted(map(tuple, np.round(x, 6).tolist())) for x in shared_edges(above, below, 0.025))
    assert back == found


@pytest.mark.parametrize("degrees", [0.0, 33.0, 90.0, 147.0])
def test_a_strip_footing_holds_what_stands_on_it_however_it_lies(degrees: float) -> None:
    """Two columns on a strip of 20 m, a third 3 m beside it on a floor above: turned, the strip covers no
    more than it is."""
    c, s_ = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, -s_, 0], [s_, c, 0], [0, 0, 1.0]])
    s = source([0.0, 4.0, 8.0])
    for name, x, y, z in (("K1", 1.0, 0.0, 0.0), ("K2", 19.0, 0.0, 0.0), ("K3", 10.0, 3.0, 0.0)):
        add(s, "column", name, (x, y, z), (x, y, z + 4), z=(1, 0, 0))
    corners = np.array([(0, -0.5, -0.4), (20, -0.5, -0.4), (20, 0.5, -0.4), (0, 0.5, -0.4)]) @ turn.T
    points = np.vstack([corners, corners + [0, 0, 0.4]])
    s.footings.append(
        SourceFooting("F", "F", points.min(axis=0), points.max(axis=0), "L0", "strip", corners[:, :2])
    )
    moved(s, turn, np.zeros(3))
    for e in s.elements:
        e.line = e.line + ([0, 0, 4.0] if e.name == "K3" else 0.0)
    m = model(s)
    held = {x.name for x in m.members.values() for n in (x.start, x.end) if m.nodes[n].support.any}
    assert held == {"K1", "K2"}
    e = next(e for e in m.log if e.kind == "supported")
    assert "strip F" in e.message
