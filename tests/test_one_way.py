"""Parts that act in one way only: braces that go slack, supports that lift off, by hand and by brute
force."""

from __future__ import annotations

from itertools import product
from pathlib import Path

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from rod_tally.analysis import Results, run
from rod_tally.analysis.solve.one_way import slack
from rod_tally.desk.window import Window
from rod_tally.model import Combination, LoadCase, Member, Model, NodeLoad, Release, Settings, Storey
from rod_tally.model.edits import BOTH, CasesOfCombinations, DeleteMembers, EditError, SetLifting, SetOneWay
from rod_tally.model.geometry.vectors import default_z
from rod_tally.model.settings import RunSettings
from rod_tally.output.write import write_review
from rod_tally.review import review

from .desk_help import act, rested
from .frames import PLAIN, beam, frame, regular
from .verification import verified

ONE_WAY = RunSettings(one_way=True)
H, L, P = 3.0, 4.0, 60e3


def braced(force: float = P) -> Model:
    """A pinned bay L wide and H high with both diagonals, pushed at the top left corner."""
    m = frame(
        [(0, 0, 0), (L, 0, 0), (0, 0, H), (L, 0, H)],
        [(0, 2), (1, 3), (2, 3), (0, 3), (1, 2)],
        {0: "ux uy uz rx rz", 1: "ux uy uz rx rz", 2: "uy rx rz", 3: "uy rx rz"},
        releases={k: ("my mz", "my mz") for k in range(5)},
    )
    m.cases["Wind"] = LoadCase("Wind", "wind", node_loads=[NodeLoad("n2", (force, 0.0, 0.0))])
    return m


def axial(results: Results, member: str, case: str = "Wind") -> float:
    at = results.stations_of(member)
    return float(results.force[results.case_index(case), at, 0].mean())


@pytest.mark.parametrize("force", [P, -P])
def test_of_two_diagonals_the_one_in_tension_takes_all(force: float) -> None:
    """N = P / cos(a), and the other one nothing: as in the frame without it."""
    m = braced(force)
    SetOneWay(["m3", "m4"], "tension").apply(m)
    r = run(m, ONE_WAY)
    pulled, idle = ("m3", "m4") if force > 0 else ("m4", "m3")
    expected = abs(force) * np.hypot(L, H) / L
    verified(
        "Two diagonals in tension only: N of the one that pulls, N",
        "statics, P / cos a",
        axial(r, pulled),
        expected,
        1e-9,
    )
    assert axial(r, idle) == pytest.approx(0, abs=1e-6 * P)
    assert list(r.slack["Wind"]) == [idle] and r.equilibrium[0].residual < 1e-9
    alone = braced(force)
    DeleteMembers([idle]).apply(alone)
    other = run(alone, RunSettings())
    index = [r.node_ids.index(n) for n in other.node_ids]
    assert np.allclose(r.displacement[0][index], other.displacement[0], rtol=1e-7, atol=1e-12)
    assert np.allclose(r.reaction, other.reaction, rtol=1e-7, atol=1e-5)
    # how slack it is: its ends have come that much nearer to each other
    a, b = (m.nodes[n] for n in (m.members[idle].start, m.members[idle].end))
    u = [r.displacement[0][r.node_ids.index(n.id)][:3] for n in (a, b)]
    d = b.point - a.point
    assert r.slack["Wind"][idle] == pytest.approx(-float((u[1] - u[0]) @ d / np.linalg.norm(d)), rel=1e-6)


def test_both_ways_unless_asked_for_and_compression_members() -> None:
    m = braced()
    SetOneWay(["m3", "m4"], "tension").apply(m)
    both = run(m, RunSettings())
    assert not both.slack and axial(both, "m4") < -1e3 < 1e3 < axial(both, "m3")
    SetOneWay(["m3", "m4"], "compression").apply(m)
    r = run(m, ONE_WAY)
    assert axial(r, "m4") == pytest.approx(-P * np.hypot(L, H) / L, rel=1e-9) and list(r.slack["Wind"]) == [
        "m3"
    ]
    SetOneWay(["m3", "m4"], BOTH).apply(m)
    assert not run(m, ONE_WAY).slack and not m.one_way


def three_legs(q: float) -> Model:
    """A beam of two spans of 5 m on three supports, q (N) down at the end of a cantilever of 2 m beyond the
    third."""
    m = frame(
        [(0, 0, 0), (5, 0, 0), (10, 0, 0), (12, 0, 0)], [(0, 1), (1, 2), (2, 3)],
        {0: "ux uy uz rx rz", 1: "uy uz", 2: "uy uz"}, section=PLAIN,
    )  # fmt: skip
    m.cases["Q"] = LoadCase("Q", "live", node_loads=[NodeLoad("n3", (0, 0, -q))])
    return m


