"""Drawings (DXF): lines, outlines, circles and short texts by layer, in metres.

Blocks are taken apart, polylines become their straight pieces, and closed ones outlines as well. What is no
straight line, closed outline or circle (arcs, splines, hatches, dimensions) is counted by kind and not read.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from ..model.geometry.vectors import Array
from .readers import IntakeError

# $INSUNITS: what a length of 1 in the drawing is in metres (DXF reference, header variables)
UNITS = {
    1: ("inches", 0.0254),
    2: ("feet", 0.3048),
    4: ("millimetres", 1e-3),
    5: ("centimetres", 1e-2),
    6: ("metres", 1.0),
    14: ("decimetres", 0.1),
}
LARGE = 500.0  # a drawing without a unit that is larger than this is taken to be in millimetres
SAME = 1e-6  # m
BULGE = 1e-6
MISSING = "references to missing blocks"
MOST_INSIDE = 20  # blocks in blocks
TEXT = 12  # letters; a longer text names no grid line


@dataclass(slots=True)
class Layer:
    """The content of one layer: lines (n, 2, 3), closed outlines (k, 3) each, circles as (centre (3,),
    radius), texts as (place (3,), text)."""

    lines: list[Array] = field(default_factory=list)
    outlines: list[Array] = field(default_factory=list)
    circles: list[tuple[Array, float]] = field(default_factory=list)
    texts: list[tuple[Array, str]] = field(default_factory=list)


@dataclass(slots=True)
class Drawing:
    """`unit` is what the drawing is in, in words, and `guessed` whether it does not say so itself; `unread`:
    kinds of what was not read, with their number."""

    file: str
    layers: dict[str, Layer]
    unit: str
    scale: float
    guessed: bool
    unread: dict[str, int]


def read_drawing(path: Path, unit: str = "") -> Drawing:
    """The layers of a DXF file, in metres. `unit` is one of the names in UNITS, "" as the file says. Raises
    IntakeError."""
    if not path.is_file():
        raise IntakeError(f"{path}: there is no such file")
    document, audit = _document(path)
    unread: Counter[str] = Counter()
    for kind, count in (("damaged entries", len(audit.errors)), (MISSING, _missing_blocks(audit))):
        if count:
            unread[kind] = count
    pieces = list(_pieces(document.modelspace(), 0, unread))
    layers: dict[str, Layer] = {}
    for entity in pieces:
        layer = layers.setdefault(str(entity.dxf.get("layer", "0")), Layer())
        try:
            kind = _take(entity, layer)
        except (AttributeError, TypeError, ValueError, ArithmeticError):
            kind = f"damaged {entity.dxftype().lower()}"
        if kind:
            unread[kind] += 1
    words, scale, guessed = _unit(document, layers, unit)
    for x in layers.values():
        x.lines = [line * scale for line in x.lines if np.linalg.norm(line[1] - line[0]) * scale > SAME]
        x.outlines = [o * scale for o in x.outlines]
        x.circles = [(c * scale, r * scale) for c, r in x.circles]
        x.texts = [(p * scale, t) for p, t in x.texts]
    layers = {n: x for n, x in sorted(layers.items()) if x.lines or x.outlines or x.circles or x.texts}
    if not any(x.lines or x.outlines or x.circles for x in layers.values()):
        raise IntakeError(f"{path}: holds no lines, outlines or circles")
    return Drawing(str(path), layers, words, scale, guessed, dict(sorted(unread.items())))


def _missing_blocks(audit: Any) -> int:
    """References to blocks that are not there, which reading the drawing takes out."""
    from ezdxf.audit import AuditError

    return sum(fix.code == AuditError.UNDEFINED_BLOCK for fix in audit.fixes)


def _document(path: Path) -> tuple[Any, Any]:
    """The drawing, and what was found and mended on reading it."""
    import ezdxf
    from ezdxf import recover

    try:
        document, audit = recover.readfile(path)
    except OSError as error:
        raise IntakeError(f"{path}: cannot be read: {error.strerror or error}") from error
    except ezdxf.DXFError as error:
        raise IntakeError(
            f"{path}: is not a DXF drawing, or is damaged: {str(error).splitlines()[0]}"
        ) from error
    except Exception as error:  # the library raises other kinds for files that are no drawing at all
        raise IntakeError(f"{path}: is not a DXF drawing ({type(error).__name__})") from error
    if audit.has_errors and not len(document.modelspace()):
        raise IntakeError(f"{path}: is damaged, and nothing of it could be read")
    return document, audit


def _pieces(entities: Any, depth: int, unread: Counter[str]) -> Iterator[Any]:
    """Entities with blocks taken apart, those set out in rows and columns each; what refers to a block
    that is not there, or to another drawing, is counted."""
    for entity in entities:
        if entity.dxftype() == "INSERT" and depth < MOST_INSIDE:
            yield from entity.attribs
            block = entity.block()
            if block is None or block.block.is_xref or block.block.is_xref_overlay:
                unread["references to other drawings" if block is not None else MISSING] += 1
                continue
            try:
                each = list(entity.multi_insert()) if entity.mcount > 1 else [entity]
                inner = [piece for one in each for piece in one.virtual_entities()]
            except Exception:  # a block that refers to itself
                unread["damaged insert"] += 1
                continue
            for piece in _pieces(inner, depth + 1, unread):
                # what lies on layer 0 of a block is on the layer of the block
                if str(piece.dxf.get("layer", "0")) == "0":
                    piece.dxf.layer = entity.dxf.get("layer", "0")
                yield piece
        else:
            yield entity


def _take(entity: Any, layer: Layer) -> str:
    """Put an entity into its layer; returns its kind where it is not read, "" where it is."""
    kind = entity.dxftype()
    if kind == "LINE":
        layer.lines.append(np.array([tuple(entity.dxf.start), tuple(entity.dxf.end)], float))
    elif kind == "CIRCLE":
        layer.circles.append(
            (np.array(tuple(entity.ocs().to_wcs(entity.dxf.center)), float), float(entity.dxf.radius))
        )
    elif kind in ("LWPOLYLINE", "POLYLINE"):
        return _polyline(entity, layer)
    elif kind in ("3DFACE", "SOLID", "TRACE"):
        corners = [tuple(v) for v in entity.wcs_vertices()]
        points = np.array([p for k, p in enumerate(corners) if p != corners[k - 1]], float)
        if len(points) < 3:
            return kind.lower()
        layer.outlines.append(points)
    elif kind in ("TEXT", "ATTRIB"):
        place = entity.dxf.get("align_point") or entity.dxf.insert
        layer.texts.append((np.array(tuple(entity.ocs().to_wcs(place)), float), str(entity.dxf.text).strip()))
    elif kind == "MTEXT":
        layer.texts.append((np.array(tuple(entity.dxf.insert), float), entity.plain_text().strip()))
    else:
        return kind.lower()
    return ""


def _polyline(entity: Any, layer: Layer) -> str:
    if entity.dxftype() == "LWPOLYLINE":
        if any(abs(b) > BULGE for *_, b in entity.get_points("xyb")):
            return "polyline with arcs"
        points = np.array([tuple(v) for v in entity.vertices_in_wcs()], float)
        closed = bool(entity.closed)
    else:
        if not (entity.is_2d_polyline or entity.is_3d_polyline):
            return "polygon mesh"
        if any(abs(v.dxf.get("bulge", 0.0)) > BULGE for v in entity.vertices):
            return "polyline with arcs"
        points = np.array([tuple(v) for v in entity.points_in_wcs()], float)
        closed = bool(entity.is_closed)
    if len(points) < 2:
        return "polyline of one point"
    if not closed and len(points) > 3 and np.allclose(points[0], points[-1]):
        points, closed = points[:-1], True
    if closed and len(points) > 2:
        layer.outlines.append(points)
    else:
        layer.lines += [np.array([a, b]) for a, b in zip(points, points[1:])]
    return ""


def _unit(document: Any, layers: dict[str, Layer], unit: str) -> tuple[str, float, bool]:
    by_name = dict(UNITS.values())
    if unit:
        if unit not in by_name:
            raise IntakeError(f"{unit!r} is no unit of a drawing; known are {', '.join(by_name)}")
        return unit, by_name[unit], False
    found = UNITS.get(int(document.header.get("$INSUNITS", 0) or 0))
    if found is not None:
        return *found, False
    points = [p for x in layers.values() for p in (*x.lines, *x.outlines)]
    size = float(np.ptp(np.concatenate(points), axis=0).max()) if points else 0.0
    name = "millimetres" if size > LARGE else "metres"
    return name, by_name[name], True
