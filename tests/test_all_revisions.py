"""Key figures of all revisions side by side, and any two of them compared."""

from __future__ import annotations

import pytest
from pytestqt.qtbot import QtBot

from rod_tally.desk.quantities import METRIC
from rod_tally.desk.tables.revision_rows import all_revisions
from rod_tally.desk.window import Window
from rod_tally.model import LoadCase, MemberLoad, Model, Settings
from rod_tally.model.source_file import source_of
from rod_tally.review.tallies.key_figures import key_figures
from rod_tally.review.work import review

from .desk_help import act, fill, rested
from .frames import beam


def simple(q: float) -> Model:
    m = beam(6.0, "ux uy uz rx", "uy uz")
    m.cases["Live"] = LoadCase(
        "Live", "live", member_loads=[MemberLoad("m0", 0.0, 6.0, (0, 0, -q), (0, 0, -q))]
    )
    return m


def test_key_figures_are_those_of_a_simple_beam() -> None:
    """w L at the supports and 5 w L^4 / (384 E I) at the middle, of the run's stations."""
    m = simple(4e3)
    found = {f.name: f for f in key_figures(review(m, Settings()))}
    assert found["base sum of Live along z"].value == pytest.approx(24e3)
    assert found["members"].value == 1 and found["supports"].value == 2
    assert found["weight of the model"].value == pytest.approx(m.weight(m.members["m0"]))
    assert "parts to look at again" not in found and "longest period along x" not in found


def test_a_review_whose_results_are_old_has_no_figures_of_them() -> None:
    done = review(simple(4e3), Settings())
    done.stale = True
    assert {f.kind for f in key_figures(done)} == {"count", "force"}
    assert not any(f.name.startswith("base sum") for f in key_figures(done))


def test_all_revisions_stand_side_by_side_and_any_two_are_compared(demo: Window, qtbot: QtBot) -> None:
    w = demo
    assert not w.actions_["compare.with"].isEnabled()  # of two there is no other choice
    source = source_of(w.state.revisions[0].review.model)
    w.session.take_in(source)
    rested(qtbot, w)
    names = [r.name for r in w.state.revisions]
    assert len(names) == 3
    table = all_revisions(w.state, METRIC)
    assert table.columns[2:5] == names
    rows = {str(r[0]): r for r in table.rows}
    for k, revision in enumerate(w.state.revisions):
        own = {f.name: f for f in key_figures(revision.review)}
        assert rows["members"][2 + k] == own["members"].value
        assert rows["findings open"][2 + k] == len(revision.open_findings())
    first, last = rows["weight of the model"][2], rows["weight of the model"][4]
    assert isinstance(first, float) and isinstance(last, float)
    w.state.choose(2)
    act(w, qtbot, "compare.with")
    fill(w, qtbot, w.why_desk.form, base=names[0])
    rested(qtbot, w)
    assert w.state.baseline is w.state.revisions[0]
    c = w.state.comparison
    assert c is not None and c.count("added") == 0 and c.count("removed") == 0
