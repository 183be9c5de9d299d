"""Every attribute of a revision that can differ gives its own row and no other; what is the same gives
none."""

from __future__ import annotations

from collections.abc import Callable
from copy import deepcopy
from dataclasses import replace

import numpy as np
import pytest

from rod_tally.compare import Comparison, compare
from rod_tally.compare.results import ResultChange
from rod_tally.intake import SourceModel
from rod_tally.model import (
    FREE,
    PINNED,
    PINNED_END,
    AreaLoad,
    LoadCase,
    MemberLoad,
    Model,
    NodeLoad,
    Settings,
    Support,
    Surface,
    TemperatureLoad,
)
from rod_tally.model.edits import ReverseMembers
from rod_tally.review import Review, review
from rod_tally.review.work import side_of
from rod_tally.transfer import transfer

from .physical_models import block, moved
from .test_panels import plate

TOP = 8.0


def building() -> SourceModel:
    """Two storeys of columns, beams and a slab, as a file would bring them."""
    s = block(2, 2)
    plate(s, "slab", "floor", (0, 0, 4.0), (12, 10, 4.2))
    return s


def loaded(s: SourceModel, prefix: str = "") -> Model:
    """The model of a source with loads on its named parts, every identity with a prefix. Loads on members lie
    the same from either end: which way a member runs is the transfer's choice."""
    for item in (*s.elements, *s.surfaces, *s.footings):
        item.id = prefix + item.name
    m = transfer(s, Settings().transfer)
    corner = m.members[prefix + "K122"]
    top = max((m.nodes[n] for n in (corner.start, corner.end)), key=lambda n: float(n.point[2]))
    down = (0.0, 0.0, -1e3)
    m.cases["Q"] = LoadCase("Q", "live", category="B")
    m.cases["Q"].member_loads = [
        MemberLoad(prefix + "X100", 1.0, 5.0, down, down), MemberLoad(prefix + "Y100", 2.5, 2.5, (0, 0, -5e3), (0, 0, -5e3)),
    ]  # fmt: skip
    m.cases["Q"].area_loads = [AreaLoad(prefix + "floor", ((0, 0, -2e3),))]
    m.cases["Q"].temperatures = [TemperatureLoad(prefix + "X110", 15.0, 0.0, 0.0)]
    m.cases["Q"].node_loads = [NodeLoad(top.id, down, (0.0, 0.0, 0.0))]
    m.cases["W"] = LoadCase("W", "dead", node_loads=[NodeLoad(top.id, (0, 0, -2e3))])
    return m


def reviewed(m: Model) -> Review:
    options = Settings()
    options.modes.count = 3
    return review(m, options)


def compared(base: Review, revised: Review) -> Comparison:
    return compare(side_of(base), side_of(revised), (base.distribution, revised.distribution))


@pytest.fixture(scope="module")
def base() -> Review:
    return reviewed(loaded(building()))


def quiet(c: Comparison) -> None:
    """Nothing differs anywhere."""
    assert {m.status for m in c.parts} == {"same"}
    assert {s.status for s in c.supports} == {"same"}
    assert {x.status for x in c.cases} == {"same"} and c.loads == []
    assert {x.status for x in c.combinations} == {"same"}


def test_the_same_building_with_new_identities_is_the_same(base: Review) -> None:
    c = compared(base, reviewed(loaded(building(), "new ")))
    quiet(c)
    assert c.transform is None
    for r in c.results:
        assert r.revised == pytest.approx(r.baseline, rel=1e-6, abs=1e-3), r


