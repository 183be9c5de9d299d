"""Corrections: each does one thing, is logged, and is taken back exactly."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.model import FIXED, PINNED, PINNED_END, LoadCase, MemberLoad, Model, Release, Settings
from rod_tally.model.catalogue.catalogue import catalogue_section
from rod_tally.model.edits import (
    DeleteMembers,
    Edit,
    EditError,
    HoldFoot,
    JoinCrossing,
    JoinEnd,
    KeepApart,
    MapMaterial,
    MapProfile,
    MergeMembers,
    MoveNodes,
    PinBoth,
    ReverseMembers,
    SetBedding,
    SetEdgeSupport,
    SetMaterial,
    SetMaterialValue,
    SetRelease,
    SetSection,
    SetSupport,
    SetThickness,
    SplitMember,
    TurnMembers,
    TurnSurfaces,
    make_again,
)
from rod_tally.model.edits.edge_supports import edges_of
from rod_tally.project.codec import pack
from rod_tally.project.corrections import CorrectionBook
from rod_tally.review.remedies import can_do, edit_for

from .physical_models import add, bay, model
from .test_panels import room


def faulty() -> Model:
    s = bay(0.04)
    add(s, "beam", "B1 bis", (0.15, 0, 3.8), (5.81, 0, 3.8))
    return model(s)


EDITS = {
    "support": lambda m: SetSupport([m.members["B1"].start], FIXED),
    "release": lambda m: SetRelease(["B1", "K1"], True, PINNED_END),
    "fix": lambda m: SetRelease(["B1"], False, Release()),
    "delete": lambda m: DeleteMembers(["B1 bis"]),
    "delete with its nodes": lambda m: DeleteMembers(["K2"]),
    "join": lambda m: JoinEnd("B1", True, "K2"),
    "map": lambda m: MapProfile("beam 200x400", "IPE 300"),
    "join inside": lambda m: JoinEnd("K2", True, "B1"),
    "tie": lambda m: JoinEnd("B1", True, "K2", link=True),
    "keep on its line": lambda m: KeepApart("B1", False, link=True),
    "keep apart": lambda m: KeepApart("B1", False),
    "move": lambda m: MoveNodes([m.members["K1"].end], [0.1, 0, 0]),
    "split": lambda m: SplitMember("B1", 2.0),
    "reverse": lambda m: ReverseMembers(["B1", "K1"]),
    "turn": lambda m: TurnMembers(["B1"], 90.0),
    "turn towards": lambda m: TurnMembers(["B1"], 0.0, [0.0, 1.0, 0.0]),
    "section": lambda m: SetSection(["B1"], "HE 200 B"),
    "material": lambda m: SetMaterial(["B1", "K1"], "C30/37"),
    "map material": lambda m: MapMaterial("S355", "S235"),
    "value": lambda m: SetMaterialValue("S355", "E", 200e9),
    "pin both": lambda m: PinBoth(["B1"]),
}


def loaded() -> Model:
    """Two beams in line on three columns, with loads of every kind on the first."""
    s = bay()
    add(s, "column", "K3", (12, 0, 0), (12, 0, 4.0), z=(1, 0, 0))
    add(s, "beam", "B2", (6.15, 0, 3.8), (11.85, 0, 3.8))
    m = model(s)
    m.cases["Q"] = LoadCase("Q", "live", member_loads=[
        MemberLoad("B1", 1.0, 5.0, (0, 0, -1e3), (0, 200, -3e3)),
        MemberLoad("B1", 4.0, 4.0, (0, 100, -2e3), (0, 100, -2e3), local=True),
        MemberLoad("B2", 0.0, 6.0, (0, 0, -500), (0, 0, -900), projected=True),
    ])  # fmt: skip
    return m


def forces(m: Model) -> dict[str, np.ndarray]:
    """Displacement of every node that was there before, by place."""
    r = run(m, Settings().run)
    c = r.case_index("Q")
    return {str(np.round(p, 6)): r.displacement[c, k] for k, p in enumerate(r.xyz)}


@pytest.mark.parametrize(
    "edit",
    [
        ReverseMembers(["B1", "B2", "K2"]),
        SplitMember("B1", 2.5),
        SplitMember("B1", 4.5),
        SplitMember("B2", 3.0),
    ],
    ids=["reverse", "split before the point", "split behind it", "split the other"],
)
def test_what_only_renames_changes_no_result(edit: Edit) -> None:
    """Turned end for end or cut in two, the structure and its loads are the same: the same displacements to
    1e-9."""
    before = forces(loaded())
    m = loaded()
    edit.apply(m)
    after = forces(m)
    largest = max(np.abs(v).max() for v in before.values())
    for place, u in before.items():
        assert after[place] == pytest.approx(u, abs=1e-9 * largest), place


def test_split_and_merged_again_it_is_the_same_member() -> None:
    m = loaded()
    before = forces(m)
    SplitMember("B1", 2.5).apply(m)
    MergeMembers(["B1", "B1+"]).apply(m)
    assert "B1+" not in m.members and not m.members["B1"].joints
    assert len(m.nodes) == 6 and m.length(m.members["B1"]) == pytest.approx(6.0)
    for place, u in forces(m).items():
        assert u == pytest.approx(before[place], abs=1e-12)


def test_an_angle_turned_round_is_mirrored_and_bends_the_same() -> None:
    """A section without symmetry keeps its shape in space."""
    m = loaded()
    m.sections["beam 200x400"] = replace(catalogue_section("L 200x100x12"), name="beam 200x400")
    before = forces(m)
    ReverseMembers(["B1"]).apply(m)
    assert m.members["B1"].section == "beam 200x400 mirrored"
    largest = max(np.abs(v).max() for v in before.values())
    for place, u in forces(m).items():
        assert u == pytest.approx(before[place], abs=1e-9 * largest)


@pytest.mark.parametrize(
    ("edit", "said"),
    [
        (SplitMember("B1", 7.0), "cannot be split at 7.000 m"),
        (MergeMembers(["B1", "K1"]), "differ in section"),
        (MergeMembers(["B1"]), "two members are merged"),
        (JoinEnd("B1", True, "B1"), "not joined to itself"),
        (SetSection(["B1"], "TQ 1"), "neither in the model nor in the catalogue"),
        (SetMaterial(["B1"], "Unobtainium"), "nor a grade"),
        (SetMaterialValue("S355", "E", -1.0), "no value of a material"),
        (SetThickness(["nothing"], 0.2), "not in the model any more"),
        (DeleteMembers(["gone"]), "not in the model any more"),
        (JoinCrossing("B1", "K1"), "share a node already"),
        (MoveNodes(["N1"], [1.0]), "three numbers"),
    ],
)
def test_what_cannot_be_done_says_why_and_leaves_the_model(edit: Edit, said: str) -> None:
    m = loaded()
    before = pack(m)
    with pytest.raises(EditError, match=said):
        edit.apply(m)
    assert pack(m) == before


def test_corrections_are_made_again_on_the_same_source() -> None:
    """Written down as JSON and made again on a model taken in anew; nodes are found by their place."""
    m = faulty()
    for name in ("delete", "join", "support", "map", "pin both"):
        EDITS[name](m).apply(m)
    records = json.loads(json.dumps(m.corrections))
    fresh = faulty()
    made, missed = make_again(fresh, records)
    assert len(made) == 5 and not missed
    assert pack(fresh) == pack(m)
    for edit in reversed(made):
        edit.revert(fresh)
    assert pack(fresh) == pack(faulty())


def test_corrections_that_find_nothing_are_told_one_by_one() -> None:
    records = [
        {"edit": "DeleteMembers", "values": {"members": ["gone"]}, "places": {}},
        {"edit": "Repaint", "values": {}},
        {
            "edit": "SetSupport",
            "values": {"nodes": ["N9"], "support": {"letters": "XXXXXX", "springs": [0] * 6}},
            "places": {"N9": [99.0, 0, 0]},
        },
        {"edit": "SplitMember", "values": {"where": 3}},
        {"edit": "SetSupport", "values": {"nodes": [], "support": {"held": "ux sideways"}}},
        {"edit": "SetRelease", "values": {"members": ["B1"], "at_end": True, "release": {}}},
    ]
    made, missed = make_again(faulty(), records)
    assert not made and len(missed) == 6 and all("cannot be read" in m for m in missed[3:])
    assert "gone is not in the model" in missed[0] and "not known" in missed[1]
    assert "node N9 is not there" in missed[2] and "cannot be read" in missed[3]


def test_the_book_keeps_corrections_by_source(tmp_path: Path) -> None:
    book = CorrectionBook(tmp_path / "book")
    source = tmp_path / "a.ifc"
    assert book.recall(source) == []
    book.keep(source, [{"edit": "DeleteMembers", "values": {"members": ["x"]}}])
    assert book.recall(source)[0]["values"] == {"members": ["x"]} and book.recall(tmp_path / "b.ifc") == []
    next((tmp_path / "book").iterdir()).write_text("{")
    assert book.recall(source) == []
    book.keep(source, [])
    assert not list((tmp_path / "book").iterdir())


def top_of(m: Model, surface: str) -> dict[str, object]:
    """A wall's highest edge."""
    edges = edges_of(m.surfaces[surface])
    return {"surface": surface, "line": max(edges, key=lambda e: e[:, 2].min()).tolist()}


