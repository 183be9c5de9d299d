"""Normal, shear and equivalent stress of members and shells against closed forms and meshed sections."""

from __future__ import annotations

import numpy as np
import pytest
from pytestqt.qtbot import QtBot
from sectionproperties.analysis import Section as MeshedSection
from sectionproperties.pre import Geometry
from shapely.geometry import Polygon

from rod_tally.analysis import run
from rod_tally.analysis.shells.quantities import quantity
from rod_tally.analysis.stress.section_stress import member_stresses, places, shear_stress
from rod_tally.analysis.stress.utilisation import normal_stress
from rod_tally.desk.overlays import stresses
from rod_tally.desk.window import Window
from rod_tally.model import Section
from rod_tally.model.catalogue.shapes import angle, box, channel, circle, from_polygon, i_shape, rectangle
from rod_tally.model.settings import RunSettings

from .desk_help import STEP, legend
from .frames import beam
from .test_look_again import line_load, loaded
from .verification import verified


def stress(section: Section, **force: float) -> tuple[float, float]:
    """Largest shear and equivalent stress of forces in `COMPONENTS`."""
    f = np.array([[force.get(k, 0.0) for k in ("n", "vy", "vz", "mt", "my", "mz")]])
    at = places(section)
    shear, normal = shear_stress(at, f), normal_stress(section, f, at.points)
    return float(shear.max()), float(np.sqrt(normal**2 + 3 * shear**2).max())


def test_shear_of_a_rectangle_and_a_circle() -> None:
    """1.5 V/A and 4/3 V/A at the middle; T r/J of a circle; T/(0.231 a b2) of a rectangle 1.5 : 1."""
    block, rod = rectangle("r", 0.2, 0.3)[0], circle("c", 0.1)[0]
    book = "S. Timoshenko, Strength of materials I, shear and torsion (from memory)"
    for way in ("vy", "vz"):
        verified(
            f"Largest shear stress of a rectangle, {way}", book, stress(block, **{way: 60e3})[0], 1.5e6, 1e-6
        )
        verified(
            f"Largest shear stress of a circle, {way}",
            book,
            stress(rod, **{way: 60e3})[0],
            80e3 / rod.area,
            0.015,
        )
    verified("Torque on a circle", book, stress(rod, mt=1e3)[0], 2e3 / (np.pi * 0.1**3), 1e-6)
    verified(
        "Torque on a rectangle 1.5 : 1", book, stress(block, mt=1e3)[0], 1e3 / (0.231 * 0.3 * 0.2**2), 0.003
    )
    assert stress(rod, mt=1e3)[1] == pytest.approx(np.sqrt(3) * stress(rod, mt=1e3)[0])  # pure shear


@pytest.mark.parametrize(
    ("section", "torque"),
    [
        (rectangle("r", 0.2, 0.3)[0], 0.03),
        (i_shape("i", 0.3, 0.15, 0.0071, 0.0107, 0.015)[0], 0.2),
        (box("b", 0.2, 0.3, 0.01, 0.02, 0.01)[0], 0.2),
        (channel("u", 0.2, 0.075, 0.0085, 0.0115, 0.0115)[0], 0.25),
        (angle("l", 0.1, 0.08, 0.01, 0.012)[0], 0.35),
    ],
    ids=lambda v: getattr(v, "name", ""),
)
def test_stresses_are_those_of_a_meshed_section(section: Section, torque: float) -> None:
    """But for the peaks in re-entrant corners, which formulas of strength of materials leave out: 99.5 % of
    the meshed points. Torque on open sections (`torque`: how much) comes out too high where thin parts
    meet."""
    geometry = Geometry(Polygon(section.outline, section.voids))
    geometry.create_mesh(mesh_sizes=[section.area / 500])
    meshed = MeshedSection(geometry)
    meshed.calculate_geometric_properties()
    meshed.calculate_warping_properties()
    for force, within in (
        ({"vz": 1e5}, 0.1),
        ({"vy": 1e5}, 0.15),
        ({"mt": 1e3}, torque),
        ({"n": 1e5, "vz": 3e4, "my": 2e4}, 0.05),
    ):
        given = {"n": "n", "vy": "vx", "vz": "vy", "mt": "mzz", "my": "mxx", "mz": "myy"}
        signs = {"my": -1.0}
        theirs = meshed.calculate_stress(
            **{given[k]: signs.get(k, 1.0) * v for k, v in force.items()}
        ).get_stress()[0]
        shear, equivalent = stress(section, **force)
        if "n" in force:
            assert 1 - within < equivalent / theirs["sig_vm"].max() < 1 + 3 * within
            continue
        most = float(np.percentile(theirs["sig_zxy"], 99.5))
        assert (1 - min(within, 0.2)) * most < shear < (1 + within) * most, force
        assert equivalent == pytest.approx(np.sqrt(3) * shear)


