"""Bodies of several solids, cut, askew, scaled, ribbed, branching: the model's volume is the body's, and
what its section or plate is not is told."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.demo.writer import IfcWriter
from rod_tally.model.settings import RunSettings

from .bodies import (
    Build,
    body,
    brep,
    found,
    kernel_volumes,
    mapped,
    model_volumes,
    polygon,
    rectangle,
    taken_in,
)

TEE = [(-1.2, 0), (1.2, 0), (1.2, -0.05), (0.7, -0.05), (0.7, -0.6), (0.5, -0.6), (0.5, -0.05), (-0.5, -0.05)]
TEE += [(-0.5, -0.6), (-0.7, -0.6), (-0.7, -0.05), (-1.2, -0.05)]
LEVEL = np.array([[1.0, 0, 0], [0, 1.0, 0], [0, 0, 1.0]])  # the extrusion along x, the profile's X along y
PILASTER = [(0, 0), (6, 0), (6, 0.2), (3.2, 0.2), (3.2, 0.5), (2.8, 0.5), (2.8, 0.2), (0, 0.2)]
CORE = rectangle(0, 0, 6, 4)
STEM = [(0, 0), (4, 0), (4, 0.2), (2.1, 0.2), (2.1, 3), (1.9, 3), (1.9, 0.2), (0, 0.2)]


def column_of_two(w: IfcWriter) -> Any:
    halves = [polygon(w, rectangle(-0.2, -0.2, 0, 0.2)), polygon(w, rectangle(0, -0.2, 0.2, 0.2))]
    return body(w, "IfcColumn", [w.extrusion(p, 4.0) for p in halves])


def column_in_lifts(w: IfcWriter) -> Any:
    p = polygon(w, rectangle(-0.2, -0.2, 0.2, 0.2))
    return body(w, "IfcColumn", [w.extrusion(p, 2.0), w.extrusion(p, 2.0, w.axes((0, 0, 2.0)))])


def column_with_head(w: IfcWriter) -> Any:
    shaft, head = polygon(w, rectangle(-0.2, -0.2, 0.2, 0.2)), polygon(w, rectangle(-0.6, -0.6, 0.6, 0.6))
    return body(w, "IfcColumn", [w.extrusion(shaft, 3.75), w.extrusion(head, 0.25, w.axes((0, 0, 3.75)))])


def column_mapped(w: IfcWriter) -> Any:
    p = polygon(w, rectangle(-0.2, -0.2, 0.2, 0.2))
    return body(w, "IfcColumn", [mapped(w, [w.extrusion(p, 2.0), w.extrusion(p, 2.0, w.axes((0, 0, 2.0)))])])


def bar_scaled(w: IfcWriter) -> Any:
    return body(
        w, "IfcBeam", [mapped(w, [w.extrusion(polygon(w, rectangle(-0.1, -0.2, 0.1, 0.2)), 3.0)], 2.0)], LEVEL
    )


def beam_askew(w: IfcWriter) -> Any:
    p = polygon(w, rectangle(-0.1, -0.2, 0.1, 0.2))
    return body(w, "IfcBeam", [w.extrusion(p, 5.0, None, (0.6, 0.0, 0.8))], LEVEL)


def beam_with_hole(w: IfcWriter) -> Any:
    beam = body(
        w, "IfcBeam", [w.extrusion(polygon(w, rectangle(-0.1, -0.3, 0.1, 0.3)), 6.0)], LEVEL, (0, 0, 3)
    )
    w.opening(beam, "hole", (2.0, -1, 2.85), (4.0, 1, 3.15))
    return beam


def beam_with_difference(w: IfcWriter) -> Any:
    whole = w.extrusion(polygon(w, rectangle(-0.1, -0.3, 0.1, 0.3)), 6.0)
    hole = w.extrusion(polygon(w, rectangle(-0.2, -0.15, 0.2, 0.15)), 2.0, w.axes((0, 0, 2.0)))
    return body(w, "IfcBeam", [w.file.create_entity("IfcBooleanResult", "DIFFERENCE", whole, hole)], LEVEL)


def slab_of_two(w: IfcWriter) -> Any:
    parts = [polygon(w, rectangle(0, 0, 4, 3)), polygon(w, rectangle(4, 0, 8, 3))]
    return body(w, "IfcSlab", [w.extrusion(p, 0.2) for p in parts])


def slab_in_steps(w: IfcWriter) -> Any:
    low = w.extrusion(polygon(w, rectangle(0, 0, 4, 3)), 0.2)
    return body(w, "IfcSlab", [low, w.extrusion(polygon(w, rectangle(4, 0, 8, 3)), 0.2, w.axes((0, 0, 0.5)))])


def slab_with_drop(w: IfcWriter) -> Any:
    thin = w.extrusion(polygon(w, rectangle(0, 0, 8, 6)), 0.2)
    return body(
        w, "IfcSlab", [thin, w.extrusion(polygon(w, rectangle(3, 2, 5, 4)), 0.2, w.axes((0, 0, -0.2)))]
    )


def double_tee(w: IfcWriter) -> Any:
    return body(w, "IfcSlab", [w.extrusion(polygon(w, TEE), 9.0)], LEVEL)


def hollow_core(w: IfcWriter) -> Any:
    cores = [rectangle(-0.55 + 0.2 * k, -0.1, -0.45 + 0.2 * k, 0.1) for k in range(6)]
    return body(w, "IfcSlab", [w.extrusion(polygon(w, rectangle(-0.6, -0.15, 0.6, 0.15), cores), 8.0)], LEVEL)


def ribbed_by_solids(w: IfcWriter) -> Any:
    plate = w.extrusion(polygon(w, rectangle(0, 0, 8, 6)), 0.08)
    ribs = [rectangle(0, 0.5 + y, 8, 0.7 + y) for y in (0, 1.6, 3.2, 4.8)]
    return body(w, "IfcSlab", [plate, *(w.extrusion(polygon(w, r), 0.3, w.axes((0, 0, -0.3))) for r in ribs)])


def wall(outline: Any, voids: Any = (), height: float = 2.8) -> Build:
    return lambda w: body(w, "IfcWall", [w.extrusion(polygon(w, outline, voids), height)])


def wall_of_two(w: IfcWriter) -> Any:
    parts = [polygon(w, rectangle(0, 0, 5, 0.2)), polygon(w, rectangle(4.8, 0.2, 5, 4))]
    return body(w, "IfcWall", [w.extrusion(p, 3.0) for p in parts])


def core_as_faces(w: IfcWriter) -> Any:
    ring = [
        (0, 0),
        (6, 0),
        (6, 4),
        (4, 4),
        (4, 3.8),
        (5.8, 3.8),
        (5.8, 0.2),
        (0.2, 0.2),
        (0.2, 3.8),
        (2, 3.8),
        (2, 4),
    ]
    ring += [(0, 4)]
    return body(w, "IfcWall", [brep(w, [(*p, 0.0) for p in ring], [(*p, 3.0) for p in ring])])


def battered_wall(w: IfcWriter) -> Any:
    """Of 400 mm at its foot and 200 at its head, drawn as a cross-section."""
    return body(w, "IfcWall", [w.extrusion(polygon(w, [(0, 0), (0.4, 0), (0.2, 3), (0, 3)]), 6.0)], LEVEL)


def slab_with_mapped_holes(w: IfcWriter) -> Any:
    slab = w.block("IfcSlab", "S", (0, 0, 0), (8, 6, 0.2), None, "Ground")
    holes = [w.extrusion(polygon(w, rectangle(x, 2, x + 1, 3)), 1.0, w.axes((0, 0, -0.5))) for x in (2, 5)]
    void = w.element("IfcOpeningElement", "V", np.zeros(3), np.eye(3)[[2, 0, 1]], w.shape([mapped(w, holes)]))
    w.root("IfcRelVoidsElement", None, RelatingBuildingElement=slab, RelatedOpeningElement=void)
    return slab


def slab_in_an_assembly(w: IfcWriter) -> Any:
    slab = w.block("IfcSlab", "S", (0, 0, 0), (8, 6, 0.2), None, "Ground")
    whole = w.element("IfcElementAssembly", "A", np.zeros(3), np.eye(3)[[2, 0, 1]], None, None, "Ground")
    w.root("IfcRelAggregates", None, RelatingObject=whole, RelatedObjects=[slab])
    w.opening(whole, "hole", (2, 2, -1), (3, 3, 1))
    return slab


def slab_of_parts(w: IfcWriter) -> Any:
    slab = w.element("IfcSlab", "S", np.zeros(3), np.eye(3)[[2, 0, 1]], None, None, "Ground")
    parts = [w.block("IfcBuildingElementPart", f"P{k}", (4 * k, 0, 0), (4 * k + 4, 3, 0.2)) for k in range(2)]
    w.root("IfcRelAggregates", None, RelatingObject=slab, RelatedObjects=parts)
    return slab


def niche(w: IfcWriter) -> Any:
    it = w.block("IfcWall", "W", (0, 0, 0), (6, 0.4, 3), None, "Ground")
    w.opening(it, "niche", (2, 0.25, 1), (4, 0.6, 2.5))
    return it


BODIES = [
    column_of_two, column_in_lifts, column_with_head, column_mapped, bar_scaled, beam_askew, beam_with_hole,
    beam_with_difference, slab_of_two, slab_in_steps, slab_with_drop, double_tee, hollow_core, ribbed_by_solids,
    wall(PILASTER), wall(CORE, [rectangle(0.2, 0.2, 5.8, 3.8)]), wall(STEM), wall_of_two, core_as_faces, battered_wall,
    slab_with_mapped_holes, slab_in_an_assembly, slab_of_parts, niche,
]  # fmt: skip


@pytest.mark.parametrize("build", BODIES)
@pytest.mark.parametrize("unit, schema", [("METRE", "IFC4"), ("MILLIMETRE", "IFC2X3"), ("INCH", "IFC4X3")])
def test_the_model_has_the_volume_of_the_body(tmp_path: Path, build: Build, unit: str, schema: str) -> None:
    """Element by element, to a thousandth, by the library's own kernel: all solids, openings, cuts."""
    model = taken_in(tmp_path, build, unit, schema)
    expected = kernel_volumes(tmp_path / "m.ifc")
    assert model_volumes(model) == {k: pytest.approx(v, rel=1e-3) for k, v in expected.items()}
    assert not [s for s in model.skipped if s.cls != "assembly"]


