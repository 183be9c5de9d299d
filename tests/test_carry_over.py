"""What was corrected and added for the reviewed revision is there again in its successor, at the same places,
or is named."""

from __future__ import annotations

from copy import deepcopy
from dataclasses import fields

import numpy as np
import pytest

from rod_tally.compare.carrying.carry import carry_only, carry_over
from rod_tally.model import PINNED, PINNED_END, MemberLoad, Model, NodeLoad, Settings, Support
from rod_tally.model.edits import AddLoads, PinBoth, SetRelease, SetSupport, load_values, make_again
from rod_tally.model.edits.base import Edit
from rod_tally.model.entities.loads import LoadCase
from rod_tally.transfer import transfer

from .physical_models import block, moved


def plain(prefix: str = "", angle: float = 0.0, shift: tuple[float, ...] = (0.0, 0.0, 0.0)) -> Model:
    s = block(2, 2)
    for item in (*s.elements, *s.footings):
        item.id = prefix + item.name
    c, si = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -si, 0], [si, c, 0], [0, 0, 1.0]])
    for f in s.footings:
        middle, half = (f.lower + f.upper) / 2 @ turn.T + shift, (f.upper - f.lower) / 2
        f.lower, f.upper = middle - half, middle + half
    for x in s.storeys:
        x.elevation += shift[2]
    order = list(np.random.default_rng(4).permutation(len(s.elements))) if prefix else None
    m = transfer(moved(s, turn, np.array(shift), order), Settings().transfer)
    m.cases["Q"] = LoadCase("Q", "live")
    return m


def corrected() -> tuple[Model, list[Edit]]:
    """A base with supports, releases and loads made by hand."""
    m = plain()
    top = m.members["K111"].end if m.nodes[m.members["K111"].end].point[2] > 1 else m.members["K111"].start
    edits: list[Edit] = [
        SetRelease(["X100", "X101", "Y101", "Y111"], False, PINNED_END),
        PinBoth(["Y100", "Y110"]),
        SetSupport([top], PINNED),
        AddLoads("Q", [load_values(MemberLoad("X110", 1.0, 2.5, (0.0, 1e3, -2e3), (0.0, 1e3, -4e3)))]),
        AddLoads("Q", [load_values(NodeLoad(top, (3e3, 1e3, -5e3), (0.0, 2e3, 0.0)))]),
        AddLoads("Q", [load_values(MemberLoad("X110", 4.0, 4.0, (0.0, 1e3, -7e3), (0.0, 1e3, -7e3)))]),
    ]
    for e in edits:
        e.apply(m)
    return m, edits


def actions(m: Model) -> np.ndarray:
    """Force and moment about the origin of the source's axes of all loads placed by hand, (6,)."""
    out = np.zeros(6)
    for load in m.cases["Q"].member_loads:
        line = m.line(m.members[load.member]) + m.origin
        u = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        for t, w in (
            ((0.0, 1.0),) if load.a == load.b else ((0.5 - 0.5 / 3**0.5, 0.5), (0.5 + 0.5 / 3**0.5, 0.5))
        ):
            size = 1.0 if load.a == load.b else load.b - load.a
            f = (np.array(load.qa) * (1 - t) + np.array(load.qb) * t) * w * size
            out += np.concatenate([f, np.cross(line[0] + u * (load.a + (load.b - load.a) * t), f)])
    for node in m.cases["Q"].node_loads:
        p = m.nodes[node.node].point + m.origin
        out += np.concatenate([node.force, np.cross(p, node.force) + node.moment])
    return out


def test_the_same_building_keeps_everything() -> None:
    base, edits = corrected()
    new = plain("new ")
    over = carry_over(base, new)
    assert [x.status for x in over.lines] == ["carried"] * len(edits), [(x.what, x.words) for x in over.lines]
    assert actions(new) == pytest.approx(actions(base), rel=1e-9, abs=1e-6)
    assert {n.support.words for n in new.nodes.values()} == {n.support.words for n in base.nodes.values()}
    assert over.finding is not None and over.finding.severity == "note"
    for name in ("X100", "X101", "Y101", "Y111", "Y100", "Y110"):
        a, b = base.members[name], new.members["new " + name]
        flipped = np.linalg.norm(base.line(a)[0] - new.line(b)[0]) > 0.1
        ends = (b.release_end, b.release_start) if flipped else (b.release_start, b.release_end)
        assert ends == (a.release_start, a.release_end)


