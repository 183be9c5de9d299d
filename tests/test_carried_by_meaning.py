"""What was made for a revision reaches what was meant in the next, under other names and places; where the
source has changed that very thing, the reviewer is asked."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from rod_tally.compare.carrying.carry import carry_only, carry_over
from rod_tally.intake import SourceModel
from rod_tally.model import PINNED_END, Finding, LoadCase, MemberLoad, Model, NodeLoad, Spectrum
from rod_tally.model.edits import (
    AddCases,
    AddCuts,
    AddLoads,
    DeleteMembers,
    Edit,
    MoveCut,
    ScaleCase,
    SetBedZones,
    SetLifting,
    SetLimit,
    SetMaterialValue,
    SetOneWay,
    SetRelease,
    SetSection,
    SetSupport,
    SetThickness,
    load_values,
)
from rod_tally.model.entities.structure import Support
from rod_tally.review.decisions import carried_decisions

from .physical_models import add, model, source
from .test_floors_hold import moved_surfaces
from .test_panels import plate

TURN = np.array([[0.0, -1.0, 0], [1.0, 0.0, 0], [0, 0, 1.0]])  # a quarter turn
STILL = np.eye(3)


def building(double: bool = False) -> SourceModel:
    """A raft with a frame on it; with `double` a beam is drawn twice."""
    s = source([0.0, 4.0])
    plate(s, "slab", "raft", (-1, -1, -0.4), (9, 6, 0.0)).kind = "BASESLAB"
    for k, (x, y) in enumerate(((0, 0), (8, 0), (8, 5), (0, 5))):
        add(s, "column", f"K{k}", (x, y, 0), (x, y, 4.0), z=(1, 0, 0))
    for k, (a, b) in enumerate((((0, 0), (8, 0)), ((8, 0), (8, 5)), ((8, 5), (0, 5)), ((0, 5), (0, 0)))):
        add(s, "beam", f"B{k}", (*a, 3.8), (*b, 3.8))
    add(s, "brace", "D", (0, 0, 0.3), (8, 0, 3.6))
    if double:
        add(s, "beam", "B0 bis", (0, 0, 3.8), (8, 0, 3.8))
    return s


def renamed(s: SourceModel, turn: np.ndarray = STILL) -> SourceModel:
    """Every element under another identity, the whole turned, the file in another order."""
    for e in s.elements:
        e.id = f"new {e.id}"
    for x in s.surfaces:
        x.id = f"new {x.id}"
    s.elements = s.elements[::-1]
    return moved_surfaces(s, turn)


def base(*edits: Edit, s: SourceModel | None = None) -> Model:
    m = model(s or building())
    m.cases["Q"] = LoadCase("Q", "live", member_loads=[MemberLoad("B1", 0, 5, (0, 0, -4e3), (0, 0, -4e3))])
    for e in edits:
        e.apply(m)
    return m


def next_one(s: SourceModel, factor: float = 1.0) -> Model:
    m = model(s)
    one = next(i for i in m.members if i.endswith("B1"))
    q = (0.0, 0.0, -4e3 * factor)
    m.cases["Q"] = LoadCase("Q", "live", member_loads=[MemberLoad(one, 0, 5, q, q)])
    return m


def changed_under(m: Model, new: Model) -> tuple[list[str], list[Finding]]:
    over = carry_over(m, new)
    return [x.status for x in over.lines], [f for f in over.findings if f.code == "match.changed_under"]


@pytest.mark.parametrize("turn", [STILL, TURN])
def test_cuts_zones_and_limits_are_there_under_other_names(turn: np.ndarray) -> None:
    corner = next(n for n, x in base().nodes.items() if np.allclose(x.point[:2], (0, 0)) and x.point[2] > 3)
    m = base(
        AddCuts(
            [
                {
                    "name": "c",
                    "storey": "L0",
                    "line": [[4, -1, -0.2], [4, 6, -0.2]],
                    "factor": 1.0,
                    "surfaces": ["raft"],
                }
            ]
        ),
        MoveCut("c", 0.5, 2.0),
        SetBedZones(
            [{"surface": "raft", "outline": [[-1, -1, -0.2], [3, -1, -0.2], [3, 6, -0.2]], "modulus": 5e7}]
        ),
        SetOneWay(["D"], "tension"),
        SetLimit(["D"], 9e4),
    )
    SetSupport([corner], Support.of("ux uy uz")).apply(m)
    SetLifting([corner]).apply(m)
    SetLimit([corner], 2e5, supports=True).apply(m)
    new = next_one(renamed(building(), turn))
    over = carry_over(m, new)
    assert {x.status for x in over.lines} <= {"carried", "moved"}, [
        (x.what, x.status, x.words) for x in over.lines
    ]
    cut, twin = m.cuts[0], new.cuts[0]
    assert twin.factor == cut.factor == 2.0 and list(twin.surfaces) == ["new raft"]
    assert np.allclose(twin.line, cut.line @ turn.T, atol=1e-6)
    bed, there = m.surfaces["raft"].beds[0], new.surfaces["new raft"].beds[0]
    assert there.modulus == bed.modulus and np.allclose(there.outer, bed.outer @ turn.T, atol=1e-6)
    assert new.one_way == {"new D": "tension"} and new.limits == {"new D": 9e4}
    (held,) = new.bearing
    assert np.allclose(new.nodes[held].point, turn @ m.nodes[corner].point, atol=1e-6)


@pytest.mark.parametrize("angle", [0, 1, 2, 3])
def test_a_spectrum_turns_with_the_building(angle: int) -> None:
    curve = [(0.0, 1.0), (4.0, 0.2)]
    case = {"name": "Sx", "kind": "seismic", "spectrum": {"direction": "x", "curve": curve}}
    m = base(AddCases([case]))
    assert m.cases["Sx"].spectrum == Spectrum("x", curve)
    new = next_one(renamed(building(), np.linalg.matrix_power(TURN, angle)))
    carry_over(m, new)
    found = new.cases["Sx"].spectrum
    assert found is not None and found.direction == ("y" if angle % 2 else "x")


def test_a_spectrum_of_a_building_askew_lies_along_its_axes() -> None:
    case = {
        "name": "Sx",
        "kind": "seismic",
        "spectrum": {"direction": "x", "curve": [(0.0, 1.0), (4.0, 0.2)]},
    }
    turn = np.array([[0.8, -0.6, 0], [0.6, 0.8, 0], [0, 0, 1.0]])
    new = next_one(renamed(building(), turn))
    carry_over(base(AddCases([case])), new)
    found = new.cases["Sx"].spectrum
    assert found is not None and found.direction == "x" and found.way == pytest.approx((0.8, 0.6, 0.0))


@pytest.mark.parametrize("deleted, kept", [("B0", "B0 bis"), ("B0 bis", "B0")])
@pytest.mark.parametrize("source_has", ["both", "the kept", "the deleted"])
def test_of_two_duplicates_one_is_left(deleted: str, kept: str, source_has: str) -> None:
    m = base(DeleteMembers([deleted]), s=building(True))
    s = building(True)
    gone = {"both": "", "the kept": deleted, "the deleted": kept}[source_has]
    s.elements = [e for e in s.elements if e.name != gone]
    new = next_one(s)
    over = carry_over(m, new)
    assert sum(x.name.startswith("B0") for x in new.members.values()) == 1
    assert over.lines[0].status == ("carried" if source_has == "both" else "there")


def test_a_part_that_has_a_deleted_ones_name_now_is_kept_and_told() -> None:
    m = base(DeleteMembers(["D"]))
    s = building()
    d = next(e for e in s.elements if e.name == "D")
    d.line = np.array([[8.0, 5.0, 0.3], [0.0, 5.0, 3.6]])  # another brace, in another bay
    new = next_one(s)
    over = carry_over(m, new)
    assert "D" in new.members and over.lines[0].status == "gone" and "is kept" in over.lines[0].words
    assert over.finding is not None and over.finding.severity == "warning"


SETS = [
    (SetSection(["B0", "B1"], "IPE 300"), "B0", lambda m, i: setattr(m.members[i], "section", "col 300x300")),
    (SetThickness(["raft"], 0.5), "raft", lambda m, i: setattr(m.surfaces[i], "thickness", 0.6)),
    (SetMaterialValue("S355", "E", 200e9), "S355", lambda m, i: m.materials.update({i: replace(m.materials[i], E=70e9)})),
    (SetRelease(["B0", "B1"], True, PINNED_END), "B0", lambda m, i: setattr(m.members[i], "release_end", PINNED_END.of("mt"))),
]  # fmt: skip


@pytest.mark.parametrize("edit, target, change", SETS)
def test_what_the_source_has_changed_itself_is_asked(edit: Edit, target: str, change: object) -> None:
    """Before, by the reviewer, now: not made until it is chosen; what else it is about is made."""
    m = base(edit)
    new = next_one(building())
    change(new, target)  # type: ignore[operator]
    now = edit.state(new, target)
    over = carry_over(m, new)
    asked = [k for k, x in enumerate(over.lines) if x.status == "asked"]
    assert len(asked) == 1 and edit.state(new, target) == now
    others = [i for i in edit.against(m) if i != target]
    assert all(edit.state(new, i) == edit.aim for i in others)
    (finding,) = [f for f in over.findings if f.code == "match.changed_under"]
    assert finding.severity == "warning" and all(
        w in finding.message for w in ("in the source before", "here", "in the source now")
    )
    chosen = carry_only(over, new, set())
    assert edit.state(new, target) == edit.aim and not [x for x in chosen.lines if x.status == "asked"]
    again = carry_only(chosen, new, set(asked))
    assert edit.state(new, target) == now and again.lines[asked[0]].status in ("asked", "left")


@pytest.mark.parametrize("edit, target, change", SETS)
def test_what_the_source_left_or_took_up_is_not_asked(edit: Edit, target: str, change: object) -> None:
    del change
    m = base(edit)
    for taken_up in (False, True):
        new = next_one(building())
        if taken_up:
            edit.__class__(**{k: getattr(edit, k) for k in edit.roles}).apply(new)
        statuses, findings = changed_under(m, new)
        assert "asked" not in statuses and not findings and edit.state(new, target) == edit.aim


def test_a_load_that_the_source_has_with_another_value_is_told_and_not_added() -> None:
    mine = load_values(MemberLoad("B0", 2.0, 2.0, (0, 0, -3e4), (0, 0, -3e4)))
    m = base(AddLoads("Q", [mine, load_values(MemberLoad("B2", 1.0, 1.0, (0, 0, -1e3), (0, 0, -1e3)))]))
    new = next_one(building())
    new.cases["Q"].member_loads.append(MemberLoad("B0", 2.0, 2.0, (0, 0, -3.6e4), (0, 0, -3.6e4)))
    statuses, findings = changed_under(m, new)
    assert statuses == ["carried", "asked"] and "-36000" in findings[0].message
    on = [x.qa[2] for x in new.cases["Q"].member_loads if x.member == "B0"]
    assert on == [-3.6e4] and any(x.member == "B2" for x in new.cases["Q"].member_loads)


def test_a_load_beside_one_that_was_there_before_is_added() -> None:
    """The source's own load in that place is no answer to ours where it was there before."""
    own = MemberLoad("B0", 2.0, 2.0, (0, 0, -5e3), (0, 0, -5e3))
    m = base()
    m.cases["Q"].member_loads.append(own)
    AddLoads("Q", [load_values(MemberLoad("B0", 2.0, 2.0, (0, 0, -3e4), (0, 0, -3e4)))]).apply(m)
    new = next_one(building())
    new.cases["Q"].member_loads.append(replace(own))
    statuses, _ = changed_under(m, new)
    assert statuses == ["carried"]
    assert sum(x.qa[2] for x in new.cases["Q"].member_loads if x.member == "B0") == -3.5e4


