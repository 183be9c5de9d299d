"""Prisms to mid-surfaces: a slab lies across its extrusion, a wall stands along it."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from shapely.geometry import LineString, MultiPoint, Polygon

from ...intake.source import Prism, Sheet, SourceModel, SourceSurface, Vector
from ...model import LogEntry, Model, Skipped
from ...model.catalogue.shapes import polygon_moments
from ...model.entities.surface import Surface, across, normal_of
from ...model.geometry.vectors import Array, like
from .footprints import strips_of
from .strips import middle_line

RECTANGULAR = 0.97  # share of its smallest rectangle that a wall's footprint fills when it is a straight wall
LAYERS = 0.001  # m; how far a body's thickness may differ from that of its layers
NEAR = 0.01  # share by which a body's volume may differ from that of its plates before it is said
UPRIGHT = 0.7  # cosine to vertical above which a wall's extrusion stands
VARIES = 0.02  # share by which a thickness may differ before it counts as varying
THICKEST = 1.5  # m; a wall thicker than this is a block
FLAT = 0.6  # depth of a cross-section over its width above which it is no slab's
SMALLEST = 1e-3  # m2; openings smaller than this are left out


def transfer_surfaces(source: SourceModel, model: Model) -> None:
    """Fill `model` with the surfaces of the source."""
    for s in source.surfaces:
        try:
            pieces = mid_surfaces(s, model.origin)
        except ValueError as error:
            model.skipped.append(Skipped(s.cls, s.id, str(error), s.name, s.ifc_class, blocking=True))
            continue
        whole = s.id
        while whole in model.surfaces or f"{whole}/1" in model.surfaces:
            whole += "'"
        for k, surface in enumerate(pieces, 1):
            surface.id = whole if len(pieces) == 1 else f"{whole}/{k}"
            surface.element = s.whole or ("" if len(pieces) == 1 else whole)
            surface.storey = surface.storey or model.storey_of(float(surface.outer[:, 2].min()))
            surface.bearing, surface.tag, surface.source_material = s.bearing, s.tag, s.material
            surface.type_name, surface.built_up = s.type_name, s.built_up
            surface.source_outer, surface.source_thickness = surface.outer.copy(), surface.thickness
            model.surfaces[surface.id] = surface
        first = pieces[0]
        _weigh(s, pieces)
        if s.layers is not None and abs(s.layers - first.thickness) > LAYERS:
            first.log.append(
                f"its layers add up to {s.layers * 1000:.0f} mm, its body is {first.thickness * 1000:.0f} mm thick; "
                "the body counts"
            )
        for message in (first.guess, *first.log):
            if message:
                model.log.append(LogEntry("guessed", (first.id,), f"{s.cls} {s.name or s.id}: {message}"))


def _weigh(s: SourceSurface, pieces: list[Surface]) -> None:
    """Let the pieces of an element weigh what its body does, and say where body and plates differ."""
    drawn = sum(x.area * x.thickness for x in pieces)
    first = pieces[0]
    words = [w for w in (s.told, *(sheet.told for sheet in s.sheets), first.differs) if w]
    if s.volume is not None and drawn > 0:
        share = s.volume / drawn
        for x in pieces:
            x.body_share = share
        if abs(share - 1) > NEAR:
            words.append(
                f"its body holds {s.volume:.4g} m³, its middle {'planes' if len(pieces) > 1 else 'plane'} by thickness "
                f"{drawn:.4g} m³ ({share - 1:+.0%}): its weight is the body's, its stiffness that of the thickness"
            )
    first.differs = "; ".join(words)


def mid_surfaces(s: SourceSurface, origin: Array) -> list[Surface]:
    """The mid-surfaces of an element: one, or the pieces of a bent, curved or branching wall. Raises
    ValueError for one without area or thickness, or that is not made of flat pieces.

    A prism's extrusion is its thickness when it is shorter than the outline is wide; otherwise the outline
    is a wall's footprint: a rectangle gives line and thickness, a strip of one thickness is followed along
    its middle, any other is taken apart into strips. The cross-section that a slab is extruded from gives
    a plate of its weight."""
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
    voids = [like((hole - origin - base[0]) @ plane.T) for hole in s.body.voids]
    simple = filled >= RECTANGULAR and not voids
    followed = middle_line(Polygon(ring)) if filled < RECTANGULAR and not voids else None
    standing = s.cls == "wall" and abs(float(vector[2])) > UPRIGHT * float(np.linalg.norm(vector))
    strips = None
    if not simple and followed is None and s.cls == "wall":
        strips = strips_of(Polygon(ring, voids))
    thick = narrow if followed is None else followed[1]
    if strips is not None and max(x.thickness for x in strips) < height:
        out = []
        for x in strips:
            a, b = base[0] + x.line @ plane
            piece = _new(s, np.array([a, b, b + vector, a + vector]), x.thickness, "")
            if abs(x.ends[1] - x.ends[0]) > max(VARIES * x.thickness, LAYERS):
                places = [(float(p[0]), float(p[1]), float(p[2])) for p in (a + vector / 2, b + vector / 2)]
                thin = int(x.ends[1] < x.ends[0])
                piece.spread = (x.ends[thin], x.ends[1 - thin])
                piece.thin_at, piece.thick_at = places[thin], places[1 - thin]
            out.append(piece)
        aside = max(x.moved for x in strips)
        out[0].guess = f"its footprint is taken apart into {len(strips)} strips by their middle lines" + (
            f"; thicker pieces lie in the plane of the wall they are part of, up to {aside * 1000:.0f} mm beside their own "
            "middle"
            if aside > LAYERS
            else ""
        )
    elif height <= thick and not (standing and min(height, thick) > THICKEST):
        out = [_new(s, base + vector / 2, height, guess)]
        out[0].openings = [hole - origin + vector / 2 for hole in s.body.voids]
    elif simple or followed is not None:
        if followed is not None:
            middle, thick, error, chords = followed
            if len(middle) > 2:
                how = f"chords up to {error * 1000:.0f} mm off the curve" if chords else "bent"
                guess = (
                    f"its footprint is no rectangle; {len(middle) - 1} flat pieces follow its middle ({how})"
                )
        if standing and thick > THICKEST:
            raise ValueError(
                f"its body is a block {thick:.2f} m thick and {height:.2f} m high, which no middle plane stands for"
            )
        foot = base[0] + middle @ plane
        out = [
            _new(s, np.array([a, b, b + vector, a + vector]), thick, guess) for a, b in zip(foot, foot[1:])
        ]
    elif standing:
        raise ValueError(
            f"its footprint ({Polygon(ring, voids).area:.3g} m²) cannot be taken apart into strips of one thickness each"
        )
    else:
        out = [_plate(s, base, vector, voids, plane)]
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


def _plate(s: SourceSurface, base: Array, vector: Array, voids: list[Array], plane: Array) -> Surface:
    """The plate that weighs as much as a cross-section extruded along a slab: ribbed, hollow, stepped."""
    n = np.cross(plane[0], plane[1])
    level = np.cross(n, (0.0, 0.0, 1.0))
    if np.linalg.norm(level) < 1e-6:
        raise ValueError("its outline cannot be taken apart into flat pieces")
    level = level / np.linalg.norm(level)
    up = np.cross(level, n)
    up = up if up[2] > 0 else -up
    turn = np.array([level, up]) @ plane.T
    outer = (base - base[0]) @ plane.T @ turn.T
    section = Polygon(outer, [hole @ turn.T for hole in voids])
    (x0, z0, x1, z1), middle = section.bounds, section.centroid
    width = x1 - x0
    if z1 - z0 > FLAT * width:
        raise ValueError(
            f"its cross-section, {width:.2f} m wide and {z1 - z0:.2f} m deep, is no plate and cannot be taken apart into flat "
            "pieces"
        )
    thickness = section.area / width
    at = base[0] + middle.y * up
    a, b = at + x0 * level, at + x1 * level
    out = _new(
        s, np.array([a, b, b + vector, a + vector]), thickness, "its body is an extruded cross-section"
    )
    rings = [section.exterior, *section.interiors]
    inertia = [polygon_moments([(p[0] - middle.x, p[1] - middle.y) for p in r.coords[:-1]])[3] for r in rings]
    along = (inertia[0] - sum(inertia[1:])) / width
    thin = min(
        section.intersection(LineString([(x, z0 - 1), (x, z1 + 1)])).length
        for x in np.linspace(x0, x1, 43)[1:-1]
    )
    own = float(out.plain_axes[2] @ up) > 0
    below, above = middle.y - z0, z1 - middle.y
    out.depth = (below, above) if own else (above, below)
    out.differs = (
        f"its body is a cross-section {width:.2f} m wide and {z1 - z0:.2f} m deep, not a flat plate: one of "
        f"{thickness * 1000:.0f} mm of the same weight stands for it, with a second moment of {thickness**3 / 12:.3g} m4 a "
        f"metre; the body has {along:.3g} along and about {thin**3 / 12:.3g} across"
    )
    return out


def _of_sheet(s: SourceSurface, sheet: Sheet, origin: Array) -> Surface:
    guess = f"mid-surface measured on its body, misfit {abs(sheet.misfit):.1%}"
    out = _new(s, sheet.outer - origin, sheet.thickness, guess)
    out.openings = [ring - origin for ring in sheet.openings]
    if sheet.spread is not None and sheet.thin_at is not None and sheet.thick_at is not None:
        out.spread = sheet.spread
        out.thin_at, out.thick_at = _local(sheet.thin_at, origin), _local(sheet.thick_at, origin)
    if sheet.depth is not None:
        n = normal_of(sheet.outer)
        out.depth = sheet.depth if float(out.plain_axes[2] @ n) > 0 else sheet.depth[::-1]
    return out


def _local(p: Vector, origin: Array) -> Vector:
    x, y, z = (float(v) for v in np.array(p) - origin)
    return x, y, z


@lru_cache(maxsize=1000)
def _rectangle(ring: bytes) -> tuple[float, Array, float]:
    """Return, of the smallest rectangle around a footprint (its corners' bytes), its width, its middle line
    (2, 2), and how far it is filled. A building has many slabs of one shape. Raises ValueError for a
    footprint that is none."""
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
