"""Members of a revision held against those of its baseline: by identity where the place agrees, else by place
alone.

A revised member is the original one while its centroid lies within the outline of the original's
cross-section: in plan for columns, in the plane normal to the axis for others, with overlapping length."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..model import Member, Model, Section
from ..model.geometry.proximity import near_boxes
from ..model.geometry.vectors import Array, local_axes, ring_sides
from .align import SAME, Transform, find_motion
from .changes import APART, Change, MemberChanges, drawn_outline, mixed_kinds
from .pieces import further_pairs

UNKNOWN_HALF = 0.1  # m; outline taken for a section nothing is known of
ROUNDING = 1e-6  # m; what files carry: a step that reaches the outline itself is within it
SLANT = 0.2  # sine of the largest angle between a member and itself, revised
# members that are not upright from which they, without the surfaces, say how the building is turned and
# shifted
FRAME = 3
OVERLAP = 0.1  # of the shorter of the two


@dataclass(slots=True)
class MemberMatch:
    """One row of the comparison. `shift` in m, 0 for added and removed; sections are names, None where
    absent."""

    status: str
    cls: str
    baseline_id: str | None
    revised_id: str | None
    shift: float
    baseline_section: str | None
    revised_section: str | None
    changes: list[Change] = field(default_factory=list)
    flipped: bool = False  # the revised member runs the other way round
    piece: bool = False  # one more piece of a member that was split, or that pieces were merged into


def source_lines(model: Model, joined: bool = False) -> Array:
    """Lines (n, 2, 3) of the members as in the source or as corrections left them, in the source's own
    coordinates; `joined`: as transfer joined them."""
    members = list(model.members.values())
    lines = np.asarray(model.lines_of(members)).reshape(-1, 2, 3).copy()
    for k, m in enumerate(members) if not joined else ():
        if m.source_line is not None:
            lines[k] = m.drawn
    return lines + model.origin


def _level(lines: Array) -> int:
    """How many of the lines (n, 2, 3) have a direction in plan."""
    d = lines[:, 1] - lines[:, 0]
    return int((np.hypot(d[:, 0], d[:, 1]) > 0.1).sum())


def surface_edges(model: Model, joined: bool) -> tuple[Array, list[str]]:
    """Edges (n, 2, 3) of all surfaces as the source draws them, or as they are joined, and the class of
    each."""
    lines, classes = [], []
    for s in model.surfaces.values():
        outer = drawn_outline(s, joined) + model.origin
        lines.append(ring_sides(outer))
        classes += [s.cls] * len(outer)
    edges = np.concatenate(lines) if lines else np.zeros((0, 2, 3))
    long = np.linalg.norm(edges[:, 1] - edges[:, 0], axis=1) > SAME
    return edges[long], [c for c, good in zip(classes, long) if good]


# baseline, revised, shift (m), overlap (share)
Candidates = tuple[NDArray[np.int64], NDArray[np.int64], Array, Array]
Partners = dict[int, tuple[int, float]]  # by revised index: baseline index, shift


def match_members(
    base: Model, revised: Model
) -> tuple[list[MemberMatch], Transform | None, list[tuple[str, list[str]]]]:
    """Every member of either side, the transform between the two, and ambiguous ones: (revised,
    candidates)."""
    bm, rm = list(base.members.values()), list(revised.members.values())
    mixed = mixed_kinds(base, revised)
    lines_b, lines_r = source_lines(base, mixed), source_lines(revised, mixed)
    axes = np.array([m.z_axis for m in bm]).reshape(-1, 3), np.array([m.z_axis for m in rm]).reshape(-1, 3)
    seen = [(lines_b, [m.cls for m in bm], axes[0]), (lines_r, [m.cls for m in rm], axes[1])]
    if min(_level(lines_b), _level(lines_r)) < FRAME:
        # columns, or a few beams, do not say which way a building lies: the edges of its walls and slabs do
        for side, model in enumerate((base, revised)):
            edges, classes = surface_edges(model, mixed)
            lines, own, z = seen[side]
            seen[side] = (
                np.concatenate([lines, edges]),
                own + classes,
                np.concatenate([z, np.zeros((len(edges), 3))]),
            )
    (all_b, classes_b, axes_b), (all_r, classes_r, axes_r) = seen
    at_r = {m.id: k for k, m in enumerate(rm)}
    both = [(k, at_r[m.id]) for k, m in enumerate(bm) if m.id in at_r and rm[at_r[m.id]].cls == m.cls]
    named = np.array([] if revised.pair_by else both, np.int64).reshape(-1, 2).T
    transform = find_motion(all_b, all_r, classes_b, classes_r, (axes_b, axes_r), (named[0], named[1]))
    if transform is not None:
        lines_r = transform.undo(lines_r)
    apart = APART if mixed else 0.0
    candidates = _candidates(base, bm, rm, lines_b, lines_r, apart)
    index_b, index_r = ({m.id: k for k, m in enumerate(side)} for side in (bm, rm))
    by_hand = {index_r[r]: index_b.get(b) for r, b in revised.pairing.items() if r in index_r}
    partner: Partners = {  # by hand first, wherever it lies
        b: (a, step_of(bm[a], lines_b[a], lines_r[b])) for b, a in by_hand.items() if a is not None
    }
    ambiguous = _pair_up(bm, rm, candidates, partner, set(by_hand))
    # what was paired by hand stays as it was said, and has no further pieces
    by_place = {b: p for b, p in partner.items() if b not in by_hand}
    pieces = further_pairs(lines_b, lines_r, candidates, by_place, apart)
    pieces = [(a, b, step) for a, b, step in pieces if b not in by_hand]
    changes = MemberChanges(base, revised, transform, (lines_b, lines_r))
    return _rows(changes, bm, rm, partner, pieces), transform, ambiguous


def _pair_up(
    bm: list[Member], rm: list[Member], candidates: Candidates, partner: Partners, by_hand: set[int]
) -> list[tuple[str, list[str]]]:
    """Add partners of the members that have none: of one identity, then the nearest. Returns the ambiguous
    ones."""
    i, j, shift, overlap = candidates
    free = np.array([int(b) not in by_hand for b in j], bool)
    i, j, shift, overlap = i[free], j[free], shift[free], overlap[free]
    taken = {a for a, _ in partner.values()}

    def pair(k: int) -> None:
        partner[int(j[k])] = (int(i[k]), float(shift[k]))
        taken.add(int(i[k]))

    for k in range(len(i)):
        if int(i[k]) not in taken and bm[i[k]].id == rm[j[k]].id:
            pair(k)
    # nearest first; of equally near ones the longest overlap, then the likeliest section
    likeness = np.array([bm[a].section == rm[b].section for a, b in zip(i, j)], bool)
    order = np.lexsort((j, i, ~likeness, -np.round(overlap, 3), np.round(shift, 4)))
    ambiguous: list[tuple[str, list[str]]] = []
    options: dict[int, list[int]] = {}
    for k in order:
        if int(j[k]) not in partner and int(i[k]) not in taken:
            options.setdefault(int(j[k]), []).append(int(k))
    for k in order:
        b = int(j[k])
        if b in partner or int(i[k]) in taken:
            continue
        rivals = [q for q in options.get(b, []) if int(i[q]) not in taken and abs(shift[q] - shift[k]) < SAME]
        rivals = [q for q in rivals if abs(overlap[q] - overlap[k]) < 0.05]
        if len(rivals) > 1:
            ambiguous.append((rm[b].id, sorted(bm[int(i[q])].id for q in rivals)))
        pair(int(k))
    return ambiguous


def _rows(
    changes: MemberChanges,
    bm: list[Member],
    rm: list[Member],
    partner: Partners,
    pieces: list[tuple[int, int, float]],
) -> list[MemberMatch]:
    """Pairs, further pieces, then what is added and what is removed."""
    split = {a for a, b, _ in pieces if b not in partner}
    merged = {b for _, b, _ in pieces if b in partner}

    changes.lying_alike([(a, b) for b, (a, _) in partner.items()])

    def row(a: int, b: int, distance: float) -> MemberMatch:
        return _row(changes, bm[a], rm[b], distance, whole=a not in split and b not in merged)

    out = [row(partner[b][0], b, partner[b][1]) for b in range(len(rm)) if b in partner]
    out += [replace(row(a, b, step), piece=True) for a, b, step in pieces]
    known_r = {*partner, *(b for _, b, _ in pieces)}
    known_b = {a for a, _ in partner.values()} | {a for a, _, _ in pieces}
    out += [
        MemberMatch("added", m.cls, None, m.id, 0.0, None, m.section or None)
        for b, m in enumerate(rm)
        if b not in known_r
    ]
    out += [
        MemberMatch("removed", m.cls, m.id, None, 0.0, m.section or None, None)
        for a, m in enumerate(bm)
        if a not in known_b
    ]
    return out


def step_of(member: Member, old: Array, new: Array) -> float:
    """How far a line (2, 3) has moved from a member's: in plan for columns, across the axis for others, m."""
    d = (new - old).mean(axis=0)
    if member.cls == "column":
        return float(np.hypot(d[0], d[1]))
    u = (old[1] - old[0]) / np.linalg.norm(old[1] - old[0])
    return float(np.linalg.norm(d - (d @ u) * u))


