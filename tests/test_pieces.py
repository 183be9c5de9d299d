"""Members that a revision splits or merges stay the same ones, with their loads, releases and forces; a
physical model is compared with the analytical one that was made of it."""

from __future__ import annotations

from copy import deepcopy
from pathlib import Path

import numpy as np
import pytest

from rod_tally.compare import compare
from rod_tally.compare.carrying.carry import carry_over
from rod_tally.compare.members import match_members
from rod_tally.compare.results import Side
from rod_tally.model import PINNED_END, LoadCase, MemberLoad, Model, Settings, TemperatureLoad
from rod_tally.model.edits import AddLoads, SetRelease, SetSection, SplitMember, load_values
from rod_tally.output.ifc import write_ifc
from rod_tally.review import Review, review
from rod_tally.review.work import read_model, side_of

from .frames import regular
from .physical_models import model as made
from .test_panels import room, turned

DEMO = Path(__file__).parents[1] / "src" / "rod_tally" / "demo" / "data" / "tern-quay-a.ifc"


def base_model() -> Model:
    m = regular(2, 1)
    m.cases["Q"] = LoadCase("Q", "live")
    return m


def split_model() -> Model:
    m = base_model()
    SplitMember(a_beam(m), 2.0).apply(m)
    m.corrections = []  # as if the source had it so
    return m


def a_beam(m: Model) -> str:
    return next(i for i, x in m.members.items() if x.cls == "beam")


def renamed(m: Model) -> Model:
    """The same under new identities."""
    out = deepcopy(m)
    out.members = {f"new {k}": v for k, v in out.members.items()}
    for k, v in out.members.items():
        v.id = k
    return out


def reviewed(m: Model) -> Review:
    options = Settings()
    options.modes.count = 2
    return review(m, options)


@pytest.mark.parametrize("new", [False, True])
def test_a_split_member_is_one_of_the_baseline_and_two_of_the_revision(new: bool) -> None:
    base, revised = base_model(), split_model()
    revised = renamed(revised) if new else revised
    whole = a_beam(base)
    rows, _, _ = match_members(base, revised)
    pieces = [r for r in rows if r.baseline_id == whole]
    assert len(pieces) == 2 and sorted(r.piece for r in pieces) == [False, True]
    assert {r.status for r in pieces} == {"changed"} and {c.what for r in pieces for c in r.changes} == {
        "ends"
    }
    assert {r.status for r in rows if r.baseline_id != whole} == {"same"}
    # the other way round they are merged
    back, _, _ = match_members(revised, base)
    assert len([r for r in back if r.revised_id == whole]) == 2
    assert not [r for r in back if r.status in ("added", "removed")]


def test_a_member_doubled_on_one_line_is_no_piece() -> None:
    base = base_model()
    revised = deepcopy(base)
    twin = deepcopy(revised.members[a_beam(base)])
    twin.id = "twin"
    revised.members["twin"] = twin
    rows, _, _ = match_members(base, revised)
    assert [r.revised_id for r in rows if r.status == "added"] == ["twin"] and not any(r.piece for r in rows)


def test_forces_of_pieces_are_compared_as_those_of_the_whole() -> None:
    """The largest values over the pieces are those of the whole member, in its own axes, whichever way a
    piece runs."""
    base, revised = base_model(), split_model()
    for m in (base, revised):
        m.cases["Q"].member_loads = [
            MemberLoad(i, 0.0, m.length(x), (0, 1e3, -9e3), (0, 1e3, -9e3))
            for i, x in m.members.items()
            if x.cls == "beam"
        ]
    a, b = reviewed(base), reviewed(revised)
    found = compare(side_of(a), side_of(b))
    assert any(f.code == "match.split" for f in found.findings)
    of_members = [r for r in found.results if r.baseline_id in base.members and r.case == "Q"]
    assert len({r.baseline_id for r in of_members}) == len(base.members)
    for r in of_members:
        assert r.revised == pytest.approx(r.baseline, rel=1e-6, abs=1.0), r