@pytest.mark.parametrize(
    "angle, shift",
    [(0.0, (400_000.0, 5_600_000.0, 12.0)), (0.4, (30.0, -20.0, 0.0)), (np.pi / 2, (0.0, 0.0, 3.0))],
)
def test_turned_and_shifted_it_is_compared_in_its_own_axes(
    base: Review, angle: float, shift: tuple[float, ...]
) -> None:
    """New identities, another place, another order: no change, totals to 1e-9 of the largest, results
    alike."""
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    source = building()
    for p in source.surfaces:
        assert p.body is not None
        p.body = replace(p.body, outer=p.body.outer @ turn.T + shift, vector=turn @ p.body.vector)
    for f in source.footings:
        middle, half = (f.lower + f.upper) / 2 @ turn.T + shift, (f.upper - f.lower) / 2
        f.lower, f.upper = middle - half, middle + half
    for x in source.storeys:
        x.elevation += shift[2]
    order = list(np.random.default_rng(2).permutation(len(source.elements)))
    revised = reviewed(loaded(moved(source, turn, np.array(shift), order), "new "))
    found = compared(base, revised)
    quiet(found)
    assert found.transform is not None and found.transform.angle == pytest.approx(angle, abs=1e-6)
    for x in found.cases:
        assert x.baseline_total is not None
        size = max(abs(v) for v in x.baseline_total[:3])
        assert x.revised_total == pytest.approx(x.baseline_total, abs=1e-6 * size * 20)
    for r in found.results:
        scale = 1e-3 if r.quantity[0] in "uryd" else 50.0
        assert r.revised == pytest.approx(r.baseline, rel=2e-3, abs=scale), r


Edit = Callable[[Model], None]


def _member(name: str, **values: object) -> Edit:
    def change(m: Model) -> None:
        for key, value in values.items():
            setattr(m.members["new " + name], key, value)

    return change


def _beam_end(m: Model) -> None:
    line = m.members["new X101"].source_line
    assert line is not None
    m.members["new X101"].source_line = line + np.array([[0, 0, 0], [-0.5, 0, 0]])


def _stiffness(m: Model) -> None:
    m.materials["S355"].E = 1e9


CHANGES: dict[str, tuple[Edit, set[str]]] = {
    "ends": (_beam_end, {"X101 changed ends"}),
    "release": (_member("X101", release_end=PINNED_END), {"X101 changed release_end"}),
    "turn": (_member("X101", z_axis=np.array([0.0, 1, 0])), {"X101 changed turn"}),
    "section": (_member("X101", section="col 300x300"), {"X101 resized section"}),
    "material": (
        lambda m: (
            m.materials.update(C=replace(m.materials["S355"], name="C", E=30e9)),
            _member("X101", material="C")(m),
        ),
        {"X101 changed material"},
    ),  # type: ignore[dict-item,func-returns-value]
    "thickness": (lambda m: setattr(m.surfaces["new floor"], "thickness", 0.25), {"floor resized thickness"}),
    "opening": (
        lambda m: m.surfaces["new floor"].openings.append(
            np.array([[2, 2, 4.1], [3, 2, 4.1], [3, 3, 4.1], [2, 3, 4.1]])
        ),
        {"floor changed openings"},
    ),
    "outline": (lambda m: _outline(m), {"floor changed outline"}),
    "support": (lambda m: _support(m, PINNED), {"support changed"}),
    "no support": (lambda m: _support(m, FREE), {"support removed"}),
    "spring": (lambda m: _support(m, Support.of("ux uy uz=2.5e7 rx ry rz")), {"support changed"}),
    "load": (
        lambda m: setattr(m.cases["Q"].member_loads[0], "qb", (0, 0, -3e6)),
        {"case Q changed", "load changed line force"},
    ),
    "area load": (
        lambda m: setattr(m.cases["Q"].area_loads[0], "values", ((0, 0, -2.1e3),)),
        {"case Q changed", "load changed area load"},
    ),
    "load place": (
        lambda m: (
            setattr(m.cases["Q"].member_loads[1], "a", 2.0)
            or setattr(m.cases["Q"].member_loads[1], "b", 2.0)
            or m.cases["Q"].member_loads.pop()
        ),
        {"case Q changed", "load removed point force"},
    ),  # type: ignore[func-returns-value]
    "temperature": (
        lambda m: setattr(m.cases["Q"].temperatures[0], "uniform", 20.0),
        {"case Q changed", "load changed temperature"},
    ),
    "kind": (lambda m: setattr(m.cases["W"], "kind", "snow"), {"case W changed"}),
    "case gone": (lambda m: m.cases.pop("W"), {"case W removed"}),
    "case new": (lambda m: m.cases.update(S=LoadCase("S", "snow")), {"case S added"}),
    "case renamed": (lambda m: _rename(m), {"case Wall weight renamed"}),
}


