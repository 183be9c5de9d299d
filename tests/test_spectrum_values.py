"""What follows from the response to a spectrum: drift, storey shear, forces of slabs, walls and cores,
combined mode by mode."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.dynamics.spectrum import correlation, modal_loads
from rod_tally.analysis.results.signless import quadratic
from rod_tally.analysis.results.superpose import combined
from rod_tally.analysis.shells.envelope import plate_envelope
from rod_tally.analysis.solve.flexibility import flexibility
from rod_tally.analysis.walls.forces import wall_forces
from rod_tally.loads import Distribution
from rod_tally.model import Combination, LoadCase, Model, NodeLoad, Settings, Spectrum, Storey
from rod_tally.model.edits import EditError
from rod_tally.model.edits.load_values import build_spectrum
from rod_tally.project.run_records import packed, results_of
from rod_tally.review import Review, review
from rod_tally.review.walls.wall_stability import stability_in

from .frames import frame
from .test_wall_forces import core

CURVE = [(0.0, 1.0), (0.02, 2.0), (0.1, 6.0), (0.4, 3.0), (4.0, 0.3)]


def shaken(m: Model, direction: str = "x", eccentricity: float = 0.0, count: int = 8) -> Review:
    m.cases = {
        "G": LoadCase("G", "self-weight", (0.0, 0.0, -1.0)),
        "S": LoadCase("S", "seismic", spectrum=Spectrum(direction, CURVE, eccentricity=eccentricity)),
    }
    m.combinations = [
        Combination("sum", "seismic", {"G": 1.0, "S": 1.0}),
        Combination("root", "seismic", {"G": 1.0, "S": 1.0}, roots=["S"]),
    ]
    s = Settings()
    s.modes.mass, s.modes.count, s.mesh.size = {"G": 1.0}, count, 1.0
    return review(m, s)


def by_hand(r: Review) -> tuple[Model, list[LoadCase], np.ndarray]:
    """The static cases of the modes of the case S, and their correlation."""
    own = flexibility(r.model, r.results, r.settings)
    assert own is not None
    from rod_tally.analysis.dynamics.modes import mass_matrix

    mass = mass_matrix(r.model, own, r.settings, r.distribution)
    own.close()
    modal = modal_loads(r.modes, r.model.cases["S"], mass, r.results.node_ids)
    m = replace(r.model, cases={x.name: x for x in modal})
    return m, modal, correlation(np.array([x.period for x in r.modes]), 0.05)


@pytest.fixture(scope="module")
def building() -> Review:
    """Two storeys of a core as shells."""
    return shaken(core(2, "shell"))


def test_forces_of_shells_and_walls_are_those_of_the_modes_combined(building: Review) -> None:
    m, modal, rho = by_hand(building)
    alone = run(m, building.settings.run, meshing=building.settings.mesh)
    fields = building.fields
    assert fields is not None and len(modal) == 8
    r = building.results
    c = r.case_index("S")
    each = np.array([fields.at_corners(alone.displacement[k]) for k in range(len(modal))])
    expected = quadratic(each, rho)
    got = fields.forces(r, c)
    size = np.abs(expected).max(axis=0)
    assert np.abs(got - expected).max(axis=0) == pytest.approx(np.zeros(8), abs=1e-8 * size.max())
    assert got.min() >= 0
    wrong = fields.at_corners(r.displacement[c])  # of combined movements: no forces of anything
    assert np.abs(wrong - expected).max() > 0.2 * size.max()
    walls = wall_forces(m, alone, Distribution(m))
    assert building.wall_forces.values[c] == pytest.approx(quadratic(walls.values, rho), rel=1e-6, abs=1.0)
    assert building.wall_forces.done[c].all()


def test_the_core_carries_the_base_shear_of_the_spectrum(building: Review) -> None:
    """All that moves stands on the core: its shear at the foot is that of the supports, and of the lowest
    storey."""
    r, w = building.results, building.wall_forces
    foot = next(
        k
        for k, row in enumerate(w.rows)
        if row.wall.startswith("core") and row.part == "bottom" and row.place[2] < 0.1
    )
    shear = float(r.applied["S"][0])
    held = float(w.values[r.case_index("S"), foot, 1])
    assert held == pytest.approx(shear, rel=0.02)  # what the masses at the very foot take needs no wall
    row = next(x for x in building.storeys if x.case == "S" and x.storey == "Level 0")
    assert row.shear_x == pytest.approx(shear, rel=1e-6)


def test_combinations_add_what_the_modes_give(building: Review) -> None:
    fields, r = building.fields, building.results
    assert fields is not None
    g, s = (fields.forces(r, r.case_index(n)) for n in ("G", "S"))
    for c in building.combinations:
        assert fields.forces(combined(r, c), 0) == pytest.approx(g + s, rel=1e-9, abs=1e-6)
    found = plate_envelope(fields, r, building.combinations[1:], "nx")
    k = 0
    assert found.low == pytest.approx(g[:, k] - s[:, k], abs=1e-6) and found.high == pytest.approx(
        g[:, k] + s[:, k], abs=1e-6
    )
    with pytest.raises(ValueError, match="no combination"):
        plate_envelope(fields, r, building.combinations, "se top")
    assert (
        stability_in(building, "G") and not stability_in(building, "S") and not stability_in(building, "sum")
    )


def test_a_kept_run_holds_its_modes(building: Review) -> None:
    r = building.results
    again = results_of(*packed(r, None))
    fields = building.fields
    assert fields is not None
    c = r.case_index("S")
    assert fields.forces(again, c) == pytest.approx(fields.forces(r, c), rel=1e-12)
    assert building.wall_forces.values[c] == pytest.approx(
        wall_forces(building.model, again, building.distribution).values[c], rel=1e-12
    )


def test_drift_and_storey_shear_are_those_of_the_modes() -> None:
    """A mast of three masses: the shear of a storey is that of the column in it, its drift that of the modes
    combined."""
    m = frame([(0, 0, 3.0 * k) for k in range(4)], [(0, 1), (1, 2), (2, 3)], {0: "fixed"}, density=1e-9)
    m.storeys = [Storey(f"L{k}", 3.0 * k) for k in range(4)]
    got = None
    m.cases = {
        "M": LoadCase("M", "dead", node_loads=[NodeLoad(f"n{k}", (0, 0, -2e5)) for k in (1, 2, 3)]),
        "S": LoadCase(
            "S", "seismic", spectrum=Spectrum("x", [(0.0, 1.0), (0.1, 9.0), (0.5, 4.0), (3.0, 0.5)])
        ),
    }
    s = Settings()
    s.modes.mass, s.modes.count = {"M": 1.0}, 6
    got = review(m, s)
    r = got.results
    c = r.case_index("S")
    rows = {x.storey: x for x in got.storeys if x.case == "S"}
    for k in range(3):
        at = r.stations_of(f"m{k}")
        shear = np.hypot(r.force[c, at[0], 1], r.force[c, at[0], 2])
        assert rows[f"L{k + 1}"].shear_x == pytest.approx(shear, rel=1e-6)
    modal = r.modal["S"]
    for k in (2, 3):
        each = modal.displacement[:, k, 0] - modal.displacement[:, k - 1, 0]
        drift = rows[f"L{k}"].drift_x
        assert drift == pytest.approx(quadratic(each[:, None], modal.rho)[0], rel=1e-9)
        # higher modes bend the mast: the difference of combined movements is less
        assert drift is not None and drift > (r.displacement[c, k, 0] - r.displacement[c, k - 1, 0]) * 1.001


def table(a: float) -> Model:
    """A rigid square on four equal columns at its corners, without stiffness against twist of their own."""
    m = frame([(0, 0, 0), (a, 0, 0), (a, a, 0), (0, a, 0), (0, 0, 3), (a, 0, 3), (a, a, 3), (0, a, 3)],
              [(k, k + 4) for k in range(4)], {k: "fixed" for k in range(4)}, density=1e-9)  # fmt: skip
    section = next(iter(m.sections.values()))
    m.sections[section.name] = replace(section, iy=section.iz, j=1e-12)
    m.storeys = [Storey("Base", 0.0), Storey("Top", 3.0)]
    return m


@pytest.mark.parametrize("off", [0.0, 0.05, 0.1])
def test_an_eccentricity_turns_a_storey_by_its_share_of_the_force(off: float) -> None:
    """M = e a F on four corners at a/sqrt 2: each column takes M/(4 a/sqrt 2) along its tangent, so F/4 + e
    F/4 in x and e F/4 in y (statics; EN 1998-1 4.3.3.3.3)."""
    m = table(6.0)
    m.cases = {
        "M": LoadCase("M", "dead", node_loads=[NodeLoad(f"n{k}", (0, 0, -5e4)) for k in range(4, 8)]),
        "S": LoadCase("S", "seismic", spectrum=Spectrum("x", [(0.0, 2.0), (9.0, 2.0)], eccentricity=off)),
    }
    s = Settings()
    s.modes.mass, s.modes.count, s.run.diaphragms = {"M": 1.0}, 6, ["Top"]
    got = review(m, s)
    r = got.results
    c = r.case_index("S")
    force = 4 * 5e4 / 9.80665 * 2.0
    assert r.applied["S"][0] == pytest.approx(force, rel=1e-6)
    for k in range(4):
        assert r.reaction[c, k, 0] == pytest.approx(force / 4 * (1 + off), rel=1e-4)
        assert r.reaction[c, k, 1] == pytest.approx(force / 4 * off, rel=1e-4, abs=1e-3 * force)
    assert len(r.modal["S"].turning) == (1 if off else 0)


def test_an_eccentricity_beyond_the_storey_is_refused() -> None:
    with pytest.raises(EditError, match="eccentricity"):
        build_spectrum({"direction": "x", "curve": CURVE, "eccentricity": 0.7})
