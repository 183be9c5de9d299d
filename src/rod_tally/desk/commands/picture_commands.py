"""Views under a name, and the standard pictures: the same direction and scale for every case."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QBuffer, QIODevice, QRect, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPixmap
from PyQt6.QtWidgets import QFileDialog, QMenu

from ...model import Finding
from ...output.write import write_whole
from ...project.kept_views import KeptView, Point
from ...review.titles import title_of
from ..forms.form import Field, Form
from ..save_name import ask_save_name
from ..session.section import Section
from ..theme import INK, PAPER

# overlay, what it is called
STANDARD = (
    ("displaced", "displaced"),
    ("forces", "{component}"),
    ("reactions", "reactions"),
)
KINDS = {"Pictures": ".png", "Vector pictures": ".svg"}
LARGEST_MOVE = 25.0  # the largest movement is drawn as this share of the building
CAPTION = 26  # px below a picture
MOST_FINDINGS = 40  # whose places are in the standard pictures
CLOSE = 4.0  # m; half the height that the picture of a finding's place shows

Window = Any  # the main window, which holds these commands


class PictureDesk:
    """Keeps and shows views, and writes pictures one after the other, so that the window can be used and
    stopped."""

    def __init__(self, window: Window) -> None:
        self.window, self.session, self.state = window, window.session, window.state
        self.form: Form | None = None
        self._left: Iterator[Path] | None = None
        self._ending = ".png"
        self._back: KeptView | None = None
        self.written: list[Path] = []
        self._picked: tuple[tuple[str, str] | None, Finding | None] = None, None

    @property
    def busy(self) -> bool:
        """Return whether pictures are being written."""
        return self._left is not None

    def possible(self) -> bool:
        """Return whether there is a picture."""
        return self.state.review is not None and self.window.view.plotter is not None and not self.busy

    def now(self, name: str = "") -> KeptView:
        """Return what is shown, and from where."""
        s, camera = self.state, self.window.view.plotter.camera
        origin = s.review.model.origin
        return KeptView(
            name,
            _point(np.array(camera.position) + origin),
            _point(np.array(camera.focal_point) + origin),
            _point(np.array(camera.up)),
            float(camera.parallel_scale),
            s.overlay,
            s.case,
            s.component,
            s.plate,
            s.label,
            s.scale,
            s.times,
            s.surfaces,
            sorted(s.storeys),
            sorted(s.isolated),
            s.stress,
            [] if s.section is None else [*s.section.normal, s.section.low, s.section.high],
        )

    def views(self) -> list[KeptView]:
        """Those that are kept, by name."""
        return [] if self.session.project is None else self.session.project.views()

    def ask_keep(self) -> None:
        """Under which name what is shown is kept."""
        names = [v.name for v in self.views()]
        number = len(names) + 1
        while f"View {number}" in names:
            number += 1
        text = "Direction, storeys, overlay, case and scale are kept in the project, for all of its revisions. A name that is there already is replaced."
        fields = [Field("name", "Name", f"View {number}", [f"View {number}", *names], free=True)]
        self.form = Form(
            self.window, "Keep this view", text, fields, lambda v: self.keep(str(v["name"]).strip())
        )
        self.form.open()

    def keep(self, name: str) -> None:
        """Keep what is shown under a name."""
        if not name:
            self.session.said.emit("A view needs a name")
            return
        if self.session.keep_view(self.now(name)):
            self.session.said.emit(f"{name} is kept; View, Kept views shows it again")

    def ask_forget(self) -> None:
        """Which kept view is not wanted any more."""
        names = [v.name for v in self.views()]
        if not names:
            self.session.said.emit("No view is kept")
            return
        self.form = Form(
            self.window,
            "Forget a view",
            "The picture is not changed.",
            [Field("name", "Name", names[0], names)],
            lambda v: self.session.forget_view(str(v["name"])),
        )
        self.form.open()

    def fill_menu(self, menu: QMenu) -> None:
        """Kept views, each to be shown."""
        menu.clear()
        for view in self.views():
            action = menu.addAction(view.name)
            assert action is not None
            action.triggered.connect(lambda _=False, v=view: self.show(v))
        menu.setEnabled(not menu.isEmpty())

    def show(self, view: KeptView) -> None:
        """Show what a view shows, from where it was; says what of it is not in this revision."""
        s = self.state
        if s.review is None:
            return
        model = s.review.model
        parts = {i for i in view.isolated if model.part(i) is not None}
        storeys = {n for n in view.storeys if any(x.name == n for x in model.storeys)}
        s.overlay = view.overlay
        known = s.cases()
        case = view.case if view.case in known else s.case if s.case in known else known[0] if known else ""
        s.storeys, s.isolated, s.surfaces = storeys, parts, view.surfaces
        s.section = Section(_point(view.section[:3]), *view.section[3:]) if len(view.section) == 5 else None
        s.shown_changed.emit()
        s.set_view(
            case=case,
            component=view.component,
            plate=view.plate,
            label=view.label,
            scale=view.scale,
            times=view.times,
            stress=view.stress,
        )
        self.window.view.draw()
        self._look(view)
        gone = [f"case {view.case}"] if case != view.case else []
        gone += [f"{len(view.isolated) - len(parts)} parts"] if len(parts) < len(view.isolated) else []
        gone += [f"storey {n}" for n in view.storeys if n not in storeys]
        self.session.said.emit(f"{view.name}: not in this revision: {', '.join(gone)}" if gone else view.name)

    def _look(self, view: KeptView) -> None:
        plotter = self.window.view.plotter
        if plotter is None:
            return
        origin = self.state.review.model.origin
        camera = plotter.camera
        camera.position = _point(np.array(view.position) - origin)
        camera.focal_point = _point(np.array(view.focus) - origin)
        camera.up = view.up
        camera.parallel_scale = view.height
        plotter.reset_camera_clipping_range()
        self.window.view.settle_camera()

    def kept_pictures(self) -> list[tuple[str, bytes]]:
        """Every kept view as it looks in this revision: title, and a PNG file."""
        views = self.views()
        if not views or not self.possible():
            return []
        back, out = self.now(), []
        for view in views:
            self.show(view)
            shown = f"{view.name}: {view.overlay}" + (f", {self.state.case}" if self.state.case else "")
            out.append((shown, self.png()))
        self.show(back)
        return out

    # -- standard pictures -----------------------------------------------------------------------------------

    def ask_standard(self) -> None:
        """As what, then where the standard pictures go."""

        review = self.state.review
        if review is None:
            return
        cases = list(review.results.cases)
        names = [*cases, *(c.name for c in review.computed_combinations if c.name not in cases)]

        def done(values: dict[str, Any]) -> None:
            folder = QFileDialog.getExistingDirectory(self.window, "Standard pictures into a folder")
            if folder:
                self.write_standard(Path(folder), KINDS[str(values["as"])], values.get("cases"))

        fields = [Field("as", "As", next(iter(KINDS)), list(KINDS))]
        if names and not review.stale:
            fields.append(Field("cases", "Of cases and combinations", cases, names, several=True))
        text = "Each ticked one displaced, with the chosen force and with its reactions, kept views, and the places of findings, from where the picture is seen now."
        self.form = Form(self.window, "Standard pictures", text, fields, done)
        self.form.open()

    def ask_picture(self) -> None:
        """Where the picture as it is goes; as PNG or SVG by the ending of its name."""
        if target := ask_save_name(self.window, "Keep a picture", "", KINDS):
            try:
                self.write(target, self.state.case)
            except OSError as error:
                self.session.failed.emit("Picture", f"{target} cannot be written: {error.strerror or error}")

    def write(self, path: Path, caption: str) -> None:
        """The picture with its legend and a caption, whole or not at all. Raises OSError."""
        if path.suffix.lower() == ".svg":
            from ..view.vector_picture import (
                write_svg,  # loads the 3D library, which the window's start does not wait for
            )

            view = self.window.view
            write_whole(path, lambda p: write_svg(p, view.canvas, view.legend.text(), caption))
            return
        data = png_of(self._captioned(caption))

        def put(p: Path) -> None:
            p.write_bytes(data)

        write_whole(path, put)

    def write_standard(self, folder: Path, ending: str = ".png", cases: list[str] | None = None) -> None:
        """Each case (or those cases and combinations that are named) displaced, all with one scale, with the
        chosen force and with its reactions, then kept views and the places of findings, from where the
        picture is seen now, as PNG or SVG files."""
        if not self.possible():
            return
        self._back, self.written, self._ending = self.now(), [], ending
        self._picked = self.state.picked, self.state.finding
        self._left = self._pictures(folder, cases)
        self._next()

    def stop(self) -> None:
        """Leave the pictures that are not written yet."""
        if self.busy:
            self._end(f"Stopped after {len(self.written)} pictures")

    def _next(self) -> None:
        if self._left is None:
            return
        try:
            self.written.append(next(self._left))
        except StopIteration:
            folder = f" in {self.written[0].parent}" if self.written else ""
            self._end(f"{len(self.written)} pictures{folder}")
            return
        except OSError as error:
            self._end("")
            self.session.failed.emit(
                "Standard pictures", f"A picture cannot be written: {error.strerror or error}"
            )
            return
        self.session.said.emit(f"{len(self.written)} pictures; Esc stops")
        QTimer.singleShot(0, self._next)

    def _end(self, text: str) -> None:
        back, self._left, self._back = self._back, None, None
        if back is not None:
            picked, finding = self._picked
            self.state.pick(*(picked or (None, "")), finding)
            self.show(back)
        if text:
            self.session.said.emit(text)

    def _pictures(self, folder: Path, cases: list[str] | None) -> Iterator[Path]:
        review, back = self.state.review, self._back
        assert review is not None and back is not None
        times = back.times or self._times()
        shown: list[tuple[str, KeptView, Finding | None]] = []
        wanted = review.results.cases if cases is None else cases
        for case in wanted if not review.stale else ():
            for overlay, called in STANDARD:
                name = f"{case}, {called.format(component=back.component)}"
                view = KeptView(
                    **back.record() | {"overlay": overlay, "case": case, "times": times, "name": name}
                )
                shown.append((name, view, None))
        shown += [(v.name, v, None) for v in self.views()]
        for f in review.findings[:MOST_FINDINGS]:
            if f.at is not None:
                # from where the picture is seen, closed in on the place
                focus = np.array(f.at) + review.model.origin
                step = np.array(back.position) - np.array(back.focus)
                near = {
                    "focus": _point(focus),
                    "position": _point(focus + step),
                    "height": CLOSE,
                    "isolated": [],
                    "storeys": [],
                    "section": [],
                }
                shown.append(
                    (f"finding {f.code}", KeptView(**back.record() | near | {"overlay": "sections"}), f)
                )
        folder.mkdir(parents=True, exist_ok=True)
        for number, (name, view, finding) in enumerate(shown, 1):
            self.state.pick(None)
            if finding is not None:
                self.state.pick_finding(finding)
            self.show(view)
            path = folder / f"{number:03d} {re.sub(r'[^0-9A-Za-z ,.()-]+', '_', name)[:80]}{self._ending}"
            self.write(path, name if finding is None else title_of(finding))
            yield path

    def _captioned(self, name: str) -> QPixmap:
        """The picture with its legend and its name below it."""
        picture, legend = self.window.picture(), self.window.view.legend.grab()
        out = QPixmap(picture.width(), picture.height() + legend.height() + CAPTION)
        out.fill(QColor(PAPER))
        painter = QPainter(out)
        painter.drawPixmap(0, 0, picture)
        painter.drawPixmap(0, picture.height(), legend)
        painter.setPen(QColor(INK))
        shown = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, picture.width() - 18)
        line = QRect(9, out.height() - CAPTION, picture.width() - 18, CAPTION)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, shown)
        painter.end()
        return out

    def _times(self) -> float:
        """One scale for the displacements of all cases: that of the case that moves most."""
        r = self.state.review.results
        moved = np.linalg.norm(r.displacement[:, :, :3], axis=2) * r.node_done
        most = float(moved.max(initial=0.0))
        return self.window.view.extent / LARGEST_MOVE / most if most > 0 else 0.0

    def png(self) -> bytes:
        """The view as it is."""
        return png_of(self.window.picture())


def png_of(picture: QPixmap) -> bytes:
    """A picture as the bytes of a PNG file."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")
    return bytes(buffer.data().data())


def _point(p: Any) -> Point:
    x, y, z = (float(v) for v in p)
    return x, y, z
