"""Supports of lines, set by hand: supports along edges of slabs and walls, and the ground along members."""

from __future__ import annotations

from dataclasses import dataclass, field
from math import inf
from typing import Any

import numpy as np

from ..entities.model import Model
from ..entities.structure import BED_SIDEWAYS, Joint, Member, Support, along_axes
from ..entities.surface import LineSupport, Surface
from ..geometry.vectors import Array
from ..roles import Role
from .base import Edit, EditError, counted

ON_EDGE = 0.03  # m; a line this near to an edge runs along it
LEAST = 0.01  # m; a shorter edge holds nothing
LEVEL = 0.05  # rise over length up to which a member lies on the ground
NEAREST = 0.02  # m; springs along a member are no nearer to each other


@dataclass
class SetEdgeSupport(Edit):
    """Hold edges of surfaces along lines, or free what holds them there. `edges`: of each the "surface" and
    its "line" of two points (m); a spring of the support is one a metre of edge."""

    words = "held edges"
    roles = {"edges": Role.EDGES, "support": Role.SUPPORT}

    edges: list[dict[str, Any]]
    support: Support = field(default_factory=Support)

    def __post_init__(self) -> None:
        self.text = f"{'Support' if self.support.any else 'Free'} {counted(self.edges, 'edge')}"

    def change(self, model: Model) -> str:
        length = 0.0
        for edge in self.edges:
            surface = self.surface(model, str(edge["surface"]))
            line = np.array(edge["line"], float)
            if line.shape != (2, 3) or np.linalg.norm(line[1] - line[0]) < LEAST:
                raise EditError(f"a line on {surface.name or surface.id} needs two points that are apart")
            if min((edge_distance(line, own) for own in edges_of(surface)), default=1.0) > ON_EDGE:
                raise EditError(f"{surface.name or surface.id} has no edge along that line")
            surface.supports = [s for s in surface.supports if not _shares(s.line, line)]
            if self.support.any:
                surface.supports = [*surface.supports, LineSupport(line, self.support)]
            length += float(np.linalg.norm(line[1] - line[0]))
        return f"{counted(self.edges, 'edge')}, {length:.2f} m: {self.support.words or 'free'}"


