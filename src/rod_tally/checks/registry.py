"""The registry of checks, and what a check is given to look at."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cache, cached_property
from importlib.metadata import entry_points
from typing import Any, Generic, TypeVar

import numpy as np

from ..analysis.dynamics.modes import Mode
from ..analysis.results.centres import StoreyCentre
from ..analysis.results.results import Results
from ..analysis.results.storeys import StoreyRow
from ..analysis.solve.diaphragms import Floor, every_floor
from ..loads import Distribution
from ..meshing.columns import column_walls
from ..meshing.plates import computed_surfaces
from ..model import Finding, LoadCase, Model, Settings
from ..model.changes import ASPECTS
from ..model.geometry.lines import Line, lines_of
from ..model.geometry.panels import Panels
from ..model.geometry.proximity import Rods
from ..model.geometry.tying import bodies_of
from ..model.geometry.vectors import Array, local_axes

T = TypeVar("T")

# what a subject has beside the model; which of it a check asks for is noted while it looks
BESIDE = ("results", "settings", "modes", "storeys", "centres")


class _Noted(Generic[T]):
    """An attribute of a subject of which it is noted that it was asked for."""

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    def __get__(self, subject: Subject, owner: type) -> T:
        subject.asked.add(self.name)
        value: T = subject.__dict__["_" + self.name]
        return value

    def __set__(self, subject: Subject, value: T) -> None:
        subject.__dict__["_" + self.name] = value


class _Once(Generic[T]):
    """A value that several checks need of a subject, made when it is first asked for. A check that asks for
    it has asked for what it was made of."""

    def __init__(self, make: Callable[[Any], T], looks_at: tuple[str, ...]) -> None:
        self.make, self.__doc__ = make, make.__doc__
        self.looks_at = frozenset(looks_at)

    def __set_name__(self, owner: type, name: str) -> None:
        self.name = name

    def __get__(self, subject: Subject, owner: type) -> T:
        return subject.once(self.name, lambda: self.make(subject), self.looks_at)


@dataclass(slots=True, frozen=True)
class Made:
    """Something made for a subject's checks, the aspects of the model that it depends on, and what was asked
    for while it was made."""

    value: Any
    looks_at: frozenset[str]
    asked: frozenset[str]


def made_once(*looks_at: str) -> Callable[[Callable[[Any], T]], _Once[T]]:
    """A property of a subject that is made once, and kept over corrections that change none of these aspects
    of the model."""
    return lambda make: _Once(make, looks_at or ASPECTS)


class Subject:
    """A model, the results of its run if there are any, and the settings; with what several checks need, made
    once.

    `loads` is where the loads go when that is known already; `asked` holds what was asked for since it was
    emptied: names of `BESIDE`, and the aspects of the model that things made once depend on."""

    results: _Noted[Results | None] = _Noted()
    settings: _Noted[Settings] = _Noted()
    modes: _Noted[list[Mode]] = _Noted()
    storeys: _Noted[list[StoreyRow]] = _Noted()
    centres: _Noted[list[StoreyCentre]] = _Noted()

    def __init__(
        self,
        model: Model,
        results: Results | None = None,
        settings: Settings | None = None,
        loads: Distribution | None = None,
        modes: list[Mode] | None = None,
        storeys: list[StoreyRow] | None = None,
        centres: list[StoreyCentre] | None = None,
    ) -> None:
        self.model, self.loads = model, loads
        self.made: dict[str, Made] = {}
        self.asked: set[str] = set()
        self.results, self.settings = results, settings or Settings()
        self.modes, self.storeys, self.centres = modes or [], storeys or [], centres or []

    def once(self, name: str, make: Callable[[], T], looks_at: Iterable[str] = ASPECTS) -> T:
        """Return what `make` gives, made when that name is first asked for, and kept over corrections that
        change none of these aspects of the model."""
        kept = self.made.get(name)
        if kept is None:
            outer, self.asked = self.asked, set()
            try:
                value = make()
                kept = self.made[name] = Made(value, frozenset(looks_at), frozenset(self.asked))
            finally:
                self.asked = outer
        self.asked |= kept.asked | kept.looks_at
        return kept.value

    @cached_property
    def floors(self) -> list[Floor]:
        """Floors of the run that are stiff in their plane; for checks that are made anew after every
        correction."""
        r = self.results
        if r is None or r.empty:
            return []
        live = np.atleast_1d(r.node_done.any(axis=0))
        xyz = r.xyz - self.model.origin
        return every_floor(self.model, r.node_ids, r.plates, xyz, live, self.settings.run.diaphragms)

    @property
    def distribution(self) -> Distribution:
        """Where the loads of every case go."""
        if self.loads is None:
            self.loads = Distribution(self.model)
        return self.loads

    @made_once("geometry")
    def members_at(self) -> dict[str, list[str]]:
        return self.model.members_at()

    @made_once("geometry")
    def ids(self) -> list[str]:
        return list(self.model.members)

    @made_once("geometry")
    def components(self) -> list[set[str]]:
        """Members that hang together through nodes and through the surfaces that take part: what a run
        computes as one."""
        parts = (part & self.model.members.keys() for part in self.model.components(self.computed))
        return [part for part in parts if part]

    @made_once("geometry")
    def computed(self) -> set[str]:
        """Slabs and walls that a run computes, as shells or as columns."""
        shells = {x.id for x in computed_surfaces(self.model)} | {
            x.id for x in column_walls(self.model, None)
        }
        out = self.results.left_out if self.results is not None else {}
        return {x for x in shells if x not in out or out[x] == "it is joined to no support"}

    @made_once("geometry", "supports")
    def whole_parts(self) -> list[tuple[set[str], bool]]:
        """Parts that hang together through nodes and surfaces (ids of both), with whether anything holds
        them."""
        out = []
        for part in self.model.components(self.model.surfaces):
            nodes = {n for i in part if i in self.model.members for n in self.nodes_of(i)}
            held = any(self.model.nodes[n].support.any for n in nodes)
            surfaces = [self.model.surfaces[i] for i in part if i in self.model.surfaces]
            out.append((part, held or any(x.supports or x.on_ground for x in surfaces)))
        return out

    @made_once("geometry")
    def tied(self) -> dict[str, list[str]]:
        """Nodes that are tied to surfaces, with the ids of those."""
        out: dict[str, list[str]] = {}
        for x in self.model.surfaces.values():
            for j in x.joints:
                if j.node:
                    out.setdefault(j.node, []).append(x.id)
        return out

    @made_once("geometry")
    def panels(self) -> Panels:
        return Panels(list(self.model.surfaces.values()))

    @property
    def own_cases(self) -> list[LoadCase]:
        """The model's load cases without those that repeat the loads of others, as cases of combinations
        do."""
        return [c for c in self.model.cases.values() if not c.is_combination]

    @made_once("geometry", "names")
    def lines(self) -> list[Line]:
        return lines_of(self.model)

    @made_once("geometry", "supports")
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

    @made_once("geometry", "supports")
    def held_by_surfaces(self) -> set[str]:
        """Members of parts that held edges or the ground under computed surfaces hold, beside nodes."""
        out: set[str] = set()
        for part in self.model.components(self.computed):
            if any(
                x in self.computed and (s.supports or s.on_ground)
                for x, s in self.model.surfaces.items()
                if x in part
            ):
                out |= part & self.model.members.keys()
        return out

    @made_once("geometry")
    def lengths(self) -> list[float]:
        """Return the length of every member, in the order of `ids`, m."""
        lines = self.model.lines()
        return np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).tolist()

    def nodes_of(self, member: str) -> list[str]:
        m = self.model.members[member]
        return [m.start, *(j.node for j in m.joints), m.end]

    @made_once("geometry", "sections")
    def rods(self) -> Rods:
        """Members as they stand in the source: with bodies for a physical one, axes alone for an analytical
        one."""
        members = list(self.model.members.values())
        lines = self.model.lines()
        for k, m in enumerate(members):
            if m.source_line is not None:
                lines[k] = m.source_line
        return bodies_of(members, lines, self.model.sections, self.model.physical)

    @made_once("geometry")
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


Check = Callable[[Subject], Iterable[Finding]]
_REGISTRY: dict[str, Check] = {}
_LOOKS_AT: dict[Check, frozenset[str]] = {}
EVERYTHING = frozenset(ASPECTS)


def check(*codes: str, looks_at: tuple[str, ...] = ASPECTS) -> Callable[[Check], Check]:
    """Register a function as the check for these codes. `looks_at`: the aspects of the model that what it
    finds depends on; after a correction that changes none of them it is not made again. Names of parts need
    not be said."""
    unknown = {*looks_at} - EVERYTHING
    if unknown:
        raise ValueError(
            f"{', '.join(sorted(unknown))}: no aspect of a model; there are {', '.join(ASPECTS)}"
        )

    def register(function: Check) -> Check:
        for code in codes:
            _REGISTRY[code] = function
        _LOOKS_AT[function] = frozenset((*looks_at, "names"))
        return function

    return register


@cache
def _load() -> None:
    for entry in entry_points(group="rod_tally.checks"):
        entry.load()


def looks_at(function: Check) -> frozenset[str]:
    """The aspects of a model that what a check finds depends on."""
    return _LOOKS_AT.get(function, EVERYTHING)


def checks() -> dict[str, Check]:
    """All checks by code, ours and those of plug-ins (entry point group `rod_tally.checks`)."""
    _load()
    return dict(_REGISTRY)
