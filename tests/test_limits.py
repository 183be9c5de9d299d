"""What one-way parts bear at most: braces, supports and ground that give way, by hand, by statics and against
the conditions themselves."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from rod_tally.analysis import run
from rod_tally.analysis.shells.assembly import node_areas
from rod_tally.analysis.solve.one_way import slack
from rod_tally.checks.registry import Subject
from rod_tally.checks.response.one_way import find_slack
from rod_tally.compare import compare
from rod_tally.compare.results import Side
from rod_tally.desk.window import Window
from rod_tally.intake import read_source
from rod_tally.model import LoadCase, MemberLoad, Model, NodeLoad, Settings
from rod_tally.model.edits import (
    EditError,
    SetGroundLifting,
    SetLifting,
    SetLimit,
    SetOneWay,
    SplitMember,
    from_record,
)
from rod_tally.model.settings import MeshSettings, RunSettings
from rod_tally.output.ifc import write_ifc
from rod_tally.project.run_records import packed, results_of
from rod_tally.transfer import transfer

from .desk_help import act, fill
from .frames import PLAIN, E, frame
from .test_lifting_ground import B, L, N, footing
from .test_one_way import ONE_WAY, P, axial, braced
from .verification import verified

H_BAY, L_BAY = 3.0, 4.0


def rigid_bay() -> Model:
    """The braced bay with stiff corners and feet, so that something is left when a brace gives way."""
    m = braced()
    for k in range(3):
        m.members[f"m{k}"].release_start = m.members[f"m{k}"].release_end = m.members[
            "m3"
        ].release_start.__class__()
    SetOneWay(["m3", "m4"], "tension").apply(m)
    return m


@pytest.mark.parametrize("share", [0.3, 0.9])
def test_a_brace_bears_no_more_than_it_can(share: float) -> None:
    """Beyond it the frame stands as without the brace, with the brace's limit as forces at its ends."""
    m = rigid_bay()
    free = axial(run(m, ONE_WAY), "m3")
    limit = share * free
    SetLimit(["m3", "m4"], limit).apply(m)
    r = run(m, ONE_WAY)
    assert axial(r, "m3") == pytest.approx(limit, rel=1e-7) and axial(r, "m4") == pytest.approx(
        0, abs=1e-6 * P
    )
    assert set(r.yielded["Wind"]) == {"m3"} and r.equilibrium[0].residual < 1e-9
    bare = rigid_bay()
    for ident in ("m3", "m4"):
        del bare.members[ident]
    bare.one_way.clear()
    way = np.array([L_BAY, 0, H_BAY]) / np.hypot(L_BAY, H_BAY) * limit
    bare.cases["Wind"].node_loads += [NodeLoad("n0", tuple(way)), NodeLoad("n3", tuple(-way))]
    alone = run(bare, RunSettings())
    for node in ("n2", "n3"):
        mine, theirs = (x.displacement[0, x.node_ids.index(node)] for x in (r, alone))
        assert mine == pytest.approx(theirs, rel=1e-6, abs=1e-12)
    # how far it gave way: what its ends come apart beyond what its force stretches it
    ends = [r.displacement[0, r.node_ids.index(n), :3] for n in ("n0", "n3")]
    apart = float((ends[1] - ends[0]) @ way / limit)
    stretch = limit * np.hypot(L_BAY, H_BAY) / (E * PLAIN.area)
    assert r.yielded["Wind"]["m3"] == pytest.approx(apart - stretch, rel=1e-6)
    again = results_of(*packed(r, None))
    assert again.yielded == r.yielded
    m.members["m3"].name = "brace"
    (found,) = [
        f
        for f in find_slack(Subject(m, r, Settings.from_dict({"run": {"one_way": True}})))
        if f.code == "run.limit"
    ]
    assert (
        found.severity == "warning"
        and "brace" in found.message
        and f"{r.yielded['Wind']['m3'] * 1000:.3g} mm" in found.message
    )


def test_braces_alone_that_bear_too_little_hold_nothing() -> None:
    m = braced()
    SetOneWay(["m3", "m4"], "tension").apply(m)
    needed = P * np.hypot(L_BAY, H_BAY) / L_BAY
    for share, unsettled in ((1.01, []), (0.99, ["Wind"])):
        SetLimit(["m3", "m4"], share * needed).apply(m)
        assert run(m, ONE_WAY).unsettled == unsettled


def test_a_support_that_gives_way() -> None:
    """A beam on three supports whose middle one bears R at most: a simple beam with R in its middle, w = 5 q
    l^4 / 384 EI - R l^3 / 48 EI (any handbook); the outer ones bear the rest."""
    length, q, most = 8.0, 10e3, 20e3
    m = frame([(0, 0, 0), (4, 0, 0), (8, 0, 0)], [(0, 1), (1, 2)], {0: "ux uy uz rx", 1: "uy uz", 2: "uy uz"})
    load = (0.0, 0.0, -q)
    m.cases["Q"] = LoadCase(
        "Q", "live", member_loads=[MemberLoad(i, 0.0, 4.0, load, load) for i in ("m0", "m1")]
    )
    SetLifting(["n1"]).apply(m)
    SetLimit(["n1"], most, supports=True).apply(m)
    settings = RunSettings(one_way=True, shear_flexible=False)
    r = run(m, settings)
    assert r.reaction[0, :, 2] == pytest.approx([(q * length - most) / 2, most, (q * length - most) / 2])
    stiff = E * PLAIN.iy
    wanted = 5 * q * length**4 / (384 * stiff) - most * length**3 / (48 * stiff)
    verified(
        "Middle support at its limit: settlement, m",
        "simple beam, any handbook",
        -float(r.displacement[0, 1, 2]),
        wanted,
        1e-6,
    )
    assert r.yielded["Q"]["n1"] == pytest.approx(wanted)
    SetLimit(["n1"], 0.0, supports=True).apply(m)
    # continuous over two spans
    assert run(m, settings).reaction[0, 1, 2] == pytest.approx(5 / 8 * q * length)


