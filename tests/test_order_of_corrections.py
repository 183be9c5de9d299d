"""What follows from a correction is decided as if the source had said it, whatever the order."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.analysis.run import run
from rod_tally.checks.framing.joins import find_undecided_joins
from rod_tally.checks.registry import Subject
from rod_tally.intake import SourceModel
from rod_tally.intake.source import SourceMaterial, SourceProfile
from rod_tally.model import LoadCase, Model, Support
from rod_tally.model.edits import (
    Edit,
    MapMaterial,
    MapProfile,
    PinBoth,
    SetMaterial,
    SetSection,
    SetSupport,
    SplitMember,
)
from rod_tally.model.entities.loads import GRAVITY
from rod_tally.model.settings import ReleaseSettings, RunSettings
from rod_tally.review.following import NotDecided, decided_again, differences, joins_follow, tell
from tests.physical_models import add, model, source


def frame() -> SourceModel:
    """Two portals and a beam between them, whose profile nobody can read: its end lies 120 mm off the axis
    of the girder, within that girder's half width once it is known. A second beam ends at the girder's
    face."""
    s = source()
    s.profiles["girder?"] = SourceProfile("girder?", "", {}, reason="not read")
    s.materials["Metal"] = SourceMaterial("Metal", "", None, None, None, None)
    for y in (0.0, 5.0):
        for x in (0.0, 6.0):
            add(s, "column", f"K{x:.0f}{y:.0f}", (x, y, 0), (x, y, 4), z=(1, 0, 0))
        add(s, "beam", f"G{y:.0f}", (0, y, 4), (6, y, 4), "girder?").material = "Metal"
    add(s, "beam", "S1", (2, 0.14, 4), (2, 4.86, 4)).material = "Metal"
    add(s, "beam", "S2", (4, 0.09, 4), (4, 4.91, 4)).material = "Metal"
    return s


def corrections(m: Model) -> list[Edit]:
    low = [n for n, x in m.nodes.items() if x.point[2] == 0][0]
    return [
        MapProfile("girder?", "HE 300 B"),
        MapMaterial("Metal", "S355"),
        SetSection(["S2"], "HE 200 B"),
        SetMaterial(["K00"], "C30/37"),
        SetSupport([low], Support((True, True, True, False, False, False))),
        PinBoth(["K65"]),
    ]


PINNED = ReleaseSettings(secondary="pinned")


def taken(s: SourceModel, **options: Any) -> Model:
    return model(s, releases=PINNED, **options)


def made(s: SourceModel, edits: Sequence[Edit], plain: Model | None = None) -> Model:
    """What the window makes of these corrections, one after another."""
    m = taken(s) if plain is None else plain
    for edit in edits:
        was, now = m.snapshot(), m.snapshot()
        edit.apply(now)
        m = decided_again(s, was, now.corrections).model if joins_follow(was, now) else now
    return m


def same(a: Model, b: Model) -> None:
    assert differences(a, b) == [] and set(a.nodes) == set(b.nodes)
    for i, m in a.members.items():
        other = b.members[i]
        assert np.allclose(a.line(m), b.line(other), atol=1e-12)
        assert (m.section, m.material, m.release_start, m.release_end, m.start, m.end) == (
            other.section,
            other.material,
            other.release_start,
            other.release_end,
            other.start,
            other.end,
        )
        assert [(j.node, pytest.approx(j.distance)) for j in m.joints] == [
            (j.node, j.distance) for j in other.joints
        ]
    assert {n: x.support for n, x in a.nodes.items()} == {n: x.support for n, x in b.nodes.items()}
    assert a.materials == b.materials and a.sections.keys() == b.sections.keys()
    for key, section in a.sections.items():
        assert (section.area, section.iy, section.iz) == (
            b.sections[key].area,
            b.sections[key].iy,
            b.sections[key].iz,
        )


def test_a_mapped_profile_joins_what_reaches_it() -> None:
    """Before the girder is known nothing reaches its axis; mapped, both beams end on it, and are pinned as
    steel beams on beams are by rule."""
    s = frame()
    before = taken(s)
    assert not before.members["G0"].joints
    now = made(s, [MapProfile("girder?", "HE 300 B"), MapMaterial("Metal", "S355")])
    assert len(now.members["G0"].joints) == 2 and any(now.members["S1"].release_start.released)


def test_in_the_window_and_in_the_settings_it_is_one_model_with_one_answer() -> None:
    s = frame()
    by_settings = taken(s, profiles={"girder?": "HE 300 B"}, materials={"Metal": "S355"})
    by_hand = made(s, [MapProfile("girder?", "HE 300 B"), MapMaterial("Metal", "S355")])
    for m in (by_settings, by_hand):
        for material in m.materials.values():
            material.origin = {}
        m.cases["G"] = LoadCase("G", self_weight=(0, 0, -1))
    same(by_settings, by_hand)
    one, other = (run(m, RunSettings()) for m in (by_settings, by_hand))
    assert np.abs(one.force).max() > 1e3 and np.allclose(one.force, other.force)


@given(st.permutations(range(6)))
@settings(max_examples=25, deadline=None)
def test_any_order_of_corrections_gives_one_model(order: list[int]) -> None:
    s = frame()
    first = corrections(taken(s))
    again = corrections(taken(s))
    same(made(s, first), made(s, [again[k] for k in order]))


def test_what_changed_is_said_and_kept_in_the_log() -> None:
    s = frame()
    was, plain = taken(s), taken(s)
    MapProfile("girder?", "HE 300 B").apply(plain)
    out = decided_again(s, was, plain.corrections)
    tell(out, plain)
    assert any("G0 and S1" in w for w in out.words)
    assert out.model.log[-2].message.startswith("decided again") and out.model.log[-1].kind == "corrected"
    assert out.model.corrections == plain.corrections


def test_a_grade_of_the_same_kind_decides_nothing_again() -> None:
    s = frame()
    was = taken(s, materials={"Metal": "S235"})
    now = was.snapshot()
    SetMaterial(["S1"], "S355").apply(now)
    assert not joins_follow(was, now)
    now = was.snapshot()
    SetMaterial(["S1"], "C30/37").apply(now)
    assert joins_follow(was, now)


def test_what_was_not_decided_again_is_a_finding() -> None:
    s = frame()
    m = taken(s)
    SetSection(["K00"], "HE 300 B").apply(m)
    assert not list(find_undecided_joins(Subject(m)))  # 300 x 300 before and after
    SetSection(["K00"], "HE 320 B").apply(m)
    found = list(find_undecided_joins(Subject(m)))
    assert [f.ids for f in found] == [("K00",)] and found[0].numbers["distance"] == pytest.approx(0.02)
    assert not list(find_undecided_joins(Subject(made(s, [SetSection(["K00"], "HE 320 B")]))))


def test_a_correction_of_a_part_that_a_correction_made_waits_for_it() -> None:
    """Half of a member that was split is not in the source; its section is set on the joined model."""
    s = frame()
    m = taken(s)
    SplitMember("K00", 2.0).apply(m)
    half = next(i for i in m.members if i.startswith("K00") and i != "K00")
    now = made(s, [SetSection([half], "HE 300 B"), MapProfile("girder?", "HE 300 B")], m)
    assert now.members[half].section == "HE 300 B" and len(now.members["G0"].joints) == 2


def test_another_source_is_refused() -> None:
    s = frame()
    was = taken(s)
    s.elements[4].line = s.elements[4].line + (0.01, 0, 0)
    with pytest.raises(NotDecided, match="another file"):
        decided_again(s, was, [])


def test_weight_follows_the_section_that_was_set() -> None:
    s = frame()
    m = made(s, [SetSection(["K00"], "HE 300 B")])
    own = m.sections["HE 300 B"].area * 4 * 7850 * GRAVITY
    assert m.weight(m.members["K00"]) == pytest.approx(own)
