"""Centres of stiffness and torsional radii of storeys against sums over columns, and what is said of them."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.dynamics.dynamics import dynamics
from rod_tally.analysis.results.results import Results
from rod_tally.checks import Subject, run_checks
from rod_tally.loads import Distribution
from rod_tally.model import LoadCase, Model, NodeLoad, Settings, Storey
from rod_tally.model.entities.loads import GRAVITY

from .frames import PLAIN, E, G, frame

PLACES = np.array([(0.0, 0.0), (8.0, 0.0), (0.0, 5.0), (8.0, 5.0), (6.0, 5.0)])
HEIGHT = 4.0


def table(masses: tuple[float, ...] = (1.0, 1.0, 1.0, 1.0, 1.0)) -> tuple[Model, Settings]:
    """Columns held at their feet, one floor that is stiff in its plane, a mass (t) on each head."""
    feet = [(x, y, 0.0) for x, y in PLACES]
    heads = [(x, y, HEIGHT) for x, y in PLACES]
    n = len(PLACES)
    m = frame(feet + heads, [(k, k + n) for k in range(n)], {k: "fixed" for k in range(n)}, density=0.0)
    m.storeys = [Storey("L0", 0.0), Storey("L1", HEIGHT)]
    loads = [NodeLoad(f"n{k + n}", (0, 0, -1000 * GRAVITY * masses[k])) for k in range(n)]
    m.cases["Roof"] = LoadCase("Roof", "dead", node_loads=loads)
    s = Settings()
    s.modes.mass = {"Roof": 1.0}
    s.run.diaphragms = ["L1"]
    return m, s


def run_of(m: Model, s: Settings) -> Results:
    return run(m, s.run)


def test_centre_of_stiffness_and_torsional_radii_of_a_floor_on_columns() -> None:
    """Sum k x / sum k with k = 3 EI / h^3 for heads free to turn, and K = sum k r^2 + GJ / h about it (any
    handbook), to 1e-9."""
    m, s = table((1.0, 4.0, 1.0, 4.0, 1.0))
    (c,) = dynamics(m, run_of(m, s), s, Distribution(m)).centres
    # columns stand with local z along x: bending along x is about y
    kx, ky = 3 * E * PLAIN.iy / HEIGHT**3, 3 * E * PLAIN.iz / HEIGHT**3
    x, y = PLACES.T
    w = np.array([1, 4, 1, 4, 1]) / 11
    stiff = x.mean(), y.mean()
    turn = float((ky * (x - stiff[0]) ** 2 + kx * (y - stiff[1]) ** 2).sum()) + len(x) * G * PLAIN.j / HEIGHT
    assert (c.storey, c.elevation, c.mass) == ("L1", HEIGHT, pytest.approx(11_000.0))
    assert (c.mass_x, c.mass_y) == pytest.approx((w @ x, w @ y))
    assert (c.stiff_x, c.stiff_y) == pytest.approx(stiff, rel=1e-9)
    assert c.radius_x == pytest.approx(np.sqrt(turn / (len(x) * ky)), rel=1e-9)
    assert c.radius_y == pytest.approx(np.sqrt(turn / (len(x) * kx)), rel=1e-9)
    assert c.gyration == pytest.approx(np.sqrt(w @ ((x - w @ x) ** 2 + (y - w @ y) ** 2)))


def test_a_force_through_the_centre_of_stiffness_does_not_turn_the_floor() -> None:
    m, s = table()
    (c,) = dynamics(m, run_of(m, s), s, Distribution(m)).centres
    # as a force and a moment at one head
    m.cases["push"] = LoadCase(
        "push", "wind", node_loads=[NodeLoad("n5", (0, 1e4, 0), (0, 0, 1e4 * c.stiff_x))]
    )
    r = run_of(m, s)
    turned = r.displacement[r.case_index("push"), 5:, 5]
    assert np.abs(turned).max() < 1e-12
    assert r.displacement[r.case_index("push"), 5, 1] > 1e-4


def test_storeys_far_from_their_stiffness_are_told() -> None:
    """All mass at one side: its distance from the centre of stiffness is beyond 0.3 of the torsional
    radius."""
    m, s = table((1.0, 90.0, 1.0, 90.0, 1.0))
    r = run_of(m, s)
    found = dynamics(m, r, s, Distribution(m))
    assert found.centres[0].turns
    codes = [f.code for f in run_checks(Subject(m, r, s, modes=found.modes, centres=found.centres))]
    assert codes.count("response.torsion") == 1


def test_nothing_is_said_of_storeys_without_mass_or_of_loose_models() -> None:
    m, s = table()
    s.modes.mass = {}
    m.cases["Roof"].node_loads = []
    assert dynamics(m, run_of(m, s), s, Distribution(m)).centres == []
    m, s = table()
    m.storeys, s.run.diaphragms = [], []
    assert dynamics(m, run_of(m, s), s, Distribution(m)).centres == []


def towers(at: tuple[float, ...], order: int = 1) -> tuple[Model, Settings]:
    """Portal tables of four columns and four beams, each at its own x, all of one storey; a heavy corner."""
    points: list[tuple[float, float, float]] = []
    edges: list[tuple[int, int]] = []
    for x0 in at:
        n = len(points)
        plan = [(x0, 0.0), (x0 + 6, 0.0), (x0 + 6, 5.0), (x0, 5.0)]
        points += [(*p, z) for z in (0.0, HEIGHT) for p in plan]
        edges += [(n + k, n + 4 + k) for k in range(4)]
        edges += [(n + 4 + k, n + 4 + (k + 1) % 4) for k in range(4)]
    held = {k: "fixed" for k, p in enumerate(points) if p[2] == 0.0}
    m = frame(points, edges[::order], held, density=0.0)
    m.storeys = [Storey("L0", 0.0), Storey("L1", HEIGHT)]
    heads = [k for k, p in enumerate(points) if p[2] > 0]
    loads = [NodeLoad(f"n{k}", (0, 0, -1e3 * GRAVITY * (4.0 if k % 8 == 5 else 1.0))) for k in heads]
    m.cases["Roof"] = LoadCase("Roof", "dead", node_loads=loads)
    s = Settings()
    s.modes.mass = {"Roof": 1.0}
    return m, s


@pytest.mark.parametrize("order", [1, -1])
def test_towers_of_one_storey_have_centres_of_their_own(order: int) -> None:
    """Each as if it stood alone, whatever stands beside it and in whatever order the file names it."""
    (alone,) = dynamics(*(lambda m, s: (m, run_of(m, s), s, Distribution(m)))(*towers((0.0,)))).centres
    m, s = towers((40.0, 0.0), order)
    first, second = dynamics(m, run_of(m, s), s, Distribution(m)).centres
    assert (alone.name, first.name, second.name) == ("L1", "L1, part 1", "L1, part 2")
    for own, shift in ((first, 0.0), (second, 40.0)):
        assert (own.mass_x - shift, own.stiff_x - shift) == pytest.approx((alone.mass_x, alone.stiff_x))
        assert (own.mass_y, own.stiff_y, own.mass) == pytest.approx((alone.mass_y, alone.stiff_y, alone.mass))
        assert (own.radius_x, own.radius_y, own.gyration) == pytest.approx(
            (alone.radius_x, alone.radius_y, alone.gyration)
        )
    assert first.mass_x - first.stiff_x > 0.1


def test_a_core_that_slabs_are_joined_to_is_of_their_floor() -> None:
    """A slab on a frame and on a wall that no beam reaches: one part, whose mass has the wall's in it."""
    from .physical_models import block, model
    from .test_panels import plate

    s = block(1, 1)
    plate(s, "slab", "S", (0, 0, 4.0), (6, 5, 4.2))
    plate(s, "wall", "W", (2.5, 2.4, 0.0), (3.5, 2.6, 4.0))
    m = model(s)
    own = Settings()
    found = dynamics(m, run_of(m, own), own, Distribution(m)).centres
    assert [c.name for c in found] == ["L1"]