@pytest.mark.parametrize("e", [0.0, 1.2, 2.1])
def test_ground_with_a_bearing_pressure(e: float) -> None:
    """A rigid block holds while N is below p B (L - 2 e), the length under plastic pressure (any textbook of
    foundations), and not above."""
    whole = N / (B * (L - 2 * e))
    for share, holds in ((1.05, True), (0.95, False)):
        m = footing(e)
        SetGroundLifting(["s"]).apply(m)
        SetLimit(["s"], share * whole, supports=True).apply(m)
        r = run(m, ONE_WAY, meshing=MeshSettings(size=0.15))
        assert r.unsettled == ([] if holds else ["N"]), share
        if not holds:
            continue
        x = np.array([r.xyz[r.node_ids.index(n), 0] for n in r.support_ids])
        up = r.reaction[0, :, 2]
        assert (
            up.min() > -1e-3 and up.sum() == pytest.approx(N) and (up @ x) / N == pytest.approx(e, abs=1e-6)
        )
        assert r.plates is not None
        area = node_areas(r.plates)[[r.node_ids.index(n) for n in r.support_ids]]
        assert (up / area).max() <= share * whole * (1 + 1e-6)


@settings(max_examples=60)
@given(seed=st.integers(0, 2**32 - 1), n=st.integers(1, 7))
def test_slack_and_limits_meet_their_conditions(seed: int, n: int) -> None:
    """Of any structure with parts that bear between nothing and a limit: no part is slack that bears
    anything, none gives way below its limit."""
    rng = np.random.default_rng(seed)
    root = rng.normal(size=(n, n + 1))
    a = root @ root.T
    force = rng.normal(size=n) * 3
    limits = rng.uniform(0.2, 2.0, n)
    sign = np.repeat([1.0, -1.0], n)
    both = np.outer(sign, sign) * np.tile(a, (2, 2))
    found = slack(both, np.where(sign > 0, np.tile(force, 2), np.tile(limits - force, 2)))
    assert found is not None
    net = found[:n] - found[n:]
    borne = force + a @ net
    scale = np.abs(force).max()
    assert borne.min() >= -1e-6 * scale and (borne - limits).max() <= 1e-6 * scale
    assert np.abs(borne[found[:n] > 1e-7]).max(initial=0) <= 1e-5 * scale
    assert np.abs((limits - borne)[found[n:] > 1e-7]).max(initial=0) <= 1e-5 * scale


def test_through_ifc_compared_split_and_taken_back(tmp_path: Path) -> None:
    m = rigid_bay()
    SetLimit(["m3"], 250e3).apply(m)
    SetLifting(["n0"]).apply(m)
    SetLimit(["n0"], 1.25e6, supports=True).apply(m)
    back = transfer(read_source(write_ifc(m, tmp_path / "b.ifc")), Settings().transfer)
    assert list(back.limits.values()) == [250e3] and list(back.bearing.values()) == [1.25e6]
    assert list(back.one_way.values()) == ["tension"] * 2
    plain = rigid_bay()
    rows = [x for x in compare(Side(plain), Side(m)).members if x.status != "same"]
    assert [(c.what, c.was, c.is_) for c in rows[0].changes] == [
        ("one_way", "tension", "tension, at most 250 kN")
    ]
    supports = [x for x in compare(Side(plain), Side(m)).supports if x.status != "same"]
    assert supports[0].is_.endswith(", pushes only, at most 1250 kN")
    f = footing(0.0)
    SetGroundLifting(["s"]).apply(f)
    SetLimit(["s"], 300e3, supports=True).apply(f)
    again = transfer(read_source(write_ifc(f, tmp_path / "f.ifc")), Settings().transfer)
    assert list(again.bearing.values()) == [300e3]
    edit = SetLimit(["m4"], 100e3)
    edit.apply(m)
    made = from_record(m.corrections[-1], m)
    assert isinstance(made, SetLimit) and made.limit == 100e3
    SplitMember("m4", 1.0).apply(m)
    assert m.limits["m4+"] == 100e3
    SetOneWay(["m4", "m4+"], "").apply(m)
    assert set(m.limits) == {"m3"}


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (SetLimit(["m0"], 1e3), "acts both ways"),
        (SetLimit(["n1"], 1e3, supports=True), "holds both ways"),
        (SetLimit(["m3"], -1.0), "is none"),
        (SetLimit(["m3"], float("nan")), "is none"),
    ],
    ids=["member", "support", "negative", "no number"],
)
def test_what_can_have_no_limit_says_so(edit: SetLimit, words: str) -> None:
    with pytest.raises(EditError, match=words):
        edit.apply(rigid_bay())


def test_in_the_window(loft: Window, qtbot: QtBot) -> None:
    w = loft
    w.select_desk.by_words("braces")
    braces = w.state.chosen("member")
    w.corrections.ask_limit()
    assert "acts one way" in w.statusBar().currentMessage()
    act(w, qtbot, "model.tension")
    act(w, qtbot, "model.limit")
    fill(w, qtbot, w.corrections.form, limit=0.01)
    assert w.state.review is not None and w.state.review.model.limits == dict.fromkeys(braces, 10.0)
    act(w, qtbot, "run.one_way")
    act(w, qtbot, "run.run")
    done = w.state.review
    assert done.results.yielded and "run.limit" in {f.code for f in done.findings}
