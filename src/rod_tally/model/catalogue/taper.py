"""Sections that change along a member: of one shape at both ends, its outline in proportion between them."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np

from ..entities.section import Points, Section
from .shapes import ShapeError, polygon_moments
from .warping import warping

TO, TURNED = " to ", " turned round"  # of names
PROPORTIONAL = ("avy", "avz")  # of a web or a flange: with its length


def tapered(start: Section, end: Section, name: str) -> Section:
    """The section of a member that is `start` at its start and `end` at its end. Raises ShapeError where the
    two are not of one shape."""
    for s in (start, end):
        if s.end is not None:
            raise ShapeError(f"section {s.name!r} tapers itself")
        if not s.usable:
            raise ShapeError(f"section {s.name!r} has no values")
    alike = start.shape == end.shape and len(start.outline) == len(end.outline)
    if not alike or [len(v) for v in start.voids] != [len(v) for v in end.voids]:
        raise ShapeError(
            f"{start.name!r} ({start.shape}) and {end.name!r} ({end.shape}) are not of one shape: what lies between is not known"
        )
    return replace(start, name=name, end=end)


@lru_cache(maxsize=4096)
def section_at(section: Section, share: float) -> Section:
    """A section at a share (0 start, 1 end) of its member's length; itself where it does not taper.

    Area and second moments are those of the outline between (of plain values: area in proportion, second
    moments by their cube roots, as of a depth in proportion), torsion that of its warping function, shear
    areas in proportion."""
    end = section.end
    if end is None:
        return section
    start = replace(section, end=None)
    if share <= 0 or share >= 1:
        return start if share <= 0 else end

    def between(a: float, b: float, power: float = 1.0) -> float:
        return float(((1 - share) * a ** (1 / power) + share * b ** (1 / power)) ** power)

    values: dict[str, Any] = {k: between(getattr(start, k), getattr(end, k)) for k in PROPORTIONAL}
    if not start.outline:
        values["area"] = between(start.area, end.area)
        values |= {k: between(getattr(start, k), getattr(end, k), 3.0) for k in ("iy", "iz", "j")}
        return replace(start, iyz=(1 - share) * start.iyz + share * end.iyz, **values)
    outline = _between(start.outline, end.outline, share)
    voids = tuple(_between(a, b, share) for a, b in zip(start.voids, end.voids))
    own, (cy, cz) = _of_outline(outline, voids)
    first, last = (_of_outline(s.outline, s.voids)[0] for s in (start, end))
    for key, value in own.items():
        # what a table or a finer formula says of the ends goes along in proportion
        if key == "iyz":
            values[key] = value if start.iyz or end.iyz else 0.0
        else:
            values[key] = value * between(getattr(start, key) / first[key], getattr(end, key) / last[key])
    moved = (tuple((y - cy, z - cz) for y, z in ring) for ring in (outline, *voids))
    return replace(start, outline=next(moved), voids=tuple(moved), **values)


def other_way(section: Section) -> Section:
    """The section of a member that runs the other way, not mirrored."""
    if section.end is None:
        return section
    first, _, last = section.name.partition(TO)
    turned = section.name.endswith(TURNED)
    name = f"{last}{TO}{first}" if last else section.name.removesuffix(TURNED) + TURNED * (not turned)
    start = replace(section, end=None, name=first or section.name)
    return replace(section.end, name=name, end=start)


def mirrored(section: Section, name: str) -> Section:
    """The section seen from the other end: y the other way."""
    outline = tuple((-y, z) for y, z in reversed(section.outline))
    voids = tuple(tuple((-y, z) for y, z in reversed(v)) for v in section.voids)
    end = None if section.end is None else mirrored(section.end, f"{section.end.name} mirrored")
    return replace(section, name=name, iyz=-section.iyz, outline=outline, voids=voids, end=end)


def in_axes_of(section: Section, reverse: bool, image: bool) -> Section:
    """The section of a member in the local axes of its twin, which runs the other way round (`reverse`), or
    is its mirror image (`image`); z is the same."""
    if reverse:
        section = other_way(section)
    # either turns y to the other side
    return mirrored(section, section.name) if reverse != image else section


def _between(a: Points, b: Points, share: float) -> Points:
    mean = (1 - share) * np.array(a) + share * np.array(b)
    return tuple((float(y), float(z)) for y, z in mean)


@lru_cache(maxsize=4096)
def _of_outline(outline: Points, voids: tuple[Points, ...]) -> tuple[dict[str, float], tuple[float, float]]:
    """Area, second moments and torsion constant of an outline about its centroid, and that centroid."""
    moments = np.array(polygon_moments(outline)) - sum(
        (np.array(polygon_moments(v)) for v in voids), np.zeros(6)
    )
    area, sy, sz, szz, syy, syz = (float(v) for v in moments)
    cy, cz = sy / area, sz / area
    iy, iz = szz - area * cz * cz, syy - area * cy * cy
    found = warping(outline, voids)
    j = found.j if found is not None else area**4 / (40 * (iy + iz))
    return {"area": area, "iy": iy, "iz": iz, "iyz": syz - area * cy * cz, "j": j}, (cy, cz)
