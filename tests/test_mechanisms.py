"""Motions without resistance: found, located, put in words; and never numbers from a singular matrix."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import AnalysisError, run
from rod_tally.analysis.solve.factor import Factor, SingularError, pypardiso
from rod_tally.checks import Subject, run_checks
from rod_tally.model import LoadCase, Model, NodeLoad, Support
from rod_tally.model.settings import RunSettings

from .frames import beam, frame, line_load, regular

SOLVERS = ["scipy"] + (["pardiso"] if pypardiso is not None else [])
FIXED = "fixed"


def codes(m: Model, solver: str | None = None) -> dict[str, list[str]]:
    results = run(m, RunSettings(), solver=solver)
    out: dict[str, list[str]] = {}
    for f in run_checks(Subject(m, results)):
        out.setdefault(f.code, []).append(f.message)
    return out


@pytest.mark.parametrize("solver", SOLVERS)
def test_unbraced_pinned_storey_sways(solver: str) -> None:
    """Pinned feet and pinned beam: the storey moves sideways, the message names its nodes and the way."""
    points = [(0, 0, 0), (0, 0, 4), (6, 0, 4), (6, 0, 0)]
    m = frame(points, [(0, 1), (1, 2), (3, 2)], {0: "ux uy uz rx rz", 3: "ux uy uz rx rz"}, {1: ("my", "my")})
    m.cases["w"] = LoadCase("w", "wind", node_loads=[NodeLoad("n1", (1e3, 0, 0))])
    found = codes(m, solver)
    text = " ".join(found["stability.mechanism"])
    assert "n1" in text and "along x" in text
    r = run(m, RunSettings(), solver=solver)
    assert not r.member_done.any() and not r.force.any() and r.equilibrium == []


@pytest.mark.parametrize("solver", SOLVERS)
def test_a_case_that_does_not_set_it_going_is_computed(solver: str) -> None:
    """The same frame under a load that does no work on the sway has one answer, and that is given."""
    points = [(0, 0, 0), (0, 0, 4), (6, 0, 4), (6, 0, 0)]
    m = frame(points, [(0, 1), (1, 2), (3, 2)], {0: "ux uy uz rx rz", 3: "ux uy uz rx rz"}, {1: ("my", "my")})
    line_load(m, "m1", (0, 0, -1e4))
    m.cases["w"] = LoadCase("w", "wind", node_loads=[NodeLoad("n1", (1e3, 0, 0))])
    r = run(m, RunSettings(), solver=solver)
    assert r.member_done[0].all() and not r.member_done[1].any()
    assert r.reaction[0, :, 2] == pytest.approx([3e4, 3e4])
    assert [e.case for e in r.equilibrium] == ["q"]


def test_part_that_moves_does_not_take_the_rest_with_it() -> None:
    """Two separate frames, one of them a mechanism: the sound one is computed."""
    points = [(0, 0, 0), (0, 0, 4), (6, 0, 4), (6, 0, 0), (20, 0, 0), (20, 0, 4)]
    m = frame(
        points,
        [(0, 1), (1, 2), (3, 2), (4, 5)],
        {0: "ux uy uz rx rz", 3: "ux uy uz rx rz", 4: FIXED},
        {1: ("my", "my")},
    )
    loads = [NodeLoad("n1", (1e3, 0, 0)), NodeLoad("n5", (1e3, 0, 0))]
    m.cases["w"] = LoadCase("w", "wind", node_loads=loads)
    r = run(m, RunSettings())
    assert r.member_done[0].tolist() == [False, False, False, True]
    assert r.reaction[0, r.support_ids.index("n4"), 0] == pytest.approx(-1e3)
    assert "load.uncarried" in codes(m)


def test_hinge_chain_names_the_node_that_falls() -> None:
    """Three collinear bars between two supports with hinges at the inner nodes."""
    points = [(0, 0, 0), (2, 0, 0), (4, 0, 0), (6, 0, 0)]
    pins = ("my mz", "my mz")
    m = frame(
        points, [(0, 1), (1, 2), (2, 3)], {0: FIXED, 3: FIXED}, {1: pins, 0: ("my mz", "my mz"), 2: pins}
    )
    line_load(m, "m1", (0, 0, -1e4))
    text = " ".join(codes(m)["stability.mechanism"])
    assert "n1" in text or "n2" in text


def test_both_ends_released_in_torsion_spin() -> None:
    m = beam(6, FIXED, FIXED, releases={0: ("mt my mz", "mt my mz")})
    line_load(m, "m0", (0, 0, -1e4))
    found = codes(m)
    assert "spin about its own axis" in found["release.unstable"][0]
    assert "stability.mechanism" not in found
    r = run(m, RunSettings())
    assert r.equilibrium[0].residual <= 1e-9  # bending has its answer all the same


def test_both_ends_released_along_the_axis_slide() -> None:
    m = beam(6, FIXED, FIXED, releases={0: ("n", "n")})
    line_load(m, "m0", (0, 0, -1e4))
    assert "slide along its own axis" in codes(m)["release.unstable"][0]


def test_node_that_every_member_lets_go_spins() -> None:
    """A column top where the column's own end and both beams are released."""
    points = [(0, 0, 0), (0, 0, 4), (-5, 0, 4), (5, 0, 4)]
    m = frame(points, [(0, 1), (2, 1), (1, 3)], {0: FIXED, 2: FIXED, 3: FIXED},
              {0: ("", "my mz"), 1: ("", "mt my mz"), 2: ("mt my mz", "")})  # fmt: skip
    line_load(m, "m1", (0, 0, -1e3))
    assert any("n1" in text for text in codes(m)["release.unstable"])


