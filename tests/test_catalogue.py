"""The catalogue: printed areas, spellings, and what it does for a profile that is only a name."""

from __future__ import annotations

import re

import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.intake.source import SourceProfile
from rod_tally.model.catalogue.catalogue import catalogue, catalogue_name, catalogue_section, near_names

from .physical_models import bay, model

# Areas in cm2 as printed, from memory: EN 10365:2017 (U), EN 10056-1, EN 10210-2, EN 10219-2
PRINTED = {
    "UPN 80": 11.0, "UPN 200": 32.2, "UPN 300": 58.8, "UPE 100": 12.5, "UPE 200": 29.0, "UPE 300": 56.6,
    "HE 300 M": 303.1, "HE 600 A": 226.5, "HE 1000 B": 400.0, "L 60x60x6": 6.91, "L 100x100x10": 19.2,
    "L 150x150x15": 43.0, "L 200x200x20": 76.3, "L 120x80x10": 19.1, "L 200x100x12": 34.8, "SHS 100x100x5": 18.7,
    "SHS 200x200x10": 74.9, "RHS 200x100x8": 44.8, "RHS 300x200x10": 94.9, "CHS 168.3x8": 40.3, "CHS 323.9x10": 98.6,
    "SHS 100x100x5 cold": 18.4, "SHS 200x200x10 cold": 72.6,
}  # fmt: skip
# AISC Steel Construction Manual, tables 1-1 and 1-11: area in in2 and I_x in in4. From memory.
AMERICAN = {
    "W8x31": (9.13, 110), "W12x65": (19.1, 533), "W14x90": (26.5, 999), "W18x50": (14.7, 800), "W24x84": (24.7, 2370),
    "W36x150": (44.3, 9040), "W14x233": (68.5, 3010), "HSS4x4x1/4": (3.37, 7.80), "HSS6x6x1/2": (9.74, 48.3),
    "HSS8x4x1/4": (5.24, 42.5), "HSS12x6x1/2": (15.3, 271),
}  # fmt: skip
# EN 10365:2017, areas in cm2 as printed (from memory)
IPE = [
    7.64,
    10.3,
    13.2,
    16.4,
    20.1,
    23.9,
    28.5,
    33.4,
    39.1,
    45.9,
    53.8,
    62.6,
    72.7,
    84.5,
    98.8,
    116,
    134,
    156,
]
HE_A = [21.2, 25.3, 31.4, 38.8, 45.3, 53.8, 64.3, 76.8, 86.8, 97.3, 112.5, 124.4, 133.5, 142.8, 159.0]
HE_B = [26.0, 34.0, 43.0, 54.3, 65.3, 78.1, 91.0, 106.0, 118.4, 131.4, 149.1, 161.3, 170.9, 180.6, 197.8]


def test_every_section_has_its_printed_area() -> None:
    """Half a unit of the last printed digit: 0.5 %."""
    printed: dict[str, float] = {}
    for pattern, areas in (("IPE {}", IPE), ("HE {} A", HE_A), ("HE {} B", HE_B)):
        names = [n for n in catalogue() if re.fullmatch(pattern.format(r"\d+"), n)]
        printed |= dict(zip(names, areas))
    assert len(printed) == len(IPE) + len(HE_A) + len(HE_B)
    for name, area in (printed | PRINTED).items():
        assert catalogue_section(name).area * 1e4 == pytest.approx(area, rel=5e-3), name


@pytest.mark.parametrize("name", AMERICAN)
def test_american_shapes_have_their_printed_values(name: str) -> None:
    """1 %: the printed dimensions are rounded to three digits."""
    s, (area, second) = catalogue_section(name), AMERICAN[name]
    assert s.area / 0.0254**2 == pytest.approx(area, rel=1e-2)
    assert s.iy / 0.0254**4 == pytest.approx(second, rel=1e-2)


def test_every_name_makes_a_section() -> None:
    for name in catalogue():
        s = catalogue_section(name)
        assert s.usable and s.j > 0 and catalogue_name(name) == name, name


def test_a_slip_of_the_pen_is_told_with_what_was_meant() -> None:
    assert near_names("IEP 300")[0] == "IPE 300"
    assert near_names("HSE 100x100x5") and near_names("TQ 220") == []


@pytest.mark.parametrize(
    ("spelled", "name"),
    [
        ("IPE 300", "IPE 300"),
        ("ipe-300", "IPE 300"),
        ("IPE300", "IPE 300"),
        ("HEA200", "HE 200 A"),
        ("HE 200 A", "HE 200 A"),
        ("HE-A 200", "HE 200 A"),
        ("HEB_300", "HE 300 B"),
        ("HE300B", "HE 300 B"),
        ("IPE 301", None),
        ("IPE", None),
        ("TQ 220/9 cold", None),
        ("", None),
        ("HEM 300", "HE 300 M"),
        ("shs 100/5", "SHS 100x100x5"),
        ("RHS200*100*6,3", "RHS 200x100x6.3"),
        ("L100x10", "L 100x100x10"),
        ("W12X65", "W12x65"),
        ("HSS6X6X3/8", "HSS6x6x3/8"),
        ("IPE 300 S355", "IPE 300"),
        ("Profile:HEA 200", "HE 200 A"),
    ],
)
def test_spellings(spelled: str, name: str | None) -> None:
    assert catalogue_name(spelled) == name


def test_a_profile_that_is_only_a_name_is_taken_by_it() -> None:
    s = bay()
    s.profiles["HEB 200"] = SourceProfile("HEB 200", reason="IfcProfileDef: no shape")
    s.elements[2].profile = "HEB 200"
    m = model(s)
    assert m.sections["HEB 200"].area == pytest.approx(78.1e-4, rel=5e-3)
    assert any("HE 200 B taken by its name" in e.message for e in m.log)
    found = [f for f in run_checks(Subject(m)) if f.code == "section.unknown"]
    assert [f.severity for f in found] == ["note"] and "HE 200 B was taken by its name" in found[0].message


def test_the_settings_map_what_has_no_known_name() -> None:
    s = bay()
    s.profiles["TQ 220"] = SourceProfile("TQ 220", reason="IfcProfileDef: no shape")
    s.elements[2].profile = "TQ 220"
    assert any(f.code == "section.unknown" for f in run_checks(Subject(model(s))))
    m = model(s, profiles={"TQ 220": "IPE 220"})
    assert "mapped by the settings" in m.sections["TQ 220"].origin
    assert not any(f.code == "section.unknown" for f in run_checks(Subject(m)))