def test_a_support_lifts_off() -> None:
    """The far cantilever pulls the middle support up: it lifts, and the beam is one of 10 m with R0 = -2 q /
    10, which has to be able to pull. With that one lifting too nothing holds the beam."""
    m = three_legs(10e3)
    both = run(m, RunSettings())
    at = {n: k for k, n in enumerate(both.support_ids)}
    assert both.reaction[0, at["n1"], 2] < -1e3
    SetLifting(["n1"]).apply(m)
    r = run(m, ONE_WAY)
    got = {n: float(r.reaction[0, k, 2]) for n, k in at.items()}
    assert (
        got["n1"] == pytest.approx(0, abs=1e-5)
        and got["n0"] == pytest.approx(-2e3)
        and got["n2"] == pytest.approx(12e3)
    )
    # u of the middle of a simple beam of 10 m under the end moment 2 q: M L2 / 16 E I
    lift = 20e3 * 100 / (16 * 210e9 * PLAIN.iy)
    verified(
        "Support that lifts off: how far, m", "beam theory, M L2 / 16 E I", r.slack["Q"]["n1"], lift, 1e-6
    )
    assert r.displacement[0, r.node_ids.index("n1"), 2] == pytest.approx(lift, rel=1e-6)
    SetLifting(["n0"]).apply(m)
    lost = run(m, ONE_WAY)
    assert lost.unsettled == ["Q"] and not lost.node_done.any() and not lost.reaction.any()
    own = Settings()
    own.run.one_way, own.modes.count = True, 0
    codes = {f.code: f.severity for f in review(m, own).findings}
    assert codes["run.unsettled"] == "blocking"


def test_a_support_on_a_spring_lifts_off_too() -> None:
    m = three_legs(10e3)
    m.nodes["n1"].support = m.nodes["n1"].support.of("uy uz=3e6")
    SetLifting(["n1"]).apply(m)
    r = run(m, ONE_WAY)
    assert r.reaction[0, r.support_ids.index("n1"), 2] == pytest.approx(0, abs=1e-5)
    assert r.reaction[0, r.support_ids.index("n2"), 2] == pytest.approx(12e3)


def test_cases_are_not_added_up_but_made_of_combinations(tmp_path: Path) -> None:
    """Weight holds down what wind lifts: only together they tell. As a case of its own the combination is
    right."""
    m = beam(6.0, "ux uy uz rx rz", "uy uz")
    m.nodes["n1"].support = m.nodes["n1"].support.of("uy uz")
    m.cases["G"] = LoadCase("G", "dead", self_weight=(0, 0, -1.0))
    m.cases["W"] = LoadCase("W", "wind", node_loads=[NodeLoad("n1", (0, 0, 300.0))])
    m.combinations = [
        Combination("G + W", "ULS", {"G": 1.0, "W": 1.0}),
        Combination("G + 9 W", "ULS", {"G": 1.0, "W": 9.0}),
    ]
    SetLifting(["n1"]).apply(m)
    m.nodes["n0"].support = m.nodes["n0"].support.of("ux uy uz rx ry rz")
    own = Settings()
    own.run.one_way, own.modes.count = True, 0
    done = review(m, own)
    assert done.results.slack and not done.computed_combinations
    assert {"run.one_way", "run.superposition"} <= {f.code for f in done.findings}
    own.output.combinations = True
    write_review(done, tmp_path)
    assert "G + W" not in (tmp_path / "reactions.csv").read_text()
    assert len((tmp_path / "envelopes.csv").read_text().splitlines()) == 1
    edit = CasesOfCombinations([{"name": c.name, "factors": c.factors} for c in m.combinations])
    edit.apply(m)
    done = review(m, own)
    assert not {"case.untyped", "load.twice", "load.same", "load.factored"} & {f.code for f in done.findings}
    r = done.results
    assert "G + W" not in r.slack and "G + 9 W" in r.slack
    half = 7850 * PLAIN.area * 9.80665 * 6 * 3 / 8  # of a propped cantilever
    assert r.reaction[r.case_index("G + W"), r.support_ids.index("n1"), 2] == pytest.approx(
        half - 300, rel=1e-6
    )
    edit.revert(m)
    assert set(m.cases) == {"G", "W"}
    with pytest.raises(EditError, match="already"):
        CasesOfCombinations([{"name": "G", "factors": {"W": 1.0}}]).apply(m)


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 10**6), n=st.integers(1, 5))
def test_who_is_slack_agrees_with_trying_all(seed: int, n: int) -> None:
    """Brute force over which of n parts are slack, for any stiffness: one set at most fits, and it is the one
    found."""
    rng = np.random.default_rng(seed)
    root = rng.normal(size=(n, n + 2))
    a, force = root @ root.T, rng.normal(size=n)
    z = slack(a, force)
    fits = []
    for on in product([False, True], repeat=n):
        k = np.flatnonzero(on)
        own = np.zeros(n)
        if len(k):
            own[k] = np.linalg.solve(a[np.ix_(k, k)], -force[k])
        if own.min() >= -1e-9 and (force + a @ own).min() >= -1e-9:
            fits.append(own)
    assert z is not None and fits
    assert any(np.allclose(z, f, atol=1e-7) for f in fits)


