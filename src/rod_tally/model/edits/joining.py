"""Corrections of what meets what: join an end, tie it by a rigid link, keep it apart, join two members that
cross, rest one on another."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, replace

import numpy as np
from shapely.geometry import Point

from ..catalogue.own import own_section
from ..entities.material import NO_WEIGHT, Material
from ..entities.model import Model
from ..entities.structure import Joint, Member, Release
from ..geometry.vectors import Array, closest_between_lines, closest_on_segment, default_z
from ..roles import Role
from .adding import free_id
from .base import Edit, EditError, there

SAME_PLACE = 0.05  # m; an end that lands this near to a node of the member it joins takes that node


def _node_on(edit: Edit, model: Model, own: Member, at_end: bool, target: Member) -> str:
    """The node of `target` nearest to where an end's line meets it; a new joint of it where there is none
    near."""
    line, other = model.line(own), model.line(target)
    length = model.length(target)
    p = line[int(at_end)][None]
    u, v = (line[1] - line[0]) / model.length(own), (other[1] - other[0]) / length
    _, t, sin2 = closest_between_lines(p, u[None], other[:1], v[None])
    along = float(t[0]) if sin2[0] > 0.03 else float(closest_on_segment(p, other[:1], other[1:])[0][0])
    along = min(max(along, 0.0), length)
    places = [(0.0, target.start), *((j.distance, j.node) for j in target.joints), (length, target.end)]
    near = min(places, key=lambda place: abs(place[0] - along))
    if abs(near[0] - along) <= SAME_PLACE + _depth(model, own):
        return near[1]
    node = edit.new_node(model, other[0] + v * along)
    target.joints = sorted([*target.joints, Joint(along, node)], key=lambda j: j.distance)
    return node


def _depth(model: Model, member: Member) -> float:
    """How far off a joined end may find a node that is meant for it: nodes lie in the slab above, m."""
    section = model.sections.get(member.section)
    return section.depth if section is not None and section.usable else 0.0


@dataclass
class JoinEnd(Edit):
    """Bring a member's end to another member: to its axis, at a new joint or at a node of its that lies
    there.

    With `link` the end keeps its line, brought along it to beside the node, and is tied there by a rigid
    link."""

    words = "a joined end"
    roles = {"member_id": Role.PART, "at_end": Role.END, "target": Role.PART, "link": Role.PLAIN}

    keeps_lines = True

    member_id: str
    at_end: bool
    target: str
    link: bool = False

    def __post_init__(self) -> None:
        self.text = "Tie an end" if self.link else "Join an end"

    def change(self, model: Model) -> str:
        if self.member_id == self.target:
            raise EditError("a member is not joined to itself")
        own, target = self.member(model, self.member_id), self.member(model, self.target)
        line = model.line(own)
        before = model.length(own)
        p = line[int(self.at_end)]
        node = _node_on(self, model, own, self.at_end, target)
        old = own.end if self.at_end else own.start
        if node in (own.start, own.end) and node != old:
            raise EditError(f"both ends of {own.name or own.id} would lie at node {node}")
        offset = np.zeros(3)
        if self.link:
            u = (line[1] - line[0]) / before
            foot = p + u * float((model.nodes[node].point - p) @ u)
            offset = foot - model.nodes[node].point
        moved = float(np.linalg.norm(model.nodes[node].point + offset - p))
        if self.at_end:
            own.end, own.offset_end = node, offset
        else:
            own.start, own.offset_start = node, offset
        length = model.length(own)
        if length < 1e-3:
            raise EditError(f"{own.name or own.id} would have no length")
        shift = 0.0 if self.at_end else length - before
        own.joints = [Joint(min(max(j.distance + shift, 0.0), length), j.node) for j in own.joints]
        tie_to_new_end(self, model, own.id, old, node)
        self.drop_bare_nodes(model, {old})
        how = "tied by a rigid link to" if self.link else "joined to"
        return f"{own.name or own.id} {how} {target.name or target.id}; its end moved {moved * 1000:.0f} mm"


@dataclass
class KeepApart(Edit):
    """Refuse a join: a member's end goes back to where the source has it. With `link` it stays tied to its
    node, by a rigid link; otherwise it gets a node of its own."""

    words = "an end kept apart"
    roles = {"member_id": Role.PART, "at_end": Role.END, "link": Role.PLAIN}

    keeps_lines = True

    member_id: str
    at_end: bool
    link: bool = False

    def __post_init__(self) -> None:
        self.text = "Keep an end on its line" if self.link else "Keep an end apart"

    def change(self, model: Model) -> str:
        own = self.member(model, self.member_id)
        if own.source_line is None:
            raise EditError(f"where the source has {own.name or own.id} is not known")
        before = model.length(own)
        point = own.source_line[int(self.at_end)]
        old = own.end if self.at_end else own.start
        node, offset = old, point - model.nodes[old].point
        if not self.link:
            node, offset = self.new_node(model, point), np.zeros(3)
        if self.at_end:
            own.end, own.offset_end = node, offset
        else:
            own.start, own.offset_start = node, offset
        length = model.length(own)
        shift = 0.0 if self.at_end else length - before
        own.joints = [Joint(min(max(j.distance + shift, 0.0), length), j.node) for j in own.joints]
        if not self.link:
            # what a surface held by this member's end alone it holds no longer
            self.drop_bare_nodes(model, {old})
        which = "end" if self.at_end else "start"
        return f"{which} of {own.name or own.id} {'kept on its line by a rigid link' if self.link else 'kept apart'}"


@dataclass
class JoinCrossing(Edit):
    """Give two members that cross or pass a common node, on the axis of the first."""

    words = "a joined crossing"
    roles = {"first": Role.PART, "second": Role.PART}

    first: str
    second: str

    def __post_init__(self) -> None:
        self.text = "Join two members that cross"

    def change(self, model: Model) -> str:
        a, b = self.member(model, self.first), self.member(model, self.second)
        names = f"{a.name or a.id} and {b.name or b.id}"
        (s, t), (on_a, on_b) = _crossing(model, a, b)
        # nodes that lie there already are the place that is meant, whichever of the members, or a third one,
        # has them
        near = _nodes_near(model, (on_a, on_b), {*_nodes_of(a), *_nodes_of(b)})
        node = next((n for n in near if n in _nodes_of(a)), near[0] if near else "") or self.new_node(
            model, on_a
        )
        for other in near:
            if other != node:
                merge_nodes(self, model, node, other)
        for ident, at in ((self.first, s), (self.second, t)):
            m = model.members[ident]
            if node not in _nodes_of(m):
                m.joints = sorted([*m.joints, Joint(at, node)], key=lambda j: j.distance)
        also = f", at node {node}, which lay there" if near else ""
        return f"{names} joined where they cross{also}"


BEARING = "bearing link"  # section and material of the links that parts rest on
SHORTEST_LINK = 0.01  # m; axes nearer than this meet: one node joins them
STEEP = 0.5  # least rise of a link over its length; what passes beside another does not rest on it


@dataclass
class RestOn(Edit):
    """Rest a member on one that it passes over: a short rigid link from the axis of the one below to where
    the bodies touch, hinged there. It hands on forces and no moments, as a rafter on a purlin does; with
    `lifts` it only presses, and lets the upper member lift off in runs with one-way parts."""

    words = "a member that rests on another"
    roles = {"first": Role.PART, "second": Role.PART, "lifts": Role.PLAIN}

    first: str
    second: str
    lifts: bool = False

    def __post_init__(self) -> None:
        self.text = "Rest a member on the one below" + (", free to lift off" if self.lifts else "")

    def change(self, model: Model) -> str:
        above, below, (s, t), (p, q) = self._placed(model)
        names = f"{above.name or above.id} on {below.name or below.id}"
        if np.linalg.norm(p - q) < SHORTEST_LINK:
            raise EditError(f"{names}: their axes meet; join them by a rigid link there")
        if linked(model, above, below, (p, q)):
            raise EditError(f"{names}: it rests there already")
        reach = [self._reach(model, m, (p - q) * way) for m, way in ((below, 1.0), (above, -1.0))]
        share = reach[0] / sum(reach) if sum(reach) > 0 else 0.5
        touch = q + (p - q) * share
        if np.linalg.norm(touch - q) < SHORTEST_LINK:
            raise EditError(
                f"{names}: the lower one has no depth to rest on; join them by a rigid link there"
            )
        start, end = self._node(model, below.id, t, q), self._node(model, above.id, s, p)
        if start == end:
            raise EditError(f"{names} share a node already")
        if BEARING not in model.sections:
            model.sections[BEARING] = own_section(BEARING, "rectangle", {"width": 0.1, "depth": 0.1})
            origin = {"E": "rigid beside what it joins", "density": NO_WEIGHT}
            model.materials[BEARING] = Material(BEARING, "", 210e9, None, 0.3, 0.0, origin=origin)
        ident = free_id(model)
        way = touch - model.nodes[start].point
        link = Member(
            ident, f"{above.name or above.id} on {below.name or below.id}", "brace", start, end, BEARING, BEARING,
            default_z(way), above.storey, release_end=Release.of("mt my mz"),
            offset_end=touch - model.nodes[end].point,
        )  # fmt: skip
        model.members[ident] = link
        if self.lifts:
            model.one_way[ident] = "compression"
        return (
            f"{names}, over {np.linalg.norm(way) * 1000:.0f} mm{', free to lift off' if self.lifts else ''}"
        )

    def _placed(self, model: Model) -> tuple[Member, Member, tuple[float, float], tuple[Array, Array]]:
        """The upper and the lower member, how far along each they cross (m), and the places on their axes."""
        a, b = (there(model.members, i) for i in (self.first, self.second))
        (s, t), (on_a, on_b) = _crossing(model, a, b)
        if abs(on_a[2] - on_b[2]) < STEEP * float(np.linalg.norm(on_a - on_b)):
            raise EditError(
                f"{a.name or a.id} and {b.name or b.id} pass beside each other: neither rests on the other"
            )
        if on_a[2] >= on_b[2]:
            return a, b, (s, t), (on_a, on_b)
        return b, a, (t, s), (on_b, on_a)

    @staticmethod
    def _reach(model: Model, m: Member, way: Array) -> float:
        """How far a member's body reaches from its axis along `way`, m; 0 where its section is not known."""
        section = model.sections.get(m.section)
        if section is None or not section.usable:
            return 0.0
        y0, y1, z0, z1 = section.bounds
        axes = m.axes(model.line(m))
        corners = np.array([(y, z) for y in (y0, y1) for z in (z0, z1)]) @ axes[1:]
        return max(0.0, float((corners @ way).max() / np.linalg.norm(way)))

    def _node(self, model: Model, ident: str, along: float, at: Array) -> str:
        """The node of a member at a place of its axis; a new joint where it has none there."""
        m = model.members[ident]
        near = [n for n in _nodes_of(m) if np.linalg.norm(model.nodes[n].point - at) < SHORTEST_LINK / 2]
        if near:
            return near[0]
        m = self.member(model, ident)
        node = self.new_node(model, at)
        m.joints = sorted([*m.joints, Joint(along, node)], key=lambda j: j.distance)
        return node


