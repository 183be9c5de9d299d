"""Corrections of where things are: move, split, merge, delete, turn."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, field, replace

import numpy as np

from ..catalogue.taper import TO, mirrored, other_way, section_at, tapered
from ..entities.loads import MemberLoad
from ..entities.log import Skipped
from ..entities.model import Model
from ..entities.section import Section
from ..entities.structure import Joint, Member, Release
from ..entities.surface import SurfaceJoint
from ..geometry.vectors import Array, local_axes
from ..roles import Role
from .base import Edit, EditError, counted
from .load_values import own_case

SMALLEST = 1e-3  # m; pieces shorter than this are not made


@dataclass
class MoveNodes(Edit):
    """Move nodes, and with them the ends of members there, by a vector in m."""

    words = "moved nodes"
    roles = {"nodes": Role.NODES, "by": Role.DIRECTION}

    nodes: list[str]
    by: list[float]

    def __post_init__(self) -> None:
        self.text = f"Move {counted(self.nodes, 'node')}"

    def change(self, model: Model) -> str:
        step = np.array(self.by, float)
        if step.shape != (3,) or not np.isfinite(step).all():
            raise EditError("a move has three numbers")
        before = {i: model.length(m) for i, m in model.members.items()}
        moved = set(self.nodes)
        for ident in self.nodes:
            node = self.node(model, ident)
            node.point = node.point + step
        for m in list(model.members.values()):
            if {m.start, m.end} & moved:
                own = self.member(model, m.id)
                length = model.length(own)
                if length < SMALLEST:
                    raise EditError(f"{own.name or own.id} would have no length")
                own.joints = [Joint(j.distance * length / before[m.id], j.node) for j in own.joints]
        shown = ", ".join(f"{v * 1000:.0f}" for v in step)
        return f"{', '.join(self.nodes[:5])} moved by {shown} mm"


@dataclass
class DeleteMembers(Edit):
    """Take members or surfaces out of the model; loads on them stay in their cases and count as not
    carried."""

    words = "deleted parts"
    roles = {"members": Role.PARTS}

    members: list[str]

    def __post_init__(self) -> None:
        self.text = f"Delete {len(self.members)} parts" if len(self.members) != 1 else "Delete a part"

    def change(self, model: Model) -> str:
        names, nodes = [], set()
        for ident in self.members:
            part = model.part(ident)
            if part is None:
                raise EditError(f"{ident} is not in the model any more")
            (model.members if ident in model.members else model.surfaces).pop(ident)
            names.append(part.name or ident)
            model.skipped = [
                *model.skipped,
                Skipped(part.cls, ident, "deleted by a correction", part.name, "", True),
            ]
            if isinstance(part, Member):
                model.removed_members[ident] = part
                nodes |= {part.start, part.end, *(j.node for j in part.joints)}
            else:
                model.removed_surfaces[ident] = part
                nodes |= {j.node for j in part.joints if j.node}
        gone = set(self.members)
        for s in list(model.surfaces.values()):
            if any(j.other in gone for j in s.joints):
                own = self.surface(model, s.id)
                at = model.members_at()
                own.joints = [
                    replace(j, other=at[j.node][0]) if j.other in gone else j
                    for j in own.joints
                    if j.other not in gone or (j.node and at.get(j.node))
                ]
        self.drop_bare_nodes(model, nodes)
        return f"deleted {', '.join(names[:5])}"


@dataclass
class SplitMember(Edit):
    """Cut a member in two at a distance (m) from its start; the second piece gets an id of its own."""

    words = "a split member"
    roles = {"member_id": Role.PART, "distance": Role.ALONG}

    keeps_lines = True

    member_id: str
    distance: float

    def __post_init__(self) -> None:
        self.text = "Split a member"

    carries_loads = False

    def change(self, model: Model) -> str:
        first = self.member(model, self.member_id)
        length = model.length(first)
        at = self.distance
        if not SMALLEST < at < length - SMALLEST:
            raise EditError(
                f"{first.name or first.id} is {length:.3f} m long and cannot be split at {at:.3f} m"
            )
        line = model.line(first)
        place = line[0] + (line[1] - line[0]) * at / length
        near = [j for j in first.joints if abs(j.distance - at) < 1e-6]
        node = near[0].node if near else self.new_node(model, place)
        second = copy(first)
        second.id = f"{first.id}+"
        while second.id in model.members:
            second.id += "+"
        second.name = f"{first.name or first.id}+"
        off = place - model.nodes[node].point
        off = np.where(np.abs(off) < 1e-12, 0.0, off)
        second.start, second.offset_start, second.release_start = node, off.copy(), Release()
        second.joints = [Joint(j.distance - at, j.node) for j in first.joints if j.distance > at + 1e-6]
        first.end, first.offset_end, first.release_end = node, off.copy(), Release()
        first.joints = [j for j in first.joints if j.distance < at - 1e-6]
        for part, ends in ((first, (0.0, at)), (second, (at, length))):
            if part.drawn is not None:
                (a, b), part.moved_by = part.drawn, None
                part.source_line = np.array([a + (b - a) * e / length for e in ends])
        section = model.sections.get(first.section)
        if section is not None and section.end is not None:
            _part_taper(model, first, second, section, at / length)
        model.members[second.id] = second
        self._loads(model, first.id, second.id, at)
        _tie_pieces(self, model, first, second, line, at)
        if first.id in model.one_way:
            model.one_way[second.id] = model.one_way[first.id]
        if first.id in model.limits:
            model.limits[second.id] = model.limits[first.id]
        for ids in model.groups.values():
            if first.id in ids:
                ids.append(second.id)
        return f"{first.name or first.id} split at {at:.3f} m"

    def _loads(self, model: Model, first: str, second: str, at: float) -> None:
        self.loads_of(model, {first})
        for case in model.cases.values():
            out: list[MemberLoad] = []
            for load in case.member_loads:
                out += [load] if load.member != first else _parted(load, second, at)
            if any(load.member == first for load in case.member_loads):
                case.member_loads = out
            warm = [t for t in case.temperatures if t.member == first]
            if warm:
                case.temperatures = case.temperatures + [replace(t, member=second) for t in warm]


def _tie_pieces(edit: Edit, model: Model, first: Member, second: Member, line: Array, at: float) -> None:
    """Give the second piece its part of what ties the member to surfaces, and loads in space that it took."""
    start, u = line[0], (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
    inner = {second.end, *(j.node for j in second.joints)}
    for s in list(model.surfaces.values()):
        if not any(j.other == first.id for j in s.joints):
            continue
        own = edit.surface(model, s.id)
        out: list[SurfaceJoint] = []
        for j in own.joints:
            if j.other != first.id:
                out.append(j)
            elif len(j.line) == 1:
                out.append(replace(j, other=second.id) if j.node in inner else j)
            else:
                out += _parted_joint(j, second.id, start, u, at)
        own.joints = out
    for name, case in list(model.cases.items()):
        if any(x.to == first.id for x in case.space_loads):
            case = copy(case)
            case.space_loads = [
                replace(x, to=second.id)
                if x.to == first.id and float((x.line.mean(axis=0) - start) @ u) > at
                else x
                for x in case.space_loads
            ]
            model.cases[name] = case


def _parted_joint(joint: SurfaceJoint, second: str, start: Array, u: Array, at: float) -> list[SurfaceJoint]:
    """A tie along a member on both sides of a cut at `at` (m) from its start."""
    a, b = ((p - start) @ u for p in joint.line)
    if max(a, b) <= at + SMALLEST:
        return [joint]
    if min(a, b) >= at - SMALLEST:
        return [replace(joint, other=second)]
    middle = joint.line[0] + (joint.line[1] - joint.line[0]) * (at - a) / (b - a)
    low, high = np.array([joint.line[0], middle]), np.array([middle, joint.line[1]])
    if a > b:
        low, high = high, low
    return [replace(joint, line=low), replace(joint, other=second, line=high)]


def _parted(load: MemberLoad, second: str, at: float) -> list[MemberLoad]:
    if load.b <= at + 1e-9:
        return [load]
    if load.a >= at - 1e-9:
        return [replace(load, member=second, a=load.a - at, b=load.b - at)]
    share = (at - load.a) / (load.b - load.a)
    middle = tuple(float(p + (q - p) * share) for p, q in zip(load.qa, load.qb))
    return [
        replace(load, b=at, qb=middle),  # type: ignore[arg-type]
        replace(load, member=second, a=0.0, b=load.b - at, qa=middle),  # type: ignore[arg-type]
    ]


@dataclass
class MergeMembers(Edit):
    """Make one member of two that run on from each other in one line; the first keeps its identity."""

    words = "merged members"
    roles = {"members": Role.PARTS}

    members: list[str]

    def __post_init__(self) -> None:
        self.text = "Merge two members"

    carries_loads = False

    def change(self, model: Model) -> str:
        if len(self.members) != 2 or self.members[0] == self.members[1]:
            raise EditError("two members are merged at a time")
        one, two = (self.member(model, i) for i in self.members)
        if one.end != two.start:
            for m in (one, two):
                if {one.start, one.end} & {two.start, two.end} and one.end != two.start:
                    _reverse(self, model, m.id)
                    one, two = (model.members[i] for i in self.members)
        if one.end != two.start:
            raise EditError(f"{one.name or one.id} and {two.name or two.id} share no end")
        if (one.section, one.material) != (two.section, two.material):
            raise EditError(f"{one.name or one.id} and {two.name or two.id} differ in section or material")
        if one.section in model.sections and model.sections[one.section].end is not None:
            raise EditError(
                f"{one.name or one.id} and {two.name or two.id} both taper from {one.section}: one member cannot twice"
            )
        a, b = model.line(one), model.line(two)
        u, v = a[1] - a[0], b[1] - b[0]
        if np.linalg.norm(np.cross(u, v)) > 0.02 * np.linalg.norm(u) * np.linalg.norm(v) or u @ v < 0:
            raise EditError(f"{one.name or one.id} and {two.name or two.id} do not lie in one line")
        names = f"{one.name or one.id} and {two.name or two.id}"
        if one.release_end.any or two.release_start.any:
            raise EditError(f"there is a release between {names}; a member has none inside, so fix it first")
        if not _turned_alike(one.axes(a), two.axes(b)):
            raise EditError(f"{names} are turned differently about their axis")
        if model.one_way.get(one.id) != model.one_way.get(two.id):
            raise EditError(f"one of {names} acts in one direction only")
        if model.limits.get(one.id) != model.limits.get(two.id):
            raise EditError(f"{names} bear different forces at most")
        for case in model.cases.values():
            warm = [
                sorted((t.uniform, t.grad_y, t.grad_z) for t in case.temperatures if t.member == m.id)
                for m in (one, two)
            ]
            if warm[0] != warm[1]:
                raise EditError(f"case {case.name} gives {names} different temperatures")
        length, node = model.length(one), one.end
        one.end, one.offset_end, one.release_end = two.end, two.offset_end.copy(), two.release_end
        inner = [Joint(length, node), *(Joint(length + j.distance, j.node) for j in two.joints)]
        del model.members[two.id]
        others = any(
            node in (m.start, m.end, *(j.node for j in m.joints))
            for m in model.members.values()
            if m.id != one.id
        )
        keep = (
            others
            or model.nodes[node].support.any
            or any(j.node == node for s in model.surfaces.values() for j in s.joints)
        )
        one.joints = one.joints + (inner if keep else inner[1:])
        if not keep:
            self.drop_bare_nodes(model, {node})
        if one.drawn is not None and two.drawn is not None:
            one.source_line, one.moved_by = np.array([one.drawn[0], two.drawn[1]]), None
        self.loads_of(model, {two.id})
        for case in model.cases.values():
            for load in case.member_loads:
                if load.member == two.id:
                    load.member, load.a, load.b = one.id, load.a + length, load.b + length
            if any(t.member == two.id for t in case.temperatures):
                case.temperatures = [t for t in case.temperatures if t.member != two.id]
            if any(x.to == two.id for x in case.space_loads):
                model.cases[case.name] = own_case = copy(case)
                own_case.space_loads = [
                    replace(x, to=one.id) if x.to == two.id else x for x in case.space_loads
                ]
        model.one_way.pop(two.id, None)
        model.limits.pop(two.id, None)
        for ids in model.groups.values():
            if two.id in ids:
                ids.remove(two.id)
        for s in list(model.surfaces.values()):
            if any(j.other == two.id for j in s.joints):
                own = self.surface(model, s.id)
                own.joints = [replace(j, other=one.id) if j.other == two.id else j for j in own.joints]
        return f"{two.name or two.id} merged into {one.name or one.id}"


def _turned_alike(a: Array, b: Array) -> bool:
    """Return whether the local axes (3, 3) of two members in one line agree, to a degree or so."""
    return bool((np.einsum("ij,ij->i", a, b) > 0.9998).all())


@dataclass
class ReverseMembers(Edit):
    """Turn members end for end; loads, releases and joints stay where they are in space."""

    words = "members turned end for end"
    roles = {"members": Role.PARTS}

    keeps_lines = True

    members: list[str]

    def __post_init__(self) -> None:
        self.text = f"Turn {counted(self.members, 'member')} end for end"

    carries_loads = False

    def change(self, model: Model) -> str:
        for ident in self.members:
            _reverse(self, model, ident)
        return f"{counted(self.members, 'member')} turned end for end"


def _reverse(edit: Edit, model: Model, ident: str) -> None:
    m = edit.member(model, ident)
    length = model.length(m)
    edit.loads_of(model, {ident})
    m.start, m.end = m.end, m.start
    m.offset_start, m.offset_end = m.offset_end, m.offset_start
    m.release_start, m.release_end = m.release_end, m.release_start
    m.joints = [Joint(length - j.distance, j.node) for j in reversed(m.joints)]
    if m.source_line is not None:
        m.source_line = m.source_line[::-1].copy()
    if m.moved_by is not None:
        m.moved_by = m.moved_by[::-1].copy()
    # local x and y turn round, z stays
    section = model.sections.get(m.section)
    if section is not None and section.end is not None:
        section = other_way(section)
        m.section = section.name
        model.sections.setdefault(m.section, section)
    if section is not None and section.usable and _uneven(section):
        name = (
            f"{m.section} mirrored"
            if not m.section.endswith(" mirrored")
            else m.section.removesuffix(" mirrored")
        )
        if name not in model.sections:
            model.sections[name] = mirrored(section, name)
        m.section = name
    for case in model.cases.values():
        for load in case.member_loads:
            if load.member != ident:
                continue
            load.a, load.b, load.qa, load.qb = length - load.b, length - load.a, load.qb, load.qa
            if load.local:
                load.qa, load.qb = ((-q[0], -q[1], q[2]) for q in (load.qa, load.qb))
        for t in case.temperatures:
            if t.member == ident:
                t.grad_y = -t.grad_y


def _part_taper(model: Model, first: Member, second: Member, section: Section, share: float) -> None:
    """Give the two parts of a member that tapers the parts of its section."""
    start, _, end = section.name.partition(TO)
    middle = replace(section_at(section, share), name=f"{start}/{end} at {100 * share:.6g} %")
    for part, a, b, name in (
        (first, replace(section, end=None), middle, f"{start}{TO}{middle.name}"),
        (second, middle, section.end, f"{middle.name}{TO}{end or section.name}"),
    ):
        assert b is not None
        model.sections.setdefault(name, tapered(a, b, name))
        part.section = name


def _uneven(section: Section) -> bool:
    if not section.outline:
        return abs(section.iyz) > 1e-9 * (section.iy + section.iz)
    points = np.array(section.outline)
    apart = np.linalg.norm(points[:, None] * (-1, 1) - points[None], axis=2).min(axis=1)
    return bool(apart.max() > 1e-4 * np.abs(points).max())


@dataclass
class TurnMembers(Edit):
    """Turn members about their own axis by an angle in degrees, or bring their local z as near as it can to a
    direction."""

    words = "turned members"
    roles = {"members": Role.PARTS, "degrees": Role.ABOUT, "z_axis": Role.DIRECTION}
    keeps_lines = True

    members: list[str]
    degrees: float = 0.0
    z_axis: list[float] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.text = f"Turn {counted(self.members, 'member')} about the axis"

    def change(self, model: Model) -> str:
        for ident in self.members:
            m = self.member(model, ident)
            line = model.line(m)
            if self.z_axis:
                m.z_axis = local_axes(line[1] - line[0], np.array(self.z_axis, float))[2]
                continue
            _, y, z = m.axes(line)
            a = np.radians(self.degrees)
            m.z_axis = z * np.cos(a) - y * np.sin(a)
        how = (
            f"by {self.degrees:g} degrees"
            if not self.z_axis
            else "towards " + ", ".join(f"{v:g}" for v in self.z_axis)
        )
        return f"{counted(self.members, 'member')} turned about the axis {how}"


@dataclass
class TurnSurfaces(Edit):
    """Bring the local x of surfaces as near as it can to a direction, or turn their z to the other side
    (`flip`)."""

    words = "turned surfaces"
    roles = {"surfaces": Role.PARTS, "x_axis": Role.DIRECTION, "flip": Role.PLAIN}

    surfaces: list[str]
    x_axis: list[float] = field(default_factory=list)
    flip: bool = False

    def __post_init__(self) -> None:
        self.text = f"Turn the axes of {counted(self.surfaces, 'surface')}"

    def change(self, model: Model) -> str:
        turned: dict[str, Array] = {}
        for ident in self.surfaces:
            s = self.surface(model, ident)
            before = s.axes
            if self.x_axis:
                s.x_axis = np.array(self.x_axis, float)
            if self.flip:
                s.flipped = not s.flipped
            turned[ident] = before @ s.axes.T
        kept = _keep_pressures(model, turned)
        told = f"; {counted(kept, 'load')} given in them keep their direction" if kept else ""
        return f"local axes of {counted(self.surfaces, 'surface')} turned{told}"


def _keep_pressures(model: Model, turned: dict[str, Array]) -> list[str]:
    """Give pressures in the axes of surfaces that were turned (old axes in the new ones) the values that
    leave them as they are in space; returns their cases."""
    out = []
    for name, case in list(model.cases.items()):
        if not any(a.local and a.surface in turned for a in case.area_loads):
            continue
        for load in own_case(model, name).area_loads:
            if load.local and load.surface in turned:
                values = np.array(load.values, float) @ turned[load.surface]
                load.values = tuple((float(a), float(b), float(c)) for a, b, c in values)
                out.append(name)
    return out
