"""Ends and slabs that stop short of what they are meant for are named up to the search distance, and tied
by a button."""

from __future__ import annotations

import pytest

from rod_tally.checks import Subject, run_checks
from rod_tally.desk.session.actions import edits_for
from rod_tally.model import Finding, Model

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
