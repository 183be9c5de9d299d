"""Second-order effects of combinations against the beam-column's closed form, and statics in the displaced
shape."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from rod_tally.analysis.results.superpose import combined
from rod_tally.model import Combination, LoadCase, Model, NodeLoad, Settings
from rod_tally.model.edits import CasesOfCombinations
from rod_tally.review.work import review, review_as_set, run_statically

from .by_command import reviewed, rows
from .frames import frame
from .test_buckling import weak
from .test_made_from_rules import tower
from .verification import verified

L, H = 4.0, 2e3
CRITICAL = np.pi**2 / (2 * L) ** 2


def mast(share: float, axis: int = 0) -> Model:
    """A column on a fixed foot with a level force, and of Euler's load that share."""
    m = frame([(0, 0, 0), (0, 0, L)], [(0, 1)], {0: "fixed"})
    m.members["m0"].z_axis = np.array([0.0, 1.0, 0.0] if axis == 0 else [1.0, 0.0, 0.0])
    p = share * CRITICAL * weak(m)
    push = [0.0, 0.0, 0.0]
    push[axis] = H
    m.cases = {
        "P": LoadCase("P", "dead", node_loads=[NodeLoad("n1", (0.0, 0.0, -p), (0, 0, 0))]),
        "H": LoadCase("H", "wind", node_loads=[NodeLoad("n1", (push[0], push[1], 0.0), (0, 0, 0))]),
    }
    m.combinations = [
        Combination("S", "strength", {"P": 1.0, "H": 1.0}),
        Combination("H only", "strength", {"H": 1.0}),
    ]
    return m


def asked() -> Settings:
    s = Settings()
    s.run.p_delta = True
    s.run.shear_flexible = False
    return s


@pytest.mark.parametrize("share", [0.1, 0.4])
@pytest.mark.parametrize("axis", [0, 1])
def test_a_beam_column_moves_and_bends_as_its_closed_form(share: float, axis: int) -> None:
    m = mast(share, axis)
    k = np.sqrt(share * CRITICAL)
    done = review_as_set(m, asked())
    r = done.results
    c = r.case_index("S")
    source = "H (tan kL - kL) / (P k), H tan kL / k: Timoshenko and Gere, 1.11 (from memory)"
    moved = float(np.linalg.norm(r.displacement[c, r.node_ids.index("n1"), :2]))
    exact = H / (share * CRITICAL * weak(m)) / k * (np.tan(k * L) - k * L)
    verified(f"beam-column, {share:g} of Euler's load: movement", source, moved, exact, 1e-2)
    moment = float(np.abs(r.force[c, :, 4:]).max())
    verified(f"beam-column, {share:g} of Euler's load: moment", source, moment, H * np.tan(k * L) / k, 1e-2)
    # without axial force it is linear, to the last digit
    h = r.case_index("H only")
    assert np.allclose(r.displacement[h], r.displacement[r.case_index("H")], atol=1e-15)
    assert max(e.residual for e in r.equilibrium) < 1e-9
    assert combined(r, done.combinations[0]).displacement[0] == pytest.approx(r.displacement[c])


def test_reactions_balance_the_loads_where_they_have_moved_to() -> None:
    m = mast(0.4)
    r = review_as_set(m, asked()).results
    c, p = r.case_index("S"), 0.4 * CRITICAL * weak(m)
    moved = float(r.displacement[c, r.node_ids.index("n1"), 0])
    fx, fy, fz, mx, my, mz = r.reaction[c, 0]
    assert fx == pytest.approx(-H, rel=1e-9) and fz == pytest.approx(p, rel=1e-9)
    assert my == pytest.approx(-(H * L + p * moved), rel=1e-6)


def test_beyond_what_buckles_it_there_is_no_result_and_a_finding() -> None:
    done = review_as_set(mast(1.2), asked())
    (finding,) = [f for f in done.findings if f.code == "run.second_order"]
    assert finding.severity == "blocking" and finding.ids == ("S",)
    c = done.results.case_index("S")
    assert not done.results.node_done[c].any() and done.results.node_done[done.results.case_index("H")].all()


def test_a_tower_sways_more_than_without_and_its_table_says_so(tmp_path: Path) -> None:
    m = tower(3)
    m.cases["W"] = LoadCase(
        "W", "wind", node_loads=[NodeLoad(f"n{k}", (4e3, 0.0, 0.0), (0, 0, 0)) for k in range(4, 16)]
    )
    m.cases["Q"] = LoadCase(
        "Q", "live", node_loads=[NodeLoad(f"n{k}", (0.0, 0.0, -6e4), (0, 0, 0)) for k in range(4, 16)]
    )
    m.combinations = [Combination("U", "strength", {"G": 1.35, "Q": 1.5, "W": 0.9})]
    moved = {}
    for name, text in (("linear", ""), ("second", "[run]\np_delta = true\n")):
        out = reviewed(m, tmp_path / name, text + "[output]\ncombinations = true\n")
        own = [r for r in rows(out, "displacements") if r["case"] == "U"]
        assert len(own) == len({r["node"] for r in own}), "each node once"
        moved[name] = max(abs(float(r["ux"])) for r in own)
    assert 1.01 < moved["second"] / moved["linear"] < 2.0
    found = {f["code"] for f in json.loads((out / "review.json").read_text())["findings"]}
    assert "response.second_order" not in found


