"""Materials as values: stiffness, density, strength, and where each value came from."""

from __future__ import annotations

from dataclasses import dataclass

from ..catalogue.grade_names import standard_of
from ..catalogue.grades import Grade

# Ranges outside which an elastic modulus (Pa) is not that of its kind. Common practice, no source.
STIFFNESS_RANGE = {
    "steel": (180e9, 225e9),
    "concrete": (10e9, 60e9),
    "timber": (4e9, 25e9),
    "aluminium": (60e9, 80e9),
    "masonry": (0.5e9, 30e9),
}
# Thermal expansion, 1/K: EN 1991-1-5 table C.1 (steel, concrete, timber along the grain, aluminium, masonry).
EXPANSION = {"steel": 12e-6, "concrete": 10e-6, "timber": 5e-6, "aluminium": 24e-6, "masonry": 8e-6}
# No building material at all lies outside this range. Common practice, no source.
ANY_STIFFNESS = (1e8, 1e12)
DENSITY_RANGE = {
    "steel": (7000.0, 8500.0),
    "concrete": (800.0, 3500.0),
    "timber": (200.0, 1300.0),
    "aluminium": (2400.0, 3000.0),
    "masonry": (400.0, 2800.0),
}
ANY_DENSITY = (10.0, 25000.0)
NO_WEIGHT = "a link has no weight"  # where a density of 0 is meant


@dataclass(slots=True)
class Material:
    """E and G in Pa, density in kg/m3, strength in Pa, thermal expansion `alpha` in 1/K; None where nobody
    said.

    `origin` says of each assumed value which rule gave it, e.g. {"E": "EN 1993-1-1 3.2.6"}; a value of the
    source has no entry."""

    name: str
    kind: str = ""
    E: float | None = None
    G: float | None = None
    poisson: float | None = None
    density: float | None = None
    strength: float | None = None
    origin: dict[str, str] | None = None
    alpha: float | None = None

    @property
    def expansion(self) -> float:
        """Coefficient of thermal expansion, 1/K: its own, else its kind's, else 0."""
        return self.alpha if self.alpha is not None else EXPANSION.get(self.kind, 0.0)

    @property
    def usable(self) -> bool:
        """Return whether a stiffness can be computed with it."""
        return self.E is not None and ANY_STIFFNESS[0] <= self.E <= ANY_STIFFNESS[1]

    @property
    def shear_modulus(self) -> float:
        """G, or E / 2(1 + nu) of an isotropic material; nu is 0.3 for steel, 0.2 for others, unless given.

        A G that is not positive counts as absent. Returns 0 where there is no E either.
        """
        if self.G and self.G > 0:
            return self.G
        nu = self.poisson if self.poisson is not None and 0 <= self.poisson < 0.5 else None
        if nu is None:
            nu = 0.3 if self.kind in ("steel", "aluminium") else 0.2
        return (self.E or 0.0) / (2 * (1 + nu))


def completed(was: Material, grade: Grade, where: str) -> Material:
    """A material with the values of a grade for those that it lacks, or that its source has no believable
    one of: what the source brings stays."""
    out = graded(was.name, grade, where)
    assumed = was.origin or {}
    named = standard_of(was.name)
    if named is not None and named[1] and named[0].strength:
        return out  # its values are those of another grade
    ranges = {
        "E": STIFFNESS_RANGE.get(grade.kind, ANY_STIFFNESS),
        "density": DENSITY_RANGE.get(grade.kind, ANY_DENSITY),
    }
    for key, (low, high) in ranges.items():
        own = getattr(was, key)
        if own is not None and key not in assumed and low <= own <= high:
            setattr(out, key, own)
            assert out.origin is not None
            out.origin.pop(key, None)
            if key == "E" and grade.G is not None:
                out.G = own * grade.G / grade.E  # with the source's own E, not the grade's
    out.alpha = was.alpha
    return out


def graded(name: str, grade: Grade, where: str) -> Material:
    """A material of that name with all the values of a grade."""
    keys = ("E", "density", "strength", *(("G",) if grade.G else ("poisson",)))
    poisson = grade.poisson if grade.G is None else None
    origin = dict.fromkeys(keys, where)
    return Material(name, grade.kind, grade.E, grade.G, poisson, grade.density, grade.strength, origin)