@pytest.mark.parametrize(
    "angle, shift", [(0.0, (12.7, 0, 0)), (0.7, (500.0, -30.0, 4.0)), (np.pi / 2, (0.0, 0.0, 0.0))]
)
def test_shifted_and_turned_it_keeps_everything(angle: float, shift: tuple[float, ...]) -> None:
    """Forces turn with the building, and their moments about its own origin stay."""
    base, _ = corrected()
    new = plain("new ", angle, shift)
    over = carry_over(base, new)
    assert {x.status for x in over.lines} <= {"carried", "moved"}, [(x.what, x.words) for x in over.lines]
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    was = actions(base)
    force = turn @ was[:3]
    assert actions(new)[:3] == pytest.approx(force, abs=1e-3)
    assert actions(new)[3:] == pytest.approx(turn @ was[3:] + np.cross(shift, force), abs=1.0)


def test_what_has_lost_its_target_is_named_and_the_rest_is_kept() -> None:
    base, edits = corrected()
    s = block(2, 2)
    for item in (*s.elements, *s.footings):
        item.id = "new " + item.name
    s.elements = [e for e in s.elements if e.name != "X110"]
    new = transfer(s, Settings().transfer)
    new.cases["Q"] = LoadCase("Q", "live")
    over = carry_over(base, new)
    gone = [x for x in over.lines if x.status == "gone"]
    assert len(gone) == 2 and all("X110" in x.words for x in gone)
    assert over.finding is not None and over.finding.severity == "warning" and "X110" in over.finding.message
    assert len(over.edits) == len(edits) - 2


def test_a_load_beyond_the_end_of_a_shortened_beam_is_cut_off_and_told() -> None:
    base, _ = corrected()
    s = block(2, 2)
    for item in (*s.elements, *s.footings):
        item.id = "new " + item.name
    new = transfer(s, Settings().transfer)
    new.cases["Q"] = LoadCase("Q", "live")
    base.cases["Q"].member_loads.clear()
    # as an earlier release kept them: without where their members ran
    base.corrections = [
        {k: v for k, v in r.items() if k != "lines"} for r in base.corrections if "X110" in str(r)
    ]
    along = base.line(base.members["X110"])
    u = (along[1] - along[0]) / np.linalg.norm(along[1] - along[0])
    base.nodes[base.members["X110"].start].point = base.nodes[base.members["X110"].start].point - 2.0 * u
    over = carry_over(base, new)
    assert [x.status for x in over.lines] == ["partly", "carried"]
    # 1 m of it, between 2 and 3.333 kN/m down with 1 kN/m across
    assert over.lines[0].words == f"{np.hypot(1.0, (2 + 10 / 3) / 2):.4g} kN lie beyond the end of beam X110"
    force = actions(new)[:3]
    assert force == pytest.approx([0, 1e3 * 0.5 + 1e3, -(10 / 3 + 4) / 2 * 1e3 * 0.5 - 7e3], rel=1e-9)


def test_carried_corrections_are_corrections_like_any_other() -> None:
    """They are made again from the records, and taken back one by one."""
    base, edits = corrected()
    new = plain("new ")
    before = deepcopy(new)
    over = carry_over(base, new)
    again = deepcopy(before)
    make_again(again, deepcopy(new.corrections))
    assert actions(again) == pytest.approx(actions(new))
    for e in reversed(over.edits):
        e.revert(new)
    assert new.corrections == []
    assert {m: (x.release_start, x.release_end) for m, x in new.members.items()} == {
        m: (x.release_start, x.release_end) for m, x in before.members.items()
    }


