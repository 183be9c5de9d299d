"""The model in three dimensions: one overlay at a time, picking, stepping through what lies on top of each
other."""

from __future__ import annotations

import logging
import math
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QElapsedTimer, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QOffscreenSurface, QOpenGLContext
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from ...model.geometry.vectors import Array, ring_sides
from ...words import and_more
from ..overlays.registry import Scene, Sizes, draw_bare, draw_members, draw_surfaces, overlays
from ..quantities import METRIC, UnitSet
from ..session.state import VALUES, DeskState
from ..theme import INK, MUTED, PAPER, PINE, RUST, SHEET
from .picking import Picking
from .pointing import Pointing

log = logging.getLogger(__name__)

DIRECTIONS = {
    "3d": ((-0.62, -0.78, 0.55), (0, 0, 1)),
    "plan": ((0, 0, 1), (0, 1, 0)),
    "south": ((0, -1, 0), (0, 0, 1)),
    "east": ((1, 0, 0), (0, 0, 1)),
    "below": ((0, 0, -1), (0, 1, 0)),
    "north": ((0, 1, 0), (0, 0, 1)),
    "west": ((-1, 0, 0), (0, 0, 1)),
}

SMOOTH = 8000  # lines and faces up to which edges are drawn smooth
DEPTH = 14  # times the model's own depth
SWING = 2000  # ms for one swing to and fro


def opengl_works() -> bool:
    """Return whether a drawing context can be had here at all (VTK would end the program where there is
    none)."""
    context = QOpenGLContext()
    if not context.create():
        return False
    surface = QOffscreenSurface()
    surface.setFormat(context.format())
    surface.create()
    good = context.makeCurrent(surface)
    context.doneCurrent()
    return bool(good)


