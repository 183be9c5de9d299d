"""The catalogue: printed areas, spellings, and what it does for a profile that is only a name."""

from __future__ import annotations

import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.intake.source import SourceProfile
from rod_tally.model.catalogue import catalogue, catalogue_name, catalogue_section

from .physical_models import bay, model

# EN 10365:2017, areas in cm2 as printed (from memory)
IPE = [7.64, 10.3, 13.2, 16.4, 20.1, 23.9, 28.5, 33.4, 39.1, 45.9, 53.8, 62.6, 72.7, 84.5, 98.8, 116, 134, 156]
HE_A = [21.2, 25.3, 31.4, 38.8, 45.3, 53.8, 64.3, 76.8, 86.8, 97.3, 112.5, 124.4, 133.5, 142.8, 159.0]
HE_B = [26.0, 34.0, 43.0, 54.3, 65.3, 78.1, 91.0, 106.0, 118.4, 131.4, 149.1, 161.3, 170.9, 180.6, 197.8]


def test_every_section_has_its_printed_area() -> None:
    """Half a unit of the last printed digit: 0.5 %."""
    printed = [*IPE, *HE_A, *HE_B]
    assert len(printed) == len(catalogue())
    for name, area in zip(catalogue(), printed):
        assert catalogue_section(name).area * 1e4 == pytest.approx(area, rel=5e-3), name


@pytest.mark.parametrize(
    ("spelled", "name"),
    [
        ("IPE 300", "IPE 300"), ("ipe-300", "IPE 300"), ("IPE300", "IPE 300"), ("HEA200", "HE 200 A"),
        ("HE 200 A", "HE 200 A"), ("HE-A 200", "HE 200 A"), ("HEB_300", "HE 300 B"), ("HE300B", "HE 300 B"),
        ("IPE 301", None), ("IPE", None), ("TQ 220/9 cold", None), ("", None), ("HEM 300", None),
    ],
)  # fmt: skip
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
