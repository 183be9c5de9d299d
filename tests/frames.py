"""Small analytical models for tests, made in a line."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from rod_tally.model import (
    FIXED,
    FREE,
    PINNED,
    LoadCase,
    Material,
    Member,
    MemberLoad,
    Model,
    Node,
    Release,
    Section,
    Support,
)
from rod_tally.model.geometry.vectors import default_z
from rod_tally.transfer.members.analytical import class_by_slope

E, G = 210e9, 81e9
PLAIN = Section("plain", "values", 5e-3, 8e-5, 6e-6, 0.0, 2e-7, 0.0, 0.0)
FLEXIBLE = Section("flexible", "values", 5e-3, 8e-5, 6e-6, 0.0, 2e-7, 2.5e-3, 2e-3)
TILTED = Section("tilted", "values", 5e-3, 8e-5, 6e-5, 3e-5, 2e-7, 0.0, 0.0)


def held(words: str | Support) -> Support:
    """A support of the words fixed, pinned, or the directions that are held."""
    known = {"fixed": FIXED, "pinned": PINNED}
    return words if isinstance(words, Support) else known.get(words) or Support.of(words)


def frame(
    points: Sequence[Sequence[float]],
    members: Sequence[tuple[int, int]],
    supports: Mapping[int, str | Support],
    releases: dict[int, tuple[str, str]] | None = None,
    section: Section = PLAIN,
    density: float = 7850.0,
    z: Sequence[float] | None = None,
) -> Model:
    """Nodes n0, n1 … and members m0, m1 …; supports by node index, releases by member index."""
    m = Model(kind="analytical")
    m.sections[section.name] = section
    m.materials["steel"] = Material("steel", "steel", E, G, density=density)
    for k, p in enumerate(points):
        support = held(supports[k]) if k in supports else FREE
        m.nodes[f"n{k}"] = Node(f"n{k}", np.array(p, float), support)
    for k, (a, b) in enumerate(members):
        x = np.array(points[b], float) - np.array(points[a], float)
        start, end = (releases or {}).get(k, ("", ""))
        m.members[f"m{k}"] = Member(
            f"m{k}",
            f"m{k}",
            class_by_slope(x),
            f"n{a}",
            f"n{b}",
            section.name,
            "steel",
            np.array(z, float) if z is not None else default_z(x),
            release_start=Release.of(start),
            release_end=Release.of(end),
        )
    return m


def beam(length: float, left: str | Support, right: str | Support, **kw: object) -> Model:
    """One member along x between two supports."""
    return frame([(0, 0, 0), (length, 0, 0)], [(0, 1)], {0: left, 1: right}, **kw)  # type: ignore[arg-type]


def line_load(
    model: Model, member: str, qa: Sequence[float], qb: Sequence[float] | None = None, **kw: object
) -> LoadCase:
    """A case `q` with a load over the whole length of a member."""
    length = model.length(model.members[member])
    options = {"a": 0.0, "b": length} | kw
    load = MemberLoad(member, qa=tuple(qa), qb=tuple(qb if qb is not None else qa), **options)  # type: ignore[arg-type]
    case = model.cases.setdefault("q", LoadCase("q", "live"))
    case.member_loads.append(load)
    return case


def regular(bays: int = 2, storeys: int = 2, bay: float = 6.0, height: float = 3.5) -> Model:
    """A regular space frame with fixed bases, bays by bays in plan."""
    n = bays + 1
    points = [(i * bay, j * bay, s * height) for s in range(storeys + 1) for j in range(n) for i in range(n)]

    def at(i: int, j: int, s: int) -> int:
        return (s * n + j) * n + i

    members = [(at(i, j, s), at(i, j, s + 1)) for s in range(storeys) for j in range(n) for i in range(n)]
    for s in range(1, storeys + 1):
        members += [(at(i, j, s), at(i + 1, j, s)) for j in range(n) for i in range(bays)]
        members += [(at(i, j, s), at(i, j + 1, s)) for j in range(bays) for i in range(n)]
    return frame(points, members, {k: "fixed" for k in range(n * n)})