@settings(max_examples=60, deadline=None)
@example(seed=455097, n=8, rank=3)
@given(seed=st.integers(0, 10**6), n=st.integers(1, 8), rank=st.integers(1, 4))
def test_more_parts_than_the_structure_needs(seed: int, n: int, rank: int) -> None:
    """Parts that can stand in for each other: what each bears is one thing, however slack the others are
    taken to be."""
    rng = np.random.default_rng(seed)
    root = rng.normal(size=(n, rank))
    a = root @ root.T
    idle = rng.random(n) < 0.5
    known, borne = np.where(idle, rng.random(n), 0.0), np.where(idle, 0.0, rng.random(n))
    z = slack(a, borne - a @ known)
    assert z is not None and z.min() >= 0
    assert borne - a @ known + a @ z == pytest.approx(borne, abs=1e-5 * (1 + np.abs(a).max()))


@settings(max_examples=12, deadline=None)
@given(seed=st.integers(0, 10**6), rigid=st.booleans(), way=st.sampled_from(["tension", "compression"]))
def test_any_braced_frame_is_the_one_without_its_slack_braces(seed: int, rigid: bool, way: str) -> None:
    """Braces at random, rigid floors or not, forces at random: none bears what it may not, and everything
    moves as in the frame from which the slack ones are taken out."""
    rng = np.random.default_rng(seed)
    m = regular(2, 2)
    m.storeys = [Storey("Base", 0.0), Storey("First", 3.5), Storey("Roof", 7.0)]
    place = {n: x.point for n, x in m.nodes.items()}
    braces = []
    for a, b in product(place, place):
        d = place[b] - place[a]
        if d[2] == 3.5 and sorted(np.abs(d[:2])) == [0.0, 6.0] and rng.random() < 0.3:
            braces.append(f"brace {len(braces)}")
            m.members[braces[-1]] = Member(
                braces[-1],
                "",
                "brace",
                a,
                b,
                PLAIN.name,
                "steel",
                default_z(d),
                "",
                Release.of("mt my mz"),
                Release.of("my mz"),
            )
    loads = [
        NodeLoad(n, tuple(float(v) for v in rng.normal(size=3) * [2e4, 2e4, 5e3]))
        for n, p in place.items()
        if p[2] > 1
    ]
    m.cases["Wind"] = LoadCase("Wind", "wind", node_loads=loads)
    floors = ["First", "Roof"] if rigid else []
    SetOneWay(braces, way).apply(m)
    r = run(m, RunSettings(one_way=True, diaphragms=floors))
    assert not r.unsettled and r.equilibrium[0].residual < 1e-8
    sign = 1 if way == "tension" else -1
    assert all(sign * axial(r, i) > -1e-3 for i in braces)
    idle = list(r.slack.get("Wind", {}))
    if idle:
        DeleteMembers(idle).apply(m)
    alone = run(m, RunSettings(diaphragms=floors))
    index = [r.node_ids.index(n) for n in alone.node_ids]
    moved = alone.displacement[0][:, :3]
    assert np.abs(r.displacement[0][index][:, :3] - moved).max() < 1e-7 * np.abs(moved).max()


def test_in_the_window(loft: Window, qtbot: QtBot) -> None:
    """Braces that pull only, asked for, run, and said; both ways again by undo."""
    w = loft
    w.select_desk.by_words("braces")
    braces = w.state.chosen("member")
    act(w, qtbot, "model.tension")
    assert w.state.review is not None and set(w.state.review.model.one_way) == set(braces)
    assert any(f.code == "source.one_way" for f in w.state.review.findings)
    act(w, qtbot, "run.one_way")
    act(w, qtbot, "run.run")
    done = w.state.review
    assert done.results.slack and {"run.one_way", "run.superposition"} <= {f.code for f in done.findings}
    assert not any(f.code == "source.one_way" for f in done.findings)
    assert all(list(c.factors.values()) == [1.0] for c in done.computed_combinations)
    act(w, qtbot, "loads.of_combinations")
    assert sum(c.is_combination for c in done.model.cases.values()) == len(done.combinations)
    w.session.undo.undo()
    w.session.undo.undo()
    rested(qtbot, w)
    assert not w.state.review.model.one_way


def test_records_of_runs_keep_who_is_slack() -> None:
    from rod_tally.project.run_records import packed, results_of

    m = braced()
    SetOneWay(["m3", "m4"], "tension").apply(m)
    r = run(m, ONE_WAY)
    again = results_of(*packed(r, None))
    assert again.slack == r.slack and again.unsettled == r.unsettled
