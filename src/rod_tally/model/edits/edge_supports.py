"""Line supports set by hand along edges of slabs and walls."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..entities.model import Model
from ..entities.structure import Support
from ..entities.surface import LineSupport, Surface
from ..geometry.vectors import Array
from .base import Edit, EditError, counted

ON_EDGE = 0.03  # m; a line this near to an edge runs along it
LEAST = 0.01  # m; a shorter edge holds nothing


@dataclass
class SetEdgeSupport(Edit):
    """Hold edges of surfaces along lines, or free what holds them there. `edges`: of each the "surface" and its "line" of two
    points (m); a spring of the support is one a metre of edge."""

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


def edges_of(s: Surface) -> list[Array]:
    """Straight edges (2, 3) of a surface's outline and openings."""
    out = []
    for ring in (s.outer, *s.openings):
        out += [
            np.array([a, b]) for a, b in zip(ring, np.roll(ring, -1, axis=0)) if float(np.linalg.norm(b - a)) >= LEAST
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
    """Whether two lines run along each other for more than their ends: the middle of one lies on the other, which it is
    parallel to."""
    u, v = a[1] - a[0], b[1] - b[0]
    askew = np.linalg.norm(np.cross(u, v)) > 0.02 * np.linalg.norm(u) * np.linalg.norm(v)
    return not askew and min(_off(a.mean(axis=0), b), _off(b.mean(axis=0), a)) <= ON_EDGE
