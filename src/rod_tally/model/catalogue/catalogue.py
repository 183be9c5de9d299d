"""Rolled and hollow sections by name, from the dimensions in `data/sections.csv` (mm). From memory; values
are computed from the dimensions, and tests hold them against the standards' printed ones.

EN 10365 (I, H, U), EN 10056-1 (angles), EN 10210-2 and EN 10219-2 (hollow sections), ASTM A6 and A500 with
the design wall thickness of 0.93 times the nominal one."""

from __future__ import annotations

import csv
import math
import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from difflib import SequenceMatcher
from functools import cache
from importlib.resources import files

from ..entities.section import Section
from . import shapes
from .shapes import Shape

BUILDERS: dict[str, Callable[..., Shape]] = {
    "i": shapes.i_shape,
    "channel": shapes.channel,
    "angle": shapes.angle,
    "box": shapes.box,
    "circle": shapes.circle,
}
ALIKE = (
    0.72  # how alike the letters of two names must be to count as a slip of the pen, where the numbers agree
)


@dataclass(frozen=True, slots=True)
class Rolled:
    """One section of the catalogue: dimensions in m (slope in rad), as its builder takes them."""

    name: str
    standard: str
    shape: str
    dims: dict[str, float]


@cache
def catalogue() -> dict[str, Rolled]:
    """All sections by the name the standard writes."""
    out: dict[str, Rolled] = {}
    text = (files("rod_tally.model") / "data" / "sections.csv").read_text(encoding="utf-8")
    for row in csv.DictReader(text.splitlines()):
        name, standard, shape = row.pop("name"), row.pop("standard"), row.pop("shape")
        dims = {k: float(v) / 1000 for k, v in row.items() if v}
        if "slope" in dims:
            dims["slope"] = math.atan(dims["slope"] * 1000)
        out[name] = Rolled(name, standard, shape, dims)
    return out


def _plain(name: str) -> str:
    """A name without what people write differently: case, blanks, dashes, the sign for times, decimal
    commas."""
    text = name.upper().replace("×", "X").replace("*", "X")
    text = re.sub(r"(\d),(\d)", r"\1.\2", text)
    text = re.sub(r"[\s_\-]", "", text)
    if found := re.fullmatch(r"HE([ABM])(\d+)", text):
        text = f"HE{found[2]}{found[1]}"
    # 100/50/5 for 100x50x5, but not the fraction of an inch in HSS6X6X3/8
    if not text.startswith("HSS"):
        text = text.replace("/", "X")
    if found := re.fullmatch(r"(SHS|L)(\d+(?:\.\d+)?)X(\d+(?:\.\d+)?)(COLD)?", text):
        text = f"{found[1]}{found[2]}X{found[2]}X{found[3]}{found[4] or ''}"
    return re.sub(r"(\.\d*?)0+(?=X|$)", r"\1", text).replace(".X", "X").rstrip(".")


@cache
def _by_plain() -> dict[str, str]:
    return {_plain(name): name for name in catalogue()}


def catalogue_name(name: str) -> str | None:
    """The catalogue's name for a profile's, spelled any usual way; None when it is none of these.

    >>> catalogue_name("ipe300"), catalogue_name("HEB-200")
    ('IPE 300', 'HE 200 B')
    >>> catalogue_name("SHS 100/5"), catalogue_name("TQ 220")
    ('SHS 100x100x5', None)
    """
    known = _by_plain()
    for text in (name, re.sub(r"[\s,(\[]+S\s?(235|275|355|420|450|460)\b.*$", "", name), name.split(":")[-1]):
        if found := known.get(_plain(text)):
            return found
    return None


def near_names(name: str, most: int = 5) -> list[str]:
    """Names of the catalogue that this one may be a slip of: the same numbers, letters alike; the likeliest
    first.

    >>> near_names("IEP 300"), near_names("TQ 220")
    (['IPE 300'], [])
    """
    plain = _plain(name)
    numbers, letters = re.findall(r"[\d.]+", plain), re.sub(r"[\d.]", "", plain)
    found = []
    for key, real in _by_plain().items():
        if re.findall(r"[\d.]+", key) == numbers and numbers:
            other = re.sub(r"[\d.]", "", key)
            alike = SequenceMatcher(None, "".join(sorted(letters)), "".join(sorted(other))).ratio()
            if alike >= ALIKE:
                found.append((-alike, real))
    return [real for _, real in sorted(found)[:most]]


def catalogue_section(name: str, known_as: str = "", how: str = "") -> Section:
    """The section of a catalogue name, carrying the name it is known by in a model. KeyError for another
    name."""
    rolled = catalogue()[name]
    section, _ = BUILDERS[rolled.shape](known_as or name, **rolled.dims)
    return replace(section, origin=f"{name}, {rolled.standard}" + (f", {how}" if how else ""))
