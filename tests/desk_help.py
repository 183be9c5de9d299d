"""What the tests of the window share."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from pytestqt.qtbot import QtBot

from rod_tally.desk.forms.form import Form
from rod_tally.desk.window import Window
from rod_tally.model import Model
from rod_tally.review import STEPS

STEP = {s.name: s for s in STEPS}


def rested(qtbot: QtBot, w: Window) -> None:
    qtbot.waitUntil(lambda: not w.session.jobs.busy, timeout=60000)
    qtbot.wait(20)


def model_of(w: Window) -> Model:
    assert w.state.review is not None
    return w.state.review.model


def named(w: Window, name: str) -> str:
    return next(m.id for m in model_of(w).members.values() if m.name == name)


def place_of(w: Window, member: str) -> QPoint:
    """Where the middle of a member is on the view's widget."""
    line = model_of(w).line(model_of(w).members[member])
    x, y, _ = w.view.canvas.to_screen(line.mean(axis=0)[None])[0]
    ratio = w.view.devicePixelRatioF()
    height = w.view.plotter.render_window.GetSize()[1]
    return QPoint(round(x / ratio), round((height - y) / ratio))


def act(w: Window, qtbot: QtBot, command: str) -> None:
    """Trigger a command that must be enabled, and wait for what it starts."""
    assert w.actions_[command].isEnabled(), command
    w.actions_[command].trigger()
    rested(qtbot, w)


def fill(w: Window, qtbot: QtBot, form: Form | None, **values: object) -> None:
    """Fill an open form and accept it."""
    assert form is not None
    for name, value in values.items():
        widget = form.widgets[name]
        if hasattr(widget, "setCurrentText"):
            widget.setCurrentText(str(value))
        else:
            widget.setValue(float(value))  # type: ignore[arg-type]
    form.accept()
    rested(qtbot, w)


def legend(w: Window, qtbot: QtBot) -> str:
    rested(qtbot, w)
    w.view.draw()
    return w.view.legend.text()


def rows(w: Window, name: str) -> list[list[object]]:
    w.tables.show_table(name)
    w.tables._front()
    return w.tables.pages[name].model.content.rows


def surface(w: Window, name: str) -> str:
    return next(s.id for s in model_of(w).surfaces.values() if s.name == name)