def half(edge: dict[str, object]) -> dict[str, object]:
    a, b = np.array(edge["line"])
    return edge | {"line": [a.tolist(), ((a + b) / 2).tolist()]}


def test_edits_of_walls_and_slabs() -> None:
    m = model(room())
    before = pack(m)
    edits: list[Edit] = [
        HoldFoot(["west"], FIXED),
        SetEdgeSupport([top_of(m, "west")], PINNED),
        SetEdgeSupport([top_of(m, "west")]),
        SetEdgeSupport([half(top_of(m, "west"))], PINNED),
        SetBedding(["floor"], 1e7),
        SetThickness(["floor"], 0.3),
        TurnSurfaces(["floor"], [0.0, 1.0, 0.0]),
        TurnSurfaces(["west"], flip=True),
        DeleteMembers(["east"]),
        SetMaterial(["floor"], "C40/50"),
    ]
    z = m.surfaces["west"].axes[2].copy()
    for edit in edits:
        edit.apply(m)
    assert [s.support for s in m.surfaces["west"].supports] == [FIXED, PINNED]
    with pytest.raises(EditError, match="no edge along"):
        SetEdgeSupport(
            [{"surface": "west", "line": (m.surfaces["west"].bottom_edges()[0] + [0, 0, 0.5]).tolist()}],
            FIXED,
        ).apply(m)
    assert m.surfaces["floor"].bedding == 1e7
    assert m.surfaces["floor"].axes[0] == pytest.approx([0, 1, 0]) and m.surfaces["west"].axes[
        2
    ] == pytest.approx(-z)
    assert not any(j.other == "east" for j in m.surfaces["south"].joints)
    assert [s.reason for s in m.skipped] == ["deleted by a correction"] and "east" in m.removed_surfaces
    for edit in reversed(edits):
        edit.revert(m)
    assert pack(m) == before


