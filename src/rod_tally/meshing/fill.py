"""One flat face into quadrilaterals and triangles that keep every node given on its border."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ..model.geometry.vectors import Array

_gmsh_lock = threading.Lock()
FLAT_CORNER = 0.985  # cosine; a corner flatter than this goes straight on
WORST = 0.5  # sine of the sharpest (30 degrees) or flattest corner that a quadrilateral may have
QUAD_LIKE, FRONTAL, PLAIN = 8, 6, 1  # the generator's ways, in the order in which they are tried


@dataclass(slots=True)
class Filled:
    """`points` (n, 2), the given ones first; `quads` (q, 4) and `triangles` (t, 3), anticlockwise. `how`:
    "mapped", "free" or "cut", the last for a face that could only be cut into triangles without nodes
    inside."""

    points: Array
    quads: NDArray[np.int64]
    triangles: NDArray[np.int64]
    how: str


def fill(
    points: Array,
    rings: Sequence[Sequence[int]],
    inner: Sequence[tuple[int, int]],
    dots: Sequence[int],
    size: float,
) -> Filled:
    """Elements of about `size` (m) in a face. `rings` are the nodes round it, the outer one anticlockwise,
    then its holes; `inner` are pieces of lines within it and `dots` single nodes, which elements keep too."""
    if len(rings) == 1 and not inner and not dots:
        done = mapped(points, list(rings[0]))
        if done is not None:
            return done
    area = _area(points, rings)
    for way in (QUAD_LIKE, FRONTAL, PLAIN):
        done = free(points, rings, inner, dots, size, way)
        if done is not None and covers(done, area):
            return paired(done, inner)
    return cut(points, rings)


def _area(points: Array, rings: Sequence[Sequence[int]]) -> float:
    return float(Polygon(points[list(rings[0])], [points[list(r)] for r in rings[1:]]).area)


def corners(points: Array, ring: list[int]) -> list[int]:
    """Places in the ring at which it turns."""
    p = points[ring]
    u, v = p - np.roll(p, 1, axis=0), np.roll(p, -1, axis=0) - p
    cosine = np.einsum("ni,ni->n", u, v) / (np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1))
    return np.flatnonzero(cosine < FLAT_CORNER).tolist()


def mapped(points: Array, ring: list[int]) -> Filled | None:
    """A four-sided face with as many nodes on opposite sides, by transfinite mapping (Gordon and Hall 1973);
    None for another."""
    at = corners(points, ring)
    if len(at) != 4:
        return None
    ring = ring[at[0] :] + ring[: at[0]]
    at = [k - at[0] for k in at] + [len(ring)]
    closed = [*ring, ring[0]]
    south, east, north, west = (closed[a : b + 1] for a, b in zip(at, at[1:]))
    north, west = north[::-1], west[::-1]
    if len(south) != len(north) or len(east) != len(west):
        return None
    n, m = len(south) - 1, len(east) - 1
    index = np.full((n + 1, m + 1), -1, np.int64)
    index[:, 0], index[:, m], index[0], index[n] = south, north, west, east
    s, t = _shares(points[south], points[north]), _shares(points[west], points[east])
    # along sides with nodes at unlike shares the lines between them cross the face slanting
    u = s[:, None, 0] * (1 - t[None, :, 0]) + s[:, None, 1] * t[None, :, 0]
    v = t[None, :, 0] * (1 - s[:, None, 0]) + t[None, :, 1] * s[:, None, 0]
    u, v = u[..., None], v[..., None]
    a, b, c, d = points[south[0]], points[south[-1]], points[north[-1]], points[north[0]]
    inside = (1 - v) * points[south][:, None] + v * points[north][:, None]
    inside += (1 - u) * points[west][None] + u * points[east][None]
    inside -= (1 - u) * (1 - v) * a + u * (1 - v) * b + u * v * c + (1 - u) * v * d
    new = inside[1:n, 1:m].reshape(-1, 2)
    index[1:n, 1:m] = len(points) + np.arange(len(new)).reshape(n - 1, m - 1)
    quads = np.stack([index[:-1, :-1], index[1:, :-1], index[1:, 1:], index[:-1, 1:]], axis=-1).reshape(-1, 4)
    done = Filled(np.vstack([points, new]), quads, np.zeros((0, 3), np.int64), "mapped")
    good = len(quads) and _worst(done.points[quads]).min() > WORST
    return done if good and covers(done, _area(points, [ring])) else None


def _shares(one: Array, two: Array) -> Array:
    """Where the nodes of two opposite sides lie along them, (n, 2) from 0 to 1."""
    out = []
    for side in (one, two):
        step = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(side, axis=0), axis=1))])
        out.append(step / step[-1])
    return np.stack(out, axis=1)


def free(
    points: Array,
    rings: Sequence[Sequence[int]],
    inner: Sequence[tuple[int, int]],
    dots: Sequence[int],
    size: float,
    way: int,
) -> Filled | None:
    """Triangles by one of the ways of the mesh generator gmsh; None where it gives up."""
    try:
        import gmsh  # kept out of start-up
    except (
        ImportError,
        OSError,
    ):  # a machine without the libraries it needs: faces are cut, and reported as poor
        return None
    with _gmsh_lock:
        if not gmsh.isInitialized():
            gmsh.initialize([], readConfigFiles=False, run=False, interruptible=False)
            for name, value in (
                ("General.Terminal", 0),
                ("General.NumThreads", 1),
                ("Mesh.Smoothing", 1),
                ("Mesh.MeshSizeExtendFromBoundary", 1),
                ("Mesh.RandomFactor", 1e-9),
            ):
                gmsh.option.setNumber(name, value)
        gmsh.model.add("face")
        try:
            geo = gmsh.model.geo
            used = sorted({k for r in rings for k in r} | {k for pair in inner for k in pair} | set(dots))
            for k in used:
                geo.addPoint(float(points[k, 0]), float(points[k, 1]), 0.0, 0.0, k + 1)
            loops = []
            lines = []
            for ring in rings:
                own = [geo.addLine(a + 1, b + 1) for a, b in zip(ring, [*ring[1:], ring[0]])]
                loops.append(geo.addCurveLoop(own))
                lines += own
            face = geo.addPlaneSurface(loops)
            within = [geo.addLine(a + 1, b + 1) for a, b in inner]
            geo.synchronize()
            for line in lines + within:
                gmsh.model.mesh.setTransfiniteCurve(line, 2)
            if within:
                gmsh.model.mesh.embed(1, within, 2, face)
            alone = set(dots) - {k for pair in inner for k in pair}
            if alone:
                gmsh.model.mesh.embed(0, [k + 1 for k in alone], 2, face)
            gmsh.option.setNumber("Mesh.MeshSizeMax", size)
            gmsh.option.setNumber("Mesh.MeshSizeMin", size / 50)
            gmsh.option.setNumber("Mesh.Algorithm", way)
            gmsh.model.mesh.generate(2)
            return _taken(gmsh, points, face)
        except Exception:  # the generator raises plain Exception with its own words; the next way is tried
            return None
        finally:
            gmsh.model.remove()


def _taken(gmsh: object, points: Array, face: int) -> Filled | None:
    from scipy.spatial import cKDTree

    mesh = gmsh.model.mesh  # type: ignore[attr-defined]
    tags, xyz, _ = mesh.getNodes()
    xyz = xyz.reshape(-1, 3)[:, :2]
    # nodes of points carry the points' tags only by chance, so they are found by their place
    number = np.full(int(tags.max()) + 1, -1, np.int64)
    all_points = [points]
    more: list[Array] = []
    far, near = cKDTree(points).query(xyz)
    for tag, at, d, k in zip(tags.astype(int), xyz, far, near):
        if d < 1e-9 * (1 + abs(at).max()) + 1e-7:
            number[tag] = k
        else:
            number[tag] = len(points) + len(more)
            more.append(at)
    if more:
        all_points.append(np.array(more))
    kinds, _, ends = mesh.getElements(2, face)
    if list(kinds) != [2]:
        return None
    every = np.vstack(all_points)
    triangles = _anticlockwise(every, number[ends[0].astype(int)].reshape(-1, 3))
    return Filled(every, np.zeros((0, 4), np.int64), triangles, "free")


def _anticlockwise(points: Array, elements: NDArray[np.int64]) -> NDArray[np.int64]:
    if not len(elements):
        return elements
    turned = _signed(points[elements]) < 0
    return np.where(turned[:, None], elements[:, ::-1], elements)


def _signed(p: Array) -> Array:
    """Signed areas (E,) of plane elements (E, n, 2)."""
    q = np.roll(p, -1, axis=1)
    return np.asarray((p[..., 0] * q[..., 1] - p[..., 1] * q[..., 0]).sum(axis=1) / 2)


def _worst(p: Array) -> Array:
    """The least sine of the corners of elements (E, n, 2), negative where one is re-entrant."""
    u, v = p - np.roll(p, 1, axis=1), np.roll(p, -1, axis=1) - p
    size = np.linalg.norm(u, axis=2) * np.linalg.norm(v, axis=2)
    return np.asarray(
        ((u[..., 0] * v[..., 1] - u[..., 1] * v[..., 0]) / np.maximum(size, 1e-300)).min(axis=1)
    )


def paired(f: Filled, inner: Sequence[tuple[int, int]]) -> Filled:
    """Triangles joined by two into quadrilaterals, the best shaped first, never across a line that elements
    keep.

    Pairs of sound triangles stay sound, where a generator's own quadrilaterals may lap over each other in
    narrow places."""
    t = f.triangles
    sides = np.stack([t, np.roll(t, -1, axis=1)], axis=-1).reshape(-1, 2)
    opposite = np.roll(t, 1, axis=1).ravel()
    key = np.sort(sides, axis=1)
    order = np.lexsort((key[:, 1], key[:, 0]))
    same = (key[order][1:] == key[order][:-1]).all(axis=1)
    one, two = order[:-1][same], order[1:][same]
    if len(inner):
        kept = {(min(a, b), max(a, b)) for a, b in inner}
        open_ = np.array([tuple(k) not in kept for k in key[one].tolist()], bool)
        one, two = one[open_], two[open_]
    if not len(one):
        return f
    # side a-b of triangle `one` with its far corner c, and d across: a quadrilateral a d b c
    quads = np.stack([sides[one, 0], opposite[two], sides[one, 1], opposite[one]], axis=1)
    score = _worst(f.points[quads])
    taken = np.zeros(len(t), bool)
    chosen = []
    for k in np.argsort(-score, kind="stable").tolist():
        if score[k] < WORST:
            break
        a, b = one[k] // 3, two[k] // 3
        if not taken[a] and not taken[b]:
            taken[a] = taken[b] = True
            chosen.append(k)
    return Filled(f.points, quads[chosen], t[~taken], f.how)


def covers(f: Filled, area: float) -> bool:
    """Return whether the elements lie side by side and fill the face: none turned over, and their areas add
    up."""
    parts = [_signed(f.points[e]) for e in (f.quads, f.triangles) if len(e)]
    if not parts:
        return False
    all_areas = np.concatenate(parts)
    return bool(all_areas.min() > 0 and abs(all_areas.sum() - area) <= 1e-6 * area)


def cut(points: Array, rings: Sequence[Sequence[int]]) -> Filled:
    """Triangles between the nodes of the border alone, for a face that nothing else fills."""
    face = Polygon(points[list(rings[0])], [points[list(r)] for r in rings[1:]])
    known = {tuple(points[k]): k for r in rings for k in r}
    triangles = []
    try:
        found = getattr(shapely.constrained_delaunay_triangles(face), "geoms", [])
    except shapely.errors.GEOSException as error:
        raise ValueError(f"its outline cannot be cut into triangles ({error})") from None
    for t in found:
        own = [known[tuple(p)] for p in np.array(t.exterior.coords)[:3]]
        triangles.append(own)
    tri = np.array(triangles, np.int64).reshape(-1, 3)
    return Filled(points, np.zeros((0, 4), np.int64), _anticlockwise(points, tri), "cut")
