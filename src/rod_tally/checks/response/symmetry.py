"""Symmetric gives symmetric: models whose axes mirror each other, and whose parts or forces do not."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy.spatial import cKDTree

from ...model import Finding
from ...model.geometry.vectors import Array
from ..registry import Subject, check, listed, point

SAME_PLACE = 0.001  # m
PERMANENT = ("self-weight", "dead")
# share of the larger of two forces, and of the largest in any column, that may lie between them without a
# word
UNEVEN = 0.1


@check("response.symmetry", looks_at=("geometry", "sections", "materials", "releases", "supports"))
def find_broken_symmetry(s: Subject) -> Iterator[Finding]:
    """A model whose axes mirror each other, but for some sections, supports, releases or materials."""
    if len(s.model.members) < 8:
        return
    nodes = list(s.model.nodes.values())
    points = np.array([n.point for n in nodes])
    for axis, name in ((0, "x"), (1, "y")):
        middle = (points[:, axis].min() + points[:, axis].max()) / 2
        pairs = _mirror(s, points, axis, float(middle))
        if pairs is None:
            continue
        said, odd = _differences(s, pairs, axis, float(middle))
        if odd and len(set(odd)) <= max(6, 0.1 * len(s.model.members)):
            parts = listed([f"{n} pair{'s' if n > 1 else ''} of {k}" for k, n in said.items()])
            first = odd[0]
            yield Finding(
                "response.symmetry",
                "note",
                f"The axes are symmetric about {name} = {middle + float(s.model.origin[axis]):.2f} m, but {parts} differ: {s.name(first)} "
                f"and {s.name(odd[1])}, say.",
                tuple(dict.fromkeys(odd)),
                point(s.model.line(s.model.members[first]).mean(axis=0)),
                ("Take me there",),
            )


def _differences(
    s: Subject, pairs: list[tuple[str, str]], axis: int, middle: float
) -> tuple[dict[str, int], list[str]]:
    """How many pairs differ in what, and their members."""
    odd: list[str] = []
    said: dict[str, int] = {}
    for a, b in pairs:
        one, two = s.model.members[a], s.model.members[b]
        ends = (one.release_start, one.release_end), (two.release_start, two.release_end)
        same_way = _near(s, one.start, two.start, axis, middle)
        for what, differs in (
            ("sections", one.section != two.section),
            ("materials", one.material != two.material),
            ("releases", ends[0] != (ends[1] if same_way else ends[1][::-1])),
        ):
            if differs:
                said[what] = said.get(what, 0) + 1
                odd += [a, b]
    return said, odd


@check("response.uneven")
def find_uneven_response(s: Subject) -> Iterator[Finding]:
    """Columns that mirror each other in every respect and carry unlike forces under permanent load."""
    r = s.results
    if r is None or r.empty or len(s.model.members) < 8:
        return
    points = np.array([n.point for n in s.model.nodes.values()])
    index = {i: k for k, i in enumerate(r.member_ids)}
    for axis, name in ((0, "x"), (1, "y")):
        middle = float((points[:, axis].min() + points[:, axis].max()) / 2)
        pairs = _mirror(s, points, axis, middle)
        if pairs is None or _differences(s, pairs, axis, middle)[1]:
            continue
        columns = [
            (a, b) for a, b in pairs if s.model.members[a].cls == "column" and a in index and b in index
        ]
        for c, case in enumerate(r.cases):
            if s.model.cases[case].kind not in PERMANENT or not columns:
                continue
            low, _ = r.extremes(c)
            forces = np.array([[low[index[a], 0], low[index[b], 0]] for a, b in columns])
            by = np.abs(forces[:, 0] - forces[:, 1])
            odd = np.flatnonzero(
                by > np.maximum(UNEVEN * np.abs(forces).max(axis=1), UNEVEN * np.abs(forces).max())
            )
            if not len(odd):
                continue
            k = int(odd[by[odd].argmax()])
            a, b = columns[k]
            more = f"; {len(odd) - 1} more such pairs" if len(odd) > 1 else ""
            yield Finding(
                "response.uneven",
                "note",
                f"Load case {case}: the frame is symmetric about {name} = {middle + float(s.model.origin[axis]):.2f} m, but {s.name(a)} carries "
                f"{-forces[k, 0] / 1000:.4g} kN and {s.name(b)} {-forces[k, 1] / 1000:.4g} kN{more}: slabs, loads or supports are not.",
                (a, b),
                s.middle(a),
                ("Take me there",),
                {"by": float(by[k])},
            )
            break  # the other permanent loads say it again


def _near(s: Subject, a: str, b: str, axis: int, middle: float) -> bool:
    p = s.model.nodes[a].point.copy()
    p[axis] = 2 * middle - p[axis]
    return bool(np.linalg.norm(p - s.model.nodes[b].point) < 10 * SAME_PLACE)


def _mirror(s: Subject, points: Array, axis: int, middle: float) -> list[tuple[str, str]] | None:
    """Pairs of members that mirror each other; None when some axis has no mirror image."""
    image = points.copy()
    image[:, axis] = 2 * middle - image[:, axis]
    off, other = cKDTree(points).query(image, distance_upper_bound=SAME_PLACE)
    if not np.isfinite(off).all():
        return None
    ids = list(s.model.nodes)
    number = {n: k for k, n in enumerate(ids)}
    by_ends = {frozenset((number[m.start], number[m.end])): m.id for m in s.model.members.values()}
    out = []
    for m in s.model.members.values():
        twin = by_ends.get(frozenset((int(other[number[m.start]]), int(other[number[m.end]]))))
        if twin is None:
            return None
        if m.id < twin:
            out.append((m.id, twin))
    return out
