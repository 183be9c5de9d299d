"""Physical models for tests, straight from lines and sections, without a file between."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from rod_tally.intake import SourceModel
from rod_tally.intake.source import SourceElement, SourceFooting, SourceMaterial, SourceProfile
from rod_tally.model import Model, Settings, Storey
from rod_tally.model.geometry.vectors import default_z
from rod_tally.transfer import transfer

COLUMN, BEAM = "col 300x300", "beam 200x400"


def source(storeys: Sequence[float] = (0.0, 4.0)) -> SourceModel:
    """An empty physical source with two solid profiles and one material."""
    s = SourceModel("made.ifc", "IFC4", "physical", {"length": "METRE"})
    s.storeys = [Storey(f"L{k}", z) for k, z in enumerate(storeys)]
    s.profiles[COLUMN] = SourceProfile(COLUMN, "rectangle", {"width": 0.3, "depth": 0.3})
    s.profiles[BEAM] = SourceProfile(BEAM, "rectangle", {"width": 0.2, "depth": 0.4})
    s.materials["S355"] = SourceMaterial("S355", "", 210e9, 81e9, None, 7850.0)
    return s


def add(
    s: SourceModel,
    cls: str,
    name: str,
    a: Sequence[float],
    b: Sequence[float],
    profile: str = "",
    z: Sequence[float] | None = None,
) -> SourceElement:
    line = np.array([a, b], float)
    x = line[1] - line[0]
    z_axis = np.array(z, float) if z is not None else default_z(x)
    profile = profile or (COLUMN if cls == "column" else BEAM)
    storey = max(
        (t for t in s.storeys if t.elevation <= min(a[2], b[2]) + 0.5),
        key=lambda t: t.elevation,
        default=s.storeys[0],
    )
    e = SourceElement(
        name, name, cls, "Ifc", storey.name, line, np.cross(z_axis, x), z_axis, profile, "S355", "extrusion"
    )
    s.elements.append(e)
    s.counts[cls] = s.counts.get(cls, 0) + 1
    return e


def bay(gap: float = 0.0, height: float = 4.0) -> SourceModel:
    """Two columns 6 m apart and a beam between their faces, its top at the columns' top, short by `gap` at
    its end."""
    s = source()
    add(s, "column", "K1", (0, 0, 0), (0, 0, height), z=(1, 0, 0))
    add(s, "column", "K2", (6, 0, 0), (6, 0, height), z=(1, 0, 0))
    add(s, "beam", "B1", (0.15, 0, height - 0.2), (5.85 - gap, 0, height - 0.2))
    return s


def block(bays: int = 2, storeys: int = 2) -> SourceModel:
    """A regular building of storey-high columns and face-to-face beams, with a footing under every column."""
    s = source([4.0 * k for k in range(storeys + 1)])
    for k in range(storeys):
        z0, z1 = 4.0 * k, 4.0 * (k + 1)
        for i in range(bays + 1):
            for j in range(bays + 1):
                x, y = 6.0 * i, 5.0 * j
                add(s, "column", f"K{k}{i}{j}", (x, y, z0), (x, y, z1), z=(1, 0, 0))
                if i < bays:
                    add(s, "beam", f"X{k}{i}{j}", (x + 0.15, y, z1 - 0.2), (x + 5.85, y, z1 - 0.2))
                if j < bays:
                    add(s, "beam", f"Y{k}{i}{j}", (x, y + 0.15, z1 - 0.2), (x, y + 4.85, z1 - 0.2))
                if k == 0:
                    low, high = np.array([x - 0.5, y - 0.5, -0.4]), np.array([x + 0.5, y + 0.5, 0.0])
                    s.footings.append(SourceFooting(f"F{i}{j}", f"F{i}{j}", low, high, "L0"))
    return s


def model(s: SourceModel, **settings: Any) -> Model:
    options = Settings().transfer
    for key, value in settings.items():
        setattr(options, key, value)
    return transfer(s, options)


def moved(
    s: SourceModel, turn: np.ndarray, shift: np.ndarray, order: Sequence[int] | None = None
) -> SourceModel:
    """The same source after a rigid motion, its elements in another order."""
    for e in s.elements:
        e.line = e.line @ turn.T + shift
        e.z_axis, e.y_axis = turn @ e.z_axis, turn @ e.y_axis
    if order is not None:
        s.elements = [s.elements[k] for k in order]
    return s


def shared(m: Model) -> set[frozenset[str]]:
    """Which members meet: the sets of members at each node, named by members alone."""
    return {frozenset(ids) for ids in m.members_at().values()}