@dataclass
class SetMemberBed(Edit):
    """Lay members on the ground, `modulus` N/m3 (0: on nothing) over a `width` of contact (m; 0: that of
    their sections).

    The ground is springs at nodes of its own along the member, each in the middle of its length: upwards, a
    tenth of it sideways, and against turning about the member. They are as near to each other as the ground's
    stiffness against the member's asks for, so that bending moments are within a per cent of continuous
    ground."""

    words = "ground under members"
    roles = {"members": Role.PARTS, "modulus": Role.PLAIN, "width": Role.PLAIN}

    members: list[str]
    modulus: float
    width: float = 0.0

    def __post_init__(self) -> None:
        self.text = f"Bed {counted(self.members, 'member')}"

    def change(self, model: Model) -> str:
        springs = 0
        for ident in self.members:
            m = self.member(model, ident)
            line = model.line(m)
            way = line[1] - line[0]
            length = model.length(m)
            if abs(way[2]) > LEVEL * length:
                raise EditError(
                    f"{m.cls} {m.name or m.id} is not level; only a level member lies on the ground"
                )
            self._take_off(model, m)
            if self.modulus > 0:
                springs += self._lay(model, m, line, length)
        if not self.modulus:
            return f"{counted(self.members, 'member')} lie on nothing"
        return (
            f"{counted(self.members, 'member')} on ground of {self.modulus / 1e6:g} MN/m3, {springs} springs"
        )

    def _lay(self, model: Model, m: Member, line: Array, length: float) -> int:
        section, material = model.sections.get(m.section), model.materials.get(m.material)
        if section is None or material is None or not material.E or not section.usable:
            raise EditError(
                f"{m.cls} {m.name or m.id} has no section or no stiffness, so that no ground can be put under it"
            )
        axes = m.axes(line)
        upright = abs(axes[2, 2]) > abs(axes[1, 2])
        b = self.width or (section.width if upright else section.depth)
        stiffness = material.E * (section.iy if upright else section.iz)
        # a quarter of the characteristic length (4 EI / k)^(1/4) of a beam on elastic ground (Hetenyi)
        step = 0.25 * (4 * stiffness / (self.modulus * b)) ** 0.25
        count = max(8, int(np.ceil(length / max(step, NEAREST))))
        taken = np.array([0.0, length, *(j.distance for j in m.joints)])
        k = self.modulus * b * length / count
        own = (BED_SIDEWAYS * k, BED_SIDEWAYS * k, k, k * b**2 / 12, 0.0, 0.0)
        unit = (line[1] - line[0]) / length
        plan = np.array([(unit[0], unit[1], 0), (-unit[1], unit[0], 0), (0, 0, 1)]) / np.hypot(
            unit[0], unit[1]
        )
        plan[2] = (0, 0, 1)
        level = along_axes(own, plan, np.eye(3))
        rows = tuple(tuple(float(v) for v in row) for row in plan)
        support = Support(level) if level is not None else Support(own, rows)  # type: ignore[arg-type]
        for x in (np.arange(count) + 0.5) * length / count:
            if np.abs(taken - x).min() < NEAREST:
                x += 2 * NEAREST
            node = self.new_node(model, line[0] + unit * x)
            model.nodes[node].support = support
            m.joints.append(Joint(float(x), node))
        m.joints.sort(key=lambda j: j.distance)
        return count

    def _take_off(self, model: Model, m: Member) -> None:
        """Take off the nodes that ground of an earlier time made."""
        at = model.members_at()
        tied = {j.node for s in model.surfaces.values() for j in s.joints if j.node}
        loaded = {load.node for c in model.cases.values() for load in c.node_loads}

        def made(node: str) -> bool:
            k = model.nodes[node].support.stiffness
            springs = 0 < k[2] < inf and np.allclose(k[:2], BED_SIDEWAYS * k[2])
            return springs and at[node] == [m.id] and node not in tied | loaded

        bare = {j.node for j in m.joints if made(j.node)}
        m.joints = [j for j in m.joints if j.node not in bare]
        for node in bare:
            del model.nodes[node]


def edges_of(s: Surface) -> list[Array]:
    """Straight edges (2, 3) of a surface's outline and openings."""
    out = []
    for ring in (s.outer, *s.openings):
        out += [
            np.array([a, b])
            for a, b in zip(ring, np.roll(ring, -1, axis=0))
            if float(np.linalg.norm(b - a)) >= LEAST
        ]
    return out


def edge_distance(line: Array, edge: Array) -> float:
    """How far the ends of a line (2, 3) lie from an edge (2, 3) at most, m."""
    return max(_off(p, edge) for p in line)


def onto_edge(line: Array, edge: Array) -> Array:
    """A line (2, 3) brought to an edge (2, 3), between its ends."""
    along = edge[1] - edge[0]
    t = np.clip((line - edge[0]) @ along / (along @ along), 0, 1)
    return np.asarray(edge[0] + t[:, None] * along)


def _off(point: Array, line: Array) -> float:
    """Distance of a point from a line between its ends, m."""
    return float(np.linalg.norm(point - onto_edge(point[None], line)[0]))


def _shares(a: Array, b: Array) -> bool:
    """Return whether two lines run along each other for more than their ends: the middle of one lies on the
    other, which it is parallel to."""
    u, v = a[1] - a[0], b[1] - b[0]
    askew = np.linalg.norm(np.cross(u, v)) > 0.02 * np.linalg.norm(u) * np.linalg.norm(v)
    return not askew and min(_off(a.mean(axis=0), b), _off(b.mean(axis=0), a)) <= ON_EDGE
