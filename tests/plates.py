"""Slabs and walls to compute, made without a file."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from rod_tally.model import AreaLoad, LineSupport, LoadCase, Material, Model, Surface

from .frames import held

E, NU = 30e9, 0.2
MATERIAL = Material("plate", "concrete", E, E / 2 / (1 + NU), density=2500.0)


def plate_model() -> Model:
    m = Model(kind="analytical")
    m.materials["plate"] = MATERIAL
    return m


def shell(
    m: Model,
    ident: str,
    outer: Sequence[Sequence[float]],
    t: float = 0.2,
    openings: Sequence[Sequence[Sequence[float]]] = (),
    cls: str = "slab",
    edges: str = "",
    size: float | None = None,
) -> Surface:
    """A surface computed as a shell; `edges` are the words of a support along its whole outline."""
    ring = np.array(outer, float)
    holes = [np.array(o, float) for o in openings]
    s = Surface(ident, ident, cls, "", ring, holes, t, "plate", way="shell", mesh_size=size)
    if edges:
        s.supports = [
            LineSupport(np.array([a, b]), held(edges)) for a, b in zip(ring, np.roll(ring, -1, axis=0))
        ]
    m.surfaces[ident] = s
    return s


def rectangle(a: float, b: float, z: float = 0.0) -> list[tuple[float, float, float]]:
    return [(0, 0, z), (a, 0, z), (a, b, z), (0, b, z)]


def pressure(m: Model, surface: str, q: float, case: str = "q") -> LoadCase:
    """A case with a pressure q (N/m2) downwards on a surface."""
    c = m.cases.setdefault(case, LoadCase(case, "live"))
    c.area_loads.append(AreaLoad(surface, ((0.0, 0.0, -q),)))
    return c
