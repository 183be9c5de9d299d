"""Sections that lie the other way round, forces that meet in one combination, signs of slabs, modes by
shape, loads cut otherwise: compared as what they are."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.analysis.dynamics.modes import Mode
from rod_tally.analysis.shells.fields import PlateFields
from rod_tally.compare import Side, compare
from rod_tally.compare.changes import same_section
from rod_tally.compare.loads import match_combinations
from rod_tally.compare.places import Places
from rod_tally.compare.results.modes import mode_pairs
from rod_tally.model import (
    Combination,
    LineSupport,
    LoadCase,
    MemberLoad,
    NodeLoad,
    Section,
    Support,
    SurfaceJoint,
)
from rod_tally.model.catalogue.shapes import angle, from_polygon, i_shape, tee
from rod_tally.model.edits import SplitMember
from rod_tally.model.settings import MeshSettings, RunSettings

from .frames import beam
from .plates import plate_model, pressure, shell
from .test_look_again import BLOCK


def mirrored(s: Section, y: float = 1.0, z: float = 1.0) -> Section:
    ring = [(y * a, z * b) for a, b in s.outline]
    return from_polygon(s.name, s.shape, ring if y * z > 0 else ring[::-1], j=s.j, avy=s.avy, avz=s.avz)[0]


ANGLE, TEE = angle("L", 0.2, 0.1, 0.012)[0], tee("T", depth=0.2, width=0.1, web=0.008, flange=0.012)[0]
HEAVY = i_shape("I", depth=0.3, width=0.15, web=0.007, flange=0.011)[0]


@pytest.mark.parametrize("section", [ANGLE, TEE, HEAVY])
@pytest.mark.parametrize("y, z", [(1, 1), (-1, 1), (1, -1), (-1, -1)])
def test_a_section_that_lies_the_other_way_round_is_another(section: Section, y: int, z: int) -> None:
    """Area, I and J are those of the mirror image too. An I is its own mirror image, a tee about one axis."""
    alike = {
        "L": (y, z) == (1, 1),
        "T": z == 1,
        "I": True,
    }[section.name]
    assert same_section(section, mirrored(section, y, z)) == alike


def test_combinations_that_exchange_their_names_are_told() -> None:
    a, b = Combination("1", "ULS", {"G": 1.35}), Combination("2", "ULS", {"G": 1.0, "W": 1.5})
    rows, same = match_combinations([a, b], [replace(b, name="1"), replace(a, name="2")], {})
    assert {r.name: r.status for r in rows} == {"1": "changed", "2": "changed"}
    assert same == {"2": "1", "1": "2"}
    assert {r.name: (r.was, r.is_) for r in rows}["1"] == ("1.35 G", "1 G + 1.5 W")
    rows, same = match_combinations([a, b], [a, replace(b, name="ULS 2")], {})
    assert [(r.name, r.status, r.was, r.is_) for r in rows] == [
        ("1", "same", "1.35 G", "1.35 G"),
        ("ULS 2", "renamed", "2", "ULS 2"),
    ]


def column(together: bool) -> Side:
    """Axial force in one case and bending in another; they come in two combinations, or in one."""
    m = beam(6.0, "ux uy uz rx", "uy uz", section=BLOCK)
    m.materials["steel"] = replace(m.materials["steel"], strength=235e6)
    m.cases["N"] = LoadCase("N", "live", node_loads=[NodeLoad("n1", (-6e6, 0, 0))])
    m.cases["M"] = LoadCase("M", "wind", member_loads=[MemberLoad("m0", 0, 6, (0, 0, -9e4), (0, 0, -9e4))])
    if together:  # the same cases, of which one holds the other's load and gives its own away
        m.cases["N"].member_loads, m.cases["M"].member_loads = m.cases["M"].member_loads, []
    combos = [Combination("1", "ULS", {"N": 1.0}), Combination("2", "ULS", {"M": 1.0})]
    return Side(m, run(m, RunSettings()), combos)


def test_forces_that_meet_now_are_listed_by_the_use_of_the_section() -> None:
    """N and M keep their largest values; the section's edge takes both at once now."""
    found = compare(column(False), column(True)).again
    (x,) = found
    assert (x.quantity, x.why) == ("use", "demand") and x.used_before is not None and x.used_after is not None
    w, area = BLOCK.iy / (BLOCK.depth / 2), BLOCK.area
    n, moment = 6e6, 9e4 * 36 / 8
    assert x.used_before == pytest.approx(max(n / area, moment / w) / 235e6, rel=1e-3)
    assert x.used_after == pytest.approx((n / area + moment / w) / 235e6, rel=1e-3)
    assert compare(column(True), column(False)).again == []


def test_in_concrete_it_is_the_stress_at_the_edge() -> None:
    sides = [column(k) for k in (False, True)]
    for s in sides:
        s.model.materials["steel"] = replace(s.model.materials["steel"], kind="concrete", strength=None)
    (x,) = compare(*sides).again
    assert x.quantity == "stress" and x.used_after is None and x.is_ < x.was < 0


