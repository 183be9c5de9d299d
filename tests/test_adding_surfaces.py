"""Slabs, walls and openings made by hand: tied to what they touch, proven by what they replace and by
statics."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.analysis import Results, run
from rod_tally.demo.tower import write_tower
from rod_tally.desk.window import Window
from rod_tally.intake import read_source
from rod_tally.model import FIXED, LineSupport, LoadCase, Model, Settings, Surface
from rod_tally.model.edits import (
    AddMembers,
    AddOpenings,
    AddSurfaces,
    CloseOpening,
    DeleteMembers,
    EditError,
    SetSupport,
    from_record,
)
from rod_tally.model.settings import RunSettings
from rod_tally.transfer import transfer

from .desk_help import act, fill, model_of
from .plates import plate_model, shell

G = 9.80665


@pytest.fixture(scope="module")
def tower_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("tower") / "tower.ifc"
    write_tower(path, 2, 1, 2)
    return path


def taken(path: Path) -> Model:
    return transfer(read_source(path), Settings.from_dict({"transfer": {"slabs": "shell"}}).transfer)


def record(s: Surface) -> dict[str, object]:
    return {
        "outline": s.outer.tolist(),
        "openings": [o.tolist() for o in s.openings],
        "thickness": s.thickness,
        "material": s.material,
        "name": s.name,
    }


def ties(s: Surface) -> list[tuple[object, ...]]:
    return sorted(
        (j.kind, j.other, j.node, round(j.distance, 6), *np.round(j.line.mean(axis=0), 4)) for j in s.joints
    )


def lowest(r: Results) -> float:
    return float(r.displacement[0].min())


@pytest.mark.parametrize("name", ["S0", "S1", "W1-east", "W1-north"])
def test_what_was_deleted_and_added_again_is_tied_as_it_was(tower_file: Path, name: str) -> None:
    """To the same surfaces, ends and members, at the same places; displacements as before."""
    model = taken(tower_file)
    before = run(model, RunSettings())
    s = next(x for x in model.surfaces.values() if x.name == name)
    DeleteMembers([s.id]).apply(model)
    edit = AddSurfaces([record(s)])
    edit.apply(model)
    new = model.surfaces["added-1"]
    assert ties(new) == ties(s) and new.cls == s.cls and new.storey == s.storey
    new.area_share = s.area_share  # what is added by hand has no body of its own
    after = run(model, RunSettings())
    assert lowest(after) == pytest.approx(lowest(before), rel=1e-6)
    edit.revert(model)
    assert "added-1" not in model.surfaces and not any(
        j.other == "added-1" for x in model.surfaces.values() for j in x.joints
    )


def test_a_column_added_under_a_slab_carries_it(tower_file: Path) -> None:
    """A slab of 6 x 4 m on its four corners' columns, added by hand: statics, and the undo."""
    model = plate_model()
    shell(model, "slab", [(0, 0, 3), (6, 0, 3), (6, 4, 3), (0, 4, 3)], 0.2, size=0.5)
    model.surfaces["slab"].supports = []
    material = model.surfaces["slab"].material
    other = taken(tower_file)
    section = next(m.section for m in other.members.values() if m.cls == "column")
    model.sections[section] = other.sections[section]
    corners = [(0.0, 0.0), (6.0, 0.0), (6.0, 4.0), (0.0, 4.0)]
    columns = AddMembers(
        [{"start": [x, y, 0], "end": [x, y, 3], "section": section, "material": material} for x, y in corners]
    )
    columns.apply(model)
    assert "4 of them tied to slabs or walls" in model.log[-1].message
    SetSupport([m.start for m in model.members.values()], FIXED).apply(model)
    model.cases["g"] = LoadCase("g", "self-weight", self_weight=(0.0, 0.0, -1.0))
    r = run(model, RunSettings())
    density = model.materials[material].density or 0.0
    weight = density * G * (6 * 4 * 0.2 + sum(3 * model.sections[section].area for _ in corners))  # type: ignore[misc]
    assert r.reaction[0, :, 2].sum() == pytest.approx(weight, rel=1e-9)
    assert r.reaction[0, :, 2] == pytest.approx([weight / 4] * 4, rel=1e-6)
    columns.revert(model)
    assert not model.surfaces["slab"].joints


