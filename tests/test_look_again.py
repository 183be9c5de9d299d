"""Who must be looked at again in a revision, and how much of a section axial force and bending use
together."""

from __future__ import annotations

import tomllib
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sectionproperties.analysis import Section as MeshedSection
from sectionproperties.pre.library import angle_section, i_section

from rod_tally.analysis import run
from rod_tally.analysis.stress.utilisation import hull, normal_stress, utilisations
from rod_tally.compare import Comparison, Side, compare
from rod_tally.compare.results.again import of_components
from rod_tally.compare.results.again_groups import grouped
from rod_tally.model import Combination, LoadCase, Material, MemberLoad, Model, Section, SpaceLoad
from rod_tally.model.catalogue.shapes import from_polygon
from rod_tally.model.settings import CompareSettings, RunSettings, Settings, SettingsError
from rod_tally.project.codec import pack, unpack

from .frames import beam, frame, regular
from .plates import plate_model
from .test_wall_columns import wall
from .verification import verified


def block(name: str, depth: float) -> Section:
    """0.2 m wide."""
    return from_polygon(name, "rectangle", [(-0.1, 0), (0.1, 0), (0.1, depth), (-0.1, depth)])[0]


BLOCK = block("block", 0.3)


def line_load(model: Model, member: str, q: tuple[float, float, float], case: str = "Live") -> None:
    own = model.cases.setdefault(case, LoadCase(case, "live"))
    own.member_loads.append(MemberLoad(member, 0.0, model.length(model.members[member]), q, q))


def case_of(model: Model, name: str = "Live") -> list[Combination]:
    return [Combination(name, "", {name: 1.0})]


def side(model: Model) -> Side:
    return Side(model, run(model, RunSettings()), [Combination("1.5 Live", "ULS", {"Live": 1.5})])


def loaded(q: float, strength: float | None = 235e6, **kw: object) -> Model:
    m = beam(6.0, "ux uy uz rx", "uy uz", section=BLOCK, **kw)
    m.materials["steel"] = replace(m.materials["steel"], strength=strength)
    line_load(m, "m0", (0, 0, q))
    return m


def compared(a: Model, b: Model, **limits: float) -> Comparison:
    return compare(side(a), side(b), limits=CompareSettings(**limits) if limits else None)


def test_a_simple_beam_with_twice_its_load_has_twice_its_demand() -> None:
    """M = q L2 / 8 and W = b h2 / 6: what of the section is used is q L2 / 8 / W / f, by hand."""
    c = compared(loaded(-10e3), loaded(-20e3))
    (found,) = c.again
    assert (found.why, found.by) == ("demand", "1.5 Live") and found.quantity in ("vz", "my")
    assert found.ratio == pytest.approx(2.0, rel=1e-9)
    used = 1.5 * 20e3 * 36 / 8 / (0.2 * 0.3**2 / 6) / 235e6
    assert found.used_after is not None
    verified(
        "Use of a rectangular section in bending",
        "M / W / f with q L2 / 8, b h2 / 6",
        found.used_after,
        used,
        1e-6,
    )
    assert found.used_before == pytest.approx(used / 2, rel=1e-6)
    (finding,) = [f for f in c.findings if f.code == "match.again"]
    assert finding.severity == "warning" and finding.ids == ("m0",) and "2 times" in finding.message


def test_what_stays_within_the_tolerance_or_goes_down_is_not_listed() -> None:
    assert not compared(loaded(-10e3), loaded(-10.4e3)).again
    assert not compared(loaded(-10e3), loaded(-5e3)).again
    assert compared(loaded(-10e3), loaded(-10.4e3), relative=0.03, absolute_force=1.0).again
    c = compared(loaded(-10e3), loaded(-10e3))
    assert not c.again and c.again_over and not any(f.code == "match.again" for f in c.findings)


def test_a_force_that_turns_its_sign_is_a_new_demand_where_that_matters() -> None:
    """Compression where tension was accepted; tension on the other face of concrete, where steel may lie on
    one face only."""
    assert not compared(loaded(-10e3), loaded(10e3)).again
    a, b = loaded(-10e3), loaded(10e3)
    for m in (a, b):
        m.materials["steel"] = Material("steel", "concrete", 30e9, density=2500.0)
    (found,) = compared(a, b).again
    assert (found.quantity, found.was, found.used_after) == ("my", 0.0, None) and (found.ratio or 0) > 5
    a, b = (frame([(0, 0, 0), (3, 0, 0)], [(0, 1)], {0: "fixed"}) for _ in range(2))
    for m, force in ((a, 50e3), (b, -50e3)):
        line_load(m, "m0", (force / 3, 0, 0))
    (found,) = compared(a, b).again
    assert found.quantity == "n" and found.was == 0 and found.is_ == pytest.approx(-75e3)


