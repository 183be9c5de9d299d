"""A member's section as values, about its centroid, in the member's local y and z."""

from __future__ import annotations

from dataclasses import dataclass

Points = tuple[tuple[float, float], ...]


@dataclass(slots=True, frozen=True)
class Section:
    """Area (m2), second moments iy = int z2 dA, iz = int y2 dA, iyz = int y z dA (m4), torsion constant j (m4).

    `avy`, `avz` are shear areas (m2); 0 means rigid in shear. `outline` and `voids` are (y, z) points about the
    centroid. `origin` says where the values came from. A section nothing could be read of has area 0.
    """

    name: str
    shape: str
    area: float = 0.0
    iy: float = 0.0
    iz: float = 0.0
    iyz: float = 0.0
    j: float = 0.0
    avy: float = 0.0
    avz: float = 0.0
    outline: Points = ()
    voids: tuple[Points, ...] = ()
    origin: str = "source"
    reason: str = ""

    @property
    def usable(self) -> bool:
        """Whether a stiffness can be computed with it."""
        return self.area > 0 and self.iy > 0 and self.iz > 0

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """(ymin, ymax, zmin, zmax) of the outline, m; a square of the section's area where there is no outline."""
        if self.outline:
            y = [p[0] for p in self.outline]
            z = [p[1] for p in self.outline]
            return min(y), max(y), min(z), max(z)
        half = self.area**0.5 / 2
        return -half, half, -half, half

    @property
    def depth(self) -> float:
        return self.bounds[3] - self.bounds[2]

    @property
    def width(self) -> float:
        return self.bounds[1] - self.bounds[0]

    @property
    def round(self) -> bool:
        return self.shape in ("circle", "circle hollow")