class View(QWidget):
    """The picture with its legend. Where there is no OpenGL a panel says so, and everything else works."""

    drawn = pyqtSignal()

    def __init__(self, state: DeskState, later: bool = False) -> None:
        """`later`: the picture is begun by `begin`, once the window is on the screen: its libraries take
        seconds to load."""
        super().__init__()
        self.state = state
        self.units: UnitSet = METRIC
        self.plotter: Any = None
        self.canvas: Any = None
        self._scene: Scene | None = None
        self._model_seen: object = None
        self._turned = False  # the camera has moved since symbols were last given their size
        self.direction = "3d"
        self.nothing = "Open a model: File, Open model… (Ctrl+O)"  # said where there is none
        self.text = 1.0  # size of labels, by the usual one
        self.sizes = Sizes()
        self.beside: Sizes | None = None  # those of the other revision's view, where one stands beside
        self.picking = Picking(self)
        self.pointing = Pointing(self)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(0)
        self._panel = QLabel("The view is being made ready …")
        self._panel.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._panel.setStyleSheet(f"color: {MUTED};")
        self._layout.addWidget(self._panel, 1)
        self.legend = QLabel()
        self.legend.setObjectName("legend")
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setWordWrap(True)
        self.legend.setContentsMargins(9, 4, 9, 4)
        self.legend.setStyleSheet(f"background: {SHEET};")
        self._layout.addWidget(self.legend)
        self.animated = False
        self._clock = QElapsedTimer()
        self._beat = QTimer(self)
        self._beat.setInterval(40)
        self._beat.timeout.connect(self._swing)
        self._redraw = QTimer(self)
        self._redraw.setSingleShot(True)
        self._redraw.setInterval(0)
        self._redraw.timeout.connect(self.draw)
        for signal in (
            state.revision_changed,
            state.overlay_changed,
            state.shown_changed,
            state.picked_changed,
        ):
            signal.connect(self._redraw.start)
        if not later:
            self.begin()
        elif opengl_works():
            # a window on the screen would be taken away and made anew for its first OpenGL child
            from PyQt6.QtOpenGLWidgets import QOpenGLWidget

            self._room = QOpenGLWidget(self)
            self._room.setFixedSize(1, 1)
            self._room.hide()

    def begin(self) -> None:
        """Make the picture; where there is no OpenGL a panel says so."""
        if self.plotter is not None:
            return
        if opengl_works():
            from .canvas import Canvas
            from .screen import Screen

            self.plotter = Screen(self, self._keep_size, self._draw_plainly)
            self.plotter.set_background(PAPER)
            self.plotter.enable_parallel_projection()
            self.plotter.enable_anti_aliasing("msaa", multi_samples=4)
            self.canvas = Canvas(self.plotter)
            self.plotter.interactor.installEventFilter(self.picking)
            self.plotter.interactor.installEventFilter(self.pointing)
            self.plotter.camera.AddObserver("ModifiedEvent", lambda *_: self._camera_moved())
            self._panel.hide()
            self._layout.insertWidget(0, self.plotter.interactor, 1)
        else:
            self._panel.setText(
                "The view needs OpenGL, and this display has none.\n"
                "Tables, findings, runs and comparison all work without it."
            )
        self._redraw.start()

    def animate(self, on: bool) -> None:
        """Move the displaced shape to and fro, or let it rest."""
        self.animated = on and self.canvas is not None and self.canvas.moves
        if self.animated:
            self._clock.start()
            self._beat.start()
        else:
            self._beat.stop()
            if self.canvas is not None and self.canvas.moves:
                self.canvas.phase(1.0)

    def _swing(self) -> None:
        if self.canvas is None or not self.canvas.moves:
            self.animate(False)
            return
        self.canvas.phase(math.sin(2 * math.pi * self._clock.elapsed() / SWING))

    def close_view(self) -> None:
        """Give VTK's window back before Qt takes it away."""
        if self.plotter is not None:
            self._beat.stop()
            self._redraw.stop()
            self.plotter.close()
            self.plotter = self.canvas = None

    def draw(self) -> None:
        """Draw everything anew: members, the overlay, what is picked."""
        review = self.state.review
        if self.canvas is None or review is None:
            self.legend.setText(self.nothing if review is None else "")
            if self.canvas is not None and review is None:
                self.canvas.clear()
                self.plotter.update()
            return
        shown = self.state.shown_members()
        model = review.model
        ids = [i for i in model.members if i in shown]
        lines = model.lines_of([model.members[i] for i in ids])
        self.sizes.begin()
        self._scene = Scene(
            review, self.state, ids, lines, self.units, self.direction, self.sizes, self.beside
        )
        if self._model_seen is not model:
            self._model_seen = model
            self.look_from(self.direction, render=False)
        self.canvas.clear()
        self.canvas.text = self.text
        section = self.state.section
        self.canvas.within = None
        if section is not None:
            normal = np.array(section.normal)
            off = float(model.origin @ normal)
            self.canvas.within = normal, section.low - off, section.high - off
        chosen = overlays().get(self.state.overlay) or next(iter(overlays().values()))
        canvas, scene = self.canvas, self._scene
        legend: list[str] = []
        self._try("grid lines", lambda: draw_bare(canvas, scene))
        if chosen.base != "pale":
            self._try("slabs and walls", lambda: draw_surfaces(canvas, scene))
        if chosen.base != "none":
            self._try("members", lambda: draw_members(canvas, scene, chosen.base == "pale"))
        self._try(chosen.title.lower(), lambda: legend.extend(chosen.draw(canvas, scene)))
        self._try("labels", self._draw_labels)
        self._try("what is picked", self._draw_picked)
        if self.canvas.left_out:
            names = list(dict.fromkeys(self.canvas.left_out))
            more = and_more(names, 4)
            legend.append(f"<span style='color:{RUST}'>not drawn: {', '.join(names[:4])}{more}</span>")
        if self.state.hidden:
            legend.append(f"not shown: {', '.join(f'{c}s' for c in sorted(self.state.hidden))}")
        if section is not None:
            legend.append(section.words)
        # smooth edges cost a software OpenGL more than twice the time, and are missed least where much is
        # drawn
        self.plotter.samples = 4 if self.canvas.cells < SMOOTH else 0
        self.legend.setText(
            " &nbsp; ".join(f"<span style='white-space: nowrap'>{entry}</span>" for entry in legend)
        )
        self._turned = True
        self.plotter.update()
        self.drawn.emit()

    def _try(self, what: str, draw: Callable[[], None]) -> None:
        """Draw one thing; what cannot be drawn is left out and named in the legend, and the rest is drawn."""
        assert self.canvas is not None
        try:
            draw()
        except Exception:
            log.exception("the view could not draw %s", what)
            self.canvas.left_out.append(what)

    def _draw_labels(self) -> None:
        scene, label = self._scene, self.state.label
        if scene is None or label in ("none", VALUES):
            return
        if label == "nodes":
            nodes = scene.nodes()
            points, texts = [scene.model.nodes[n].point for n in nodes], nodes
        elif label == "surfaces":
            points, texts = [s.centroid for s in scene.surfaces], [s.name or s.id for s in scene.surfaces]
        elif label == "lines":
            points, texts = self._line_labels(scene)
        else:
            points = list(scene.lines.mean(axis=1))
            members = [scene.model.members[i] for i in scene.ids]
            texts = [m.name or m.id if label == "members" else m.section for m in members]
        if len(points) <= 1500:
            self.canvas.labels(np.array(points).reshape(-1, 3), texts, MUTED, 10)

    def _line_labels(self, scene: Scene) -> tuple[list[Array], list[str]]:
        """Names of stacks at their foot and of beam lines and walls at their first part."""
        points, texts = [], []
        shown = set(scene.ids) | {s.id for s in scene.surfaces}
        for line in scene.review.lines:
            if line.kind == "frame" or line.members[0] not in shown:
                continue
            first = line.members[0]
            if first in scene.model.surfaces:
                points.append(scene.model.surfaces[first].centroid)
            else:
                own = scene.model.line(scene.model.members[first])
                points.append(own[int(own[1, 2] < own[0, 2])] if line.kind == "stack" else own.mean(axis=0))
            texts.append(line.name)
        return points, texts

    def _draw_picked(self) -> None:
        from .symbols import ring

        model, picked = self._scene.model if self._scene else None, self.state.picked
        if model is None or picked is None:
            return
        for kind, ident in dict.fromkeys([picked, *self.state.selected]):
            width = 6.0 if (kind, ident) == picked else 4.0
            if kind == "member" and ident in model.members:
                line = model.line(model.members[ident])
                self.canvas.lines(line[None], PINE, width)
                self.canvas.symbols(line, ring(4), PINE, 2.0)
            elif kind == "node" and ident in model.nodes:
                self.canvas.symbols(model.nodes[ident].point[None], ring(9), PINE, 2.6)
            elif kind == "surface" and ident in model.surfaces:
                s = model.surfaces[ident]
                for loop in (s.outer, *s.openings):
                    self.canvas.lines(ring_sides(loop), PINE, width * 0.6)
        finding = self.state.finding
        if finding is not None and finding.at is not None:
            self.canvas.symbols(np.array(finding.at)[None], ring(14), INK, 2.0)

    def look_from(self, direction: str, render: bool = True) -> None:
        """Turn to a named direction and take in everything that is shown."""
        self.direction = direction
        if self.plotter is None or self._scene is None or not len(self._scene.points):
            return
        points = self._scene.points
        vector, up = (np.array(v, float) for v in DIRECTIONS[direction])
        self._frame(points, vector / np.linalg.norm(vector), up)
        if render:
            self.state.overlay_changed.emit()

    def fit(self) -> None:
        """Take in everything that is shown, from where it is looked at now."""
        if self.plotter is None or self._scene is None or not len(self._scene.points):
            return
        camera = self.plotter.camera
        vector = np.array(camera.position) - np.array(camera.focal_point)
        self._frame(self._scene.points, vector / np.linalg.norm(vector), np.array(camera.up))
        self._turned = True
        self.state.overlay_changed.emit()

    def _frame(self, points: Array, vector: Array, up: Array) -> None:
        middle = (points.min(axis=0) + points.max(axis=0)) / 2
        reach = float(np.linalg.norm(np.ptp(points, axis=0))) or 1.0
        camera = self.plotter.camera
        camera.focal_point = tuple(middle)
        camera.position = tuple(middle + vector * reach * 3)
        camera.up = tuple(up)
        right, above, _ = self.canvas.screen_axes()
        width, height = self.plotter.render_window.GetSize()
        across, tall = np.ptp(points @ right), np.ptp(points @ above)
        camera.parallel_scale = max(tall / 2, across / 2 * height / max(width, 1), 0.5) * 1.14
        self.plotter.reset_camera_clipping_range()

    def take_me_there(self, point: Array, reach: float = 4.0) -> None:
        """Close in on a place without turning."""
        if self.plotter is None:
            return
        camera = self.plotter.camera
        step = np.array(camera.position) - np.array(camera.focal_point)
        camera.focal_point = tuple(point)
        camera.position = tuple(point + step)
        camera.parallel_scale = min(camera.parallel_scale, reach)
        self.plotter.reset_camera_clipping_range()
        self._redraw.start()

    @property
    def scene(self) -> Scene | None:
        """Return what was drawn last."""
        return self._scene

    @property
    def extent(self) -> float:
        """The largest extent of what is shown, m."""
        return 1.0 if self._scene is None else float(self._scene.size)

    def settle_camera(self) -> None:
        """Give symbols their size, and draw, after the camera was put somewhere."""
        self._turned = True
        self._keep_size()
        self.plotter.render()

    def follow_camera(self) -> None:
        """The camera was put where another view's is: draw it so when Qt paints."""
        self._turned = True
        self.plotter.update()

    def _camera_moved(self) -> None:
        self._turned = True

    def _draw_plainly(self, on: bool) -> None:
        if self.canvas is not None:
            self.canvas.plainly(on)

    def _keep_size(self) -> None:
        if self.canvas is not None and self._turned:
            self.canvas.keep_size()
            self.plotter.reset_camera_clipping_range()
            near, far = self.plotter.camera.clipping_range
            # what is drawn over something in its place is lifted by a share of the depth that is drawn: it
            # has to be enough
            self.plotter.camera.clipping_range = (min(near, 0.01), near + DEPTH * (far - near))
            self._turned = False
