"""Ends and slabs that stop short of what they are meant for are named up to the search distance, and tied
by a button."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.checks.framing.gaps import loose_ends
from rod_tally.model import Finding, Model
from rod_tally.review.remedies import edits_for

from .physical_models import add, model, source
from .test_panels import plate


def gaps(m: Model) -> list[Finding]:
    return [f for f in run_checks(Subject(m)) if f.code == "join.gap"]


def on_columns(gap: float) -> Model:
    """A flat slab 3.5 m up on four columns that stop short of it by `gap`."""
    s = source([0.0, 3.5])
    for k, (x, y) in enumerate(((0.5, 0.5), (5.5, 0.5), (5.5, 4.5), (0.5, 4.5))):
        add(s, "column", f"K{k}", (x, y, 0), (x, y, 3.5 - gap), z=(1, 0, 0))
    plate(s, "slab", "floor", (0.0, 0.0, 3.5), (6.0, 5.0, 3.7))
    return model(s)


@pytest.mark.parametrize("gap", [0.04, 0.12, 0.25, 0.29])
def test_a_column_short_of_a_slab_is_named_and_tied(gap: float) -> None:
    m = on_columns(gap)
    found = gaps(m)
    assert [f.severity for f in found] == ["blocking"] * 4
    assert [f.numbers["distance"] for f in found] == pytest.approx([gap] * 4)
    for f in found:
        for edit in edits_for(m, f, f.actions[0]):
            edit.apply(m)
    assert not gaps(m) and len({j.node for j in m.surfaces["floor"].joints}) == 4


@pytest.mark.parametrize("gap", [0.0, 0.02, 0.31])
def test_a_column_within_the_snap_or_beyond_the_search_is_no_gap(gap: float) -> None:
    assert not gaps(on_columns(gap))


def on_beams(gap: float) -> Model:
    s = source([0.0, 4.0])
    for k, (x, y) in enumerate(((0, 0), (6, 0), (6, 5), (0, 5))):
        add(s, "column", f"K{k}", (x, y, 0), (x, y, 4.0), z=(1, 0, 0))
    for k, (a, b) in enumerate((((0, 0), (6, 0)), ((6, 0), (6, 5)), ((6, 5), (0, 5)), ((0, 5), (0, 0)))):
        add(s, "beam", f"B{k}", (*a, 3.8), (*b, 3.8))
    plate(s, "slab", "floor", (-0.1, -0.1, 4.0 + gap), (6.1, 5.1, 4.2 + gap))
    return model(s)


@pytest.mark.parametrize("gap", [0.03, 0.1, 0.2])
def test_a_slab_above_its_beams_is_named_and_tied(gap: float) -> None:
    m = on_beams(gap)
    (f,) = [g for g in gaps(m) if "floor" in g.ids and len(g.ids) > 2]
    assert f.severity == "blocking" and set(f.ids) == {"B0", "B1", "B2", "B3", "floor"}
    for edit in edits_for(m, f, f.actions[0]):
        edit.apply(m)
        assert {j.other for j in m.surfaces["floor"].joints if j.kind == "member"} == {"B0", "B1", "B2", "B3"}
        edit.revert(m)
    assert not [j for j in m.surfaces["floor"].joints if j.kind == "member"]


@pytest.mark.parametrize("gap", [0.0, 0.02])
def test_a_slab_on_its_beams_is_no_gap(gap: float) -> None:
    assert not [f for f in gaps(on_beams(gap)) if "floor" in f.ids]


def test_a_bar_under_the_beams_of_a_slab_is_no_gap() -> None:
    """A second beam 0.25 m below the first: the slab lies on the first."""
    s = source([0.0, 4.0])
    for x in (0, 6):
        for y in (0, 5):
            add(s, "column", f"K{x}{y}", (x, y, 0), (x, y, 4.0), z=(1, 0, 0))
        add(s, "beam", f"B{x}", (x, 0, 3.8), (x, 5, 3.8))
        add(s, "beam", f"T{x}", (x, 0, 3.55), (x, 5, 3.55))
    plate(s, "slab", "floor", (-0.1, -0.1, 4.0), (6.1, 5.1, 4.2))
    assert not [f for f in gaps(model(s)) if "floor" in f.ids]


def test_an_end_that_lies_along_a_slab_it_is_joined_to_is_not_loose() -> None:
    """A plate on the edge of a slab: its ends meet no member, and the slab carries them; beyond the slab by
    more than the search distance an end is loose."""
    for over, loose in ((0.0, 0), (0.25, 0), (0.8, 1)):
        s = source([0.0])
        plate(s, "slab", "s", (0, 0, -0.2), (6, 4, 0.0))
        add(s, "beam", "P", (0.0, 0.2, 0.2), (6.0 + over, 0.2, 0.2))
        m = model(s)
        assert [j.other for j in m.surfaces["s"].joints if j.kind == "member"] == ["P"]
        assert len(loose_ends(Subject(m))) == loose, over


@pytest.mark.parametrize("beyond", [0.0, 0.2, 0.6])
@pytest.mark.parametrize("turned", [False, True])
def test_an_end_that_goes_past_stops_short_of_nothing(beyond: float, turned: bool) -> None:
    """A beam that passes 60 mm beside a column and goes on: while its end lies within both bodies' size of
    the column it may have been meant for it, farther on it was not."""
    s = source([0.0, 4.0])
    add(s, "column", "K", (0, 0, 0), (0, 0, 4), z=(1, 0, 0))
    line = [(-3.0, 0.31, 3.0), (beyond, 0.31, 3.0)]
    add(s, "beam", "B", *(line[::-1] if turned else line))
    found = [f for f in run_checks(Subject(model(s))) if f.code == "join.gap"]
    assert [set(f.ids) for f in found] == ([{"B", "K"}] if beyond < 0.5 else [])


@pytest.mark.parametrize("beyond", [-0.1, 0.5])
def test_a_rafter_that_passes_over_a_wall_is_not_meant_for_it(beyond: float) -> None:
    """Its tail lies outside of the wall and above its head: within the search distance, but behind the
    end."""
    s = source([0.0])
    plate(s, "wall", "w", (-3, 0, 0), (3, 0.24, 3.0))
    slope = np.array([0.0, -0.8, -0.6])
    end = np.array([0.0, 0.12, 3.0 + 0.4]) + slope * (0.12 + beyond)
    add(s, "beam", "R", tuple(end - 4.0 * slope), tuple(end))
    found = [f for f in run_checks(Subject(model(s))) if f.code == "join.gap"]
    assert bool(found) == (beyond < 0)
