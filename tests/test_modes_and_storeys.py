"""Modes against closed forms, storey sums, and the checks on loads and displacements."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.dynamics.modes import modes
from rod_tally.analysis.results.storeys import storey_rows
from rod_tally.analysis.solve.krylov import largest
from rod_tally.checks import Subject, run_checks
from rod_tally.model import PINNED_END, AreaLoad, LoadCase, MemberLoad, Model, NodeLoad, Settings, Storey
from rod_tally.model.entities.loads import GRAVITY, Spectrum
from rod_tally.model.geometry.heights import nearest_level
from rod_tally.model.settings import MeshSettings
from rod_tally.output.document import document
from rod_tally.review import review
from rod_tally.transfer.levels import storeys_by_level

from .frames import PLAIN, E, beam, frame, line_load, regular
from .physical_models import add, model, source
from .test_panels import plate


def self_weight(m: Model) -> Model:
    m.cases["Self-weight"] = LoadCase("Self-weight", "dead", (0, 0, -1))
    return m


def cantilever(pieces: int, height: float = 10.0) -> Model:
    points = [(0, 0, height * k / pieces) for k in range(pieces + 1)]
    return self_weight(frame(points, [(k, k + 1) for k in range(pieces)], {0: "fixed"}))


def test_first_period_of_a_cantilever_converges_to_its_closed_form() -> None:
    """omega = 1.875104^2 sqrt(EI / m L^4) (Clough and Penzien, Dynamics of Structures); lumped masses
    converge as h^2."""
    height = 10.0
    omega = 1.8751040687**2 * np.sqrt(E * PLAIN.iz / (7850 * PLAIN.area * height**4))
    exact = 2 * np.pi / omega
    errors = []
    for pieces in (4, 8, 16):
        m = cantilever(pieces)
        found = modes(m, run(m, Settings().run), Settings())
        errors.append(abs(found[0].period / exact - 1))
    rates = np.log2(np.array(errors[:-1]) / np.array(errors[1:]))
    assert errors[-1] < 3e-3
    assert np.all(rates > 1.7)


def spread() -> Settings:
    s = Settings()
    s.modes.consistent = True
    return s


def test_consistent_mass_converges_two_orders_faster() -> None:
    """The same cantilever, shear left out as the closed form does: errors of its first frequency fall as h^4,
    from above."""
    omega = 1.8751040687**2 * np.sqrt(E * PLAIN.iz / (7850 * PLAIN.area * 10.0**4))
    errors = []
    for pieces in (2, 4, 8):
        m, s = cantilever(pieces), spread()
        s.run.shear_flexible = False
        errors.append(2 * np.pi / modes(m, run(m, s.run), s)[0].period / omega - 1)
    assert np.all(np.array(errors) > 0) and errors[-1] < 5e-5
    assert np.all(np.log2(np.array(errors[:-1]) / np.array(errors[1:])) > 3.7)


def test_pinned_beam_with_consistent_mass_through_its_releases() -> None:
    """One beam between fixed nodes, both ends released in bending: pi^2 sqrt(EI / m L^4) needs the movement
    of its own ends.

    In four pieces, to 1e-3 (Clough and Penzien); the released ends lie inside the outer pieces.
    """
    span = 6.0
    m = frame(
        [(span * k / 4, 0, 0) for k in range(5)], [(k, k + 1) for k in range(4)], {0: "fixed", 4: "fixed"}
    )
    m.members["m0"].release_start = PINNED_END
    m.members["m3"].release_end = PINNED_END
    self_weight(m)
    s = spread()
    s.run.shear_flexible = False
    found = modes(m, run(m, s.run), s)
    omega = np.pi**2 * np.sqrt(E * min(PLAIN.iy, PLAIN.iz) / (7850 * PLAIN.area * span**4))
    assert 2 * np.pi / found[0].period == pytest.approx(omega, rel=1e-3)


def test_consistent_and_lumped_mass_move_the_same_whole() -> None:
    """All modes of a frame with many pieces carry nearly all mass either way, and their periods agree where
    pieces are short."""
    m = self_weight(regular(1, 2))
    whole = []
    for s in (Settings(), spread()):
        s.modes.count = 6
        found = modes(m, run(m, s.run), s)
        whole.append([x.period for x in found])
        assert sum(x.mass_x for x in found) > 0.5
    assert whole[0] == pytest.approx(whole[1], rel=0.15)


def test_one_mass_on_a_column() -> None:
    """T = 2 pi sqrt(M / k), k = 3 EI / h^3, with the mass taken from a load case over g."""
    m = frame([(0, 0, 0), (0, 0, 5)], [(0, 1)], {0: "fixed"}, density=0.0)
    mass = 20_000.0
    m.cases["Roof"] = LoadCase("Roof", "dead", node_loads=[NodeLoad("n1", (0, 0, -mass * GRAVITY))])
    s = Settings()
    s.modes.mass = {"Roof": 1.0}
    found = modes(m, run(m, s.run), s)
    soft = 3 * E * PLAIN.iz / 125
    assert found[0].period == pytest.approx(2 * np.pi * np.sqrt(mass / soft), rel=1e-9)
    assert max(found[0].mass_x, found[0].mass_y) == pytest.approx(1.0)


def test_participating_mass_adds_up_to_what_can_move() -> None:
    """All modes of a small frame together carry all the mass that no support holds, lumped or spread: 100
    %."""
    for consistent in (False, True):
        m = self_weight(regular(1, 2))
        s = Settings()
        s.modes.count, s.modes.consistent = 400, consistent
        found = modes(m, run(m, s.run), s)
        masses = np.array([(k.mass_x, k.mass_y, k.mass_z) for k in found]).sum(axis=0)
        assert len(found) >= 20
        assert masses == pytest.approx(np.ones(3), abs=1e-6)


def test_a_cantilever_of_ten_members_at_the_defaults_has_its_first_three_periods() -> None:
    """omega_n = (beta_n L)^2 sqrt(EI / m L^4), beta L 1.8751, 4.6941, 7.8548 (Clough and Penzien): within 1 %
    each way."""
    height = 10.0
    m, s = cantilever(10, height), Settings()
    s.run.shear_flexible = False
    found = modes(m, run(m, s.run), s)
    for inertia, share in ((PLAIN.iz, "x"), (PLAIN.iy, "y")):
        exact = [
            2 * np.pi / (b**2 * np.sqrt(E * inertia / (7850 * PLAIN.area * height**4)))
            for b in (1.8751040687, 4.6940911330, 7.8547574382)
        ]
        mine = [
            k.period
            for k in found
            if (k.mass_x > k.mass_y) == (share == ("x" if found[0].mass_x > found[0].mass_y else "y"))
        ]
        assert mine[:3] == pytest.approx(exact, rel=0.01)


def test_no_modes_without_mass_results_or_when_none_are_asked_for() -> None:
    m = regular(1, 1)
    s = Settings()
    assert modes(m, run(m, s.run), s) == []
    m = self_weight(beam(6, "", ""))
    assert modes(m, run(m, s.run), s) == []
    s.modes.count = 0
    m = self_weight(regular(1, 1))
    assert modes(m, run(m, s.run), s) == []


def test_storey_shears_are_sums_from_the_top() -> None:
    m = regular(1, 2)
    m.storeys = [Storey("L0", 0.0), Storey("L1", 3.5), Storey("L2", 7.0)]
    loads = [NodeLoad("n4", (1e3, 0, 0)), NodeLoad("n8", (2e3, 500, 0))]
    m.cases["w"] = LoadCase("w", "wind", node_loads=loads)
    rows = storey_rows(m, run(m, Settings().run))
    assert [(r.storey, r.fx, r.shear_x, r.shear_y) for r in rows] == [
        ("L0", 0, 3e3, 500), ("L1", 1e3, 3e3, 500), ("L2", 2e3, 2e3, 500),
    ]  # fmt: skip
    assert rows[1].drift_x and rows[1].drift_x > 0 and rows[2].drift_x and rows[2].drift_x > 0
    assert rows[2].mass_x == pytest.approx(3.0) and rows[2].mass_y == pytest.approx(3.0)


def codes(m: Model) -> dict[str, str]:
    return {f.code: f.message for f in run_checks(Subject(m, run(m, Settings().run)))}


def test_empty_and_untyped_cases_are_notes() -> None:
    m = beam(6, "fixed", "fixed")
    m.cases["Snow"] = LoadCase("Snow")
    found = [f for f in run_checks(Subject(m, run(m, Settings().run))) if f.ids == ("Snow",)]
    odd = {(f.code, f.severity) for f in found}
    assert odd == {("load.empty", "note"), ("case.untyped", "note"), ("load.no_weight", "note")}


def test_gravity_that_acts_upwards() -> None:
    m = beam(6, "fixed", "fixed")
    line_load(m, "m0", (0, 0, 1e3))
    assert "6 kN" in codes(m)["load.direction"]
    m.cases["q"].kind = "wind"
    assert "load.direction" not in codes(m)


def test_self_weight_in_two_cases() -> None:
    m = self_weight(beam(6, "fixed", "fixed"))
    m.cases["Dead"] = LoadCase("Dead", "dead", (0, 0, -1))
    assert "Dead" in codes(m)["load.twice"]
    m = beam(6, "fixed", "fixed")
    m.cases["Dead"] = LoadCase("Dead", "dead", (0, 0, -2))
    assert "2 times" in codes(m)["load.twice"]


def test_lost_share_is_said() -> None:
    m = frame([(0, 0, 0), (6, 0, 0), (0, 9, 0), (2, 9, 0)], [(0, 1), (2, 3)], {0: "fixed"})
    m.cases["q"] = LoadCase(
        "q",
        "live",
        member_loads=[MemberLoad(f"m{k}", 0, x, (0, 0, -1e3), (0, 0, -1e3)) for k, x in ((0, 6), (1, 2))],
    )
    assert "25.0% of load case q (2 kN)" in codes(m)["load.uncarried"]


def test_large_displacement_is_found_small_is_not() -> None:
    m = beam(6, "fixed", "")
    m.cases["p"] = LoadCase("p", "live", node_loads=[NodeLoad("n1", (0, 0, -3e4))])
    assert "n1 moves" in codes(m)["displacement.large"]
    m.cases["p"].node_loads[0].force = (0, 0, -3e3)
    assert "displacement.large" not in codes(m)


def test_short_pieces() -> None:
    m = frame([(0, 0, 0), (0.03, 0, 0), (6, 0, 0)], [(0, 1), (1, 2)], {0: "fixed", 2: "fixed"})
    assert "30 mm" in codes(m)["join.short"]


def test_residual_is_measured_against_the_applied_load() -> None:
    from rod_tally.analysis.results.results import CaseEquilibrium

    m = self_weight(beam(6, "fixed", "fixed"))
    r = run(m, Settings().run)
    assert r.equilibrium[0].residual < 1e-12
    off = CaseEquilibrium("Self-weight", r.equilibrium[0].applied, r.equilibrium[0].reaction * 0.99, 0.01)
    r.equilibrium = [off]
    assert any(f.code == "equilibrium.residual" for f in run_checks(Subject(m, r)))


def test_eigenvalues_of_high_multiplicity_are_found() -> None:
    """A building of like parts: 200 equal largest values, then a known spectrum; every one of 12 is the
    largest."""
    n = 900
    value = np.concatenate([np.full(200, 5.0), np.linspace(4.0, 0.01, n - 200)])
    q = np.linalg.qr(np.random.default_rng(3).standard_normal((n, n)))[0]
    found, y = largest(lambda v: q @ (value[:, None] * (q.T @ v)), n, 12)
    assert found == pytest.approx(np.full(12, 5.0), rel=1e-9)
    assert y.T @ y == pytest.approx(np.eye(12), abs=1e-9)


def test_eigenvalues_close_together_agree_with_the_dense_answer() -> None:
    """Against numpy.linalg.eigvalsh, values 0.1 % apart at the top of the spectrum."""
    n = 800
    rng = np.random.default_rng(5)
    value = 1 / (1 + 0.001 * np.arange(n)) ** 2
    q = np.linalg.qr(rng.standard_normal((n, n)))[0]
    a = q @ (value[:, None] * q.T)
    found, y = largest(lambda v: a @ v, n, 10)
    assert found == pytest.approx(np.linalg.eigvalsh(a)[::-1][:10], rel=1e-6)


def test_storeys_come_from_the_levels_where_a_source_names_none() -> None:
    """A frame's floors are its storeys, a façade's cross members between them are not; what the source names
    stays as it was."""
    m = regular(2, 3)
    storeys_by_level(m)
    assert [s.elevation for s in m.storeys] == pytest.approx([0.0, 3.5, 7.0, 10.5]) and all(
        s.derived for s in m.storeys
    )
    assert m.storeys[1].name == "Level +3.50" and any("names no storeys" in e.message for e in m.log)
    m.cases["q"] = LoadCase("q", "wind", node_loads=[NodeLoad("n9", (5e3, 0.0, 0.0))])
    r = review(m, Settings.from_dict({"modes": {"count": 0}}))
    assert {s.storey for s in r.storeys} == {s.name for s in m.storeys}
    assert document(r)["source"]["storeys"] == []
    # cross members at 0.9 m and 2.7 m above each floor of a façade
    points, pairs = [], []
    for k, z in enumerate([0.0, 3.6, 4.5, 6.3, 7.2, 8.1, 9.9]):
        points += [(0.0, 0.0, z), (1.5, 0.0, z), (3.0, 0.0, z)]
        pairs += [(3 * k, 3 * k + 1), (3 * k + 1, 3 * k + 2)]
        if k:
            pairs += [(3 * k - 3 + i, 3 * k + i) for i in range(3)]
    f = frame(points, pairs, {0: "pinned", 1: "pinned", 2: "pinned"})
    storeys_by_level(f)
    assert min(np.diff([s.elevation for s in f.storeys])) >= 2.0
    named = regular(1, 1)
    named.storeys = [Storey("Ground", 0.0)]
    storeys_by_level(named)
    assert [s.name for s in named.storeys] == ["Ground"]


def tall(storeys: int, height: float, base: float = 0.0) -> Model:
    """Storeys of one height and plan: columns in pieces of a storey, walls in one piece, slabs that hand
    on."""
    s = source([base + height * k for k in range(storeys + 1)])
    top = base + height * storeys
    plate(s, "wall", "W", (0.0, 0.0, base), (0.2, 6.0, top))
    for k in range(storeys):
        z0, z1 = base + height * k, base + height * (k + 1)
        for n, (x, y) in enumerate(((6.0, 0.0), (6.0, 6.0))):
            add(s, "column", f"K{k}{n}", (x, y, z0), (x, y, z1), z=(1, 0, 0))
        for n, (a, b) in enumerate((((0.2, 0), (6, 0)), ((6, 0), (6, 6)), ((6, 6), (0.2, 6)))):
            add(s, "beam", f"B{k}{n}", (*a, z1 - 0.2), (*b, z1 - 0.2))
        plate(s, "slab", f"S{k}", (0.0, -0.1, z1 - 0.2), (6.1, 6.1, z1))
    return model(s)


@pytest.mark.parametrize("base, size", [(0.0, 0.9), (1234.567, 0.5)])
def test_storeys_alike_have_one_mass_whatever_mesh_and_place(base: float, size: float) -> None:
    """Mass by tributary height: storeys alike have the same to a billionth, the first a trace more (its
    columns end in the slab's middle), with any elements and at any height; and all of it is there."""
    usual = tall(8, 3.0)
    first = storey_rows(usual, run(usual, Settings().run, meshing=MeshSettings(size=0.5)))
    m = tall(8, 3.0, base)
    r = run(m, Settings().run, meshing=MeshSettings(size=size))
    rows = storey_rows(m, r)
    between = [row.mass for row in rows[2:-1]]
    assert np.ptp(between) <= 1e-9 * between[0] and rows[1].mass == pytest.approx(between[0], rel=1e-3)
    assert [row.mass for row in rows] == pytest.approx([row.mass for row in first], rel=1e-9)
    whole = sum(m.weight(x) for x in m.members.values()) + sum(
        m.surface_weight(x) for x in m.surfaces.values()
    )
    assert sum(row.mass for row in rows) * GRAVITY == pytest.approx(whole, rel=1e-6)
    assert sum(row.fz for row in rows) == pytest.approx(r.applied["Self-weight"][2], rel=1e-6)


def test_masses_of_storeys_follow_the_cases_that_give_mass() -> None:
    m = tall(2, 3.0)
    m.cases["Q"] = LoadCase("Q", "live", area_loads=[AreaLoad("S0", ((0.0, 0.0, -3e3),))])
    r = run(m, Settings().run)
    plain, more = (storey_rows(m, r, mass=f) for f in (None, {"Self-weight": 1.0, "Q": 0.5}))
    floor = 3e3 * m.surfaces["S0"].source_area
    assert more[1].mass - plain[1].mass == pytest.approx(0.5 * floor / GRAVITY, rel=1e-6)
    assert more[2].mass == pytest.approx(plain[2].mass) and more[0].mass == pytest.approx(plain[0].mass)


@pytest.mark.parametrize("deeper", [0.0, 1.0])
def test_the_drift_of_the_softest_column_governs(deeper: float) -> None:
    """Two frames side by side, one of them pushed: the drift is that of its own columns, not the mean;
    feet a metre below the lowest level give the first storey a drift too."""
    s = source([0.0, 4.0])
    for k, y in enumerate((0.0, 20.0)):
        for n, x in enumerate((0.0, 6.0)):
            add(s, "column", f"K{k}{n}", (x, y, -deeper), (x, y, 4.0), z=(1, 0, 0))
        add(s, "beam", f"B{k}", (0.15, y, 3.8), (5.85, y, 3.8))
    m = model(s)
    m.cases = {"W": LoadCase("W", "wind", node_loads=[NodeLoad(m.members["K00"].end, (20e3, 0.0, 0.0))])}
    r = run(m, Settings().run)
    top = r.displacement[0][r.node_ids.index(m.members["K00"].end), 0]
    (first,) = [row for row in storey_rows(m, r) if row.storey == "L1"]
    assert first.drift_x == pytest.approx(top, rel=1e-9) and abs(first.drift_x or 0) > 1e-4


@pytest.mark.parametrize("count", [3, 6, 12, 40])
def test_more_modes_than_there_are_give_no_more_mass_than_there_is(count: int) -> None:
    """A storey whose only mass is on a rigid floor has three modes in plan and those across it: shares sum
    to one at the most, no period is zero, and the response to a level spectrum is the same whatever is
    asked for."""
    s = source([0.0, 4.0])
    for k, (x, y) in enumerate(((0, 0), (6, 0), (6, 5), (0, 5))):
        add(s, "column", f"K{k}", (x, y, 0), (x, y, 4.0), z=(1, 0, 0))
    for k, (a, b) in enumerate((((0, 0), (6, 0)), ((6, 0), (6, 5)), ((6, 5), (0, 5)), ((0, 5), (0, 0)))):
        add(s, "beam", f"B{k}", (*a, 3.8), (*b, 3.8))
    plate(s, "slab", "S", (-0.1, -0.1, 4.0), (6.1, 5.1, 4.2))
    m = model(s)
    settings = Settings()
    settings.modes.count = count
    m.cases["E"] = LoadCase("E", "seismic", spectrum=Spectrum("x", [(0.0, 2.0), (4.0, 2.0)]))
    done = review(m, settings)
    assert done.modes and all(k.period > 1e-6 for k in done.modes)
    for axis in "xyz":
        assert sum(getattr(k, f"mass_{axis}") for k in done.modes) <= 1 + 1e-6
    pushed = abs(done.results.applied["E"][0])
    whole = abs(done.results.applied["Self-weight"][2]) / GRAVITY * 2.0
    assert pushed <= whole * (1 + 1e-6) and pushed > 0.8 * whole


@pytest.mark.parametrize("off", [0.0, 1e-10, -1e-10, 4.7e6])
def test_a_height_half_way_between_two_levels_is_of_the_lower(off: float) -> None:
    """Whatever rounding makes of it, in any order of the levels, also far from the origin."""
    levels = np.array([6.4, 0.0, 3.2]) + (off if off > 1 else 0.0)
    z = np.array([1.6, 4.8, 1.6 + 2e-6, 1.6 - 2e-6, 9.0, -9.0]) + off
    assert nearest_level(levels, z).tolist() == [1, 2, 2, 1, 0, 1]
    assert nearest_level(levels[:1], z).tolist() == [0] * 6