def _outline(m: Model) -> None:
    s = m.surfaces["new floor"]
    assert s.source_outer is not None
    s.source_outer = s.source_outer.copy()
    s.source_outer[s.source_outer[:, 0] > 11.0, 0] += 0.5


def _support(m: Model, support: Support) -> None:
    node = next(n for n in m.nodes.values() if n.support.any)
    node.support = support


def _rename(m: Model) -> None:
    case = m.cases.pop("W")
    case.name = "Wall weight"
    m.cases["Wall weight"] = case


def differences(c: Comparison) -> set[str]:
    out = set()
    for m in c.parts:
        name = (m.revised_id or m.baseline_id or "").removeprefix("new ")
        out |= {f"{name} {m.status} {x.what}" for x in m.changes} or (
            {f"{name} {m.status}"} if m.status != "same" else set()
        )
    out |= {f"support {s.status}" for s in c.supports if s.status != "same"}
    out |= {f"case {x.name} {x.status}" for x in c.cases if x.status != "same"}
    out |= {f"load {x.status} {x.what}" for x in c.loads}
    return out


@pytest.mark.parametrize("what", CHANGES)
def test_one_change_gives_exactly_its_rows(base: Review, what: str) -> None:
    change, expected = CHANGES[what]
    m = loaded(building(), "new ")
    change(m)
    before = deepcopy(base.model.members["X101"])
    options = Settings()
    options.modes.count = 0
    revised = Review(m, options, base.results, [], [])
    revised.stale = True
    c = compared(base, revised)
    found = differences(c)
    assert expected == found
    assert np.array_equal(before.source_line, base.model.members["X101"].source_line)  # type: ignore[arg-type]


def test_a_modulus_of_another_size_is_a_change_of_every_member(base: Review) -> None:
    m = loaded(building(), "new ")
    _stiffness(m)
    revised = Review(m, Settings(), base.results, [], [])
    revised.stale = True
    c = compared(base, revised)
    assert {x.what for row in c.members for x in row.changes} == {"material"}
    assert all("E 2.1e+11" in x.was and "E 1e+09" in x.is_ for row in c.members for x in row.changes)


def test_members_that_run_the_other_way_round_are_the_same_with_their_signs(base: Review) -> None:
    m = loaded(building(), "new ")
    ReverseMembers(["new X100", "new Y110", "new K000"]).apply(m)
    m.log.clear()
    for name in ("new X100", "new Y110", "new K000"):
        line = m.members[name].source_line
        assert line is not None
    c = compared(base, reviewed(m))
    assert {row.baseline_id for row in c.members if row.flipped} == {"X100", "Y110", "K000"}
    assert not [row for row in c.members if row.changes], [row for row in c.members if row.changes]
    for r in c.results:
        assert r.revised == pytest.approx(r.baseline, rel=1e-5, abs=1.0), r


def test_results_are_those_of_shared_cases_alone(base: Review) -> None:
    """A case that is missing makes nothing smaller: the envelope is over what both have."""
    m = loaded(building(), "new ")
    del m.cases["Q"]
    c = compared(base, reviewed(m))
    assert {b for _, b in c.shared.cases} == {"Self-weight", "W"}
    (finding,) = [f for f in c.findings if f.code == "match.loads"]
    assert "cases removed: Q" in finding.message
    for r in c.results:
        assert r.case != "Q"
        if r.case == "envelope":
            assert r.revised == pytest.approx(r.baseline, rel=1e-6, abs=1e-3)


