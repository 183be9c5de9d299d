"""Runs of a chosen part: what is put on the rest is named as left out, so that the tally closes."""

from __future__ import annotations

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.analysis import Results, run
from rod_tally.analysis.results.run_sums import Term, add_up
from rod_tally.desk.session.runs import weight_without
from rod_tally.desk.window import Window
from rod_tally.model import AreaLoad, LoadCase, MemberLoad, Model, NodeLoad, Settings
from rod_tally.model.edits import KeepGroup
from rod_tally.model.settings import RunSettings
from rod_tally.review import review
from rod_tally.review.tallies.load_tally import load_rows

from .desk_help import act, fill, model_of, rested
from .floors import floor
from .frames import frame


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


def two_stages() -> tuple[Model, Results, Results]:
    """A beam on two columns that is propped in the middle in a second stage."""
    m = frame(
        [(0, 0, 0), (0, 0, 3), (3, 0, 3), (6, 0, 3), (6, 0, 0), (3, 0, 0)],
        [(0, 1), (1, 2), (2, 3), (3, 4), (5, 2)],
        {0: "fixed", 4: "fixed", 5: "ux uy uz rz"},
    )
    q = (0.0, 0.0, -5e3)
    m.cases["own"] = LoadCase("own", "self-weight", (0, 0, -1.0))
    m.cases["Q"] = LoadCase("Q", "live", member_loads=[MemberLoad(i, 0, 3, q, q) for i in ("m1", "m2")])
    return m, run(m, RunSettings(), only={"m0", "m1", "m2", "m3"}), run(m, RunSettings())


def test_cases_of_runs_add_up() -> None:
    """Bare under its weight, then propped under live load: forces are the sums, and the prop bears what came
    after it alone."""
    m, bare, whole = two_stages()
    found = add_up([Term("bare", bare, "own", 1.0), Term("whole", whole, "Q", 1.5)], m.nodes)
    assert found.words == "1 x own (bare) + 1.5 x Q (whole)"
    x, force = found.members["m4"]
    at = whole.stations_of("m4")
    assert np.allclose(force, 1.5 * whole.force[whole.case_index("Q"), at]) and found.absent == {
        "m4": ["bare"]
    }
    for ident in ("m0", "m1"):
        x, force = found.members[ident]
        a, b = bare.stations_of(ident), whole.stations_of(ident)
        assert x == pytest.approx(bare.station_x[a])
        assert np.allclose(force, bare.force[0, a] + 1.5 * whole.force[1, b])
    weight = sum(m.weight(x) for i, x in m.members.items() if i != "m4")
    assert sum(v[2] for v in found.supports.values()) == pytest.approx(weight + 1.5 * 5e3 * 6)
    n = whole.node_ids.index("n2")
    assert found.nodes["n2"] == pytest.approx(bare.displacement[0, n] + 1.5 * whole.displacement[1, n])
    # against all at once: the prop then bears a share of the weight too
    together = float(whole.force[0, at, 0].mean() + 1.5 * whole.force[1, at, 0].mean())
    assert together < float(found.members["m4"][1][:, 0].mean()) < 0


def test_what_cannot_be_added_up_says_why() -> None:
    m, bare, whole = two_stages()
    with pytest.raises(ValueError, match="no results of Wind"):
        add_up([Term("bare", bare, "Wind", 1.0)], m.nodes)
    whole.slack["Q"] = {"m4": 0.001}
    with pytest.raises(ValueError, match="one-way parts"):
        add_up([Term("whole", whole, "Q", 1.0)], m.nodes)


def test_runs_are_added_up_in_the_window(loft: Window, qtbot: QtBot) -> None:
    w = loft
    act(w, qtbot, "run.choose")
    page = w.pages.runs
    assert page is not None
    w.state.isolated = {m.id for m in model_of(w).members.values() if m.storey == "Quay"}
    page.part.setCurrentText("what is shown")
    page.name.setText("Quay alone")
    page.run()
    rested(qtbot, w)
    ids = {name: ident for ident, name, _, _ in w.session.runs.kept()}
    page.ask_sum()
    case = next(iter(model_of(w).cases))
    fill(w, qtbot, page.form, **{f"factor {ids['Run 1']}": 2.0, f"case {ids['Run 1']}": case})
    front = w.tables.front()
    assert front is not None and front.name == "forces" and front.choice.currentText() == "sum of runs"
    assert w.state.revision is not None and w.state.revision.run_sum is not None
    assert front.model.content.rows and front.model.content.note == f"2 x {case} (Run 1)"
    w.tables.show_aspect("reactions", "sum of runs")
    front = w.tables.front()
    assert front is not None and front.model.content.rows[0][0] == "in all"
    column = next(m.id for m in model_of(w).members.values() if m.cls == "column")
    w.session.correct(KeepGroup("g", [column]))
    rested(qtbot, w)
    assert w.state.revision.run_sum is None  # of the model as it was
