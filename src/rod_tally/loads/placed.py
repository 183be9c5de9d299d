"""Loads placed in space: onto the member they lie along, the wall they stand on, or the slab they lie in.

A line exactly on the joint of two storeys' walls goes to the wall below, and says so; `SpaceLoad.to` chooses
another."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from shapely.affinity import translate
from shapely.geometry import LineString, Point

from ..model import Model, SpaceLoad, Surface
from ..model.entities.model import Member
from ..model.geometry.vectors import Array, closest_on_segment
from .arrival import Collector, HeldLoad, Share
from .floors.cells import cells
from .floors.clip import halves_of
from .floors.edge_rows import EdgeRows
from .floors.floor import REACH, Floor
from .floors.panel import Panel
from .floors.rows import put_rows
from .floors.spread import balanced

NODE_REACH = 0.05  # m; a point load this near to a node acts on it
EDGE = 1e-6  # m; what lies this near to an edge lies on it
BESIDE = 1e-7  # m; within it, and more than rounding
PAST = "it lies past the edge or above an opening"
NOTHING_THERE = "no member, wall or slab lies there"


def put_in_space(model: Model, floor: Callable[[str], Floor], load: SpaceLoad, into: Collector) -> None:
    """One load placed in space, onto what it meets first: a node, a member, a wall, a slab; else it is
    lost."""
    line, point = load.line, len(load.line) == 1
    qa = np.array(load.qa)
    qb = qa if point else np.array(load.qb)
    size = 0.0 if point else float(np.linalg.norm(line[1] - line[0]))
    force = qa if point else (qa + qb) / 2 * size
    share = into.share(Share("point" if point else "line", load.to, load.source, load.by, load.name, force))
    entry = into.arrival.shares[share]
    chosen = model.part(load.to) if load.to else None
    if load.to and chosen is None:
        into.lose(share, force, line, "what it is to act on is not in the model")
        return
    if isinstance(chosen, Surface):
        entry.taker = chosen.id
        _on_surface(floor, chosen, line, qa, qb, into, share)
        return
    if chosen is None and point:
        ids = list(model.nodes)
        off = np.linalg.norm(
            np.array([n.point for n in model.nodes.values()]).reshape(-1, 3) - line[0], axis=1
        )
        if len(ids) and off.min() <= NODE_REACH:
            entry.taker = ids[int(off.argmin())]
            into.on_node(entry.taker, force, share)
            return
    member = chosen if chosen is not None else _member_along(model, line)
    if member is not None:
        entry.taker = member.id
        _on_member(model, member, line, qa, qb, into, share)
        return
    walls = _walls_under(model, line)
    if walls:
        entry.taker = walls[0].id
        entry.others = tuple(w.id for w in walls[1:])
        _on_surface(floor, walls[0], line, qa, qb, into, share)
        return
    slab = _slab_at(model, line)
    if slab is not None:
        entry.taker = slab.id
        _on_surface(floor, slab, line, qa, qb, into, share)
        return
    if not point and _on_members_in_line(model, line, qa, qb, into, share):
        return
    into.lose(share, force, line, NOTHING_THERE)


def _on_members_in_line(model: Model, line: Array, qa: Array, qb: Array, into: Collector, share: int) -> bool:
    """A line over several members one after the other: each takes its piece; pieces over none are lost.
    False: over none."""
    size = float(np.linalg.norm(line[1] - line[0]))
    if size < 1e-6:
        return False
    u = (line[1] - line[0]) / size
    pieces = []
    members = list(model.members.values())
    for member, axis in zip(members, model.lines_of(members)):
        t = (axis - line[0]) @ u
        off = np.linalg.norm(axis - line[0] - np.outer(t, u), axis=1)
        low, high = max(float(t.min()), 0.0), min(float(t.max()), size)
        if high - low <= 1e-6 or off.max() > REACH:
            continue
        pieces.append((low, high, member))
    if not pieces:
        return False

    def at(x: float) -> Array:
        return np.asarray(qa + (qb - qa) * x / size)

    taken = 0.0
    rest: list[tuple[float, float]] = []
    # where members lie on each other the longer one takes it, whatever the order of the file
    for low, high, member in sorted(pieces, key=lambda p: (p[0], -p[1], p[2].id)):
        low = max(low, taken)
        if low - taken > 1e-6:
            rest.append((taken, low))
        if high - low > 1e-6:
            into.arrival.shares[share].taker = into.arrival.shares[share].taker or member.id
            _on_member(model, member, line[0] + np.outer([low, high], u), at(low), at(high), into, share)
            taken = high
    if size - taken > 1e-6:
        rest.append((taken, size))
    for low, high in rest:
        force = (at(low) + at(high)) / 2 * (high - low)
        into.lose(share, force, line[0] + np.outer([low, high], u), NOTHING_THERE)
    return True


def _member_along(model: Model, line: Array) -> Member | None:
    """The member that a line lies along (a point lies on) within reach; the nearest of several."""
    members = list(model.members.values())
    lines = model.lines_of(members)
    long = np.flatnonzero(np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1) > 1e-9)
    if not len(long):
        return None
    members, lines = [members[k] for k in long], lines[long]
    far = np.zeros(len(members))
    for p in line:
        _, off = closest_on_segment(np.tile(p, (len(lines), 1)), lines[:, 0], lines[:, 1])
        far = np.maximum(far, off)
    k = int(far.argmin())
    return members[k] if far[k] <= REACH else None


def _walls_under(model: Model, line: Array) -> list[Surface]:
    """Walls in whose plane a place lies, the lowest first."""
    out = []
    for s in model.surfaces.values():
        if not s.upright or np.abs(s.height(line)).max() > REACH:
            continue
        flat = s.flat(line)
        shape = LineString(flat) if len(flat) == 2 else Point(flat[0])
        grown = s.polygon.buffer(REACH)
        inside = (
            grown.intersection(shape).length / max(shape.length, 1e-9)
            if len(flat) == 2
            else grown.contains(shape)
        )
        if inside > 0.5:
            out.append(s)
    return sorted(out, key=lambda s: float(s.centroid[2]))


def _slab_at(model: Model, line: Array) -> Surface | None:
    """The slab in whose thickness a place lies, or just above it."""
    best: tuple[float, Surface | None] = (np.inf, None)
    for s in model.surfaces.values():
        if s.upright:
            continue
        off = float(np.abs(s.height(line)).max())
        if off > REACH + s.thickness / 2 or off >= best[0]:
            continue
        flat = s.flat(line)
        shape = LineString(flat) if len(flat) == 2 else Point(flat[0])
        if s.polygon.distance(shape) <= 1e-6:
            best = (off, s)
    return best[1]


def _on_member(
    model: Model, member: Member, line: Array, qa: Array, qb: Array, into: Collector, share: int
) -> None:
    axis = model.line(member)
    length = float(np.linalg.norm(axis[1] - axis[0]))
    t = (axis[1] - axis[0]) / length
    at = np.clip((line - axis[0]) @ t, 0.0, length)
    if len(line) == 1 or abs(at[1] - at[0]) < 1e-6:
        size = 1.0 if len(line) == 1 else float(np.linalg.norm(line[1] - line[0]))
        force = qa if len(line) == 1 else (qa + qb) / 2 * size
        middle = at.mean()[None]
        into.on_member(member.id, middle, middle, force[None], force[None], share)
        return
    ratio = float(np.linalg.norm(line[1] - line[0])) / abs(at[1] - at[0])
    if at[0] > at[1]:
        at, qa, qb = at[::-1], qb, qa
    into.on_member(member.id, at[:1], at[1:], qa[None] * ratio, qb[None] * ratio, share)


def _on_surface(
    floor: Callable[[str], Floor],
    surface: Surface,
    line: Array,
    qa: Array,
    qb: Array,
    into: Collector,
    share: int,
) -> None:
    if surface.keeps_loads:
        _on_shell(surface, line, qa, qb, into, share)
        return
    f = floor(surface.id)
    flat = f.flat(line)
    arrived = np.zeros(3)
    if len(flat) == 1:
        for k in f.tree.query(Point(flat[0]), predicate="intersects").tolist():
            if not arrived.any():
                arrived += _in_panel(f, f.panels[k], [(0.0, flat[0], qa)], None, into, share)
    elif (size := float(np.linalg.norm(flat[1] - flat[0]))) > 0:
        d = flat[1] - flat[0]
        for k, piece in _pieces(f, LineString(flat)):
            panel = f.panels[k]
            x = np.sort((np.array(piece.coords)[[0, -1]] - flat[0]) @ d / size**2)
            on_border = panel.polygon.boundary.distance(piece.interpolate(0.5, normalized=True)) < 1e-6
            if on_border and _taken_before(f, k, piece):
                continue
            a, b = qa + (qb - qa) * x[0], qa + (qb - qa) * x[1]
            ends = [(float(v), flat[0] + d * v, w) for v, w in ((x[0], a), (x[1], b))]
            arrived += _in_panel(f, panel, ends, piece, into, share)
    force = qa if len(flat) == 1 else (qa + qb) / 2 * float(np.linalg.norm(flat[1] - flat[0]))
    rest = force - arrived
    if np.abs(rest).max() > 1e-9 * max(float(np.abs(force).max()), 1e-9):
        into.lose(
            share,
            rest,
            line,
            f"{PAST}, or where nothing carries the slab",
        )


def _on_shell(surface: Surface, line: Array, qa: Array, qb: Array, into: Collector, share: int) -> None:
    """Put what of a line or a point lies on a surface that keeps its loads; the rest lies past its edge or
    above an opening and is lost."""
    flat = surface.flat(line)
    grown = surface.polygon.buffer(EDGE, join_style="mitre")
    if len(flat) == 1:
        if grown.intersects(Point(flat[0])):
            into.on_surface(HeldLoad(surface.id, line, qa, np.zeros(3), share))
        else:
            into.lose(share, qa, line, PAST)
        return
    d = flat[1] - flat[0]
    size = float(np.linalg.norm(d))
    shape = LineString(flat)
    inside, within = shape.intersection(grown), surface.polygon
    if size <= 0 or inside.length > size - 2 * EDGE:
        into.on_surface(HeldLoad(surface.id, line, qa, qb, share))
        return
    exact = shape.intersection(within)
    if exact.length > inside.length - 10 * EDGE:
        inside = exact
    else:
        within = grown  # it runs along an edge

    def at(x: float) -> Array:
        return np.asarray(qa + (qb - qa) * x)

    for piece in _lines(inside):
        x = np.sort((np.array(piece.coords)[[0, -1]] - flat[0]) @ d / size**2)
        ends = line[0] + np.outer(x, line[1] - line[0])
        into.on_surface(HeldLoad(surface.id, ends, at(x[0]), at(x[1]), share))
    for piece in _lines(shape.difference(within)):
        x = np.sort((np.array(piece.coords)[[0, -1]] - flat[0]) @ d / size**2)
        ends = line[0] + np.outer(x, line[1] - line[0])
        into.lose(share, (at(x[0]) + at(x[1])) / 2 * float(np.linalg.norm(ends[1] - ends[0])), ends, PAST)


def _pieces(f: Floor, line: LineString) -> list[tuple[int, LineString]]:
    """The pieces of a line on panels, with the panels' numbers. One that runs along an edge of the slab, which
    rounding may have put on the other side of it, is taken a hair beside itself."""
    own = _met(f, line)
    if sum(x.length for _, x in own) > line.length - BESIDE:
        return own
    (x0, y0), (x1, y1) = line.coords
    across = np.array([y0 - y1, x1 - x0]) / line.length * BESIDE
    ways = [own, *(_met(f, translate(line, *(side * across))) for side in (1.0, -1.0))]
    return max(ways, key=lambda w: round(sum(x.length for _, x in w) / BESIDE))


def _met(f: Floor, line: LineString) -> list[tuple[int, LineString]]:
    hit = f.tree.query(line, predicate="intersects").tolist()
    return [(k, x) for k in hit for x in _lines(f.panels[k].polygon.intersection(line))]


def _taken_before(f: Floor, k: int, piece: LineString) -> bool:
    """Return whether an earlier panel has the same border piece."""
    middle = piece.interpolate(0.5, normalized=True)
    others = f.tree.query(middle, predicate="dwithin", distance=1e-6)
    return bool((others < k).any())


def _lines(shape: object) -> list[LineString]:
    parts = getattr(shape, "geoms", [shape])
    return [p for p in parts if isinstance(p, LineString) and p.length > 1e-9]


def _in_panel(
    f: Floor,
    panel: Panel,
    ends: list[tuple[float, Array, Array]],
    piece: LineString | None,
    into: Collector,
    share: int,
) -> Array:
    """A point (one end) or a piece of a line within one panel onto its edges; returns the force that
    arrived."""
    if panel.empty:
        return np.zeros(3)
    parts: list[EdgeRows] = []
    wanted = np.zeros((3, 3))
    if piece is None:
        _, p, q = ends[0]
        wanted[0], wanted[1:] = q, np.outer(p, q)
        owner = _owner(panel, p)
        parts.append(_row(panel, owner, p, p, q, q))
    else:
        (_, p0, q0), (_, p1, q1) = ends
        size = float(np.linalg.norm(p1 - p0))
        wanted[0] = (q0 + q1) / 2 * size
        wanted[1:] = (np.outer(p0, 2 * q0 + q1) + np.outer(p1, q0 + 2 * q1)) * size / 6
        for k, a, b in _cut_line(panel, p0, p1):
            qa, qb = q0 + (q1 - q0) * a, q0 + (q1 - q0) * b
            parts.append(_row(panel, k, p0 + (p1 - p0) * a, p0 + (p1 - p0) * b, qa, qb))
    rows = balanced(panel, EdgeRows.joined(parts), wanted)
    before = into.arrival.shares[share]
    had = before.on_members + before.on_surfaces
    put_rows(f, panel, rows, rows.qa, rows.qb, into, share)
    return np.asarray(before.on_members + before.on_surfaces - had)


def _owner(panel: Panel, p: Array) -> int:
    best, least = int(panel.carried[0]) if len(panel.carried) else len(panel.start), np.inf
    for k, corners in cells(panel):
        out = max(a * p[0] + b * p[1] - c for a, b, c in halves_of(corners))
        if out < least:
            best, least = k, out
    return best


def _cut_line(panel: Panel, p0: Array, p1: Array) -> list[tuple[int, float, float]]:
    """A line within a panel as pieces (owner, from, to) in shares of its length; together the whole line."""
    d = p1 - p0
    spans = []
    for k, corners in cells(panel):
        low, high = 0.0, 1.0
        for a, b, c in halves_of(corners):
            rate, rest = a * d[0] + b * d[1], c - a * p0[0] - b * p0[1]
            if abs(rate) < 1e-12:
                if rest < -1e-9:
                    high = -1.0
            elif rate > 0:
                high = min(high, rest / rate)
            else:
                low = max(low, rest / rate)
        if high - low > 1e-9:
            spans.append((low, high, k))
    spans.sort()
    out: list[tuple[int, float, float]] = []
    at = 0.0
    for _, high, k in spans:
        # a line along a yield line lies in two parts: the first one takes it
        if high > at + 1e-9:
            out.append((k, at, high))
            at = high
    if out and at < 1.0:
        k, low, _ = out[-1]
        out[-1] = (k, low, 1.0)
    return out


def _row(panel: Panel, k: int, a: Array, b: Array, qa: Array, qb: Array) -> EdgeRows:
    """A line from a to b (a point when they are one) brought square onto edge k, or onto a column."""
    start, along = panel.places
    size = float(np.linalg.norm(b - a))
    force = qa if size == 0 else (qa + qb) / 2 * size
    if k >= len(panel.start):
        return EdgeRows(np.array([k]), np.zeros(1), np.zeros(1), force[None], force[None])
    length = float(panel.length[k])
    x0, x1 = (float(np.clip((p - start[k]) @ along[k], 0, length)) for p in (a, b))
    if abs(x1 - x0) < 1e-6:
        x = np.array([(x0 + x1) / 2])
        return EdgeRows(np.array([k]), x, x.copy(), force[None], force[None])
    ratio = size / abs(x1 - x0)
    if x1 < x0:
        x0, x1, qa, qb = x1, x0, qb, qa
    return EdgeRows(np.array([k]), np.array([x0]), np.array([x1]), qa[None] * ratio, qb[None] * ratio)
