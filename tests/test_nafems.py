"""Published benchmarks of plates and membranes, from outline to stress and to frequency. Values from
memory."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.dynamics.modes import modes
from rod_tally.analysis.shells.fields import PlateFields
from rod_tally.analysis.shells.quantities import quantity
from rod_tally.model import FIXED, LineSupport, LoadCase, Material, Settings, SpaceLoad, Support
from rod_tally.model.settings import MeshSettings, RunSettings

from .plates import plate_model, rectangle, shell
from .verification import verified


def test_le1_elliptic_membrane() -> None:
    """NAFEMS, The Standard NAFEMS Benchmarks (1990), LE1: stress of 92.7 MPa in an elliptic membrane, within
    3 %.

    A quarter between ellipses (2, 1) and (3.25, 2.75), 0.1 m thick, E 210 GPa, nu 0.3, pulled outwards by 10
    MPa at its outer edge; held along both axes of symmetry."""
    m = plate_model()
    e = 210e9
    m.materials["plate"] = Material("plate", "steel", e, e / 2.6)
    t = np.linspace(0, np.pi / 2, 41)
    inner = np.column_stack([2 * np.cos(t), np.sin(t), 0 * t])
    outer = np.column_stack([3.25 * np.cos(t), 2.75 * np.sin(t), 0 * t])
    s = shell(m, "s", [*inner.tolist(), *outer[::-1].tolist()], 0.1)
    s.supports = [
        LineSupport(np.array([inner[0], outer[0]]), Support.of("uy uz rx ry rz")),
        LineSupport(np.array([inner[-1], outer[-1]]), Support.of("ux uz rx ry rz")),
    ]
    m.cases["q"] = LoadCase("q", "live")
    for a, b in zip(outer, outer[1:]):
        d = b - a
        normal = np.array([d[1], -d[0], 0.0]) / np.linalg.norm(d)
        q = normal * 10e6 * 0.1
        m.cases["q"].space_loads.append(SpaceLoad(np.array([a, b]), tuple(q), tuple(q), to="s"))
    r = run(m, RunSettings(), meshing=MeshSettings(0.04))
    assert r.plates is not None
    fields = PlateFields(m, r.plates)
    values = fields.at_corners(r.displacement[0])
    at = int(np.linalg.norm(r.plates.points[fields.corners.node] - [2, 0, 0], axis=1).argmin())
    stress = quantity(values, np.full(len(values), 0.1), "sy middle")
    verified(
        "elliptic membrane, stress at the inner corner, Pa", "NAFEMS (1990), LE1", stress[at], 92.7e6, 0.03
    )


@pytest.mark.parametrize("spread", [False, True])
def test_fv16_cantilevered_square_plate(spread: bool) -> None:
    """NAFEMS, Selected Benchmarks for Natural Frequency Analysis (1987), FV16: 0.421, 1.029, 2.582, 3.306,
    3.753 Hz, within 2 %.

    10 m by 10 m by 0.05 m, E 200 GPa, nu 0.3, 8000 kg/m3, clamped along one side.
    """
    m = plate_model()
    m.materials["plate"] = Material("plate", "steel", 200e9, 200e9 / 2.6, density=8000.0)
    s = shell(m, "s", rectangle(10, 10), 0.05)
    s.supports = [LineSupport(np.array([(0, 0, 0), (0, 10, 0)], float), FIXED)]
    m.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0, 0, -1.0))
    settings = Settings()
    settings.modes.count, settings.modes.consistent = 5, spread
    settings.mesh.size = 0.5
    r = run(m, settings.run, meshing=settings.mesh)
    found = [1 / x.period for x in modes(m, r, settings)]
    how = "spread" if spread else "lumped"
    for n, (got, wanted) in enumerate(zip(found, (0.421, 1.029, 2.582, 3.306, 3.753), strict=True), 1):
        verified(
            f"cantilevered square plate, mode {n}, {how} mass, Hz", "NAFEMS (1987), FV16", got, wanted, 0.02
        )


@pytest.mark.parametrize("spread", [False, True])
def test_a_simply_supported_plate_swings_as_in_closed_form(spread: bool) -> None:
    """f = pi / 2 sqrt(D / m) (1 / a^2 + 1 / b^2) (Timoshenko, Vibration Problems in Engineering), within 1
    %."""
    m = plate_model()
    shell(m, "s", rectangle(6, 4), 0.1, edges="pinned")
    m.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0, 0, -1.0))
    settings = Settings()
    settings.modes.count, settings.modes.consistent = 1, spread
    r = run(m, settings.run, meshing=MeshSettings(0.25))
    (mode,) = modes(m, r, settings)
    rigidity = 30e9 * 0.1**3 / 12 / (1 - 0.04)
    wanted = np.pi / 2 * np.sqrt(rigidity / 250) * (1 / 36 + 1 / 16)
    how = "spread" if spread else "lumped"
    verified(
        f"simply supported plate, first mode, {how} mass, Hz",
        "Timoshenko, Vibration Problems",
        1 / mode.period,
        wanted,
        0.01,
    )
