"""The rules of taking in: what comes along, how far ends move, levels and grids, supports, releases, local
axes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.intake import SourceModel
from rod_tally.intake.source import SourceFooting, SourceProfile
from rod_tally.model import (
    FIXED,
    PINNED,
    PINNED_END,
    ROLLER,
    GridLine,
    Model,
    Settings,
    SettingsError,
    Support,
)
from rod_tally.transfer import transfer
from rod_tally.transfer.joining.preview import joins_of, preview_joins

from .physical_models import add, bay, block, model, source
from .test_panels import plate, room


def taken(s: SourceModel, **tables: dict[str, object]) -> Model:
    """Transferred with [transfer.<table>] values; `top` holds those of [transfer] itself."""
    data = {"transfer": {**tables.pop("top", {}), **tables}}
    return transfer(s, Settings.from_dict(data).transfer)


# -- settings ------------------------------------------------------------------------------------------------


def test_nested_tables_go_to_toml_and_back(tmp_path) -> None:  # type: ignore[no-untyped-def]
    s = Settings.from_dict(
        {"transfer": {"joins": {"ends": 0.05, "levels": 0.02}, "choose": {"classes": ["beam"]}}}
    )
    path = tmp_path / "s.toml"
    path.write_text(s.to_toml(), encoding="utf-8")
    assert Settings.read(path) == s and Settings.read(path).transfer.joins.members is None
    assert "[transfer.joins]" in s.to_toml()


@pytest.mark.parametrize(
    ("data", "said"),
    [
        ({"transfer": {"joins": {"end": 1.0}}}, "unknown key transfer.joins.end"),
        ({"transfer": {"joins": 3}}, "transfer.joins is 3; it must be a table, [transfer.joins]"),
        ({"transfer": {"base_support": "glued"}}, "must be one of fixed, pinned, roller, spring"),
        ({"transfer": {"supports": {"springs": [1, 2]}}}, "transfer.supports.springs"),
        ({"transfer": {"choose": {"classes": "beam"}}}, "transfer.choose.classes"),
        ({"transfer": {"materials": {"x": "C31/38"}}}, "no grade of the catalogue"),
        ({"transfer": {"joins": {"ends": "near"}}}, "transfer.joins.ends"),
    ],
)
def test_wrong_settings_name_the_key(data: dict[str, object], said: str) -> None:
    with pytest.raises(SettingsError, match=said.replace("[", r"\[")):
        Settings.from_dict(data)


# -- what comes along ----------------------------------------------------------------------------------------


def test_what_is_not_chosen_is_listed_with_its_reason() -> None:
    s = block(1, 2)
    s.groups = {"west frame": ["K000", "K001"]}
    s.elements[0].bearing, s.elements[1].bearing = False, True
    cases: list[tuple[dict[str, object], str, int]] = [
        ({"classes": ["column"]}, "class beam was not chosen", 8),
        ({"storeys": ["L0"]}, "storey L1 was not chosen", 0),
        ({"groups": ["west frame"]}, "in none of the chosen groups", 14),
        ({"materials": ["C30/37"]}, "material S355 was not chosen", 16),
        ({"only_bearing": True}, "bears no load", 1),
    ]
    for choice, reason, count in cases:
        m = taken(s, choose=choice)
        out = [k for k in m.skipped if reason in k.reason]
        assert out and (count == 0 or len(out) == count), choice
        assert len(m.members) + len(m.skipped) == len(s.elements)
        found = [f for f in run_checks(Subject(m)) if f.code == "source.unread"]
        assert any(reason in f.message and f.severity == "note" for f in found)


# -- moves and links -----------------------------------------------------------------------------------------


def test_beyond_the_farthest_move_a_rigid_link_ties_the_end() -> None:
    """The beam's axis lies 200 mm below the columns' heads: moved by default, tied where only 50 mm may be
    moved."""
    moved, tied = taken(bay()), taken(bay(), joins={"move_ends": 0.05})
    assert moved.line(moved.members["B1"])[:, 2] == pytest.approx([4.0, 4.0])
    m = tied.members["B1"]
    assert tied.line(m)[:, 2] == pytest.approx([3.8, 3.8]) and tied.line(m)[:, 0] == pytest.approx([0.0, 6.0])
    assert m.offset_start == pytest.approx([0, 0, -0.2]) and tied.nodes[m.start].point == pytest.approx(
        [0, 0, 4.0]
    )
    assert any("rigid link of 200 mm" in e.message for e in tied.log)
    # either way the frame carries its load, and the link is exact: the same reactions in sum
    for one in (moved, tied):
        assert max(e.residual for e in run(one, Settings().run).equilibrium) < 1e-9


@settings(max_examples=25, deadline=None)
@given(st.floats(0.0, 0.5), st.floats(0.0, 0.5), st.lists(st.floats(-0.02, 0.02), min_size=24, max_size=24))
def test_no_end_goes_farther_across_than_its_tolerance(
    ends: float, members: float, noise: list[float]
) -> None:
    """Chains of joins included: a secondary on a beam on a column, all off each other."""
    s = bay()
    add(s, "beam", "S1", (3, 0.1, 3.75), (3, 3, 3.75))
    add(s, "column", "K3", (3, 3, 0), (3, 3, 4.0), z=(1, 0, 0))
    for k, e in enumerate(s.elements[:4]):
        e.line = e.line + np.array(noise[6 * k : 6 * k + 6]).reshape(2, 3)
    m = taken(s, joins={"move_ends": ends, "move_members": members})
    for ident, member in m.members.items():
        assert member.source_line is not None
        axis = member.source_line[1] - member.source_line[0]
        axis = axis / np.linalg.norm(axis)
        step = m.line(member) - member.source_line
        across = np.linalg.norm(step - np.outer(step @ axis, axis), axis=1)
        assert across.max() <= max(ends, members) + 1e-6, ident


def test_snaps_differ_by_kind_of_join() -> None:
    s = bay(0.03)  # the beam stops 30 mm before the second column
    assert taken(s).members["B1"].end != taken(s).members["K2"].end
    m = taken(s, joins={"ends": 0.04})
    assert m.members["B1"].end == m.members["K2"].end
    m = taken(s, joins={"members": 0.04})
    assert m.members["B1"].end != m.members["K2"].end


def test_members_that_cross_are_joined_when_asked() -> None:
    s = source()
    add(s, "brace", "D1", (0, 0, 0), (4, 0, 4))
    add(s, "brace", "D2", (4, 0, 0), (0, 0, 4))
    assert not taken(s).members["D1"].joints
    m = taken(s, joins={"crossings": 0.01})
    assert m.members["D1"].joints[0].node == m.members["D2"].joints[0].node
    assert m.nodes[m.members["D1"].joints[0].node].point == pytest.approx([2, 0, 2])


def test_nodes_go_to_levels_and_grid_lines_within_their_tolerance() -> None:
    s = bay()
    s.storeys[1].elevation = 4.03
    s.grids = [
        GridLine("A", np.array([[0.02, -5.0], [0.02, 5.0]])),
        GridLine("B", np.array([[6.2, -5.0], [6.2, 5.0]])),
    ]
    m = taken(s, joins={"levels": 0.05, "grids": 0.05})
    assert m.nodes[m.members["K1"].end].point == pytest.approx([0.02, 0, 4.03])
    assert m.nodes[m.members["K2"].end].point == pytest.approx([6.0, 0, 4.03])  # grid B is too far
    assert any("brought to levels and grid lines, by up to 36 mm" in e.message for e in m.log)
    plain = taken(s)
    assert plain.nodes[plain.members["K1"].end].point == pytest.approx([0, 0, 4.0])


def test_the_preview_counts_what_the_rules_do() -> None:
    rows = {r.kind: r for r in preview_joins(bay(), Settings().transfer)}
    assert (rows["ends"].across, rows["ends"].tied) == (2, 0) and rows["ends"].farthest == pytest.approx(0.2)
    assert [e[1] for e in rows["ends"].examples] == ["start of beam B1", "end of beam B1"]
    rows = {r.kind: r for r in joins_of(taken(bay(), joins={"move_ends": 0.1}))}
    assert (rows["ends"].across, rows["ends"].tied) == (0, 2) and rows["ends"].longest == pytest.approx(0.2)
    rows = {r.kind: r for r in joins_of(model(room()))}
    assert rows["surfaces"].along >= 2 and rows["edges"].across == 5


# -- supports, releases, axes --------------------------------------------------------------------------------


def test_bases_as_the_settings_say() -> None:
    for kind, held in (
        ("fixed", FIXED),
        ("pinned", PINNED),
        ("roller", ROLLER),
        ("spring", Support((1e8, 1e8, 1e8, 1e7, 1e7, 1e7))),
    ):
        m = taken(bay(), top={"base_support": kind})
        assert m.nodes[m.members["K1"].start].support == held
    m = taken(bay(), top={"base_support": "spring"}, supports={"springs": [1e8, 1e8, 2e8, 1e7, 1e7, 1e7]})
    assert m.nodes[m.members["K1"].start].support.stiffness[2] == 2e8


def test_wall_feet_and_rafts() -> None:
    assert not taken(room(), supports={"walls": "none"}).surfaces["west"].supports
    assert taken(room(), supports={"walls": "fixed"}).surfaces["west"].supports[0].support == FIXED
    s = room()
    plate(s, "slab", "raft", (-0.5, -0.5, -0.6), (6.5, 5.5, 0.0)).kind = "BASESLAB"
    m = taken(s, supports={"subgrade": 3e7})
    assert m.surfaces["raft"].bedding == 3e7 and not m.surfaces["west"].supports
    assert m.surfaces["west"].outer[:, 2].min() == pytest.approx(-0.3)
    assert taken(s, supports={"subgrade": 0.0}).surfaces["raft"].bedding == 0


def test_a_wall_on_a_strip_footing_is_held_and_said_so() -> None:
    s = room()
    for k, p in enumerate(s.surfaces[:4]):
        assert p.body is not None
        low = p.body.outer.min(axis=0) - [0.3, 0.3, 0.4]
        high = p.body.outer.max(axis=0) + [0.3, 0.3, 0.0]
        s.footings.append(SourceFooting(f"F{k}", f"F{k}", low, high, "L0", "strip"))
    m = taken(s)
    assert any("stands on strip F0" in e.message for e in m.log)


def test_secondaries_and_braces_are_pinned_by_rule_and_concrete_is_not() -> None:
    s = bay()
    add(s, "beam", "S1", (3, 0.1, 3.8), (3, 2.9, 3.8))
    add(s, "column", "K3", (3, 3, 0), (3, 3, 4), z=(1, 0, 0))
    add(s, "brace", "D1", (0.2, 0, 0.2), (5.8, 0, 3.7))
    m = taken(s, releases={"secondary": "pinned", "braces": "pinned"})
    assert m.members["S1"].release_start == PINNED_END and not m.members["S1"].release_end.any
    assert not m.members["B1"].release_start.any
    assert m.members["D1"].release_start == m.members["D1"].release_end == PINNED_END
    assert any("pinned by rule" in e.message for e in m.log)
    s.materials["S355"].name = "C30/37"
    s.materials["S355"].category = "concrete"
    assert not taken(s, releases={"secondary": "pinned"}).members["S1"].release_start.any


def test_members_of_a_line_run_the_same_way_unless_their_section_forbids_it() -> None:
    s = source()
    s.profiles["L"] = SourceProfile("L", "angle", {"depth": 0.2, "width": 0.1, "thickness": 0.01})
    add(s, "beam", "back", (6, 0, 3), (0, 0, 3))
    add(s, "beam", "on", (6, 0, 3), (12, 0, 3))
    add(s, "beam", "angle", (18, 0, 3), (12, 0, 3), profile="L")
    add(s, "column", "down", (0, 0, 3), (0, 0, 0), z=(1, 0, 0))
    m = taken(s)
    assert m.line(m.members["back"])[:, 0] == pytest.approx([0, 6]) and m.line(m.members["down"])[0, 2] == 0
    assert m.line(m.members["angle"])[0, 0] == 18  # an angle the other way round is another section
    found = [f for f in run_checks(Subject(m)) if f.code == "axes.odd"]
    assert [f.ids for f in found] == [("angle",)] and "run against the others" in found[0].message
    assert taken(s, top={"orient": False}).line(taken(s, top={"orient": False}).members["back"])[0, 0] == 6


def test_a_material_mapped_by_hand_takes_the_grade_s_values() -> None:
    s = bay()
    s.materials["S355"].E = 0.0
    assert any(f.code == "material.stiffness" for f in run_checks(Subject(taken(s))))
    m = taken(s, top={"materials": {"S355": "C35/45"}})
    assert m.materials["S355"].E == 34e9 and m.materials["S355"].density == 2500
    assert "mapped" in (m.materials["S355"].origin or {})["E"]
