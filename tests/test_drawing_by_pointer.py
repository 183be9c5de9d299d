"""Drawing by pointer: where a click goes, what is made of it, and how it ends."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from rod_tally.desk.view.pointing import Pointing
from rod_tally.desk.view.snapping import Place, crossings, nearest, on_axis, places
from rod_tally.desk.window import Window
from rod_tally.model.entities.grid import GridLine

from .desk_help import act, model_of, rested
from .frames import regular
from .plates import shell


def grid(name: str, family: str, *points: tuple[float, float]) -> GridLine:
    return GridLine(name, np.array(points, float), family)


def test_grid_lines_cross_within_their_lengths() -> None:
    lines = [
        grid("A", "u", (0, -1), (0, 9)),
        grid("B", "u", (6, -1), (6, 9)),
        grid("1", "v", (-1, 0), (9, 0)),
        grid("9", "v", (-1, 20), (9, 20)),
    ]
    assert crossings(lines) == [("A / 1", (0.0, 0.0)), ("B / 1", (6.0, 0.0))]
    skew = grid("S", "w", (0, 0), (6, 6))
    assert ("A / S", (0.0, 0.0)) in crossings([*lines, skew]) and crossings([skew, skew]) == []


@settings(max_examples=50, deadline=None)
@given(st.floats(0, 2 * np.pi), st.floats(0.3, 2.8), st.floats(-50, 50), st.floats(-50, 50))
def test_crossings_turn_with_the_grid(turn: float, between: float, x: float, y: float) -> None:
    """Two lines through one place, whatever their directions: they cross there."""
    u, v = (np.array([np.cos(a), np.sin(a)]) for a in (turn, turn + between))
    p = np.array([x, y])
    found = crossings(
        [
            GridLine("A", np.array([p - 5 * u, p + 7 * u])),
            GridLine("1", np.array([p - 3 * v, p + 4 * v]), "v"),
        ]
    )
    assert len(found) == 1 and found[0][1] == pytest.approx((x, y), abs=1e-6)


def test_each_place_is_there_once_as_what_it_is_most() -> None:
    m = regular(1, 1)
    m.grids = [grid("A", "u", (0, -1), (0, 9)), grid("1", "v", (-1, 0), (9, 0))]
    shell(m, "s", [(0, 0, 3.5), (2, 0, 3.5), (2, 2, 3.5), (0, 2, 3.5)])
    found = places(m, list(m.members), list(m.surfaces.values()), [("L0", 0.0), ("L9", 9.0)])
    at = [tuple(round(v, 3) for v in p.at) for p in found]
    assert len(set(at)) == len(at)
    assert {p.what for p in found if p.what.startswith("node")} == {f"node {n}" for n in m.nodes}
    assert not any(p.what == "A / 1 at L0" for p in found)  # a node is there
    assert any(p.what == "A / 1 at L9" for p in found)
    assert sum(p.what.startswith("middle of an edge of slab s") for p in found) == 4


def test_the_nearest_in_front_and_nodes_before_middles() -> None:
    found = [Place((0, 0, 0), "middle", 2), Place((0, 0, 1), "node", 0), Place((0, 0, 2), "far", 0)]
    screen = np.array([(100.0, 100.0, 0.2), (100.5, 100.0, 0.5), (140.0, 100.0, 0.1)])
    assert nearest(found, screen, (100, 100), 12) is found[1]
    assert nearest(found, screen, (138, 100), 12) is found[2]
    assert nearest(found, screen, (120, 100), 12) is None and nearest([], screen[:0], (0, 0), 12) is None


def test_along_an_axis_by_whole_steps() -> None:
    line = np.array([(0.0, 0, 0), (6, 0, 0)])
    p = on_axis(line, np.array([(0.0, 0), (600, 0)]), (233.0, 8.0), "beam B")
    assert p.at == pytest.approx((2.35, 0, 0)) and p.what == "2.35 m along beam B"
    assert on_axis(line, np.array([(0.0, 0), (600, 0)]), (900.0, 0.0), "B").at == pytest.approx((6, 0, 0))


def pointing(w: Window, qtbot: QtBot) -> Pointing:
    qtbot.waitUntil(lambda: w.view.scene is not None, timeout=5000)
    return w.view.pointing


def put(w: Window, what: str) -> None:
    """Click the place of that name."""
    p = w.view.pointing
    place = next(x for x in p._places if x.what == what)
    at = p._widget_place(place)
    p.hover(at.x(), at.y())
    p.click(at.x(), at.y())


def test_members_are_drawn_one_after_the_other_until_esc(loft: Window, qtbot: QtBot) -> None:
    p = pointing(loft, qtbot)
    before = set(model_of(loft).members)
    loft.view.look_from("plan")
    loft.state.show_storeys({"Roof"})
    qtbot.wait(100)
    act(loft, qtbot, "model.draw")
    assert loft.draw_desk.form is not None
    loft.draw_desk.form.accept()
    assert p.active
    corners = [x for x in p._places if x.what.startswith("node ") and x.at[2] > 11]
    other = max(corners, key=lambda c: abs(c.at[0] - corners[0].at[0]) + abs(c.at[1] - corners[0].at[1]))
    nodes = [corners[0].what, "", other.what]
    put(loft, nodes[0])
    p._key(Qt.Key.Key_Backspace)
    assert not p.points
    put(loft, nodes[0])
    put(loft, nodes[0])  # the same again is nothing
    assert len(p.points) == 1
    put(loft, nodes[2])
    rested(qtbot, loft)
    new = set(model_of(loft).members) - before
    assert len(new) == 1 and p.active and not p.points
    m = model_of(loft).members[new.pop()]
    assert {f"node {m.start}", f"node {m.end}"} == {nodes[0], nodes[2]}
    picked = loft.state.picked
    at = p._widget_place(p._places[0])
    qtbot.mouseClick(
        loft.view.plotter.interactor, Qt.MouseButton.LeftButton, pos=QPoint(int(at.x()), int(at.y()))
    )
    assert loft.state.picked == picked  # a click is a place now, it picks nothing
    act(loft, qtbot, "run.cancel")
    assert not p.active and not p.points
    act(loft, qtbot, "edit.undo")
    assert set(model_of(loft).members) == before


def test_an_outline_is_closed_by_its_first_corner_and_asked_about(loft: Window, qtbot: QtBot) -> None:
    p = pointing(loft, qtbot)
    loft.view.look_from("plan")
    loft.state.show_storeys({"Roof"})
    qtbot.wait(100)
    act(loft, qtbot, "model.draw_slab")
    corners = [x for x in p._places if x.what.startswith("node ") and x.at[2] > 11]
    x = sorted({round(c.at[0], 3) for c in corners})[:2]
    y = sorted({round(c.at[1], 3) for c in corners})[:2]
    ring = [
        next(c for c in corners if (round(c.at[0], 3), round(c.at[1], 3)) == at)
        for at in ((x[0], y[0]), (x[1], y[0]), (x[1], y[1]))
    ]
    put(loft, ring[0].what)
    put(loft, ring[1].what)
    p._key(Qt.Key.Key_Return)
    assert p.active  # two corners are no outline
    put(loft, ring[2].what)
    put(loft, ring[0].what)
    assert not p.active and loft.surface_desk.form is not None
    before = set(model_of(loft).surfaces)
    loft.surface_desk.form.accept()
    rested(qtbot, loft)
    (new,) = set(model_of(loft).surfaces) - before
    drawn = {tuple(np.round(q, 3)) for q in model_of(loft).surfaces[new].outer}
    assert drawn == {tuple(np.round(c.at, 3)) for c in ring}


def test_a_wall_by_its_foot_and_nothing_where_nothing_lies(loft: Window, qtbot: QtBot) -> None:
    p = pointing(loft, qtbot)
    loft.view.look_from("plan")
    loft.state.show_storeys({"Roof"})
    qtbot.wait(100)
    act(loft, qtbot, "model.draw_wall")
    said: list[str] = []
    loft.session.said.connect(said.append)
    p.click(2.0, 2.0)
    assert not p.points and "Nothing lies there" in said[-1]
    nodes = [x.what for x in p._places if x.what.startswith("node ") and x.at[2] > 11][:2]
    for name in nodes:
        put(loft, name)
    form = loft.surface_desk.form
    assert not p.active and form is not None
    first = next(
        x for x in places(model_of(loft), list(model_of(loft).members), [], []) if x.what == nodes[0]
    )
    assert form.values()["x"] == pytest.approx(first.at[0] + model_of(loft).origin[0], abs=1e-3)
    form.reject()
    QApplication.processEvents()
