"""Section values against published tables and against sectionproperties."""

from __future__ import annotations

import math

import pytest

from rod_tally.model import Section
from rod_tally.model.catalogue import shapes
from rod_tally.model.catalogue.shapes import ShapeError

# name: (h, b, tw, tf, r in mm), A cm2, Iy cm4, Iz cm4, It cm4 as printed. EN 10365:2017 tables of IPE and HE
# (from memory).
EN_10365 = {
    "IPE 200": ((200, 100, 5.6, 8.5, 12), 28.48, 1943, 142.4, 6.98),
    "IPE 300": ((300, 150, 7.1, 10.7, 15), 53.81, 8356, 603.8, 20.12),
    "IPE 500": ((500, 200, 10.2, 16, 21), 115.5, 48200, 2142, 89.29),
    "HE 200 B": ((200, 200, 9, 15, 18), 78.08, 5696, 2003, 59.28),
    "HE 300 A": ((290, 300, 8.5, 14, 27), 112.5, 18260, 6310, 85.17),
    "HE 300 B": ((300, 300, 11, 19, 27), 149.1, 25170, 8563, 185.0),
}


@pytest.mark.parametrize("name", EN_10365)
def test_rolled_sections_have_the_values_of_the_standard(name: str) -> None:
    """Area and second moments within 0.1 % of the printed values, torsion within 4 % (the printed one rests
    on finer junction constants)."""
    dims, area, iy, iz, it = EN_10365[name]
    h, b, tw, tf, r = (v / 1000 for v in dims)
    section, centroid = shapes.i_shape(name, h, b, tw, tf, r)
    assert centroid == (0.0, 0.0)
    assert section.area * 1e4 == pytest.approx(area, rel=1e-3)
    assert section.iy * 1e8 == pytest.approx(iy, rel=1e-3)
    assert section.iz * 1e8 == pytest.approx(iz, rel=1e-3)
    assert section.j * 1e8 == pytest.approx(it, rel=4e-2)


# EN 10210-2:2006 annex B, hot finished, r_o = 1.5 t, r_i = t: (h, b, t), A cm2, Iy, Iz, It cm4 (from memory)
EN_10210_BOX = {
    "RHS 100x50x5": ((100, 50, 5), 13.7, 167, 54.3, 135),
    "SHS 100x100x5": ((100, 100, 5), 18.7, 279, 279, 439),
    "RHS 200x100x8": ((200, 100, 8), 44.8, 2230, 739, 1800),
}


@pytest.mark.parametrize("name", EN_10210_BOX)
def test_hollow_sections_have_the_values_of_the_standard(name: str) -> None:
    """Printed with three digits: within half of the last one, so 0.6 %."""
    (h, b, t), area, iy, iz, it = EN_10210_BOX[name]
    section, _ = shapes.box(name, b / 1e3, h / 1e3, t / 1e3, 1.5 * t / 1e3, t / 1e3)
    for mine, printed in (
        (section.area * 1e4, area),
        (section.iy * 1e8, iy),
        (section.iz * 1e8, iz),
        (section.j * 1e8, it),
    ):
        assert mine == pytest.approx(printed, rel=6e-3)


def test_tube_has_the_values_of_the_standard() -> None:
    """CHS 114.3x5, EN 10210-2 annex B: A 17.2 cm2, I 257 cm4, It 514 cm4 (from memory)."""
    section, _ = shapes.circle("CHS", 0.11430 / 2, 0.005)
    assert section.area * 1e4 == pytest.approx(17.2, rel=4e-3)
    assert section.iy * 1e8 == pytest.approx(257, rel=4e-3)
    assert section.j == 2 * section.iy


def _reference(geometry: object) -> dict[str, float]:
    """Area, second moments about the centroid, and torsion constant by sectionproperties (warping
    analysis)."""
    from sectionproperties.analysis import Section as Analysis

    geometry.create_mesh(mesh_sizes=[1e-4])  # type: ignore[attr-defined]
    analysis = Analysis(geometry)
    analysis.calculate_geometric_properties()
    analysis.calculate_warping_properties()
    ixx, iyy, ixy = analysis.get_ic()
    return {"area": analysis.get_area(), "iy": ixx, "iz": iyy, "iyz": ixy, "j": analysis.get_j()}