def test_a_turned_section_has_the_stresses_of_the_straight_one() -> None:
    """Bending and shear about inclined axes: a rectangle drawn at 30 degrees under forces turned with it."""
    straight = rectangle("r", 0.1, 0.3)[0]
    c, s = np.cos(np.pi / 6), np.sin(np.pi / 6)
    turned = from_polygon("t", "arbitrary", [(c * y - s * z, s * y + c * z) for y, z in straight.outline])[0]
    v = np.array([20e3, 50e3])
    m = np.array([30e3, -10e3])
    force = {
        "vy": c * v[0] - s * v[1],
        "vz": s * v[0] + c * v[1],
        "my": c * m[0] - s * m[1],
        "mz": s * m[0] + c * m[1],
    }
    at, force_row = places(turned), np.array([[0, force["vy"], force["vz"], 0, force["my"], force["mz"]]])
    normal = normal_stress(turned, force_row, at.points)
    own = places(straight)
    same = normal_stress(straight, np.array([[0, *v, 0, *m]]), own.points)
    assert (normal.min(), normal.max()) == pytest.approx((same.min(), same.max()), rel=1e-9)
    # slices along the drawn axes cut the block askew: their average is near, never far below, the largest
    assert stress(turned, **force)[0] == pytest.approx(stress(straight, vy=v[0], vz=v[1])[0], rel=0.35)


def test_stresses_along_a_beam_by_hand() -> None:
    """q L2 / 8 over b h2 / 6 in the middle, 1.5 q L / 2 A at the ends; what has no outline is named."""
    m = loaded(-10e3)
    r = run(m, RunSettings())
    found, unknown = member_stresses(m, r, 0)
    at = r.stations_of("m0")
    middle = at[len(at) // 2]
    largest = 10e3 * 36 / 8 / (0.2 * 0.3**2 / 6)
    assert not unknown
    assert (found["lowest"][middle], found["highest"][middle]) == pytest.approx((-largest, largest), rel=1e-9)
    assert found["equivalent"][middle] == pytest.approx(largest, rel=1e-6)
    assert np.abs(found["highest"][at[[0, -1]]]).max() < 1e-3
    assert found["shear"][at[[0, -1]]] == pytest.approx(1.5 * 30e3 / 0.06, rel=1e-6)
    assert found["equivalent"][at[0]] == pytest.approx(np.sqrt(3) * 1.5 * 30e3 / 0.06, rel=1e-6)
    plain = beam(6.0, "fixed", "uy uz")
    line_load(plain, "m0", (0, 0, -1e3))
    found, unknown = member_stresses(plain, run(plain, RunSettings()), 0)
    assert np.isnan(found["equivalent"]).all() and "has no outline" in unknown["m0"]


def test_equivalent_stress_of_a_plate_by_hand() -> None:
    """nx 100 kN/m, nxy 50, mx 12 kNm/m, vy 40 in 0.2 m: 0.5 and 1.8 N/mm2 of bending, 0.25 and 0.3 of
    shear."""
    forces = np.array([[100e3, 0, 50e3, 12e3, 0, 0, 0, 40e3]])
    t = np.array([0.2])
    for face, x, across in (("top", 2.3e6, 0.0), ("middle", 0.5e6, 0.3e6), ("bottom", -1.3e6, 0.0)):
        expected = np.sqrt(x**2 + 3 * (0.25e6**2 + across**2))
        assert quantity(forces, t, f"se {face}")[0] == pytest.approx(expected, rel=1e-12)


def test_the_tables_and_the_picture_of_stresses_in_the_window(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    w = loft
    w.state.go(STEP["Response"])
    w.state.show_overlay("stress")
    text = legend(w, qtbot)
    assert "normal stress on 194 bodies, N/mm²" in text
    w.tables.show_table("forces", 4)
    page = w.tables.front()
    assert page is not None
    first, second = page.model.content.rows[:2]
    assert first[10] >= second[10] > 0 and first[10] >= max(first[4], -first[6], first[8])
    assert f"{max(r[4] for r in page.model.content.rows):.4g}" in text
    w.state.set_view(stress="equivalent")
    assert f"to {first[10]:.4g}" in legend(w, qtbot)
    w.state.set_view(stress_range=(0.0, first[10] * 0.5e6))
    assert "beyond the range" in legend(w, qtbot)
    monkeypatch.setattr(stresses, "BODIES", 10)  # along lines where many are shown
    w.state.set_view(stress_range=None)
    assert f"highest {first[10]:.4g}" in legend(w, qtbot) and "more than 10 members" in legend(w, qtbot)
    w.tables.show_table("surface_forces", 2)
    page = w.tables.front()
    assert page is not None and page.model.content.rows
    sizes = [max(r[4:7]) for r in page.model.content.rows]
    assert sizes == sorted(sizes, reverse=True)
