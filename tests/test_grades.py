"""Grades against their standards' printed tables, and names people write for them."""

from __future__ import annotations

import math

import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.intake.source import SourceMaterial
from rod_tally.model import LogEntry, Settings
from rod_tally.model.catalogue.grade_names import kind_of, standard_of
from rod_tally.model.catalogue.grades import KSI, grades
from rod_tally.model.edits import MapMaterial, likely_grade
from rod_tally.transfer import transfer
from rod_tally.transfer.members.materials import material_of

from .physical_models import bay, model
from .test_panels import plate

# EN 1992-1-1:2004 table 3.1: f_ck, f_ck,cube in MPa, E_cm in GPa as printed
EN_1992 = [
    (12, 15, 27), (16, 20, 29), (20, 25, 30), (25, 30, 31), (30, 37, 33), (35, 45, 34), (40, 50, 35), (45, 55, 36),
    (50, 60, 37), (55, 67, 38), (60, 75, 39), (70, 85, 41), (80, 95, 42), (90, 105, 44),
]  # fmt: skip
# EN 1993-1-1:2005 table 3.1, t up to 40 mm: f_y in MPa
EN_1993 = {"S235": 235, "S275": 275, "S355": 355, "S420": 420, "S450": 440, "S460": 460}
# EN 338:2016 table 1: E_0,mean in GPa, G_mean in GPa, mean density (from memory)
EN_338 = {
    "C16": (8.0, 0.50, 370),
    "C24": (11.0, 0.69, 420),
    "C30": (12.0, 0.75, 460),
    "D30": (11.0, 0.69, 640),
    "D70": (20.0, 1.25, 1080),
}


@pytest.mark.parametrize(("fck", "cube", "ecm"), EN_1992)
def test_concretes_of_table_3_1(fck: int, cube: int, ecm: int) -> None:
    g = grades()[f"C{fck}/{cube}"]
    assert (g.E / 1e9, g.strength / 1e6, g.kind, g.density) == (ecm, fck, "concrete", 2500)


@pytest.mark.parametrize(("name", "fy"), EN_1993.items())
def test_steels_of_table_3_1(name: str, fy: int) -> None:
    g = grades()[name]
    assert (g.E, g.strength / 1e6, g.density) == (210e9, fy, 7850)


@pytest.mark.parametrize(("name", "values"), EN_338.items())
def test_timbers_of_table_1(name: str, values: tuple[float, float, float]) -> None:
    """G_mean is E / 16, printed to two digits."""
    g = grades()[name]
    assert g.G is not None
    assert (g.E / 1e9, g.G / 1e9, g.density) == (values[0], pytest.approx(values[1], abs=0.006), values[2])


@pytest.mark.parametrize("psi", [3000, 4000, 5000, 8000])
def test_concretes_of_aci_318(psi: int) -> None:
    """ACI 318-19 19.2.2.1b, in both of its printed units: 57,000 sqrt(f'c) psi is 4,700 sqrt(f'c) MPa within
    1 %."""
    g = grades()[f"{psi} psi"]
    assert pytest.approx(57000 * math.sqrt(psi)) == g.E / (KSI / 1000)
    assert pytest.approx(4700 * math.sqrt(g.strength / 1e6), rel=0.01) == g.E / 1e6


def test_american_steels() -> None:
    """29,000 ksi is 199.9 GPa (AISC 360); A992 yields at 50 ksi, 345 MPa."""
    g = grades()["A992"]
    assert pytest.approx(199.9, abs=0.1) == g.E / 1e9 and g.strength / 1e6 == pytest.approx(345, abs=0.5)


@pytest.mark.parametrize(
    ("written", "grade"),
    [
        ("C30/37", "C30/37"),
        ("Beton C 30_37 XC4", "C30/37"),
        ("concrete c25-30", "C25/30"),
        ("S 355 J2+N", "S355"),
        ("Stahl S235JR", "S235"),
        ("ASTM A36", "A36"),
        ("A500 Grade C", "A500 Gr.C"),
        ("A572 Gr. 50", "A572 Gr.50"),
        ("A992 steel", "A992"),
        ("4000psi", "4000 psi"),
        ("10,000 psi normal weight", "10000 psi"),
        ("GL28c", "GL28c"),
        ("Holz C24", "C24"),
        ("D 40 hardwood timber", "D40"),
    ],
)
def test_names_as_people_write_them(written: str, grade: str) -> None:
    found = standard_of(written)
    assert found is not None and found[1] and found[0].name == grade


def test_a_strength_the_source_does_not_say_comes_from_the_grade() -> None:
    log: list[LogEntry] = []
    m = material_of(SourceMaterial("S355", "", 205e9, None, None, 7850.0), log)
    assert m.strength == 355e6 and m.E == 205e9 and "E" not in (m.origin or {})
    assert "strength = 355 MPa" in log[0].message


