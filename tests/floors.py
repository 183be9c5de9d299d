"""A slab on four beams and four columns, with walls where wanted, made without a file: for tests of loads."""

from __future__ import annotations

import numpy as np

from rod_tally.model import LoadCase, Material, Model, Surface, SurfaceJoint

from .frames import frame

CONCRETE = Material("C30/37", "concrete", 33e9, density=2500.0)


def floor(
    x: float = 6.0, y: float = 4.0, h: float = 3.0, overhang: float = 0.0, openings: bool = False
) -> Model:
    """Columns m0 to m3, beams m4 to m7 round the slab `s` of 0.2 m, on fixed bases."""
    feet = [(0, 0, 0), (x, 0, 0), (x, y, 0), (0, y, 0)]
    tops = [(a, b, h) for a, b, _ in feet]
    m = frame(
        [*feet, *tops],
        [(0, 4), (1, 5), (2, 6), (3, 7), (4, 5), (5, 6), (6, 7), (7, 4)],
        dict.fromkeys(range(4), "fixed"),
    )
    m.materials["C30/37"] = CONCRETE
    o = overhang
    outer = np.array([(-o, -o, h), (x + o, -o, h), (x + o, y + o, h), (-o, y + o, h)], float)
    holes = [np.array([(1, 1, h), (2, 1, h), (2, 2, h), (1, 2, h)], float)] if openings else []
    s = Surface("s", "Slab", "slab", "First", outer, holes, 0.2, "C30/37")
    for k in range(4, 8):
        s.joints.append(SurfaceJoint("member", f"m{k}", m.line(m.members[f"m{k}"])))
    for k in range(4):
        s.joints.append(SurfaceJoint("end", f"m{k}", np.array([tops[k]], float), node=f"n{k + 4}"))
    m.surfaces["s"] = s
    m.cases["live"] = LoadCase("live", "live", category="B")
    return m


def wall(
    m: Model, ident: str, a: tuple[float, float], b: tuple[float, float], low: float, high: float
) -> Surface:
    outer = np.array([(*a, low), (*b, low), (*b, high), (*a, high)], float)
    m.surfaces[ident] = Surface(ident, ident, "wall", "", outer, [], 0.2, "C30/37")
    return m.surfaces[ident]


def turned(m: Model, degrees: float) -> Model:
    """The model itself, turned about Z; loads stay as they are."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
    for n in m.nodes.values():
        n.point = turn @ n.point
    for member in m.members.values():
        member.z_axis = turn @ member.z_axis
    for surface in m.surfaces.values():
        surface.outer = surface.outer @ turn.T
        surface.openings = [r @ turn.T for r in surface.openings]
        for j in surface.joints:
            j.line = j.line @ turn.T
    return m
