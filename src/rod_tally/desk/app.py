"""Starting the window, with files, with the demo, or for a picture where there is no display."""

from __future__ import annotations

import logging
import os
import sys
import tempfile
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEventLoop, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPixmap
from PyQt6.QtWidgets import QApplication, QSplashScreen

from .session.jobs import where_logged
from .tally_mark import mark
from .theme import INK, MUTED, PAPER, dress

# the window, and with it the core and the libraries of the view, come after the start picture is on the
# screen
if TYPE_CHECKING:
    from .window import Window

PICTURE = "rod-tally-demo.png"
log = logging.getLogger(__name__)


def application() -> QApplication:
    """The one application object, dressed."""
    os.environ.setdefault("QT_API", "pyqt6")
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Rod Tally")
    dress(app)
    return app


def start(files: list[Path] | None = None, demo: bool = False, picture: Path | None = None) -> int:
    """Show the window until it is closed; on a virtual display print the demo's summary, keep a picture, and
    end."""
    app = application()
    picture_of_start = start_picture()
    picture_of_start.show()
    app.processEvents()
    from ..demo.project import make_demo
    from .window import Window

    with tempfile.TemporaryDirectory(prefix="rod-tally-") as folder:
        window = Window(view_later=True)
        tell_faults(window)
        window.show()
        picture_of_start.finish(window)
        app.processEvents()
        window.layout_desk.fit()
        window.view.begin()
        for path in files or []:
            window.session.open(path)
        if demo:
            window.session.open(make_demo(Path(folder) / "Tern Quay sail loft.rodtally"))
        if demo and (picture or os.environ.get("ROD_TALLY_VIRTUAL_DISPLAY")):
            return show_once(app, window, picture or Path(PICTURE))
        return app.exec()


def start_picture() -> QSplashScreen:
    """Return what is on the screen while the libraries are loaded: the mark and the name."""
    pixmap = QPixmap(QSize(360, 150))
    pixmap.fill(QColor(PAPER))
    painter = QPainter(pixmap)
    painter.drawPixmap(24, 43, mark(64).pixmap(QSize(64, 64)))
    font = painter.font()
    font.setPointSize(20)
    painter.setFont(font)
    painter.setPen(QColor(INK))
    painter.drawText(112, 84, "Rod Tally")
    painter.end()
    out = QSplashScreen(pixmap)
    out.showMessage("  starting …", Qt.AlignmentFlag.AlignBottom, QColor(MUTED))
    return out


def tell_faults(window: Window) -> None:
    """Have what goes wrong in a slot end up in the log and in words on the screen, not as a traceback or an
    end."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            window.close()
            return
        log.error("a fault in the window", exc_info=(kind, error, trace))
        text = f"A fault in Rod Tally: {kind.__name__}: {error}. Your work is kept.{where_logged()}"
        window.session.failed.emit("A fault", text)

    sys.excepthook = hook


def show_once(app: QApplication, window: Window, picture: Path) -> int:
    """The demo without anybody watching."""
    from ..review import STEPS
    from ..review.summary import summary

    settle(window, 60)
    for revision in window.state.revisions:
        print(summary(revision.review), end="\n\n")
    window.state.choose(0)
    window.state.go(STEPS[1])
    gap = next((f for f in window.state.revisions[0].review.findings if f.code == "join.gap"), None)
    if gap is not None:
        window.state.pick_finding(gap)
    settle(window, 10)
    saved = grab(window, picture)
    print(f"picture of the window: {picture}" if saved else f"{picture}: the picture could not be written")
    window.close()
    app.processEvents()
    return 0


def settle(window: Window, seconds: float) -> None:
    """Let the window work until no job runs and everything is drawn."""
    loop = QEventLoop()
    calm = [0]

    def look() -> None:
        calm[0] = 0 if window.session.jobs.busy else calm[0] + 1
        if calm[0] > 3:
            loop.quit()

    timer = QTimer()
    timer.setInterval(60)
    timer.timeout.connect(look)
    timer.start()
    QTimer.singleShot(int(seconds * 1000), loop.quit)
    loop.exec()
    timer.stop()


def grab(window: Window, path: Path) -> bool:
    """The window as the screen shows it, view included."""
    screen = window.screen()
    assert screen is not None
    return screen.grabWindow(window.winId()).save(str(path))