def test_the_envelope_is_the_largest_of_the_rows_case_by_case_whether_these_are_kept_or_not(
    base: Review, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By brute force over all rows; beyond the most rows the same envelope, with sums of supports alone
    beside it."""
    m = loaded(building(), "new ")
    m.cases["Q"].member_loads[0] = replace(m.cases["Q"].member_loads[0], qa=(0, 0, -9e3), qb=(0, 0, -9e3))
    revised = reviewed(m)
    full = compared(base, revised).results
    monkeypatch.setattr("rod_tally.compare.results.pairs.MOST_ROWS", 0)
    short = compared(base, revised).results

    def envelope_of(rows: list[ResultChange]) -> dict[tuple[object, ...], tuple[float, float]]:
        return {
            (r.quantity, r.baseline_id, r.revised_id): (r.baseline, r.revised)
            for r in rows
            if r.case == "envelope"
        }

    largest: dict[tuple[object, ...], list[float]] = {}
    runs = {*base.results.cases, *(c.name for c in base.computed_combinations)}
    for r in full:
        if r.case in runs and r.quantity not in ("shear_x", "shear_y", "drift_x", "drift_y"):
            best = largest.setdefault((r.quantity, r.baseline_id, r.revised_id), [0.0, 0.0])
            best[0] = r.baseline if abs(r.baseline) > abs(best[0]) else best[0]
            best[1] = r.revised if abs(r.revised) > abs(best[1]) else best[1]
    found = envelope_of(full)
    assert found and {k: tuple(v) for k, v in largest.items()} == found == envelope_of(short)
    assert len(short) < len(full)
    assert {r.baseline_id for r in short if r.case in runs and r.quantity in ("n", "my", "ux")} == set()


def test_grid_lines_are_paired_by_place_then_by_name(base: Review) -> None:
    """Same on one line however long it is drawn, renamed, moved, added, removed; turned with the building."""
    from rod_tally.compare.align import Transform
    from rod_tally.compare.levels import match_grids
    from rod_tally.model.entities.grid import GridLine

    def lines(*rows: tuple[str, float], length: float = 10.0) -> Model:
        m = Model()
        m.grids = [GridLine(name, np.array([[x, 0.0], [x, length]])) for name, x in rows]
        return m

    old = lines(("A", 0.0), ("B", 5.0), ("C", 9.0), ("D", 14.0))
    new = lines(("A", 0.0), ("B2", 5.0), ("C", 9.2), ("E", 20.0), length=12.0)
    found = {(g.baseline_name, g.revised_name): g.status for g in match_grids(old, new, None)}
    assert found == {
        ("A", "A"): "same",
        ("B", "B2"): "renamed",
        ("C", "C"): "moved",
        (None, "E"): "added",
        ("D", None): "removed",
    }
    t = Transform(0.3, (100.0, 50.0, 0.0))
    turned = lines(("A", 0.0), ("B", 5.0))
    for g in turned.grids:
        g.points = t.apply(np.column_stack([g.points, np.zeros(2)]))[:, :2]
    assert [g.status for g in match_grids(lines(("A", 0.0), ("B", 5.0)), turned, t)] == ["same", "same"]


def test_a_door_at_the_foot_of_a_wall_is_an_opening() -> None:
    """One that is moved, widened or walled up changes the openings of its wall and not its outline; a longer
    wall is another outline."""
    from rod_tally.compare.surfaces import match_surfaces

    def wall(width: float, *doors: tuple[float, float]) -> Model:
        m = Model()
        foot = [(0.0, 0.0)]
        for a, b in doors:
            foot += [(a, 0.0), (a, 2.1), (b, 2.1), (b, 0.0)]
        outer = np.array([(3.0, x, z) for x, z in [*foot, (width, 0.0), (width, 3.0), (0.0, 3.0)]])
        m.surfaces["w"] = Surface("w", "w", "wall", "", outer, [], 0.2, "")
        return m

    def changed(a: Model, b: Model) -> list[str]:
        (row,) = match_surfaces(a, b, None)
        return [c.what for c in row.changes]

    base = wall(6.0, (1.0, 2.0))
    assert changed(base, wall(6.0, (1.0, 2.0))) == []
    assert changed(base, wall(6.0, (1.5, 2.5))) == changed(base, wall(6.0, (1.0, 2.4))) == ["openings"]
    assert changed(base, wall(6.0)) == changed(base, wall(6.0, (1.0, 2.0), (4.0, 5.0))) == ["openings"]
    assert changed(base, wall(6.2, (1.0, 2.0))) == ["outline"]