@pytest.mark.parametrize(
    "now, total, status", [(1.0, 1.5, "carried"), (1.5, 1.5, "there"), (1.6, 1.6, "asked")]
)
def test_a_factor_is_not_put_on_another_one(now: float, total: float, status: str) -> None:
    m = base(ScaleCase("Q", 1.5))
    new = next_one(building(), now)
    statuses, _ = changed_under(m, new)
    assert statuses == [status] and new.cases["Q"].member_loads[0].qa[2] == pytest.approx(-4e3 * total)


def test_an_acceptance_is_for_the_part_and_not_for_its_name() -> None:
    old = Finding("join.loose_end", "warning", "a loose end", ("N7",))
    new = Finding("join.loose_end", "warning", "a loose end", ("N7",))
    made = {old.key: ("accepted", "a bracket")}
    assert carried_decisions([old], made, [new], {}, "A", {"N7"}) == {}  # N7 is gone
    assert carried_decisions([old], made, [new], {"N7": "N9"}, "A", {"N7"}) == {}
    assert carried_decisions([old], made, [new], {"N7": "N7"}, "A", {"N7"}) != {}
    assert carried_decisions([old], made, [new], {}, "A") != {}  # a case's or material's name


def test_node_loads_follow_the_node_in_a_turned_building() -> None:
    m = base()
    top = next(n for n, x in m.nodes.items() if np.allclose(x.point[:2], (8, 5)) and x.point[2] > 3)
    AddLoads("Q", [load_values(NodeLoad(top, (1e3, 2e3, -3e3)))]).apply(m)
    new = next_one(renamed(building(), TURN))
    carry_over(m, new)
    (load,) = new.cases["Q"].node_loads
    assert load.force == pytest.approx((-2e3, 1e3, -3e3))
    assert np.allclose(new.nodes[load.node].point, TURN @ m.nodes[top].point)
