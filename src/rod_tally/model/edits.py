"""Corrections a reviewer makes to a model: each says what it did, and can be taken back exactly."""

from __future__ import annotations

from abc import ABC, abstractmethod
from copy import deepcopy

import numpy as np

from .catalogue import catalogue_section
from .geometry import closest_between_lines, closest_on_segment
from .log import LogEntry
from .model import Model
from .section import Section
from .structure import FREE, Joint, Member, Node, Release, Support

SAME_PLACE = 0.05  # m; an end that lands this near to a node of the member it joins takes that node


class Edit(ABC):
    """A change of a model. `apply` and `revert` may be called in turn any number of times."""

    text = "Edit"

    def __init__(self) -> None:
        self._nodes: dict[str, Node | None] = {}
        self._members: dict[str, Member | None] = {}
        self._order: tuple[list[str], list[str]] = ([], [])

    @abstractmethod
    def change(self, model: Model) -> str:
        """Make the change, after keeping what it touches with `keep_…`; returns the sentence for the log."""

    def apply(self, model: Model) -> None:
        self._nodes, self._members = {}, {}
        self._order = list(model.nodes), list(model.members)
        message = self.change(model)
        model.log.append(LogEntry("corrected", tuple(self._members), message))

    def revert(self, model: Model) -> None:
        for key, node in self._nodes.items():
            if node is None:
                del model.nodes[key]
            else:
                model.nodes[key] = node
        for ident, member in self._members.items():
            if member is not None:
                model.members[ident] = member
        model.nodes = {i: model.nodes[i] for i in self._order[0]}
        model.members = {i: model.members[i] for i in self._order[1]}
        model.log.pop()

    def keep_node(self, model: Model, ident: str) -> None:
        if ident not in self._nodes:
            self._nodes[ident] = deepcopy(model.nodes.get(ident))

    def keep_member(self, model: Model, ident: str) -> Member:
        if ident not in self._members:
            self._members[ident] = deepcopy(model.members[ident])
        return model.members[ident]


class SetSupport(Edit):
    """Give nodes a support (or take it away with FREE)."""

    def __init__(self, nodes: list[str], support: Support) -> None:
        super().__init__()
        self.nodes, self.support = nodes, support
        what = "Free" if support == FREE else "Support"
        self.text = f"{what} {len(nodes)} nodes" if len(nodes) != 1 else f"{what} node {nodes[0]}"

    def change(self, model: Model) -> str:
        for ident in self.nodes:
            self.keep_node(model, ident)
            model.nodes[ident].support = self.support
        return f"{', '.join(self.nodes[:5])}: support {self.support.letters}"


class SetRelease(Edit):
    """Release or fix one end of members."""

    def __init__(self, members: list[str], at_end: bool, release: Release) -> None:
        super().__init__()
        self.members, self.at_end, self.release = members, at_end, release
        self.text = (
            f"{'Release' if release.any else 'Fix'} the {'end' if at_end else 'start'} of {len(members)} members"
        )

    def change(self, model: Model) -> str:
        for ident in self.members:
            member = self.keep_member(model, ident)
            if self.at_end:
                member.release_end = self.release
            else:
                member.release_start = self.release
        return f"{len(self.members)} members: {'end' if self.at_end else 'start'} {self.release.letters}"


class MapProfile(Edit):
    """Take a profile that could not be read as a section of the catalogue, for all its members at once."""

    def __init__(self, profile: str, name: str) -> None:
        super().__init__()
        self.profile, self.name = profile, name
        self.text = f"Map {profile} to {name}"
        self._before: Section | None = None

    def change(self, model: Model) -> str:
        self._before = model.sections.get(self.profile)
        model.sections[self.profile] = catalogue_section(self.name, self.profile, "mapped by hand")
        return f"profile {self.profile} mapped to {self.name}"

    def revert(self, model: Model) -> None:
        super().revert(model)
        if self._before is not None:
            model.sections[self.profile] = self._before


class DeleteMembers(Edit):
    """Take members out of the model; their loads stay in their cases and count as lost."""

    def __init__(self, members: list[str]) -> None:
        super().__init__()
        self.members = members
        self.text = f"Delete {len(members)} members" if len(members) != 1 else "Delete a member"

    def change(self, model: Model) -> str:
        names = []
        for ident in self.members:
            member = self.keep_member(model, ident)
            names.append(member.name or ident)
            del model.members[ident]
        used = {n for m in model.members.values() for n in (m.start, m.end, *(j.node for j in m.joints))}
        for node in [n for n in model.nodes if n not in used]:
            self.keep_node(model, node)
            del model.nodes[node]
        return f"deleted {', '.join(names[:5])}"


class JoinEnd(Edit):
    """Bring a member's end to another member: to its axis, at a new joint or at a node of its that lies there."""

    def __init__(self, member: str, at_end: bool, target: str) -> None:
        super().__init__()
        self.member, self.at_end, self.target = member, at_end, target
        self.text = "Join an end"

    def change(self, model: Model) -> str:
        own, target = self.keep_member(model, self.member), self.keep_member(model, self.target)
        line, other = model.line(own), model.line(target)
        length = model.length(target)
        p = line[int(self.at_end)][None]
        u, v = (line[1] - line[0]) / model.length(own), (other[1] - other[0]) / length
        _, t, sin2 = closest_between_lines(p, u[None], other[:1], v[None])
        along = float(t[0]) if sin2[0] > 0.03 else float(closest_on_segment(p, other[:1], other[1:])[0][0])
        along = min(max(along, 0.0), length)
        places = [(0.0, target.start), *((j.distance, j.node) for j in target.joints), (length, target.end)]
        near = min(places, key=lambda place: abs(place[0] - along))
        point = other[0] + v * along
        if abs(near[0] - along) <= SAME_PLACE + _half(model, own):
            node = near[1]
        else:
            number = 1
            while f"J{number}" in model.nodes:
                number += 1
            node = f"J{number}"
            self.keep_node(model, node)
            model.nodes[node] = Node(node, point)
            target.joints = sorted([*target.joints, Joint(along, node)], key=lambda j: j.distance)
        old = own.end if self.at_end else own.start
        moved = float(np.linalg.norm(model.nodes[node].point - p[0]))
        if self.at_end:
            own.end, own.offset_end = node, np.zeros(3)
        else:
            own.start, own.offset_start = node, np.zeros(3)
        scale = model.length(own) / float(np.linalg.norm(line[1] - line[0]))
        own.joints = [Joint(j.distance * scale, j.node) for j in own.joints]
        used = {n for m in model.members.values() for n in (m.start, m.end, *(j.node for j in m.joints))}
        if old not in used:
            self.keep_node(model, old)
            del model.nodes[old]
        return f"{own.name or own.id} joined to {target.name or target.id}; its end moved {moved * 1000:.0f} mm"


def _half(model: Model, member: Member) -> float:
    section = model.sections.get(member.section)
    return section.depth / 2 if section is not None and section.usable else 0.0