def test_a_weaker_section_is_looked_at_a_stronger_one_is_not() -> None:
    """Statically determinate: the demand is the same, the section is not."""
    weaker, stronger = loaded(-10e3), loaded(-10e3)
    thin = block("thin", 0.24)
    thick = block("thick", 0.4)
    for m, section in ((weaker, thin), (stronger, thick)):
        m.sections[section.name] = section
        m.members["m0"].section = section.name
    (found,) = compared(loaded(-10e3), weaker).again
    assert found.why == "resistance" and found.ratio == pytest.approx((0.3 / 0.24) ** 2, rel=1e-6)
    assert not compared(loaded(-10e3), stronger).again
    unknown = loaded(-10e3)
    unknown.materials["steel"] = replace(unknown.materials["steel"], strength=None, E=190e9)
    assert [x.why for x in compared(loaded(-10e3), unknown).again] == ["resistance"]


def test_a_new_member_and_one_that_was_not_computed_are_listed_first() -> None:
    a, b = regular(2, 2), regular(2, 2)
    for m in (a, b):
        line_load(m, next(iter(m.members)), (0, 0, -5e3))
    gone = list(a.members)[-1]
    own = a.members.pop(gone)
    other = list(a.members)[0]
    a.members[other].section = ""
    c = compared(a, b)
    why = {x.revised_id: x.why for x in c.again}
    still = b.members[other].section
    b.members[other].section = ""  # in neither of the two: that is no news of the revision
    assert other not in {x.revised_id for x in compared(a, b).again}
    b.members[other].section = still
    assert why[own.id] == "new" and why[other] == "not computed"
    numbers = [x.ratio for x in c.again if x.ratio is not None]
    assert numbers == sorted(numbers, reverse=True) and c.again[0].ratio is None
    assert unpack(Comparison, pack(c)).again == c.again


@settings(max_examples=15, deadline=None)
@given(factor=st.floats(1.2, 40.0), flip=st.booleans())
def test_all_loads_times_a_factor_is_that_ratio_whichever_way_members_run(factor: float, flip: bool) -> None:
    """Linear: with nothing below the smallest demand that counts, every member's ratio is the factor."""
    a, b = regular(1, 2), regular(1, 2)
    for m, f in ((a, 1.0), (b, factor)):
        for ident in m.members:
            line_load(m, ident, (2e3 * f, 1e3 * f, -20e3 * f))
    if flip:
        for m in b.members.values():
            m.start, m.end = m.end, m.start
            m.offset_start, m.offset_end = m.offset_end, m.offset_start
    c = compared(a, b, relative=0.05, absolute_force=1e-3)
    assert {x.revised_id for x in c.again} == set(b.members)
    assert all(x.ratio == pytest.approx(factor, rel=1e-5) for x in c.again)


def test_stresses_agree_with_sectionproperties() -> None:
    """Against the library sectionproperties (finite elements): an I section and an angle, whose principal
    axes are inclined."""
    for geometry in (
        i_section(0.3, 0.15, 0.0107, 0.0071, 0.015, 8),
        angle_section(0.1, 0.15, 0.012, 0.012, 0.005, 4),
    ):
        geometry.create_mesh(mesh_sizes=[2e-5])
        meshed = MeshedSection(geometry)
        meshed.calculate_geometric_properties()
        meshed.calculate_warping_properties()
        cy, cz = meshed.get_c()
        ring = np.array(geometry.geom.exterior.coords) - (cy, cz)
        own = from_polygon("own", "measured", [(float(a), float(b)) for a, b in ring])[0]
        n, my, mz = 50e3, 12e3, -4e3
        # the library's x and y are our y and z; its Mxx gives tension at +y, its Myy at -x
        theirs = meshed.calculate_stress(n=n, mxx=my, myy=mz).get_stress()[0]["sig_zz"]
        force = np.array([[n, 0, 0, 0, my, mz]])
        ours = normal_stress(own, force, hull(own))
        assert ours.max() == pytest.approx(theirs.max(), rel=0.01)
        assert ours.min() == pytest.approx(theirs.min(), rel=0.01)


def test_no_use_is_said_where_it_is_not_known() -> None:
    plain = beam(6.0, "fixed", "uy uz")
    line_load(plain, "m0", (0, 0, -1e3))
    assert utilisations(plain, run(plain, RunSettings()), case_of(plain), ["m0", "no such"]) == {}
    concrete = loaded(-1e3)
    concrete.materials["steel"] = Material("steel", "concrete", 30e9, density=2500, strength=30e6)
    assert utilisations(concrete, run(concrete, RunSettings()), case_of(concrete), ["m0"]) == {}


def test_roots_of_squares_enter_with_either_sign() -> None:
    m = loaded(-10e3)
    m.cases["Live"].kind = "live"
    m.cases["Quake"] = LoadCase("Quake", "seismic")
    line_load(m, "m0", (0, 0, 30e3), case="Quake")
    results = run(m, RunSettings())
    both = [Combination("both", "", {"Live": 1.0, "Quake": 1.0}, roots=["Quake"])]
    used = utilisations(m, results, both, ["m0"])["m0"]
    assert used == pytest.approx(40e3 * 36 / 8 / (0.2 * 0.3**2 / 6) / 235e6, rel=1e-6)