def test_truss_nodes_need_nothing_to_hold_their_rotation() -> None:
    """A braced truss of bars pinned in bending is no mechanism, and nothing is said about its nodes."""
    points = [(0, 0, 0), (3, 0, 0), (6, 0, 0), (1.5, 0, 2), (4.5, 0, 2)]
    pairs = [(0, 1), (1, 2), (3, 4), (0, 3), (3, 1), (1, 4), (4, 2)]
    pins = {k: ("my mz", "my mz") for k in range(len(pairs))}
    m = frame(points, pairs, {k: "uy" for k in (1, 3, 4)} | {0: "fixed", 2: "uy uz"}, pins)
    m.cases["p"] = LoadCase("p", "live", node_loads=[NodeLoad("n1", (0, 0, -9e3))])
    found = codes(m)
    assert not {"release.unstable", "stability.mechanism", "support.unstable"} & set(found)
    r = run(m, RunSettings())
    # method of joints: half the load up each inner diagonal, N = (P / 2) / sin
    sine = 2 / np.hypot(1.5, 2)
    assert r.force[0, r.stations_of("m4")[0], 0] == pytest.approx(4.5e3 / sine, rel=1e-6)


@pytest.mark.parametrize(
    ("left", "right", "words"),
    [
        ("ux uy uz rx", "", "turn about"),
        ("uy uz rx", "uy uz", "slide along x"),
        ("pinned", "uy uz", "turn about x"),
    ],
)
def test_supports_that_do_not_hold_the_whole(left: str, right: str, words: str) -> None:
    m = beam(6, left, right)
    line_load(m, "m0", (0, 0, -1e4))
    found = codes(m)
    assert words in found["support.unstable"][0]
    assert "stability.mechanism" not in found


def test_more_motions_than_can_be_told_apart() -> None:
    """A floor of unconnected hinges: nothing is computed, and the finding says so instead of the solver."""
    n = 40
    points = [(k, 0, 0) for k in range(n)]
    pins = {k: ("my mz", "my mz") for k in range(n - 1)}
    m = frame(points, [(k, k + 1) for k in range(n - 1)], {0: FIXED, n - 1: FIXED}, pins)
    line_load(m, "m5", (0, 0, -1e4))
    found = codes(m)
    assert "stability.mechanism" in found
    assert np.isfinite(run(m, RunSettings()).force).all()