def strip(q: float, over: float, pieces: int = 1) -> Side:
    """A plate strip of 4 m on two lines with an overhang of 2 m: `q` in the span, `over` on the overhang; the
    span in one piece or in two."""
    m = plate_model()
    cuts = [0.0, *(4.0 * k / pieces for k in range(1, pieces + 1)), 6.0]
    names = [*(f"s{k}" for k in range(pieces)), "o"]
    for name, x0, x1 in zip(names, cuts, cuts[1:]):
        s = shell(m, name, [(x0, 0, 0), (x1, 0, 0), (x1, 1, 0), (x0, 1, 0)], 0.2, size=0.25)
        s.source_outer = s.outer.copy()
        pressure(m, name, over if name == "o" else q)
    for a, b, x in zip(names, names[1:], cuts[1:]):
        line = np.array([(x, 0, 0), (x, 1, 0)], float)
        m.surfaces[a].joints.append(SurfaceJoint("surface", b, line))
        m.surfaces[b].joints.append(SurfaceJoint("surface", a, line))
    ends = [(names[0], 0.0, "ux uy uz"), (names[-2], 4.0, "uz")]
    for name, x, words in ends:
        line = np.array([(x, 0, 0), (x, 1, 0)], float)
        m.surfaces[name].supports.append(LineSupport(line, Support.of(words)))
    r = run(m, RunSettings(), meshing=MeshSettings(0.25))
    assert r.plates is not None
    return Side(m, r, [Combination("1", "ULS", {"q": 1.0})], fields=PlateFields(m, r.plates))


def test_sagging_that_grows_is_listed_while_hogging_falls() -> None:
    """The largest size falls from hogging 40 to sagging 24 kNm/m, and sagging has grown."""
    before, after = strip(14e3, 20e3), strip(14e3, 4e3)
    found = {x.revised_id: x for x in compare(before, after).again}
    x = found["s0"]
    assert x.quantity in ("mx", "my") and x.is_ * x.was > 0 and abs(x.is_) > 1.3 * abs(x.was)
    assert "o" not in found
    assert not compare(after, after).again


def test_each_piece_of_a_split_slab_has_its_own_values() -> None:
    before, after = strip(10e3, 4e3), strip(16e3, 4e3, 2)
    found = {x.revised_id: x for x in compare(before, after).again}
    assert set(found) >= {"s0", "s1"}
    assert found["s0"].is_ != found["s1"].is_


def test_modes_are_paired_by_their_shape() -> None:
    """The first two exchange their order; one is new. Shapes at four nodes, whatever their sign and size."""
    x, y, t = (np.zeros((4, 6)) for _ in range(3))
    x[:, 0], y[:, 1], t[:, 0], t[:, 1] = (1, 0.9, 1, 0.9), (1, 1, 0.8, 0.8), (1, -1, 1, -1), (1, 1, -1, -1)
    m = beam(6.0, "ux uy uz rx", "uy uz", section=BLOCK)
    m.nodes |= {f"n{k}": replace(m.nodes["n0"], id=f"n{k}", point=np.array([k, 0.0, 0])) for k in range(2, 6)}
    r = run(m, RunSettings(cases=[]))
    at = [r.node_ids.index(f"n{k}") for k in range(2, 6)]

    def mode(number: int, period: float, shape: np.ndarray, mass: tuple[float, float]) -> Mode:
        whole = np.zeros((len(r.node_ids), 6))
        whole[at] = shape
        return Mode(number, period, *mass, 0.0, whole)

    old = [mode(1, 0.338, x, (0.8, 0)), mode(2, 0.30, y, (0, 0.8)), mode(3, 0.2, t, (0, 0))]
    new = [mode(1, 0.32, -2 * y, (0, 0.8)), mode(2, 0.274, 3 * x, (0.8, 0))]
    pairs = mode_pairs(old, new, (r, r), Places(m, m, None))
    assert [(a.mode, b.mode) for a, b in pairs] == [(1, 2), (2, 1)]
    bare = [[replace(x, shape=None) for x in side] for side in (old, new)]
    assert [(a.mode, b.mode) for a, b in mode_pairs(*bare, (r, r), Places(m, m, None))] == [(1, 2), (2, 1)]


@pytest.mark.parametrize("cut", [2.0, 4.5])
def test_a_load_that_is_cut_with_its_beam_is_the_same(cut: float) -> None:
    """A beam split in two with its load: no load differs; another size on one piece does."""
    base, revised = (beam(6.0, "ux uy uz rx", "uy uz", section=BLOCK) for _ in range(2))
    for m in (base, revised):
        m.cases["q"] = LoadCase(
            "q", "live", member_loads=[MemberLoad("m0", 0, 6, (0, 0, -1e3), (0, 0, -4e3))]
        )
        m.members["m0"].source_line = m.line(m.members["m0"])
    SplitMember("m0", cut).apply(revised)
    for x in revised.members.values():
        x.source_line = revised.line(x)
    revised.corrections.clear()
    assert len(revised.cases["q"].member_loads) == 2
    found = compare(Side(base), Side(revised))
    assert found.loads == [] and [c.status for c in found.cases] == ["same"]
    load = revised.cases["q"].member_loads[1]
    revised.cases["q"].member_loads[1] = replace(load, qb=(0, 0, -5e3))
    found = compare(Side(base), Side(revised))
    assert found.loads and [c.status for c in found.cases] == ["changed"]