@pytest.mark.parametrize("build", [double_tee, hollow_core, ribbed_by_solids])
def test_ribs_and_hollows_that_are_drawn_are_not_said_to_be_missing(tmp_path: Path, build: Build) -> None:
    """But those of a slab of that name that is drawn solid are (surface.solid)."""

    def named(w: IfcWriter, build: Build = build) -> Any:
        it = build(w)
        it.Name = "Ribbed deck"
        w.root("IfcRelAssociatesMaterial", None, RelatedObjects=[it], RelatingMaterial=w.material("C30/37"))
        return it

    assert not found(taken_in(tmp_path, named), "surface.solid")
    assert found(taken_in(tmp_path, lambda w: named(w, solid_slab)), "surface.solid")


def solid_slab(w: IfcWriter) -> Any:
    return body(w, "IfcSlab", [w.extrusion(polygon(w, rectangle(0, 0, 6, 4)), 0.2)])


def test_halves_of_a_column_are_one_section(tmp_path: Path) -> None:
    model = taken_in(tmp_path, column_of_two)
    (m,) = model.members.values()
    section = model.sections[m.section]
    assert (section.width, section.depth) == (pytest.approx(0.4, abs=1e-5), pytest.approx(0.4, abs=1e-5))
    assert section.iy == pytest.approx(0.4**4 / 12, rel=1e-3)
    assert model.line(m)[:, :2] == pytest.approx(np.zeros((2, 2)), abs=1e-6)
    assert "2 solids" in m.differs and len(found(model, "section.differs")) == 1


