"""Values of materials and profiles by their own units: whatever a file states them in, the same number of
SI."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from rod_tally.demo.writer import IfcWriter
from rod_tally.intake import SourceModel, read_source
from rod_tally.model import Settings
from rod_tally.transfer import transfer

PSI = 6894.7572931684  # Pa, NIST SP 811 appendix B.8
E_STEEL = 29_000e3 * PSI


def conversion(w: IfcWriter, kind: str, name: str, factor: float, si: str) -> Any:
    f = w.file
    base = f.create_entity("IfcSIUnit", None, kind, None, si)
    ratio = f.create_entity("IfcMeasureWithUnit", f.create_entity("IfcRatioMeasure", factor), base)
    return f.create_entity(
        "IfcConversionBasedUnit", f.create_entity("IfcDimensionalExponents", *[0] * 7), kind, name, ratio
    )


def written(
    tmp_path: Path, units: list[Any], w: IfcWriter, properties: list[tuple[Any, ...]], category: str = ""
) -> SourceModel:
    """A column of a material with these properties: (name, measure, value, unit or None)."""
    f = w.file
    w.storey("Ground", 0.0)
    material = f.create_entity("IfcMaterial", "A992")
    props = [
        f.create_entity("IfcPropertySingleValue", name, None, f.create_entity(measure, value), unit)
        for name, measure, value, unit in properties
    ]
    f.create_entity("IfcMaterialProperties", "Pset_MaterialMechanical", None, props, material)
    w.member(
        "IfcColumn",
        "K",
        (0, 0, 0),
        (0, 0, 4),
        w.i_profile("W", 0.3, 0.15, 0.007, 0.011, 0.015),
        material,
        "Ground",
    )
    assignment = f.by_type("IfcUnitAssignment")[0]
    kinds = {u.UnitType for u in units}
    assignment.Units = [u for u in assignment.Units if u.UnitType not in kinds] + units
    path = tmp_path / "units.ifc"
    w.write(path)
    return read_source(path)


def test_a_modulus_unit_of_its_own_is_used_beside_feet(tmp_path: Path) -> None:
    w = IfcWriter("units", "IFC4", "FOOT")
    f = w.file
    psi = conversion(w, "PRESSUREUNIT", "PSI", PSI, "PASCAL")
    own = f.create_entity(
        "IfcDerivedUnit", [f.create_entity("IfcDerivedUnitElement", psi, 1)], "MODULUSOFELASTICITYUNIT"
    )
    s = written(tmp_path, [own], w, [("YoungModulus", "IfcModulusOfElasticityMeasure", 29e6, None)])
    assert pytest.approx(E_STEEL) == s.materials["A992"].E


def test_a_property_s_own_unit_comes_before_the_file_s(tmp_path: Path) -> None:
    w = IfcWriter("units", "IFC4", "FOOT")
    ksi = conversion(w, "PRESSUREUNIT", "KSI", PSI * 1000, "PASCAL")
    properties = [
        ("YoungModulus", "IfcModulusOfElasticityMeasure", 29e3, ksi),
        ("ShearModulus", "IfcModulusOfElasticityMeasure", 77e9, None),
        ("YieldStress", "IfcPressureMeasure", 50.0, ksi),
        ("ThermalExpansionCoefficient", "IfcThermalExpansionCoefficientMeasure", 1.3e-5, None),
    ]
    m = written(tmp_path, [], w, properties).materials["A992"]
    assert pytest.approx(E_STEEL) == m.E and pytest.approx(77e9) == m.G
    assert m.strength == pytest.approx(50e3 * PSI) and m.alpha == 1.3e-5


def test_the_measure_of_a_value_says_which_unit_it_has(tmp_path: Path) -> None:
    """A modulus written as a pressure follows the unit of pressure, not that of moduli."""
    w = IfcWriter("units", "IFC4", "METRE")
    f = w.file
    mega = f.create_entity("IfcSIUnit", None, "PRESSUREUNIT", "MEGA", "PASCAL")
    giga = f.create_entity("IfcSIUnit", None, "PRESSUREUNIT", "GIGA", "PASCAL")
    own = f.create_entity(
        "IfcDerivedUnit", [f.create_entity("IfcDerivedUnitElement", giga, 1)], "MODULUSOFELASTICITYUNIT"
    )
    properties = [
        ("YoungModulus", "IfcPressureMeasure", 200e3, None),
        ("ShearModulus", "IfcModulusOfElasticityMeasure", 77.0, None),
    ]
    m = written(tmp_path, [mega, own], w, properties).materials["A992"]
    assert (pytest.approx(200e9), pytest.approx(77e9)) == (m.E, m.G)


def test_pounds_a_cubic_foot_follow_from_mass_and_length(tmp_path: Path) -> None:
    w = IfcWriter("units", "IFC4", "FOOT")
    pound = conversion(w, "MASSUNIT", "POUND", 0.45359237, "GRAM")
    pound.ConversionFactor.UnitComponent.Prefix = "KILO"
    assignment = w.file.by_type("IfcUnitAssignment")[0]
    assignment.Units = [u for u in assignment.Units if u.UnitType != "MASSDENSITYUNIT"]
    s = written(tmp_path, [pound], w, [("MassDensity", "IfcMassDensityMeasure", 490.0, None)])
    assert s.materials["A992"].density == pytest.approx(490 * 0.45359237 / 0.3048**3)
    assert any("states no unit" in e.message for e in s.log)


def test_thermal_expansion_of_the_source_is_the_model_s(tmp_path: Path) -> None:
    w = IfcWriter("units", "IFC4", "METRE")
    s = written(
        tmp_path,
        [],
        w,
        [("ThermalExpansionCoefficient", "IfcThermalExpansionCoefficientMeasure", 2.1e-5, None)],
    )
    model = transfer(s, Settings().transfer)
    assert model.materials["A992"].expansion == 2.1e-5


def test_a_grade_beside_the_name_is_used(tmp_path: Path) -> None:
    w = IfcWriter("units", "IFC4", "METRE")
    s = written(tmp_path, [], w, [("StructuralGrade", "IfcLabel", "S355", None)])
    s.materials["A992"].name = "Steel"
    material = transfer(s, Settings().transfer).materials["A992"]
    assert material.strength == 355e6


def test_unused_section_values_are_named(tmp_path: Path) -> None:
    w = IfcWriter("units", "IFC4", "METRE")
    f = w.file
    profile = w.i_profile("W", 0.3, 0.15, 0.007, 0.011, 0.015)
    mass = f.create_entity(
        "IfcPropertySingleValue", "MassPerLength", None, f.create_entity("IfcMassPerLengthMeasure", 42.0)
    )
    f.create_entity("IfcProfileProperties", "Pset_ProfileMechanical", None, [mass], profile)
    s = written(tmp_path, [], w, [("YoungModulus", "IfcModulusOfElasticityMeasure", 210e9, None)])
    assert any("MassPerLength (1 profiles)" in e.message for e in s.log)
