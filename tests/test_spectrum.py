"""Response spectra against closed forms: one mass, two equal ones, all mass in one mode, CQC and SRSS."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis.dynamics.spectrum import correlation, quadratic
from rod_tally.loads.lateral import AsceSpectrum, AsceVertical, DesignSpectrum, vertical_en
from rod_tally.model import LoadCase, Model, NodeLoad, Settings, Spectrum, Storey
from rod_tally.model.edits import AddCases, EditError
from rod_tally.model.load_table import TableError, read_curve
from rod_tally.review import Review, review
from rod_tally.review.remedies import edit_for

from .frames import PLAIN, E, frame, regular

FLAT = [(0.0, 2.0), (10.0, 2.0)]


def cantilever(mass: float = 1e4, height: float = 4.0) -> Model:
    """A massless post with a weight on top, as a case of its own."""
    m = frame([(0, 0, 0), (0, 0, height)], [(0, 1)], {0: "fixed"}, density=1e-9)
    m.cases["M"] = LoadCase("M", "dead", node_loads=[NodeLoad("n1", (0.0, 0.0, -mass * 9.80665))])
    m.cases["Sx"] = LoadCase("Sx", "seismic", spectrum=Spectrum("x", FLAT))
    return m


def done(m: Model, mass: dict[str, float], count: int = 12) -> Review:
    s = Settings()
    s.modes.mass, s.modes.count = mass, count
    return review(m, s)


def test_one_mass_answers_with_mass_times_acceleration() -> None:
    """V = m Sa, M = m Sa h, u = V h^3 / 3 EI: the static force of one mode (Chopra; from memory), 1e-6."""
    r = done(cantilever(), {"M": 1.0}).results
    c = r.case_index("Sx")
    force = 1e4 * 2.0
    assert r.applied["Sx"][0] == pytest.approx(force, rel=1e-6)
    assert r.reaction[c, 0, 0] == pytest.approx(force, rel=1e-6)
    assert r.reaction[c, 0, 4] == pytest.approx(force * 4.0, rel=1e-6)
    moved = r.displacement[c, 1, 0]
    stiff, soft = (force * 64 / (3 * E * i) for i in (PLAIN.iy, PLAIN.iz))
    assert min(abs(moved - stiff), abs(moved - soft)) <= 1e-6 * moved
    assert (r.force[c] >= 0).all() and not any(e.case == "Sx" for e in r.equilibrium)


def test_upright_one_mass_answers_along_the_post() -> None:
    """Fz = m Sa and u = F h / EA of a spectrum upright; where directions act by themselves, it does too."""
    m = cantilever()
    m.storeys = [Storey("L0", 0.0)]
    m.cases["Sy"] = LoadCase("Sy", "seismic", spectrum=Spectrum("y", FLAT))
    m.cases["Sz"] = LoadCase("Sz", "seismic", spectrum=Spectrum("z", [(0.0, 3.0), (10.0, 3.0)]))
    got = done(m, {"M": 1.0})
    r = got.results
    c = r.case_index("Sz")
    assert r.reaction[c, 0, 2] == pytest.approx(3e4, rel=1e-6) and not r.reaction[c, 0, :2].any()
    assert r.displacement[c, 1, 2] == pytest.approx(3e4 * 4.0 / (E * PLAIN.area), rel=1e-6)
    factors = [c.factors for c in got.combinations if "Sz" in c.factors]
    assert {abs(f["Sz"]) for f in factors} == {1.0} and not any({"Sx", "Sy"} & set(f) for f in factors)


def test_all_modes_together_move_all_the_mass_at_a_level_spectrum() -> None:
    """With one acceleration for all periods the sum of the modal base shears is m Sa (sum of the effective
    masses)."""
    m = regular(1, 2)
    m.cases = {
        "G": LoadCase("G", "self-weight", (0.0, 0.0, -1.0)),
        "Sx": LoadCase("Sx", "seismic", spectrum=Spectrum("x", FLAT)),
    }
    s = Settings()
    s.modes.mass, s.modes.count, s.modes.consistent = {"G": 1.0}, 400, False
    got = review(m, s)
    effective = np.array([k.mass_x for k in got.modes])
    free = effective.sum()
    held = sum(m.weight(x) / 2 for x in m.members.values() if m.nodes[x.start].support.any) / 9.80665
    total = sum(m.weight(x) for x in m.members.values()) / 9.80665 - held
    periods = np.array([k.period for k in got.modes])
    shear = quadratic((effective * total * 2.0)[:, None], correlation(periods, 0.05))[0]
    assert got.results.applied["Sx"][0] == pytest.approx(shear, rel=1e-6)
    assert free == pytest.approx(1.0, abs=1e-6)


def test_two_equal_modes_add_up_and_far_ones_do_not() -> None:
    """CQC: equal periods are summed, far ones are as by SRSS (the two limits of the formula)."""
    assert correlation(np.array([1.0, 1.0]), 0.05)[0, 1] == pytest.approx(1.0)
    far = correlation(np.array([1.0, 0.05]), 0.05)
    assert far[0, 1] < 0.01 and np.allclose(np.diag(far), 1.0) and np.allclose(far, far.T)
    v = np.array([[3.0], [4.0]])
    assert quadratic(v, np.ones((2, 2)))[0] == pytest.approx(7.0)
    assert quadratic(v, np.eye(2))[0] == pytest.approx(5.0)


def test_correlation_by_the_printed_formula() -> None:
    """r = 0.8, 5 % damping, by hand: 8 0.0025 1.8 0.8^1.5 / ((1 - 0.64)^2 + 4 0.0025 0.8 1.8^2)."""
    wanted = 8 * 0.0025 * 1.8 * 0.8**1.5 / ((1 - 0.64) ** 2 + 4 * 0.0025 * 0.8 * 1.8**2)
    assert correlation(np.array([1.0, 0.8]), 0.05)[0, 1] == pytest.approx(wanted)


def test_design_spectrum_of_asce_7() -> None:
    """ASCE 7-16 11.4.6 at its corners, R/Ie taken off: 0.4 SDS at rest, SDS on the plateau, SD1/T, SD1
    TL/T^2."""
    s = AsceSpectrum(1.0, 0.6, 4.0, 1.0, 8.0)
    g = 9.80665 / 4
    assert s.at(0.0) == pytest.approx(0.4 * g) and s.at(0.3) == pytest.approx(g)
    assert s.at(1.2) == pytest.approx(0.5 * g) and s.at(16.0) == pytest.approx(0.6 * 8 / 256 * g)
    curve = np.array(s.curve())
    assert (np.diff(curve[:, 0]) > 0).all() and np.interp(0.6, *curve.T) == pytest.approx(g)


def test_vertical_design_spectrum_of_en_1998() -> None:
    """EN 1998-1 3.2.2.5(5) to (7) and table 3.4, type 1, from memory: avg = 0.9 ag, S = 1, TB 0.05, TC 0.15, TD 1.0
    s; q up to 1.5. The bound is 0.2 avg."""
    s = vertical_en(2.0, 3.0)
    plateau = 0.9 * 2.0 * 2.5 / 1.5
    assert s.at(0.0) == pytest.approx(0.9 * 2.0 * 2 / 3)
    assert s.at(0.05) == s.at(0.15) == pytest.approx(plateau)
    assert s.at(0.6) == pytest.approx(plateau * 0.15 / 0.6)
    assert s.at(1.5) == pytest.approx(max(plateau * 0.15 * 1.0 / 1.5**2, 0.2 * 1.8))
    assert vertical_en(2.0, 1.2).at(0.1) == pytest.approx(0.9 * 2.0 * 2.5 / 1.2)


def test_curve_of_en_1998_is_straight_enough_between_its_points() -> None:
    s = DesignSpectrum(2.0, 1.2, 0.15, 0.5, 2.0, 3.0)
    curve = np.array(s.curve())
    for t in np.random.default_rng(3).uniform(0.0, 5.9, 200):
        assert np.interp(t, *curve.T) == pytest.approx(s.at(float(t)), rel=5e-3)


def test_spectrum_beside_the_static_case_tells_the_factor() -> None:
    m = cantilever()
    m.cases["Ex"] = LoadCase("Ex", "seismic", node_loads=[NodeLoad("n1", (24e3, 0.0, 0.0))])
    f = next(f for f in done(m, {"M": 1.0}).findings if f.code == "response.base_shear")
    assert "20 kN by spectrum" in f.message and "24 kN in the static case Ex: factor 1.2" in f.message
    # the action of the finding makes both one, and is then not offered any more
    (action,) = f.actions
    edit = edit_for(m, f, action)
    assert action == "Multiply it by 1.2" and edit is not None
    edit.apply(m)
    (f,) = [x for x in done(m, {"M": 1.0}).findings if x.code == "response.base_shear"]
    assert "24 kN by spectrum" in f.message and "factor 1 between" in f.message and not f.actions


def test_mass_falls_back_to_the_case_of_self_weight() -> None:
    """The settings name a case that the model does not have: whatever holds self-weight gives the mass."""
    m = regular(1, 2)
    m.cases = {"Own": LoadCase("Own", "self-weight", (0.0, 0.0, -1.0))}
    assert done(m, {"Self-weight": 1.0}).modes


def test_spectrum_without_mass_or_modes_is_told() -> None:
    m = cantilever()
    got = done(m, {"nothing": 1.0})
    assert not got.modes and not any(
        f.code == "response.base_shear" and f.severity == "note" for f in got.findings
    )
    assert not got.results.force[got.results.case_index("Sx")].any()


def test_spectrum_enters_seismic_combinations_by_its_direction() -> None:
    m = cantilever()
    m.storeys = [Storey("L0", 0.0)]
    m.cases["Sy"] = LoadCase("Sy", "seismic", spectrum=Spectrum("y", FLAT))
    sets = [c.factors for c in done(m, {"M": 1.0}).combinations if c.name.startswith("6.12")]
    assert {"M": 1.0, "Sx": 1.0} in sets and {"M": 1.0, "Sy": -1.0} in sets


@pytest.mark.parametrize(
    ("spectrum", "says"),
    [
        ({"direction": "x", "curve": [[0, 1]]}, "two points"),
        ({"direction": "x", "curve": [[1, 1], [0.5, 2]]}, "growing"),
        ({"direction": "x", "curve": [[0, -1], [1, 2]]}, "negative"),
        ({"direction": "up", "curve": [[0, 1], [1, 2]]}, "direction"),
    ],
)
def test_wrong_spectra_are_refused(spectrum: dict[str, object], says: str) -> None:
    m = cantilever()
    with pytest.raises(EditError, match=says):
        AddCases([{"name": "S", "kind": "seismic", "spectrum": spectrum}]).apply(m)
    AddCases(
        [{"name": "S", "kind": "seismic", "spectrum": {"direction": "x", "curve": [[0, 1], [1, 2]]}}]
    ).apply(m)
    assert m.cases["S"].spectrum is not None and not m.cases["S"].empty


def test_curve_is_pasted() -> None:
    assert read_curve("period\tsa\n0\t1.5\n0,4\t3") == [(0.0, 1.5), (0.4, 3.0)]
    with pytest.raises(TableError, match="row 3, column 'period'"):
        read_curve("period\tsa\n0.5\t1\n0.2\t2")


@pytest.mark.parametrize("damping", [0.0, 1e-12, 1.0])
def test_any_damping_gives_finite_coefficients(damping: float) -> None:
    """Without damping the quadratic form is the root of squares, and modes of one period add up."""
    rho = correlation(np.array([1.0, 1.0, 0.4]), damping)
    assert np.isfinite(rho).all() and np.diag(rho) == pytest.approx(np.ones(3))
    assert rho[0, 1] == pytest.approx(1.0)
    if damping < 1e-6:
        assert rho[0, 2] == pytest.approx(0.0, abs=1e-9)


def test_vertical_spectrum_of_asce() -> None:
    """ASCE 7-16 11.9, from memory: Cv of table 11.9-1 between its values, the four branches meet at 0.05 and
    0.15 s."""
    assert [AsceVertical(1.0, ss, "D").cv for ss in (0.1, 0.2, 0.3, 0.6, 1.0, 2.0, 3.0)] == [
        0.7,
        0.7,
        0.9,
        1.1,
        1.3,
        1.5,
        1.5,
    ]
    assert [AsceVertical(1.0, 2.0, c).cv for c in "ABCDEF"] == [0.9, 0.9, 1.3, 1.5, 1.5, 1.5]
    assert AsceVertical(1.0, 0.8, "C").cv == pytest.approx(1.05) and AsceVertical(
        1.0, 0.45, "B"
    ).cv == pytest.approx(0.85)
    s = AsceVertical(0.8, 1.0, "D")
    whole = 2 / 3 * 1.3 * 1.5 * 0.8 * 9.80665
    assert s.at(0.0) == s.at(0.025) == pytest.approx(0.3 * whole)
    assert s.at(0.0375) == pytest.approx(0.55 * whole)
    assert s.at(0.05) == s.at(0.1) == s.at(0.15) == pytest.approx(0.8 * whole)
    assert s.at(0.6) == pytest.approx(0.8 * whole * 0.25**0.75)
    found = dict(s.curve())
    assert {0.025, 0.05, 0.15} <= found.keys() and found[0.05] == pytest.approx(s.at(0.05))
