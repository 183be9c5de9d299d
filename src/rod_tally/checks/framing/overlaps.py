"""Members on top of each other, and members that pass without meeting."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from ...model import Finding
from ...model.edits.joining import SHORTEST_LINK, STEEP, linked
from ...model.geometry.proximity import crossing_pairs, near_boxes
from ...model.geometry.vectors import Array
from ...transfer.members.analytical import ONE_NODE
from ..registry import Subject, check, mm, point

JOIN = "Join them there"
REST = "Rest the upper on the lower"  # a link at the crossing that carries what contact of the bodies can
REST_LOOSE = "Rest the upper on the lower, free to lift off"
LINK = "Join them by a rigid link"  # bodies that touch or bite into each other: a bearing joint
BESIDE = 0.15  # m; members whose axes lie this near side by side may be one drawn twice
MANY = 5  # merged points from which one finding tells of all
SHARED = 0.2  # share of the smaller one's outline in the other's above which they are
PARALLEL = 0.01  # sine of the angle below which two members count as in one direction


@check("join.duplicate", looks_at=("geometry", "sections", "source"))
def find_duplicates(s: Subject) -> Iterator[Finding]:
    """Two members on one line: between the same points, or overlapping along it by a tenth of the shorter;
    and two side by side with one body in the other along most of the shorter."""
    yield from _merged_points(s)
    # apart from the log of the source, which every correction adds to
    yield from s.once("doubled members", lambda: list(_doubled(s)), ("geometry", "sections", "names"))


def _doubled(s: Subject) -> Iterator[Finding]:
    rods, snap = s.rods, s.model.snap
    if not len(rods):
        return
    low, high = rods.lines.min(axis=1), rods.lines.max(axis=1)
    i, j = near_boxes((low, high), (low, high), max(snap, BESIDE))
    once = i < j
    i, j = i[once], j[once]
    if not len(i):
        return
    u = rods.axes[i, 0]
    sine = np.linalg.norm(np.cross(u, rods.axes[j, 0]), axis=1)
    t = np.einsum("nki,ni->nk", rods.lines[j] - rods.lines[i, :1], u)
    off = rods.lines[j] - rods.lines[i, :1] - t[..., None] * u[:, None]
    aside = np.linalg.norm(off, axis=2).max(axis=1)
    overlap = np.minimum(rods.lengths[i], t.max(axis=1)) - np.maximum(0, t.min(axis=1))
    shorter = np.minimum(rods.lengths[i], rods.lengths[j])
    found = (sine < PARALLEL) & (aside <= snap) & (overlap > np.maximum(0.1 * shorter, 2 * snap))
    for k in np.flatnonzero(found):
        a, b = sorted((s.ids[i[k]], s.ids[j[k]]))
        same = overlap[k] > shorter[k] - 2 * snap and abs(rods.lengths[i[k]] - rods.lengths[j[k]]) <= 2 * snap
        how = "lie between the same points" if same else f"overlap along {mm(float(overlap[k]))}"
        yield Finding(
            "join.duplicate",
            "blocking",
            f"The {s.name(a)} and the {s.name(b)} {how}: stiffness and weight count twice.",
            (a, b),
            s.middle(a),
            (f"Delete {s.name(b)}", f"Delete {s.name(a)}", "Accept, because…"),
            {"overlap": float(overlap[k])},
        )
    beside = (sine < PARALLEL) & (aside > snap) & (aside <= BESIDE) & (overlap > shorter / 2)
    for k in np.flatnonzero(beside):
        a, b = int(i[k]), int(j[k])
        share = _shared(s, a, b, off[k].mean(axis=0))
        if share < SHARED:
            continue
        one, other = sorted((s.ids[a], s.ids[b]))
        yield Finding(
            "join.duplicate",
            "warning",
            f"The {s.name(one)} and the {s.name(other)} run {mm(float(aside[k]))} beside each other, {share:.0%} of the smaller "
            "within the other: stiffness and weight count twice.",
            (one, other),
            s.middle(one),
            (f"Delete {s.name(other)}", f"Delete {s.name(one)}", "Accept, because…"),
            {"overlap": float(overlap[k]), "aside": float(aside[k])},
        )


def _merged_points(s: Subject) -> Iterator[Finding]:
    """Points of the source that are one node: each may hold, load or release by itself. Of many the widest
    apart is named."""
    entries = [e for e in s.model.log if e.kind == "joined" and e.message.startswith(ONE_NODE)]
    if len(entries) > MANY:
        worst = max(entries, key=lambda e: (e.distance, e.ids))
        text = f"{len(entries)} groups of points of the source are one node each, such as {worst.message}"
        entries = [replace(worst, ids=tuple(i for e in entries for i in e.ids), message=text)]
    for entry in entries:
        yield Finding(
            "join.duplicate",
            "note",
            f"{entry.message[0].upper()}{entry.message[1:]}; what holds them adds up.",
            entry.ids,
            entry.at,
            ("Take me there", "Accept, because…"),
            {"distance": entry.distance},
        )


def _shared(s: Subject, a: int, b: int, off: Array) -> float:
    """Share of the smaller of two parallel members' outlines (as boxes) that lies in the other's, where
    their axes are `off` (3,) apart."""
    sections = [s.model.sections.get(s.model.members[s.ids[k]].section) for k in (a, b)]
    boxes = []
    for k, section in zip((a, b), sections):
        if section is None or not section.outline:
            return 0.0
        y0, y1, z0, z1 = section.bounds
        corners = np.array([(y, z) for y in (y0, y1) for z in (z0, z1)]) @ s.rods.axes[k, 1:]
        boxes.append((corners + (off if k == b else 0.0)) @ s.rods.axes[a, 1:].T)
    low = np.maximum(*(c.min(axis=0) for c in boxes))
    high = np.minimum(*(c.max(axis=0) for c in boxes))
    areas = [float(np.prod(np.ptp(c, axis=0))) for c in boxes]
    return float(np.prod(np.maximum(high - low, 0.0))) / max(min(areas), 1e-12)


@check("join.crossing", looks_at=("geometry", "sections"))
def find_crossings(s: Subject) -> Iterator[Finding]:
    """Two members that cross, or pass over each other touching, without a common node."""
    if len(s.ids) < 2:
        return
    analytical = not s.model.physical
    i, j, along, other, clear = crossing_pairs(s.rods, s.model.search if analytical else s.model.snap)
    for k in range(len(i)):
        a, b = s.ids[i[k]], s.ids[j[k]]
        classes = {s.model.members[a].cls, s.model.members[b].cls}
        if analytical and clear[k] > s.model.snap and classes != {"beam"}:
            continue
        if set(s.nodes_of(a)) & set(s.nodes_of(b)):
            continue
        p = s.rods.lines[i[k], 0] + s.rods.axes[i[k], 0] * along[k]
        q = s.rods.lines[j[k], 0] + s.rods.axes[j[k], 0] * other[k]
        if linked(s.model, s.model.members[a], s.model.members[b], (p, q)):
            continue
        how = "cross" if clear[k] <= 1e-6 else f"pass {mm(float(clear[k]))} from each other"
        braces = classes == {"brace"}
        rest = "as braces may" if braces else "no force goes from one to the other"
        remedies = (REST, REST_LOOSE, LINK) if not braces and _over(s, int(i[k]), int(j[k])) else (LINK,)
        yield Finding(
            "join.crossing",
            "note" if braces else "warning",
            f"The {s.name(a)} and the {s.name(b)} {how} without a common node; {rest}.",
            tuple(sorted((a, b))),
            point(p),
            (*((JOIN,) if analytical else remedies), "Accept, because…"),
            {"distance": float(clear[k])},
        )


def _over(s: Subject, i: int, j: int) -> bool:
    """Return whether one of two crossing members lies above the other there, and not beside it."""
    way = np.cross(s.rods.axes[i, 0], s.rods.axes[j, 0])
    apart = abs(float((s.rods.lines[i, 0] - s.rods.lines[j, 0]) @ way)) / float(np.linalg.norm(way))
    return apart >= SHORTEST_LINK and abs(float(way[2])) >= STEEP * float(np.linalg.norm(way))
