"""The reviewed revision beside the shown one: one camera, one scale, picked in either, and what it does not
have said."""

from __future__ import annotations

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from rod_tally.desk.overlays.registry import Sizes
from rod_tally.desk.view.baseline_view import BaselineView
from rod_tally.desk.window import Window

from .desk_help import STEP, act, model_of, named, rested


@pytest.fixture
def beside(demo: Window, qtbot: QtBot) -> BaselineView:
    demo.state.choose(1)
    demo.state.go(STEP["Response"])
    act(demo, qtbot, "compare.beside")
    assert demo.baseline_view is not None
    return demo.baseline_view


def of_baseline(b: BaselineView, name: str) -> str:
    assert b.state.review is not None
    return next(m.id for m in b.state.review.model.members.values() if m.name == name)


def it_shows_the_same_of_the_revision_before(demo: Window, beside: BaselineView, qtbot: QtBot) -> None:
    assert beside.state.revision is demo.state.revisions[0]
    assert (
        "the reviewed one" in beside.title.text() and demo.view_title.text() == demo.state.revisions[1].name
    )
    demo.state.set_view(case="Wind y", component="mz")
    demo.state.show_overlay("displaced")
    assert (beside.state.case, beside.state.component, beside.state.overlay) == ("Wind y", "mz", "displaced")
    demo.state.show_storeys({"Loft"})
    rested(qtbot, demo)
    assert beside.state.storeys == {"Loft"}
    demo.state.show_overlay("change")
    assert beside.state.overlay == "sections"
    demo.state.show_storeys(set())
    demo.state.isolate({named(demo, "Loft B2-B3")})
    assert beside.state.isolated == {of_baseline(beside, "Loft B2-B3")}


def both_are_drawn_to_one_scale(demo: Window, beside: BaselineView, qtbot: QtBot) -> None:
    """The larger of the two displacements, forces and stresses scales both."""
    for overlay in ("displaced", "forces", "stress", "reactions"):
        demo.state.set_view(case="Wind y")
        demo.state.show_overlay(overlay)
        rested(qtbot, demo)
        demo.view.draw()
        beside.view.draw()
        rested(qtbot, demo)
        one, two = demo.view.sizes, beside.view.sizes
        assert one.used and one.used == two.used, overlay
        for key, used in one.used.items():
            assert used == max(one.own[key], two.own[key])
            assert one.own[key] != two.own[key] or key[0] in ("building", "load")  # type: ignore[index]


def test_sizes_know_whether_they_hold() -> None:
    a, b = Sizes(), Sizes()
    assert a.largest("k", 2.0, b) == 2.0 and a.holds(b)
    assert b.largest("k", 3.0, a) == 3.0 and b.holds(a) and not a.holds(b)
    assert a.largest("k", 2.0, b) == 3.0 and a.holds(b)


def what_is_picked_in_one_is_picked_in_the_other(demo: Window, beside: BaselineView, qtbot: QtBot) -> None:
    demo.state.pick("member", named(demo, "Loft B2-B3"))
    twin = of_baseline(beside, "Loft B2-B3")
    assert beside.state.picked == ("member", twin)
    other = of_baseline(beside, "Loft B1-B2")
    beside.state.pick("member", other)
    assert demo.state.picked == ("member", named(demo, "Loft B1-B2"))
    comparison = demo.state.comparison
    assert comparison is not None
    added = next(r.revised_id for r in comparison.parts if r.status == "added" and r.revised_id)
    kind = "member" if added in model_of(demo).members else "surface"
    demo.state.pick(kind, added)
    assert beside.state.picked is None
    gone = next((r.baseline_id for r in comparison.parts if r.status == "removed" and r.baseline_id), None)
    if gone is not None:
        beside.state.pick("member", gone)
        assert demo.state.picked is None and "is not in" in demo.statusBar().currentMessage()  # type: ignore[union-attr]


def one_camera_moves_both(demo: Window, beside: BaselineView, qtbot: QtBot) -> None:
    """Places of the building, not of the axes: each looks at its own building from the same side."""
    if demo.view.plotter is None:
        return  # there is no OpenGL here
    comparison = demo.state.comparison
    assert comparison is not None and beside._places is not None
    for here, there, forward in ((demo.view, beside.view, False), (beside.view, demo.view, True)):
        camera, other = here.plotter.camera, there.plotter.camera
        camera.position = (30.0, -40.0, 20.0)
        camera.parallel_scale = 7.5
        assert other.parallel_scale == 7.5
        mine, theirs = (
            (beside.state.review, demo.state.review) if forward else (demo.state.review, beside.state.review)
        )
        assert mine is not None and theirs is not None
        point = np.array(camera.position) + mine.model.origin
        wanted = (
            beside._places.forward(point) if forward else beside._places.back(point)
        ) - theirs.model.origin
        assert np.array(other.position) == pytest.approx(np.asarray(wanted))


def the_first_revision_has_none_beside_it_and_it_goes_away_again(
    demo: Window, beside: BaselineView, qtbot: QtBot
) -> None:
    demo.state.choose(0)
    rested(qtbot, demo)
    assert "no revision before" in beside.title.text() and beside.state.revision is None
    demo.state.choose(1)
    rested(qtbot, demo)
    assert beside.state.revision is demo.state.revisions[0]
    act(demo, qtbot, "compare.beside")
    assert demo.baseline_view is None and demo.view.beside is None and not demo.view_title.isVisible()
    qtbot.wait(150)
    # all of the building in the room of both, from where it was looked at
    scene = demo.view.scene
    assert scene is not None
    width, height = demo.view.plotter.render_window.GetSize()
    pixels = demo.view.canvas.to_screen(scene.points)[:, :2]
    assert (pixels >= 0).all() and (pixels <= [width, height]).all()
    assert (np.ptp(pixels, axis=0) / [width, height]).max() > 0.8
    demo.state.show_overlay("forces")
    rested(qtbot, demo)
    assert demo.view.legend.text()


def test_the_reviewed_revision_beside_the_shown_one(demo: Window, beside: BaselineView, qtbot: QtBot) -> None:
    """All of it in one window: opening it takes longer."""
    both_are_drawn_to_one_scale(demo, beside, qtbot)
    what_is_picked_in_one_is_picked_in_the_other(demo, beside, qtbot)
    one_camera_moves_both(demo, beside, qtbot)
    it_shows_the_same_of_the_revision_before(demo, beside, qtbot)
    the_first_revision_has_none_beside_it_and_it_goes_away_again(demo, beside, qtbot)