def _crossing(model: Model, a: Member, b: Member) -> tuple[tuple[float, float], tuple[Array, Array]]:
    """Where two members come closest: how far along each (m), and the places on their axes. Raises EditError
    where they share a node, or do not cross within their lengths."""
    names = f"{a.name or a.id} and {b.name or b.id}"
    if set(_nodes_of(a)) & set(_nodes_of(b)):
        raise EditError(f"{names} share a node already")
    p, q = model.line(a), model.line(b)
    u, v = ((line[1] - line[0]) / model.length(m) for line, m in ((p, a), (q, b)))
    s, t, sin2 = closest_between_lines(p[:1], u[None], q[:1], v[None])
    if sin2[0] < 1e-3 or not (0 < s[0] < model.length(a) and 0 < t[0] < model.length(b)):
        raise EditError(f"{names} do not cross within their lengths")
    along = float(s[0]), float(t[0])
    return along, (p[0] + u * along[0], q[0] + v * along[1])


def linked(model: Model, a: Member, b: Member, places: tuple[Array, Array]) -> bool:
    """Return whether a member leads from one to the other at these places on their axes."""

    def at(m: Member, place: Array) -> set[str]:
        return {n for n in _nodes_of(m) if np.linalg.norm(model.nodes[n].point - place) < SAME_PLACE}

    mine, others = at(a, places[0]), at(b, places[1])
    return bool(mine and others) and any(
        m.start in mine and m.end in others or m.start in others and m.end in mine
        for m in model.members.values()
    )


