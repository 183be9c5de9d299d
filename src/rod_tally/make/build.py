"""From a recipe to a model: nodes, members, slabs, supports, releases and loads."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field
from typing import Any

import ifcopenshell.guid
import numpy as np

from ..model import (
    FIXED,
    PINNED,
    PINNED_END,
    Joint,
    LoadCase,
    Material,
    Member,
    MemberLoad,
    Model,
    Node,
    Storey,
    Support,
    Surface,
    SurfaceJoint,
)
from ..model.catalogue.catalogue import catalogue, catalogue_section
from ..model.catalogue.grades import grades
from ..model.catalogue.own import own_section
from ..model.entities.section import Section
from .recipe import Recipe

SPACE = uuid.UUID("1c6e2a7e-8f35-4d0e-9d2f-6a0c1b7e5d42")
SAME = 1e-6  # m
ON_LINE = 0.05  # m; a cross member this near to a line load's height takes it
HELD = Support.of("ux uy")
# where pinned ends leave nothing else to stop it, a pinned foot does not let its upright spin about its own
# axis
PINNED_NO_SPIN = Support.of("ux uy uz rz")


@dataclass(slots=True)
class Made:
    """The model and what a person should know of it."""

    model: Model
    notes: list[str] = field(default_factory=list)


def make(recipe: Recipe) -> Made:
    """The model of a recipe, with ids that are the same each time."""
    b = _Builder(recipe)
    if recipe.kind == "frame":
        b.frame()
    else:
        b.facade()
    return Made(b.model, b.notes)


class _Builder:
    def __init__(self, recipe: Recipe) -> None:
        self.recipe = r = recipe
        self.model = Model(name=r.name or r.kind, kind="analytical", schema="IFC4")
        self.notes: list[str] = []
        self.levels = r.levels
        names = [f"Storey {k}" for k in range(1, len(r.storeys) + 1)] + ["Roof"]
        self.model.storeys = [Storey(n, z) for n, z in zip(names, self.levels)]
        for name in (r.column, r.beam):
            self.model.sections[name] = self._section(name)
        for name in (r.material, r.slab_material) if r.slab else (r.material,):
            g = r.materials.get(name) or grades()[name]
            self.model.materials[name] = Material(
                name, g.kind, g.E, g.G, None if g.G is not None else g.poisson, g.density, g.strength
            )
        self.model.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0.0, 0.0, -1.0))
        self.at: dict[tuple[int, int, int], str] = {}

    def _section(self, name: str) -> Section:
        own = self.recipe.sections.get(name)
        if own is None:
            return catalogue_section(name) if name in catalogue() else Section(name, "")
        return own_section(name, own["shape"], {k: float(v) for k, v in own.items() if k != "shape"})

    def id(self, *what: Any) -> str:
        return str(
            ifcopenshell.guid.compress(
                uuid.uuid5(SPACE, "/".join(str(w) for w in (self.model.name, *what))).hex
            )
        )

    def node(self, x: float, y: float, z: float) -> Node:
        key = (round(x / SAME), round(y / SAME), round(z / SAME))
        if key not in self.at:
            ident = f"N{len(self.model.nodes) + 1}"
            self.model.nodes[ident] = Node(ident, np.array([x, y, z], float))
            self.at[key] = ident
        return self.model.nodes[self.at[key]]

    def member(
        self, name: str, cls: str, a: Node, b: Node, section: str, z_axis: tuple[float, float, float]
    ) -> Member:
        k = int(np.searchsorted(np.array(self.levels) - SAME, min(a.point[2], b.point[2]), "right")) - 1
        m = Member(
            self.id(name),
            name,
            cls,
            a.id,
            b.id,
            section,
            self.recipe.material,
            np.array(z_axis, float),
            storey=self.model.storeys[max(k, 0)].name,
        )
        if cls == "beam" and self.recipe.beam_ends == "pinned":
            m.release_start = m.release_end = PINNED_END
        self.model.members[m.id] = m
        return m

    def foot(self, node: Node) -> None:
        r = self.recipe
        pinned = PINNED_NO_SPIN if r.beam_ends == "pinned" else PINNED
        node.support = FIXED if r.base == "fixed" else pinned

    # -- frame -----------------------------------------------------------------------------------------------

    def frame(self) -> None:
        r = self.recipe
        xs, ys = _places(r.bays_x), _places(r.bays_y)
        for i, x in enumerate(xs, 1):
            for j, y in enumerate(ys, 1):
                self.foot(self.node(x, y, self.levels[0]))
                for k, (low, high) in enumerate(zip(self.levels, self.levels[1:]), 1):
                    ends = self.node(x, y, low), self.node(x, y, high)
                    self.member(f"Column {i}-{j}, storey {k}", "column", *ends, r.column, (1, 0, 0))
        for k, z in enumerate(self.levels[1:], 1):
            for j, y in enumerate(ys, 1):
                for i, (a, b) in enumerate(zip(xs, xs[1:]), 1):
                    ends = self.node(a, y, z), self.node(b, y, z)
                    self.member(f"Beam x {i}-{j}, storey {k}", "beam", *ends, r.beam, (0, 0, 1))
            for i, x in enumerate(xs, 1):
                for j, (a, b) in enumerate(zip(ys, ys[1:]), 1):
                    ends = self.node(x, a, z), self.node(x, b, z)
                    self.member(f"Beam y {i}-{j}, storey {k}", "beam", *ends, r.beam, (0, 0, 1))
            if r.slab is not None:
                for i, (x0, x1) in enumerate(zip(xs, xs[1:]), 1):
                    for j, (y0, y1) in enumerate(zip(ys, ys[1:]), 1):
                        name = f"Slab {i}-{j}, storey {k}"
                        outer = np.array([(x0, y0, z), (x1, y0, z), (x1, y1, z), (x0, y1, z)], float)
                        self.model.surfaces[self.id(name)] = Surface(
                            self.id(name),
                            name,
                            "slab",
                            self.model.storeys[k].name,
                            outer,
                            [],
                            r.slab,
                            r.slab_material,
                            way="shell",
                        )
        self._join_slabs()

    def _join_slabs(self) -> None:
        """Slabs to the beams along their edges, to the columns at their corners, and to their neighbours."""
        m = self.model
        lines = {frozenset((x.start, x.end)): x.id for x in m.members.values() if x.cls == "beam"}
        shared: dict[frozenset[str], str] = {}
        for s in m.surfaces.values():
            corners = [self.node(*p.tolist()).id for p in s.outer]
            for a, b in zip(corners, [*corners[1:], corners[0]]):
                edge = np.array([m.nodes[a].point, m.nodes[b].point])
                s.joints.append(SurfaceJoint("member", lines[frozenset((a, b))], edge))
                other = shared.setdefault(frozenset((a, b)), s.id)
                if other != s.id:
                    s.joints.append(SurfaceJoint("surface", other, edge))
                    m.surfaces[other].joints.append(SurfaceJoint("surface", s.id, edge))
        ends = {}
        for x in m.members.values():
            if x.cls == "column":
                ends[x.end] = x.id
        for s in m.surfaces.values():
            for p in s.outer:
                node = self.node(*p.tolist()).id
                s.joints.append(SurfaceJoint("end", ends[node], p[None], 0.0, node))

    # -- façade ----------------------------------------------------------------------------------------------

    def facade(self) -> None:
        r = self.recipe
        self.xs = _places(r.spacings)
        self.uprights: dict[tuple[int, int], Member] = {}
        self.crossing: dict[tuple[int, float], Member] = {}
        for i, x in enumerate(self.xs):
            for k, (low, high) in enumerate(zip(self.levels, self.levels[1:])):
                ends = self.node(x, 0.0, low), self.node(x, 0.0, high)
                # the section's depth stands square to the façade
                m = self.member(f"Upright {i + 1}, storey {k + 1}", "column", *ends, r.column, (0, 1, 0))
                self.uprights[i, k] = m
                if k and r.sideways:
                    ends[0].support = HELD
                if r.sideways_top and k == len(r.storeys) - 1:
                    ends[1].support = HELD
            self.foot(self.node(x, 0.0, self.levels[0]))
        for i in range(len(r.spacings)):
            for z in self.heights(i):
                ends = self.node(self.xs[i], 0.0, z), self.node(self.xs[i + 1], 0.0, z)
                for upright, end in ((i, ends[0]), (i + 1, ends[1])):
                    self._join(upright, end)
                name = f"Cross member bay {i + 1} at {z - self.levels[0]:.3f} m"
                self.crossing[i, z] = self.member(name, "beam", *ends, r.beam, (0, 0, 1))
        for m in self.uprights.values():
            m.joints.sort(key=lambda j: j.distance)
        self._panes()
        self._barrier()

    def heights(self, bay: int) -> list[float]:
        """Return the heights of a bay's cross members from the lowest up, m."""
        r = self.recipe
        out: list[float] = []
        for k, low in enumerate(self.levels[:-1]):
            own = r.cross_members
            for e in r.exceptions:
                if e.storey in (None, k + 1) and e.bay in (None, bay + 1):
                    own = e.cross_members
            for h in own:
                # one on the very top of a storey and one at the foot of the next are the same
                if not out or low + h - out[-1] > SAME:
                    out.append(low + h)
        return out

    def _storey_at(self, z: float) -> int:
        return int(np.clip(np.searchsorted(np.array(self.levels) + SAME, z), 1, len(self.levels) - 1)) - 1

    def _join(self, upright: int, end: Node) -> None:
        z = float(end.point[2])
        k = self._storey_at(z)
        distance = z - self.levels[k]
        m = self.uprights[upright, k]
        if SAME < distance < self.recipe.storeys[k] - SAME and all(j.node != end.id for j in m.joints):
            m.joints.append(Joint(distance, end.id))

    def case(self, name: str, kind: str, category: str = "") -> LoadCase:
        if name not in self.model.cases:
            self.model.cases[name] = LoadCase(name, kind, category=category)
        return self.model.cases[name]

    def _panes(self) -> None:
        r = self.recipe
        unsupported = 0.0
        for i, width in enumerate(r.spacings):
            bars = self.heights(i)
            edges = [
                self.levels[0],
                *(z for z in bars if z - self.levels[0] > SAME and self.levels[-1] - z > SAME),
                self.levels[-1],
            ]
            for low, high in zip(edges, edges[1:]):
                below = next((self.crossing[i, z] for z in bars if abs(z - low) <= SAME), None)
                above = next((self.crossing[i, z] for z in bars if abs(z - high) <= SAME), None)
                if r.pane_weight:
                    weight = r.pane_weight * width * (high - low)
                    if below is None:
                        unsupported += weight
                    else:
                        case = self.case("Panes", "dead")
                        for x in (width / 4, 3 * width / 4):
                            case.member_loads.append(_force(below, x, (0.0, 0.0, -weight / 2)))
                for name, pressure in (("Wind", r.wind), ("Suction", -r.suction)):
                    if pressure:
                        self._pressed(name, pressure, i, (low, high), (below, above))
        if unsupported:
            self.notes.append(
                f"panes of {unsupported / 1000:.4g} kN have no cross member below them and stand on the ground: their weight is on nothing here"
            )

    def _pressed(
        self,
        case: str,
        q: float,
        bay: int,
        edges: tuple[float, float],
        bars: tuple[Member | None, Member | None],
    ) -> None:
        """A pane's pressure q (N/m2 along +y) by lines at 45 degrees on its four bars; without a bar above or
        below it spans from upright to upright. `edges`: heights of its foot and head, with the `bars` there."""
        (low, high), (below, above) = edges, bars
        width, height = self.recipe.spacings[bay], high - low
        if below is None or above is None:
            for upright in (bay, bay + 1):
                self._on_upright(case, upright, [(low, q * width / 2), (high, q * width / 2)])
            return
        peak = q * min(width, height) / 2
        reach = min(width, height) / 2
        for bar in (below, above):
            self._on_member(case, bar, _trapezoid(0.0, width, reach, peak))
        for upright in (bay, bay + 1):
            self._on_upright(case, upright, _trapezoid(low, high, reach, peak))

    def _on_member(self, name: str, m: Member, line: list[tuple[float, float]]) -> None:
        case = self.case(name, "wind")
        for (a, qa), (b, qb) in zip(line, line[1:]):
            if b - a > SAME:
                case.member_loads.append(MemberLoad(m.id, a, b, (0.0, qa, 0.0), (0.0, qb, 0.0)))

    def _on_upright(self, case: str, upright: int, line: list[tuple[float, float]]) -> None:
        """A line of (height, N/m) on an upright, cut at the storeys it passes."""
        z, q = np.array(line).T
        for k, (low, high) in enumerate(zip(self.levels, self.levels[1:])):
            a, b = max(low, float(z[0])), min(high, float(z[-1]))
            if b - a > SAME:
                at = np.unique(np.concatenate([[a, b], z[(z > a + SAME) & (z < b - SAME)]]))
                self._on_member(
                    case, self.uprights[upright, k], [(float(h - low), float(np.interp(h, z, q))) for h in at]
                )

    def _barrier(self) -> None:
        r = self.recipe
        if r.line_load is None or not r.line_load.value:
            return
        value = r.line_load.value
        case = self.case("Barrier", "live", "C")
        for low in self.levels[:-1]:
            z = low + r.line_load.height
            for i, width in enumerate(r.spacings):
                near = min(self.heights(i), key=lambda h: abs(h - z), default=None)
                if near is not None and abs(near - z) <= ON_LINE + SAME:
                    bar = self.crossing[i, near]
                    case.member_loads.append(
                        MemberLoad(bar.id, 0.0, width, (0.0, value, 0.0), (0.0, value, 0.0))
                    )
                    continue
                k = self._storey_at(z)
                for upright in (i, i + 1):
                    m = self.uprights[upright, k]
                    case.member_loads.append(_force(m, z - self.levels[k], (0.0, value * width / 2, 0.0)))


def _force(m: Member, x: float, force: tuple[float, float, float]) -> MemberLoad:
    return MemberLoad(m.id, x, x, force, force)


def _places(steps: list[float]) -> list[float]:
    return [0.0, *np.cumsum(steps).tolist()]


def _trapezoid(a: float, b: float, reach: float, peak: float) -> list[tuple[float, float]]:
    """Rising over `reach` (m) from either end to `peak`; a triangle where both meet."""
    out = [(a, 0.0), (a + reach, peak), (b - reach, peak), (b, 0.0)]
    return [p for k, p in enumerate(out) if k in (0, 3) or k == 1 or out[2][0] - out[1][0] > SAME]
