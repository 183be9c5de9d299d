"""A building and its mirror image: parts, supports and loads are the same, results have the same sizes and the
signs that the mirror gives them, and corrections go to the other side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis.run import run
from rod_tally.analysis.shells.fields import PlateFields
from rod_tally.compare import Side, compare
from rod_tally.compare.align import Transform
from rod_tally.compare.carrying.carry import carry_over
from rod_tally.compare.causes.between import Between
from rod_tally.compare.results.along import forces_before
from rod_tally.intake import SourceModel
from rod_tally.intake.source import Prism, SourceProfile
from rod_tally.loads import Distribution
from rod_tally.loads.totals import case_total
from rod_tally.model import (
    PINNED_END,
    AreaLoad,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Support,
)
from rod_tally.model.catalogue.catalogue import catalogue_section
from rod_tally.model.catalogue.taper import mirrored as other_side
from rod_tally.model.edits import (
    AddCases,
    AddLoads,
    DeleteMembers,
    Edit,
    SetRelease,
    SetSupport,
    TurnMembers,
    load_values,
)
from rod_tally.model.entities.loads import Settlement, TemperatureLoad
from rod_tally.model.geometry.directions import turn
from rod_tally.model.geometry.vectors import Array
from rod_tally.model.settings import MeshSettings, RunSettings

from .physical_models import BEAM, add, model, source
from .test_floors_hold import moved_surfaces
from .test_panels import plate

D = np.diag([-1.0, 1.0, 1.0])
PLACES = [(0, 0), (4, 0), (9, 0), (9, 5), (9, 12), (15, 12), (0, 3)]


def building() -> SourceModel:
    """Columns and beams without an axis of symmetry, a wall and a slab that stands on it; a leaning brace."""
    s = source([0.0, 4.0])
    s.profiles["L"] = SourceProfile("L", "rectangle", {"width": 0.1, "depth": 0.2})
    for k, (x, y) in enumerate(PLACES):
        add(s, "column", f"K{k}", (x, y, 0), (x, y, 4), z=(1, 0, 0))
    for k, (a, b) in enumerate(zip(PLACES, PLACES[1:-1])):
        add(s, "beam", f"B{k}", (*a, 3.8), (*b, 3.8))
    add(s, "brace", "D", (0, 0, 0.0), (4, 0, 3.8), "L", z=(0.1, 0.99, 0))
    wall = plate(s, "wall", "W", (18, 2, 0), (18.2, 7, 4))
    door = np.array([(17.9, 5.0, 0.5), (18.3, 5.0, 0.5), (18.3, 6.0, 0.5), (17.9, 6.0, 0.5)])
    wall.openings.append(Prism(door, [], np.array([0, 0, 1.5])))
    plate(s, "slab", "S", (18, 2, 4.0), (21, 7, 4.2))
    return s


def image(angle: float = 0.0, shift: tuple[float, ...] = (0.0, 0.0, 0.0), backwards: str = "") -> SourceModel:
    s = building()
    for e in s.elements:
        if e.name == backwards:
            e.line = e.line[::-1].copy()
            e.y_axis = -e.y_axis
    for x in (*s.elements, *s.surfaces):
        x.id = f"other {x.id}"
    return moved_surfaces(s, turn(angle) @ D, shift)


def taken(s: SourceModel, walls: str = "shell") -> Model:
    return model(s, slabs="shell", walls=walls)


def test_walls_as_columns_have_no_other_demand_in_the_mirror() -> None:
    """Their normals look where they may; a push along both axes and down."""
    base = side(loaded(taken(building(), "column"), np.eye(3)))
    revised = side(loaded(taken(image(np.radians(-70.0)), "column"), turn(np.radians(-70.0)) @ D))
    found = compare(base, revised)
    assert found.transform is not None and found.transform.mirrored
    assert base.results is not None and "W" in base.results.member_ids
    assert not [x for x in found.again if x.why in ("demand", "new", "not computed")], found.again


def twin(m: Model, ident: str) -> str:
    return ident if m.part(ident) is not None else f"other {ident}"


def top(m: Model, column: str) -> str:
    own = m.members[twin(m, column)]
    return max((own.start, own.end), key=lambda n: m.nodes[n].point[2])


def runs_back(m: Model, beam: str, way: Array) -> bool:
    """Whether a beam of the model, drawn backwards or taken in so, runs against the drawing's order of
    places."""
    a, b = (np.array(PLACES[int(beam[1:]) + k], float) for k in (0, 1))
    line = m.line(m.members[twin(m, beam)])
    return bool((way @ np.append(b - a, 0.0)) @ (line[1] - line[0]) < 0)


def loaded(m: Model, way: Array) -> Model:
    """Loads of every kind; `way` (3, 3) brings directions of the building to those of the model."""
    sign = float(np.linalg.det(way))

    def vector(*v: float) -> tuple[float, float, float]:
        x, y, z = way @ np.array(v)
        return float(x), float(y), float(z)

    def couple(*v: float) -> tuple[float, float, float]:
        x, y, z = sign * (way @ np.array(v))
        return float(x), float(y), float(z)

    def along(ident: str, a: float, b: float, qa: object, qb: object, **other: object) -> MemberLoad:
        own, length = twin(m, ident), m.length(m.members[twin(m, ident)])
        if runs_back(m, ident, way):
            a, b, qa, qb = length - b, length - a, qb, qa
        return MemberLoad(own, a, b, qa, qb, **other)  # type: ignore[arg-type]

    def local(ident: str, y: float, z: float) -> tuple[float, float, float]:
        turned = -1.0 if runs_back(m, ident, way) != (sign < 0) else 1.0
        return 0.0, turned * y, z

    m.cases["G"] = LoadCase("G", "dead", self_weight=(0, 0, -9.81))
    m.cases["Q"] = q = LoadCase("Q", "live")
    q.node_loads = [NodeLoad(top(m, "K1"), vector(3e4, 2e4, -5e4), couple(4e3, 5e3, 6e3))]
    q.member_loads = [
        along("B0", 0.5, 2.5, vector(1e3, 2e3, -4e3), vector(0, 1e3, -9e3)),
        along("B2", 1.0, 4.0, local("B2", 2e3, -3e3), local("B2", 1e3, -5e3), local=True),
        along("B1", 1.0, 1.0, couple(3e3, 1e3, 2e3), couple(3e3, 1e3, 2e3), kind="moment"),
    ]
    s = m.surfaces[twin(m, "S")]
    pressure = s.axes @ np.array(vector(1e3, 2e3, -3e3))
    q.area_loads = [
        AreaLoad(s.id, ((float(pressure[0]), float(pressure[1]), float(pressure[2])),), local=True)
    ]
    m.cases["T"] = LoadCase("T", "temperature")
    gradient = -40.0 if runs_back(m, "B3", way) != (sign < 0) else 40.0
    m.cases["T"].temperatures = [TemperatureLoad(twin(m, "B3"), 20.0, gradient, 30.0)]
    foot = m.members[twin(m, "K3")]
    low = min((foot.start, foot.end), key=lambda n: m.nodes[n].point[2])
    m.cases["T"].settlements = [Settlement(low, (*vector(2e-3, 1e-3, -5e-3), *couple(1e-3, 2e-3, 0)))]
    return m


def side(m: Model) -> Side:
    r = run(m, RunSettings(), meshing=MeshSettings(0.6))
    fields = PlateFields(m, r.plates) if r.plates is not None else None
    return Side(m, r, [], fields=fields)


@settings(max_examples=12, deadline=None)
@given(st.sampled_from([0.0, 90.0, 180.0, 30.0, -115.0]), st.booleans())
def test_a_mirror_image_is_the_same_building(angle: float, shifted: bool) -> None:
    a = np.radians(angle)
    shift = (12.0, -7.0, 0.0) if shifted else (0.0, 0.0, 0.0)
    base, revised = loaded(taken(building()), np.eye(3)), loaded(taken(image(a, shift)), turn(a) @ D)
    found = compare(Side(base), Side(revised))
    assert found.transform is not None and found.transform.mirrored
    assert {m.status for m in found.parts} == {"same"}, [m for m in found.parts if m.status != "same"]
    assert {x.status for x in found.supports} == {"same"}
    assert {c.status for c in found.cases} == {"same"} and not found.loads, found.loads
    assert {m.baseline_id for m in found.parts} == {
        (m.revised_id or "").removeprefix("other ") for m in found.parts
    }
    (words,) = (f.message for f in found.findings if f.code == "match.transform")
    assert "mirror image" in words
    back = found.transform.reverse
    points = np.random.default_rng(1).normal(size=(5, 3))
    assert np.allclose(back.apply(found.transform.apply(points)), points)


@pytest.mark.parametrize("backwards", ["", "B0", "B2", "B3"])
def test_results_have_the_signs_that_the_mirror_gives_them(backwards: str) -> None:
    a = np.radians(30.0)
    base = side(loaded(taken(building()), np.eye(3)))
    revised = side(loaded(taken(image(a, (5.0, 0.0, 0.0), backwards)), turn(a) @ D))
    found = compare(base, revised)
    assert {m.status for m in found.members} == {"same"}
    size: dict[str, float] = {}
    for r in found.results:
        size[r.quantity] = max(size.get(r.quantity, 0.0), abs(r.baseline))
    assert {"n", "vy", "mt", "mz", "nxy", "mxy", "vx", "rx"} <= size.keys()
    off = [r for r in found.results if abs(r.change) > 2e-5 * size[r.quantity]]
    assert not off, off[:5]
    assert not [x for x in found.again if x.why == "demand"]
    # the diagrams of the reviewed one beside those of the member
    own = twin(revised.model, backwards or "B0")
    ((x, force),) = forces_before(base, revised, found, own, "Q")
    assert revised.results is not None
    r, at = revised.results, revised.results.stations_of(own)
    assert np.allclose(x, r.station_x[at], atol=1e-6)
    assert np.allclose(force, r.force[r.case_index("Q"), at], atol=1e-5 * float(np.abs(force).max()))


CORRECTIONS: dict[str, Callable[[Model], list[Edit]]] = {
    "a release": lambda m: [SetRelease(["B0"], True, PINNED_END)],
    "a skew support": lambda m: [
        SetSupport(
            [top(m, "K4")],
            Support((1e7, 0.0, 0.0, 0.0, 0.0, 0.0), ((0.6, 0.8, 0.0), (-0.8, 0.6, 0.0), (0.0, 0.0, 1.0))),
        )
    ],
    "a support along x": lambda m: [SetSupport([top(m, "K4")], Support.of("ux rz"))],
    "turned about its axis": lambda m: [TurnMembers(["B1", "B2"], 25.0)],
    "loads": lambda m: [
        AddLoads(
            "Q",
            [
                load_values(x)
                for x in (
                    NodeLoad(top(m, "K2"), (1e4, 2e4, 0.0), (1e3, 2e3, 3e3)),
                    MemberLoad("B3", 1.0, 3.0, (0, 2e3, 1e3), (0, 1e3, 1e3), local=True),
                    MemberLoad("B3", 1.0, 1.0, (1e3, 2e3, 1e3), (1e3, 2e3, 1e3), "moment", local=True),
                    TemperatureLoad("B1", 5.0, 10.0, 20.0),
                )
            ],
        )
    ],
    "a case": lambda m: [
        AddCases(
            [{"name": "W", "kind": "wind", "loads": [load_values(NodeLoad(top(m, "K0"), (1e3, 5e3, 0)))]}]
        )
    ],
    "a part less": lambda m: [DeleteMembers(["B4"])],
}


@pytest.mark.parametrize("backwards", ["", "B1", "B3"])
@pytest.mark.parametrize("what", CORRECTIONS)
def test_corrections_go_to_the_other_side(what: str, backwards: str) -> None:
    """The corrected building and the corrected image are one another's image."""
    a = np.radians(30.0)
    base = loaded(taken(building()), np.eye(3))
    revised = loaded(taken(image(a, (5.0, 0.0, 0.0), backwards)), turn(a) @ D)
    for edit in CORRECTIONS[what](base):
        edit.apply(base)
    over = carry_over(base, revised)
    assert [x.status for x in over.lines] == ["carried"], over.lines
    assert len(revised.log) > 0
    found = compare(Side(base), Side(revised))
    assert {m.status for m in found.parts} == {"same"}, [m for m in found.parts if m.status != "same"]
    assert {x.status for x in found.supports} == {"same"}, found.supports
    assert {c.status for c in found.cases} == {"same"}, found.loads
    total = [case_total(m, Distribution(m), m.cases["Q"]) for m in (base, revised)]
    assert np.allclose(turn(a) @ D @ total[0][:3], total[1][:3], atol=1e-3)


