"""Corrections: each does one thing, is logged, and is taken back exactly."""

from __future__ import annotations

import pytest

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.desk.actions import can_do, edit_for
from rod_tally.model import FIXED, Model, Release, Settings
from rod_tally.model.edits import DeleteMembers, Edit, JoinEnd, MapProfile, SetRelease, SetSupport
from rod_tally.project.codec import pack

from .physical_models import add, bay, model


def faulty() -> Model:
    s = bay(0.04)
    add(s, "beam", "B1 bis", (0.15, 0, 3.8), (5.81, 0, 3.8))
    return model(s)


EDITS = {
    "support": lambda m: SetSupport([m.members["B1"].start], FIXED),
    "release": lambda m: SetRelease(["B1", "K1"], True, Release("FFFFRR")),
    "fix": lambda m: SetRelease(["B1"], False, Release()),
    "delete": lambda m: DeleteMembers(["B1 bis"]),
    "delete with its nodes": lambda m: DeleteMembers(["K2"]),
    "join": lambda m: JoinEnd("B1", True, "K2"),
    "map": lambda m: MapProfile("beam 200x400", "IPE 300"),
    "join inside": lambda m: JoinEnd("K2", True, "B1"),
}


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
