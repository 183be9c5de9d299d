"""One summed diagram a member: its integral is what the member is given, to the last digits."""

from __future__ import annotations

import numpy as np
import pytest
from shapely.geometry import Polygon

from rod_tally.model import (
    AreaLoad,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Settings,
    SpaceLoad,
    Surface,
    SurfaceJoint,
)
from rod_tally.model.geometry.triangles import triangles_of
from rod_tally.review import Review, review
from rod_tally.review.tallies.member_loads import member_diagrams

from .frames import frame


def two_bays() -> Model:
    """Two slabs of 6 m by 6 m on either side of an interior beam m8 (x = 6), on six columns."""
    feet = [(x, y, 0) for x in (0, 6, 12) for y in (0, 6)]
    tops = [(x, y, 3) for x, y, _ in feet]
    beams = [(6, 7), (8, 9), (10, 11), (6, 8), (8, 10), (7, 9), (9, 11)]
    m = frame([*feet, *tops], [(k, k + 6) for k in range(6)] + beams, dict.fromkeys(range(6), "fixed"))
    for k, (x, sides) in enumerate(((0, (6, 9, 7, 11)), (6, (7, 10, 8, 12)))):
        outer = np.array([(x, 0, 3), (x + 6, 0, 3), (x + 6, 6, 3), (x, 6, 3)], float)
        s = Surface(f"s{k}", f"s{k}", "slab", "", outer, [], 0.2, "")
        for i in sides:
            s.joints.append(SurfaceJoint("member", f"m{i}", m.line(m.members[f"m{i}"])))
        m.surfaces[s.id] = s
    q = LoadCase("q", "live", (0, 0, -1.0))
    q.area_loads = [AreaLoad("s0", ((0, 0, -3e3),)), AreaLoad("s1", ((0, 0, -3e3),))]
    q.member_loads = [
        MemberLoad("m7", 0, 6, (0, 0, -4e3), (0, 0, -4e3)), MemberLoad("m7", 1.3, 4.1, (100, 0, -1e3), (0, 0, -2e3), local=True),
        MemberLoad("m7", 2.0, 2.0, (0, 0, -7e3), (0, 0, -7e3)), MemberLoad("m6", 0, 6, (0, 0, -1e3), (0, 0, -1e3), projected=True),
    ]  # fmt: skip
    q.space_loads = [SpaceLoad(np.array([[6.0, 0.5, 3], [6, 2.5, 3]]), (0, 0, -500), (0, 0, -900), to="m7")]
    q.node_loads = [NodeLoad("n8", (0, 0, -1e3))]
    m.cases["q"] = q
    return m


def reviewed() -> Review:
    options = Settings()
    options.modes.count = 0
    return review(two_bays(), options)


def test_an_interior_beam_shows_what_both_slabs_give_it() -> None:
    """Triangles of 3 kN/m2 times 3 m from either side make 18 kN/m at the middle, with what else lies
    there."""
    done = reviewed()
    d = member_diagrams(done, [(done.model.cases["q"], 1.0)], "slabs")["m7"]
    place, value = d.peak
    assert (place, value[2]) == (pytest.approx(3.0), pytest.approx(-18e3, rel=1e-6))
    assert d.force[2] == pytest.approx(-2 * 3e3 * 9.0, rel=1e-9)
    whole = member_diagrams(done, [(done.model.cases["q"], 1.0)])["m7"]
    assert set(whole.start) == {"self-weight", "slabs", "in space", "members and nodes"}


def test_the_integral_of_every_diagram_is_the_force_on_its_member() -> None:
    done = reviewed()
    diagrams = member_diagrams(done, [(done.model.cases["q"], 1.0)])
    total = sum((d.force for d in diagrams.values()), np.zeros(3)) + (0, 0, -1e3)
    (e,) = [e for e in done.results.equilibrium if e.case == "q"]
    assert total == pytest.approx(e.applied[:3], rel=1e-9, abs=1e-6)


def test_factors_and_members_choose() -> None:
    done = reviewed()
    case = done.model.cases["q"]
    once, twice = (member_diagrams(done, [(case, f)], members={"m7"}) for f in (1.0, -2.0))
    assert set(once) == {"m7"}
    assert twice["m7"].force == pytest.approx(-2 * once["m7"].force)


@pytest.mark.parametrize(
    "ring",
    [
        [(0, 0), (4, 0), (4, 3), (0, 3)],
        [(0, 0), (4, 0), (4, 3), (2, 3), (2, 3.0), (0, 3)],
        [(0, 0), (4, 0), (4, 3), (2, 1e-12), (0, 3)],
        [(0, 0), (4, 3), (4, 0), (0, 3)],
        [(0, 0), (2, 0), (2, 0), (4, 0), (4, 3), (4, 3), (0, 3), (0, 0)],
    ],
)
def test_any_outline_is_filled_or_nothing(ring: list[tuple[float, float]]) -> None:
    found = triangles_of(Polygon(ring))
    assert found.shape[1:] == (3, 2) and np.isfinite(found).all()
    assert len(found) > 0