def _nodes_of(m: Member) -> list[str]:
    return [m.start, *(j.node for j in m.joints), m.end]


def _nodes_near(model: Model, places: tuple[Array, Array], own: set[str]) -> list[str]:
    """Nodes at one of two places: those of the two members first, within 50 mm, then others within the snap
    distance."""
    found = []
    for ident, n in model.nodes.items():
        off = min(float(np.linalg.norm(n.point - place)) for place in places)
        if off <= (SAME_PLACE if ident in own else model.snap):
            found.append((ident not in own, off, ident))
    return [ident for _, _, ident in sorted(found)]


def merge_nodes(edit: Edit, model: Model, keep: str, drop: str) -> None:
    """Make one node of two: what ends, is tied, is held or is loaded at `drop` is so at `keep`."""
    for m in list(model.members.values()):
        if drop in _nodes_of(m):
            own = edit.member(model, m.id)
            if {own.start, own.end} == {keep, drop}:
                raise EditError(f"both ends of {own.name or own.id} would lie at node {keep}")
            point, old = model.nodes[keep].point, model.nodes[drop].point
            if own.start == drop:
                own.start, own.offset_start = keep, own.offset_start + old - point
            if own.end == drop:
                own.end, own.offset_end = keep, own.offset_end + old - point
            own.joints = [Joint(j.distance, keep if j.node == drop else j.node) for j in own.joints]
    for surface in list(model.surfaces.values()):
        if any(j.node == drop for j in surface.joints):
            mine = edit.surface(model, surface.id)
            mine.joints = [replace(j, node=keep) if j.node == drop else j for j in mine.joints]
    for name, case in list(model.cases.items()):
        if drop in {x.node for x in case.node_loads} | {x.node for x in case.settlements}:
            loaded = copy(case)
            loaded.node_loads = [replace(x, node=keep) if x.node == drop else x for x in case.node_loads]
            loaded.settlements = [replace(x, node=keep) if x.node == drop else x for x in case.settlements]
            model.cases[name] = loaded
    held, other = model.nodes[keep].support, model.nodes[drop].support
    if other.any:
        if held.any and held != other:
            raise EditError(f"nodes {keep} and {drop} are held in different ways")
        edit.node(model, keep).support = other
    del model.nodes[drop]


def tie_to_new_end(edit: Edit, model: Model, member: str, old: str, node: str) -> None:
    """Have surfaces that are tied to a member's end be tied to the node it ends at now, where that lies near
    them."""
    if old == node:
        return
    point = model.nodes[node].point
    for surface in list(model.surfaces.values()):
        if any(j.node == old and j.other == member for j in surface.joints):
            own = edit.surface(model, surface.id)
            height = abs(float(own.height(point[None])[0]))
            near = height <= model.search and own.polygon.buffer(model.search).contains(
                Point(own.flat(point[None])[0])
            )
            mine = [
                replace(j, node=node, line=point[None].copy(), distance=height)
                for j in own.joints
                if j.other == member
            ]
            rest = [j for j in own.joints if j.node != old or j.other != member]
            tied = any(j.node == node for j in rest)
            own.joints = rest + (mine[:1] if near and not tied else [])
