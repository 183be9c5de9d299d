"""Section values from shapes: polygons exactly, torsion and shear areas by the usual handbook formulas.

All dimensions in m. Functions return a `Section` about its centroid, plus that centroid in the coordinates of
the shape, so that a line given at the shape's origin can be brought to the centroid."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..entities.section import Points, Section
from .warping import warping

Shape = tuple[Section, tuple[float, float]]


class ShapeError(ValueError):
    """A shape whose dimensions make no section; the message says which and why."""


def polygon_moments(points: Sequence[tuple[float, float]]) -> tuple[float, float, float, float, float, float]:
    """Area, first moments (int y, int z) and second moments (int z2, int y2, int yz) about the origin.

    Green's theorem for a closed polygon (any textbook on mechanics of materials). The area is positive
    whichever way round the points run; fewer than three points give zeros.

    >>> [round(v, 6) for v in polygon_moments([(0, 0), (2, 0), (2, 3), (0, 3)])]
    [6.0, 6.0, 9.0, 18.0, 8.0, 9.0]
    """
    if len(points) < 3:
        return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    p = np.asarray(points, float)
    y, z = p[:, 0], p[:, 1]
    y1, z1 = np.roll(y, -1), np.roll(z, -1)
    cross = y * z1 - y1 * z
    area = cross.sum() / 2
    sy = ((y + y1) * cross).sum() / 6
    sz = ((z + z1) * cross).sum() / 6
    izz = ((z * z + z * z1 + z1 * z1) * cross).sum() / 12
    iyy = ((y * y + y * y1 + y1 * y1) * cross).sum() / 12
    iyz = ((y * z1 + 2 * y * z + 2 * y1 * z1 + y1 * z) * cross).sum() / 24
    sign = -1.0 if area < 0 else 1.0
    return tuple(float(sign * v) for v in (area, sy, sz, izz, iyy, iyz))  # type: ignore[return-value]


def from_polygon(
    name: str,
    shape: str,
    outer: Sequence[tuple[float, float]],
    voids: Sequence[Sequence[tuple[float, float]]] = (),
    *,
    j: float | None = None,
    avy: float | None = None,
    avz: float | None = None,
    origin: str = "source shape",
) -> Shape:
    """The section of a polygon with voids.

    Without `j`, torsion is that of the warping function; for an outline that is not in one piece
    Saint-Venant's A^4 / 40 Ip (approximate: stated in the section's origin). Raises ShapeError for no area.
    """
    moments = np.array(polygon_moments(outer))
    for void in voids:
        moments -= np.array(polygon_moments(void))
    area, sy, sz, szz, syy, syz = (float(v) for v in moments)
    if not math.isfinite(area) or area <= 1e-10:
        raise ShapeError(f"profile {name!r} encloses no area")
    # a centroid at the origin but for rounding is at the origin: lines then keep their coordinates to the
    # last digit
    size = math.sqrt(area)
    cy, cz = (0.0 if abs(c) < 1e-12 * size else c for c in (sy / area, sz / area))
    iy, iz, iyz = szz - area * cz * cz, syy - area * cy * cy, syz - area * cy * cz
    if iy <= 0 or iz <= 0:
        raise ShapeError(f"profile {name!r} has no second moment of area: its outline crosses itself")
    iyz = 0.0 if abs(iyz) < 1e-9 * (iy + iz) else iyz
    if j is None:
        found = warping(tuple(map(tuple, outer)), tuple(tuple(map(tuple, void)) for void in voids))
        j = found.j if found is not None else area**4 / (40 * (iy + iz))
        how = "its warping function" if found is not None else "Saint-Venant's approximation"
        origin = f"{origin}; torsion by {how}"
    solid = 5 / 6 * area if shape in ("rectangle", "arbitrary", "measured") and not voids else 0.0
    section = Section(
        name,
        shape,
        area,
        iy,
        iz,
        iyz,
        j,
        solid if avy is None else avy,
        solid if avz is None else avz,
        tuple((float(a) - cy, float(b) - cz) for a, b in outer),
        tuple(tuple((float(a) - cy, float(b) - cz) for a, b in void) for void in voids),
        origin,
    )
    return section, (cy, cz)


def arc(cy: float, cz: float, r: float, a0: float, a1: float, n: int = 12) -> list[tuple[float, float]]:
    """Points of an arc from angle a0 to a1 (degrees), both ends included."""
    return [
        (cy + r * math.cos(a), cz + r * math.sin(a))
        for a in np.linspace(math.radians(a0), math.radians(a1), n + 1)
    ]


def positive(name: str, **dims: float) -> None:
    """Raises ShapeError for a size (m) that is not above 0."""
    for key, value in dims.items():
        if not (math.isfinite(value) and value > 0):
            raise ShapeError(f"profile {name!r}: {key} is {value:g} m; it must be positive")


def rectangle(name: str, width: float, depth: float) -> Shape:
    """J = a b^3 (1/3 - 0.21 b/a (1 - b^4 / 12 a^4)), a the longer side (Roark's formulas for stress and
    strain)."""
    positive(name, width=width, depth=depth)
    y, z = width / 2, depth / 2
    a, b = max(width, depth), min(width, depth)
    j = a * b**3 * (1 / 3 - 0.21 * b / a * (1 - b**4 / (12 * a**4)))
    return from_polygon(name, "rectangle", [(-y, -z), (y, -z), (y, z), (-y, z)], j=j)


def circle(name: str, radius: float, wall: float | None = None) -> Shape:
    """A solid circle, or a tube of `wall` thickness. Shear area 0.9 A solid, 0.5 A thin tube (Cowper 1966,
    rounded)."""
    positive(name, radius=radius)
    inner = 0.0
    if wall is not None:
        positive(name, wall=wall)
        if wall > radius:
            raise ShapeError(f"profile {name!r}: wall {wall:g} m is thicker than the radius {radius:g} m")
        inner = radius - wall
    area = math.pi * (radius**2 - inner**2)
    i = math.pi / 4 * (radius**4 - inner**4)
    av = (0.5 if inner > 0 else 0.9) * area
    outline = tuple(arc(0, 0, radius, 0, 360, 32)[:-1])
    voids: tuple[Points, ...] = (tuple(arc(0, 0, inner, 0, 360, 32)[:-1]),) if inner > 0 else ()
    shape = "circle hollow" if inner > 0 else "circle"
    return Section(name, shape, area, i, i, 0.0, 2 * i, av, av, outline, voids, "source shape"), (0.0, 0.0)


def _rounded(width: float, depth: float, r: float) -> list[tuple[float, float]]:
    y, z = width / 2, depth / 2
    if r <= 0:
        return [(y, -z), (y, z), (-y, z), (-y, -z)]
    return [
        *arc(y - r, z - r, r, 0, 90, 8),
        *arc(r - y, z - r, r, 90, 180, 8),
        *arc(r - y, r - z, r, 180, 270, 8),
        *arc(y - r, r - z, r, 270, 360, 8),
    ]


def box(name: str, width: float, depth: float, wall: float, r_out: float = 0.0, r_in: float = 0.0) -> Shape:
    """A rectangular hollow section. Torsion as EN 10210-2 annex A: t^3 h / 3 + 2 K Ah; shear area of the two
    webs."""
    positive(name, width=width, depth=depth, wall=wall)
    if 2 * wall >= min(width, depth):
        raise ShapeError(f"profile {name!r}: walls of {wall:g} m leave no hollow")
    r_in = min(max(r_in, 0.0), (min(width, depth) - 2 * wall) / 2)
    r_out = min(max(r_out, 0.0), min(width, depth) / 2)
    rc = (r_out + r_in) / 2
    h = 2 * ((width - wall) + (depth - wall)) - 2 * rc * (4 - math.pi)
    ah = (width - wall) * (depth - wall) - rc**2 * (4 - math.pi)
    j = wall**3 * h / 3 + 2 * (2 * ah * wall / h) * ah
    return from_polygon(
        name,
        "box",
        _rounded(width, depth, r_out),
        [_rounded(width - 2 * wall, depth - 2 * wall, r_in)],
        j=j,
        avy=2 * wall * (width - wall),
        avz=2 * wall * (depth - wall),
    )


def i_shape(
    name: str,
    depth: float,
    width: float,
    web: float,
    flange: float,
    fillet: float = 0.0,
    top_width: float | None = None,
    top_flange: float | None = None,
    top_fillet: float | None = None,
) -> Shape:
    """An I with equal or unequal flanges, depth along z.

    Torsion with the junctions' share: El Darwish and Johnston (1965) as in SCI P385, for equal flanges; sum
    of b t^3 / 3 otherwise. Shear areas: web between flange centres, and 5/6 of the flanges."""
    tw, tt = top_width or width, top_flange or flange
    tr = fillet if top_fillet is None else top_fillet
    positive(name, depth=depth, width=width, web=web, flange=flange)
    if flange + tt >= depth or web > min(width, tw):
        raise ShapeError(
            f"profile {name!r}: flanges of {flange:g} m and web of {web:g} m do not fit its outline"
        )
    r, tr = max(fillet, 0.0), max(tr, 0.0)
    if r + tr > depth - flange - tt or max(r, tr) > (min(width, tw) - web) / 2:
        raise ShapeError(f"profile {name!r}: a fillet of {max(r, tr):g} m does not fit between its flanges")
    z, w, b, t = depth / 2, web / 2, width / 2, tw / 2
    right = [(b, -z), (b, flange - z)]
    right += arc(w + r, flange - z + r, r, 270, 180) if r else [(w, flange - z)]
    right += arc(w + tr, z - tt - tr, tr, 180, 90) if tr else [(w, z - tt)]
    right += [(t, z - tt), (t, z)]
    outline = right + [(-y, zz) for y, zz in reversed(right)]
    if tw == width and tt == flange:
        d = ((flange + r) ** 2 + (r + 0.25 * web) * web) / (2 * r + flange)
        alpha = (
            -0.042
            + 0.2204 * web / flange
            + 0.1355 * r / flange
            - 0.0865 * r * web / flange**2
            - 0.0725 * (web / flange) ** 2
        )
        j = (
            2 / 3 * width * flange**3
            + (depth - 2 * flange) * web**3 / 3
            + 2 * alpha * d**4
            - 0.42 * flange**4
        )
    else:
        j = (width * flange**3 + tw * tt**3 + (depth - flange - tt) * web**3) / 3
    return from_polygon(
        name,
        "i",
        outline,
        j=j,
        avy=5 / 6 * (width * flange + tw * tt),
        avz=web * (depth - (flange + tt) / 2),
    )


def filleted(
    points: Sequence[tuple[float, float]], radii: Sequence[float], n: int = 8
) -> list[tuple[float, float]]:
    """A closed outline with its corners rounded, each by its own radius (0: sharp), in arcs of n chords."""
    out: list[tuple[float, float]] = []
    count = len(points)
    for k, r in enumerate(radii):
        p = np.array(points[k])
        u, v = np.array(points[k - 1]) - p, np.array(points[(k + 1) % count]) - p
        lu, lv = float(np.hypot(*u)), float(np.hypot(*v))
        u, v = u / lu, v / lv
        half = math.acos(max(-1.0, min(1.0, float(u @ v)))) / 2
        back = min(r / math.tan(half), 0.999 * lu, 0.999 * lv) if r > 0 else 0.0
        if back <= 0:
            out.append((float(p[0]), float(p[1])))
            continue
        r = back * math.tan(half)
        centre = p + (u + v) / np.hypot(*(u + v)) * r / math.sin(half)
        first, last = p + u * back - centre, p + v * back - centre
        a0 = math.atan2(first[1], first[0])
        turn = (math.atan2(last[1], last[0]) - a0 + math.pi) % (2 * math.pi) - math.pi
        for a in np.linspace(a0, a0 + turn, n + 1):
            out.append((float(centre[0] + r * math.cos(a)), float(centre[1] + r * math.sin(a))))
    return out


def channel(
    name: str,
    depth: float,
    width: float,
    web: float,
    flange: float,
    fillet: float = 0.0,
    slope: float = 0.0,
    edge: float = 0.0,
) -> Shape:
    """A channel, web at the left, flanges to +y, origin in the middle of its box. `slope` (rad) of the inner
    faces, whose thickness `flange` is that at half the width; `edge` is the toe radius."""
    positive(name, depth=depth, width=width, web=web, flange=flange)
    if 2 * flange >= depth or web >= width:
        raise ShapeError(
            f"profile {name!r}: flanges of {flange:g} m and web of {web:g} m do not fit its outline"
        )
    y, z, out = width / 2, depth / 2, width / 2
    rise = math.tan(slope)
    tip, root = flange - rise * out, flange + rise * (out - web)
    r, e = min(max(fillet, 0.0), out, z - root), min(max(edge, 0.0), tip * 0.999)
    corners = [(-y, z), (y, z), (y, z - tip), (web - y, z - root)]
    corners += [(a, -b) for a, b in reversed(corners)]
    outline = filleted(corners, [0.0, 0.0, e, r, r, e, 0.0, 0.0])
    # with the junctions' share, El Darwish and Johnston (1965) as in SCI P385
    d = 2 * ((3 * r + web + flange) - math.sqrt(2 * (2 * r + web) * (2 * r + flange)))
    ratio, fill = web / flange, r / flange
    alpha = -0.0908 + 0.2621 * ratio + 0.1231 * fill - 0.0752 * ratio * fill - 0.0945 * ratio**2
    j = 2 / 3 * width * flange**3 + (depth - 2 * flange) * web**3 / 3 + 2 * alpha * d**4 - 0.42 * flange**4
    return from_polygon(
        name,
        "channel",
        outline,
        j=j,
        avy=5 / 6 * 2 * width * flange,
        avz=web * (depth - flange),
        origin="source shape",
    )


def angle(
    name: str, depth: float, width: float, thickness: float, fillet: float = 0.0, edge: float = 0.0
) -> Shape:
    """An angle, corner at lower left, origin in the middle of its box; `edge` is the toe radius."""
    positive(name, depth=depth, width=width, thickness=thickness)
    if thickness >= min(depth, width):
        raise ShapeError(f"profile {name!r}: a thickness of {thickness:g} m does not fit its legs")
    y, z, t = width / 2, depth / 2, thickness
    r = min(max(fillet, 0.0), min(depth, width) - t)
    e = min(max(edge, 0.0), t * 0.999)
    outline = [(-y, -z), (y, -z)]
    outline += arc(y - e, t - z - e, e, 0, 90, 6) if e else [(y, t - z)]
    outline += arc(t - y + r, t - z + r, r, 270, 180) if r else [(t - y, t - z)]
    outline += arc(t - y - e, z - e, e, 0, 90, 6) if e else [(t - y, z)]
    outline += [(-y, z)]
    j = (depth + width - t) * t**3 / 3
    return from_polygon(name, "angle", outline, j=j, avy=5 / 6 * width * t, avz=5 / 6 * depth * t)


def tee(name: str, depth: float, width: float, web: float, flange: float, fillet: float = 0.0) -> Shape:
    """A T, flange at the top, origin in the middle of its box."""
    positive(name, depth=depth, width=width, web=web, flange=flange)
    if flange >= depth or web > width:
        raise ShapeError(
            f"profile {name!r}: flange of {flange:g} m and web of {web:g} m do not fit its outline"
        )
    y, z, w = width / 2, depth / 2, web / 2
    r = min(max(fillet, 0.0), y - w, depth - flange)
    right = [(w, -z)]
    right += arc(w + r, z - flange - r, r, 180, 90) if r else [(w, z - flange)]
    right += [(y, z - flange), (y, z)]
    outline = right + [(-a, b) for a, b in reversed(right)]
    j = (width * flange**3 + (depth - flange / 2) * web**3) / 3
    return from_polygon(name, "tee", outline, j=j, avy=5 / 6 * width * flange, avz=web * (depth - flange / 2))
