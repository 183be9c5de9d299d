"""Corrections of what things are: supports, releases, sections, materials, thickness."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from shapely.geometry import Polygon

from ..entities.model import Model
from ..entities.structure import FREE, PINNED_END, Joint, Release, Support
from ..entities.surface import Bed, LineSupport
from ..roles import Role
from .base import Edit, EditError, counted, there

LEAST_ZONE = 0.01  # m2
SAME_ZONE = 0.01  # m
FARTHEST_END = 5.0  # m; an end farther from its node than this is none


@dataclass
class SetSupport(Edit):
    """Give nodes a support (or take it away with FREE)."""

    words = "a support"
    sets = "nodes"
    roles = {"nodes": Role.NODES, "support": Role.SUPPORT}

    nodes: list[str]
    support: Support

    def __post_init__(self) -> None:
        what = "Free" if self.support == FREE else "Support"
        self.text = (
            f"{what} {len(self.nodes)} nodes" if len(self.nodes) != 1 else f"{what} node {self.nodes[0]}"
        )

    def state(self, model: Model, ident: str) -> Any:
        node = model.nodes.get(ident)
        return (node.support.words or "free") if node is not None else None

    @property
    def aim(self) -> Any:
        return self.support.words or "free"

    def change(self, model: Model) -> str:
        for ident in self.nodes:
            self.node(model, ident).support = self.support
        return f"{', '.join(self.nodes[:5])}: support {self.support.words or 'none'}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


@dataclass
class SetMeshSize(Edit):
    """Give surfaces an element size of their own, m (None: as the settings say)."""

    words = "an element size"
    roles = {"surfaces": Role.PARTS, "size": Role.PLAIN}

    surfaces: list[str]
    size: float | None

    def __post_init__(self) -> None:
        self.text = f"Element size of {counted(self.surfaces, 'surface')}"

    def change(self, model: Model) -> str:
        if self.size is not None and not 0.02 <= self.size <= 10:
            raise EditError(f"an element size of {self.size:g} m is not between 0.02 and 10 m")
        for ident in self.surfaces:
            self.surface(model, ident).mesh_size = self.size
        size = "as the settings say" if self.size is None else f"{self.size:g} m"
        return f"{counted(self.surfaces, 'surface')}: elements {size}"


@dataclass
class SetDiaphragm(Edit):
    """Have slabs that hand their loads on stiffen their storey in plan, as rigid floors, or not."""

    words = "rigid floors"
    roles = {"surfaces": Role.PARTS, "rigid": Role.PLAIN}

    surfaces: list[str]
    rigid: bool = True

    def __post_init__(self) -> None:
        how = "stiffen their storey" if self.rigid else "stiffen nothing"
        self.text = f"{counted(self.surfaces, 'slab')}: {how}"

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            s = there(model.surfaces, ident)
            if s.keeps_loads:
                how = (
                    "a wall"
                    if s.upright
                    else "a raft"
                    if s.on_ground
                    else "a shell, which is as stiff in its plane as it is"
                )
                raise EditError(
                    f"{s.name or ident} is {how}; a storey as a whole can be rigid in plan (run.diaphragms)"
                )
        for ident in self.surfaces:
            self.surface(model, ident).diaphragm = self.rigid
        return self.text


@dataclass
class HoldFoot(Edit):
    """Hold the lowest level edges of surfaces by a line support (or take all their line supports away with
    FREE)."""

    words = "a held wall foot"
    roles = {"surfaces": Role.PARTS, "support": Role.SUPPORT}

    surfaces: list[str]
    support: Support

    def __post_init__(self) -> None:
        what = "Free" if self.support == FREE else "Support"
        self.text = f"{what} {counted(self.surfaces, 'wall')}"

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            surface = self.surface(model, ident)
            surface.supports = []
            if self.support.any:
                edges = surface.bottom_edges()
                if not edges:
                    raise EditError(f"{surface.name or ident} has no level edge at its foot")
                surface.supports = [LineSupport(e, self.support) for e in edges]
        return f"{counted(self.surfaces, 'surface')}: foot {self.support.words or 'free'}"


@dataclass
class SetBedding(Edit):
    """Lay surfaces on springs, N/m3 (0: none)."""

    words = "a bed"
    sets = "surfaces"
    roles = {"surfaces": Role.PARTS, "modulus": Role.PLAIN}

    surfaces: list[str]
    modulus: float

    def __post_init__(self) -> None:
        self.text = f"Bed {counted(self.surfaces, 'slab')}"

    def state(self, model: Model, ident: str) -> Any:
        surface = model.surfaces.get(ident)
        return surface.bedding if surface is not None else None

    @property
    def aim(self) -> Any:
        return self.modulus

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            self.surface(model, ident).bedding = self.modulus
        return f"{counted(self.surfaces, 'surface')} bedded on {self.modulus / 1e6:g} MN/m3"


@dataclass
class SetBedZones(Edit):
    """Lay zones of surfaces on ground of their own, as records with `surface`, `outline` (corners in order,
    m, in the model's axes) and `modulus` (N/m3; 0: on nothing); a surface in `cleared` loses the zones it
    had."""

    words = "zones of the ground"
    roles = {"zones": {"outline": Role.PLACES, "surface": Role.PIECE}, "cleared": Role.PARTS}

    zones: list[dict[str, Any]]
    cleared: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.text = f"Ground under {counted(self.zones, 'zone')}" if self.zones else "No zones of the ground"

    def change(self, model: Model) -> str:
        for ident in self.cleared:
            self.surface(model, ident).beds = []
        for zone in self.zones:
            s = self.surface(model, str(zone.get("surface", "")))
            ring = np.array(zone.get("outline", ()), float)
            modulus = float(zone.get("modulus", 0.0))
            if ring.ndim != 2 or ring.shape[0] < 3 or ring.shape[1] != 3 or not np.isfinite(ring).all():
                raise EditError("a zone needs three corners at least, with x, y and z each")
            if not 0 <= modulus <= 1e12:
                raise EditError(f"a modulus of {modulus:g} N/m3 is none")
            flat = Polygon(s.flat(ring))
            if not flat.is_valid or flat.area < LEAST_ZONE or flat.intersection(s.polygon).area < LEAST_ZONE:
                raise EditError(f"the zone covers nothing of {s.name or s.id}")
            placed = s.lifted(s.flat(ring))
            kept = [
                b
                for b in s.beds
                if b.outer.shape != placed.shape or np.abs(b.outer - placed).max() > SAME_ZONE
            ]
            s.beds = [*kept, Bed(placed, modulus)]  # a zone that was there is given another modulus
        return self.text


@dataclass
class SetRelease(Edit):
    """Release or fix one end of members."""

    words = "a release"
    sets = "members"
    roles = {"members": Role.PARTS, "at_end": Role.END, "release": Role.PLAIN}

    keeps_lines = True

    members: list[str]
    at_end: bool
    release: Release

    def __post_init__(self) -> None:
        what = "Release" if self.release.any else "Fix"
        self.text = f"{what} the {'end' if self.at_end else 'start'} of {counted(self.members, 'member')}"

    def state(self, model: Model, ident: str) -> Any:
        m = model.members.get(ident)
        return None if m is None else (m.release_end if self.at_end else m.release_start).words or "fixed"

    @property
    def aim(self) -> Any:
        return self.release.words or "fixed"

    def change(self, model: Model) -> str:
        for ident in self.members:
            member = self.member(model, ident)
            if self.at_end:
                member.release_end = self.release
            else:
                member.release_start = self.release
        return f"{counted(self.members, 'member')}: {'end' if self.at_end else 'start'} {'released in ' + self.release.words if self.release.any else 'fixed'}"


@dataclass
class SetOffset(Edit):
    """Put one end of members beside its node: `by` (m, global) leads from the node to the end, by a rigid
    link; zero brings it back."""

    words = "an end beside its node"
    roles = {"members": Role.PARTS, "at_end": Role.END, "by": Role.DIRECTION}

    keeps_lines = True

    members: list[str]
    at_end: bool
    by: list[float]

    def __post_init__(self) -> None:
        self.text = f"Offset the {'end' if self.at_end else 'start'} of {counted(self.members, 'member')}"

    def change(self, model: Model) -> str:
        by = np.array(self.by, float)
        if by.shape != (3,) or not np.isfinite(by).all() or np.linalg.norm(by) > FARTHEST_END:
            raise EditError(f"an offset has three lengths, together up to {FARTHEST_END:g} m")
        for ident in self.members:
            m = self.member(model, ident)
            before = model.length(m)
            if self.at_end:
                m.offset_end = by.copy()
            else:
                m.offset_start = by.copy()
            length = model.length(m)
            if length < 0.01:
                raise EditError(f"{m.name or m.id} would have no length")
            m.joints = [Joint(j.distance * length / before, j.node) for j in m.joints]
        where = "end" if self.at_end else "start"
        return f"{counted(self.members, 'member')}: {where} {'at its node' if not by.any() else f'{np.linalg.norm(by) * 1000:.0f} mm beside its node'}"


@dataclass
class PinBoth(Edit):
    """Release members in bending at both ends, or fix both (`pinned` False)."""

    words = "pinned ends"
    roles = {"members": Role.PARTS, "pinned": Role.PLAIN}

    members: list[str]
    pinned: bool = True

    def __post_init__(self) -> None:
        self.text = f"{'Pin' if self.pinned else 'Fix'} both ends of {counted(self.members, 'member')}"

    def change(self, model: Model) -> str:
        release = PINNED_END if self.pinned else Release()
        for ident in self.members:
            member = self.member(model, ident)
            member.release_start = member.release_end = release
        return f"{counted(self.members, 'member')}: both ends {'released in ' + release.words if release.any else 'fixed'}"


@dataclass
class SetThickness(Edit):
    """Give surfaces another thickness, m."""

    words = "a thickness"
    sets = "surfaces"
    roles = {"surfaces": Role.PARTS, "thickness": Role.PLAIN}

    made_at = "surfaces"

    surfaces: list[str]
    thickness: float

    def __post_init__(self) -> None:
        self.text = f"Thickness of {counted(self.surfaces, 'surface')}"

    def state(self, model: Model, ident: str) -> Any:
        surface = model.surfaces.get(ident)
        return surface.thickness if surface is not None else None

    @property
    def aim(self) -> Any:
        return self.thickness

    def change(self, model: Model) -> str:
        if not 1e-3 <= self.thickness <= 10:
            raise EditError(f"a thickness of {self.thickness:g} m is none of a slab or wall")
        for ident in self.surfaces:
            self.surface(model, ident).thickness = self.thickness
        return f"{counted(self.surfaces, 'surface')}: {self.thickness * 1000:.0f} mm thick"