def test_acceptances_come_along_where_nothing_differs() -> None:
    """A finding that says the same of the same parts keeps its acceptance, marked once; other numbers open it
    again."""
    from rod_tally.model import Finding
    from rod_tally.review.decisions import carried_decisions

    old = [
        Finding("join.gap", "blocking", "40 mm", ("a", "b")),
        Finding("join.gap", "blocking", "50 mm", ("c",)),
        Finding("load.jump", "note", "x", ("d",)),
        Finding("section.unknown", "blocking", "y", ("e",)),
    ]
    made = {
        old[0].key: ("accepted", "as drawn"),
        old[1].key: ("accepted", "too"),
        old[3].key: ("corrected", ""),
    }
    new = [
        Finding("join.gap", "blocking", "40 mm", ("B", "A")),
        Finding("join.gap", "blocking", "51 mm", ("C",)),
        Finding("load.jump", "note", "x", ("d",)),
        Finding("section.unknown", "blocking", "y", ("e",)),
    ]
    twin = {"a": "A", "b": "B", "c": "C"}
    kept = carried_decisions(old, made, new, twin, "Revision A")
    assert kept == {new[0].key: ("accepted", "as drawn (decided on Revision A)")}
    assert carried_decisions(new, kept, new, {}, "Revision A") == kept


def held(m: Model) -> list[object]:
    """Releases of all members and supports of all nodes."""
    ends = [(x.id, x.release_start, x.release_end) for x in m.members.values()]
    return [*ends, *((i, n.support) for i, n in m.nodes.items())]


def test_lines_that_are_left_out_are_not_made_and_come_back_when_they_are_chosen_again() -> None:
    base, _ = corrected()
    new = plain("n")
    plain_model = deepcopy(new)
    over = carry_over(base, new)
    everything = deepcopy(new)
    named = {i for line in over.lines for i in line.targets}
    assert {"nX100", "nX101", "nY100", "nX110"} <= named and any(i in new.nodes for i in named)
    loads = {k for k, line in enumerate(over.lines) if "loads" in line.what}
    some = carry_only(over, new, loads)
    assert [line.status for line in some.lines].count("left") == len(loads) == 3
    assert not np.any(actions(new)) and held(new) == held(everything) != held(plain_model)
    assert (
        some.finding is not None
        and some.finding.severity == "note"
        and "3 not, by choice" in some.finding.message
    )
    none = carry_only(some, new, set(range(len(over.lines))))
    assert not none.edits and new.corrections == plain_model.corrections
    assert held(new) == held(plain_model)
    again = carry_only(none, new, set())
    assert [line.status for line in again.lines] == [line.status for line in over.lines]
    assert np.array_equal(actions(new), actions(everything))
    assert new.corrections == everything.corrections


def test_every_correction_has_words_that_an_engineer_knows() -> None:
    for name, kind in Edit.kinds.items():
        if kind.__module__.startswith("rod_tally"):
            assert kind.words, name
            assert list(kind.roles) == [f.name for f in fields(kind)], name  # type: ignore[arg-type]


@pytest.mark.parametrize("angle", [0.0, 0.7, np.pi / 2, np.pi])
def test_a_support_that_lets_a_node_slide_one_way_turns_with_the_building(angle: float) -> None:
    """In axes of its own or along the global ones: its stiffness against movement in plan turns with the
    building."""
    base = plain()
    tops = sorted((n for n in base.nodes.values() if n.point[2] > 1), key=lambda n: tuple(n.point))[:2]
    c, s = np.cos(0.3), np.sin(0.3)
    SetSupport([tops[0].id], Support.of("uy uz=3e6")).apply(base)
    SetSupport([tops[1].id], Support.of("ux=5e6 rz", ((c, s, 0.0), (-s, c, 0.0), (0.0, 0.0, 1.0)))).apply(
        base
    )
    new = plain("new ", angle)
    over = carry_over(base, new)
    assert {x.status for x in over.lines} <= {"carried", "moved"}
    turn = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1.0]])

    def stiffness(support: Support) -> np.ndarray:
        axes = np.eye(3) if support.axes is None else np.array(support.axes)
        return axes.T @ np.diag(np.minimum(support.stiffness[:3], 1e12)) @ axes

    for was in tops:
        place = turn @ (was.point + base.origin)
        now = next(n for n in new.nodes.values() if np.linalg.norm(n.point + new.origin - place) < 1e-3)
        expected = turn @ stiffness(base.nodes[was.id].support) @ turn.T
        assert stiffness(now.support) == pytest.approx(expected, rel=1e-6, abs=1e-3 * np.abs(expected).max())