@pytest.mark.parametrize("build", [column_in_lifts, column_with_head, column_mapped])
def test_a_column_is_as_high_as_all_its_solids(tmp_path: Path, build: Build) -> None:
    model = taken_in(tmp_path, build)
    (m,) = model.members.values()
    assert sorted(model.line(m)[:, 2]) == pytest.approx([0.0, 4.0])
    assert model.sections[m.section].width == pytest.approx(0.4, abs=1e-5)


def test_a_scaled_bar_has_its_scaled_section(tmp_path: Path) -> None:
    model = taken_in(tmp_path, bar_scaled)
    (m,) = model.members.values()
    section = model.sections[m.section]
    assert (section.width, section.depth) == (pytest.approx(0.4, abs=1e-4), pytest.approx(0.8, abs=1e-4))
    assert model.length(m) == pytest.approx(6.0)


def test_an_askew_extrusion_has_the_section_square_to_its_axis(tmp_path: Path) -> None:
    """200 mm wide across, cut at a slant of cosine 0.8: 160 mm square to the axis."""
    model = taken_in(tmp_path, beam_askew)
    (m,) = model.members.values()
    section = model.sections[m.section]
    assert sorted((section.width, section.depth)) == pytest.approx([0.16, 0.4], abs=1e-4)
    assert model.length(m) == pytest.approx(5.0)


