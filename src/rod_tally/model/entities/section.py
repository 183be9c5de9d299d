"""A member's section as values, about its centroid, in the member's local y and z."""

from __future__ import annotations

from dataclasses import dataclass, replace

Points = tuple[tuple[float, float], ...]


@dataclass(slots=True, frozen=True)
class Section:
    """Area (m2), second moments iy = int z2 dA, iz = int y2 dA, iyz = int y z dA (m4), torsion constant j
    (m4).

    `avy`, `avz` are shear areas (m2); 0 means rigid in shear. `outline` and `voids` are (y, z) points about
    the centroid. `origin` says where the values came from. A section nothing could be read of has area 0. One
    that tapers has its values at the member's start, and in `end` the section at its end."""

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
    end: Section | None = None

    @property
    def usable(self) -> bool:
        """Return whether a stiffness can be computed with it."""
        return self.area > 0 and self.iy > 0 and self.iz > 0

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """(ymin, ymax, zmin, zmax) of the outline, m; a square of the section's area where there is no
        outline. Of a section that tapers all of it from start to end."""
        if self.end is not None:
            low, high = replace(self, end=None).bounds, self.end.bounds
            return min(low[0], high[0]), max(low[1], high[1]), min(low[2], high[2]), max(low[3], high[3])
        if self.outline:
            y = [p[0] for p in self.outline]
            z = [p[1] for p in self.outline]
            return min(y), max(y), min(z), max(z)
        half = self.area**0.5 / 2
        return -half, half, -half, half

    @property
    def mean_area(self) -> float:
        """Volume a length, m2: of a section that tapers by Simpson's rule, exact for an outline in
        proportion."""
        if self.end is None:
            return self.area
        if not self.outline:
            return (self.area + self.end.area) / 2
        first, last = _enclosed(self.outline, self.voids), _enclosed(self.end.outline, self.end.voids)
        rings = [
            tuple(((a + c) / 2, (b + d) / 2) for (a, b), (c, d) in zip(*pair))
            for pair in zip((self.outline, *self.voids), (self.end.outline, *self.end.voids))
        ]
        middle = _enclosed(rings[0], tuple(rings[1:])) * (self.area / first + self.end.area / last) / 2
        return (self.area + 4 * middle + self.end.area) / 6

    @property
    def depth(self) -> float:
        return self.bounds[3] - self.bounds[2]

    @property
    def width(self) -> float:
        return self.bounds[1] - self.bounds[0]

    @property
    def round(self) -> bool:
        return self.shape in ("circle", "circle hollow")


def _enclosed(outline: Points, voids: tuple[Points, ...]) -> float:
    """Area between an outline and its voids."""

    def ring(points: Points) -> float:
        return abs(sum(a * d - c * b for (a, b), (c, d) in zip(points, (*points[1:], points[0])))) / 2

    return ring(outline) - sum(ring(v) for v in voids)