def test_an_opening_takes_its_weight_and_closing_it_gives_it_back(tower_file: Path) -> None:
    model = taken(tower_file)
    s = next(x for x in model.surfaces.values() if x.name == "S1")
    whole = run(model, RunSettings())
    hole = [
        [1.0, 1.0, s.outer[0, 2]],
        [3.0, 1.0, s.outer[0, 2]],
        [3.0, 2.5, s.outer[0, 2]],
        [1.0, 2.5, s.outer[0, 2]],
    ]
    AddOpenings([{"surface": s.id, "outline": hole}]).apply(model)
    less = run(model, RunSettings())
    density = model.materials[s.material].density or 0.0
    step = whole.reaction[0, :, 2].sum() - less.reaction[0, :, 2].sum()
    assert step == pytest.approx(3.0 * s.thickness * density * G, rel=1e-6)
    DeleteMembers([s.id]).apply(model)
    AddSurfaces([record(s) | {"openings": [*(o.tolist() for o in s.openings), hole]}]).apply(model)
    assert lowest(run(model, RunSettings())) == pytest.approx(lowest(less), rel=1e-6)
    CloseOpening("added-1", [2.0, 1.7, float(s.outer[0, 2])]).apply(model)
    assert lowest(run(model, RunSettings())) == pytest.approx(lowest(whole), rel=1e-6)


def test_ties_in_an_opening_are_gone_and_those_across_it_are_cut(tower_file: Path) -> None:
    """A beam below a slab whose middle third has no slab above it any more, and a short one in the opening
    alone."""
    model = plate_model()
    slab = shell(model, "slab", [(0, 0, 3), (6, 0, 3), (6, 4, 3), (0, 4, 3)], 0.2, size=0.5)
    other = taken(tower_file)
    section = next(m.section for m in other.members.values() if m.cls == "beam")
    model.sections[section] = other.sections[section]
    beam = {"section": section, "material": slab.material}
    AddMembers(
        [
            beam | {"start": [0, 2, 2.9], "end": [6, 2, 2.9]},
            beam | {"start": [2.5, 1.5, 2.9], "end": [3.5, 1.5, 2.9]},
        ]
    ).apply(model)
    assert "2 of them tied" in model.log[-1].message
    AddOpenings([{"surface": "slab", "outline": [[2, 1, 3], [4, 1, 3], [4, 3, 3], [2, 3, 3]]}]).apply(model)
    joints = [j for j in model.surfaces["slab"].joints if j.kind == "member"]
    assert {j.other for j in joints} == {"added-1"} and len(joints) == 2
    assert sum(float(np.linalg.norm(np.diff(j.line, axis=0))) for j in joints) == pytest.approx(4.0, abs=0.1)
    assert "ties in it gone" in model.log[-1].message
    DeleteMembers(["added-2"]).apply(model)
    model.cases["g"] = LoadCase("g", "self-weight", self_weight=(0.0, 0.0, -1.0))
    model.surfaces["slab"].supports = [
        LineSupport(np.array([(0, y, 3), (6, y, 3)], float), FIXED) for y in (0.0, 4.0)
    ]
    r = run(model, RunSettings())
    assert r.equilibrium[0].residual < 1e-8 and not r.motions


def square(z: float = 3.0, size: float = 2.0) -> list[list[float]]:
    return [[0, 0, z], [size, 0, z], [size, size, z], [0, size, z]]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"outline": [[0, 0, 0], [1, 0, 0]]}, "three corners"),
        ({"outline": [[0, 0, 0], [1, 0, 0], [1, 1]]}, "three numbers"),
        ({"outline": [[0, 0, 0], [1, 0, 0], [1, 1, 0.1], [0, 1, 0]]}, "one plane"),
        ({"outline": [[0, 0, 0], [1, 1, 0], [1, 0, 0], [0, 1, 0]]}, "crosses itself"),
        ({"outline": square(size=0.05)}, "is none"),
        ({"thickness": 0.0}, "thickness"),
        ({"thickness": "thick"}, "thickness"),
        ({"material": "cheese"}, "neither in the model"),
        ({"class": "wall"}, "stands upright"),
        ({"class": "dome"}, "neither slab nor wall"),
        ({"way": "column"}, "carries as"),
        ({"openings": [square(size=3.0)]}, "beyond the outline"),
        ({"openings": [square(size=2.0)]}, "nothing of"),
        ({"openings": [square(z=4.0, size=1.0)]}, "off the plane"),
        ({"openings": [square(size=1.0), square(size=1.5)]}, "overlaps"),
    ],
)
def test_what_cannot_be_added_says_why_and_changes_nothing(change: dict[str, object], words: str) -> None:
    model = plate_model()
    good = {"outline": square(), "thickness": 0.2, "material": next(iter(model.materials))}
    with pytest.raises(EditError, match=words):
        AddSurfaces([good | change]).apply(model)
    assert not model.surfaces and not model.log
    AddSurfaces([good]).apply(model)
    with pytest.raises(EditError, match="lies there already"):
        AddSurfaces([good | {"outline": good["outline"][::-1]}]).apply(model)  # type: ignore[index]


