"""Missing members added: joined where they meet something, taken back, carried to a revision; proven by
statics."""

from __future__ import annotations

import copy
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.analysis import run
from rod_tally.compare.carrying.carry import carry_over
from rod_tally.desk.window import Window
from rod_tally.model import FIXED, PINNED_END, LoadCase, MemberLoad, Model, NodeLoad, Release
from rod_tally.model.edits import (
    AddMembers,
    DeleteMembers,
    EditError,
    SetOffset,
    SetRelease,
    copies,
    from_record,
    mirror_images,
)
from rod_tally.model.settings import RunSettings

from .desk_help import act, fill, model_of, rested
from .frames import regular


def part(model: Model, start: object, end: object, **more: object) -> dict[str, object]:
    some = next(iter(model.members.values()))
    return {
        "start": list(start),
        "end": list(end),
        "section": some.section,
        "material": some.material,
        **more,
    }  # type: ignore[call-overload]


def test_what_was_deleted_and_added_again_gives_the_same_forces() -> None:
    """A beam taken out and put back between the same nodes: reactions and displacements as before."""
    model = regular()
    beam = next(m for m in model.members.values() if m.cls == "beam")
    others = [m.id for m in model.members.values() if m.cls == "beam" and m.id != beam.id]
    model.cases["q"] = LoadCase(
        "q",
        "live",
        member_loads=[
            MemberLoad(i, 0, model.length(model.members[i]), (0, 0, -5e3), (0, 0, -5e3)) for i in others
        ],
    )
    before = run(model, RunSettings())
    line = model.line(beam)
    DeleteMembers([beam.id]).apply(model)
    without = run(model, RunSettings())
    edit = AddMembers(
        [
            part(
                model,
                line[0],
                line[1],
                section=beam.section,
                material=beam.material,
                z_axis=beam.z_axis.tolist(),
            )
        ]
    )
    edit.apply(model)
    after = run(model, RunSettings())
    assert after.reaction[0] == pytest.approx(before.reaction[0], rel=1e-9, abs=1e-6)
    assert np.abs(without.reaction[0] - before.reaction[0]).max() > 1.0
    own = model.members["added-1"]
    assert (own.start, own.end) == (beam.start, beam.end) and own.cls == "beam"
    edit.revert(model)
    assert "added-1" not in model.members
    assert run(model, RunSettings()).reaction[0] == pytest.approx(without.reaction[0])


def test_an_end_on_a_member_becomes_a_joint_of_it() -> None:
    model = regular()
    beam = next(m for m in model.members.values() if m.cls == "beam")
    line = model.line(beam)
    middle = line.mean(axis=0)
    edit = AddMembers([part(model, middle, middle - [0, 0, 1.0], name="Hanger", pinned_start=True)])
    edit.apply(model)
    own = model.members["added-1"]
    (joint,) = [j for j in model.members[beam.id].joints if j.node == own.start]
    assert joint.distance == pytest.approx(model.length(beam) / 2)
    assert own.cls == "column" and own.release_start.any and not own.release_end.any
    assert "1 of 2 ends met something" in model.log[-1].message
    edit.revert(model)
    assert not model.members[beam.id].joints


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"section": "no such"}, "neither in the model nor in the catalogue"),
        ({"material": "no such"}, "neither in the model"),
        ({"end": [0, 0]}, "three numbers"),
        ({"end": [0, 0, float("nan")]}, "three numbers"),
        ({"end": [0.0, 0.0, 0.001]}, "some length"),
    ],
)
def test_what_cannot_be_added_says_why_and_changes_nothing(change: dict[str, object], words: str) -> None:
    model = regular()
    before = (dict(model.members), dict(model.nodes), len(model.log))
    with pytest.raises(EditError, match=words):
        AddMembers([part(model, (0, 0, 0), (0, 0, 9.0)) | change]).apply(model)
    assert (dict(model.members), dict(model.nodes), len(model.log)) == before
    some = next(iter(model.members.values()))
    line = model.line(some)
    with pytest.raises(EditError, match="lies there already"):
        AddMembers([part(model, line[0], line[1])]).apply(model)


