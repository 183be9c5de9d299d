"""Rolled sections by name: dimensions of EN 10365:2017 (IPE, HE A, HE B), h b tw tf r in mm. From memory.

The values of a section are computed from its dimensions; tests hold them against printed areas.
"""

from __future__ import annotations

import re
from functools import cache

from .section import Section
from .shapes import i_shape

_IPE = """
80 80 46 3.8 5.2 5 | 100 100 55 4.1 5.7 7 | 120 120 64 4.4 6.3 7 | 140 140 73 4.7 6.9 7 | 160 160 82 5.0 7.4 9
180 180 91 5.3 8.0 9 | 200 200 100 5.6 8.5 12 | 220 220 110 5.9 9.2 12 | 240 240 120 6.2 9.8 15
270 270 135 6.6 10.2 15 | 300 300 150 7.1 10.7 15 | 330 330 160 7.5 11.5 18 | 360 360 170 8.0 12.7 18
400 400 180 8.6 13.5 21 | 450 450 190 9.4 14.6 21 | 500 500 200 10.2 16.0 21 | 550 550 210 11.1 17.2 24
600 600 220 12.0 19.0 24
"""
_HE_A = """
100 96 100 5 8 12 | 120 114 120 5 8 12 | 140 133 140 5.5 8.5 12 | 160 152 160 6 9 15 | 180 171 180 6 9.5 15
200 190 200 6.5 10 18 | 220 210 220 7 11 18 | 240 230 240 7.5 12 21 | 260 250 260 7.5 12.5 24
280 270 280 8 13 24 | 300 290 300 8.5 14 27 | 320 310 300 9 15.5 27 | 340 330 300 9.5 16.5 27
360 350 300 10 17.5 27 | 400 390 300 11 19 27
"""
_HE_B = """
100 100 100 6 10 12 | 120 120 120 6.5 11 12 | 140 140 140 7 12 12 | 160 160 160 8 13 15 | 180 180 180 8.5 14 15
200 200 200 9 15 18 | 220 220 220 9.5 16 18 | 240 240 240 10 17 21 | 260 260 260 10 17.5 24
280 280 280 10.5 18 24 | 300 300 300 11 19 27 | 320 320 300 11.5 20.5 27 | 340 340 300 12 21.5 27
360 360 300 12.5 22.5 27 | 400 400 300 13.5 24 27
"""


@cache
def catalogue() -> dict[str, tuple[float, ...]]:
    """Names as the standard writes them to (h, b, tw, tf, r) in m."""
    out: dict[str, tuple[float, ...]] = {}
    for text, name in ((_IPE, "IPE {}"), (_HE_A, "HE {} A"), (_HE_B, "HE {} B")):
        for row in re.split(r"[|\n]", text):
            if row.strip():
                size, *dims = row.split()
                out[name.format(size)] = tuple(float(d) / 1000 for d in dims)
    return out


def catalogue_name(name: str) -> str | None:
    """The catalogue's name for a profile's, spelled any usual way; None when it is none of these.

    >>> catalogue_name("ipe300"), catalogue_name("HEB-200"), catalogue_name("HE 240 A"), catalogue_name("TQ 220")
    ('IPE 300', 'HE 200 B', 'HE 240 A', None)
    """
    plain = re.sub(r"[\s_\-./]", "", name.upper())
    if found := re.fullmatch(r"IPE(\d+)", plain):
        wanted = f"IPE {found[1]}"
    elif found := re.fullmatch(r"HE([AB])(\d+)|HE(\d+)([AB])", plain):
        wanted = f"HE {found[2] or found[3]} {found[1] or found[4]}"
    else:
        return None
    return wanted if wanted in catalogue() else None


def catalogue_section(name: str, known_as: str = "", how: str = "") -> Section:
    """The section of a catalogue name, carrying the name it is known by in a model. KeyError for another name."""
    h, b, tw, tf, r = catalogue()[name]
    section, _ = i_shape(known_as or name, h, b, tw, tf, r)
    origin = f"{name}, EN 10365" + (f", {how}" if how else "")
    return Section(
        section.name, section.shape, section.area, section.iy, section.iz, section.iyz, section.j, section.avy,
        section.avz, section.outline, section.voids, origin,
    )  # fmt: skip
