"""The registry of checks, and what a check is given to look at."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cache, cached_property
from importlib.metadata import entry_points
from typing import Any

import numpy as np

from ..analysis.dynamics.modes import Mode
from ..analysis.results.centres import StoreyCentre
from ..analysis.results.results import Results
from ..analysis.results.storeys import StoreyRow
from ..loads import Distribution
from ..meshing.columns import column_walls
from ..meshing.plates import computed_surfaces
from ..model import Finding, LoadCase, Model, Settings
from ..model.geometry.lines import Line, lines_of
from ..model.geometry.panels import Panels
from ..model.geometry.proximity import Rods
from ..model.geometry.tying import bodies_of
from ..model.geometry.vectors import Array, local_axes


@dataclass
class Subject:
    """A model, the results of its run if there are any, and the settings; with what several checks need, made once.

    `loads` is where the loads go when that is known already; `shared` holds what one family of checks makes once.
    """

    model: Model
    results: Results | None = None
    settings: Settings = field(default_factory=Settings)
    loads: Distribution | None = None
    modes: list[Mode] = field(default_factory=list)
    storeys: list[StoreyRow] = field(default_factory=list)
    centres: list[StoreyCentre] = field(default_factory=list)
    shared: dict[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.asked: set[str] = set()

    @cached_property
    def distribution(self) -> Distribution:
        """Where the loads of every case go."""
        return self.loads or Distribution(self.model)

    @cached_property
    def members_at(self) -> dict[str, list[str]]:
        return self.model.members_at()

    @cached_property
    def ids(self) -> list[str]:
        return list(self.model.members)

    @cached_property
    def components(self) -> list[set[str]]:
        """Members that hang together through nodes and through the surfaces that take part: what a run computes as one."""
        parts = (part & self.model.members.keys() for part in self.model.components(self.computed))
        return [part for part in parts if part]

    @cached_property
    def computed(self) -> set[str]:
        """Slabs and walls that a run computes, as shells or as columns."""
        shells = {x.id for x in computed_surfaces(self.model)} | {x.id for x in column_walls(self.model, None)}
        out = self.results.left_out if self.results is not None else {}
        return {x for x in shells if x not in out or out[x] == "it is joined to no support"}

    @cached_property
    def whole_parts(self) -> list[tuple[set[str], bool]]:
        """Parts that hang together through nodes and surfaces (ids of both), with whether anything holds them."""
        out = []
        for part in self.model.components(self.model.surfaces):
            nodes = {n for i in part if i in self.model.members for n in self.nodes_of(i)}
            held = any(self.model.nodes[n].support.any for n in nodes)
            surfaces = [self.model.surfaces[i] for i in part if i in self.model.surfaces]
            out.append((part, held or any(x.supports or x.bedding for x in surfaces)))
        return out

    @cached_property
    def tied(self) -> dict[str, list[str]]:
        """Nodes that are tied to surfaces, with the ids of those."""
        out: dict[str, list[str]] = {}
        for x in self.model.surfaces.values():
            for j in x.joints:
                if j.node:
                    out.setdefault(j.node, []).append(x.id)
        return out

    @cached_property
    def panels(self) -> Panels:
        return Panels(list(self.model.surfaces.values()))

    @property
    def own_cases(self) -> list[LoadCase]:
        """The model's load cases without those that repeat the loads of others, as cases of combinations do."""
        return [c for c in self.model.cases.values() if not c.is_combination]

    @cached_property
    def lines(self) -> list[Line]:
        return lines_of(self.model)

    @cached_property
    def held_components(self) -> list[tuple[set[str], bool]]:
        """Each connected part with whether any of its nodes has a support."""
        out = []
        for part in self.model.components(self.computed):
            members = part & self.model.members.keys()
            nodes = {n for i in members for n in self.nodes_of(i)}
            panes = [self.model.surfaces[i] for i in part - members]
            held = any(self.model.nodes[n].support.any for n in nodes)
            if members:
                out.append((members, held or any(x.supports or x.on_ground for x in panes)))
        return out

    @cached_property
    def held_by_surfaces(self) -> set[str]:
        """Members of parts that held edges or the ground under computed surfaces hold, beside nodes."""
        out: set[str] = set()
        for part in self.model.components(self.computed):
            if any(
                x in self.computed and (s.supports or s.on_ground) for x, s in self.model.surfaces.items() if x in part
            ):
                out |= part & self.model.members.keys()
        return out

    def nodes_of(self, member: str) -> list[str]:
        m = self.model.members[member]
        return [m.start, *(j.node for j in m.joints), m.end]

    @cached_property
    def rods(self) -> Rods:
        """Members as they stand in the source: with bodies for a physical one, axes alone for an analytical one."""
        members = list(self.model.members.values())
        lines = self.model.lines()
        for k, m in enumerate(members):
            if m.source_line is not None:
                lines[k] = m.source_line
        return bodies_of(members, lines, self.model.sections, self.model.physical)

    @cached_property
    def axes(self) -> dict[str, Array]:
        """Local axes (3, 3) of each member as it stands in the model."""
        members = list(self.model.members.values())
        lines = self.model.lines()
        x = lines[:, 1] - lines[:, 0]
        good = np.linalg.norm(x, axis=1) > 1e-9
        x[~good] = (1.0, 0.0, 0.0)
        if not members:
            return {}
        z = np.concatenate([m.z_axis for m in members]).reshape(-1, 3)
        return dict(zip(self.ids, local_axes(x, z).reshape(-1, 3, 3)))

    def name(self, member: str) -> str:
        """Class and name of a member or surface as a sentence calls it: "beam Q2-14"."""
        m = self.model.members.get(member) or self.model.surfaces[member]
        return f"{m.cls} {m.name or m.id}"

    def middle(self, member: str) -> tuple[float, float, float]:
        if member in self.model.surfaces:
            return point(self.model.surfaces[member].outer.mean(axis=0))
        return point(self.model.line(self.model.members[member]).mean(axis=0))


def point(p: Array) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])


def mm(distance: float) -> str:
    """A distance (m) as a reviewer says it: 40 mm, 0.4 mm, 1.25 m."""
    if distance >= 1:
        return f"{distance:.2f} m"
    return f"{distance * 1000:.0f} mm" if distance >= 0.001 else f"{distance * 1000:.2g} mm"


def listed(words: list[str]) -> str:
    """Words as a sentence lists them: "a", "a and b", "a, b and c"; "" for none."""
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)


# what comes after the statics of a run
DYNAMIC = frozenset({"modes", "storeys", "centres"})


class WatchedSubject(Subject):
    """One that remembers, in `asked`, which of `DYNAMIC` was asked for."""

    def __getattribute__(self, name: str) -> Any:
        if name in DYNAMIC:
            object.__getattribute__(self, "asked").add(name)
        return object.__getattribute__(self, name)


Check = Callable[[Subject], Iterable[Finding]]
_REGISTRY: dict[str, Check] = {}


def check(*codes: str) -> Callable[[Check], Check]:
    """Register a function as the check for these codes."""

    def register(function: Check) -> Check:
        for code in codes:
            _REGISTRY[code] = function
        return function

    return register


@cache
def _load() -> None:
    for entry in entry_points(group="rod_tally.checks"):
        entry.load()


def checks() -> dict[str, Check]:
    """All checks by code, ours and those of plug-ins (entry point group `rod_tally.checks`)."""
    _load()
    return dict(_REGISTRY)