def _row(changes: MemberChanges, a: Member, b: Member, shift: float, whole: bool) -> MemberMatch:
    """The row of a pair: resized before moved before changed, with every attribute that differs; `whole`:
    neither is one of several pieces of the other."""
    shift = shift if shift >= SAME else 0.0
    found = changes.of(a, b, whole)
    resized = any(c.what == "section" for c in found)
    status = "resized" if resized else "moved" if shift else "changed" if found else "same"
    return MemberMatch(
        status, b.cls, a.id, b.id, shift, a.section or None, b.section or None, found, changes.reversed(a, b)
    )


def _candidates(
    base: Model, bm: list[Member], rm: list[Member], lines_b: Array, lines_r: Array, apart: float
) -> tuple[NDArray[np.int64], NDArray[np.int64], Array, Array]:
    """Pairs (baseline index, revised index) that may be one member, with shift and overlap (share of the
    shorter); `apart` (m) is added to the outlines all round."""
    none = np.zeros(0, np.int64)
    if not bm or not rm:
        return none, none, np.zeros(0), np.zeros(0)
    bounds = {name: _bounds(base.sections.get(name)) for name in {m.section for m in bm}}
    half = np.array([bounds[m.section] for m in bm]) + (apart + ROUNDING) * np.array([-1, 1, -1, 1])
    reach = float(np.abs(half).max())
    i, j = near_boxes(
        (lines_b.min(axis=1), lines_b.max(axis=1)), (lines_r.min(axis=1), lines_r.max(axis=1)), reach
    )
    class_b, class_r = np.array([m.cls for m in bm]), np.array([m.cls for m in rm])
    keep = class_b[i] == class_r[j]
    i, j = i[keep], j[keep]
    axes = np.asarray(local_axes(lines_b[:, 1] - lines_b[:, 0], np.array([m.z_axis for m in bm]))).reshape(
        -1, 3, 3
    )
    u = axes[i, 0]
    column = class_b[i] == "column"
    middle_b, middle_r = lines_b.mean(axis=1)[i], lines_r.mean(axis=1)[j]
    d = middle_r - middle_b
    # in plan for columns; for others the part of the step that is normal to the original's axis
    flat = d * np.array([1, 1, 0])
    normal = d - np.einsum("ni,ni->n", d, u)[:, None] * u
    step = np.where(column[:, None], flat, normal)
    y, z = np.einsum("ni,ni->n", step, axes[i, 1]), np.einsum("ni,ni->n", step, axes[i, 2])
    b = half[i]
    inside = (y >= b[:, 0]) & (y <= b[:, 1]) & (z >= b[:, 2]) & (z <= b[:, 3])
    length_b = np.linalg.norm(lines_b[:, 1] - lines_b[:, 0], axis=1)[i]
    length_r = np.linalg.norm(lines_r[:, 1] - lines_r[:, 0], axis=1)[j]
    t = np.einsum("nki,ni->nk", lines_r[j] - lines_b[i, :1], u)
    overlap = np.minimum(length_b, t.max(axis=1)) - np.maximum(0, t.min(axis=1))
    share = overlap / np.minimum(length_b, length_r)
    x_r = (lines_r[:, 1] - lines_r[:, 0]) / np.linalg.norm(lines_r[:, 1] - lines_r[:, 0], axis=1)[:, None]
    sine = np.linalg.norm(np.cross(u, x_r[j]), axis=1)
    good = inside & (share > OVERLAP) & (sine < SLANT)
    return i[good], j[good], np.linalg.norm(step, axis=1)[good], share[good]


def _bounds(section: Section | None) -> tuple[float, float, float, float]:
    if section is None or not (section.outline or section.area > 0):
        return -UNKNOWN_HALF, UNKNOWN_HALF, -UNKNOWN_HALF, UNKNOWN_HALF
    return section.bounds