def _polygon(section: Section) -> object:
    from sectionproperties.pre import Geometry
    from shapely.geometry import Polygon

    return Geometry(Polygon(section.outline, section.voids))


CASES = {
    "i": (lambda: shapes.i_shape("i", 0.3, 0.15, 0.0071, 0.0107, 0.015), 0.03),
    "asymmetric i": (lambda: shapes.i_shape("a", 0.4, 0.2, 0.01, 0.016, 0.0, 0.12, 0.012), 0.08),
    "channel": (lambda: shapes.channel("c", 0.2, 0.075, 0.0085, 0.0115, 0.0115), 0.08),
    "angle": (lambda: shapes.angle("l", 0.1, 0.075, 0.009, 0.01, 0.005), 0.1),
    "tee": (lambda: shapes.tee("t", 0.15, 0.15, 0.0085, 0.012, 0.012), 0.15),
    "box": (lambda: shapes.box("b", 0.1, 0.2, 0.008, 0.012, 0.008), 0.025),
    "rectangle": (lambda: shapes.rectangle("r", 0.2, 0.45), 0.01),
    "trapezium": (
        lambda: shapes.from_polygon("p", "arbitrary", [(0, 0), (0.3, 0), (0.22, 0.2), (0.06, 0.2)]),
        0.1,
    ),
    "plate": (
        lambda: shapes.from_polygon("p", "arbitrary", [(0, 0), (0.3, 0), (0.3, 0.012), (0, 0.012)]),
        0.05,
    ),
}


@pytest.mark.parametrize("name", CASES)
def test_shapes_agree_with_a_finite_element_reference(name: str) -> None:
    """Area and moments to 1e-6; torsion, a handbook formula, to the tolerance beside each shape."""
    make, torsion = CASES[name]
    section, _ = make()
    reference = _reference(_polygon(section))
    for key in ("area", "iy", "iz"):
        assert getattr(section, key) == pytest.approx(reference[key], rel=1e-6), key
    assert section.iyz == pytest.approx(reference["iyz"], abs=1e-6 * section.iy)
    assert section.j == pytest.approx(reference["j"], rel=torsion)


def test_rectangle_about_a_shifted_origin_is_brought_to_its_centroid() -> None:
    section, centroid = shapes.from_polygon("r", "arbitrary", [(1, 2), (1.2, 2), (1.2, 2.5), (1, 2.5)])
    assert centroid == pytest.approx((1.1, 2.25))
    assert section.iy == pytest.approx(0.2 * 0.5**3 / 12)
    assert section.bounds == pytest.approx((-0.1, 0.1, -0.25, 0.25))


def test_points_in_either_direction_give_the_same_section() -> None:
    points = [(0, 0), (0.3, 0), (0.3, 0.1), (0.1, 0.1), (0.1, 0.4), (0, 0.4)]
    one, _ = shapes.from_polygon("l", "arbitrary", points)
    other, _ = shapes.from_polygon("l", "arbitrary", points[::-1])
    assert (one.area, one.iy, one.iz, one.iyz) == pytest.approx((other.area, other.iy, other.iz, other.iyz))


@pytest.mark.parametrize(
    "make",
    [
        lambda: shapes.rectangle("r", 0.0, 0.3),
        lambda: shapes.rectangle("r", math.nan, 0.3),
        lambda: shapes.circle("c", 0.1, 0.2),
        lambda: shapes.box("b", 0.1, 0.1, 0.06),
        lambda: shapes.i_shape("i", 0.02, 0.1, 0.01, 0.01),
        lambda: shapes.i_shape("i", 0.2, 0.1, 0.01, 0.01, 0.09),
        lambda: shapes.channel("c", 0.02, 0.1, 0.01, 0.01),
        lambda: shapes.angle("l", 0.1, 0.1, 0.1),
        lambda: shapes.tee("t", 0.1, 0.1, 0.01, 0.1),
        lambda: shapes.from_polygon("p", "arbitrary", [(0, 0), (1, 1), (2, 2)]),
        lambda: shapes.from_polygon("p", "arbitrary", [(0, 0), (1, 0)]),
    ],
)
def test_impossible_shapes_say_so(make: object) -> None:
    with pytest.raises(ShapeError, match="profile"):
        make()  # type: ignore[operator]