def test_a_run_in_the_window_says_that_it_is_linear() -> None:
    done, kept = run_statically(mast(0.2), asked())
    if kept is not None:
        kept.close()
    assert any(f.code == "run.linear" for f in done.findings) and done.results.second_order == []


def test_with_parts_that_act_one_way_it_is_refused_in_words(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    reviewed(mast(0.1), tmp_path, "[run]\np_delta = true\none_way = true\n", status=(2,))
    assert "cannot both be true" in capsys.readouterr().err


def test_only_a_case_that_no_combination_holds_is_said_to_be_unused() -> None:
    m = mast(0.1)
    assert not any(f.code == "combination.unused" for f in review_as_set(m, asked()).findings)
    m.cases["T"] = LoadCase("T", "wind", node_loads=[NodeLoad("n1", (1e3, 0.0, 0.0), (0, 0, 0))])
    (found,) = [f for f in review_as_set(m, asked()).findings if f.code == "combination.unused"]
    assert found.ids == ("T",)


@pytest.mark.parametrize("share", [1.05, 1.2, 3.0, 6.0, 8.5, 12.0])
@pytest.mark.parametrize("push", [H, 1.0])
def test_any_load_beyond_the_first_that_buckles_it_has_no_result(share: float, push: float) -> None:
    """Between higher loads the equations have solutions again, of a structure that has long fallen."""
    m = mast(share)
    m.cases["H"].node_loads[0].force = (push, 0.0, 0.0)
    done = review_as_set(m, asked())
    assert done.results.unsettled == ["S"] and "S" not in done.results.second_order


def test_a_run_of_the_window_leaves_the_model_as_it_is_and_is_linear() -> None:
    m = mast(0.2)
    done = review(m, asked())
    assert done.model is m and list(m.cases) == ["P", "H"] and done.results.second_order == []
    assert any(f.code == "run.linear" for f in done.findings)
    # cases that were made of combinations by hand are computed with second-order effects there too
    CasesOfCombinations([{"name": "own", "factors": {"P": 1.0, "H": 1.0}}]).apply(m)
    done = review(m, asked())
    assert done.results.second_order == ["own"] and not any(f.code == "run.linear" for f in done.findings)
    assert any(f.code == "run.superposition" for f in done.findings)


def test_two_revisions_are_run_the_same_way(tmp_path: Path) -> None:
    """The same model is the same; another load differs where it acts."""
    found = {}
    for name, push in (("a", 1.0), ("b", 1.0), ("c", 1.5)):
        m = mast(0.3)
        m.cases["H"].node_loads[0].force = (push * H, 0.0, 0.0)
        against = [] if name == "a" else ["--against", str(tmp_path / "a" / "model" / "nodes.csv")]
        out = reviewed(m, tmp_path / name, "[run]\np_delta = true\n", *against)
        found[name] = json.loads((out / "review.json").read_text())["comparison"]
    assert {x["status"] for x in found["b"]["cases"]} == {"same"} and all(
        x["change"] == 0 for x in found["b"]["results"]
    )
    assert "S" in found["b"]["shared"]["cases"]
    assert {x["name"]: x["status"] for x in found["c"]["cases"]}["H"] == "changed"


def test_where_something_moves_freely_it_is_said_that_the_rest_is_linear() -> None:
    m = mast(0.2)
    m.nodes["n8"], m.nodes["n9"] = (
        type(m.nodes["n0"])(n, np.array([9.0, 0, z])) for n, z in (("n8", 0.0), ("n9", 3.0))
    )
    m.nodes["n8"].support = m.nodes["n0"].support.of("ux uy uz")
    m.members["loose"] = type(m.members["m0"])(
        "loose", "loose", "column", "n8", "n9", "plain", "steel", np.array([1.0, 0, 0])
    )
    done = review_as_set(m, asked())
    assert done.results.second_order == []
    assert any(f.code == "run.linear" and "S" in f.message for f in done.findings)


def test_effects_of_runs_with_second_order_effects_are_refused(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    reviewed(mast(0.1), tmp_path, "[run]\np_delta = true\n", "--effects", status=(2,))
    assert "p_delta" in capsys.readouterr().err
