"""Wind on a building with level roof and upright faces: pressures by height, by EN 1991-1-4 and ASCE 7-16."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..model.geometry.vectors import Array
from .lateral import LateralError

RHO = 1.25  # kg/m3, EN 1991-1-4 4.5, recommended
# EN 1991-1-4 table 4.1: z0, zmin (m)
TERRAIN = {"0": (0.003, 1.0), "I": (0.01, 1.0), "II": (0.05, 2.0), "III": (0.3, 5.0), "IV": (1.0, 10.0)}
HIGHEST_EN = 200.0  # m; EN 1991-1-4 1.1(2)
# ASCE 7-16 table 26.11-1: alpha, zg (m)
EXPOSURE = {"B": (7.0, 365.76), "C": (9.5, 274.32), "D": (11.5, 213.36)}
LOWEST_ASCE = 4.57  # m (15 ft); table 26.10-1
LEAST_ASCE = 766.0  # N/m2 (16 psf); 27.1.5


@dataclass(slots=True)
class Box:
    """A building as the wind meets it, m: height above the ground, breadth across the wind and depth along
    it."""

    height: float
    breadth: float
    depth: float

    def __post_init__(self) -> None:
        if min(self.height, self.breadth, self.depth) <= 0:
            raise LateralError(
                f"a building {self.height:.3g} m high, {self.breadth:.3g} m broad and {self.depth:.3g} m deep is none that wind could meet"
            )


@dataclass(slots=True)
class Faces:
    """Pressures towards the building (N/m2): on the windward face by height above the ground, and of the
    leeward face, where suction is positive; both in the direction of the wind. `least`: of the two together,
    over all of the face."""

    windward: Callable[[float], float]
    leeward: float
    words: str
    least: float = 0.0

    def net(self, z: float) -> float:
        """Both faces together at a height."""
        return max(self.windward(z) + self.leeward, self.least)


@dataclass(slots=True)
class WindEn:
    """EN 1991-1-4: basic velocity vb (m/s, with direction and season), terrain category, structural factor
    cscd, orography co."""

    vb: float
    terrain: str = "II"
    cscd: float = 1.0
    co: float = 1.0

    def peak(self, z: float) -> float:
        """Peak velocity pressure qp(z), N/m2: expressions 4.3 to 4.8, with the recommended values and kI =
        1."""
        z0, least = TERRAIN[self.terrain]
        z = max(z, least)
        kr = 0.19 * (z0 / TERRAIN["II"][0]) ** 0.07
        mean = kr * np.log(z / z0) * self.co * self.vb
        turbulence = 1.0 / (self.co * np.log(z / z0))
        return float((1 + 7 * turbulence) * 0.5 * RHO * mean**2)

    def reference(self, z: float, box: Box) -> float:
        """Reference height ze of the windward face at a height, figure 7.4."""
        h, b = box.height, box.breadth
        if h <= b:
            return h
        if h <= 2 * b:
            return b if z <= b else h
        if z <= b:
            return b
        return h if z > h - b else z

    def faces(self, box: Box) -> Faces:
        """Zones D and E of table 7.1 (cpe,10) with the lack of correlation of 7.2.2(3). Raises LateralError
        above 200 m."""
        if box.height > HIGHEST_EN:
            raise LateralError(
                f"EN 1991-1-4 is for buildings up to {HIGHEST_EN:.0f} m, this one has {box.height:.0f} m"
            )
        ratio = box.height / box.depth
        d = float(np.interp(ratio, [0.25, 1.0], [0.7, 0.8]))
        e = float(np.interp(ratio, [0.25, 1.0, 5.0], [-0.3, -0.5, -0.7]))
        together = float(np.interp(ratio, [1.0, 5.0], [0.85, 1.0]))
        scale = self.cscd * together
        top = self.peak(box.height)
        words = (
            f"EN 1991-1-4: vb {self.vb:g} m/s, terrain {self.terrain}, qp({box.height:.2f} m) {top / 1000:.3f} kN/m2 (4.5), "
            f"cpe,10 D {d:.2f} and E {e:.2f} (table 7.1, h/d {ratio:.2f}), correlation {together:.2f} (7.2.2(3)), cscd {self.cscd:g}"
        )
        return Faces(lambda z: scale * d * self.peak(self.reference(z, box)), -scale * e * top, words)


@dataclass(slots=True)
class WindAsce:
    """ASCE 7-16, directional procedure for a rigid enclosed building: basic speed V (m/s), exposure, G, Kd,
    Kzt, Ke."""

    v: float
    exposure: str = "C"
    g: float = 0.85
    kd: float = 0.85
    kzt: float = 1.0
    ke: float = 1.0

    def kz(self, z: float) -> float:
        """Velocity pressure exposure coefficient, table 26.10-1 note 1."""
        alpha, zg = EXPOSURE[self.exposure]
        return float(2.01 * (min(max(z, LOWEST_ASCE), zg) / zg) ** (2 / alpha))

    def q(self, z: float) -> float:
        """Velocity pressure, N/m2: expression 26.10-1.si."""
        return 0.613 * self.kz(z) * self.kzt * self.kd * self.ke * self.v**2

    def faces(self, box: Box) -> Faces:
        """Windward and leeward walls of figure 27.3-1; internal pressure acts on both and cancels out."""
        lee = -float(np.interp(box.depth / box.breadth, [1.0, 2.0, 4.0], [0.5, 0.3, 0.2]))
        top = self.q(box.height)
        words = (
            f"ASCE 7-16 chapter 27: V {self.v:g} m/s, exposure {self.exposure}, q({box.height:.2f} m) {top / 1000:.3f} kN/m2 (26.10-1), "
            f"Cp 0.8 and {lee:.2f} (figure 27.3-1, L/B {box.depth / box.breadth:.2f}), G {self.g:g}, at least {LEAST_ASCE / 1000:.3g} kN/m2 (27.1.5)"
        )
        return Faces(lambda z: self.g * 0.8 * self.q(z), -self.g * lee * top, words, LEAST_ASCE)


def by_bands(of: Callable[[float], float], edges: Array, steps: int = 200) -> Array:
    """Integral over height (N/m) of a pressure between each two of the heights (n + 1,), as (n,)."""
    out = []
    for a, b in zip(edges, edges[1:]):
        z = a + (b - a) * (np.arange(steps) + 0.5) / steps
        out.append(float(np.mean([of(float(v)) for v in z])) * (b - a))
    return np.array(out)


def storey_bands(heights: Array, top: float) -> Array:
    """Heights (n + 1,) between which the wind on the faces goes to each of n storeys above the base, half-way
    to the next; the uppermost takes all up to `top`, what is below half of the lowest storey goes into the
    ground."""
    z = np.concatenate([[0.0], np.asarray(heights, float)])
    if (np.diff(z) <= 0).any():
        raise LateralError("storeys have to lie above each other, and above the ground")
    middle = (z[:-1] + z[1:]) / 2
    return np.concatenate([middle, [max(top, float(z[-1]))]])
