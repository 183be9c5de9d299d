"""The overlays that ship: each draws one thing over the model and says in its legend what is seen.

Registered as a plug-in's are, through the entry point group `rod_tally.overlays`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache, cached_property
from importlib.metadata import entry_points
from typing import TYPE_CHECKING

import numpy as np

from ...model import Model, Surface
from ...model.geometry.triangles import surface_triangles
from ...model.geometry.vectors import Array, local_axes, ring_sides
from ...review import Review
from ..quantities import UnitSet
from ..session.state import DeskState
from ..theme import EDGE, GRAPHITE, INK, PALE

if TYPE_CHECKING:
    from ..view.canvas import Canvas  # loads the 3D library, which the window's start does not wait for

CLASS_WIDTH = {"column": 3.2, "beam": 2.0, "brace": 1.4}


class Sizes:
    """The sizes to which a view draws its quantities: its own largest value, and what was used after a look
    at the other view."""

    def __init__(self) -> None:
        self.own: dict[object, float] = {}
        self.used: dict[object, float] = {}

    def begin(self) -> None:
        self.own, self.used = {}, {}

    def largest(self, key: object, own: float, beside: Sizes | None) -> float:
        self.own[key] = own
        self.used[key] = max(own, beside.own.get(key, 0.0)) if beside is not None else own
        return self.used[key]

    def holds(self, beside: Sizes) -> bool:
        """Return whether what was drawn is still to the scale of both views."""
        return all(
            abs(v - max(self.own[k], beside.own.get(k, 0.0))) <= 1e-12 * v for k, v in self.used.items()
        )


@dataclass
class Scene:
    """The input of an overlay: the review, the members that are shown with their lines, the window's state,
    and from where the building is looked at (3d, plan, south, east). `sizes` are what it is drawn to,
    `beside` those of the other revision's view where there is one."""

    review: Review
    state: DeskState
    ids: list[str]
    lines: Array
    units: UnitSet
    direction: str = "3d"
    sizes: Sizes = field(default_factory=lambda: Sizes())
    beside: Sizes | None = None

    def largest(self, of: str, own: float) -> float:
        """The largest value that is drawn, in the other revision's view too where one stands beside: both are
        drawn to one scale."""
        s = self.state
        key = (of, s.component, s.plate, s.stress, s.cut, s.plate_over, s.mode, s.wall, s.envelope_of)
        return self.sizes.largest(key, own, self.beside)

    @property
    def model(self) -> Model:
        return self.review.model

    @cached_property
    def axes(self) -> Array:
        """Local axes (n, 3, 3) of the shown members, rows x y z."""
        if not self.ids:
            return np.zeros((0, 3, 3))
        z = np.array([self.model.members[i].z_axis for i in self.ids])
        return local_axes(self.lines[:, 1] - self.lines[:, 0], z).reshape(-1, 3, 3)

    @property
    def size(self) -> float:
        """A length that stands for the building's, m."""
        points = self.points
        return self.largest("building", float(np.linalg.norm(np.ptp(points, axis=0))) if len(points) else 1.0)

    @property
    def points(self) -> Array:
        """Ends of the shown members and corners of the shown surfaces (n, 3)."""
        corners = [s.outer for s in self.surfaces]
        if not len(self.lines) and not corners and not self.model.members and not self.model.surfaces:
            return self.bare
        return np.concatenate([self.lines.reshape(-1, 3), *corners])

    @property
    def bare(self) -> Array:
        """Ends of grid lines on the levels (n, 3): what there is of a model that has no parts yet."""
        flat = [g.points for g in self.model.grids]
        heights = [s.elevation for s in self.model.storeys] or [0.0]
        return np.array([(*p, z) for points in flat for p in points for z in heights]).reshape(-1, 3)

    @property
    def surfaces(self) -> list[Surface]:
        """Surfaces that are shown: those of the shown storeys, or those that are isolated."""
        # between the choice of another revision and its drawing the state is ahead of what is drawn
        known = self.model.surfaces
        return [known[i] for i in self.state.shown_surfaces() if i in known]

    @property
    def why_old(self) -> str:
        """Why no results can be drawn; "" where they can."""
        return self.state.revision.review.why_old if self.state.revision is not None else ""

    def nodes(self) -> list[str]:
        """Nodes of the shown members."""
        seen: dict[str, None] = {}
        for i in self.ids:
            m = self.model.members[i]
            for n in (m.start, *(j.node for j in m.joints), m.end):
                seen[n] = None
        return list(seen)


Draw = Callable[["Canvas", Scene], list[str]]


@dataclass(frozen=True, slots=True)
class Overlay:
    """`draw` returns the legend's entries. `base`: how members are drawn under it: graphite, pale, or
    none."""

    name: str
    title: str
    draw: Draw
    base: str = "graphite"


_REGISTRY: dict[str, Overlay] = {}


def overlay(name: str, title: str, base: str = "graphite") -> Callable[[Draw], Draw]:
    """Register a function as the overlay of that name."""

    def register(function: Draw) -> Draw:
        _REGISTRY[name] = Overlay(name, title, function, base)
        return function

    return register


@cache
def _load() -> None:
    for entry in sorted(entry_points(group="rod_tally.overlays"), key=lambda e: e.name):
        entry.load()


def overlays() -> dict[str, Overlay]:
    """All overlays by name: those of the model first, in the order they were registered."""
    _load()
    return dict(_REGISTRY)


def draw_bare(canvas: Canvas, scene: Scene) -> None:
    """Grid lines on each level, of a model that has no parts yet."""
    if scene.model.members or scene.model.surfaces or not scene.model.grids:
        return
    lowest = min((s.elevation for s in scene.model.storeys), default=0.0)
    for z in [s.elevation for s in scene.model.storeys] or [0.0]:
        lines = [
            np.column_stack([g.points, np.full(len(g.points), z)])[[k, k + 1]]
            for g in scene.model.grids
            for k in range(len(g.points) - 1)
        ]
        canvas.dashes(np.array(lines), scene.size / 60, GRAPHITE if z == lowest else PALE, 1.2, (4, 1, 1, 1))
    starts = np.array([(*g.points[0], lowest) for g in scene.model.grids])
    canvas.labels(starts, [g.name for g in scene.model.grids], INK, 12)


def draw_members(canvas: Canvas, scene: Scene, pale: bool) -> None:
    """Members as lines, columns heavier than beams, braces dashed."""
    classes = np.array([scene.model.members[i].cls for i in scene.ids])
    for cls, width in CLASS_WIDTH.items():
        lines = scene.lines[classes == cls]
        colour = PALE if pale else GRAPHITE if cls != "column" else INK
        if cls == "brace" and not pale and len(lines) < 3000:
            canvas.dashes(lines, scene.size / 120, colour, width, (2, 1))
        else:
            canvas.lines(lines, colour, width if not pale else 1.2)


def draw_surfaces(canvas: Canvas, scene: Scene) -> None:
    """Slabs and walls as pale panes with their edges, openings left open."""
    cut = [surface_triangles(s) for s in scene.surfaces]
    canvas.left_out += [f"{s.cls} {s.name or s.id}" for s, t in zip(scene.surfaces, cut) if not len(t)]
    if cut:
        points = np.concatenate(cut).reshape(-1, 3)
        canvas.faces(points, np.arange(len(points)).reshape(-1, 3), EDGE, 0.13)
        canvas.lines(
            np.concatenate([ring_sides(r) for s in scene.surfaces for r in (s.outer, *s.openings)]), PALE, 1.0
        )
