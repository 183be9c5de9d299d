"""Expectation checks: each finds its wrong building and leaves the right one alone."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from rod_tally.analysis import run
from rod_tally.analysis.dynamics.modes import Mode, modes
from rod_tally.analysis.results.storeys import storey_rows
from rod_tally.checks import Subject, run_checks
from rod_tally.model import (
    PINNED_END,
    Finding,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Release,
    Section,
    Spectrum,
    Storey,
    Support,
)
from rod_tally.model.settings import RunSettings, Settings

from .frames import frame, regular
from .plates import plate_model, pressure, rectangle, shell


def building() -> Model:
    m = regular(1, 2)
    z = sorted({float(n.point[2]) for n in m.nodes.values()})
    m.storeys = [Storey(f"L{k}", v) for k, v in enumerate(z)]
    m.cases = {"G": LoadCase("G", "self-weight", (0.0, 0.0, -1.0))}
    return m


def found(m: Model, code: str, own: list[Mode] | None = None) -> list[Finding]:
    r = run(m, RunSettings())
    s = Settings()
    s.modes.mass = {"G": 1.0}
    own = modes(m, r, s) if own is None else own
    return [f for f in run_checks(Subject(m, r, s, None, own, storey_rows(m, r))) if f.code == code]


def test_plain_building_has_nothing_to_tell() -> None:
    m = building()
    for code in ("response.axial", "response.direction", "response.drift", "response.symmetry"):
        assert not found(m, code), code


def test_column_that_carries_less_than_the_one_above() -> None:
    """A load that leaves its stack: the lower column is held up by something that takes its load (here a pull
    upwards)."""
    m = building()
    top = max((x for x in m.members.values() if x.cls == "column"), key=lambda x: m.line(x)[:, 2].mean())
    low = top.start if m.nodes[top.start].point[2] < m.nodes[top.end].point[2] else top.end
    high = top.end if low == top.start else top.start
    m.cases["Q"] = LoadCase(
        "Q", "live", node_loads=[NodeLoad(high, (0, 0, -100e3)), NodeLoad(low, (0, 0, 60e3))]
    )
    f = found(m, "response.axial")[0]
    assert top.id in f.ids and "leaves the stack" in f.message and f.numbers["by"] > 40e3


def test_building_that_moves_against_its_load() -> None:
    """A lever: pushed at its short end below the pivot, its long end above goes the other way."""
    m = frame([(0, 0, 0), (0, 0, 1), (0, 0, 6)], [(0, 1), (1, 2)], {1: "ux uy uz rx rz"})
    m.nodes["n0"].support = type(m.nodes["n0"].support).of("ux=1e5")
    m.cases["W"] = LoadCase("W", "wind", node_loads=[NodeLoad("n0", (1e3, 0.0, 0.0))])
    assert "the other way" in found(m, "response.direction", [])[0].message


def test_drift_beyond_the_usual() -> None:
    m = building()
    top = [n.id for n in m.nodes.values() if n.point[2] == m.storeys[-1].elevation]
    m.cases["W"] = LoadCase("W", "wind", node_loads=[NodeLoad(n, (1e3, 0.0, 0.0)) for n in top])
    small = found(m, "response.drift")
    m.cases["W"].node_loads = [NodeLoad(n, (1e6, 0.0, 0.0)) for n in top]
    large = found(m, "response.drift")
    assert not small and len(large) == 1 and large[0].numbers["ratio"] > 1 / 300


def test_missing_mass_and_odd_periods() -> None:
    m = building()
    few = [Mode(1, 0.4, 0.6, 0.0, 0.0), Mode(2, 0.3, 0.0, 0.95, 0.0)]
    f = found(m, "response.mass", few)[0]
    assert "60% in x" in f.message and "in y" not in f.message
    assert not found(m, "response.mass", [Mode(1, 0.4, 0.95, 0.0, 0.0), Mode(2, 0.3, 0.0, 0.95, 0.0)])
    whole = [Mode(1, 0.4, 0.95, 0.0, 0.2), Mode(2, 0.3, 0.0, 0.95, 0.6)]
    m.cases["Sz"] = LoadCase("Sz", "seismic", spectrum=Spectrum("z", [(0.0, 1.0), (4.0, 1.0)]))
    assert abs(found(m, "response.mass", whole)[0].numbers["z"] - 0.8) < 1e-9
    m.cases["Sz"].spectrum = Spectrum("x", [(0.0, 1.0), (4.0, 1.0)])
    assert not found(m, "response.mass", whole)
    assert "longer" in found(m, "response.period", [Mode(1, 9.0, 0.9, 0.0, 0.0)])[0].message
    assert not found(m, "response.period", [Mode(1, 0.5, 0.9, 0.0, 0.0)])
    assert "shorter" in found(m, "response.period", [Mode(1, 0.005, 0.9, 0.0, 0.0)])[0].message


def test_parts_loose_on_their_own() -> None:
    m = building()
    assert "vibrate on their own" in found(m, "response.mass", [Mode(1, 3.0, 0.001, 0.001, 0.0)])[0].message


def test_symmetry_that_one_member_breaks() -> None:
    m = building()
    beam = next(
        x for x in m.members.values() if x.cls == "beam" and abs(np.diff(m.line(x), axis=0)[0, 1]) > 1
    )
    m.sections["other"] = Section("other", "values", 6e-3, 9e-5, 7e-6, 0.0, 2e-7, 0.0, 0.0)
    beam.section = "other"
    f = found(m, "response.symmetry")[0]
    assert beam.id in f.ids and "sections" in f.message
    beam.section = "plain"
    beam.release_start = PINNED_END
    assert "releases" in found(m, "response.symmetry")[0].message


def test_loads_do_not_matter_to_the_symmetry_of_axes() -> None:
    m = building()
    beam = next(i for i, x in m.members.items() if x.cls == "beam")
    m.cases["Q"] = LoadCase(
        "Q", "live", member_loads=[MemberLoad(beam, 0.0, 6.0, (0, 0, -1e3), (0, 0, -1e3))]
    )
    assert not found(m, "response.symmetry")


def test_symmetric_frame_with_forces_that_are_not() -> None:
    """The same frame on one softer support: what it stands on is not symmetric, and the columns say so."""
    m = building()
    assert not found(m, "response.uneven")
    foot = next(n for n in m.nodes.values() if n.support.any)
    foot.support = Support.of("ux uy uz=5e5 rx ry rz")
    f = found(m, "response.uneven")[0]
    assert f.severity == "note" and len(f.ids) == 2 and "carries" in f.message


def test_released_ends_that_carry_are_results_of_another_model() -> None:
    m = building()
    beam = next(x for x in m.members.values() if x.cls == "beam")
    beam.release_end = PINNED_END
    r = run(m, RunSettings())
    assert not [f for f in run_checks(Subject(m, r)) if f.code == "response.released"]
    beam.release_start = PINNED_END  # after the run
    (f,) = [f for f in run_checks(Subject(m, r)) if f.code == "response.released"]
    assert f.ids == (beam.id,) and "the start of" in f.message and "kNm" in f.message


def test_zero_at_a_released_end_is_zero_by_the_size_of_the_buildings_forces() -> None:
    """A beam that carries nothing shows rounding at its pin; a thousandth of what the building carries is
    none."""
    m = building()
    beam = next(x for x in m.members.values() if x.cls == "beam")
    beam.release_start = PINNED_END
    r = run(m, RunSettings())
    (own,) = np.nonzero(r.station_member == r.member_ids.index(beam.id))
    most = float(np.abs(r.force).max())
    for size, severe in ((1e-12 * most, False), (1e-3 * most, True)):
        r.force[:, own] = 0.0
        r.force[:, own[0], 4] = size
        assert severe == any(f.code == "response.released" for f in run_checks(Subject(m, r)))


def test_self_weight_that_moves_a_building_too_much_or_not_at_all() -> None:
    m = building()
    assert not found(m, "response.self_weight")
    for name, section in m.sections.items():
        m.sections[name] = replace(section, iy=section.iy / 200, iz=section.iz / 200)
    assert "softer" in found(m, "response.self_weight")[0].message
    for name, section in m.sections.items():
        m.sections[name] = replace(section, iy=section.iy / 5, iz=section.iz / 5)
    large = found(m, "displacement.large")[0]  # between the nodes, which hardly move
    assert "between its ends" in large.message and large.numbers["displacement"] > 0.07
    m = building()
    m.materials["steel"].density = 7.85  # t/m3 taken for kg/m3
    assert "loads are missing" in found(m, "response.self_weight")[0].message


def test_slabs_without_members_are_held_against_their_own_span() -> None:
    m = plate_model()
    shell(m, "s", rectangle(6, 4), edges="pinned")
    pressure(m, "s", 2e3)
    assert not found(m, "displacement.large", [])
    pressure(m, "s", 6e5)
    large = found(m, "displacement.large", [])[0]
    assert large.ids == ("s",) and "a hundredth of 4.0 m" in large.message


def test_tall_building_may_shorten_and_a_load_on_a_released_start_is_no_force_of_it() -> None:
    """Forty storeys at working stress shorten by more than 1/250 of their bays; a point load stands on a
    beam's very start."""
    m = frame([(0, 0, 4.0 * k) for k in range(41)], [(k, k + 1) for k in range(40)], {0: "fixed"})
    m.cases["G"] = LoadCase("G", "self-weight", (0.0, 0.0, -1.0))
    m.cases["G"].node_loads = [NodeLoad(f"n{k}", (0, 0, -1.5e4)) for k in range(1, 41)]
    r = run(m, RunSettings())
    assert -r.displacement[0, -1, 2] > 4.0 / 250
    assert not [f for f in run_checks(Subject(m, r)) if f.code == "response.self_weight"]
    m = building()
    beam = next(x for x in m.members.values() if x.cls == "beam")
    beam.release_start = Release.of("vz")
    m.cases["G"].member_loads = [MemberLoad(beam.id, 0.0, 0.0, (0, 0, -5e3), (0, 0, -5e3))]
    r = run(m, RunSettings())
    assert not [f for f in run_checks(Subject(m, r)) if f.code == "response.released"]
