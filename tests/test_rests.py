"""Members that rest on others: forces go down, moments do not."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis.run import run
from rod_tally.checks import Subject, run_checks
from rod_tally.checks.framing.overlaps import LINK, REST, REST_LOOSE
from rod_tally.intake import SourceModel
from rod_tally.intake.source import SourceProfile
from rod_tally.model import FIXED, PINNED, PINNED_END, LoadCase, Member, Model
from rod_tally.model.edits import EditError, RestOn
from rod_tally.model.entities.loads import MemberLoad
from rod_tally.model.geometry.vectors import Array
from rod_tally.model.settings import RunSettings
from rod_tally.review.remedies import edits_for
from tests.physical_models import add, model, moved, source

SPAN, OVER = 6.0, 4.0  # m: purlin, rafter


def roof(count: int = 1, lift: float = 0.16, order: int = 1) -> SourceModel:
    """A purlin of 6 m between posts, and rafters of 4 m that pass over its middle, their body on its body."""
    s = source((0.0,))
    s.profiles["rafter"] = SourceProfile("rafter", "rectangle", {"width": 0.08, "depth": 0.12})
    s.profiles["purlin"] = SourceProfile("purlin", "rectangle", {"width": 0.12, "depth": 0.20})
    for x in (0.0, SPAN):
        add(s, "column", f"K{x:.0f}", (x, 0, 0), (x, 0, 3), z=(1, 0, 0))
    add(s, "beam", "P", (0, 0, 3), (SPAN, 0, 3), "purlin")
    for k in range(count):
        x = SPAN * (k + 1) / (count + 1)
        add(s, "beam", f"R{k}", (x, -OVER / 2, 3 + lift), (x, OVER / 2, 3 + lift), "rafter")
    s.elements = s.elements[::order]
    return s


def rafters(m: Model) -> list[Member]:
    return [x for x in m.members.values() if x.section == "rafter"]


def resting(m: Model, q: float = -1000.0, lifts: bool = False) -> Model:
    """Rafters with pinned ends rest on a purlin that turns freely on its posts; `q` N/m on the rafters."""
    purlin = next(x for x in m.members.values() if x.name == "P")
    purlin.release_start = purlin.release_end = PINNED_END
    for r in rafters(m):
        RestOn(r.id, purlin.id, lifts).apply(m)
    for r in rafters(m):
        for n in (r.start, r.end):
            m.nodes[n].support = PINNED
    for c in m.members.values():
        if c.cls == "column":
            m.nodes[min((c.start, c.end), key=lambda n: m.nodes[n].point[2])].support = FIXED
    loads = [MemberLoad(r.id, 0.0, OVER, (0, 0, q), (0, 0, q)) for r in rafters(m)]
    m.cases["G"] = LoadCase("G", member_loads=loads)
    return m


def forces(m: Model, one_way: bool = False) -> dict[str, Array]:
    """Largest |component| along each member, by name."""
    found = run(m, RunSettings(cases=["G"], one_way=one_way))
    assert found.equilibrium[0].residual < 1e-9
    out = {}
    for k, ident in enumerate(found.member_ids):
        out[m.members[ident].name] = np.abs(found.force[0][found.station_member == k]).max(axis=0)
    return out


def statically_shared(m: Model, q: float) -> float:
    """What the purlin takes of a rafter with pinned ends over its middle, from the deflections of both as
    simple beams (handbook: 5 q l4 / 384 E I, P l3 / 48 E I; without shear)."""
    e = m.materials["S355"].E or 0.0
    own = 1 / (e * m.sections["rafter"].iy), 1 / (e * m.sections["purlin"].iy)
    free = 5 * q * OVER**4 / 384 * own[0]
    return free / (OVER**3 / 48 * own[0] + SPAN**3 / 48 * own[1])


def test_a_rafter_hands_its_force_to_the_purlin_and_no_moment() -> None:
    m = resting(model(roof()))
    found = forces(m)
    share = statically_shared(m, 1000.0)
    assert found["R0 on P"][0] == pytest.approx(share, rel=5e-3)
    assert found["P"][4] == pytest.approx(share * SPAN / 4, rel=5e-3)
    # the rafter's moments by statics of the share that came out: in its spans, and over the purlin
    end = (1000 * OVER - found["R0 on P"][0]) / 2
    spans = end**2 / 2000, abs(end * OVER / 2 - 1000 * (OVER / 2) ** 2 / 2)
    assert found["P"][3] < 1e-6 * found["P"][4] and found["R0 on P"][[3, 4, 5]].max() < 1e-6
    assert found["R0"][4] == pytest.approx(max(spans), rel=3e-3)


def test_held_down_it_also_pulls_and_free_to_lift_it_does_not() -> None:
    up = 1000.0
    held = forces(resting(model(roof()), up), one_way=True)
    assert held["R0 on P"][0] == pytest.approx(statically_shared(model(roof()), up), rel=5e-3)
    loose = forces(resting(model(roof()), up, lifts=True), one_way=True)
    assert loose["R0 on P"].max() < 1e-6
    assert loose["R0"][4] == pytest.approx(up * OVER**2 / 8, rel=1e-6) and loose["P"][4] < 1e-6
    pressed = forces(resting(model(roof()), -up, lifts=True), one_way=True)
    assert pressed["R0 on P"][0] == pytest.approx(held["R0 on P"][0], rel=1e-6)


@given(st.floats(0, 6.28), st.sampled_from([1, -1]))
@settings(max_examples=8, deadline=None)
def test_turned_and_in_another_order_it_is_the_same(angle: float, order: int) -> None:
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    there = forces(resting(model(moved(roof(3, order=order), turn, np.array([30.0, -7.0, 2.0])))))
    here = forces(resting(model(roof(3))))
    assert there.keys() == here.keys()
    for name, value in here.items():
        assert there[name] == pytest.approx(value, rel=1e-6, abs=1e-3), name


def test_the_grouped_finding_rests_all_at_once() -> None:
    m = model(roof(6))
    finding = next(f for f in run_checks(Subject(m)) if f.code == "join.crossing")
    assert len(finding.parts) == 6 and finding.actions[:3] == (REST, REST_LOOSE, "Join all by rigid links")
    edits = edits_for(m, finding, REST)
    for edit in edits:
        edit.apply(m)
    assert sum(x.section == "bearing link" for x in m.members.values()) == 6 and not m.one_way
    assert not [
        f for f in run_checks(Subject(m)) if f.code in ("join.crossing", "material.density", "join.short")
    ]
    for edit in reversed(edits):
        edit.revert(m)
    for edit in edits_for(m, finding, REST_LOOSE):
        edit.apply(m)
    assert set(m.one_way.values()) == {"compression"} and len(m.one_way) == 6


def test_links_weigh_nothing_and_end_where_the_bodies_touch() -> None:
    m = model(roof())
    RestOn("R0", "P").apply(m)
    link = next(x for x in m.members.values() if x.section == "bearing link")
    assert m.weight(link) == 0.0
    low, high = m.line(link)
    assert (low[2], high[2]) == (
        pytest.approx(3.0),
        pytest.approx(3.1),
    )  # half of 200 above the purlin's axis


def test_what_lies_beside_or_meets_does_not_rest() -> None:
    flat = model(roof(lift=0.0))
    with pytest.raises(EditError, match="axes meet"):
        RestOn("R0", "P").apply(flat)
    found = next(f for f in run_checks(Subject(flat)) if f.code == "join.crossing")
    assert found.actions[0] == LINK
    s = roof(0)
    add(s, "column", "M", (3, 0.12, 0), (3, 0.12, 5), z=(1, 0, 0))
    upright = model(s, snap=0.001)
    with pytest.raises(EditError, match="pass beside"):
        RestOn("M", "P").apply(upright)
    rested = model(roof())
    RestOn("R0", "P").apply(rested)
    with pytest.raises(EditError, match="rests there already"):
        RestOn("R0", "P").apply(rested)
