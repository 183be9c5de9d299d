"""Supports, materials, the log, and what transfer says of what it did."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.intake.source import SourceMaterial, SourceProfile
from rod_tally.model import FIXED, PINNED, LogEntry, Model, Support
from rod_tally.model.catalogue.grade_names import kind_of, standard_of
from rod_tally.transfer.members.materials import material_of

from .physical_models import add, bay, block, model, source


def supported(m: Model) -> set[str]:
    at = m.members_at()
    return {i for n in m.nodes.values() if n.support.any for i in at[n.id]}


@pytest.mark.parametrize(("setting", "held"), [("fixed", FIXED), ("pinned", PINNED)])
def test_bases_on_the_lowest_storey_get_the_support_of_the_settings(setting: str, held: Support) -> None:
    m = model(bay(), base_support=setting)
    assert {n.support for n in m.nodes.values() if n.support.any} == {held}
    assert supported(m) == {"K1", "K2"}
    assert sum(e.kind == "supported" for e in m.log) == 2


def test_a_base_on_a_footing_below_the_lowest_storey_is_held() -> None:
    s = block(1, 1)
    for k, e in enumerate(s.elements):
        if e.cls == "column" and k == 0:
            e.line[0, 2] = -1.5
            s.footings[0].lower[2], s.footings[0].upper[2] = -2.0, -1.5
    m = model(s)
    assert sum(n.support.any for n in m.nodes.values()) == 4
    assert any("stands on footing F00" in e.message for e in m.log)


def test_a_hanging_base_is_found() -> None:
    """A column that starts 0.5 m above the lowest storey, on nothing."""
    s = bay()
    s.elements[1].line[0, 2] = 0.5
    found = [f for f in run_checks(Subject(model(s))) if f.code == "support.base_free"]
    assert [f.ids for f in found] == [("K2",)] and found[0].severity == "blocking"
    assert found[0].at == pytest.approx((6, 0, 0.5))


def test_a_column_on_a_transfer_beam_needs_no_support() -> None:
    s = source((0.0, 4.0, 8.0))
    add(s, "column", "K1", (0, 0, 0), (0, 0, 4), z=(1, 0, 0))
    add(s, "column", "K2", (6, 0, 0), (6, 0, 4), z=(1, 0, 0))
    add(s, "beam", "B", (0.15, 0, 3.8), (5.85, 0, 3.8))
    add(s, "column", "K3", (3, 0, 4), (3, 0, 7), z=(1, 0, 0))
    m = model(s)
    assert supported(m) == {"K1", "K2"}
    assert not [f for f in run_checks(Subject(m)) if f.severity != "note"]


def test_end_moves_are_in_the_log_with_distance_and_partner() -> None:
    entries = [e for e in model(bay()).log if e.kind == "moved"]
    assert {e.ids for e in entries} == {("B1",)} and len(entries) == 2
    assert "K1" in entries[0].message and "250 mm" in entries[0].message


def test_moves_across_are_gathered_in_one_note() -> None:
    found = [f for f in run_checks(Subject(model(block(2, 2)))) if f.code == "source.moved"]
    assert found and all(f.severity == "note" for f in found)
    assert "200 mm" in found[0].message


STANDARD = [
    # name, kind, E in GPa, density; EN 1992-1-1 table 3.1, EN 1993-1-1 3.2.6, EN 338 table 1
    ("S355", "steel", 210, 7850),
    ("Steel S 275 JR", "steel", 210, 7850),
    ("S235JR", "steel", 210, 7850),
    ("Baustahl", "steel", 210, 7850),
    ("C30/37", "concrete", 33, 2500),
    ("Concrete C 25/30 in situ", "concrete", 31, 2500),
    ("C50/60", "concrete", 37, 2500),
    ("C12/15", "concrete", 27, 2500),
    ("C90/105", "concrete", 44, 2500),
    ("C24 timber", "timber", 11, 420),
    ("GL24h", "timber", 11.5, 420),
    ("D40", "timber", 13, 660),
    ("A992", "steel", 199.948, 7850),
    ("4,000 psi", "concrete", 24.855575, 2403),
]


@pytest.mark.parametrize(("name", "kind", "stiffness", "density"), STANDARD)
def test_names_stand_for_the_values_of_their_standard(
    name: str, kind: str, stiffness: float, density: float
) -> None:
    grade = standard_of(name)
    assert grade is not None
    found = grade[0]
    assert (found.kind, found.E / 1e9, found.density) == (kind, pytest.approx(stiffness), density)


@pytest.mark.parametrize("name", ["", "Default", "Material 7", "Glass", "CR 300"])
def test_names_that_say_nothing_stand_for_nothing(name: str) -> None:
    assert standard_of(name) is None


def test_kind_by_category_when_the_name_is_silent() -> None:
    assert kind_of("Grade 7", "concrete") == "concrete"
    assert kind_of("Grade 7", "") == ""


def test_an_absent_value_is_assumed_and_logged_a_zero_is_not() -> None:
    log: list[LogEntry] = []
    assumed = material_of(SourceMaterial("S355"), log)
    assert assumed.E == 210e9 and assumed.origin is not None and "EN 1993-1-1" in assumed.origin["E"]
    assert len(log) == 1 and log[0].kind == "guessed"
    zero = material_of(SourceMaterial("S355", E=0.0, density=7850.0), log)
    assert zero.E == 0.0 and not zero.usable


PROPERTY_FAULTS = [
    ({"E": 0.0}, "material.stiffness", "blocking"),
    ({"E": None, "name": "Grade 7"}, "material.stiffness", "blocking"),
    ({"E": 210e3}, "material.stiffness", "blocking"),  # MPa taken for Pa
    ({"E": 70e9}, "material.stiffness", "warning"),  # steel as stiff as aluminium
    ({"E": None}, "material.stiffness", "note"),
    ({"name": "Concrete", "E": None}, "material.stiffness", "warning"),
    ({"density": 0.0}, "material.density", "warning"),
    ({"density": None, "name": "Grade 7"}, "material.density", "warning"),
    ({"density": 7.85}, "material.density", "warning"),  # t/m3 taken for kg/m3
    ({"density": None}, "material.density", "note"),
]


@pytest.mark.parametrize(("values", "code", "severity"), PROPERTY_FAULTS)
def test_material_faults(values: dict, code: str, severity: str) -> None:
    s = bay()
    m = s.materials["S355"]
    for key, value in values.items():
        setattr(m, key, value)
    found = [f for f in run_checks(Subject(model(s))) if f.code == code]
    assert [f.severity for f in found] == [severity]
    assert set(found[0].ids) == {"K1", "K2", "B1"}


def test_missing_and_unknown_properties() -> None:
    s = bay()
    s.elements[0].material = ""
    s.elements[1].profile = ""
    s.profiles["odd"] = SourceProfile("odd", reason="IfcProfileDef: no shape can be read")
    s.elements[2].profile = "odd"
    found = {f.code: f for f in run_checks(Subject(model(s)))}
    assert found["material.missing"].ids == ("K1",)
    assert found["section.missing"].ids == ("K2",)
    assert found["section.unknown"].ids == ("B1",) and "odd" in found["section.unknown"].message


def test_two_elements_of_one_id_stay_two() -> None:
    s = bay()
    s.elements[1].id = "K1"
    m = model(s)
    assert set(m.members) == {"K1", "K1'", "B1"}


def test_empty_source_gives_an_empty_model() -> None:
    m = model(source())
    assert not m.members and not m.nodes
    assert run_checks(Subject(m)) == []


def test_source_lines_stay_as_they_were() -> None:
    s = bay()
    before = [e.line.copy() for e in s.elements]
    m = model(s)
    for e, line in zip(s.elements, before):
        assert np.array_equal(e.line, line)
        assert m.members[e.id].source_line == pytest.approx(line)