def test_added_members_are_written_down_copied_and_carried_over() -> None:
    base = regular()
    brace = part(base, (0, 0, 0), (6.0, 0, 3.5), name="Brace", pinned_start=True, pinned_end=True)
    AddMembers([brace]).apply(base)
    assert base.members["added-1"].cls == "brace"
    fresh = regular()
    again = from_record(base.corrections[-1], fresh)
    again.apply(fresh)
    assert fresh.members["added-1"].name == "Brace"
    revised = copy.deepcopy(regular())
    carried = carry_over(base, revised)
    assert [(c.what, c.status) for c in carried.lines] == [("added members", "carried")]
    own = revised.members["added-1"]
    assert np.allclose(revised.line(own) + revised.origin, base.line(base.members["added-1"]) + base.origin)
    more = copies(base, ["added-1"], (6.0, 0, 0), 1)
    AddMembers(more).apply(base)
    assert np.allclose(base.line(base.members["added-2"]) - base.line(base.members["added-1"]), [6.0, 0, 0])
    assert base.members["added-2"].release_end.any


def test_adding_and_copying_in_the_window(loft: Window, qtbot: QtBot, tmp_path: Path) -> None:
    model = model_of(loft)
    count = len(model.members)
    beam = next(m for m in model.members.values() if m.name == "Loft A2-A3")
    loft.state.pick("member", beam.id)
    act(loft, qtbot, "model.copy")
    fill(loft, qtbot, loft.add_desk.form, x=0.0, y=0.0, z=0.8, times=2)
    rested(qtbot, loft)
    assert len(model_of(loft).members) == count + 2
    copied = model_of(loft).members["added-2"]
    assert copied.section == beam.section and model_of(loft).line(copied)[0][2] == pytest.approx(
        model.line(beam)[0][2] + 1.6
    )
    loft.actions_["edit.undo"].trigger()
    rested(qtbot, loft)
    assert len(model_of(loft).members) == count


def test_a_member_that_passes_nodes_is_joined_at_them() -> None:
    """A girder laid over columns that stand there already: simply supported spans become a continuous beam, q
    L^2 / 8 over the middle support of two equal spans (any table of continuous beams)."""
    model = regular()
    for ident in list(model.members):
        DeleteMembers([ident]).apply(model)
    columns = [part_of(model, (x, 0, 0), (x, 0, 3)) for x in (0.0, 6.0, 12.0)]
    AddMembers(columns).apply(model)
    AddMembers([part_of(model, (0, 0, 3), (12, 0, 3))]).apply(model)
    girder = model.members["added-4"]
    assert [(j.distance, j.node) for j in girder.joints] == [
        (pytest.approx(6.0), model.members["added-2"].end)
    ]
    for k in (1, 2, 3):
        m = model.members[f"added-{k}"]
        m.release_end = PINNED_END
        model.nodes[m.start].support = FIXED
    model.cases = {
        "q": LoadCase("q", "live", member_loads=[MemberLoad("added-4", 0, 12, (0, 0, -8e3), (0, 0, -8e3))])
    }
    r = run(model, RunSettings(shear_flexible=False))
    own = np.array([r.node_ids.index(model.members[f"added-{k}"].start) for k in (1, 2, 3)])
    up = r.reaction[0, [r.support_ids.index(r.node_ids[k]) for k in own], 2]
    assert up == pytest.approx([0.375 * 8e3 * 6, 1.25 * 8e3 * 6, 0.375 * 8e3 * 6], rel=0.01)
    middle = [f for f in r.force[0, r.stations_of("added-4"), 4]]
    assert max(np.abs(middle)) == pytest.approx(8e3 * 36 / 8, rel=0.01)


def part_of(model: Model, start: tuple[float, ...], end: tuple[float, ...]) -> dict[str, object]:
    return {
        "start": list(start),
        "end": list(end),
        "section": next(iter(model.sections)),
        "material": next(iter(model.materials)),
    }


