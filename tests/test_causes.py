"""Why a result changed: causes by closed forms, and sums that hold whatever changed."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from rod_tally.compare.causes.split import REST, Causes
from rod_tally.compare.results import ResultChange
from rod_tally.desk.window import Window
from rod_tally.model import FIXED, PINNED_END, Combination, LoadCase, MemberLoad, Model, NodeLoad, Settings
from rod_tally.model.edits import OwnSection
from rod_tally.review.causes import causes_of, causes_of_again
from rod_tally.review.review import Review
from rod_tally.review.work import attach_comparison, run_only

from .desk_help import STEP, act, fill, rested, rows
from .frames import PLAIN, beam, regular
from .verification import verified


def loaded(model: Model, q: float) -> Model:
    case = model.cases.setdefault("Live", LoadCase("Live", "live"))
    for ident, m in model.members.items():
        if m.cls == "beam":
            case.member_loads.append(MemberLoad(ident, 0.0, model.length(m), (0, 0, -q), (0, 0, -q)))
    return model


def both(a: Model, b: Model) -> tuple[Review, Review]:
    own = Settings()
    old, new = run_only(a, own), run_only(b, own)
    attach_comparison(new, old)
    return old, new


def change_of(new: Review, quantity: str, baseline_id: str | None, case: str = "Live") -> ResultChange:
    assert new.comparison is not None
    return next(
        r
        for r in new.comparison.results
        if (r.quantity, r.case, r.baseline_id) == (quantity, case, baseline_id)
    )


def split(a: Model, b: Model, quantity: str, ident: str | None, case: str = "Live") -> Causes:
    old, new = both(a, b)
    return causes_of(old, new, change_of(new, quantity, ident, case))


def by_name(found: Causes) -> dict[tuple[str, ...], tuple[float, float]]:
    return {c.names: (c.first, c.second) for c in found.causes}


def simple(length: float, q: float) -> Model:
    return loaded(beam(length, "ux uy uz rx", "uy uz"), q)


def test_a_longer_beam_with_more_load_by_hand() -> None:
    """M = q L2 / 8: the span alone gives q1 (L2^2 - L1^2) / 8, after the load q2 times that; the load
    likewise."""
    a, b = simple(6.0, 10e3), simple(6.5, 14e3)
    found = split(a, b, "my", "m0")
    assert found.remainder == pytest.approx(0, abs=1e-6)
    causes = by_name(found)
    span = (6.5**2 - 6.0**2) / 8
    by_span = np.abs(causes["geometry",])
    verified(
        "Change of a moment by the span alone, N m",
        "q (L2^2 - L1^2) / 8",
        float(by_span[0]),
        10e3 * span,
        1e-6,
    )
    assert by_span[1] == pytest.approx(14e3 * span, rel=1e-6)
    first, second = causes["loads",]
    assert abs(first) == pytest.approx(4e3 * 6.5**2 / 8, rel=1e-6)
    assert abs(second) == pytest.approx(4e3 * 6.0**2 / 8, rel=1e-6)
    assert set(causes) == {("geometry",), ("loads",)}


def test_one_change_alone_is_the_whole_cause() -> None:
    """Each attribute changed by itself, in a frame that is not determinate, under one load."""
    stiffer = replace(PLAIN, name="stiffer", iy=2 * PLAIN.iy)
    for cause in ("sections", "materials", "releases", "supports", "loads"):
        a, b = loaded(regular(2, 1), 10e3), loaded(regular(2, 1), 10e3)
        beam_id = next(i for i, m in b.members.items() if m.cls == "beam")
        column = next(m for m in b.members.values() if m.cls == "column")
        if cause == "sections":
            b.sections["stiffer"] = stiffer
            b.members[beam_id].section = "stiffer"
        elif cause == "materials":
            b.materials["soft"] = replace(b.materials["steel"], name="soft", E=190e9)
            column.material = "soft"
        elif cause == "releases":
            b.members[beam_id].release_start = PINNED_END
        elif cause == "supports":
            foot = min((column.start, column.end), key=lambda n: b.nodes[n].point[2])
            b.nodes[foot].support = (
                FIXED if b.nodes[foot].support != FIXED else b.nodes[foot].support.of("ux uy uz")
            )
        else:
            b.cases["Live"].member_loads[0].qa = (0, 0, -13e3)
        found = split(a, b, "my", beam_id)
        assert abs(found.of.change) > 1.0
        values = by_name(found)
        assert values.pop((cause,)) == pytest.approx((found.of.change,) * 2, rel=1e-6)
        assert set(values) <= {(REST,)} and np.allclose(list(values.values()) or 0, 0, atol=1e-5)


def test_added_and_removed_parts() -> None:
    """A second storey that is new: the column below takes its load; the other way round it is gone."""
    low, high = loaded(regular(1, 1), 10e3), loaded(regular(1, 2), 10e3)
    column = next(i for i, m in low.members.items() if m.cls == "column")
    for a, b, name in ((low, high, "added parts"), (high, low, "removed parts")):
        found = split(a, b, "n", column if a is low else _twin(high, low, column))
        values = by_name(found)
        assert values[name,] == pytest.approx((found.of.change,) * 2, rel=1e-6)


def _twin(base: Model, revised: Model, ident: str) -> str:
    at = revised.line(revised.members[ident]).mean(axis=0)
    return min(
        base.members, key=lambda i: float(np.linalg.norm(base.line(base.members[i]).mean(axis=0) - at))
    )


def test_reactions_displacements_combinations_and_the_envelope() -> None:
    a, b = loaded(regular(2, 2), 10e3), loaded(regular(2, 2), 12e3)
    for m in (a, b):
        m.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0, 0, -1))
        m.cases["Wind"] = LoadCase("Wind", "wind", node_loads=[NodeLoad(list(m.nodes)[-1], (5e3, 0, 0))])
        m.combinations = [Combination("ULS", "ULS", {"Live": 1.5, "Wind": 0.9})]
    b.sections["stiffer"] = replace(PLAIN, name="stiffer", iy=3 * PLAIN.iy)
    for m in b.members.values():
        m.section = "stiffer" if m.cls == "column" else m.section
    old, new = both(a, b)
    held = next(n for n, x in a.nodes.items() if x.support.any)
    free = next(n for n, x in a.nodes.items() if not x.support.any)
    for quantity, ident, case in (
        ("fz", None, "Live"),
        ("mx", held, "ULS"),
        ("ux", free, "ULS"),
        ("fz", held, "envelope"),
        ("period", "1", "modes"),
    ):
        found = causes_of(old, new, change_of(new, quantity, ident, case))
        for way in ("first", "second"):
            total = sum(getattr(c, way) for c in found.causes)
            assert total == pytest.approx(found.of.change, rel=1e-9, abs=1e-9 * (1 + abs(found.of.baseline)))
        assert {n for c in found.causes for n in c.names} >= {"sections", "loads"}


@settings(max_examples=8, deadline=None)
@given(seed=st.integers(0, 10_000))
def test_any_set_of_changes_adds_up_and_a_turned_building_has_the_same_causes(seed: int) -> None:
    rng = np.random.default_rng(seed)

    def changed() -> Model:
        return loaded(regular(2, 2), 10e3)

    a, b = changed(), changed()
    ids = list(b.members)
    if rng.random() < 0.5:
        b.sections["thin"] = replace(PLAIN, name="thin", area=0.8 * PLAIN.area, iy=0.7 * PLAIN.iy)
        b.members[ids[int(rng.integers(len(ids)))]].section = "thin"
    if rng.random() < 0.5:
        next(m for m in b.members.values() if m.cls == "beam").release_end = PINNED_END
    if rng.random() < 0.5:
        b.cases["Live"].member_loads.pop()
    top = [n for n in b.nodes.values() if not n.support.any]
    top[int(rng.integers(len(top)))].point[0] += 0.01
    quantity, ident = ("my", "n")[int(rng.integers(2))], ids[int(rng.integers(len(ids)))]
    plain = split(a, b, quantity, ident)
    c, s = np.cos(0.7), np.sin(0.7)
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    for n in b.nodes.values():
        n.point = turn @ n.point + np.array([30.0, -4.0, 0.0])
    for m in b.members.values():
        m.z_axis = turn @ m.z_axis
    turned = split(a, b, quantity, ident)
    assert turned.of.change == pytest.approx(plain.of.change, rel=1e-6, abs=1e-3)
    for found in (plain, turned):
        for way in ("first", "second"):
            total = sum(getattr(c, way) for c in found.causes)
            assert total == pytest.approx(found.of.change, rel=1e-9, abs=1e-6)
    assert by_name(plain).keys() == by_name(turned).keys()
    for names, values in by_name(plain).items():
        assert by_name(turned)[names] == pytest.approx(values, rel=1e-5, abs=1e-2)


def test_each_part_to_look_at_again_has_its_main_cause_as_if_asked_for_alone() -> None:
    """A frame whose load doubled, of which one beam is of another section too: by the load, but that beam's
    neighbours by what the split of each alone says."""
    a, b = loaded(regular(2, 1), 5e3), loaded(regular(2, 1), 12e3)
    old, new = both(a, b)
    assert new.comparison is not None and causes_of_again(old, new) > 3
    for x in new.comparison.again:
        assert x.cause == "loads", x
    c = loaded(regular(2, 1), 5e3)
    first = next(i for i, m in c.members.items() if m.cls == "beam")
    OwnSection([first], "deeper", "rectangle", {"width": 0.3, "depth": 0.9}).apply(c)
    old, new = both(a, c)
    assert new.comparison is not None and causes_of_again(old, new) > 0
    listed = [x for x in new.comparison.again if x.why == "demand"]
    assert listed and {x.cause for x in listed} == {"sections"}


def test_asked_for_in_the_window(demo: Window, qtbot: QtBot) -> None:
    """A part that must be looked at again: its causes stand in the table and add up; a correction drops
    them."""
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Revision"])
    act(w, qtbot, "compare.again")
    listed = rows(w, "again")
    assert w.state.comparison is not None and len(listed) == len(w.state.comparison.again)
    x = next(x for x in w.state.comparison.again if x.why == "demand")
    w.state.pick("member", x.revised_id)
    act(w, qtbot, "compare.why")
    fill(w, qtbot, w.why_desk.form)
    page = w.tables.front()
    assert page is not None
    own = page.model.content.rows
    change = own[0][4]
    for column in (4, 5, 6):
        assert sum(r[column] for r in own[1:]) == pytest.approx(change)
    assert own[0][0].startswith(x.quantity) and own[0][2] == x.by
    assert w.width() <= 1280
    w.session.correct(OwnSection([x.revised_id], "bigger", "rectangle", {"width": 0.4, "depth": 0.4}))
    rested(qtbot, w)
    assert w.state.review is not None and not w.state.review.causes
    assert not w.actions_["compare.why"].isEnabled()
