"""What is on the screen in the first seconds: one window, whole, within its screen."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from PyQt6.QtCore import QRect
from pytestqt.qtbot import QtBot

from rod_tally.desk.window import Window

COUNT = """
from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget
from rod_tally.desk.app import application, settle, start_picture

app = application()
shown = []

class Watch(QObject):
    def eventFilter(self, thing, event):
        if event.type() == QEvent.Type.Show and isinstance(thing, QWidget) and thing.isWindow():
            shown.append(type(thing).__name__)
        return False

watch = Watch()
app.installEventFilter(watch)
first = start_picture()
first.show()
app.processEvents()
from rod_tally.desk.window import Window

window = Window(view_later=True)
window.show()
first.finish(window)
app.processEvents()
window.layout_desk.fit()
window.view.begin()
settle(window, 2)
print(shown)
window.close()
"""


def test_nothing_but_the_start_picture_and_the_window_is_shown_and_each_once(tmp_path: Path) -> None:
    """Widgets that are shown before they have a parent are windows for a moment, and so is a window that is
    made anew for its first OpenGL child."""
    env = os.environ | {"ROD_TALLY_DATA": str(tmp_path), "PYTHONPATH": os.pathsep.join(sys.path)}
    done = subprocess.run([sys.executable, "-c", COUNT], env=env, capture_output=True, text=True, timeout=120)
    assert done.stdout.strip().splitlines()[-1:] == ["['QSplashScreen', 'Window']"], done.stderr[-2000:]


def test_a_window_that_is_larger_than_its_screen_is_made_to_fit(window: Window, qtbot: QtBot) -> None:
    screen = window.screen()
    assert screen is not None
    room = screen.availableGeometry()
    window.setGeometry(QRect(room.left() + 60, room.top() + 40, room.width() + 200, room.height() + 100))
    window.layout_desk.fit()
    qtbot.waitUntil(lambda: room.contains(window.frameGeometry()), timeout=3000)
    # one that fits stays where it is
    inside = QRect(room.left() + 10, room.top() + 20, room.width() - 15, room.height() - 90)
    window.setGeometry(inside)
    window.layout_desk.fit()
    assert window.geometry() == inside
