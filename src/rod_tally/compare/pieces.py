"""Members and surfaces that a revision split into several, or merged into one: pairs beyond the first."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray
from shapely import union_all
from shapely.geometry import Polygon

from ..model import Surface
from ..model.entities.surface import sound
from ..model.geometry.vectors import Array

INSIDE = 0.95  # share of a piece's length that lies within the whole
SHORTER = 0.98  # a piece is at most this share of the whole
BESIDE = 0.1  # share of a piece's length that may lie beside another piece


def further_pairs(
    lines_b: Array,
    lines_r: Array,
    candidates: tuple[NDArray[np.int64], NDArray[np.int64], Array, Array],
    partner: dict[int, tuple[int, float]],
    apart: float = 0.0,
) -> list[tuple[int, int, float]]:
    """Pairs (baseline, revised, shift in m) of members without a partner that are pieces of a member that has
    one.

    `candidates` are baseline and revised indices of members that lie on one line, their shift, and the share
    of the shorter one that lies beside the other; `partner` the pairs that stand, by revised index; `apart`
    (m): how far a piece may reach beyond the whole."""
    i, j, shift, share = candidates
    found: list[tuple[int, int, float]] = []
    paired = {a for a, _ in partner.values()}
    whole_of_piece: list[tuple[float, int, int]] = []
    for k in range(len(i)):
        a, b = int(i[k]), int(j[k])
        if (b in partner) == (a in paired):
            continue
        whole, piece = (lines_b[a], lines_r[b]) if b not in partner else (lines_r[b], lines_b[a])
        length = float(np.linalg.norm(piece[1] - piece[0]))
        inside = share[k] >= min(INSIDE, 1 - apart / length)
        if inside and length <= SHORTER * np.linalg.norm(whole[1] - whole[0]):
            whole_of_piece.append((float(shift[k]), a, b))
    spans: dict[tuple[bool, int], list[Array]] = {}
    for b, (a, _) in partner.items():
        spans.setdefault((True, a), []).append(lines_r[b])
        spans.setdefault((False, b), []).append(lines_b[a])
    used: set[tuple[bool, int]] = set()
    for step, a, b in sorted(whole_of_piece):
        split = b not in partner  # the whole is the baseline's
        key, own = ((True, a), (False, b)) if split else ((False, b), (True, a))
        piece, whole = (lines_r[b], lines_b[a]) if split else (lines_b[a], lines_r[b])
        if own in used or any(_beside(whole, piece, other) > BESIDE for other in spans[key]):
            continue
        used.add(own)
        spans[key].append(piece)
        found.append((a, b, step))
    return found


def _beside(whole: Array, piece: Array, other: Array) -> float:
    """Share of a piece that lies beside another one, along the whole that both lie on."""
    u = (whole[1] - whole[0]) / np.linalg.norm(whole[1] - whole[0])
    own, its = np.sort((piece - whole[0]) @ u), np.sort((other - whole[0]) @ u)
    length = float(own[1] - own[0])
    return float(min(own[1], its[1]) - max(own[0], its[0])) / length if length > 0 else 1.0


def further_surfaces(
    old: dict[str, Array],
    new: dict[str, Array],
    surfaces: dict[str, Surface],
    close: Iterable[tuple[str, str]],
    partner: dict[str, str],
    apart: float,
) -> list[tuple[str, str]]:
    """Pairs (baseline, revised) of surfaces without a partner that are pieces of one that has one, in its
    plane.

    `old` and `new` are outlines (n, 3) by id in the baseline's coordinates, `surfaces` the baseline's,
    `close` pairs that are looked at, `partner` the pairs that stand, by revised id; `apart` (m): how far a
    piece may lie off the plane beyond half of the thickness."""
    paired = set(partner.values())
    found: list[tuple[str, str]] = []
    taken: dict[tuple[bool, str], list[Polygon]] = {}
    used: set[tuple[bool, str]] = set()
    for a, b in close:
        if (b in partner) == (a in paired):
            continue
        was = surfaces[a]
        axes, limit = was.plain_axes, was.thickness / 2 + apart
        if np.abs((new[b] - old[a][0]) @ axes[2]).max() > limit:
            continue
        split = b not in partner  # the whole is the baseline's
        key, own = ((True, a), (False, b)) if split else ((False, b), (True, a))
        if own in used:
            continue

        def flat(outline: Array, axes: Array = axes) -> Polygon:
            return sound(Polygon(outline @ axes[:2].T))

        whole, piece = flat(old[a] if split else new[b]), flat(new[b] if split else old[a])
        if piece.area <= 0 or piece.area > SHORTER * whole.area:
            continue
        if piece.intersection(whole).area < INSIDE * piece.area:
            continue
        if key not in taken:
            first = [new[r] for r, o in partner.items() if o == a] if split else [old[partner[b]]]
            taken[key] = [flat(x) for x in first]
        if union_all(taken[key]).intersection(piece).area > BESIDE * piece.area:
            continue
        used.add(own)
        taken[key].append(piece)
        found.append((a, b))
    return found
