"""The drawing of the view as a vector picture: lines, faces, bands of colour and labels, painted from the
farthest to the nearest."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QPainter, QPen, QPolygonF, QTextDocument
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QApplication

from ...model.geometry.vectors import Array
from ..theme import INK, PAPER, SHEET
from .canvas import Canvas

NEARER = 0.004  # of the depth shown: lines lie on the faces that they are drawn on
DOTS = 96  # an inch, so that lengths are pixels
CAPTION = 26  # px below the picture
LABEL_MARGIN = 2


@dataclass(slots=True)
class _Part:
    """One line or face on the screen: `points` (n, 2) px from the upper left; `wide` 0 for a face without
    sides."""

    depth: float
    layer: int
    points: Array
    colour: QColor
    wide: float
    face: bool


def write_svg(path: Path, canvas: Canvas, legend: str, caption: str) -> None:
    """Write the view as it is, with its legend (HTML) and a caption below it, as SVG.

    Faces are sorted by the depth of their middles: two that pass through each other are drawn one over the
    other. Raises OSError."""
    width, height = canvas.plotter.render_window.GetSize()
    words = QTextDocument()
    words.setDefaultFont(QApplication.font())
    words.setHtml(f"<div style='color:{INK}'>{legend}</div>")
    words.setTextWidth(width - 10)
    below = int(words.size().height()) + CAPTION
    svg = QSvgGenerator()
    svg.setFileName(str(path))
    svg.setResolution(DOTS)
    svg.setSize(QSize(width, height + below))
    svg.setViewBox(QRect(0, 0, width, height + below))
    svg.setTitle(caption)
    painter = QPainter()
    if not painter.begin(svg):
        raise OSError(f"{path} cannot be written")
    try:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(QRectF(0, 0, width, height + below), QColor(PAPER))
        painter.setClipRect(QRectF(0, 0, width, height))
        for part in sorted(_parts(canvas, width, height), key=lambda p: (-p.depth, p.layer)):
            _paint(painter, part)
        _labels(painter, canvas, height)
        painter.setClipping(False)
        painter.fillRect(QRectF(0, height, width, below), QColor(SHEET))
        painter.translate(5, height)
        words.drawContents(painter)
        painter.translate(-5, -height)
        painter.setFont(QApplication.font())
        painter.setPen(QColor(INK))
        line = QRectF(9, height + below - CAPTION, width - 18, CAPTION)
        painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, caption)
    finally:
        painter.end()


def _paint(painter: QPainter, part: _Part) -> None:
    shape = QPolygonF([QPointF(float(x), float(y)) for x, y in part.points])
    if part.face:
        painter.setBrush(QBrush(part.colour))
        painter.setPen(QPen(part.colour, 0.3) if part.wide else Qt.PenStyle.NoPen)
        painter.drawPolygon(shape)
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(part.colour, part.wide, cap=Qt.PenCapStyle.RoundCap))
        painter.drawPolyline(shape)


def _parts(canvas: Canvas, width: int, height: int) -> Iterator[_Part]:
    """Everything that is drawn and lies at least in part within the picture."""

    def on_screen(points: Array) -> Array:
        at = canvas.to_screen(points)
        at[:, 1] = height - at[:, 1]
        return at

    for layer, (actor, mesh) in enumerate(canvas.meshes()):
        if not mesh.n_points or not actor.visibility:
            continue
        points = np.asarray(mesh.points, float)
        at = on_screen(points)
        prop = actor.prop
        red, green, blue = prop.color.float_rgb
        plain = QColor.fromRgbF(red, green, blue, float(prop.opacity))
        rgb = mesh.cell_data.get("colour", None)
        values = np.asarray(mesh.point_data["value"]) if "value" in mesh.point_data else None
        for k, cell in enumerate(_cells(mesh.lines)):
            colour = plain if rgb is None else QColor(*(int(v) for v in rgb[k]))
            for p in (
                (at[cell],) if canvas.within is None else _line_within(points[cell], canvas.within, on_screen)
            ):
                if _seen(p, width, height):
                    yield _Part(
                        float(p[:, 2].mean()) - NEARER, layer, p[:, :2], colour, float(prop.line_width), False
                    )
        for cell in _cells(mesh.faces):
            own = None if values is None else values[cell]
            p = at[cell]
            if canvas.within is not None:
                cut, own = _face_within(points[cell], own, canvas.within)
                if len(cut) < 3:
                    continue
                p = on_screen(cut)
            if not _seen(p, width, height):
                continue
            depth = float(p[:, 2].mean())
            if own is None:
                yield _Part(depth, layer, p[:, :2], plain, 0.0, True)
                continue
            for corners, colour in _in_bands(p[:, :2], own, actor.mapper.lookup_table):
                yield _Part(depth, layer, corners, colour, 0.3, True)


def _line_within(
    points: Array, within: tuple[Array, float, float], on_screen: Callable[[Array], Array]
) -> Iterator[Array]:
    """Yield what of a bent line (n, 3) lies between the planes of a section, on the screen."""
    normal, low, high = within
    for a, b in zip(points, points[1:]):
        u, v = float(a @ normal), float(b @ normal)
        if max(u, v) < low or min(u, v) > high:
            continue
        ends = sorted(((low - u) / (v - u), (high - u) / (v - u))) if u != v else (0.0, 1.0)
        begin, end = max(0.0, ends[0]), min(1.0, ends[1])
        if end > begin:
            yield on_screen(np.array([a + (b - a) * begin, a + (b - a) * end]))


def _face_within(
    points: Array, values: Array | None, within: tuple[Array, float, float]
) -> tuple[Array, Array | None]:
    """The same of a face, with the values at its corners."""
    normal, low, high = within
    both = np.column_stack([points, np.zeros(len(points)) if values is None else values])
    for limit, sign in ((low, 1.0), (high, -1.0)):
        both, _ = _clipped(both, both[:, :3] @ normal, limit, sign)
    return both[:, :3], None if values is None else both[:, 3]


def _cells(packed: Any) -> Iterator[Any]:
    """Indices of each cell from a list of counts and indices."""
    packed = np.asarray(packed, np.int64)
    at = 0
    while at < len(packed):
        n = int(packed[at])
        yield packed[at + 1 : at + 1 + n]
        at += n + 1


def _seen(p: Array, width: int, height: int) -> bool:
    low, high = p.min(axis=0), p.max(axis=0)
    return bool(
        high[0] >= 0 and low[0] <= width and high[1] >= 0 and low[1] <= height and high[2] > -1 and low[2] < 1
    )


def _in_bands(points: Array, values: Array, table: Any) -> Iterator[tuple[Array, QColor]]:
    """A face (n, 2) cut where a value that is linear over its triangles goes from one colour of a table to
    the next."""
    low, high = table.scalar_range
    colours = np.asarray(table.values)
    limits = np.linspace(low, high, len(colours) + 1)
    for k in range(1, len(points) - 1):
        corners, v = points[[0, k, k + 1]], values[[0, k, k + 1]]
        first = int(np.clip(np.searchsorted(limits, v.min(), "right") - 1, -1, len(colours)))
        last = int(np.clip(np.searchsorted(limits, v.max(), "left") - 1, -1, len(colours)))
        for band in range(first, max(first, last) + 1):
            inside = 0 <= band < len(colours)
            below = limits[band] if band >= 0 else -np.inf
            above = limits[band + 1] if band < len(colours) else np.inf
            part, of = (
                _clipped(*_clipped(corners, v, below, 1.0), above, -1.0) if first != last else (corners, v)
            )
            if len(part) > 2:
                yield part, QColor(*(int(c) for c in colours[band][:3])) if inside else QColor(INK)


def _clipped(points: Array, values: Array, limit: float, sign: float) -> tuple[Array, Array]:
    """Return what of a polygon has values above (`sign` 1) or below (-1) a limit, with the values at its
    corners."""
    if not np.isfinite(limit) or not len(points):
        return points, values
    off = sign * (values - limit)
    out: list[Array] = []
    kept: list[float] = []
    for k in range(len(points)):
        n = (k + 1) % len(points)
        if off[k] >= 0:
            out.append(points[k])
            kept.append(float(values[k]))
        if (off[k] < 0) != (off[n] < 0):
            t = off[k] / (off[k] - off[n])
            out.append(points[k] + t * (points[n] - points[k]))
            kept.append(limit)
    return np.array(out).reshape(-1, points.shape[1]), np.array(kept)


def _labels(painter: QPainter, canvas: Canvas, height: int) -> None:
    for points, texts, colour, size in canvas.texts():
        font = QFont(painter.font())
        font.setPixelSize(size)
        painter.setFont(font)
        metrics = painter.fontMetrics()
        at = canvas.to_screen(points)
        for (x, y, depth), text in zip(at, texts):
            if not -1 < depth < 1:
                continue
            box = QRectF(
                float(x),
                height - float(y) - metrics.height(),
                metrics.horizontalAdvance(text),
                metrics.height(),
            )
            back = QColor(PAPER)
            back.setAlphaF(0.75)
            painter.fillRect(box.adjusted(-LABEL_MARGIN, 0, LABEL_MARGIN, 0), back)
            painter.setPen(QColor(colour))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
