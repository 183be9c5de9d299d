"""Prisms to mid-surfaces: a slab lies across its extrusion, a wall stands along it."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from shapely.geometry import MultiPoint, Polygon

from ...intake.source import Prism, Sheet, SourceModel, SourceSurface, Vector
from ...model import LogEntry, Model, Skipped
from ...model.entities.surface import Surface, across, normal_of
from ...model.geometry.vectors import Array, like
from .strips import middle_line

RECTANGULAR = 0.97  # share of its smallest rectangle that a wall's footprint fills when it is a straight wall
LAYERS = 0.001  # m; how far a body's thickness may differ from that of its layers
SMALLEST = 1e-3  # m2; openings smaller than this are left out


def transfer_surfaces(source: SourceModel, model: Model) -> None:
    """Fill `model` with the surfaces of the source."""
    for s in source.surfaces:
        try:
            pieces = mid_surfaces(s, model.origin)
        except ValueError as error:
            model.skipped.append(Skipped(s.cls, s.id, str(error), s.name, s.ifc_class))
            continue
        whole = s.id
        while whole in model.surfaces or f"{whole}/1" in model.surfaces:
            whole += "'"
        for k, surface in enumerate(pieces, 1):
            surface.id = whole if len(pieces) == 1 else f"{whole}/{k}"
            surface.element = "" if len(pieces) == 1 else whole
            surface.storey = surface.storey or model.storey_of(float(surface.outer[:, 2].min()))
            surface.bearing, surface.tag, surface.source_material = s.bearing, s.tag, s.material
            surface.source_outer, surface.source_thickness = surface.outer.copy(), surface.thickness
            model.surfaces[surface.id] = surface
        first = pieces[0]
        if s.layers is not None and abs(s.layers - first.thickness) > LAYERS:
            first.log.append(
                f"its layers add up to {s.layers * 1000:.0f} mm, its body is {first.thickness * 1000:.0f} mm thick; "
                "the body counts"
            )
        for message in (first.guess, *first.log):
            if message:
                model.log.append(LogEntry("guessed", (first.id,), f"{s.cls} {s.name or s.id}: {message}"))


def mid_surfaces(s: SourceSurface, origin: Array) -> list[Surface]:
    """The mid-surfaces of an element: one, or the facets of a curved wall. Raises ValueError for one without
    area or thickness.

    A prism's extrusion is its thickness when it is shorter than the outline is wide; otherwise the outline is
    a wall's footprint: a rectangle gives line and thickness, another strip of one thickness is followed along
    its middle."""
    if s.sheets:
        return [_of_sheet(s, sheet, origin) for sheet in s.sheets]
    if s.body is None:
        raise ValueError("it has no body")
    base, vector = s.body.outer - origin, s.body.vector
    n = normal_of(base)
    height = abs(float(vector @ n))
    u, v = across(n)
    plane = np.array([u, v])
    ring = like((base - base[0]) @ plane.T)
    narrow, middle, filled = _rectangle(ring.tobytes())
    guess = ""
    if s.how == "measured":
        guess = "its body is measured: footprint at mid-height"
    followed = middle_line(Polygon(ring)) if filled < RECTANGULAR else None
    if height <= (narrow if followed is None else followed[1]):
        out = [_new(s, base + vector / 2, height, guess)]
        out[0].openings = [ring - origin + vector / 2 for ring in s.body.voids]
    else:
        if filled < RECTANGULAR:
            if followed is not None:
                middle, narrow, error, chords = followed
                if len(middle) > 2:
                    how = f"chords up to {error * 1000:.0f} mm off the curve" if chords else "bent"
                    guess = f"its footprint is no rectangle; {len(middle) - 1} flat pieces follow its middle ({how})"
            else:
                guess = (
                    f"its footprint is no rectangle (filled to {filled:.0%}); taken as straight and "
                    f"{narrow * 1000:.0f} mm thick"
                )
        foot = base[0] + middle @ plane
        out = [
            _new(s, np.array([a, b, b + vector, a + vector]), narrow, guess) for a, b in zip(foot, foot[1:])
        ]
    for prism in s.openings:
        outside = 0
        for piece in out:
            before = len(piece.log)
            _cut(piece, prism, origin)
            if len(piece.log) > before and len(out) > 1:
                outside += 1
                if outside < len(out):
                    piece.log.pop()
    for piece in out[1:]:
        out[0].log += piece.log
        piece.log = []
    return out


def _new(s: SourceSurface, outer: Array, thickness: float, guess: str) -> Surface:
    return Surface(s.id, s.name, s.cls, s.storey, outer, [], thickness, s.material, guess)


def _of_sheet(s: SourceSurface, sheet: Sheet, origin: Array) -> Surface:
    guess = f"mid-surface measured on its body, misfit {abs(sheet.misfit):.1%}"
    out = _new(s, sheet.outer - origin, sheet.thickness, guess)
    out.openings = [ring - origin for ring in sheet.openings]
    if sheet.spread is not None and sheet.thin_at is not None and sheet.thick_at is not None:
        out.spread = sheet.spread
        out.thin_at, out.thick_at = _local(sheet.thin_at, origin), _local(sheet.thick_at, origin)
    return out


def _local(p: Vector, origin: Array) -> Vector:
    x, y, z = (float(v) for v in np.array(p) - origin)
    return x, y, z


@lru_cache(maxsize=1000)
def _rectangle(ring: bytes) -> tuple[float, Array, float]:
    """Of the smallest rectangle around a footprint (its corners' bytes): its width, its middle line (2, 2),
    and how far it is filled. A building has many slabs of one shape. Raises ValueError for a footprint that
    is none."""
    flat = Polygon(np.frombuffer(ring).reshape(-1, 2))
    if not flat.is_valid or flat.area <= SMALLEST:
        raise ValueError("its outline crosses itself or encloses no area")
    corners = np.array(flat.minimum_rotated_rectangle.exterior.coords)[:4]
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    k = int(sides[1] > sides[0])  # corners k to k + 1 run along the long side
    a = (corners[k] + corners[(k + 3) % 4]) / 2
    b = (corners[k + 1] + corners[(k + 2) % 4]) / 2
    return float(sides[:2].min()), np.array([a, b]), float(flat.area / (sides[0] * sides[1]))


def _cut(surface: Surface, prism: Prism, origin: Array) -> None:
    """Take what a prism leaves in the plane of a surface out of it, or say why not."""
    n, p0 = normal_of(surface.outer), surface.outer[0]
    base, vector = prism.outer - origin, prism.vector
    d0, d1 = (base - p0) @ n, (base + vector - p0) @ n
    if min(d0.min(), d1.min()) > 0 or max(d0.max(), d1.max()) < 0:
        surface.log.append("an opening does not reach its middle and is left out")
        return
    through = float(vector @ n)
    if abs(through) > 0.5 * np.linalg.norm(vector):
        ring = base + np.outer(-d0 / through, vector)
    else:
        edges = [(base[k], base[(k + 1) % len(base)]) for k in range(len(base))]
        edges += [(a + vector, b + vector) for a, b in edges] + [(a, a + vector) for a in base]
        hits = []
        for a, b in edges:
            da, db = float((a - p0) @ n), float((b - p0) @ n)
            if da * db <= 0 and da != db:
                hits.append(a + (b - a) * da / (da - db))
        hull = MultiPoint(surface.flat(np.array(hits))).convex_hull if len(hits) > 2 else Polygon()
        if not isinstance(hull, Polygon) or hull.is_empty:
            return
        ring = p0 + np.array(hull.exterior.coords)[:-1] @ surface.plain_axes[:2]
    host, hole = Polygon(surface.flat(surface.outer)), Polygon(surface.flat(ring))
    if not hole.is_valid or host.intersection(hole).area < SMALLEST:
        surface.log.append("an opening lies outside it and is left out")
        return
    rest = host.difference(hole)
    if isinstance(rest, Polygon) and not rest.interiors:
        # it cuts the edge: a notch of the outline, as a door is
        surface.outer = p0 + np.array(rest.exterior.coords)[:-1] @ surface.plain_axes[:2]
    elif isinstance(rest, Polygon):
        surface.openings.append(
            p0 + np.array(host.intersection(hole).exterior.coords)[:-1] @ surface.plain_axes[:2]
        )
    else:
        surface.log.append("an opening divides it and is left out")
