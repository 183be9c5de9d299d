"""Profiles as the file has them to sections with values."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial

from ...intake.source import SourceProfile
from ...model import Section
from ...model.catalogue import shapes
from ...model.catalogue.shapes import Shape, ShapeError
from ...model.catalogue.taper import tapered

Offsets = tuple[tuple[float, float], tuple[float, float]]
BUILDERS: dict[str, Callable[..., Shape]] = {
    "i": shapes.i_shape,
    "rectangle": shapes.rectangle,
    "circle": shapes.circle,
    "box": shapes.box,
    "channel": shapes.channel,
    "angle": shapes.angle,
    "tee": shapes.tee,
}


def section_of(profile: SourceProfile) -> Shape:
    """The section of a profile and its centroid in the profile's own (unturned) axes, m.

    Values stated beside a profile are taken where no shape can be read; a profile with neither gives a
    section of no area whose `reason` says why."""
    reason = profile.reason
    if profile.whole:
        area, iy, iz, iyz, j, avy, avz = (
            profile.values.get(k, 0.0) for k in ("area", "iy", "iz", "iyz", "j", "avy", "avz")
        )
        points, holes = tuple(profile.outer), tuple(tuple(h) for h in profile.voids)
        return Section(profile.name, profile.shape, area, iy, iz, iyz, j, avy, avz, points, holes), (0.0, 0.0)
    try:
        if profile.shape in BUILDERS:
            return BUILDERS[profile.shape](profile.name, **profile.dims)
        if profile.outer:
            # an outline gives torsion and shear by approximation only: values stated beside it are better
            better = [profile.values.get(k) or None for k in ("j", "avy", "avz")]
            own = partial(shapes.from_polygon, profile.name, "arbitrary", profile.outer, profile.voids)
            return own(j=better[0], avy=better[1], avz=better[2])
    except (ShapeError, TypeError) as error:
        reason = str(error)
    v = {k: value for k, value in profile.values.items() if value > 0}
    if {"area", "iy", "iz"} <= set(v):
        j = v.get("j", v["iy"] + v["iz"])
        iyz, avy, avz = (profile.values.get(k, 0.0) for k in ("iyz", "avy", "avz"))
        how = "values beside the profile"
        return Section(profile.name, "values", v["area"], v["iy"], v["iz"], iyz, j, avy, avz, origin=how), (
            0.0,
            0.0,
        )
    return Section(profile.name, "unknown", origin="none", reason=reason or "no shape and no values"), (
        0.0,
        0.0,
    )


def sections_of(profiles: Mapping[str, SourceProfile]) -> dict[str, tuple[Section, Offsets]]:
    """The section of every profile, and the centroids at start and end of a member in its profiles' own
    (unturned) axes, m.

    One that changes along a member tapers; where the two are not of one shape it is the first all along, and
    its `reason` says so."""
    out: dict[str, tuple[Section, Offsets]] = {}
    for key, profile in profiles.items():
        if profile.ends is None:
            section, at = section_of(profile)
            out[key] = section, (at, at)
            continue
        (first, start), (last, end) = (section_of(profiles[k]) for k in profile.ends)
        try:
            out[key] = tapered(first, last, key), (start, end)
        except ShapeError as error:
            why = f"{error}; {first.name} is taken for the whole length"
            out[key] = replace(first, name=key, reason=why), (start, start)
    return out


CARDINAL = {  # which side of the outline (y, z): -1 low, 0 middle, 1 high
    1: (-1, -1),
    2: (0, -1),
    3: (1, -1),
    4: (-1, 0),
    5: (0, 0),
    6: (1, 0),
    7: (-1, 1),
    8: (0, 1),
    9: (1, 1),
}


def cardinal_offset(section: Section, cardinal: int | None) -> tuple[float, float]:
    """Where the centroid lies from an IFC cardinal point, (y, z) in m. None and 10 (the centroid) give (0,
    0)."""
    if cardinal not in CARDINAL:
        return 0.0, 0.0
    sy, sz = CARDINAL[cardinal]
    y0, y1, z0, z1 = section.bounds
    return -((y0 + y1) / 2 + sy * (y1 - y0) / 2), -((z0 + z1) / 2 + sz * (z1 - z0) / 2)
