"""Centres of mass and of stiffness of each storey: how far a push through the one turns it about the
other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...loads import Distribution
from ...model import Model, Settings
from ...model.geometry.heights import LEVEL_REACH, nearest_level
from ..dynamics.mass import mass_cases, nodal_mass
from ..solve.diaphragms import UPRIGHT, hanging_together, links_of
from ..solve.flexibility import Flexibility, turned

SMALL = 0.05  # of a storey's mass; parts below are brackets and the like. Common practice, no source.
LEAST = 1e-9  # of a floor's own size squared; below it the floor cannot turn


@dataclass(slots=True)
class StoreyCentre:
    """A storey that moves: mass (kg), its centre and that of stiffness in plan (m, the source's axes),
    torsional radii (m) and the radius of gyration of the mass in plan (m). `part` numbers what does not hang
    together in it, such as two towers; 0: all does.

    The centre of stiffness is where a level force on this floor alone does not turn it. `radius_x` is the
    root of the stiffness against turning about that centre over the stiffness along y, `radius_y` over that
    along x, as in EN 1998-1 4.2.3.2(6), which wants eccentricities of at most 0.3 of them and both above the
    gyration radius."""

    storey: str
    elevation: float
    mass: float
    mass_x: float
    mass_y: float
    stiff_x: float
    stiff_y: float
    radius_x: float
    radius_y: float
    gyration: float
    part: int = 0

    @property
    def name(self) -> str:
        return f"{self.storey}, part {self.part}" if self.part else self.storey

    @property
    def eccentricity(self) -> tuple[float, float]:
        """From the centre of stiffness to that of mass along x and y, m, without sign."""
        return abs(self.mass_x - self.stiff_x), abs(self.mass_y - self.stiff_y)

    @property
    def turns(self) -> bool:
        """Return whether EN 1998-1 4.2.3.2(6) is not met in one direction or both."""
        off_x, off_y = self.eccentricity
        slender = min(self.radius_x, self.radius_y) < self.gyration
        return slender or off_x > 0.3 * self.radius_x or off_y > 0.3 * self.radius_y


def storey_centres(
    model: Model, own: Flexibility | None, settings: Settings, distribution: Distribution
) -> list[StoreyCentre]:
    """Return the centres of every storey with mass at its level that is free to turn, lowest first; []
    where nothing can be said. What does not hang together at a level, such as two towers, has centres of
    its own.

    Each floor is pushed by itself along x, along y and round, with forces shared by the mass at its level;
    what it does is its nodes' motion as a rigid floor, fitted by their mass. So floors that are not stiff in
    their plane have centres too."""
    if own is None or not model.storeys:
        return []
    m, system = own.mesh, own.system
    mass = nodal_mass(model, m, mass_cases(model, settings.modes.mass), distribution)
    can_move = np.repeat(system.live, 6)
    can_move[system.held] = False
    level = can_move.reshape(-1, 6)[:, :2].all(axis=1)
    z = np.array([s.elevation for s in model.storeys])
    at = nearest_level(z, m.xyz[:, 2])
    near = (np.abs(m.xyz[:, 2] - z[at]) <= LEVEL_REACH) & level & (mass > 0)
    held = np.zeros(len(mass), bool)
    held[system.held // 6] = True
    links = links_of(model, m.node_index, m.plates)
    level_parts = np.zeros(len(mass), bool)  # nodes of slabs and of what does not stand
    low, high = links.min(axis=1), links.max(axis=1)  # slabs count on from the nodes
    level_parts[low[(high >= len(mass)) & (low < len(mass))]] = True
    lines = m.xyz[m.ends]
    rise = np.abs(lines[:, 1, 2] - lines[:, 0, 2])
    level_parts[m.ends[rise < UPRIGHT * np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)].ravel()] = True
    floors = []
    for k in np.argsort(z):
        nodes = np.flatnonzero(near & (at == k))
        # a storey that is held at its level has no motion of its own
        if not len(nodes) or (held & (at == k) & (np.abs(m.xyz[:, 2] - z[k]) <= LEVEL_REACH)).any():
            continue
        whole = float(mass[nodes].sum())
        groups = [g for g in hanging_together(links, nodes, m.xyz) if mass[g].sum() >= SMALL * whole]
        # walls and columns that only pass a level on which others have beams or a slab are no floor of it
        groups = [g for g in groups if level_parts[g].any()] or groups
        for part, own_nodes in enumerate(groups, 1):
            w = mass[own_nodes] / mass[own_nodes].sum()
            centre = w @ m.xyz[own_nodes, :2]
            arm = m.xyz[own_nodes, :2] - centre
            gyration = float(np.sqrt(w @ (arm**2).sum(axis=1)))
            if gyration**2 > LEAST * max(1.0, float((np.ptp(m.xyz[:, :2], axis=0) ** 2).sum())):
                floors.append((int(k), part if len(groups) > 1 else 0, own_nodes, w, centre, arm, gyration))
    if not floors:
        return []
    push = np.zeros((6 * len(mass), 3 * len(floors)))
    for n, (_, _, nodes, w, _, arm, gyration) in enumerate(floors):
        push[6 * nodes, 3 * n] = w
        push[6 * nodes + 1, 3 * n + 1] = w
        push[6 * nodes, 3 * n + 2] = -w * arm[:, 1] / gyration**2
        push[6 * nodes + 1, 3 * n + 2] = w * arm[:, 0] / gyration**2
    moved = system.to_global(own.moved_by(turned(system, push)))
    out = []
    for n, (k, part, nodes, _, centre, _, gyration) in enumerate(floors):
        columns = slice(3 * n, 3 * n + 3)
        # by the same weights as the push, so that the three by three is symmetric
        f = push[:, columns].T @ moved[:, columns]
        if f[2, 2] <= 0:
            continue
        off = np.array([-f[1, 2], f[0, 2]]) / f[2, 2]
        along = np.array([f[0, 0] - f[0, 2] ** 2 / f[2, 2], f[1, 1] - f[1, 2] ** 2 / f[2, 2]])
        radius = np.sqrt(np.maximum(along, 0.0) / f[2, 2])
        stiff = centre + off
        o = model.origin
        out.append(
            StoreyCentre(
                model.storeys[k].name,
                float(z[k] + o[2]),
                float(mass[nodes].sum()),
                float(centre[0] + o[0]),
                float(centre[1] + o[1]),
                float(stiff[0] + o[0]),
                float(stiff[1] + o[1]),
                float(radius[1]),
                float(radius[0]),
                gyration,
                part,
            )
        )
    return out
