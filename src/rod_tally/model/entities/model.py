"""The model itself: everything by id, and the few lookups that every package needs."""

from __future__ import annotations

import math
from collections.abc import Collection
from copy import copy
from dataclasses import dataclass, field, fields
from typing import Any

import numpy as np

from ..geometry.vectors import Array
from .cuts import Cut
from .grid import GridLine
from .loads import GRAVITY, Combination, LoadCase
from .log import LogEntry, Skipped
from .material import Material
from .section import Section
from .structure import Member, Node
from .surface import Surface


@dataclass(slots=True)
class Storey:
    """A level, m; `derived`: from the model's own beams and slabs, for its source names none."""

    name: str
    elevation: float
    derived: bool = False


@dataclass(slots=True)
class Counterpart:
    """An analytical member or surface and the physical element it stands for; either id is "" where there is
    none.

    `how`: "linked" in the file, "placed" (found by place) or "" for one alone. `distance` (m): how far it
    lies off."""

    cls: str
    analytical: str
    physical: str
    how: str = ""
    distance: float = 0.0
    analytical_section: str = ""
    physical_section: str = ""
    analytical_material: str = ""
    physical_material: str = ""
    name: str = ""


@dataclass(slots=True)
class Model:
    """An analytical model. Coordinates are local: `origin` (m) is what was taken off the source's
    coordinates.

    `groups` are the source's element groups by name, ids of members and surfaces; `north` (rad) is the angle
    from y to true north, against the clock; `counterparts` hold both sides of a source that brings both;
    `one_way` are members that act in tension or compression only, `lifting` nodes and surfaces whose support
    only pushes upwards, `standing` walls that only stand on what is below them, `leaning` those whose
    upright joints only press; of the first two `limits` are what members bear at most (N), `bearing` what
    nodes (N) and the ground under surfaces (N/m2) do; `corrections` are what a reviewer changed, in order,
    as `edits.to_record` writes them, `removed_…` what they took out of the model; `pairing` says which part
    of the baseline a part is, where that was said by hand, "" for a new one; `pair_by` is "place" where
    identities shall say nothing of a motion of the whole; `side` which of both sides of a source was gone on
    with (physical or analytical), "" for a source that has one; `taken_with` the settings of transfer that
    it was taken in with, as plain values, {} where they are not known, and `source_print` a digest of where
    the source's parts lie."""

    name: str = ""
    kind: str = "physical"
    schema: str = ""
    units: dict[str, str] = field(default_factory=dict)
    source_file: str = ""
    origin: Array = field(default_factory=lambda: np.zeros(3))
    storeys: list[Storey] = field(default_factory=list)
    nodes: dict[str, Node] = field(default_factory=dict)
    members: dict[str, Member] = field(default_factory=dict)
    surfaces: dict[str, Surface] = field(default_factory=dict)
    sections: dict[str, Section] = field(default_factory=dict)
    materials: dict[str, Material] = field(default_factory=dict)
    cases: dict[str, LoadCase] = field(default_factory=dict)
    combinations: list[Combination] = field(default_factory=list)
    log: list[LogEntry] = field(default_factory=list)
    skipped: list[Skipped] = field(default_factory=list)
    source_counts: dict[str, int] = field(default_factory=dict)
    snap: float = 0.025
    search: float = 0.3
    grids: list[GridLine] = field(default_factory=list)
    groups: dict[str, list[str]] = field(default_factory=dict)
    north: float = 0.0
    counterparts: list[Counterpart] = field(default_factory=list)
    one_way: dict[str, str] = field(default_factory=dict)
    lifting: list[str] = field(default_factory=list)
    standing: list[str] = field(default_factory=list)
    leaning: list[str] = field(default_factory=list)
    limits: dict[str, float] = field(default_factory=dict)
    bearing: dict[str, float] = field(default_factory=dict)
    removed_members: dict[str, Member] = field(default_factory=dict)
    removed_surfaces: dict[str, Surface] = field(default_factory=dict)
    corrections: list[dict[str, Any]] = field(default_factory=list)
    cuts: list[Cut] = field(default_factory=list)
    pairing: dict[str, str] = field(default_factory=dict)
    pair_by: str = ""
    side: str = ""
    taken_with: dict[str, Any] = field(default_factory=dict)
    source_print: str = ""

    @property
    def physical(self) -> bool:
        """Return whether its members are bodies of the source, not its analytical members."""
        return (self.side or self.kind) == "physical"

    def snapshot(self) -> Model:
        """The model as it is now: corrections put copies in place of what they change, and change nothing of
        this one."""
        out = copy(self)
        for f in fields(self):
            value = getattr(self, f.name)
            if isinstance(value, dict):
                setattr(out, f.name, dict(value))
            elif isinstance(value, list):
                setattr(out, f.name, list(value))
        out.groups = {name: list(ids) for name, ids in self.groups.items()}
        return out

    def become(self, other: Model) -> None:
        """Take on another model's state, which stays as it is: who holds this one sees that one's."""
        state = other.snapshot()
        for f in fields(self):
            setattr(self, f.name, getattr(state, f.name))

    def parts(self) -> list[Member | Surface]:
        """All members, then all surfaces."""
        return [*self.members.values(), *self.surfaces.values()]

    def part(self, ident: str) -> Member | Surface | None:
        """The member or surface of that id; None for none."""
        return self.members.get(ident) or self.surfaces.get(ident)

    def line(self, member: Member) -> Array:
        """The member's axis (2, 3) in the model: its nodes plus its offsets, m."""
        return np.array(
            [
                self.nodes[member.start].point + member.offset_start,
                self.nodes[member.end].point + member.offset_end,
            ]
        )

    def lines(self) -> Array:
        """Axes of all members (n, 2, 3), in the order of `members`; shape (0, 2, 3) for none."""
        return self.lines_of(list(self.members.values()))

    def lines_of(self, members: list[Member]) -> Array:
        """Axes of these members (n, 2, 3), in their order."""
        if not members:
            return np.zeros((0, 2, 3))
        # concatenated: numpy looks into every item of a list of arrays, which takes ten times as long
        nodes = self.nodes
        at = np.concatenate([nodes[n].point for m in members for n in (m.start, m.end)])
        off = np.concatenate([o for m in members for o in (m.offset_start, m.offset_end)])
        return (at + off).reshape(-1, 2, 3)

    def length(self, member: Member) -> float:
        # asked for every member many times: without the array of both ends it takes a third
        nodes = self.nodes
        d = nodes[member.end].point + member.offset_end - nodes[member.start].point - member.offset_start
        return math.sqrt(d @ d)

    def usable(self, member: Member) -> bool:
        """Return whether a stiffness can be computed for it: section and material known, and some length."""
        section, material = self.sections.get(member.section), self.materials.get(member.material)
        return bool(
            section and section.usable and material and material.usable and self.length(member) > 1e-9
        )

    def volume(self, member: Member) -> float:
        """Volume of the member's body, m3; 0 where its section is not known."""
        section = self.sections.get(member.section)
        return section.mean_area * self.length(member) * member.weight_share if section else 0.0

    def source_volume(self, member: Member) -> float:
        """Volume of the source's body, m3; 0 for a member that no source has."""
        section, line = self.sections.get(member.source_section), member.source_line
        if section is None or line is None:
            return 0.0
        return section.mean_area * float(np.linalg.norm(line[1] - line[0])) * member.body_share

    def weight(self, member: Member) -> float:
        """Self-weight, N; 0 where section or density is not known."""
        material = self.materials.get(member.material)
        return self.volume(member) * (material.density or 0.0) * GRAVITY if material else 0.0

    def surface_weight(self, surface: Surface) -> float:
        """Self-weight of a surface, N; 0 where the density is not known."""
        material = self.materials.get(surface.material)
        return surface.volume * (material.density or 0.0) * GRAVITY if material else 0.0

    def storey_of(self, z: float) -> str:
        """The storey whose elevation is the highest one not above z (with 0.5 m of grace); "" without
        storeys."""
        below = [s for s in self.storeys if s.elevation <= z + 0.5]
        if below:
            return max(below, key=lambda s: s.elevation).name
        return min(self.storeys, key=lambda s: s.elevation).name if self.storeys else ""

    def members_at(self) -> dict[str, list[str]]:
        """Node id to ids of the members that end or pass there."""
        at: dict[str, list[str]] = {n: [] for n in self.nodes}
        for m in self.members.values():
            for node in {m.start, m.end, *(j.node for j in m.joints)}:
                at[node].append(m.id)
        return at

    def components(self, surfaces: Collection[str] = ()) -> list[set[str]]:
        """Sets of member ids that hang together through nodes, in the order of their first member.

        They also hang together through these slabs and walls, whose ids are then in the sets too.
        """
        parent = {n: n for n in self.nodes}
        wanted = set(surfaces)
        panes = [s for i, s in self.surfaces.items() if i in wanted]
        parent |= {f"/{s.id}": f"/{s.id}" for s in panes}

        def find(n: str) -> str:
            while parent[n] != n:
                parent[n] = parent[parent[n]]
                n = parent[n]
            return n

        for m in self.members.values():
            for node in (m.end, *(j.node for j in m.joints)):
                parent[find(node)] = find(m.start)
        for s in panes:
            for tied in s.joints:
                other = self.members.get(tied.other)
                end = tied.node or (other.start if other is not None else f"/{tied.other}")
                if end in parent:
                    parent[find(end)] = find(f"/{s.id}")
        groups: dict[str, set[str]] = {}
        for m in self.members.values():
            groups.setdefault(find(m.start), set()).add(m.id)
        for s in panes:
            groups.setdefault(find(f"/{s.id}"), set()).add(s.id)
        return list(groups.values())
