"""Turning the view of a building of some 5,000 members and 20,000 shell elements: frames a second as OpenGL
draws here."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QMouseEvent

STOREYS, BAYS, SIZE, FRAMES = 20, (12, 11), 3.1, 60


def drag(app: Any, widget: Any, kind: QEvent.Type, place: QPointF) -> None:
    """One event of the left button at a place, and what it draws."""
    left = Qt.MouseButton.LeftButton
    moving, held = kind == QEvent.Type.MouseMove, kind != QEvent.Type.MouseButtonRelease
    none = Qt.MouseButton.NoButton
    event = QMouseEvent(
        kind,
        place,
        widget.mapToGlobal(place),
        none if moving else left,
        left if held else none,
        Qt.KeyboardModifier.NoModifier,
    )
    app.sendEvent(widget, event)
    app.processEvents()


def view() -> dict[str, Any]:
    from rod_tally.demo.tower import write_tower
    from rod_tally.desk.app import application, settle
    from rod_tally.desk.window import Window

    app = application()
    out: dict[str, Any] = {}
    with tempfile.TemporaryDirectory() as folder:
        os.environ["ROD_TALLY_DATA"] = folder
        write_tower(Path(folder) / "tower.ifc", STOREYS, *BAYS)
        w = Window()
        w.resize(1280, 800)
        w.show()
        w.session.settings.mesh.size = SIZE
        w.session.settings.modes.count = 0
        w.session.open(Path(folder) / "tower.ifc")
        while w.session.jobs.busy:
            app.processEvents()
            time.sleep(0.01)
        settle(w, 10)
        review = w.state.review
        assert review is not None and review.results.plates is not None
        out["members"], out["elements"] = len(review.model.members), review.results.plates.count
        w.state.set_view(case="Self-weight")
        for overlay in ("sections", "plates", "displaced", "mesh"):
            w.state.show_overlay(overlay)
            settle(w, 5)
            start = time.perf_counter()
            w.view.draw()
            out[f"draw {overlay}"] = time.perf_counter() - start
            app.processEvents()
            widget = w.view.plotter.interactor
            place = QPointF(widget.rect().center())
            drag(app, widget, QEvent.Type.MouseButtonPress, place)
            start = time.perf_counter()
            for _ in range(FRAMES):
                place += QPointF(3, 1)
                drag(app, widget, QEvent.Type.MouseMove, place)
            out[f"fps {overlay}"] = FRAMES / (time.perf_counter() - start)
            drag(app, widget, QEvent.Type.MouseButtonRelease, place)
        w.close()
    return out
