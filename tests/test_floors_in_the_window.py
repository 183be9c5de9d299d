"""Rigid floors set in the window, slab by slab and by storey; a table of displacements."""

from __future__ import annotations

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.desk.window import Window
from rod_tally.model.edits import EditError, SetDiaphragm

from .desk_help import STEP, act, fill, model_of, rested, rows


def spread(w: Window, storey: str, case: str) -> float:
    """How unlike the nodes of a storey's level move along y, m, once its turn is taken off."""
    review = w.state.review
    assert review is not None
    model, r = review.model, review.results
    level = next(s.elevation for s in model.storeys if s.name == storey)
    at = [
        k for k, n in enumerate(r.node_ids) if n in model.nodes and abs(model.nodes[n].point[2] - level) < 0.3
    ]
    xy = np.array([model.nodes[r.node_ids[k]].point[:2] for k in at])
    u = r.displacement[r.case_index(case)][at, :2]
    # u = a + turn x r, fitted: three unknowns for the two directions together
    left = np.zeros((2 * len(at), 3))
    left[::2, 0], left[1::2, 1] = 1.0, 1.0
    left[::2, 2], left[1::2, 2] = -xy[:, 1], xy[:, 0]
    found, *_ = np.linalg.lstsq(left, u.ravel(), rcond=None)
    return float(np.abs(u.ravel() - left @ found).max())


def test_a_storey_is_made_rigid_and_loosened_again(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    loose = spread(w, "Roof", "Wind y")
    act(w, qtbot, "run.floors")
    fill(w, qtbot, w.plate_desk.form, Roof="rigid in plan")
    assert w.session.settings.run.diaphragms == ["Roof"]
    assert w.state.revision is not None and w.state.revision.stale and "old" in w.header.verdict.text()
    assert w.session.project is not None and w.session.project.settings().run.diaphragms == ["Roof"]
    act(w, qtbot, "run.run")
    stiff = spread(w, "Roof", "Wind y")
    assert stiff < 1e-9 < loose
    act(w, qtbot, "run.floors")
    fill(w, qtbot, w.plate_desk.form, Roof="as its slabs are")
    assert w.session.settings.run.diaphragms == []
    # the first run was made with these settings; the one that is shown was not
    assert w.state.revision.stale


def test_slabs_stiffen_their_storey_or_not(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    model = model_of(w)
    slab = next(s for s in model.surfaces.values() if not s.keeps_loads and not s.upright)
    wall = next(s for s in model.surfaces.values() if s.upright)
    with pytest.raises(EditError, match="a wall"):
        SetDiaphragm([wall.id]).apply(model)
    w.state.pick("surface", slab.id)
    act(w, qtbot, "run.stiff")
    assert model_of(w).surfaces[slab.id].diaphragm
    act(w, qtbot, "edit.undo")
    assert not model_of(w).surfaces[slab.id].diaphragm


def test_displacements_of_nodes_largest_first(demo: Window, qtbot: QtBot) -> None:
    w = demo
    w.state.choose(1)
    w.state.go(STEP["Response"])
    w.state.set_view(case="Wind y")
    rested(qtbot, w)
    found = rows(w, "displacements")
    review = w.state.review
    assert review is not None and len(found) == len(review.model.nodes)
    size = [float(r[5]) for r in found]  # type: ignore[arg-type]
    assert size == sorted(size, reverse=True)
    r = review.results
    k = r.node_ids.index(str(found[0][0]))
    u = r.displacement[r.case_index("Wind y"), k]
    assert found[0][2:5] == pytest.approx((u[:3] * 1000).tolist()) and size[0] == pytest.approx(
        np.linalg.norm(u[:3]) * 1000
    )
    assert found[0][6:9] == pytest.approx((u[3:] * 1000).tolist())
