"""Column stacks, beam lines and frames: members that belong together, recognised and named as people call
them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np

from ..entities.model import Model
from ..entities.structure import Member
from .grids import ON_GRID, crossing, grid_distance
from .vectors import Array

STRAIGHT = 0.998  # cosine of about 3.5 degrees
UPRIGHT = 0.985  # sine of about 80 degrees


@dataclass(slots=True)
class Line:
    """`kind`: stack, beams, frame or wall; `members` are ids of members (and surfaces), from the bottom or
    start on."""

    kind: str
    name: str
    members: list[str] = field(default_factory=list)


def lines_of(model: Model) -> list[Line]:
    """All stacks, beam lines, wall stacks and frames of a model, in that order; each member is in one line at
    most of a kind, and a column by itself is a stack of one."""
    stacks = column_stacks(model)
    return [*stacks, *beam_lines(model), *wall_stacks(model), *frames(model, stacks)]


class _Sets:
    def __init__(self, items: Iterable[str]) -> None:
        self.parent = {i: i for i in items}

    def find(self, i: str) -> str:
        while self.parent[i] != i:
            self.parent[i] = self.parent[self.parent[i]]
            i = self.parent[i]
        return i

    def join(self, a: str, b: str) -> None:
        self.parent[self.find(b)] = self.find(a)

    def groups(self) -> list[list[str]]:
        out: dict[str, list[str]] = {}
        for i in self.parent:
            out.setdefault(self.find(i), []).append(i)
        return list(out.values())


def _directions(model: Model, wanted: list[Member]) -> Array:
    lines = model.lines_of(wanted)
    d = lines[:, 1] - lines[:, 0]
    return np.asarray(d / np.maximum(np.linalg.norm(d, axis=1), 1e-12)[:, None])


def _middles(model: Model, wanted: list[Member]) -> dict[str, Array]:
    return dict(zip((m.id for m in wanted), model.lines_of(wanted).mean(axis=1)))


def _ends_at(members: list[Member]) -> dict[str, list[int]]:
    at: dict[str, list[int]] = defaultdict(list)
    for k, m in enumerate(members):
        at[m.start].append(k)
        if m.end != m.start:
            at[m.end].append(k)
    return at


def column_stacks(model: Model) -> list[Line]:
    """Upright columns that stand on each other, named after the grid lines that cross there, else
    numbered."""
    columns = [m for m in model.members.values() if m.cls == "column"]
    if not columns:
        return []
    d = _directions(model, columns)
    sets = _Sets(m.id for m in columns)
    for at in _ends_at(columns).values():
        upright = [k for k in at if abs(d[k, 2]) > UPRIGHT]
        for a, b in zip(upright, upright[1:]):
            sets.join(columns[a].id, columns[b].id)
    found = []
    middle = _middles(model, columns)
    for group in sets.groups():
        group.sort(key=lambda i: (round(float(middle[i][2]), 4), i))
        foot = model.line(model.members[group[0]])
        found.append((foot[int(foot[1, 2] < foot[0, 2])], group))
    found.sort(key=lambda f: tuple(np.round(f[0][[1, 0, 2]], 3)))
    out, used = [], set()
    for k, (foot, group) in enumerate(found, 1):
        name = crossing(model, foot[:2]) or f"{k}"
        name = f"Stack {name}"
        while name in used:
            name += "'"
        used.add(name)
        out.append(Line("stack", name, group))
    return out


def beam_lines(model: Model) -> list[Line]:
    """Beams of two or more that run on from one to the next in one direction."""
    beams = [m for m in model.members.values() if m.cls == "beam"]
    if not beams:
        return []
    d = _directions(model, beams)
    sets = _Sets(m.id for m in beams)
    for node, at in _ends_at(beams).items():
        for a in at:
            for b in at:
                if a < b and abs(float(d[a] @ d[b])) > STRAIGHT:
                    # one arrives where the other leaves
                    out_a = d[a] if beams[a].start == node else -d[a]
                    out_b = d[b] if beams[b].start == node else -d[b]
                    if out_a @ out_b < 0:
                        sets.join(beams[a].id, beams[b].id)
    found = []
    index = {m.id: k for k, m in enumerate(beams)}
    middle = _middles(model, beams)
    for group in sets.groups():
        if len(group) < 2:
            continue
        way = d[index[group[0]]]
        lead = int(np.abs(way).argmax())
        way = way * np.sign(way[lead])
        group.sort(key=lambda i: (round(float(middle[i] @ way), 4), i))
        found.append((middle[group[0]], way, group))
    found.sort(key=lambda f: tuple(np.round(f[0][[2, 1, 0]], 3)))
    count: dict[str, int] = defaultdict(int)
    out = []
    for p, _, group in found:
        storey = model.members[group[0]].storey or model.storey_of(float(p[2]))
        on = [
            g.name
            for g in model.grids
            if all(_on(g.points, model.line(model.members[i])) for i in (group[0], group[-1]))
        ]
        count[storey] += 1
        label = f"grid {on[0]}" if on else f"line {count[storey]}"
        out.append(Line("beams", ", ".join(x for x in (storey, label) if x), group))
    return out


def _on(points: Array, line: Array) -> bool:
    return all(grid_distance(points, p[:2]) <= ON_GRID for p in line)


def wall_stacks(model: Model) -> list[Line]:
    """Walls of two or more that stand on each other in one plane."""
    walls = {s.id: s for s in model.surfaces.values() if s.upright}
    sets = _Sets(walls)
    normals = {i: s.plain_axes[2] for i, s in walls.items()}
    for s in walls.values():
        for j in s.joints:
            if (
                j.kind == "surface"
                and j.other in walls
                and abs(float(normals[s.id] @ normals[j.other])) > STRAIGHT
            ):
                rise = abs(float(j.line[1, 2] - j.line[0, 2]))
                if rise < 0.3 * float(np.linalg.norm(j.line[1] - j.line[0])):
                    sets.join(s.id, j.other)
    groups = [g for g in sets.groups() if len(g) > 1]
    for g in groups:
        g.sort(key=lambda i: (round(float(walls[i].outer[:, 2].min()), 4), i))
    groups.sort(key=lambda g: tuple(np.round(walls[g[0]].outer.mean(axis=0)[[1, 0, 2]], 3)))
    return [Line("wall", f"Wall {k}", g) for k, g in enumerate(groups, 1)]


def frames(model: Model, stacks: list[Line]) -> list[Line]:
    """Members and walls in the upright plane of a grid line; without grids, of every line of x or y that
    holds three stacks or more."""
    lines: list[tuple[str, Array]] = [
        (f"Frame {g.name}", g.points) for g in model.grids if len(g.points) == 2
    ]
    if not lines and stacks:
        feet = np.array([model.line(model.members[s.members[0]])[0, :2] for s in stacks])
        low, high = feet.min(axis=0) - 1.0, feet.max(axis=0) + 1.0
        for axis, name in ((0, "x"), (1, "y")):
            values = np.round(feet[:, axis] / 0.05) * 0.05
            for v in np.unique(values):
                if (values == v).sum() >= 3:
                    a, b = low.copy(), high.copy()
                    a[axis] = b[axis] = feet[values == v, axis].mean()
                    lines.append(
                        (f"Frame {name} = {float(v) + float(model.origin[axis]):.2f}", np.array([a, b]))
                    )
    if not lines:
        return []
    ids = list(model.members)
    own = model.lines()[:, :, :2]
    walls = [s for s in model.surfaces.values() if s.upright]
    out = []
    for name, points in lines:
        a, b = points[0], points[-1]
        u = (b - a) / max(float(np.linalg.norm(b - a)), 1e-12)
        normal = np.array([-u[1], u[0]])
        inside = (np.abs((own - a) @ normal) <= ON_GRID).all(axis=1) if len(ids) else np.zeros(0, bool)
        along = (own - a) @ u
        inside &= (along >= -ON_GRID).all(axis=1) & (along <= float(np.linalg.norm(b - a)) + ON_GRID).all(
            axis=1
        )
        members = [ids[k] for k in np.flatnonzero(inside)]
        for s in walls:
            if (np.abs((s.outer[:, :2] - a) @ normal) <= ON_GRID).all():
                members.append(s.id)
        if len(members) > 1:
            out.append(Line("frame", name, members))
    return out
