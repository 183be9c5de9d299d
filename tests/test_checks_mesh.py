"""Checks of meshes, and what other checks say where slabs and walls take part in a run."""

from __future__ import annotations

import numpy as np
import pytest

from rod_tally.analysis import run
from rod_tally.checks import Subject, run_checks
from rod_tally.model import (
    FIXED,
    PINNED,
    Finding,
    LineSupport,
    LoadCase,
    Model,
    NodeLoad,
    Settings,
    SpaceLoad,
    Support,
    SurfaceJoint,
)
from rod_tally.model.edits import SetMeshSize, SetSpan
from rod_tally.model.edits.base import EditError
from rod_tally.review.remedies import FINER, edit_for

from .floors import floor
from .plates import plate_model, pressure, rectangle, shell


def found(m: Model, code: str) -> list[Finding]:
    settings = Settings()
    r = run(m, settings.run, meshing=settings.mesh)
    return [f for f in run_checks(Subject(m, r, settings)) if f.code == code]


def test_a_surface_that_cannot_be_meshed_blocks_and_is_named() -> None:
    m = plate_model()
    shell(m, "s", rectangle(4, 4), edges="pinned")
    shell(m, "x", rectangle(1, 1), openings=[[(-1, -1, 0), (2, -1, 0), (2, 2, 0), (-1, 2, 0)]])
    pressure(m, "s", 1e3)
    (f,) = found(m, "mesh.failed")
    assert f.severity == "blocking" and f.ids == ("x",) and "holds no area" in f.message


def test_splinters_beside_an_opening_are_told_and_a_smaller_size_mends_them() -> None:
    m = plate_model()
    shell(
        m, "s", rectangle(3, 3), edges="pinned", openings=[[(0.03, 1, 0), (2, 1, 0), (2, 2, 0), (0.03, 2, 0)]]
    )
    pressure(m, "s", 1e3)
    (f,) = found(m, "mesh.poor")
    assert f.ids == ("s",) and f.at is not None and f.at[0] < 0.6
    edit = edit_for(m, f, FINER)
    assert isinstance(edit, SetMeshSize) and edit.size == 0.25
    before = f.numbers["share"]
    edit.apply(m)
    for _ in range(2):
        again = found(m, "mesh.poor")
        if not again:
            break
        edit = edit_for(m, again[0], FINER)
        assert edit is not None
        edit.apply(m)
    assert not again or again[0].numbers["share"] < before


def test_an_element_size_without_sense_is_refused() -> None:
    m = plate_model()
    shell(m, "s", rectangle(3, 3))
    with pytest.raises(EditError, match="not between"):
        SetMeshSize(["s"], 0.001).apply(m)


def test_only_surfaces_that_hand_their_loads_on_are_told_as_idle() -> None:
    m = floor()
    m.cases["live"].self_weight = (0.0, 0.0, -1.0)
    assert len(found(m, "source.surfaces")) == 1
    SetSpan(["s"], "shell").apply(m)
    assert found(m, "source.surfaces") == []


def test_a_plate_that_slides_is_said_in_words() -> None:
    m = plate_model()
    s = shell(m, "s", rectangle(4, 4), edges="uz")
    s.name = "Deck"
    m.cases["q"] = LoadCase(
        "q", "wind", space_loads=[SpaceLoad(np.array([(2, 2, 0.0)]), (1e3, 0, 0), (0, 0, 0))]
    )
    moves = found(m, "stability.mechanism")
    assert len(moves) == 3 and all(f.severity == "blocking" for f in moves)
    assert all("slab Deck" in f.message and f.ids == ("s",) for f in moves)


def test_members_on_a_held_slab_are_no_island() -> None:
    m = floor()
    for n in m.nodes.values():
        n.support = Support()
    s = m.surfaces["s"]
    s.way = "shell"
    s.supports = [
        LineSupport(np.array([a, b]), PINNED) for a, b in zip(s.outer, np.roll(s.outer, -1, axis=0))
    ]
    m.cases["live"].self_weight = (0.0, 0.0, -1.0)
    settings = Settings()
    r = run(m, settings.run)
    assert not r.left_out and r.equilibrium[0].residual < 1e-9
    codes = {f.code for f in run_checks(Subject(m, r, settings)) if f.severity == "blocking"}
    assert "join.island" not in codes and "support.unstable" not in codes and "support.none" not in codes


def test_a_rigid_arm_between_two_supports_is_told() -> None:
    """A slab that stops 60 mm short of its held wall, both held along the gap: the arms between them do
    nothing."""
    m = plate_model()
    s = shell(m, "s", rectangle(4, 3, 3))
    w = shell(m, "w", [(0, -0.06, 0), (4, -0.06, 0), (4, -0.06, 3), (0, -0.06, 3)], 0.12, cls="wall")
    line = np.array([(0, 0, 3), (4, 0, 3)], float)
    s.joints.append(SurfaceJoint("surface", "w", line, distance=0.06))
    w.joints.append(SurfaceJoint("surface", "s", line - [0, 0.06, 0], distance=0.06))
    w.supports = [LineSupport(np.array([(0, -0.06, 0), (4, -0.06, 0)], float), FIXED)]
    pressure(m, "s", 1e3)
    far = LineSupport(np.array([(0, 3, 3), (4, 3, 3)], float), Support.of("uz"))
    s.supports = [far]
    assert found(m, "mesh.arm") == []
    s.supports = [far, LineSupport(line, PINNED)]
    w.supports.append(LineSupport(line - [0, 0.06, 0], Support.of("uz")))
    (f,) = found(m, "mesh.arm")
    assert f.severity == "warning" and "0.06 m" in f.message and "more" in f.message


def test_a_floor_that_supports_hold_in_plan_is_said_not_to_be_rigid() -> None:
    """A roller that holds it upright leaves the floor rigid; one that holds it sideways does not, and is
    named."""
    from rod_tally.model import Settings, Support
    from rod_tally.model.entities.model import Storey
    from rod_tally.review import review

    from .frames import regular

    def spread(words: str) -> tuple[list[str], float]:
        m = regular(2, 1)
        m.storeys = [Storey("L0", 0.0), Storey("L1", 3.5)]
        top = [n for n in m.nodes.values() if n.point[2] > 1]
        top[4].support = Support.of(words)
        m.cases["q"] = LoadCase("q", "wind", node_loads=[NodeLoad(top[0].id, (9e3, 5e3, 0.0))])
        r = review(m, Settings.from_dict({"run": {"diaphragms": ["L1"]}, "modes": {"count": 0}}))
        at = [r.results.node_ids.index(n.id) for n in top]
        return [f.code for f in r.findings], float(np.ptp(r.results.displacement[0, at, 5]))

    for words in ("", "uz", "uz=1e7 ux=1e6"):
        codes, turns = spread(words)
        assert "run.diaphragm" not in codes and turns < 1e-15, words
    codes, turns = spread("ux uy uz")
    assert "run.diaphragm" in codes and turns > 1e-9