def test_loads_and_releases_go_to_the_pieces() -> None:
    base = base_model()
    beam = a_beam(base)
    line = load_values(MemberLoad(beam, 1.0, 5.0, (0, 0, -2e3), (0, 0, -6e3)))
    point = load_values(MemberLoad(beam, 2.0, 2.0, (0, 0, -7e3), (0, 0, -7e3)))
    warm = load_values(TemperatureLoad(beam, 20.0, 5.0, 0.0))
    for e in (
        AddLoads("Q", [line, point, warm]),
        SetRelease([beam], True, PINNED_END),
        SetSection([beam], "plain"),
    ):
        e.apply(base)
    new = renamed(split_model())
    over = carry_over(base, new)
    assert {x.status for x in over.lines} == {"carried"}, over.lines
    loads = new.cases["Q"].member_loads
    total = sum((x.qa[2] + x.qb[2]) / 2 * (x.b - x.a) if x.b > x.a else x.qa[2] for x in loads)
    assert total == pytest.approx(-(2e3 + 6e3) / 2 * 4.0 - 7e3, rel=1e-12)
    assert len(loads) == 3 and len(new.cases["Q"].temperatures) == 2
    first, last = (
        m for m in new.members.values() if m.id.startswith("new " + beam) or m.start == "J1" or m.end == "J1"
    )
    assert not first.release_start.any and not first.release_end.any and not last.release_start.any
    assert last.release_end == PINNED_END


def test_an_end_inside_of_a_merged_member_is_named() -> None:
    base = split_model()
    inner = [m.id for m in base.members.values() if "J1" in (m.start, m.end)]
    SetRelease([inner[0]], base.members[inner[0]].end == "J1", PINNED_END).apply(base)
    new = base_model()
    over = carry_over(base, new)
    assert [x.status for x in over.lines if x.what == "a release"] == ["gone"]
    assert "inside of another member" in over.lines[-1].words
    assert not any(m.release_start.any or m.release_end.any for m in new.members.values())


def test_a_physical_model_is_the_analytical_one_made_of_it(tmp_path: Path) -> None:
    """Joined axes count: what the export of a physical building holds is each of its parts, and nothing
    else."""
    physical = read_model(DEMO, Settings(), lambda *_: None)
    write_ifc(physical, tmp_path / "a.ifc")
    analytical = read_model(tmp_path / "a.ifc", Settings(), lambda *_: None)
    found = compare(Side(physical), Side(analytical))
    assert {m.status for m in found.parts} == {"same"}
    assert [f.code for f in found.findings if f.code == "match.kinds"] == ["match.kinds"]
    # as another program would have made it: beams at the level of the floor, columns in pieces, no identities
    # kept
    other = renamed(analytical)
    for ident in [i for i, m in other.members.items() if m.cls == "column"][:6]:
        SplitMember(ident, 0.4 * other.length(other.members[ident])).apply(other)
    for node in other.nodes.values():
        node.point = node.point + (0.0, 0.0, 0.12 if node.point[2] > 0.5 else 0.0)
    found = compare(Side(physical), Side(other))
    assert not [m for m in found.members if m.status in ("added", "removed")]
    assert sum(m.piece for m in found.members) == 6
    assert {m.shift for m in found.members if m.cls == "column"} == {0.0}


def test_walls_and_slabs_alone_say_how_a_building_was_turned() -> None:
    def plates(angle: float, shift: tuple[float, ...]) -> Model:
        s = room(0.0, turned(angle), shift)
        s.elements = []
        return made(s)

    found = compare(Side(plates(0.0, (0.0, 0.0, 0.0))), Side(plates(0.5, (300.0, -40.0, 2.0))))
    assert found.transform is not None and found.transform.angle == pytest.approx(0.5, abs=1e-6)
    assert np.array(found.transform.shift) == pytest.approx([300.0, -40.0, 2.0], abs=1e-3)
    assert {m.status for m in found.surfaces} == {"same"}
