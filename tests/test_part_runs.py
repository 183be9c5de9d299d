"""Runs of a chosen part: what is put on the rest is named as left out, so that the tally closes."""

from __future__ import annotations

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.desk.session.runs import weight_without
from rod_tally.desk.window import Window
from rod_tally.model import AreaLoad, LoadCase, MemberLoad, Model, NodeLoad, Settings
from rod_tally.model.edits import KeepGroup
from rod_tally.review import review
from rod_tally.review.tallies.load_tally import load_rows

from .desk_help import act, model_of, rested
from .floors import floor


def loaded(way: str) -> Model:
    m = floor()
    m.surfaces["s"].way = way
    m.cases["own"] = LoadCase("own", "self-weight", (0, 0, -1.0))
    q = (0.0, 0.0, -1e3)
    m.cases["Q"] = LoadCase(
        "Q", "live", node_loads=[NodeLoad("n6", (0, 0, -7e3)), NodeLoad("n4", (0, 0, -5e3))],
        member_loads=[MemberLoad("m4", 0, 6, q, q), MemberLoad("m6", 0, 6, q, q), MemberLoad("m6", 0, 6, q, q, local=True)],
        area_loads=[AreaLoad("s", ((0, 0, -2e3),))],
    )  # fmt: skip
    return m


@pytest.mark.parametrize("way", ["two-way", "shell"])
@pytest.mark.parametrize("only", [None, {"m0", "m1", "m4"}, {"m0", "m1", "m4", "s"}, {"s"}])
def test_the_tally_of_a_part_run_closes(way: str, only: set[str] | None) -> None:
    """Put on = arrived + held + not carried, and what arrived and is held stands against the reaction."""
    done = review(loaded(way), Settings(), only=only)
    for row in load_rows(done):
        assert row.arrived + row.held + row.lost == pytest.approx(row.put_on, abs=1e-6)
        if row.reaction is not None:
            assert row.arrived + row.held + row.reaction == pytest.approx(np.zeros(3), abs=1e-3)
    if only is not None:
        assert any(f.code == "load.uncarried" for f in done.findings)


def test_every_group_by_itself_in_the_window(loft: Window, qtbot: QtBot) -> None:
    """One run a group, each kept under its name; the weight that each leaves out is that of the rest."""
    w = loft
    model = model_of(w)
    for storey in ("Loft", "Rigging"):
        own = [m.id for m in model.members.values() if m.storey == storey and m.cls == "column"]
        w.session.correct(KeepGroup(f"Columns {storey}", own))
        rested(qtbot, w)
    act(w, qtbot, "run.choose")
    page = w.pages.runs
    assert page is not None
    page.part.setCurrentText("every group, one run each")
    heard: list[str] = []
    w.session.said.connect(heard.append)
    page.run()
    rested(qtbot, w)
    names = [name for _, name, _, _ in w.session.runs.kept()]
    assert {"Group Columns Loft", "Group Columns Rigging"} <= set(names)
    model = model_of(w)
    only = set(model.groups["Columns Loft"])
    left = weight_without(model, only)
    whole = sum(model.weight(m) for m in model.members.values()) + sum(
        model.surface_weight(s) for s in model.surfaces.values()
    )
    assert left == pytest.approx(whole - sum(model.weight(model.members[i]) for i in only))
    assert f"Group Columns Loft leaves out {left / 1e3:.4g} kN" in heard[-1]
    assert w.state.review is not None and w.state.review.results.left_out
