"""Which member is which in a revision, by the rules of the contract."""

from __future__ import annotations

from copy import deepcopy

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis import run
from rod_tally.compare import Comparison, Side, compare
from rod_tally.compare.align import find_transform, turn
from rod_tally.compare.results.along import forces_before
from rod_tally.intake import SourceModel
from rod_tally.intake.source import SourceProfile
from rod_tally.model import LoadCase, Model, NodeLoad, Storey
from rod_tally.model.settings import RunSettings

from .physical_models import add, block, model


def renamed(s: SourceModel) -> SourceModel:
    """The same model exported again: every identity new."""
    for k, e in enumerate(s.elements):
        e.id = f"new{k:03d}"
    return s


def element(s: SourceModel, name: str) -> object:
    return next(e for e in s.elements if e.name == name)


def shift(s: SourceModel, name: str, *step: float) -> None:
    e = element(s, name)
    e.line = e.line + np.array(step)  # type: ignore[attr-defined]


def compared(base: SourceModel, revised: SourceModel) -> Comparison:
    return compare(Side(model(base)), Side(model(revised)))


def rows(c: Comparison, *statuses: str) -> set[tuple[str, str | None, str | None]]:
    return {(m.status, m.baseline_id, m.revised_id) for m in c.members if m.status in statuses}


def test_an_unchanged_model_is_the_same_whatever_its_identities() -> None:
    base, revised = block(), renamed(block())
    c = compared(base, revised)
    assert {m.status for m in c.members} == {"same"}
    assert len(c.members) == len(base.elements)
    assert {(m.baseline_id, m.revised_id) for m in c.members} == {
        (e.id, f"new{k:03d}") for k, e in enumerate(base.elements)
    }
    assert c.transform is None