@pytest.mark.parametrize("solver", SOLVERS)
def test_a_slender_but_stable_model_is_not_called_a_mechanism(solver: str) -> None:
    """A cantilever of 150 pieces 60 m high: very soft against its pieces, and sound."""
    points = [(0, 0, 0.4 * k) for k in range(151)]
    m = frame(points, [(k, k + 1) for k in range(150)], {0: FIXED})
    m.cases["w"] = LoadCase("w", "wind", node_loads=[NodeLoad("n150", (1e3, 0, 0))])
    r = run(m, RunSettings(), solver=solver)
    assert r.motions == []
    s = m.sections["plain"]
    assert r.displacement[0, -1, 0] == pytest.approx(1e3 * 60**3 / (3 * 210e9 * s.iy), rel=1e-6)


def test_regular_frame_balances_in_every_case() -> None:
    m = regular(3, 4)
    m.cases["w"] = LoadCase("w", "dead", (0, 0, -1))
    for k in range(4):
        m.cases[f"p{k}"] = LoadCase(
            f"p{k}", "live", node_loads=[NodeLoad(f"n{20 + k}", (1e3, 2e3, -3e3), (1e3, 0, 5e2))]
        )
    r = run(m, RunSettings())
    assert len(r.equilibrium) == 5
    assert max(e.residual for e in r.equilibrium) <= 1e-9


def test_nothing_held_computes_nothing() -> None:
    m = beam(6, "", "")
    line_load(m, "m0", (0, 0, -1e4))
    r = run(m, RunSettings())
    assert r.empty and r.equilibrium == []
    assert "support.none" in codes(m)


def test_a_case_that_is_not_there_is_named() -> None:
    m = beam(6, FIXED, FIXED)
    with pytest.raises(AnalysisError, match="no load case 'Snow'"):
        run(m, RunSettings(cases=["Snow"]))


@pytest.mark.parametrize("solver", SOLVERS)
def test_factor_refuses_a_singular_matrix_or_its_answer_shows(solver: str) -> None:
    from scipy import sparse

    k = sparse.csc_matrix(np.array([[1.0, -1.0], [-1.0, 1.0]]))
    try:
        x = Factor(k, solver).solve(np.array([1.0, 0.0]))
    except SingularError:
        return
    assert np.abs(x).max() > 1e12


def test_cancelling_leaves_nothing_behind() -> None:
    """A progress call that raises ends the run at once with that error."""

    class Stop(Exception):
        pass

    def progress(text: str, _share: float) -> None:
        if text == "Factorising":
            raise Stop

    m = beam(6, FIXED, FIXED)
    line_load(m, "m0", (0, 0, -1e4))
    with pytest.raises(Stop):
        run(m, RunSettings(), progress)


def test_what_hardly_resists_is_a_mechanism_and_no_number() -> None:
    """A frame on springs a billionth as stiff as its columns would slide by kilometres: it is named, with
    its motion, and no case is computed; with springs that hold it is computed."""
    for stiffness, computed in ((1e-1, False), (1e7, True)):
        m = frame(
            [(0, 0, 0), (0, 0, 4), (6, 0, 4), (6, 0, 0)], [(0, 1), (1, 2), (3, 2)], {0: "fixed", 3: "fixed"}
        )
        for n in ("n0", "n3"):
            m.nodes[n].support = Support((stiffness, stiffness, 1e9, 1e9, 1e9, 1e9))
        m.cases = {"W": LoadCase("W", "wind", node_loads=[NodeLoad("n1", (10e3, 0.0, 0.0))])}
        r = run(m, RunSettings())
        assert bool(r.node_done.all()) == computed and bool(r.motions) != computed
        found = {f.code for f in run_checks(Subject(m, r)) if f.severity == "blocking"}
        assert ("stability.mechanism" in found) != computed