def test_records_make_them_again() -> None:
    model = plate_model()
    good = {"outline": square(), "thickness": 0.2, "material": next(iter(model.materials)), "way": "two-way"}
    AddSurfaces([good]).apply(model)
    AddOpenings([{"surface": "added-1", "outline": square(size=1.0)}]).apply(model)
    fresh = plate_model()
    for r in model.corrections:
        from_record(r, fresh).apply(fresh)
    assert fresh.surfaces["added-1"].area == pytest.approx(3.0)
    assert fresh.surfaces["added-1"].diaphragm and fresh.surfaces["added-1"].way == "two-way"


def test_slabs_walls_and_openings_in_the_window(loft: Window, qtbot: QtBot) -> None:
    """Each by its form, undone one by one."""
    model = model_of(loft)
    count = len(model.surfaces)
    top = max(float(s.outer[:, 2].max()) for s in model.surfaces.values())
    act(loft, qtbot, "model.add_slab")
    fill(
        loft,
        qtbot,
        loft.surface_desk.form,
        x=30.0,
        y=0.0,
        x2=34.0,
        y2=3.0,
        level=f"{top:.6f}",
        thickness=180.0,
    )
    slab = model_of(loft).surfaces["added-1"]
    assert slab.area == pytest.approx(12.0) and slab.thickness == pytest.approx(0.18) and slab.cls == "slab"
    act(loft, qtbot, "model.add_wall")
    fill(
        loft,
        qtbot,
        loft.surface_desk.form,
        x=30.0,
        y=0.0,
        x2=30.0,
        y2=3.0,
        foot=f"{top - 3.0:.6f} m",
        head=f"{top:.6f}",
    )
    wall = model_of(loft).surfaces["added-2"]
    assert wall.cls == "wall" and wall.area == pytest.approx(9.0)
    assert {j.other for j in wall.joints if j.kind == "surface"} == {"added-1"}
    loft.state.pick("surface", "added-2")
    act(loft, qtbot, "model.open")
    fill(loft, qtbot, loft.surface_desk.form, along=1.0, width=0.9, above=0.5, height=1.2)
    wall = model_of(loft).surfaces["added-2"]
    assert wall.area == pytest.approx(9.0 - 0.9 * 1.2)
    assert wall.openings[0][:, 2].min() == pytest.approx(top - 2.5)
    loft.state.pick("surface", "added-1")
    act(loft, qtbot, "model.open")
    fill(loft, qtbot, loft.surface_desk.form, x=32.0, y=1.0, x2=33.0, y2=2.0)
    assert model_of(loft).surfaces["added-1"].area == pytest.approx(11.0)
    act(loft, qtbot, "model.close")
    fill(loft, qtbot, loft.surface_desk.form)
    assert model_of(loft).surfaces["added-1"].area == pytest.approx(12.0)
    for _ in range(5):
        act(loft, qtbot, "edit.undo")
    assert len(model_of(loft).surfaces) == count


def test_a_slab_between_selected_nodes(loft: Window, qtbot: QtBot) -> None:
    """In their order around, however they were selected."""
    model = model_of(loft)
    ring = [(0.0, 0.0), (6.0, 5.4), (6.0, 0.0), (0.0, 5.4)]
    z = max(n.point[2] for n in model.nodes.values())
    nodes = sorted(model.nodes.values(), key=lambda n: -float(n.point[2]))
    top = [n for n in nodes if abs(n.point[2] - z) < 1e-6]
    low = np.array([n.point for n in top]).min(axis=0)
    assert len(top) > 3 and len(ring) == 4
    right = sorted({round(float(n.point[0]), 3) for n in top})[1]
    far = sorted({round(float(n.point[1]), 3) for n in top})[1]
    corners = [(low[0], low[1]), (right, far), (right, low[1]), (low[0], far)]
    chosen = [min(top, key=lambda n: float(np.hypot(n.point[0] - x, n.point[1] - y))).id for x, y in corners]
    assert len(set(chosen)) == 4
    loft.state.select([("node", n) for n in chosen])
    act(loft, qtbot, "model.add_slab")
    fill(loft, qtbot, loft.surface_desk.form, thickness=150.0)
    made = model_of(loft).surfaces["added-1"]
    assert made.area == pytest.approx((right - low[0]) * (far - low[1]), rel=0.02)
    tied = {j.node for j in made.joints if j.kind == "end"}
    for j in made.joints:
        if j.kind == "member":
            m = model_of(loft).members[j.other]
            tied |= {m.start, m.end, *(x.node for x in m.joints)}
    assert tied >= set(chosen)
