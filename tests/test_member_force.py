"""Resultants of many loads at once are those of each by itself, in sum and in moment."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rod_tally.model import MemberLoad
from rod_tally.model.member_force import member_force, member_pieces

from .frames import regular

value = st.tuples(*[st.floats(-9e3, 9e3).map(lambda v: round(v, 2))] * 3)
share = st.floats(0, 1).map(lambda v: round(v, 3))


@st.composite
def loads(draw: st.DrawFn) -> list[MemberLoad]:
    model = regular()
    out = []
    for _ in range(draw(st.integers(0, 6))):
        ident = draw(st.sampled_from([*model.members, "gone"]))
        length = 3.0 if ident == "gone" else model.length(model.members[ident])
        a, b = sorted((draw(share), draw(share)))
        if draw(st.booleans()):
            b = a
        qa = draw(value)
        qb = draw(value) if draw(st.booleans()) else qa
        kind = draw(st.sampled_from(["force", "moment"]))
        out.append(
            MemberLoad(ident, a * length, b * length, qa, qb, kind, draw(st.booleans()), draw(st.booleans()))
        )
    return out


@given(loads())
def test_pieces_have_the_sum_and_the_moment_of_their_loads(found: list[MemberLoad]) -> None:
    """By a fine sum of point forces along each load; a moment load is its own sum."""
    model = regular()
    places, forces, turning = member_pieces(model, found)
    sums, moments, turned = np.zeros(3), np.zeros(3), np.zeros(3)
    for load in found:
        m = model.members.get(load.member)
        if m is None:
            continue
        line = model.line(m)
        x = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        qa, qb = np.array(load.qa), np.array(load.qb)
        spot = load.a == load.b
        if load.kind == "moment":
            total = qa if spot else (qa + qb) / 2 * (load.b - load.a)
            turned += m.axes(line).T @ total if load.local else total
            continue
        for t in (0.5,) if spot else ((1 - 3**-0.5) / 2, (1 + 3**-0.5) / 2):
            at = load.a + (load.b - load.a) * t
            q = tuple((qa + (qb - qa) * (0 if spot else t)).tolist())
            size = 0.0 if spot else (load.b - load.a) / 2
            f = member_force(
                model, MemberLoad(load.member, 0.0, size, q, q, "force", load.local, load.projected)
            )  # type: ignore[arg-type]
            sums += f
            moments += np.cross(line[0] + x * at, f)
    size = max(float(np.abs(forces).max(initial=0.0)), 1.0)
    assert np.allclose(forces.sum(axis=0), sums, atol=1e-9 * size)
    assert np.allclose(np.cross(places, forces).sum(axis=0), moments, atol=1e-8 * size)
    assert np.allclose(turning, turned, atol=1e-6)


@given(loads())
def test_uniform_and_point_loads_sum_to_their_resultants(found: list[MemberLoad]) -> None:
    model = regular()
    plain = [x for x in found if x.kind == "force" and (tuple(x.qa) == tuple(x.qb) or x.a == x.b)]
    wanted = sum((member_force(model, x) for x in plain), np.zeros(3))
    assert np.allclose(member_pieces(model, plain)[1].sum(axis=0), wanted, atol=1e-6)
