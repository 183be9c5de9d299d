"""Prisms to mid-surfaces: a slab lies across its extrusion, a wall stands along it."""

from __future__ import annotations

import numpy as np
from shapely.geometry import MultiPoint, Polygon

from ..intake.source import Prism, SourceModel, SourceSurface
from ..model import LogEntry, Model, Skipped
from ..model.geometry import Array
from ..model.surface import Surface, normal_of

RECTANGULAR = 0.97  # share of its smallest rectangle that a wall's footprint fills when it is a straight wall
SMALLEST = 1e-3  # m2; openings smaller than this are left out


def transfer_surfaces(source: SourceModel, model: Model) -> None:
    """Fill `model` with the surfaces of the source."""
    for s in source.surfaces:
        try:
            surface = mid_surface(s, model.origin)
        except ValueError as error:
            model.skipped.append(Skipped(s.cls, s.id, str(error), s.name, s.ifc_class))
            continue
        surface.storey = surface.storey or model.storey_of(float(surface.outer[:, 2].min()))
        for message in (surface.guess, *surface.log):
            if message:
                text = f"{s.cls} {s.name or s.id}: {message}"
                model.log.append(LogEntry("guessed", (s.id,), text))
        surface.log = []
        ident = s.id
        while ident in model.surfaces:
            ident += "'"
        surface.id = ident
        model.surfaces[ident] = surface


def mid_surface(s: SourceSurface, origin: Array) -> Surface:
    """The mid-surface of a prism. Raises ValueError for one without area or thickness.

    The extrusion is the thickness when it is shorter than the outline is wide; otherwise the outline is a wall's
    footprint, and its smallest rectangle gives line and thickness.
    """
    base, vector = s.body.outer - origin, s.body.vector
    n = normal_of(base)
    height = abs(float(vector @ n))
    u, v = _plane(n)
    flat = Polygon((base - base[0]) @ np.array([u, v]).T)
    if not flat.is_valid or flat.area <= SMALLEST:
        raise ValueError("its outline crosses itself or encloses no area")
    corners = np.array(flat.minimum_rotated_rectangle.exterior.coords)[:4]
    sides = np.linalg.norm(np.roll(corners, -1, axis=0) - corners, axis=1)
    narrow = float(sides[:2].min())
    out = Surface(s.id, s.name, s.cls, s.storey, base, [], height, s.material)
    if height <= narrow:
        out.outer = base + vector / 2
        out.openings = [ring - origin + vector / 2 for ring in s.body.voids]
    else:
        k = int(sides[1] > sides[0])  # corners k to k + 1 run along the long side
        a = (corners[k] + corners[(k + 3) % 4]) / 2
        b = (corners[k + 1] + corners[(k + 2) % 4]) / 2
        foot = base[0] + np.array([a, b]) @ np.array([u, v])
        out.outer = np.array([foot[0], foot[1], foot[1] + vector, foot[0] + vector])
        out.thickness = narrow
        filled = flat.area / (sides[0] * sides[1])
        if filled < RECTANGULAR:
            out.guess = f"its footprint is no rectangle (filled to {filled:.0%}); taken as straight and {narrow * 1000:.0f} mm thick"
    for prism in s.openings:
        _cut(out, prism, origin)
    return out


def _plane(n: Array) -> tuple[Array, Array]:
    u = np.cross(n, [0.0, 0, 1]) if abs(n[2]) < 0.9 else np.cross(n, [1.0, 0, 0])
    u = u / np.linalg.norm(u)
    return u, np.cross(n, u)


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
        ring = p0 + np.array(hull.exterior.coords)[:-1] @ surface.axes[:2]
    host, hole = Polygon(surface.flat(surface.outer)), Polygon(surface.flat(ring))
    if not hole.is_valid or host.intersection(hole).area < SMALLEST:
        surface.log.append("an opening lies outside it and is left out")
        return
    rest = host.difference(hole)
    if isinstance(rest, Polygon) and not rest.interiors:
        # it cuts the edge: a notch of the outline, as a door is
        surface.outer = p0 + np.array(rest.exterior.coords)[:-1] @ surface.axes[:2]
    elif isinstance(rest, Polygon):
        surface.openings.append(p0 + np.array(host.intersection(hole).exterior.coords)[:-1] @ surface.axes[:2])
    else:
        surface.log.append("an opening divides it and is left out")
