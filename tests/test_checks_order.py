"""Checks of what is out of order, and of sections and materials that are not what they are called."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.intake.source import SourceMaterial, SourceProfile
from rod_tally.model import Finding, Model
from rod_tally.model.geometry.closeup import close_up, nearest_part

from .physical_models import add, bay, block, model, source
from .test_panels import plate, room


def found(m: Model, code: str) -> list[Finding]:
    return [f for f in run_checks(Subject(m)) if f.code == code]


def test_beams_a_little_off_their_storey_are_one_note() -> None:
    s = source([0, 4])
    for k in range(5):
        add(s, "beam", f"B{k}", (0, 5.0 * k, 4.0), (6, 5.0 * k, 4.0))
    add(s, "beam", "low", (0, 30, 3.96), (6, 30, 3.96))
    add(s, "beam", "step", (0, 40, 3.7), (6, 40, 3.7))  # too far off to be a slip
    add(s, "beam", "ramp", (0, 50, 4.0), (6, 50, 4.3))
    for e in s.elements:
        e.storey = "L1"
    notes = found(model(s), "storey.level")
    assert len(notes) == 1 and notes[0].ids == ("low",) and "by up to 40 mm" in notes[0].message


def test_a_regular_block_is_in_order() -> None:
    m = model(block(2, 2))
    assert not [
        f for f in run_checks(Subject(m)) if f.code in ("storey.level", "axes.odd", "stiffness.contrast")
    ]


def test_a_column_turned_against_its_stack() -> None:
    s = source([0, 4, 8, 12])
    s.profiles["flat"] = SourceProfile("flat", "rectangle", {"width": 0.2, "depth": 0.6})
    for k in range(3):
        z = (1, 0, 0) if k != 1 else (0, 1, 0)
        add(s, "column", f"K{k}", (0, 0, 4.0 * k), (0, 0, 4.0 * k + 4), profile="flat", z=z)
    notes = found(model(s), "axes.odd")
    assert [n.ids for n in notes] == [("K1",)] and "turned about their axis" in notes[0].message


def test_a_wire_on_a_pier_is_a_contrast() -> None:
    """E I / L of a 1.2 m pier over that of a 20 mm rod at the same node."""
    s = bay()
    s.profiles["pier"] = SourceProfile("pier", "rectangle", {"width": 1.2, "depth": 1.2})
    s.profiles["rod"] = SourceProfile("rod", "circle", {"radius": 0.01})
    s.elements[0].profile = "pier"
    add(s, "brace", "D", (0, 0, 4), (6, 0, 0), profile="rod")
    notes = found(model(s), "stiffness.contrast")
    assert {n.ids for n in notes} == {("D", "K1"), ("D", "K2")} and all(
        n.numbers["ratio"] > 1e4 for n in notes
    )


def test_a_profile_that_is_not_what_it_is_called() -> None:
    s = bay()
    dims = {"depth": 0.3, "width": 0.15, "web": 0.0071, "flange": 0.0107, "fillet": 0.015}
    s.profiles["IPE 300"] = SourceProfile("IPE 300", "i", dims)
    s.profiles["HE 200 B"] = SourceProfile("HE 200 B", "i", dims)
    s.elements[2].profile, s.elements[0].profile = "IPE 300", "HE 200 B"
    said = found(model(s), "section.differs")
    assert len(said) == 1 and "named after HE 200 B and is not it" in said[0].message
    assert said[0].numbers["area"] == pytest.approx(53.8 / 78.1 - 1, abs=0.01)


def test_a_slip_of_the_pen_is_told_in_the_finding() -> None:
    s = bay()
    s.profiles["IEP 300"] = SourceProfile("IEP 300", reason="no shape")
    s.elements[2].profile = "IEP 300"
    said = found(model(s), "section.unknown")
    assert len(said) == 1 and "its name is near to IPE 300" in said[0].message


def test_a_material_that_is_not_what_it_is_called() -> None:
    s = bay()
    s.materials["S355"] = SourceMaterial("S355", "", 190e9, None, None, 7850.0, 235e6)
    said = found(model(s), "material.differs")
    assert len(said) == 1 and said[0].severity == "note"
    assert "E 190 GPa against 210" in said[0].message and "strength 235 MPa against 355" in said[0].message
    assert not found(model(bay()), "material.differs")


def test_close_ups_of_walls_and_of_what_lies_nearest() -> None:
    """The true clear distance between a wall and the slab it misses; the part nearest to a member that meets
    nothing."""
    spot = close_up(model(room(0.06)), "west", "floor")
    assert spot.distance == pytest.approx(0.06) and (spot.own_name, spot.other_name) == ("west", "floor")
    assert np.linalg.norm(spot.near_own - spot.near_other) == pytest.approx(0.06)
    s = bay(0.1)
    plate(s, "wall", "far", (20, 0, 0), (24, 0.2, 3))
    m = model(s)
    assert nearest_part(m, "B1") == "K2"
    assert close_up(m, "B1", "K2").distance == pytest.approx(0.1)


def test_a_beam_between_two_walls_in_line_is_no_loose_end() -> None:
    """A coupling beam that stops at the walls' edges: tied there, along the wall's plane."""
    s = source([0, 3])
    plate(s, "wall", "left", (0, 0, 0), (3, 0.3, 3))
    plate(s, "wall", "right", (5, 0, 0), (8, 0.3, 3))
    add(s, "beam", "coupling", (3, 0.15, 2.6), (5, 0.15, 2.6))
    m = model(s)
    found = [f for f in run_checks(Subject(m)) if f.code != "material.family"]  # walls of steel, for the test
    assert not [f for f in found if f.severity != "note"]
    assert (
        [j.other for j in m.surfaces["left"].joints]
        == ["coupling"]
        == [j.other for j in m.surfaces["right"].joints]
    )