def test_a_section_of_its_own_comes_along() -> None:
    model = regular()
    column = part_of(model, (50, 0, 0), (50, 0, 3)) | {
        "section": "R 300x500",
        "shape": "rectangle",
        "sizes": {"width": 0.3, "depth": 0.5},
    }
    AddMembers([column]).apply(model)
    assert model.sections["R 300x500"].area == pytest.approx(0.15)
    with pytest.raises(EditError, match="depth is missing"):
        AddMembers(
            [column | {"section": "other", "sizes": {"width": 0.3}, "start": [51, 0, 0], "end": [51, 0, 3]}]
        ).apply(model)


def test_mirror_images_carry_as_the_parts_do() -> None:
    """A channel cantilever and its image, each with its load and the image of it: equal and opposite along
    the axis of the mirror."""
    m = regular()
    for ident in list(m.members):
        DeleteMembers([ident]).apply(m)
    material = next(iter(m.materials))
    base = {"start": [1.0, 0, 0], "end": [3.0, 1.0, 0.5], "section": "C own", "shape": "channel", "material": material, "z_axis": [0.3, 0, 1], "pinned_end": False,
            "sizes": {"depth": 0.2, "width": 0.075, "web": 0.0085, "flange": 0.0115}}  # fmt: skip
    AddMembers([base]).apply(m)
    lines, none = mirror_images(m, ["added-1"], [], "x", -2.0)
    assert not none
    AddMembers(lines).apply(m)
    one, two = m.members["added-1"], m.members["added-2"]
    assert np.allclose(m.line(two)[::-1] * [-1, 1, 1] + [-4.0, 0, 0], m.line(one))
    m.nodes[one.start].support = FIXED
    m.nodes[two.end].support = FIXED
    q, q2 = (300.0, -700.0, -900.0), (-300.0, -700.0, -900.0)
    m.cases = {
        "q": LoadCase(
            "q", "live", node_loads=[NodeLoad(one.end, q, (0, 0, 0)), NodeLoad(two.start, q2, (0, 0, 0))]
        )
    }
    r = run(m, RunSettings())
    a, b = (r.displacement[0, r.node_ids.index(n)] for n in (one.end, two.start))
    assert b == pytest.approx(a * [-1, 1, 1, 1, -1, -1], rel=1e-9, abs=1e-15)


def test_copies_and_images_are_joined_as_the_part_is() -> None:
    """Each end's own release and spring, and an end beside its node at the copy's node: on the storey above,
    across a mirror, and carried over to another revision."""
    m = regular()
    beam = next(
        x for x in m.members.values() if x.cls == "beam" and m.nodes[x.start].point[2] < 4.0 and not x.joints
    )
    SetRelease([beam.id], False, Release.of("mt")).apply(m)
    SetRelease([beam.id], True, Release.of("my=2.5e6 mz")).apply(m)
    SetOffset([beam.id], False, [0.2, 0.3, -0.1]).apply(m)
    beam = m.members[beam.id]
    rise = float(m.nodes[beam.start].point[2])
    DeleteMembers([x.id for x in m.members.values() if x.cls == "beam" and x.id != beam.id]).apply(m)
    AddMembers(copies(m, [beam.id], (0, 0, rise), 1)).apply(m)
    (copied,) = (x for x in m.members.values() if x.id.startswith("added"))
    assert (copied.release_start.words, copied.release_end.words) == ("mt", "my=2.5e6 mz")
    assert copied.offset_start == pytest.approx([0.2, 0.3, -0.1]) and not copied.offset_end.any()
    columns = {n for x in m.members.values() if x.cls == "column" for n in (x.start, x.end)}
    assert copied.start in columns and copied.end in columns
    assert m.line(copied) == pytest.approx(m.line(beam) + [0, 0, rise])
    lines, _ = mirror_images(m, [beam.id], [], "y", -7.0)
    AddMembers(lines).apply(m)
    image = m.members["added-2"]
    assert (image.release_end.words, image.release_start.words) == ("mt", "my=2.5e6 mz")
    assert image.offset_end == pytest.approx([0.2, -0.3, -0.1]) and not image.offset_start.any()
    revised = regular()
    carry_over(m, revised)
    for ident in ("added-1", "added-2"):
        own, to = m.members[ident], revised.members[ident]
        assert (own.release_start, own.release_end) == (to.release_start, to.release_end)
        assert to.offset_start == pytest.approx(own.offset_start)
    with pytest.raises(EditError, match="release of the end: 'mq' is none of"):
        AddMembers([part_of(m, (50, 0, 0), (50, 0, 3)) | {"release_end": "mq"}]).apply(m)
    with pytest.raises(EditError, match="offset of the start needs three"):
        AddMembers([part_of(m, (50, 0, 0), (50, 0, 3)) | {"offset_start": [1.0, 2.0]}]).apply(m)