@pytest.mark.parametrize(
    ("step", "status"),
    [
        (0.0005, "same"), (0.0011, "moved"), (0.03, "moved"), (0.149, "moved"), (0.15, "moved"),
        (0.15 + 4e-7, "moved"), (0.15 + 3e-6, "gone"), (0.151, "gone"), (1.0, "gone"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("way", [(1, 0), (-1, 0), (0, 1), (0, -1)])
def test_a_column_is_itself_within_its_outline(step: float, status: str, way: tuple[int, int]) -> None:
    """Outline 300 x 300: half of it is 150 mm, and what reaches it, but for what files carry, is within."""
    revised = renamed(block())
    shift(revised, "K011", step * way[0], step * way[1], 0)
    c = compared(block(), revised)
    mine = [m for m in c.members if m.baseline_id == "K011"]
    assert len(mine) == 1
    if status == "gone":
        assert mine[0].status == "removed"
        assert c.count("added") == 1 and c.count("removed") == 1
    else:
        assert mine[0].status == status
        assert mine[0].shift == pytest.approx(step if status == "moved" else 0.0)


def test_a_column_counts_in_plan_a_beam_in_its_normal_plane() -> None:
    """A column made longer and a beam moved along itself have not moved, their ends have; a beam set lower by
    100 mm has."""
    revised = renamed(block())
    element(revised, "K111").line[1, 2] += 0.5  # type: ignore[attr-defined]
    shift(revised, "X000", 0.1, 0, 0)
    shift(revised, "X001", 0, 0, -0.1)
    c = compared(block(), revised)
    status = {m.baseline_id: (m.status, m.shift) for m in c.members}
    assert status["K111"] == ("changed", 0.0)
    assert status["X000"] == ("changed", 0.0)
    assert status["X001"] == ("moved", pytest.approx(0.1))


def test_resized_even_when_it_moved_and_names_are_no_proof() -> None:
    base, revised = block(), renamed(block())
    revised.profiles["large"] = SourceProfile("large", "rectangle", {"width": 0.2, "depth": 0.5})
    revised.profiles["respelled"] = SourceProfile("respelled", "rectangle", {"width": 0.2, "depth": 0.4})
    element(revised, "X000").profile = "large"  # type: ignore[attr-defined]
    element(revised, "X001").profile = "large"  # type: ignore[attr-defined]
    shift(revised, "X001", 0, 0.05, 0)
    element(revised, "X002").profile = "respelled"  # type: ignore[attr-defined]
    c = compared(base, revised)
    status = {m.baseline_id: m for m in c.members}
    assert (status["X000"].status, status["X000"].shift) == ("resized", 0.0)
    assert (status["X001"].status, status["X001"].shift) == ("resized", pytest.approx(0.05))
    assert (status["X001"].baseline_section, status["X001"].revised_section) == ("beam 200x400", "large")
    assert status["X002"].status == "same"


def test_added_removed_and_a_new_level() -> None:
    base, revised = block(), renamed(block())
    revised.elements = [e for e in revised.elements if e.name != "Y000"]
    revised.storeys.append(Storey("Gallery", 6.0))
    add(revised, "beam", "G", (0.15, 0, 5.8), (5.85, 0, 5.8)).id = "gallery"
    c = compared(base, revised)
    assert rows(c, "added", "removed") == {("removed", "Y000", None), ("added", None, "gallery")}
    assert [(x.name, x.status) for x in c.levels] == [
        ("L0", "same"),
        ("L1", "same"),
        ("Gallery", "added"),
        ("L2", "same"),
    ]


def test_identity_does_not_hold_where_the_place_does_not_agree() -> None:
    """Two columns that swapped their identities are matched by place."""
    base, revised = block(), block()
    a, b = element(revised, "K000"), element(revised, "K022")
    a.id, b.id = b.id, a.id  # type: ignore[attr-defined]
    c = compared(base, revised)
    assert {m.status for m in c.members} == {"same"}
    assert ("same", "K000", "K022") in rows(c, "same")


def test_every_member_has_one_row() -> None:
    base, revised = block(), renamed(block())
    for name in ("K011", "X100", "Y010"):
        shift(revised, name, 0.4, 0.4, 0)
    c = compared(base, revised)
    old = [m.baseline_id for m in c.members if m.baseline_id]
    new = [m.revised_id for m in c.members if m.revised_id]
    assert sorted(old) == sorted(e.id for e in base.elements)
    assert sorted(new) == sorted(e.id for e in revised.elements)


def turned(s: SourceModel, angle: float, step: np.ndarray) -> SourceModel:
    c, n = np.cos(angle), np.sin(angle)
    r = np.array([[c, -n, 0], [n, c, 0], [0, 0, 1.0]])
    for e in s.elements:
        e.line, e.z_axis, e.y_axis = e.line @ r.T + step, r @ e.z_axis, r @ e.y_axis
    s.footings = []
    s.storeys = [Storey(x.name, x.elevation + float(step[2])) for x in s.storeys]
    return s


@settings(max_examples=20, deadline=None)
@given(st.floats(-3.1, 3.1), st.tuples(st.floats(-300, 300), st.floats(-300, 300), st.floats(-20, 20)))
def test_a_whole_building_shifted_turned_or_raised_is_said_once(angle: float, step: tuple) -> None:
    if abs(angle) < 1e-3 and np.linalg.norm(step) < 1e-2:
        return
    # a beam more, so that the block has one way to lie on itself
    base, revised = block(2, 1), block(2, 1)
    for s in (base, revised):
        add(s, "beam", "odd", (3, 0.1, 3.8), (3, 4.9, 3.8))
        add(s, "beam", "odder", (6.1, 2, 3.8), (11.9, 2, 3.8))
    base.footings = []
    c = compared(base, renamed(turned(revised, angle, np.array(step))))
    assert {m.status for m in c.members} == {"same"}
    assert c.transform is not None
    assert {x.status for x in c.levels} <= {"same"}
    wrapped = (c.transform.angle - angle + np.pi) % (2 * np.pi) - np.pi
    assert wrapped == pytest.approx(0, abs=1e-6)
    assert c.transform.shift == pytest.approx(step, abs=1e-3)
    assert sum(f.code == "match.transform" for f in c.findings) == 1


@pytest.mark.parametrize(("bays", "skew", "moved"), [(20, 60, 0), (20, 0, 40), (60, 200, 100)])
def test_skew_and_moved_members_do_not_turn_the_rest(bays: int, skew: int, moved: int) -> None:
    """A long building turned and shifted as a whole, with new beams askew and others moved by 8 mm: the turn
    and the shift are those of all the rest, to a hundredth of a millimetre at its far end."""
    rng = np.random.default_rng(bays + skew + moved)
    at = [(7.5 * i, 6.0 * j, 4.0 * (k + 1)) for i in range(bays + 1) for j in range(4) for k in range(2)]
    steps = (("column", (0, 0, -4.0)), ("beam", (7.5, 0, 0)), ("beam", (0, 6.0, 0)))
    base = np.array([(p, np.add(p, d)) for p in at for _, d in steps])
    classes = [c for _ in at for c, _ in steps]
    revised = base.copy()
    revised[rng.choice(len(base), moved, replace=False)] += (0.0, 0.008, 0.0)
    angle = np.radians(rng.uniform(3, 15, skew))
    start = np.stack([rng.uniform(0, 7.5 * bays, skew), rng.uniform(0, 18, skew), np.full(skew, 4.0)], axis=1)
    along = np.stack([np.cos(angle), np.sin(angle), 0 * angle], axis=1)
    revised = np.concatenate([revised, np.stack([start, start + 8 * along], axis=1)])
    t = turn(0.6)
    found = find_transform(base, revised @ t.T + (100.0, 50.0, 3.0), classes, [*classes, *["beam"] * skew])
    assert found is not None
    assert np.abs(found.apply(base) - (base @ t.T + (100.0, 50.0, 3.0))).max() < 1e-5


def test_a_shifted_building_with_changes_still_shows_them() -> None:
    base, revised = block(2, 2), renamed(block(2, 2))
    base.footings = []
    shift(revised, "K011", 0.04, 0, 0)
    revised.elements = [e for e in revised.elements if e.name != "X111"]
    c = compared(base, turned(revised, 0.0, np.array([0.02, 5.0, 0.0])))
    assert c.transform is not None and c.transform.shift == pytest.approx((0.02, 5.0, 0.0), abs=1e-6)
    assert (c.count("moved"), c.count("removed"), c.count("added")) == (1, 1, 0)


def test_ambiguous_match_is_said() -> None:
    """Two equal beams on top of each other in the baseline, one in the revision."""
    base, revised = block(), renamed(block())
    extra = deepcopy(element(base, "X000"))
    extra.id = extra.name = "X000 bis"  # type: ignore[attr-defined]
    base.elements.append(extra)  # type: ignore[arg-type]
    found = [f for f in compared(base, revised).findings if f.code == "match.ambiguous"]
    assert len(found) == 1 and set(found[0].ids) >= {"X000", "X000 bis"}


def loaded(s: SourceModel, force: float) -> Model:
    m = model(s)
    top = max(m.nodes.values(), key=lambda n: (n.point[2], n.point[0], n.point[1])).id
    m.cases["Wind"] = LoadCase("Wind", "wind", node_loads=[NodeLoad(top, (force, 0, 0))])
    return m


def test_results_say_who_got_worse_and_by_how_much() -> None:
    """Twice the wind: every member's envelope moves, and change is revised less baseline."""
    base, revised = loaded(block(1, 1), 1e4), loaded(renamed(block(1, 1)), 2e4)
    runs = [run(m, RunSettings(cases=["Wind"])) for m in (base, revised)]
    c = compare(Side(base, runs[0]), Side(revised, runs[1]))
    forces = [r for r in c.results if r.quantity == "my" and r.baseline_id == "K000"]
    assert [r.case for r in forces] == ["Wind", "envelope"] and forces[0].revised_id == "new000"
    assert forces[0].revised == pytest.approx(2 * forces[0].baseline, rel=1e-9)
    assert forces[0].change == pytest.approx(forces[0].baseline, rel=1e-9)
    total = next(r for r in c.results if r.quantity == "fx" and r.baseline_id is None)
    assert (total.baseline, total.revised) == (pytest.approx(-1e4), pytest.approx(-2e4))
    assert any(r.quantity == "ux" and r.case == "Wind" for r in c.results)
    assert any(r.quantity == "fz" and r.baseline_id for r in c.results)
    assert c.shared.cases == [("Wind", "Wind")]


def test_cases_new_and_gone() -> None:
    base, revised = loaded(block(1, 1), 1e4), model(block(1, 1))
    revised.cases["Snow"] = LoadCase("Snow", "snow")
    c = compare(Side(base), Side(revised))
    assert {(x.name, x.status) for x in c.cases} == {
        ("Self-weight", "same"),
        ("Snow", "added"),
        ("Wind", "removed"),
    }


def test_comparing_changes_neither_side() -> None:
    base, revised = model(block()), model(renamed(block()))
    before = [m.source_line.copy() for m in base.members.values()]  # type: ignore[union-attr]
    compare(Side(base), Side(revised))
    assert all(np.array_equal(a, m.source_line) for a, m in zip(before, base.members.values()))  # type: ignore[arg-type]


def test_empty_sides() -> None:
    nothing = Model()
    full = model(block(1, 1))
    assert {m.status for m in compare(Side(nothing), Side(full)).members} == {"added"}
    assert {m.status for m in compare(Side(full), Side(nothing)).members} == {"removed"}
    assert compare(Side(nothing), Side(nothing)).members == []


def test_a_column_on_a_new_level_belongs_to_the_stack_below_it() -> None:
    found = [
        f
        for f in compare(Side(model(block(1, 1))), Side(model(block(1, 2)))).findings
        if f.code == "match.stack"
    ]
    assert len(found) == 1 and "4 new columns stand in stacks that were there" in found[0].message
    assert set(found[0].ids) == {"K100", "K101", "K110", "K111"}
    assert not [
        f
        for f in compare(Side(model(block(1, 2))), Side(model(block(1, 2)))).findings
        if f.code == "match.stack"
    ]


def test_forces_of_the_baseline_lie_where_they_were_in_the_building() -> None:
    """Turned, shifted and read the other way round, a member shows the same diagram: each force at the same
    place of it."""
    base, revised = (
        loaded(block(1, 1), 1e4),
        loaded(renamed(turned(block(1, 1), 0.5, np.array([9.0, 4.0, 0.0]))), 1e4),
    )
    force = turn(0.5) @ np.array([1e4, 0.0, 0.0])
    for load in revised.cases["Wind"].node_loads:
        top = base.cases["Wind"].node_loads[0].node
        there = turn(0.5) @ (base.nodes[top].point + base.origin) + (9.0, 4.0, 0.0) - revised.origin
        load.node = min(revised.nodes, key=lambda n: float(np.linalg.norm(revised.nodes[n].point - there)))
        load.force = (float(force[0]), float(force[1]), 0.0)
    sides = [Side(m, run(m, RunSettings(cases=["Wind"]))) for m in (base, revised)]
    c = compare(*sides)
    for m in c.members:
        assert m.baseline_id is not None and m.revised_id is not None
        ((x, was),) = forces_before(*sides, c, m.revised_id, "Wind")
        r = sides[1].results
        assert r is not None
        at = r.stations_of(m.revised_id)
        assert x == pytest.approx(r.station_x[at], abs=1e-6)
        assert np.allclose(was, r.force[0, at], atol=1e-4 * (1 + np.abs(was).max()))
    assert forces_before(*sides, c, m.revised_id, "Snow") == []