def test_attributes_go_from_one_to_the_other_and_back() -> None:
    """What a cause of a change is found by: nothing is to be given where all is the same."""
    a = np.radians(30.0)
    base = loaded(taken(building()), np.eye(3))
    revised = loaded(taken(image(a, (5.0, 0.0, 0.0), "B2")), turn(a) @ D)
    found = compare(Side(base), Side(revised))
    work = Between(base, revised, found.transform, found.members, found.surfaces, found.cases)
    assert work.with_attributes({"sections", "materials", "releases", "supports"})[1] == 0


def test_a_building_that_is_its_own_mirror_image_is_not_called_one() -> None:
    def row(far: float) -> Model:
        s = source([0.0, 4.0])
        for k in range(4):
            add(s, "column", f"K{k}", (far + 5 * k, 0, 0), (far + 5 * k, 0, 4), z=(1, 0, 0))
            if k:
                add(s, "beam", f"B{k}", (far + 5 * k - 5, 0, 3.8), (far + 5 * k, 0, 3.8))
        return model(s)

    for far in (0.0, 40.0):
        transform = compare(Side(row(0.0)), Side(row(far))).transform
        assert transform is None or transform == Transform(0.0, (far, 0.0, 0.0))


@pytest.mark.parametrize("seen", ["from the other end", "in a mirror", "in a mirror from the other end"])
@pytest.mark.parametrize("mirrored", [False, True])
def test_an_angle_lies_the_other_way_round(seen: str, mirrored: bool) -> None:
    """An unequal angle whose axis is turned round while its z stays lies mirrored about z, and so does the
    same one in a mirror image; both at once cancel."""
    angle = replace(catalogue_section("L 200x100x12"), name=BEAM)
    image_of = "mirror" in seen
    base, revised = taken(building()), taken(image() if image_of else building())
    base.sections[BEAM] = angle
    revised.sections[BEAM] = other_side(angle, BEAM) if mirrored else angle
    own = revised.members[twin(revised, "B3")]
    rows = {m.baseline_id: m for m in compare(Side(base), Side(revised)).members}
    if rows["B3"].flipped != ("other end" in seen):
        own.start, own.end = own.end, own.start
        own.source_line = None if own.source_line is None else own.source_line[::-1].copy()
    row = next(m for m in compare(Side(base), Side(revised)).members if m.baseline_id == "B3")
    assert row.flipped == ("other end" in seen)
    turned = row.flipped != image_of
    assert row.status == ("same" if turned == mirrored else "resized")
