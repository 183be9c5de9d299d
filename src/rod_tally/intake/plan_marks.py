"""Marks and sizes that a plan writes beside its columns and beams: C1, B12 250x500, IPE 300."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from shapely.geometry import LineString, Point

from ..model.catalogue.catalogue import catalogue
from ..model.catalogue.grades import grades
from ..model.geometry.vectors import Array
from ..words import and_more, few

MARK = re.compile(r"(?<![\w.])[A-Z]{1,3}[-.]?\d{1,4}(?:\.\d+)?[A-Za-z]?(?![\w./])")
# two numbers by themselves: "305x165x40" is no rectangle
SIZE = re.compile(r"(?<![\w.])(\d{2,4})\s*[xX×*/]\s*(\d{2,4})(?!\s*[xX×*/.]|\d|[A-Za-ln-z])")
MM = re.compile(r"\bmm\b")
LIKE_SIZE = re.compile(r"\d\s*[xX×*/]\s*\d")
REACH = 1.5  # m; a text farther from a part does not speak of it
OFF = 5.0  # mm; a written size that differs by more from the drawn one is told
NAMED = 5  # told by name


@dataclass(frozen=True, slots=True)
class Label:
    """A text of the plan that speaks of a part: its place (m, the model's axes), the mark, the size (mm, as it
    is written), the profile and the grade in it; "" and None for what it does not have. `unread`: the text
    where it has numbers like a size that are none by themselves, such as a profile not in the catalogue."""

    place: tuple[float, float]
    mark: str = ""
    size: tuple[float, float] | None = None
    profile: str = ""
    grade: str = ""
    unread: str = ""


@cache
def _profiles() -> dict[str, str]:
    return {name.replace(" ", "").upper(): name for name in catalogue()}


def read_label(text: str, place: Array) -> Label | None:
    """Return what a text says of a part; None for one that says nothing.

    >>> read_label("B12 250x500", np.zeros(2)).size
    (250.0, 500.0)
    """
    words = text.split()
    grade = next((w for w in words if w in grades()), "")  # "S355" looks like a mark, "C30/37" like a size
    plain = " ".join(w for w in words if w not in grades())
    # so does "IPE300"
    profile = next((_profiles()[w] for w in _pieces(plain) if w in _profiles()), "")
    rest = _without(plain, profile) if profile else plain
    size = None if profile else SIZE.search(rest)
    if size is not None:
        rest = rest[: size.start()] + " " + rest[size.end() :]
    mark = MARK.search(rest)
    if mark is not None:
        rest = rest[: mark.start()] + " " + rest[mark.end() :]
    unread = ""
    if not profile and LIKE_SIZE.search(plain) and (size is None or re.search(r"[^\W_]", MM.sub("", rest))):
        size, unread = None, " ".join(words)
    if mark is None and size is None and not profile and not unread:
        return None
    return Label(
        (float(place[0]), float(place[1])),
        mark[0] if mark else "",
        (float(size[1]), float(size[2])) if size else None,
        profile,
        grade,
        unread,
    )


def _pieces(text: str) -> list[str]:
    """Runs of up to three words, without spaces, the longest first."""
    words = text.upper().split()
    return ["".join(words[i : i + n]) for n in (3, 2, 1) for i in range(len(words) - n + 1)]


def _without(text: str, profile: str) -> str:
    wanted = profile.replace(" ", "").upper()
    words = text.split()
    for n in (3, 2, 1):
        for i in range(len(words) - n + 1):
            if "".join(words[i : i + n]).upper() == wanted:
                return " ".join(words[:i] + words[i + n :])
    return text


def apply_marks(
    members: list[dict[str, Any]], texts: Sequence[tuple[Array, str]], material: str
) -> list[str]:
    """Give columns and beams (records for AddMembers) the marks beside them as names, and beams the sizes that
    are written beside them or elsewhere by their mark, a profile or a rectangle of `material`. Returns what a
    reader has to know. A text speaks of the nearest part within reach; of a mark that begins with C only
    columns, with B or G only beams."""
    found = [label for place, text in texts if (label := read_label(text, place)) is not None]
    if not found or not members:
        return []
    own: dict[int, list[tuple[float, Label]]] = {}
    shapes = [LineString([m["start"][:2], m["end"][:2]]) for m in members]
    for label in found:
        near = [
            (float(shape.distance(Point(label.place))), k)
            for k, (shape, m) in enumerate(zip(shapes, members))
            if _speaks_of(label.mark, m["class"])
        ]
        distance, k = min(near, default=(np.inf, -1))
        if distance <= REACH:
            own.setdefault(k, []).append((distance, label))
    by_mark = {x.mark: x for x in found if x.mark and (x.size or x.profile)}
    named = sized = 0
    told: list[str] = []
    bare: list[str] = []
    for k, labels in own.items():
        m = members[k]
        labels.sort(key=lambda x: x[0])
        mark = next((x.mark for _, x in labels if x.mark), "")
        said = next((x for _, x in labels if x.size or x.profile), by_mark.get(mark))
        if mark:
            m["name"] = mark
            named += 1
        if m["class"] == "column":
            if said is not None and said.size and (drawn := _drawn(m)) and not _alike(drawn, said.size):
                told.append(
                    f"{mark or 'a column'} is drawn {drawn[0]:.0f}x{drawn[1]:.0f} and written "
                    f"{said.size[0]:.0f}x{said.size[1]:.0f}: the drawn size was taken"
                )
            elif said is not None and said.profile:
                told.append(f"{mark or 'a column'} is written {said.profile}: the drawn shape was taken")
            continue
        if said is None:
            bare += [mark] if mark else []
        elif said.profile:
            m["section"] = said.profile
            sized += 1
        elif said.size:
            width, depth = (v / 1000 for v in said.size)
            m |= {
                "section": f"rectangle {said.size[0]:.0f}x{said.size[1]:.0f}",
                "shape": "rectangle",
                "sizes": {"width": width, "depth": depth},
                "material": material,
            }
            sized += 1
    out = []
    if named or sized:
        out.append(
            f"{named} parts are named by their marks, {sized} beams have the sizes written beside them"
        )
    if bare:
        more = and_more(bare, NAMED)
        out.append(
            f"no size is written for {', '.join(bare[:NAMED])}{more}: the section chosen here was taken"
        )
    heard = [x for labels in own.values() for _, x in labels]
    if unread := list(dict.fromkeys(x.unread for x in heard if x.unread)):
        out.append(f"not read as sizes: {few(unread, NAMED)}; what was chosen here was taken")
    if other := list(dict.fromkeys(x.grade for x in heard if x.grade and x.grade != material)):
        out.append(f"grades beside parts are not taken over: {few(other, NAMED)}")
    if len(told) > NAMED:
        told[NAMED:] = [f"{len(told) - NAMED} more columns are drawn otherwise than is written"]
    return out + told


def _speaks_of(mark: str, cls: str) -> bool:
    return {"C": cls == "column", "B": cls == "beam", "G": cls == "beam"}.get(mark[:1], True)


def _drawn(m: dict[str, Any]) -> tuple[float, float] | None:
    sizes = m.get("sizes") or {}
    return (sizes["width"] * 1000, sizes["depth"] * 1000) if "width" in sizes else None


def _alike(a: tuple[float, float], b: tuple[float, float]) -> bool:
    return all(abs(x - y) <= OFF for x, y in zip(sorted(a), sorted(b)))
