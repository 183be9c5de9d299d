"""Drawing primitives for overlays: lines, symbols that keep to the screen, labels. Thin over VTK; knows
nothing of models."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from vtkmodules.vtkCommonDataModel import vtkPlane

from ...model.geometry.vectors import Array
from ..theme import INK, PAPER


@dataclass(slots=True)
class _Symbols:
    """Line symbols at anchors: offsets in pixels, in the screen's axes, the world's, or each anchor's own."""

    mesh: pv.PolyData
    anchors: Array
    offsets: Array
    basis: str
    axes: Array | None


CALLED = ((26.0, 18.0), (26.0, -22.0), (-40.0, 18.0), (-40.0, -22.0))  # px beside a point


class Canvas:
    """Drawing on one plotter. Everything drawn through it goes with `clear`."""

    def __init__(self, plotter: Any) -> None:
        self.text = 1.0  # by which labels are larger than usual
        self.plotter = plotter
        self.within: tuple[Array, float, float] | None = (
            None  # normal, and between which places along it things are drawn
        )
        self.cells = 0  # how many lines and faces are drawn
        self.left_out: list[str] = []  # what could not be drawn, by name
        self._widths: dict[int, float] = {}
        self._actors: list[Any] = []
        self._meshes: list[
            tuple[Any, pv.PolyData]
        ] = []  # of the actors those that are no labels, with what they draw
        self._texts: list[tuple[Array, list[str], str, int]] = []
        self._symbols: list[_Symbols] = []
        # labels beside their points, with the points and how far beside in px
        self._called: list[tuple[pv.PolyData, Array, Array]] = []
        self._moving: list[tuple[pv.PolyData, Array, Array]] = []

    def clear(self) -> None:
        for actor in self._actors:
            self.plotter.remove_actor(actor, render=False)
        self._actors, self._symbols, self._moving, self._widths = [], [], [], {}
        self._meshes, self._texts, self._called = [], [], []
        self.left_out = []
        self.cells = 0

    def _add(self, mesh: pv.PolyData, **options: Any) -> None:
        actor = self.plotter.add_mesh(
            mesh, render=False, pickable=False, lighting=False, reset_camera=False, **options
        )
        self.cells += mesh.n_cells
        if self.within is not None:
            normal, low, high = self.within
            for way, at in ((1.0, low), (-1.0, high)):
                plane = vtkPlane()
                plane.SetNormal(*(way * normal))
                plane.SetOrigin(*(normal * at))
                actor.mapper.AddClippingPlane(plane)
        # what is drawn later lies on top of what is drawn in the same place before it
        actor.mapper.SetResolveCoincidentTopologyToPolygonOffset()
        actor.mapper.SetRelativeCoincidentTopologyLineOffsetParameters(0, -6.0 * len(self._actors))
        self._actors.append(actor)
        self._meshes.append((actor, mesh))

    def meshes(self) -> list[tuple[Any, pv.PolyData]]:
        """Actors of lines and faces with what they draw, in the order in which they were drawn."""
        return list(self._meshes)

    def texts(self) -> list[tuple[Array, list[str], str, int]]:
        """Labels that are drawn: places (n, 3), texts, colour and size in px."""
        return list(self._texts)

    def plainly(self, on: bool) -> None:
        """Draw all lines thin, which a software OpenGL does several times faster, or as wide as they are."""
        for actor in self._actors:
            prop = getattr(actor, "prop", None)
            if prop is None:
                continue
            if on:
                self._widths.setdefault(id(actor), prop.line_width)
                prop.line_width = 1.0
            elif id(actor) in self._widths:
                prop.line_width = self._widths.pop(id(actor))

    def lines(
        self,
        segments: Array,
        colour: str = INK,
        width: float = 2.0,
        opacity: float = 1.0,
        colours: Any = None,
    ) -> None:
        """Straight lines (n, 2, 3), in one colour or in `colours` (n, 3) of 0 to 255."""
        if not len(segments):
            return
        mesh = pv.PolyData(segments.reshape(-1, 3), lines=_pairs(len(segments)))
        if colours is not None:
            mesh.cell_data["colour"] = np.asarray(colours, np.uint8)
            self._add(mesh, scalars="colour", rgb=True, line_width=width, opacity=opacity)
        else:
            self._add(mesh, color=colour, line_width=width, opacity=opacity)

    def dashes(
        self, segments: Array, dash: float, colour: str, width: float = 2.0, pattern: Sequence[int] = (1, 1)
    ) -> None:
        """Lines broken into dashes of about `dash` m; `pattern` alternates drawn and free lengths."""
        parts = []
        period = dash * sum(pattern)
        for a, b in segments:
            length = float(np.linalg.norm(b - a))
            count = max(1, round(length / period))
            unit = 1.0 / count
            for k in range(count):
                at = k * unit
                for n, step in enumerate(pattern):
                    share = unit * step / sum(pattern)
                    if n % 2 == 0:
                        parts.append((a + (b - a) * at, a + (b - a) * min(at + share, 1.0)))
                    at += share
        self.lines(np.array(parts).reshape(-1, 2, 3), colour, width)

    def moving(
        self,
        points: Array,
        step: Array,
        colour: str = INK,
        width: float = 2.0,
        values: Array | None = None,
        limits: tuple[float, float] = (0.0, 1.0),
        colours: Sequence[str] = (),
    ) -> None:
        """Bent lines (n, k, 3) moved by `step` (n, k, 3), which `phase` moves to and fro; in bands of colour
        where `values` (n, k) are given."""
        if not len(points):
            return
        n, k = points.shape[:2]
        cells = np.column_stack([np.full(n, k), np.arange(n * k).reshape(n, k)]).ravel()
        mesh = pv.PolyData((points + step).reshape(-1, 3), lines=cells)
        self._moving.append((mesh, points.reshape(-1, 3), step.reshape(-1, 3)))
        if values is None:
            self._add(mesh, color=colour, line_width=width)
        else:
            self._add_banded(mesh, values.ravel(), limits, colours, line_width=width)

    def _add_banded(
        self,
        mesh: pv.PolyData,
        values: Array,
        limits: tuple[float, float],
        colours: Sequence[str],
        **options: Any,
    ) -> None:
        """A mesh in bands of colour by the values at its points; what lies beyond the limits in ink."""
        mesh.point_data["value"] = values
        low, high = limits if limits[1] > limits[0] else (limits[0] - 1.0, limits[0] + 1.0)
        table = pv.LookupTable(scalar_range=(low, high), n_values=len(colours))
        table.values = np.array(
            [[int(c[k : k + 2], 16) for k in (1, 3, 5)] + [255] for c in colours], np.uint8
        )
        table.above_range_color = table.below_range_color = INK
        self._add(
            mesh, scalars="value", cmap=table, show_scalar_bar=False, interpolate_before_map=True, **options
        )

    @property
    def moves(self) -> bool:
        """Return whether something is drawn that can be animated."""
        return bool(self._moving)

    def phase(self, share: float) -> None:
        """Move what moves to this share of its step, -1 to 1."""
        for mesh, points, step in self._moving:
            mesh.points = points + step * share
        self.plotter.interactor.update()  # draws once; render() would draw, and the widget's own paint again

    def quads(self, corners: Array, colour: str, opacity: float = 0.25) -> None:
        """Filled four-sided faces (n, 4, 3)."""
        if not len(corners):
            return
        n = len(corners)
        cells = np.column_stack([np.full(n, 4), np.arange(4 * n).reshape(n, 4)]).ravel()
        self._add(pv.PolyData(corners.reshape(-1, 3), faces=cells), color=colour, opacity=opacity)

    def faces(self, points: Array, triangles: NDArray[np.int64], colour: str, opacity: float) -> None:
        """Filled triangles (k, 3) of points (n, 3)."""
        if not len(triangles):
            return
        cells = np.column_stack([np.full(len(triangles), 3), triangles]).ravel()
        self._add(pv.PolyData(points, faces=cells), color=colour, opacity=opacity)

    def polygons(self, points: Array, nodes: NDArray[np.int64], colour: str, opacity: float) -> None:
        """Filled elements (n, k) of points."""
        if len(nodes):
            self._add(pv.PolyData(points, faces=_cells(nodes)), color=colour, opacity=opacity)

    def outlines(self, points: Array, nodes: NDArray[np.int64], colour: str, width: float) -> None:
        """The sides of elements (n, k) of points, each once."""
        if len(nodes):
            sides = np.stack([nodes, np.roll(nodes, -1, axis=1)], axis=-1).reshape(-1, 2)
            sides = np.unique(np.sort(sides, axis=1), axis=0)
            self.lines(points[sides], colour, width)

    def bands(
        self,
        points: Array,
        quads: NDArray[np.int64],
        triangles: NDArray[np.int64],
        values: Array,
        limits: tuple[float, float],
        colours: Sequence[str],
    ) -> None:
        """Elements in bands of colour by the values (n,) at their corners; what lies beyond the limits in
        ink."""
        cells = np.concatenate([_cells(quads), _cells(triangles)])
        mesh = pv.PolyData(points, faces=cells)
        self._add_banded(mesh, values, limits, colours, opacity=1.0)

    def moving_panes(
        self,
        points: Array,
        step: Array,
        nodes: Sequence[NDArray[np.int64]],
        colour: str,
        values: Array | None = None,
        limits: tuple[float, float] = (0.0, 1.0),
        colours: Sequence[str] = (),
    ) -> None:
        """Elements (n, k) of points (m, 3) moved by `step` (m, 3), which `phase` moves to and fro; in bands
        of colour where `values` (m,) are given, with the outer sides of each piece drawn."""
        cells = [_cells(n) for n in nodes if len(n)]
        if not cells:
            return
        mesh = pv.PolyData(points + step, faces=np.concatenate(cells))
        self._moving.append((mesh, points, step))
        if values is None:
            self._add(mesh, color=colour, opacity=0.14)
        else:
            self._add_banded(mesh, values, limits, colours, opacity=0.85)
        sides = np.concatenate([np.stack([n, np.roll(n, -1, axis=1)], axis=-1).reshape(-1, 2) for n in nodes])
        outer, count = np.unique(np.sort(sides, axis=1), axis=0, return_counts=True)
        outer = outer[count == 1]
        if len(outer):
            lines = np.column_stack([np.full(len(outer), 2), outer]).ravel()
            edge = pv.PolyData(points + step, lines=lines)
            self._moving.append((edge, points, step))
            self._add(edge, color=colour, line_width=1.4)

    def symbols(
        self,
        anchors: Array,
        template: Array,
        colour: str = INK,
        width: float = 1.6,
        basis: str = "screen",
        axes: Array | None = None,
    ) -> None:
        """A symbol of line segments `template` (k, 2, 3), in pixels, at every anchor (n, 3).

        `basis`: "screen" (x right, y up), "world", or "own" with `axes` (n, 3, 3) as rows.
        """
        if not len(anchors) or not len(template):
            return
        n, k = len(anchors), len(template)
        mesh = pv.PolyData(np.repeat(anchors, 2 * k, axis=0), lines=_pairs(n * k))
        self._symbols.append(_Symbols(mesh, np.asarray(anchors, float), template.reshape(-1, 3), basis, axes))
        self._add(mesh, color=colour, line_width=width)
        self._fit(self._symbols[-1])

    def labels(self, points: Array, texts: Sequence[str], colour: str = INK, size: int = 11) -> None:
        """Text beside points, the same size at any distance."""
        points = np.asarray(points, float).reshape(-1, 3)
        if len(points):
            self._label(pv.PolyData(points.copy()), list(texts), colour, size)

    def _label(self, mesh: pv.PolyData, texts: list[str], colour: str, size: int) -> bool:
        """Draw text beside the points of a mesh, of those within the shown section; returns whether any is."""
        if self.within is not None:
            normal, low, high = self.within
            at = np.asarray(mesh.points) @ normal
            inside = (at >= low) & (at <= high)
            if not inside.all():
                mesh.points = np.asarray(mesh.points)[inside]
            texts = [t for t, good in zip(texts, inside.tolist()) if good]
        if not texts:
            return False
        size = round(size * self.text)
        self._texts.append((np.asarray(mesh.points, float), texts, colour, size))
        self._actors.append(
            self.plotter.add_point_labels(
                mesh,
                texts,
                font_size=size,
                text_color=colour,
                shape="rect",
                shape_color=PAPER,
                shape_opacity=0.75,
                margin=1,
                show_points=False,
                always_visible=True,
                render=False,
                reset_camera=False,
                pickable=False,
            )
        )
        return True

    def callouts(self, points: Array, texts: Sequence[str], colour: str = INK, size: int = 11) -> None:
        """Text a little beside points, each with a line to its point, so that it does not lie on what it
        names; on alternate sides, so that two near each other do not lie on each other."""
        for k, (point, text) in enumerate(zip(np.asarray(points, float).reshape(-1, 3), texts)):
            x, y = CALLED[k % len(CALLED)]
            self.symbols(point[None], np.array([[(0.0, 0.0, 0.0), (x, y, 0.0)]]), colour, 1.0)
            at = pv.PolyData(point[None].copy())
            if self._label(at, [text], colour, size):
                # the library labels a copy, which stands before its mapper
                drawn = pv.wrap(self._actors[-1].GetMapper().GetInputAlgorithm().GetInput())
                self._called.append((drawn, point, np.array([x, y, 0.0])))
                self._beside(*self._called[-1])
                # pictures of lines and words have it there too
                self._texts[-1] = (np.array(drawn.points), *self._texts[-1][1:])

    def _beside(self, drawn: pv.PolyData, point: Array, offset: Array) -> None:
        drawn.points = (point + (offset * self.pixel) @ np.array(self.screen_axes()))[None]
        drawn.Modified()

    @property
    def pixel(self) -> float:
        """Metres a pixel, under parallel projection."""
        height = max(self.plotter.render_window.GetSize()[1], 1)
        return 2 * self.plotter.camera.parallel_scale / height

    def keep_size(self) -> None:
        """Give symbols their size again after the camera has moved."""
        for symbols in self._symbols:
            self._fit(symbols)
        for called in self._called:
            self._beside(*called)

    def _fit(self, s: _Symbols) -> None:
        offsets = s.offsets * self.pixel
        if s.basis == "screen":
            right, up, toward = self.screen_axes()
            moved = offsets @ np.array([right, up, toward])
            points = s.anchors[:, None] + moved
        elif s.basis == "own" and s.axes is not None:
            points = s.anchors[:, None] + np.einsum("kj,nji->nki", offsets, s.axes)
        else:
            points = s.anchors[:, None] + offsets
        s.mesh.points = points.reshape(-1, 3)

    def screen_axes(self) -> tuple[Array, Array, Array]:
        """Unit vectors to the right, up and towards the eye."""
        camera = self.plotter.camera
        toward = np.array(camera.position) - np.array(camera.focal_point)
        toward = toward / np.linalg.norm(toward)
        right = np.cross(np.array(camera.up), toward)
        right = right / np.linalg.norm(right)
        return right, np.cross(toward, right), toward

    def to_screen(self, points: Array) -> Array:
        """Pixels (n, 2) from the lower left, and depth as a third column (smaller is nearer)."""
        width, height = self.plotter.render_window.GetSize()
        matrix = self.plotter.camera.GetCompositeProjectionTransformMatrix(width / max(height, 1), -1, 1)
        m = np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)])
        h = np.column_stack([points, np.ones(len(points))]) @ m.T
        ndc = h[:, :3] / h[:, 3:]
        return np.column_stack([(ndc[:, 0] + 1) / 2 * width, (ndc[:, 1] + 1) / 2 * height, ndc[:, 2]])


def _cells(nodes: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.column_stack([np.full(len(nodes), nodes.shape[1]), nodes]).ravel()


def _pairs(n: int) -> Array:
    return np.column_stack([np.full(n, 2), np.arange(2 * n).reshape(n, 2)]).ravel()
