"""Members that act in one way only, supports that can lift off, and what both bear at most."""

from __future__ import annotations

from dataclasses import dataclass

from ..entities.model import Model
from ..roles import Role
from .base import Edit, EditError, counted

WAYS = ("tension", "compression")
BOTH = ""


@dataclass
class SetOneWay(Edit):
    """Let members act in tension only, in compression only, or (BOTH) in both."""

    words = "members that act in one way"
    roles = {"members": Role.PARTS, "way": Role.PLAIN}

    members: list[str]
    way: str

    def __post_init__(self) -> None:
        what = f"in {self.way} only" if self.way else "both ways"
        self.text = f"{counted(self.members, 'member')} {what}"

    def change(self, model: Model) -> str:
        if self.way not in (*WAYS, BOTH):
            raise EditError(f"{self.way!r} is no way to act; known are {', '.join(WAYS)}")
        for ident in self.members:
            self.member(model, ident)
        kept = {k: v for k, v in model.one_way.items() if k not in self.members}
        model.one_way = kept | (dict.fromkeys(self.members, self.way) if self.way else {})
        model.limits = {k: v for k, v in model.limits.items() if k in model.one_way}
        return self.text

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(self.members)


@dataclass
class SetLifting(Edit):
    """Let the supports of nodes push upwards only, so that they can lift off, or hold both ways again."""

    words = "supports that can lift off"
    roles = {"nodes": Role.NODES, "lifts": Role.PLAIN}

    nodes: list[str]
    lifts: bool = True

    def __post_init__(self) -> None:
        self.text = f"{counted(self.nodes, 'support')} {'can lift off' if self.lifts else 'hold both ways'}"

    def change(self, model: Model) -> str:
        for ident in self.nodes:
            if self.lifts and not self.node(model, ident).support.stiffness[2]:
                raise EditError(f"node {ident} is not held upwards, so that nothing can lift off there")
        model.lifting = [n for n in model.lifting if n not in self.nodes] + (
            list(self.nodes) if self.lifts else []
        )
        model.bearing = {k: v for k, v in model.bearing.items() if k in model.lifting}
        return self.text


@dataclass
class SetGroundLifting(Edit):
    """Let the ground and the held edges under surfaces push upwards only, so that they can lift off, or hold
    both ways again."""

    words = "ground that only pushes"
    roles = {"surfaces": Role.PARTS, "lifts": Role.PLAIN}

    surfaces: list[str]
    lifts: bool = True

    def __post_init__(self) -> None:
        self.text = (
            f"{counted(self.surfaces, 'surface')} {'can lift off' if self.lifts else 'held both ways'}"
        )

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            s = self.surface(model, ident)
            if self.lifts and not s.on_ground and not any(e.support.stiffness[2] for e in s.supports):
                raise EditError(f"{s.cls} {s.name or s.id} is not held upwards, so that it cannot lift off")
        model.lifting = [i for i in model.lifting if i not in self.surfaces] + (
            list(self.surfaces) if self.lifts else []
        )
        model.bearing = {k: v for k, v in model.bearing.items() if k in model.lifting}
        return self.text


@dataclass
class SetStanding(Edit):
    """Let walls only stand on what is below them, so that the joint at their foot opens where it would have
    to pull, or be joined to it again; with `sides` the same of the joints along their upright edges."""

    words = "walls that only stand"
    roles = {"surfaces": Role.PARTS, "stands": Role.PLAIN, "sides": Role.PLAIN}

    surfaces: list[str]
    stands: bool = True
    sides: bool = False

    def __post_init__(self) -> None:
        where = "along the sides" if self.sides else "at the foot"
        does = "only presses" if len(self.surfaces) == 1 else "only press"
        self.text = f"{counted(self.surfaces, 'wall')} {does if self.stands else 'joined'} {where}"

    def change(self, model: Model) -> str:
        for ident in self.surfaces:
            s = self.surface(model, ident)
            if self.stands and (not s.upright or not (s.side_edges() if self.sides else s.bottom_edges())):
                what = "upright edge" if self.sides else "level foot to stand on"
                raise EditError(f"{s.cls} {s.name or s.id} has no {what}")
            if self.stands and s.way != "shell":
                raise EditError(
                    f"{s.cls} {s.name or s.id} is computed as a column: only a shell can stand apart"
                )
        now = model.leaning if self.sides else model.standing
        now = [i for i in now if i not in self.surfaces] + (list(self.surfaces) if self.stands else [])
        if self.sides:
            model.leaning = now
        else:
            model.standing = now
        return self.text


@dataclass
class SetLimit(Edit):
    """Set the most that one-way members bear (N), or `supports`, nodes (N) and surfaces on the ground (N/m2),
    that can lift off; 0 for no limit."""

    words = "what one-way parts bear at most"
    roles = {"parts": Role.HELD, "limit": Role.PLAIN, "supports": Role.PLAIN}

    parts: list[str]
    limit: float
    supports: bool = False

    def __post_init__(self) -> None:
        what = counted(self.parts, "support" if self.supports else "member")
        self.text = f"{what}: {f'at most {self.limit / 1e3:g} kN' if self.limit else 'no limit'}"

    def change(self, model: Model) -> str:
        if not 0 <= self.limit <= 1e12:
            raise EditError(f"a limit of {self.limit:g} N is none")
        for ident in self.parts:
            if not self.supports:
                m = self.member(model, ident)
                if self.limit and ident not in model.one_way:
                    raise EditError(f"{m.name or ident} acts both ways: let it act in one first")
            elif self.limit and ident not in model.lifting:
                raise EditError(f"the support at {ident} holds both ways: let it lift off first")
            elif ident in model.surfaces and self.limit and not model.surfaces[ident].on_ground:
                raise EditError(
                    f"{model.surfaces[ident].name or ident} lies on no ground: its held edges have no limit"
                )
        kept = model.bearing if self.supports else model.limits
        kept = {k: v for k, v in kept.items() if k not in self.parts} | (
            dict.fromkeys(self.parts, self.limit) if self.limit else {}
        )
        if self.supports:
            model.bearing = kept
        else:
            model.limits = kept
        return self.text

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(i for i in self.parts if model.part(i) is not None)