@pytest.mark.parametrize("build", [beam_with_hole, beam_with_difference])
def test_a_hole_in_a_beam_is_told(tmp_path: Path, build: Build) -> None:
    (f,) = found(taken_in(tmp_path, build), "section.differs")
    assert f.severity == "warning" and "-17%" in f.message


def test_a_hole_of_a_hundredth_is_not(tmp_path: Path) -> None:
    def build(w: IfcWriter) -> None:
        beam = body(
            w, "IfcBeam", [w.extrusion(polygon(w, rectangle(-0.1, -0.3, 0.1, 0.3)), 6.0)], LEVEL, (0, 0, 3)
        )
        w.opening(beam, "hole", (2.0, -1, 2.9), (2.1, 1, 3.1))

    assert not found(taken_in(tmp_path, build), "section.differs")


def test_weight_of_a_hole_is_not_carried(tmp_path: Path) -> None:
    """The reaction of a beam with a hole is the weight of what is left of it."""

    def build(w: IfcWriter) -> None:
        steel = w.material("S355", YoungModulus=210e9, PoissonRatio=0.3, MassDensity=7850.0)
        column = polygon(w, rectangle(-0.1, -0.1, 0.1, 0.1))
        for x in (0.0, 6.0):
            body(w, "IfcColumn", [w.extrusion(column, 3.0)], at=(x, 0, 0), material=steel)
        beam = body(
            w, "IfcBeam", [w.extrusion(polygon(w, rectangle(-0.1, -0.3, 0.1, 0.3)), 6.0)], LEVEL, (0, 0, 2.7), material=steel
        )  # fmt: skip
        w.opening(beam, "hole", (2.0, -1, 2.55), (4.0, 1, 2.85))

    model = taken_in(tmp_path, build)
    volume = 2 * 3 * 0.04 + 6 * 0.12 - 2 * 0.3 * 0.2
    assert run(model, RunSettings()).reaction[0][:, 2].sum() == pytest.approx(
        volume * 7850 * 9.80665, rel=1e-6
    )


def test_a_pilaster_thickens_its_wall_where_it_stands(tmp_path: Path) -> None:
    model = taken_in(tmp_path, wall(PILASTER))
    thick = sorted((round(s.thickness, 3), round(s.area / 2.8, 3)) for s in model.surfaces.values())
    assert thick == [(0.2, 2.8), (0.2, 2.8), (0.5, 0.4)]
    assert np.ptp(np.concatenate([s.outer for s in model.surfaces.values()])[:, 1]) == pytest.approx(
        0, abs=1e-6
    )


def test_a_battered_wall_has_its_mean_thickness_and_says_so(tmp_path: Path) -> None:
    model = taken_in(tmp_path, battered_wall)
    (s,) = model.surfaces.values()
    assert (
        s.upright
        and s.thickness == pytest.approx(0.3, rel=2e-3)
        and s.spread == pytest.approx((0.2, 0.4), rel=0.01)
    )
    assert s.thin_at is not None and s.thin_at[2] == pytest.approx(3.0, abs=0.05)
    assert len(found(model, "surface.thickness")) == 1


def test_a_core_in_one_body_is_four_walls(tmp_path: Path) -> None:
    model = taken_in(tmp_path, wall(CORE, [rectangle(0.2, 0.2, 5.8, 3.8)]))
    lengths = sorted(round(s.area / 2.8, 3) for s in model.surfaces.values())
    assert lengths == [3.8, 3.8, 5.8, 5.8] and all(s.upright for s in model.surfaces.values())
    assert all(sum(j.kind == "surface" for j in s.joints) == 2 for s in model.surfaces.values())


def test_a_tee_in_one_body_is_joined_walls(tmp_path: Path) -> None:
    model = taken_in(tmp_path, wall(STEM))
    lengths = sorted(round(s.area / 2.8, 3) for s in model.surfaces.values())
    assert lengths == [2.0, 2.0, 2.9] and all(s.joints for s in model.surfaces.values())


