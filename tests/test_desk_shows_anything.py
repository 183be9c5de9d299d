"""Every file that a review can read, the window can show: no slot, overlay or table raises, and what is not
drawn is named."""

from __future__ import annotations

import logging
import os
import random
from pathlib import Path

import numpy as np
import pytest

pytest.importorskip("PyQt6")
from pytestqt.qtbot import QtBot  # noqa: E402

from rod_tally.desk.overlays.registry import overlays  # noqa: E402
from rod_tally.desk.window import Window  # noqa: E402
from rod_tally.intake import IntakeError, read_source  # noqa: E402
from rod_tally.model import Surface  # noqa: E402
from rod_tally.review import STEPS  # noqa: E402

from .desk_help import model_of, rested  # noqa: E402
from .test_damaged_files import HARM, sources  # noqa: E402

pytestmark = [
    pytest.mark.desk,
    pytest.mark.skipif(not os.environ.get("DISPLAY"), reason="needs a display; ./run test starts one"),
]


def show_all(w: Window, qtbot: QtBot, caplog: pytest.LogCaptureFixture) -> list[str]:
    """Every overlay and every table; returns what was not drawn."""
    missing: list[str] = []
    caplog.set_level(logging.ERROR)
    for step in STEPS:
        w.state.go(step)
    for name in overlays():
        w.state.set_view(overlay=name)
        w.view.draw()
        if w.view.canvas is not None:
            missing += w.view.canvas.left_out
    rested(qtbot, w)
    for name in w.tables.pages:
        w.tables.show_table(name)
        w.tables._front()
    for direction in ("plan", "south", "3d"):
        w.view.look_from(direction)
        w.view.draw()
    assert not [r for r in caplog.records if r.levelno >= logging.ERROR], [
        r.getMessage() for r in caplog.records
    ]
    return missing


@pytest.fixture(autouse=True)
def heard() -> None:
    """What the package logs is heard by the test, wherever the log file is."""
    logging.getLogger("rod_tally").propagate = True


def test_generated_models_are_shown_whole(
    window: Window, qtbot: QtBot, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    """One after the other in one window."""
    for k, text in enumerate(sources(tmp_path)):
        path = tmp_path / f"model-{k}.ifc"
        path.write_text(text)
        window.session.open(path)
        rested(qtbot, window)
        assert window.state.review is not None
        assert show_all(window, qtbot, caplog) == [], k


def test_damaged_models_are_shown_as_far_as_they_go(
    window: Window, qtbot: QtBot, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    texts = sources(tmp_path)
    for seed in range(6):
        rng = random.Random(1000 + seed)
        lines = rng.choice(texts).split("\n")
        for _ in range(3):
            at = rng.randrange(8, len(lines) - 3)
            lines[at] = rng.choice(HARM)(lines[at], rng)
        path = tmp_path / f"broken-{seed}.ifc"
        path.write_text("\n".join(lines))
        try:
            read_source(path)
        except IntakeError:
            continue
        window.session.open(path)
        rested(qtbot, window)
        show_all(window, qtbot, caplog)


def test_an_outline_that_cannot_be_filled_is_named_and_the_rest_is_drawn(
    loft: Window, qtbot: QtBot, caplog: pytest.LogCaptureFixture
) -> None:
    """A slab whose corners lie on one line, as a rounding of a sliver leaves them."""
    outer = np.array([[0, 0, 9], [5, 0, 9], [2, 1e-13, 9], [1, 0, 9.0]])
    model_of(loft).surfaces["odd"] = Surface(
        "odd", "Sliver", "slab", "", outer + [[0, 0, 0], [0, 0, 0], [0, 1e-9, 0], [0, 0, 0]], [], 0.2, ""
    )
    loft.view.draw()
    assert loft.view.canvas is not None and loft.view.canvas.cells > 100


def test_an_overlay_that_fails_is_named_in_the_legend(
    loft: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    from rod_tally.desk.overlays import registry as module

    broken = module.Overlay("joints", "Joints", lambda _c, _s: 1 / 0)  # type: ignore[arg-type,return-value]
    monkeypatch.setitem(module._REGISTRY, "joints", broken)
    loft.state.set_view(overlay="joints")
    loft.view.draw()
    assert "not drawn: joints" in loft.view.legend.text()
    assert loft.view.canvas is not None and loft.view.canvas.cells > 100


def test_turning_the_view_just_after_another_revision_was_chosen(demo: Window, qtbot: QtBot) -> None:
    """What is drawn is still the other revision then: nothing of it is looked for in the new one."""
    demo.state.choose(1)
    qtbot.wait(100)
    demo.state.choose(0)
    demo.look("plan")
    demo.look("3d")
    qtbot.wait(100)
    assert demo.view.legend.text()