def test_an_end_beside_its_node_is_a_rigid_arm() -> None:
    """A column's head 0.4 m beside its node: the moment at the foot grows by P e."""
    m = regular()
    for ident in list(m.members):
        DeleteMembers([ident]).apply(m)
    AddMembers([part_of(m, (0, 0, 0), (0, 0, 3))]).apply(m)
    head, foot = m.members["added-1"].end, m.members["added-1"].start
    m.nodes[foot].support = FIXED
    m.cases = {"q": LoadCase("q", "live", node_loads=[NodeLoad(head, (0, 0, -10e3), (0, 0, 0))])}
    edit = SetOffset(["added-1"], True, [0.4, 0.0, 0.0])
    edit.apply(m)
    assert m.line(m.members["added-1"])[1] == pytest.approx([0.4, 0, 3])
    r = run(m, RunSettings())
    assert abs(r.reaction[0, 0, 4]) < 1.0  # the load still stands over the foot
    assert np.abs(r.force[0, r.stations_of("added-1"), 4:]).max() > 0
    with pytest.raises(EditError, match="up to 5 m"):
        SetOffset(["added-1"], True, [9.0, 0.0, 0.0]).apply(m)
    edit.revert(m)
    assert m.line(m.members["added-1"])[1] == pytest.approx([0, 0, 3])


def test_copying_mirroring_and_offsets_in_the_window(loft: Window, qtbot: QtBot) -> None:
    model = model_of(loft)
    slab = next(s for s in model.surfaces.values() if not s.upright)
    beam = next(m for m in model.members.values() if m.name == "Loft A2-A3")
    members, surfaces = len(model.members), len(model.surfaces)
    loft.state.select([("member", beam.id), ("surface", slab.id)])
    act(loft, qtbot, "model.copy")
    fill(loft, qtbot, loft.add_desk.form, x=0.0, y=0.0, z=0.7, times=2)
    assert (len(model_of(loft).members), len(model_of(loft).surfaces)) == (members + 2, surfaces + 2)
    act(loft, qtbot, "edit.undo")
    assert (len(model_of(loft).members), len(model_of(loft).surfaces)) == (members, surfaces)
    loft.state.select([("member", beam.id), ("surface", slab.id)])
    act(loft, qtbot, "model.mirror")
    fill(loft, qtbot, loft.add_desk.form, axis="y", at=-30.0)
    after = model_of(loft)
    made = next(s for s in after.surfaces.values() if s.name.endswith("mirrored"))
    assert made.area == pytest.approx(slab.area) and made.outer[:, 1].mean() + slab.outer[
        :, 1
    ].mean() == pytest.approx(-60 - 2 * after.origin[1])
    loft.state.pick("member", beam.id)
    act(loft, qtbot, "model.offset")
    fill(loft, qtbot, loft.add_desk.form, which="both ends", x=0.0, y=0.0, z=-150.0)
    own = model_of(loft).members[beam.id]
    assert own.offset_start == pytest.approx([0, 0, -0.15]) and own.offset_end == pytest.approx([0, 0, -0.15])