@pytest.mark.parametrize("name", EDITS)
def test_taken_back_it_is_as_if_it_had_never_been(name: str) -> None:
    m = faulty()
    before = pack(m)
    edit: Edit = EDITS[name](m)
    edit.apply(m)
    after = pack(m)
    assert after != before and m.log[-1].kind == "corrected"
    edit.revert(m)
    assert pack(m) == before
    edit.apply(m)
    assert pack(m) == after


def test_joining_closes_the_gap() -> None:
    m = faulty()
    JoinEnd("B1", True, "K2").apply(m)
    assert m.members["B1"].end == m.members["K2"].end
    assert m.length(m.members["B1"]) == pytest.approx(6.0)


def test_joining_far_from_any_node_makes_one() -> None:
    m = faulty()
    JoinEnd("K2", True, "B1").apply(m)
    assert m.members["K2"].end in {m.members["B1"].end, *(j.node for j in m.members["B1"].joints)}


def test_buttons_of_findings_mend_them() -> None:
    """Every blocking finding of the faulty bay has a button that does away with it."""
    m = faulty()
    m.nodes[m.members["K2"].start].support = type(FIXED)()
    for _ in range(6):
        found = [f for f in run_checks(Subject(m, run(m, Settings().run))) if f.severity == "blocking"]
        if not found:
            break
        done = [(f, a) for f in found for a in f.actions if can_do(m, f, a) and not a.startswith("Accept")]
        assert done, [f.message for f in found]
        edit = edit_for(m, *done[0])
        assert edit is not None
        edit.apply(m)
    assert not [f for f in run_checks(Subject(m, run(m, Settings().run))) if f.severity == "blocking"]


def test_a_button_for_what_is_gone_does_nothing() -> None:
    m = faulty()
    finding = next(f for f in run_checks(Subject(m)) if f.code == "join.duplicate")
    DeleteMembers(["B1 bis"]).apply(m)
    assert not can_do(m, finding, finding.actions[0])
