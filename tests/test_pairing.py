"""Pairing by hand: it overrides the comparison, is undone, kept in the project, and reported in the
contract's rows."""

from __future__ import annotations

import copy
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.compare import Side, compare
from rod_tally.desk.window import Window
from rod_tally.model import Model
from rod_tally.model.edits import NEW, EditError, PairParts, UnpairByHand, from_record
from rod_tally.model.geometry.grids import place_on_grids
from rod_tally.project import Project
from rod_tally.project.prints import fingerprint
from rod_tally.review.remedies import edits_for

from .desk_help import model_of, rested
from .frames import regular


def renamed(model: Model) -> Model:
    """The same building with new identities."""
    out = copy.deepcopy(model)
    new = {i: f"new-{i}" for i in out.members}
    out.members = {}
    for i, m in model.members.items():
        own = copy.deepcopy(m)
        own.id = new[i]
        out.members[own.id] = own
    for case in out.cases.values():
        for load in case.member_loads:
            load.member = new[load.member]
    return out


def rows(base: Model, revised: Model) -> dict[str | None, tuple[str | None, str]]:
    found = compare(Side(base, None, []), Side(revised, None, []))
    return {m.revised_id: (m.baseline_id, m.status) for m in found.members}


def test_a_pair_said_by_hand_holds_wherever_it_lies() -> None:
    base, revised = regular(), renamed(regular())
    beams = [i for i, m in base.members.items() if m.cls == base.members[next(iter(base.members))].cls]
    a, b = beams[:2]
    plain = rows(base, revised)
    assert plain[f"new-{a}"] == (a, "same")
    edit = PairParts({f"new-{a}": b, f"new-{b}": a})
    edit.apply(revised)
    crossed = rows(base, revised)
    assert crossed[f"new-{a}"][0] == b and crossed[f"new-{b}"][0] == a
    assert {crossed[f"new-{a}"][1], crossed[f"new-{b}"][1]} <= {"moved", "changed", "resized"}
    others = {k: v for k, v in crossed.items() if k not in (f"new-{a}", f"new-{b}")}
    assert others == {k: v for k, v in plain.items() if k in others}
    edit.revert(revised)
    assert rows(base, revised) == plain and not revised.pairing


def test_a_part_called_new_leaves_its_twin_removed_and_can_be_left_alone_again() -> None:
    base, revised = regular(), renamed(regular())
    a = next(iter(base.members))
    PairParts({f"new-{a}": NEW}).apply(revised)
    found = compare(Side(base, None, []), Side(revised, None, []))
    assert [m.revised_id for m in found.members if m.status == "added"] == [f"new-{a}"]
    assert [m.baseline_id for m in found.members if m.status == "removed"] == [a]
    UnpairByHand([f"new-{a}"]).apply(revised)
    assert all(s == "same" for _, s in rows(base, revised).values())
    with pytest.raises(EditError, match="none of these"):
        UnpairByHand([f"new-{a}"]).apply(revised)


def test_one_part_of_the_baseline_is_one_part_of_the_revision() -> None:
    base, revised = regular(), renamed(regular())
    a, b = list(base.members)[:2]
    with pytest.raises(EditError, match="cannot both"):
        PairParts({f"new-{a}": b, f"new-{b}": b}).apply(revised)
    PairParts({f"new-{a}": b}).apply(revised)
    PairParts({f"new-{b}": b}).apply(revised)
    assert revised.pairing == {f"new-{b}": b}
    with pytest.raises(EditError, match="not in the model"):
        PairParts({"nowhere": a}).apply(revised)


def test_pairing_is_kept_changes_no_result_and_is_written_down(tmp_path: Path) -> None:
    base, revised = regular(), renamed(regular())
    a, b = list(base.members)[:2]
    before = fingerprint(revised)
    PairParts({f"new-{a}": b}).apply(revised)
    assert fingerprint(revised) == before
    project = Project.create(tmp_path / "p.rodtally")
    ident = project.add_revision("Revision B", revised)
    project.close()
    opened = Project.open(tmp_path / "p.rodtally")
    assert opened.model(ident).pairing == {f"new-{a}": b}
    opened.close()
    again = from_record(revised.corrections[-1], revised)
    assert isinstance(again, PairParts) and again.pairs == {f"new-{a}": b}


def test_what_is_ambiguous_is_settled_by_its_finding() -> None:
    base = regular()
    beam = next(m for m in base.members.values() if m.cls == "beam")
    twin = copy.deepcopy(beam)
    twin.id = "twin"
    base.members["twin"] = twin
    revised = renamed(regular())
    found = compare(Side(base, None, []), Side(revised, None, [])).findings
    (finding,) = [f for f in found if f.code == "match.ambiguous"]
    assert "It is new" in finding.actions and finding.ids[1:] == tuple(sorted([beam.id, "twin"]))
    number = finding.ids.index("twin")
    action = next(a for a in finding.actions if a.startswith(f"Pair it with {number}: beam"))
    (edit,) = edits_for(revised, finding, action)
    edit.apply(revised)
    assert rows(base, revised)[finding.ids[0]][0] == "twin"
    assert not [
        f
        for f in compare(Side(base, None, []), Side(revised, None, [])).findings
        if f.code == "match.ambiguous"
    ]


def test_places_by_grid_lines(loft_a: Path) -> None:
    from rod_tally.model import Settings
    from rod_tally.review.work import read_model

    model = read_model(loft_a, Settings())
    column = next(m for m in model.members.values() if m.name == "Quay C3")
    assert place_on_grids(model, model.line(column).mean(axis=0)[:2]) in ("C/3", "3/C")
    beam = next(m for m in model.members.values() if m.name == "Loft C2-C3")
    assert place_on_grids(model, model.line(beam).mean(axis=0)[:2]) in ("C/2-3", "2-3/C")
    assert place_on_grids(model, np.array([-50.0, -50.0])).count("…") == 2
    assert place_on_grids(regular(), model.line(beam)[0, :2]) == ""


def test_pairing_in_the_window(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    comparison = w.state.comparison
    assert comparison is not None
    added = next(m for m in comparison.members if m.status == "added" and m.cls == "beam")
    w.state.pick("member", added.revised_id or "")
    offered = [i for i, _ in w.pair_desk.candidates()]
    old = offered[0]
    w.session.correct(PairParts({added.revised_id or "": old}))
    rested(qtbot, w)
    now = w.state.comparison
    assert now is not None and not w.state.revision.stale  # type: ignore[union-attr]
    row = next(m for m in now.members if m.revised_id == added.revised_id)
    assert row.baseline_id == old and row.status in ("moved", "resized") and row.shift > 0.1
    w.tables.show_table("changes")
    page = w.tables.front()
    assert page is not None
    shown = next(
        r for r in page.model.content.rows if r[2] == model_of(w).members[added.revised_id or ""].name
    )
    assert shown[4] and " mm" in str(shown[5])
    w.actions_["edit.undo"].trigger()
    rested(qtbot, w)
    assert next(m for m in w.state.comparison.members if m.revised_id == added.revised_id).status == "added"  # type: ignore[union-attr]
