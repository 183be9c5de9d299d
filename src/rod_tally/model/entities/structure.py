"""Nodes and members, what holds them and what lets them go."""

from __future__ import annotations

from dataclasses import dataclass, field
from math import inf
from typing import Any

import numpy as np

from ..geometry.vectors import Array, local_axes

DIRECTIONS = ("ux", "uy", "uz", "rx", "ry", "rz")
# How files say in words that a member acts one way, and that a support does not hold against lifting.
ONE_WAY_WORDS = {"tension": "takes tension only", "compression": "takes compression only"}
AT_MOST = ", at most "  # and a number of newtons (of newtons a square metre for ground) behind such words
STANDS = ", only stands on what is below"  # of a wall
LEANS = ", joints along the sides only press"
WEIGHS = ", weight by volume times "  # and a number
IN_AXES = "conditions in axes "
LIFTS = "holds against pressing only"
BED_SIDEWAYS = (
    0.1  # share of the modulus of subgrade reaction that resists sliding; common practice, no source
)
_NOTHING, _ALL = (0.0,) * 6, (inf,) * 6
COMPONENTS = ("n", "vy", "vz", "mt", "my", "mz")


def weighing(words: str | None, share: float) -> str | None:
    """Words for a file with what a part weighs over its section by its length, or its area by its
    thickness; unchanged for 1."""
    return words if share == 1.0 else f"{words or ''}{WEIGHS}{share!r}"


def weight_of(words: str) -> tuple[str, float]:
    """Such words apart from the share behind them; 1 where there is none, or none that is a positive
    number."""
    plain, found, number = words.rpartition(WEIGHS)
    try:
        share = float(number) if found else 0.0
    except ValueError:
        return words, 1.0
    return (plain, share) if 0 < share < inf else (words, 1.0)


def limited(words: str | None, limit: float | None) -> str | None:
    """Words for a file that a part acts one way, with what it bears at most (N, or N/m2)."""
    return f"{words}{AT_MOST}{limit!r}" if words and limit else words


def limit_of(words: str) -> tuple[str, float | None]:
    """Such words apart from the limit behind them; None for none that is a positive number."""
    plain, found, number = words.partition(AT_MOST)
    try:
        limit = float(number) if found else 0.0
    except ValueError:
        return words, None
    return (plain, limit) if 0 < limit < inf else (words if found else plain, None)


def stiffness_words(names: tuple[str, ...], stiffness: tuple[float, ...], plain: float) -> str:
    """Names of the directions whose stiffness is `plain` (0 or infinite), springs with theirs, separated by
    spaces.

    >>> stiffness_words(DIRECTIONS, (inf, inf, 2.5e7, 0.0, 0.0, 0.0), inf)
    'ux uy uz=2.5e7'
    """
    out = []
    for name, k in zip(names, stiffness):
        if k == plain:
            out.append(name)
        elif 0 < k < inf:
            out.append(f"{name}={_short(k)}")
    return " ".join(out)


def stiffness_of(names: tuple[str, ...], words: str, plain: float) -> tuple[float, ...]:
    """The stiffness in the six directions that such words stand for. Raises ValueError for a word that is
    none."""
    out = [0.0 if plain == inf else inf] * 6
    for word in words.split():
        name, equals, k = word.partition("=")
        if name not in names:
            raise ValueError(f"{word!r} is none of {' '.join(names)}")
        out[names.index(name)] = float(k) if equals else plain
    return tuple(out)


def _short(value: float) -> str:
    """A number with all its digits, and large ones by powers of ten: 2.5e7."""
    if not 1e-3 <= abs(value) < 1e5:
        for digits in range(17):
            text = f"{value:.{digits}e}"
            if float(text) == value:
                mantissa, _, power = text.partition("e")
                return f"{mantissa}e{int(power)}"
    return repr(float(value)).removesuffix(".0")


# supports by the words that people use for them
SUPPORT_WORDS = {"fixed": "ux uy uz rx ry rz", "pinned": "ux uy uz", "roller": "uz", "free": ""}


@dataclass(slots=True, frozen=True)
class Support:
    """The support of a node, in the order ux uy uz rx ry rz.

    `stiffness` in N/m and N m/rad: 0 free, infinite held. `axes` are the rows of a rotation matrix when the
    support is turned, None along the global axes."""

    stiffness: tuple[float, ...] = (0.0,) * 6
    axes: tuple[tuple[float, float, float], ...] | None = None

    @classmethod
    def of(cls, words: str, axes: tuple[tuple[float, float, float], ...] | None = None) -> Support:
        """The support of such words as `words` gives. Raises ValueError."""
        return cls(stiffness_of(DIRECTIONS, words, inf), axes)

    @property
    def any(self) -> bool:
        return self.stiffness != _NOTHING

    @property
    def held(self) -> tuple[bool, ...]:
        """Which directions cannot move at all."""
        return tuple(k == inf for k in self.stiffness)

    @property
    def words(self) -> str:
        """The held directions, springs with their stiffness (N/m, N m/rad): "ux uy uz=2.5e7"; "" for a free
        node."""
        return stiffness_words(DIRECTIONS, self.stiffness, inf)

    def record(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"held": self.words, "axes": self.axes}

    @classmethod
    def of_record(cls, values: dict[str, Any]) -> Support:
        """The support of such a record, or of one of the first release. Raises ValueError, KeyError."""
        axes = values.get("axes")
        own = tuple(tuple(float(v) for v in row) for row in axes) if axes is not None else None
        if "letters" in values:
            return cls(_first_release(values, held="X"), own)  # type: ignore[arg-type]
        return cls.of(values["held"], own)  # type: ignore[arg-type]


