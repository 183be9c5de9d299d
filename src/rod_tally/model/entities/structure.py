"""Nodes and members, what holds them and what lets them go."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..geometry.vectors import Array, local_axes

DIRECTIONS = ("ux", "uy", "uz", "rx", "ry", "rz")
COMPONENTS = ("n", "vy", "vz", "mt", "my", "mz")


def held_words(names: tuple[str, ...], letters: str, springs: tuple[float, ...], mark: str) -> str:
    """Names of the directions with the letter `mark`, springs (letter S) with their stiffness, separated by spaces.

    >>> held_words(DIRECTIONS, "XXSFFF", (0.0, 0.0, 2.5e7, 0.0, 0.0, 0.0), "X")
    'ux uy uz=2.5e7'
    """
    out = []
    for name, letter, k in zip(names, letters, springs):
        if letter == mark:
            out.append(name)
        elif letter == "S":
            out.append(f"{name}={_short(k)}")
    return " ".join(out)


def _short(value: float) -> str:
    """A number with all its digits, and large ones by powers of ten: 2.5e7."""
    if not 1e-3 <= abs(value) < 1e5:
        for digits in range(17):
            text = f"{value:.{digits}e}"
            if float(text) == value:
                mantissa, _, power = text.partition("e")
                return f"{mantissa}e{int(power)}"
    return repr(float(value)).removesuffix(".0")


@dataclass(slots=True, frozen=True)
class Support:
    """What holds a node, in the order ux uy uz rx ry rz.

    `letters`: F free, X held, S spring; `springs` in N/m and N m/rad where the letter is S. `axes` are the rows of a
    rotation matrix when the support is turned, None along the global axes.
    """

    letters: str = "FFFFFF"
    springs: tuple[float, ...] = (0.0,) * 6
    axes: tuple[tuple[float, float, float], ...] | None = None

    @property
    def any(self) -> bool:
        return self.letters != "FFFFFF"

    @property
    def words(self) -> str:
        """The held directions, springs with their stiffness (N/m, N m/rad): "ux uy uz=2.5e7"; "" for a free node."""
        return held_words(DIRECTIONS, self.letters, self.springs, "X")


FREE = Support()
FIXED = Support("XXXXXX")


@dataclass(slots=True, frozen=True)
class Release:
    """A member's end in its local axes, order as a support: F fixed to the node, R released, S spring."""

    letters: str = "FFFFFF"
    springs: tuple[float, ...] = (0.0,) * 6

    @property
    def any(self) -> bool:
        return self.letters != "FFFFFF"

    @property
    def words(self) -> str:
        """The released components, springs with their stiffness: "my mz", "my=4e6"; "" for an end that is fixed."""
        return held_words(COMPONENTS, self.letters, self.springs, "R")


PINNED_END = Release("FFFFRR")  # free to turn in bending, about both local axes


@dataclass(slots=True)
class Node:
    id: str
    point: Array
    support: Support = FREE


@dataclass(slots=True)
class Joint:
    """A node that sits inside a member: at `distance` (m) from the member's start, along its axis."""

    distance: float
    node: str


@dataclass(slots=True)
class Member:
    """A straight member between two nodes. It keeps its identity; only the analysis splits it, at its joints.

    `z_axis` is the direction its local z is as near to as it can be; `offset_start` and `offset_end` (global, m) lead
    from the node to the member's own end (rigid). `source_line` (2, 3) is its axis as the source has it; `pin_joined`:
    the source says it carries axial force only. `element`: the curved element it is a chord of, "" for a whole one;
    `bearing`: the source's load-bearing flag, None where it has none. `read_from`: how its body was read where that was
    not plain (measured, clipped); `ends`: (width, depth) in m at both ends of a body that tapers. `moved_by` (2, 3): how far
    corrections moved the ends from where transfer left them, None: they did not.
    """

    id: str
    name: str
    cls: str
    start: str
    end: str
    section: str
    material: str
    z_axis: Array
    storey: str = ""
    release_start: Release = Release()
    release_end: Release = Release()
    offset_start: Array = field(default_factory=lambda: np.zeros(3))
    offset_end: Array = field(default_factory=lambda: np.zeros(3))
    joints: list[Joint] = field(default_factory=list)
    source_line: Array | None = None
    source_section: str = ""
    source_material: str = ""
    pin_joined: bool = False
    tag: str = ""
    element: str = ""
    bearing: bool | None = None
    read_from: str = ""
    ends: tuple[tuple[float, float], tuple[float, float]] | None = None
    moved_by: Array | None = None

    @property
    def drawn(self) -> Array | None:
        """The axis (2, 3) as the source has it, with what corrections moved it by; None for one that no source has."""
        if self.source_line is None or self.moved_by is None:
            return self.source_line
        return self.source_line + self.moved_by

    @property
    def whole(self) -> str:
        """Id of the source's element: its own, or that of the curved element it is a chord of."""
        return self.element or self.id

    def axes(self, line: Array) -> Array:
        """Rows are the local x, y, z unit vectors for the member lying on `line` (2, 3)."""
        return local_axes(line[1] - line[0], self.z_axis)
