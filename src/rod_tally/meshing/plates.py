"""The mesh of all slabs and walls that a run computes as shells, and how members and supports take hold of
it."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from copy import copy

import numpy as np
from numpy.typing import NDArray
from shapely import STRtree
from shapely.errors import ShapelyError
from shapely.geometry import MultiLineString, Point, Polygon
from shapely.ops import polygonize

from ..model import Model, Surface
from ..model.geometry.vectors import Array
from ..progress import Progress, silent
from .columns import add_columns, column_walls
from .facing import facing, rounded
from .fill import Filled, fill
from .mesh_data import HeldEdge, Plates, Tie
from .outline import SurfaceLines, lines_on
from .standing import stand_apart
from .ties import tie_surfaces
from .wires import TOUCH, Wires, on_line, wires_of

Fills = dict[tuple[object, ...], Filled]  # faces with their elements, by outline, lines, size and place
FEWEST = 2  # elements across a surface that is narrower than the element size
MOST = 400_000  # elements of one surface
SMALLEST = 0.2  # of the element size asked for: what narrow surfaces may bring it down to


def computed_surfaces(model: Model) -> list[Surface]:
    """Surfaces that a run computes as shells: those set to it whose material has a stiffness."""
    out = []
    for s in model.surfaces.values():
        material = model.materials.get(s.material)
        if s.way == "shell" and s.thickness > 0 and material is not None and material.usable:
            out.append(s)
    return out


def mesh_plates(
    model: Model,
    size: float | str,
    only: set[str] | None = None,
    progress: Progress = silent,
    standing: Collection[str] = (),
    leaning: Collection[str] = (),
    whole_columns: bool = False,
    filled: Fills | None = None,
) -> Plates:
    """Mesh the surfaces that are computed as shells (of them those in `only`), with elements of about `size`
    (m, or "auto" for about eight across each panel's span) or as each surface says; walls in `standing` only
    stand on what is below them, those in `leaning` only press along their sides; with `whole_columns` columns
    hold slabs over their whole section. `filled`: faces that were filled before, by what they are; it grows.
    A surface that cannot be meshed is named in `failed`; nothing is
    raised for what a model holds."""
    index = {n: i for i, n in enumerate(model.nodes)}
    xyz = np.array([n.point for n in model.nodes.values()]).reshape(-1, 3)
    found: dict[str, SurfaceLines] = {}
    out = Plates([], xyz, len(index))
    for s in computed_surfaces(model):
        if only is None or s.id in only:
            try:
                lines = lines_on(model, s, element_size(s, size), whole_columns)
                _fits_memory(lines.polygon, _size(s, lines.polygon, element_size(s, size)))
                found[s.id] = lines
                out.surfaces.append(s.id)
            except ValueError as error:
                out.failed[s.id] = str(error)
    walls = column_walls(model, only)
    if not found:
        if walls:
            add_columns(model, out, walls, index)
        return out
    progress("Lines of surfaces", 0.0)
    tied = sorted({index[n] for f in found.values() for n in f.nodes})
    number = np.array(tied, np.int64)
    wires = wires_of(
        xyz[number],
        {i: f.lines for i, f in found.items()},
        {i: f.dots for i, f in found.items()},
        {i: f.edges for i, f in found.items()},
    )
    # vertices in the numbers of the whole: the model's nodes keep theirs
    vertex = np.concatenate([number, len(xyz) + np.arange(len(wires.points) - len(number))])
    points = [xyz, wires.points[len(number) :]]
    sizes = {
        s: _size(model.surfaces[s], found[s].polygon, element_size(model.surfaces[s], size)) for s in found
    }
    steps, more = _divided(wires, sizes, vertex, len(xyz) + len(wires.points) - len(number))
    points.append(more)
    _fill_all(model, out, found, wires, vertex, steps, np.vstack(points), sizes, progress, filled)
    out = out.keeping(set(out.surfaces) - set(out.failed), {})
    out.shapes = {s: copy(model.surfaces[s]) for s in out.surfaces}
    _take_hold(model, out, found, index)
    stand_apart(model, out, standing, leaning)
    if walls:
        add_columns(model, out, walls, index)
    return out


# share by which pieces of a line may be longer than asked for; no round one, which rounding would decide
LONGER = 0.05 + 1e-6
ACROSS = 8  # elements across the span of a slab's panel
UP_A_WALL = 6  # and across the shorter side of a wall, which bends in its plane alone
SMALLEST_AUTO, LARGEST_AUTO = 0.1, 1.5  # m


def element_size(s: Surface, size: float | str) -> float:
    """The size of a surface's elements, m: its own, or that of the settings, or what suits its span."""
    if s.mesh_size is not None:
        return s.mesh_size
    if not isinstance(size, str):
        return size
    wanted = panel_span(s) / (UP_A_WALL if s.upright else ACROSS)
    return float(np.clip(wanted, SMALLEST_AUTO, LARGEST_AUTO))


def panel_span(s: Surface) -> float:
    """Return what a surface spans, m: the shorter side of its box, or of a slab the usual distance between
    the columns that hold it where that is less."""
    from scipy.spatial import cKDTree

    box = np.array(Polygon(s.flat(s.outer)).minimum_rotated_rectangle.exterior.coords)
    span = float(np.linalg.norm(np.diff(box[:3], axis=0), axis=1).min())
    heads = np.array([j.line[0] for j in s.joints if j.kind == "end"]).reshape(-1, 3)
    if not s.upright and len(heads) > 2:
        distance, _ = cKDTree(s.flat(heads)).query(s.flat(heads), k=2)
        between = distance[:, 1][distance[:, 1] > 1.0]
        if len(between):
            span = min(span, float(np.median(between)))
    return span


def _fits_memory(polygon: Polygon, size: float) -> None:
    """Raises ValueError for a surface whose elements would be too many to compute."""
    count = polygon.area / size**2
    if not np.isfinite(count) or count > MOST or polygon.length / size > MOST:
        raise ValueError(f"elements of {size:.2g} m would be {count:.2g}; give it a larger element size")


def _size(s: Surface, polygon: Polygon, size: float) -> float:
    """The element size of a surface, smaller where it is narrow."""
    width = 2 * polygon.area / polygon.length
    return float(min(size, max(width / FEWEST, SMALLEST * size)))


def _divided(
    wires: Wires, sizes: dict[str, float], vertex: NDArray[np.int64], first: int
) -> tuple[dict[tuple[int, int], list[int]], Array]:
    """Nodes along every segment, both ends included, and the places of the new ones."""
    wanted: dict[tuple[int, int], float] = {}
    for ident, own in wires.segments.items():
        for i, j in own.tolist():
            wanted[i, j] = min(wanted.get((i, j), np.inf), sizes[ident])
    steps: dict[tuple[int, int], list[int]] = {}
    new: list[Array] = []
    for (i, j), h in sorted(wanted.items()):
        a, b = wires.points[i], wires.points[j]
        n = max(1, int(np.ceil(float(np.linalg.norm(b - a)) / h - LONGER)))
        steps[i, j] = [int(vertex[i]), *range(first + len(new), first + len(new) + n - 1), int(vertex[j])]
        new += [a + (b - a) * (k / n) for k in range(1, n)]
    return steps, np.array(new).reshape(-1, 3)


def _fill_all(
    model: Model,
    out: Plates,
    found: dict[str, SurfaceLines],
    wires: Wires,
    vertex: NDArray[np.int64],
    steps: dict[tuple[int, int], list[int]],
    points: Array,
    sizes: dict[str, float],
    progress: Progress,
    filled: Fills | None = None,
) -> None:
    middle = points.mean(axis=0)
    known: Fills = {} if filled is None else filled
    every = [points]
    count = len(points)
    quads: list[NDArray[np.int64]] = []
    triangles: list[NDArray[np.int64]] = []
    of: list[tuple[int, int, int]] = []
    for k, ident in enumerate(out.surfaces):
        progress(f"Mesh of {model.surfaces[ident].name or ident}", k / len(out.surfaces))
        s = model.surfaces[ident]
        try:
            faces = list(_faces(s, found[ident], wires.segments[ident], wires.points))
        except (KeyError, ValueError, ShapelyError):
            faces = []
        if not faces:
            out.failed[ident] = "no closed face is left between its lines"
            continue
        for rings, inner, dots in faces:
            loops = [_along(ring, steps, vertex) for ring in rings]
            pieces = [p for pair in inner for p in _pieces(pair, steps)]
            alone = [int(vertex[d]) for d in dots]
            used = sorted({n for r in loops for n in r} | {n for p in pieces for n in p} | set(alone))
            turned = facing(s, s.flat(points[loops[0]]), s.flat(points[used]), middle)
            flat = turned.there(s.flat(points[used]))
            # numbered by place, not by the order of the file, so that like floors of a building are filled
            # once
            place = rounded(flat)
            order = np.lexsort((place[:, 1], place[:, 0]))
            used, flat, place = [used[i] for i in order], flat[order], place[order]
            local = {n: i for i, n in enumerate(used)}
            if turned.mirrored:
                loops = [r[::-1] for r in loops]
            task = (
                tuple(_from_least([local[n] for n in r]) for r in loops),
                tuple(sorted((min(local[a], local[b]), max(local[a], local[b])) for a, b in pieces)),
                tuple(sorted(local[n] for n in alone)),
            )
            key = (*task, round(sizes[ident], 6), place.tobytes())
            if key not in known:
                known[key] = fill(place, *task, round(sizes[ident], 6))
            done = known[key]
            extra = turned.back(done.points[len(used) :] - done.points[0] + flat[0])
            numbers = np.concatenate([np.array(used, np.int64), count + np.arange(len(extra))])
            every.append(s.lifted(extra))
            count += len(extra)
            way = -1 if turned.mirrored else 1
            quads.append(numbers[done.quads[:, ::way]])
            triangles.append(numbers[done.triangles[:, ::way]])
            of.append((k, len(done.quads), len(done.triangles)))
    out.points = np.vstack(every)
    if not of:
        return
    which, nq, nt = (np.array(v, np.int64) for v in zip(*of))
    out.quads, out.triangles = np.concatenate(quads), np.concatenate(triangles)
    out.quad_of, out.triangle_of = np.repeat(which, nq), np.repeat(which, nt)
    face = np.arange(len(of))
    out.quad_face, out.triangle_face = np.repeat(face, nq), np.repeat(face, nt)


def _faces(
    s: Surface, found: SurfaceLines, segments: NDArray[np.int64], points: Array
) -> Iterable[tuple[list[list[int]], list[tuple[int, int]], list[int]]]:
    """Faces between the segments of a surface: rings of vertices, the outer one against the clock, pieces of
    lines that end within, and single vertices."""
    from scipy.spatial import cKDTree

    if not len(segments):
        return
    flat = s.flat(points)
    used = np.unique(segments)
    name = {tuple(flat[v]): int(v) for v in used}
    lines = MultiLineString([flat[pair] for pair in segments])
    faces = [
        f
        for f in polygonize(lines.geoms)
        if f.area > TOUCH**2 and found.polygon.contains(f.representative_point())
    ]
    if not faces:
        return
    rings = []
    border: set[tuple[int, int]] = set()
    for f in faces:
        own = []
        for r, ring in enumerate((f.exterior, *f.interiors)):
            chain = [name[tuple(p)] for p in np.array(ring.coords)[:-1]]
            if ring.is_ccw == (r > 0):
                chain.reverse()
            own.append(chain)
            border |= {(min(a, b), max(a, b)) for a, b in zip(chain, [*chain[1:], chain[0]])}
        rings.append(own)
    tree = STRtree(faces)
    inner: list[list[tuple[int, int]]] = [[] for _ in faces]
    for a, b in segments.tolist():
        if (a, b) not in border:
            for k in tree.query(Point((flat[a] + flat[b]) / 2), predicate="within").tolist():
                inner[k].append((a, b))
    dots: list[list[int]] = [[] for _ in faces]
    far, near = cKDTree(points).query(np.array(found.dots).reshape(-1, 3)) if found.dots else ((), ())
    on_lines = set(used.tolist())
    for d, v in zip(far, near):
        if d <= TOUCH and int(v) not in on_lines:
            for k in tree.query(Point(flat[v]), predicate="within").tolist():
                if int(v) not in dots[k]:
                    dots[k].append(int(v))
    yield from zip(rings, inner, dots)


def _from_least(ring: list[int]) -> tuple[int, ...]:
    """A ring that starts at its least number, in the same sense."""
    k = ring.index(min(ring))
    return (*ring[k:], *ring[:k])


def _pieces(pair: tuple[int, int], steps: dict[tuple[int, int], list[int]]) -> list[tuple[int, int]]:
    chain = steps[pair]
    return list(zip(chain, chain[1:]))


def _along(ring: list[int], steps: dict[tuple[int, int], list[int]], vertex: NDArray[np.int64]) -> list[int]:
    out: list[int] = []
    for a, b in zip(ring, [*ring[1:], ring[0]]):
        chain = steps[a, b] if a < b else steps[b, a][::-1]
        assert chain[0] == vertex[a]
        out += chain[:-1]
    return out


def _take_hold(model: Model, out: Plates, found: dict[str, SurfaceLines], index: dict[str, int]) -> None:
    """Members along surfaces, ends on them, line supports, and joints whose lines are not one."""
    from scipy.spatial import cKDTree

    tracks: dict[str, dict[int, float]] = {}
    for ident in out.surfaces:
        nodes = out.nodes_of(ident)
        tree = cKDTree(out.points[nodes])
        f = found[ident]
        for member, piece in f.tracks:
            axis = model.line(model.members[member])
            x = (axis[1] - axis[0]) / np.linalg.norm(axis[1] - axis[0])
            own = tracks.setdefault(member, {})
            for n in nodes[on_line(tree, out.points[nodes], piece)].tolist():
                own.setdefault(n, float((out.points[n] - axis[0]) @ x))
        for name, place in f.ends:
            _, k = tree.query(place)
            n, node = int(nodes[k]), index[name]
            if n != node:
                out.ties.append(Tie(node, (n,), (1.0,)))
        for name, line in f.faces:
            own_nodes = nodes[on_line(tree, out.points[nodes], line)].tolist()
            _, k = tree.query(next(place for node, place in f.ends if node == name))
            out.ties += [Tie(n, (int(nodes[k]),), (1.0,)) for n in own_nodes if n != int(nodes[k])]
        for support in model.surfaces[ident].supports:
            on = nodes[on_line(tree, out.points[nodes], support.line)]
            if len(on):
                d = support.line[1] - support.line[0]
                on = on[np.argsort((out.points[on] - support.line[0]) @ d)]
                out.held.append(HeldEdge(ident, support.support, on, _tributary(out.points[on])))
    out.tracks = {m: sorted((x, n) for n, x in own.items()) for m, own in tracks.items() if own}
    tie_surfaces(model, out)


def _tributary(points: Array) -> Array:
    """Length of line (k,) that each of the points along it stands for."""
    if len(points) < 2:
        return np.zeros(len(points))
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    out = np.zeros(len(points))
    out[:-1] += step / 2
    out[1:] += step / 2
    return out
