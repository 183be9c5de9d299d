"""Supports of a physical source, which brings none: at what stands on a footing or on the lowest storey."""

from __future__ import annotations

import numpy as np
from shapely.geometry import MultiPoint, Point, Polygon

from ...intake.readers import Progress
from ...intake.source import SourceFooting, SourceModel
from ...loads.floors.floor import stands_below
from ...model import FIXED, PINNED, ROLLER, LineSupport, LogEntry, Member, Model, Support, Surface
from ...model.geometry.proximity import Rods, near_boxes
from ...model.geometry.vectors import Array, Bodies, clear_distance
from ...model.settings import TransferSettings

RAFTS = ("BASESLAB", "RAFT")


def base_support(settings: TransferSettings) -> Support:
    """Return what the settings say a column base is held by."""
    if settings.base_support == "spring":
        return Support(tuple(settings.supports.springs))
    return {"fixed": FIXED, "pinned": PINNED, "roller": ROLLER}[settings.base_support]


def support_bases(
    source: SourceModel, model: Model, rods: Rods, members: list[Member], settings: TransferSettings
) -> None:
    """Give a support to the node of every column's lower end on the lowest storey, and of every column's and
    brace's lower end on a footing; each is an entry of the log."""
    support = base_support(settings)
    lower = (rods.lines[:, 1, 2] < rods.lines[:, 0, 2]).astype(int)
    on: dict[int, str] = {}
    if source.footings:
        blocks = _blocks(source.footings, model.origin)
        ends = rods.end_bodies()
        which = np.array([2 * m + lower[m] for m in range(len(members)) if members[m].cls != "beam"], np.intp)
        bodies = ends.take(which)
        i, j = near_boxes(bodies.boxes(), blocks.boxes(), settings.snap)
        clear, _, _ = clear_distance(bodies.take(i), blocks.take(j))
        for hit in np.flatnonzero(clear <= settings.snap):
            footing = source.footings[int(j[hit])]
            on[int(which[i[hit]]) // 2] = f"{footing.kind or 'footing'} {footing.name or footing.id}"
    level = lowest_level(model, members, rods)
    bedded = {j.node for s in model.surfaces.values() if s.on_ground for j in s.joints if j.node}
    for k, m in enumerate(members):
        base = rods.lines[k, lower[k], 2]
        foot = m.end if lower[k] else m.start
        # what stands on a slab hands its force to the slab, which the ground holds
        if m.cls == "column" and k not in on and base <= level + settings.search and foot not in bedded:
            on[k] = "the lowest storey"
    for k, what in sorted(on.items(), key=lambda item: members[item[0]].id):
        m = members[k]
        node = model.nodes[m.end if lower[k] else m.start]
        node.support = support
        x, y, z = (float(v) for v in node.point)
        message = f"{m.cls} {m.name or m.id} stands on {what}: its base is {settings.base_support}"
        model.log.append(LogEntry("supported", (m.id,), message, at=(x, y, z)))


def _blocks(footings: list[SourceFooting], origin: Array) -> Bodies:
    """Footings as boxes that lie as they do in plan."""
    centre, axes, half = [], [], []
    for f in footings:
        corners = np.array(MultiPoint(f.outline).minimum_rotated_rectangle.exterior.coords)[:4]
        sides = corners[1] - corners[0], corners[2] - corners[1]
        sizes = [float(np.linalg.norm(s)) for s in sides]
        x = sides[0] / sizes[0]
        middle = corners.mean(axis=0)
        centre.append([middle[0], middle[1], (f.lower[2] + f.upper[2]) / 2] - origin)
        axes.append([[x[0], x[1], 0.0], [-x[1], x[0], 0.0], [0.0, 0.0, 1.0]])
        half.append([sizes[0] / 2, sizes[1] / 2, (f.upper[2] - f.lower[2]) / 2])
    return Bodies(np.array(centre), np.array(axes), np.array(half), np.zeros(len(footings), bool))


def lay_on_ground(source: SourceModel, model: Model, settings: TransferSettings) -> None:
    """Ground under the slabs that the file calls base slabs, and under those that are the base of what
    stands on them: nothing carries them from below, and nothing of the model lies lower."""
    modulus = settings.supports.subgrade
    if modulus <= 0:
        return
    named = {s.id for s in source.surfaces if s.kind in RAFTS}
    named |= {s.whole for s in source.surfaces if s.whole and s.kind in RAFTS}
    lows = [float(s.outer[:, 2].min()) for s in model.surfaces.values()]
    lows += [float(model.line(m)[:, 2].min()) for m in model.members.values()]
    ground = min(lows, default=0.0)
    for surface in model.surfaces.values():
        if surface.upright:
            continue
        why = ""
        if surface.whole in named or surface.id in named:
            why = "is a raft"
        elif float(surface.outer[:, 2].max()) <= ground + settings.search and _is_base(surface, model):
            why = "is the base of what stands on it, and nothing carries it from below"
        if why:
            surface.bedding = modulus
            message = (
                f"{surface.cls} {surface.name or surface.id} {why}: bedded on {modulus / 1e6:g} MN/m3, "
                "the modulus of the settings"
            )
            model.log.append(LogEntry("supported", (surface.id,), message))


def _is_base(slab: Surface, model: Model) -> bool:
    """Return whether walls or columns stand on a slab, and no wall, column or beam carries it."""
    stands = False
    for j in slab.joints:
        wall, m = model.surfaces.get(j.other), model.members.get(j.other)
        if wall is not None and wall.upright:
            if stands_below(wall.outer, j.line):
                return False
            stands = True
        elif m is not None and j.kind == "member":
            return False
        elif m is not None and m.cls == "column":
            if stands_below(model.line(m), j.line):
                return False
            stands = True
    return stands


def lowest_level(model: Model, members: list[Member], rods: Rods) -> float:
    """Elevation (local) of the lowest storey that holds columns, walls or a slab on the ground; without
    storeys, of the lowest column base."""
    used = {m.storey for m in members if m.cls == "column"} or {m.storey for m in members}
    used |= {s.storey for s in model.surfaces.values() if s.upright or s.on_ground}
    levels = [s.elevation for s in model.storeys if s.name in used]
    if levels:
        return min(levels)
    columns = [k for k, m in enumerate(members) if m.cls == "column"] or list(range(len(members)))
    return float(rods.lines[columns][:, :, 2].min())


def support_walls(source: SourceModel, model: Model, settings: TransferSettings, progress: Progress) -> None:
    """Line supports under the walls that stand on a footing or on the lowest level."""
    progress("Supports of walls", 0.9)
    level = _ground(model)
    if level is None:
        return
    support = {"fixed": FIXED, "pinned": PINNED}.get(settings.supports.walls)
    if support is None:
        return
    tops = [(f, f.lower - model.origin, f.upper - model.origin) for f in source.footings]
    for surface in model.surfaces.values():
        if not surface.upright or _stands_on(surface, model):
            continue
        for line in surface.bottom_edges():
            on = _footing_under(line, tops, settings.snap)
            if on is None and line[:, 2].min() > level + settings.search:
                continue
            surface.supports.append(LineSupport(line, support))
            where = on or "the lowest level"
            message = f"{surface.cls} {surface.name or surface.id} stands on {where}: its foot is {settings.supports.walls}"
            x, y, z = (float(v) for v in line.mean(axis=0))
            model.log.append(LogEntry("supported", (surface.id,), message, at=(x, y, z)))


def _ground(model: Model) -> float | None:
    """The lowest level (local): of the storeys that hold anything, else the lowest foot of a wall or
    column."""
    used = {m.storey for m in model.members.values()} | {
        s.storey for s in model.surfaces.values() if s.upright
    }
    levels = [s.elevation for s in model.storeys if s.name in used]
    if levels:
        return min(levels)
    feet = [float(s.outer[:, 2].min()) for s in model.surfaces.values()]
    feet += [float(model.line(m)[:, 2].min()) for m in model.members.values()]
    return min(feet, default=None)


def _stands_on(surface: Surface, model: Model) -> bool:
    """Return whether a wall stands on another surface at its foot: a slab, a raft, a wall below."""
    low = float(surface.outer[:, 2].min())
    for j in surface.joints:
        other = model.surfaces.get(j.other)
        if j.kind != "surface" or other is None or j.line[:, 2].max() > low + 0.3:
            continue
        if not other.upright or float(other.outer[:, 2].min()) < low - 0.3:
            return True
    return False


def _footing_under(
    line: Array, footings: list[tuple[SourceFooting, Array, Array]], snap: float
) -> str | None:
    low, high = line.min(axis=0), line.max(axis=0)
    middle = line.mean(axis=0)
    for f, lower, upper in footings:
        if not ((lower[:2] - snap <= middle[:2]).all() and (middle[:2] <= upper[:2] + snap).all()):
            continue
        shift = lower[:2] - f.lower[:2]
        inside = Polygon(f.outline + shift).distance(Point(middle[:2])) <= snap
        if inside and lower[2] - snap <= low[2] and high[2] <= upper[2] + snap + 0.05:
            return f"{f.kind or 'footing'} {f.name or f.id}"
    return None
