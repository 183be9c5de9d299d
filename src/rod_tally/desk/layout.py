"""Division of the window and size of its text: changed by commands, remembered from one start to the next."""

from __future__ import annotations

import json
from collections.abc import Callable

from PyQt6.QtCore import QByteArray, QEvent, QObject, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QCloseEvent, QFont
from PyQt6.QtWidgets import QApplication, QSplitter, QVBoxLayout, QWidget

from .forms.form import Field, Form
from .forms.run_settings import form_of
from .session.session import Session
from .tables.tables import Tables
from .theme import TEXT, THEME, THEMES, style_of
from .view.view import View

SHARES = (0.33, 0.5, 1.0)  # of the height that the tables get, one after the other
SIZES = (8, 14)  # points; the smallest and the largest text
WHOLE = 0.8  # share of the height from which the tables have all of it
LEAST = 600  # pixels; a narrower window is none
ROW = 2.2  # height of a table's row by the text's


class Apart(QWidget):
    """A window of its own for the tables. `closed` before it goes."""

    closed = pyqtSignal()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.closed.emit()
        super().closeEvent(event)


class Edge(QObject):
    """Calls `twice` when a widget is double-clicked."""

    def __init__(self, widget: QWidget, twice: Callable[[], None]) -> None:
        super().__init__(widget)
        self.twice = twice
        widget.installEventFilter(self)

    def eventFilter(self, _thing: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.MouseButtonDblClick:
            self.twice()
            return True
        return False


class Layout:
    """The layout of one window: `across` and `down` divide it, `views` gives its views as they are now."""

    def __init__(
        self,
        window: QWidget,
        session: Session,
        across: QSplitter,
        down: QSplitter,
        tables: Tables,
        views: Callable[[], list[View]],
    ) -> None:
        self.window, self.session, self.across, self.down, self.tables, self.views = (
            window,
            session,
            across,
            down,
            tables,
            views,
        )
        self.apart: Apart | None = None
        self.form: Form | None = None
        self._share = 0
        self.text = TEXT
        self._by_step: dict[str, float] = {}  # share of the height that the tables have in a step
        self._step = session.state.step.name
        session.state.step_changed.connect(self._stepped)
        handle = down.handle(1)
        if handle is not None:
            handle.setToolTip(
                "Drag for the height of the tables in this step; double-click for all of it, or back"
            )
            self._edge = Edge(handle, self.whole_height)

    def ask_run(self) -> None:
        """Settings of runs, results and comparisons."""
        self.form = form_of(self.window, self.session.settings, self.session.change_settings)
        self.form.open()

    # -- the tables ------------------------------------------------------------------------------------------

    def next_height(self) -> None:
        """The tables at a quarter, half or all of the height, one after the other."""
        if self.apart is not None:
            self.apart.raise_()
            return
        self._share = (self._share + 1) % len(SHARES)
        whole = sum(self.down.sizes())
        low = round(whole * SHARES[self._share])
        self.down.setSizes([whole - low, low])

    def whole_height(self) -> None:
        """The tables at all of the height, or back at what they had."""
        whole = sum(self.down.sizes())
        share = self.down.sizes()[1] / max(whole, 1) if self.apart is None else 1.0
        if share > WHOLE:
            self._give(self._by_step.get(self._step, SHARES[0]))
        else:
            self._by_step[self._step] = share
            self._give(1.0)

    def _give(self, share: float) -> None:
        whole = sum(self.down.sizes())
        low = round(whole * share)
        self.down.setSizes([whole - low, low])

    def _stepped(self) -> None:
        """Each step has its own height of the tables."""
        sizes, step = self.down.sizes(), self.session.state.step.name
        if self.apart is None and len(sizes) == 2 and sum(sizes) > 0:
            share = sizes[1] / sum(sizes)
            if share <= WHOLE:
                self._by_step[self._step] = share
            if step in self._by_step:
                self._give(self._by_step[step])
        self._step = step

    def set_apart(self) -> None:
        """The tables into a window of their own, on another screen for one; or back."""
        window = self.window
        if self.apart is not None:
            self.apart.close()
            return
        apart = self.apart = Apart(None, Qt.WindowType.Window)
        apart.setWindowTitle("Tables – Rod Tally")
        apart.setWindowIcon(window.windowIcon())
        apart.resize(1000, 520)
        column = QVBoxLayout(apart)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.tables)
        apart.addActions(window.findChildren(QAction))  # keys work there too
        apart.closed.connect(self._back)
        apart.show()

    def _back(self) -> None:
        """The tables in the window again."""
        if self.apart is None:
            return
        self.apart = None
        self.down.addWidget(self.tables)
        self.tables.show()
        whole = sum(self.down.sizes())
        low = round(whole * SHARES[self._share])
        self.down.setSizes([whole - low, low])

    def ask_theme(self) -> None:
        """Another theme, from the next start on."""
        fields = [Field("theme", "theme", THEME, list(THEMES))]
        text = "It holds from the next start on: pictures and widgets are made of its colours. What is printed stays as it is."

        def made(values: dict[str, object]) -> None:
            self.session.memory.keep_theme(str(values["theme"]))
            self.session.said.emit(f"Theme {values['theme']} from the next start on")

        self.form = Form(self.window, "Theme", text, fields, made)
        self.form.open()

    # -- text ------------------------------------------------------------------------------------------------

    def larger_text(self, step: int) -> None:
        """Text of the window and of the view a point larger or smaller; 0 puts it back."""
        self.set_text(TEXT if step == 0 else self.text + step)
        self.session.said.emit(f"Text of {self.text} points")

    def set_text(self, points: int) -> None:
        self.text = min(max(points, SIZES[0]), SIZES[1])
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        font = QFont(app.font())
        font.setPointSize(self.text)
        app.setFont(font)
        if app.styleSheet() != style_of(self.text):
            app.setStyleSheet(style_of(self.text))
        for page in self.tables.pages.values():
            rows = page.table.verticalHeader()
            assert rows is not None
            rows.setDefaultSectionSize(round(ROW * self.text))
        for view in self.views():
            view.text = self.text / TEXT
        self.session.state.overlay_changed.emit()

    # -- from one start to the next --------------------------------------------------------------------------

    def keep(self) -> None:
        """Remember all of it."""
        if self.apart is not None:
            self.apart.close()
        window = self.window
        splits = {"across": self.across, "down": self.down}
        kept: dict[str, object] = {
            name: bytes(s.saveState().toHex().data()).decode() for name, s in splits.items()
        }
        at = window.normalGeometry() if window.isMaximized() else window.geometry()
        kept |= {
            "at": [at.x(), at.y(), at.width(), at.height()],
            "maximized": window.isMaximized(),
            "text": self.text,
        }
        widths = {name: page.widths for name, page in self.tables.pages.items() if page.widths}
        self._stepped()
        kept["heights"] = self._by_step
        self.session.memory.keep_layout(json.dumps(kept | {"widths": widths}))

    def restore(self) -> None:
        """As it was left; what cannot be read is left as it is."""
        try:
            kept = json.loads(self.session.memory.layout() or "{}")
        except json.JSONDecodeError:
            return
        if not isinstance(kept, dict):
            return
        for name, split in (("across", self.across), ("down", self.down)):
            if isinstance(kept.get(name), str):
                split.restoreState(QByteArray.fromHex(kept[name].encode()))
        self._place(kept.get("at"), kept.get("maximized") is True)
        heights = kept.get("heights")
        if isinstance(heights, dict):
            self._by_step = {
                str(k): float(v) for k, v in heights.items() if isinstance(v, (int, float)) and 0 < v < 1
            }
        widths = kept.get("widths")
        for name, page in self.tables.pages.items():
            own = widths.get(name) if isinstance(widths, dict) else None
            if isinstance(own, dict):
                page.widths = {
                    str(k): int(v) for k, v in own.items() if isinstance(v, (int, float)) and 10 <= v <= 2000
                }
        if isinstance(kept.get("text"), int) and kept["text"] != TEXT:
            self.set_text(kept["text"])

    def fit(self) -> None:
        """Keep the window, with the frame that it has by now, within its screen."""
        window, screen = self.window, self.window.screen()
        if screen is None or window.isMaximized():
            return
        room, frame, inner = screen.availableGeometry(), window.frameGeometry(), window.geometry()
        wide, high = frame.width() - inner.width(), frame.height() - inner.height()
        width, height = min(inner.width(), room.width() - wide), min(inner.height(), room.height() - high)
        if (width, height) != (inner.width(), inner.height()):
            window.resize(width, height)
        left = min(max(frame.left(), room.left()), room.left() + room.width() - width - wide)
        top = min(max(frame.top(), room.top()), room.top() + room.height() - height - high)
        if (left, top) != (frame.left(), frame.top()):
            window.move(left, top)

    def _place(self, at: object, maximized: bool) -> None:
        """Where the window was, where there still is a screen that holds it."""
        if not isinstance(at, list) or len(at) != 4 or not all(isinstance(v, int) for v in at):
            return
        wanted = QRect(*at)
        if wanted.width() >= LEAST and any(s.geometry().contains(wanted) for s in QApplication.screens()):
            self.window.setGeometry(wanted)
        if maximized:
            self.window.showMaximized()
