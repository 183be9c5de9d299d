"""Wind by EN 1991-1-4 and ASCE 7-16 against printed values, and its sums on a building."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from rod_tally.analysis.by_rule.storey_forces import levels
from rod_tally.analysis.by_rule.wind_cases import wind_cases
from rod_tally.desk.window import Window
from rod_tally.loads import Distribution
from rod_tally.loads.lateral import LateralError
from rod_tally.loads.totals import case_total
from rod_tally.loads.wind import Box, WindAsce, WindEn, by_bands, storey_bands
from rod_tally.model import PINNED, LoadCase, Member, Model, Node, Storey
from rod_tally.model.edits import AddCases

from .desk_help import act, fill, model_of
from .floors import turned
from .frames import regular
from .verification import verified


def test_peak_pressure_of_a_published_worked_example() -> None:
    """Access Steel SX016, loads on the envelope of a portal frame, from memory: vb 26 m/s, terrain II, z 7.30
    m gives 911 N/m2; exposure factor 2.35 at 10 m in terrain II, figure 4.2 of EN 1991-1-4."""
    found = WindEn(26.0).peak(7.3)
    verified("Wind: peak velocity pressure, N/m2", "worked example SX016 (from memory)", found, 911.0, 0.001)
    assert WindEn(26.0).peak(10.0) / (0.5 * 1.25 * 26**2) == pytest.approx(2.35, abs=0.01)
    assert WindEn(26.0, "IV").peak(3.0) == WindEn(26.0, "IV").peak(10.0)  # below zmin it is that of zmin


@pytest.mark.parametrize(
    ("exposure", "feet", "kz"),
    [
        ("B", 10, 0.57),
        ("B", 30, 0.70),
        ("B", 100, 0.99),
        ("B", 500, 1.57),
        ("C", 15, 0.85),
        ("C", 30, 0.98),
        ("C", 100, 1.27),
        ("C", 500, 1.78),
        ("D", 15, 1.03),
        ("D", 100, 1.43),
        ("D", 500, 1.90),
    ],
)
def test_exposure_coefficients_of_the_printed_table(exposure: str, feet: float, kz: float) -> None:
    """ASCE 7-16 table 26.10-1, from memory; printed with two digits."""
    assert WindAsce(50.0, exposure).kz(feet * 0.3048) == pytest.approx(kz, abs=0.011)


def test_coefficients_and_reference_heights() -> None:
    """Table 7.1 and figure 7.4 of EN 1991-1-4: values at the printed ratios, straight lines between."""
    for ratio, d, e, together in (
        (0.25, 0.7, 0.3, 0.85),
        (1.0, 0.8, 0.5, 0.85),
        (5.0, 0.8, 0.7, 1.0),
        (3.0, 0.8, 0.6, 0.925),
    ):
        box = Box(20.0, 40.0, 20.0 / ratio)
        top, faces = WindEn(25.0).peak(20.0), WindEn(25.0).faces(box)
        assert faces.windward(3.0) == pytest.approx(together * d * top)  # h <= b: one height for all of it
        assert faces.leeward == pytest.approx(together * e * top)
    wind, high = WindEn(25.0), Box(50.0, 15.0, 15.0)
    assert [wind.reference(z, high) for z in (5.0, 20.0, 40.0)] == [15.0, 20.0, 50.0]
    assert [wind.reference(z, Box(25.0, 15.0, 15.0)) for z in (5.0, 20.0)] == [15.0, 25.0]
    with pytest.raises(LateralError, match="200"):
        wind.faces(Box(210.0, 30.0, 30.0))
    with pytest.raises(LateralError, match="none that wind"):
        Box(0.0, 1.0, 1.0)


def test_asce_walls_by_hand() -> None:
    """V 50 m/s, exposure C, 12 m high, 30 by 20 m: q = 0.613 Kz 0.85 V2; Cp 0.8 and -0.5; never below 16 psf
    together."""
    wind, box = WindAsce(50.0), Box(12.0, 30.0, 20.0)
    kz = 2.01 * (12 / 274.32) ** (2 / 9.5)
    q = 0.613 * kz * 0.85 * 2500
    faces = wind.faces(box)
    assert faces.windward(12.0) == pytest.approx(0.85 * 0.8 * q) and faces.leeward == pytest.approx(
        0.85 * 0.5 * q
    )
    assert wind.faces(Box(12.0, 20.0, 60.0)).leeward == pytest.approx(0.85 * 0.25 * q)
    assert WindAsce(10.0).faces(box).net(5.0) == 766.0


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(2.0, 6.0), min_size=1, max_size=8), st.floats(0.0, 2.0))
def test_bands_hold_all_of_the_face_once(storeys: list[float], more: float) -> None:
    z = np.cumsum(storeys)
    edges = storey_bands(z, float(z[-1]) + more)
    assert edges[0] == pytest.approx(storeys[0] / 2) and edges[-1] == pytest.approx(z[-1] + more)
    assert by_bands(lambda _: 1.0, edges).sum() == pytest.approx(edges[-1] - edges[0])
    whole = by_bands(lambda h: h, np.array([edges[0], edges[-1]]))[0]
    assert by_bands(lambda h: h, edges).sum() == pytest.approx(whole, rel=1e-6)


def building() -> Model:
    m = regular(2, 2)
    m.storeys = [Storey("Base", 0.0), Storey("First", 3.5), Storey("Roof", 7.0)]
    m.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0, 0, -1.0))
    return m


@pytest.mark.parametrize("degrees", [0.0, 30.0])
@pytest.mark.parametrize("faces", [False, True])
def test_what_arrives_is_the_pressure_times_the_face(faces: bool, degrees: float) -> None:
    """12 m by 12 m, 7 m high, one qp over all of it (h <= b): net pressure times breadth times height; as
    storey forces less the lower half of the lowest storey, which goes into the ground. It acts at the middle
    of the face. The same, along its own axes, of a building that is turned."""
    m = building()
    # a brace that reaches out of the building is no face of it
    m.nodes["out"] = Node("out", np.array([6.0, -5.0, 0.5]), PINNED)
    m.members["raker"] = Member(
        "raker", "", "brace", "out", next(iter(m.nodes)), "plain", "steel", np.array([0.0, 0, 1])
    )
    turned(m, degrees)
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    own = np.array([[c, s], [-s, c]])
    wind = WindEn(28.0)
    found = levels(m, {"Self-weight": 1.0})
    AddCases(wind_cases(m, found, wind, 0.0, "Wind", faces)).apply(m)
    d, e = np.interp(7 / 12, [0.25, 1.0], [0.7, 0.8]), np.interp(7 / 12, [0.25, 1.0], [0.3, 0.5])
    net = 0.85 * (d + e) * wind.peak(7.0)
    height = 7.0 if faces else 7.0 - 1.75
    distribution = Distribution(m)
    for tag, axis, sign in (("+x", 0, 1), ("-x", 0, -1), ("+y", 1, 1), ("-y", 1, -1)):
        case = m.cases[f"Wind {tag}"]
        assert case.kind == "wind" and case.together == "Wind" and "EN 1991-1-4" in case.by
        total = case_total(m, distribution, case)
        total[:2] = own @ total[:2]
        assert ("turned by 30 degrees" in case.by) == (degrees > 0)
        assert total[axis] == pytest.approx(sign * net * 12.0 * height, rel=1e-6)
        assert abs(total[1 - axis]) < 1e-6 and abs(total[2]) < 1e-6
        assert total[5] == pytest.approx((-6.0 if axis == 0 else 6.0) * total[axis], rel=1e-6)
        if faces:
            arrival = distribution.case(case.name)
            assert np.allclose(arrival.total("lost"), 0, atol=1e-6 * abs(total[axis]))


def test_in_the_window(loft: Window, qtbot: QtBot) -> None:
    act(loft, qtbot, "loads.wind_en")
    fill(loft, qtbot, loft.load_desk.form, v=27.0, place="III")
    made = [c for c in model_of(loft).cases.values() if c.together == "Wind"]
    assert [c.name for c in made] == ["Wind +x", "Wind -x", "Wind +y", "Wind -y"] and "terrain III" in made[
        0
    ].by
    act(loft, qtbot, "loads.wind_asce")
    fill(loft, qtbot, loft.load_desk.form, place="B", how="as pressures on the faces")
    assert sum("ASCE 7-16" in c.by for c in model_of(loft).cases.values()) == 4