def test_a_block_of_a_wall_is_blocking_and_no_plate(tmp_path: Path) -> None:
    model = taken_in(tmp_path, wall(rectangle(0, 0, 6, 5), height=2.8))
    assert not model.surfaces
    (f,) = found(model, "source.unread")
    assert f.severity == "blocking" and "block" in f.message


def test_a_wall_of_just_less_than_a_block_is_a_wall(tmp_path: Path) -> None:
    model = taken_in(tmp_path, wall(rectangle(0, 0, 6, 1.45), height=2.8))
    (s,) = model.surfaces.values()
    assert s.upright and s.thickness == pytest.approx(1.45)


def test_a_double_tee_tells_both_stiffnesses(tmp_path: Path) -> None:
    """Second moment of the section over its width by the parallel axis theorem, 2.4 m wide."""
    model = taken_in(tmp_path, double_tee)
    (s,) = model.surfaces.values()
    flange, web = 2.4 * 0.05, 2 * 0.2 * 0.55
    centre = (flange * 0.025 + web * 0.325) / (flange + web)
    inertia = 2.4 * 0.05**3 / 12 + flange * (centre - 0.025) ** 2
    inertia += 2 * 0.2 * 0.55**3 / 12 + web * (0.325 - centre) ** 2
    assert s.thickness == pytest.approx((flange + web) / 2.4) and f"{inertia / 2.4:.3g} along" in s.differs
    assert s.outer[:, 2] == pytest.approx([-centre] * 4) and sum(s.reach) == pytest.approx(0.6)
    assert len(found(model, "section.differs")) == 1


def test_a_drawn_section_beside_another_stated_one_is_told(tmp_path: Path) -> None:
    """500 x 900 drawn, 300 x 600 stated: the body is in the model. Of 500 x 905 nothing is said."""

    def build(stated: tuple[float, float]) -> Build:
        def build(w: IfcWriter) -> None:
            it = w.member(
                "IfcColumn", "C", (0, 0, 0), (0, 0, 4), w.profile("Rectangle", "drawn", XDim=0.5, YDim=0.9)
            )
            profile = w.profile("Rectangle", "stated", XDim=stated[0], YDim=stated[1])
            one = w.file.create_entity(
                "IfcMaterialProfile", None, None, w.file.create_entity("IfcMaterial", "C30/37"), profile
            )
            made = w.file.create_entity("IfcMaterialProfileSet", None, None, [one])
            w.root("IfcRelAssociatesMaterial", None, RelatedObjects=[it], RelatingMaterial=made)

        return build

    model = taken_in(tmp_path, build((0.3, 0.6)))
    (f,) = found(model, "section.differs")
    assert "500 x 900" in f.message and "300 x 600" in f.message
    assert model.sections[next(iter(model.members.values())).section].depth == pytest.approx(0.9)
    assert not found(taken_in(tmp_path, build((0.5, 0.905))), "section.differs")
    (f,) = found(taken_in(tmp_path, build((0.9, 0.5))), "section.differs")


def bearing(w: IfcWriter, element: Any, yes: bool) -> None:
    value = w.file.create_entity("IfcBoolean", yes)
    prop = w.file.create_entity("IfcPropertySingleValue", "LoadBearing", None, value, None)
    pset = w.root("IfcPropertySet", "Pset_WallCommon", HasProperties=[prop])
    w.root("IfcRelDefinesByProperties", None, RelatedObjects=[element], RelatingPropertyDefinition=pset)


@pytest.mark.parametrize("others", [True, False])
def test_partitions_stay_out_where_the_source_tells_them_from_walls(tmp_path: Path, others: bool) -> None:
    """LoadBearing = false is left out and listed, with the button that takes it in; where no wall is said
    to bear, nobody has set the flag."""

    def build(w: IfcWriter) -> None:
        partition = w.block("IfcWall", "partition", (2, 0.2, 0), (2.1, 4, 3), None, "Ground")
        wall = w.block("IfcWall", "wall", (0, 0, 0), (6, 0.2, 3), None, "Ground")
        bearing(w, partition, False)
        if others:
            bearing(w, wall, True)

    model = taken_in(tmp_path, build)
    assert sorted(s.name for s in model.surfaces.values()) == (["wall"] if others else ["partition", "wall"])
    told = [f for f in found(model, "source.unread") if "bears no load" in f.message]
    assert [f.actions[0] for f in told] == (["Take them in as well"] if others else [])
