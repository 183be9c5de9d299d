"""A factorisation that stands, used for a stiffness that differs at a few places: against a factorisation of
its own, and against what the change takes away."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as limits
from hypothesis import strategies as st

from rod_tally.analysis.run import run_and_keep
from rod_tally.analysis.solve.near import Near
from rod_tally.model import LoadCase, Model, NodeLoad, Release, Settings, Storey, Support
from rod_tally.model.settings import RunSettings

from .frames import regular


def building(bays: int = 2, storeys: int = 2) -> Model:
    m = regular(bays, storeys)
    top = max(m.nodes, key=lambda n: tuple(m.nodes[n].point[::-1]))
    m.cases["W"] = LoadCase("W", "wind", node_loads=[NodeLoad(top, (2e4, 1e4, -3e3), (1e3, -2e3, 500.0))])
    return m


def near_of(m: Model, own: RunSettings) -> Near:
    _, kept = run_and_keep(m, own)
    assert kept is not None
    return Near(kept)


def both(m: Model, other: Model, own: RunSettings | None = None) -> tuple[Near, bool]:
    """Whether the factors that stand were used; what comes out is that of a run by itself."""
    own = own or Settings().run
    near = near_of(m, own)
    used: list[bool] = []
    whole = near.factor

    def watched(*a: object) -> object:
        out = whole(*a)  # type: ignore[arg-type]
        used.append(out is not None)
        return out

    near.factor = watched  # type: ignore[method-assign, assignment]
    quick, kept = run_and_keep(other, own, near=near)
    full, apart = run_and_keep(other, own)
    for a, b in (
        (quick.displacement, full.displacement),
        (quick.force, full.force),
        (quick.reaction, full.reaction),
    ):
        scale = max(float(np.abs(b).max(initial=0.0)), 1e-12)
        assert np.abs(a - b).max(initial=0.0) <= 1e-8 * scale
    assert (quick.node_done == full.node_done).all() and (quick.member_done == full.member_done).all()
    assert len(quick.motions) == len(full.motions) and quick.more_motions == full.more_motions
    for f in (kept, apart):
        if f is not None:
            f.close()
    return near, used == [True]


CHANGES = ("release", "spring release", "section", "support", "settling", "material", "nothing", "hinges")


@limits(max_examples=60, deadline=None)
@given(st.data(), st.sampled_from(CHANGES), st.integers(1, 3), st.integers(1, 3), st.booleans())
def test_what_differs_a_little_is_solved_by_the_factors_that_stand(
    data: st.DataObject, change: str, bays: int, storeys: int, floor: bool
) -> None:
    m = building(bays, storeys)
    own = Settings().run
    if floor:
        m.storeys = [Storey("top", max(float(n.point[2]) for n in m.nodes.values()))]
        own.diaphragms = ["top"]
    other = m.snapshot()
    ident = data.draw(st.sampled_from(sorted(m.members)))
    member = other.members[ident]
    if change == "release":
        other.members[ident] = replace(member, release_end=Release.of("my"))
    elif change == "spring release":
        other.members[ident] = replace(member, release_start=Release.of("my=4e6 mz=2e5"))
    elif change == "section":
        s = other.sections[member.section]
        other.sections["own"] = replace(s, name="own", iy=3 * s.iy, iz=s.iz / 2)
        other.members[ident] = replace(member, section="own")
    elif change in ("support", "settling"):
        node = data.draw(st.sampled_from(sorted(n for n, x in m.nodes.items() if not x.support.any)))
        spring = Support.of("uz=2e6 rx=1e7")
        other.nodes[node] = replace(other.nodes[node], support=spring)
    elif change == "material":
        for name, x in other.materials.items():
            other.materials[name] = replace(x, E=(x.E or 0) * 0.5, G=None)
    elif change == "hinges":
        for i in other.members:
            other.members[i] = replace(other.members[i], release_start=Release.of("my mz"))
    near, used = both(m, other, own)
    if change in ("release", "spring release", "section"):
        assert used or len(near.own.system.free) < 240  # a small frame differs in too large a share of it
    near.close()


def test_a_large_frame_uses_them_and_one_that_differs_everywhere_does_not() -> None:
    m = building(4, 4)
    other = m.snapshot()
    ident = sorted(m.members)[3]
    other.members[ident] = replace(other.members[ident], release_end=Release.of("my"))
    near, used = both(m, other)
    assert used
    near.close()
    for name, x in other.materials.items():
        other.materials[name] = replace(x, E=(x.E or 0) * 0.5, G=None)
    near, used = both(m, other)
    assert not used
    near.close()
    fewer = m.snapshot()
    held = next(n for n, x in fewer.nodes.items() if x.support.any)
    fewer.nodes[held] = replace(fewer.nodes[held], support=Support.of("ux uy uz"))
    near, used = both(m, fewer)
    assert not used  # other degrees of freedom are free
    near.close()


@pytest.mark.parametrize("end", ["start", "end"])
def test_what_is_a_mechanism_then_is_found_as_ever(end: str) -> None:
    """A cantilever of its own, hinged at its foot: the factors that stand know nothing of that motion."""
    m = building(4, 4)
    foot = max(m.nodes, key=lambda n: tuple(m.nodes[n].point))
    node = replace(m.nodes[foot], point=m.nodes[foot].point + [2.0, 0.0, 0.0])
    m.nodes["tip"] = replace(node, id="tip")
    like = next(x for x in m.members.values() if x.cls == "beam")
    a, b = (foot, "tip") if end == "start" else ("tip", foot)
    m.members["arm"] = replace(like, id="arm", name="arm", start=a, end=b, joints=[])
    other = m.snapshot()
    hinge = Release.of("my mz")
    other.members["arm"] = replace(m.members["arm"], **{f"release_{end}": hinge})
    own = Settings().run
    near = near_of(m, own)
    quick, kept = run_and_keep(other, own, near=near)
    full, apart = run_and_keep(other, own)
    assert len(full.motions) == len(quick.motions) > 0 and kept is None and apart is None
    near.close()