def test_only_a_kind_brings_no_strength() -> None:
    m = material_of(SourceMaterial("structural steel", ""), [])
    assert m.E == 210e9 and not m.strength


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("Stahlbeton", "concrete"), ("Betonstahl B500", "steel"), ("Stahlbeton C25/30", "concrete"), ("Stahl", "steel"),
        ("Reinforced concrete with steel fibres", "concrete"), ("Steel fibre concrete", "concrete"),
        ("Béton armé", "concrete"), ("Hormigón armado", "concrete"), ("Calcestruzzo", "concrete"), ("Gewapend beton", "concrete"),
        ("Armerad betong", "concrete"), ("Żelbet", "concrete"), ("Železobeton", "concrete"), ("Betão", "concrete"),
        ("Teräsbetoni", "concrete"), ("Acier S", "steel"), ("Acciaio", "steel"), ("Stål", "steel"), ("Ocel", "steel"),
        ("Aço", "steel"), ("Konstruktionsvollholz KVH", "timber"), ("CLT 5s", "timber"), ("Softwood", "timber"),
        ("Brettschichtholz", "timber"), ("Mauerwerk", "masonry"), ("Kalksandstein", "masonry"), ("Brick, common", "masonry"),
        ("Porenbeton", "concrete"), ("Metal - trusses", "steel"), ("Aluminium", "aluminium"), ("Luft", ""), ("Solid", ""),
    ],
)  # fmt: skip
def test_families_in_the_languages_of_exports(name: str, kind: str) -> None:
    assert kind_of(name) == kind


def test_reinforced_concrete_by_any_name_is_no_steel() -> None:
    m = material_of(SourceMaterial("Stahlbeton"), [])
    assert (
        m.kind == "concrete"
        and m.E == 33e9
        and m.density == 2500
        and (m.origin or {})["E"].endswith("(a guess)")
    )


@pytest.mark.parametrize(
    "name, density", [("Lightweight concrete", 1800), ("Porenbeton", 600), ("Leichtbeton", 1800)]
)
def test_light_and_aerated_concretes_do_not_weigh_as_plain_ones(name: str, density: float) -> None:
    m = material_of(SourceMaterial(name), [])
    assert (
        m.density == density
        and (m.origin or {})["density"].endswith("(a guess)")
        and m.E is not None
        and m.E < 21e9
    )


@pytest.mark.parametrize(
    ("name", "cls", "words"),
    [
        ("Concrete filled steel tube", "column", "concrete and steel"), ("Steel deck + concrete", "slab", "steel and concrete"),
        ("Stahlbeton", "column", "no grade"), ("CLT 120", "wall", "no grade"), ("Brickwork", "beam", "no grade"),
        ("S355", "slab", "seldom"), ("S355", "column", ""), ("C30/37", "wall", ""), ("Stahlbeton C30/37", "slab", ""),
        ("C24", "wall", ""),
    ],
)  # fmt: skip
def test_families_in_doubt_are_warnings(name: str, cls: str, words: str) -> None:
    s = bay()
    s.materials[name] = SourceMaterial(name)
    if cls in ("slab", "wall"):
        plate(s, cls, "P", (0, 0, 4.0), (6, 5, 4.2) if cls == "slab" else (6, 0.2, 7)).material = name
    else:
        next(e for e in s.elements if e.cls == cls).material = name
    found = [f for f in run_checks(Subject(model(s))) if f.code == "material.family"]
    assert [f.severity for f in found] == (["warning"] if words else []) and all(
        words in f.message for f in found
    )


def test_mapping_keeps_what_the_source_brings() -> None:
    """Rafters of 80 x 160 named Solid, with E = 0 and 480 kg/m3: timber is proposed, the density stays."""
    s = bay()
    s.profiles["beam 200x400"].dims.update(width=0.08, depth=0.16)
    s.materials["Solid"] = SourceMaterial("Solid", "", 0.0, None, None, 480.0)
    next(e for e in s.elements if e.cls == "beam").material = "Solid"
    m = model(s)
    assert likely_grade(m, "Solid") == "C24" and likely_grade(m, "S355") == "S355"
    edit = MapMaterial("Solid", "C24")
    edit.apply(m)
    assert (m.materials["Solid"].E, m.materials["Solid"].density) == (11e9, 480.0)
    options = Settings().transfer
    options.materials["Solid"] = "C24"
    again = transfer(s, options)
    assert again.materials["Solid"].E == 11e9 and again.materials["Solid"].density == 480.0
    edit.revert(m)
    assert m.materials["Solid"].E == 0.0