def along_axes(
    stiffness: tuple[float, ...], axes: Array, wanted: Array, within: float = 1e-6
) -> tuple[float, ...] | None:
    """Six stiffnesses given along the rows of `axes` (3, 3), as they are along those of `wanted`; None where
    they would couple there (a roller at 30 degrees to them) by more than the share `within`."""
    turn = axes @ wanted.T
    out = []
    for group in (stiffness[:3], stiffness[3:]):
        found = [0.0] * 3
        for value in set(group):
            own = turn[[k == value for k in group]]
            shared = own.T @ own  # what of each wanted direction has this value
            if not np.allclose(shared, np.diag(np.round(np.diag(shared))), atol=within):
                return None
            for i in np.flatnonzero(np.diag(shared) > 0.5):
                found[i] = value
        out += found
    return tuple(out)


def right_handed(axes: Array) -> Array:
    """Axes (rows) of a support of which the first is turned round where they are a mirror image of axes: what
    holds along a direction holds along its opposite."""
    return axes * np.array([[np.sign(np.linalg.det(axes))], [1.0], [1.0]])


def edge_axes(way: Array, axis: Array) -> Array | None:
    """Axes (rows) of a line support: x along `way`, z in the plane of x and `axis`; None where these are
    parallel.

    IFC4, IfcStructuralCurveConnection: conditions of one are along these axes."""
    x = way / np.linalg.norm(way)
    z = axis - (axis @ x) * x
    size = float(np.linalg.norm(z))
    return None if size < 1e-6 else np.array([x, np.cross(z / size, x), z / size])


FREE = Support()
FIXED = Support((inf,) * 6)
PINNED = Support.of("ux uy uz")
ROLLER = Support.of("uz")


@dataclass(slots=True, frozen=True)
class Release:
    """The connection of a member's end to its node, in the member's local axes, in the order n vy vz mt my
    mz.

    `stiffness` in N/m and N m/rad: infinite fixed, 0 released.
    """

    stiffness: tuple[float, ...] = (inf,) * 6

    @classmethod
    def of(cls, words: str) -> Release:
        """The release of such words as `words` gives. Raises ValueError."""
        return cls(stiffness_of(COMPONENTS, words, 0.0))

    @property
    def any(self) -> bool:
        return self.stiffness != _ALL

    @property
    def released(self) -> tuple[bool, ...]:
        """Which components are wholly released."""
        return tuple(k == 0 for k in self.stiffness)

    @property
    def words(self) -> str:
        """The released components, springs with their stiffness: "my mz", "my=4e6"; "" for an end that is
        fixed."""
        return stiffness_words(COMPONENTS, self.stiffness, 0.0)

    def record(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {"released": self.words}

    @classmethod
    def of_record(cls, values: dict[str, Any]) -> Release:
        """The release of such a record, or of one of the first release. Raises ValueError, KeyError."""
        if "letters" in values:
            return cls(_first_release(values, held="F"))
        return cls.of(values["released"])


def _first_release(values: dict[str, Any], held: str) -> tuple[float, ...]:
    """The stiffness in a record of the first release: a letter for each direction, `held` for one that cannot
    move, S for a spring, whose stiffness stands beside it."""
    return tuple(
        inf if letter == held else float(k) if letter == "S" else 0.0
        for letter, k in zip(values["letters"], values["springs"], strict=True)
    )


PINNED_END = Release.of("my mz")  # free to turn in bending, about both local axes


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

    `z_axis` is the direction its local z is as near to as it can be; `offset_start` and `offset_end` (global,
    m) lead from the node to the member's own end (rigid). `source_line` (2, 3) is its axis as the source has
    it; `pin_joined`: the source says it carries axial force only. `element`: the curved element it is a chord
    of, "" for a whole one; `bearing`: the source's load-bearing flag, None where it has none. `read_from`:
    how its body was read where that was not plain (measured, clipped); `ends`: (width, depth) in m at both
    ends of a body that tapers. `moved_by` (2, 3): how far corrections moved the ends from where transfer left
    them, None: they did not.

    Its weight is that of the source's body: `body_share` is the body's volume over that of the source's
    section along the source's axis, `length_share` the length of that axis over the one that transfer
    left. `differs` says how body and section differ, "" where they do not. `joined_as`: (width, depth) in m
    of the section that it had when it was joined to others, (0, 0) where that is not known."""

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
    body_share: float = 1.0
    length_share: float = 1.0
    differs: str = ""
    joined_as: tuple[float, float] = (0.0, 0.0)

    @property
    def weight_share(self) -> float:
        """Return what its volume is multiplied by for its weight; what the body has more or less than its
        section counts while it has that section."""
        return self.length_share * (self.body_share if self.as_drawn else 1.0)

    @property
    def as_drawn(self) -> bool:
        """Return whether it still has the section that transfer took from the source."""
        return self.section == self.source_section

    @property
    def drawn(self) -> Array | None:
        """The axis (2, 3) as the source has it, with what corrections moved it by; None for one that no
        source has."""
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