def test_walls_taken_as_columns_are_looked_at_like_members() -> None:
    def sheared(force: float) -> Model:
        m = plate_model()
        wall(m, "w", (0, 0), (3.0, 0), 0.0, 9.0)
        top = np.array([(0, 0, 9.0), (3.0, 0, 9.0)])
        m.cases["Live"] = LoadCase("Live", "live", space_loads=[SpaceLoad(top, (force, 0, 0), (force, 0, 0))])
        return m

    (found,) = compared(sheared(20e3), sheared(30e3)).again
    assert (found.cls, found.revised_id, found.why) == ("wall", "w", "demand")
    assert found.ratio == pytest.approx(1.5) and abs(found.is_) in (
        pytest.approx(1.5 * 30e3 * 3), pytest.approx(1.5 * 30e3 * 3 * 9),
    )  # fmt: skip


def test_a_tolerance_of_its_own_holds_for_one_quantity() -> None:
    limits = CompareSettings()
    assert limits.of("my") == (0.05, 1000.0) and limits.of("ux", 0.5) == (0.05, 0.5)
    limits = Settings.from_dict(
        {
            "compare": {
                "tolerance": {
                    "my": {"relative": 0.5},
                    "ux": {"absolute": 0.002},
                    "n": {"relative": 0.0, "absolute": 0.0},
                }
            }
        }
    ).compare
    assert (
        limits.of("my") == (0.5, 1000.0)
        and limits.of("ux", 0.5) == (0.05, 0.002)
        and limits.of("n") == (0.0, 0.0)
    )
    relative, absolute = of_components(limits)
    assert (
        relative.tolist() == [0.0, 0.05, 0.05, 0.05, 0.5, 0.05] and absolute.tolist() == [0.0] + [1000.0] * 5
    )
    assert Settings.from_dict(tomllib.loads(Settings(compare=limits).to_toml())).compare == limits
    with pytest.raises(SettingsError, match="compare.tolerance.sigma is 'sigma'; it must be one of"):
        Settings.from_dict({"compare": {"tolerance": {"sigma": {"relative": 0.1}}}})
    with pytest.raises(
        SettingsError, match="unknown key compare.tolerance.my.share; known are absolute, relative"
    ):
        Settings.from_dict({"compare": {"tolerance": {"n": {}, "my": {"share": 1}}}})
    with pytest.raises(SettingsError, match="compare.tolerance.my.relative is -1"):
        Settings.from_dict({"compare": {"tolerance": {"my": {"relative": -1}}}})


def test_a_tolerance_changes_who_must_be_looked_at_again() -> None:
    """A beam whose load grew by a fifth: beyond 5 %, within 30 % where that is said of all its forces."""
    a, b = (beam(6.0, "ux uy uz rx rz", "uy uz") for _ in range(2))
    for m, q in ((a, 20e3), (b, 24e3)):
        m.cases["Q"] = LoadCase(
            "Q", "live", member_loads=[MemberLoad(next(iter(m.members)), 0, 6.0, (0, 0, -q), (0, 0, -q))]
        )
    assert compare(side(a), side(b)).again
    wide = Settings.from_dict(
        {"compare": {"tolerance": {k: {"relative": 0.3} for k in ("vz", "my")}}}
    ).compare
    assert not compare(side(a), side(b), limits=wide).again


def test_parts_are_grouped_by_class_reason_and_place_and_what_remains_is_counted() -> None:
    """Two bays of two storeys with twice their load: beams by storey, columns by stack, none twice."""

    def tower(factor: float) -> Model:
        m = regular(2, 2)
        for ident, x in m.members.items():
            if x.cls == "beam":
                line_load(m, ident, (0, 0, -factor * 10e3))
        return m

    found = compared(tower(1.0), tower(2.0))
    groups = grouped(found.again, found_model := tower(2.0))
    assert sum(len(g.parts) for g in groups) == len(found.again) > 10
    assert [len(g.parts) for g in groups] == sorted((len(g.parts) for g in groups), reverse=True)
    for g in groups:
        parts = [found_model.members[x.revised_id] for x in g.parts]
        assert {p.cls for p in parts} == {g.cls}
        if g.cls == "column" and len(parts) > 1:
            assert g.place.startswith("Stack")
            feet = {tuple(np.round(found_model.line(p)[0, :2], 6)) for p in parts}
            assert len(feet) == 1
        if g.cls == "beam":
            assert {p.storey or "no storey" for p in parts} == {g.place}
    (finding,) = [f for f in found.findings if f.code == "match.again"]
    shown = sum(len(g.parts) for g in groups[:3])
    assert f"in {len(groups)} groups" in finding.message
    assert shown == len(found.again) or f"{len(found.again) - shown} parts in the others" in finding.message
