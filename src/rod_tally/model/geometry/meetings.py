"""Meetings of two surfaces: the lines along which they are tied to each other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from shapely.geometry import LineString

from ..entities.surface import SurfaceJoint
from .panels import ALONG, SHORTEST, Panels, longest, meeting_pairs
from .vectors import Array, like

WIDER = 1e-4  # m; by which outlines are widened to see what touches them
ROUNDING = 1e-7  # m


@dataclass(slots=True)
class Meeting:
    """The meeting of surface `one` and surface `other`: the line of their planes within both (2, 3)."""

    one: int
    other: int
    line: Array
    reach: float


def pairs(panels: Panels, snap: float) -> list[tuple[int, int, bool]]:
    """Pairs of surfaces whose bodies meet, and whether their planes are (about) parallel."""
    i, j = meeting_pairs(panels, snap)
    sine = np.linalg.norm(np.cross(panels.axes[i, 2], panels.axes[j, 2]), axis=1)
    return list(zip(i.tolist(), j.tolist(), (sine < ALONG).tolist()))


def meet(panels: Panels, i: int, j: int, snap: float) -> list[Meeting]:
    """Where two surfaces of different planes meet, up to half the other's thickness and the snap distance
    beyond their outlines."""
    a, b = panels.surfaces[i], panels.surfaces[j]
    na, nb = panels.axes[i, 2], panels.axes[j, 2]
    d = np.cross(na, nb)
    sine = float(np.linalg.norm(d))
    d = d / sine
    middle = (panels.bodies.centre[i] + panels.bodies.centre[j]) / 2
    # the point of both planes nearest to the middle of the two
    at = np.linalg.solve(np.array([na, nb, d]), np.array([na @ a.outer[0], nb @ b.outer[0], d @ middle]))
    far = float(panels.bodies.half[[i, j], :2].sum()) * 2 + 1.0
    line = np.array([at - d * far, at + d * far])
    spans = []
    for own, other, k in ((a, b, i), (b, a, j)):
        reach = other.thickness / 2 / sine + snap
        wide = panels.polygons[k].buffer(reach + 1e-9, join_style="mitre")
        parts = LineString(own.flat(line)).intersection(wide)
        spans.append(
            [
                np.sort((own.lifted(np.array(p.coords)[[0, -1]]) - at) @ d)
                for p in getattr(parts, "geoms", [parts])
                if p.length > 0
            ]
        )
    out = []
    for one in spans[0]:
        for two in spans[1]:
            low, high = max(one[0], two[0]), min(one[1], two[1])
            if high - low > SHORTEST:
                # what is within reach beyond both outlines is trimmed to where at least one of them is
                reach = max(a.thickness, b.thickness) / 2 / sine + snap
                out.append(Meeting(i, j, np.array([at + d * low, at + d * high]), reach))
    return out


def shared_line(panels: Panels, m: Meeting, gap: float) -> Array | None:
    """Return what of a meeting's line both outlines still hold now that their edges are where they go; None
    for nothing."""
    start, d = m.line[0], m.line[1] - m.line[0]
    length = float(np.linalg.norm(d))
    d = d / length
    low, high = 0.0, length
    for k in (m.one, m.other):
        own = panels.surfaces[k]
        wide = panels.polygons[k].buffer(gap + WIDER, join_style="mitre")
        piece = longest(LineString(own.flat(m.line)).intersection(wide))
        if piece is None:
            return None
        t = np.sort((own.lifted(np.array(piece.coords)[[0, -1]]) - start) @ d)
        low, high = max(low, float(t[0])), min(high, float(t[1]))
    if high - low <= max(SHORTEST, 3 * gap):
        return None  # they meet in a corner alone
    # an end that was not cut off stays where it was; what the widening added at the others is taken off again
    if low > ROUNDING:
        low += gap + WIDER
    if high < length - ROUNDING:
        high -= gap + WIDER
    return np.array([start + d * low, start + d * high])


def off_outline(panels: Panels, k: int, line: Array) -> float:
    """How far the middle of a line lies off a surface's outline, m; 0 on it."""
    own = panels.surfaces[k]
    off = float(panels.polygons[k].distance(LineString(own.flat(line)).centroid))
    return 0.0 if off < 1e-6 else off


def side_by_side(
    panels: Panels, i: int, j: int, snap: float, known: dict[tuple[bytes, bytes], list[Array]]
) -> None:
    """Two surfaces in (about) one plane that share an edge: tied along it; the planes' distance is the link.
    `known`: the shared edges of like pairs, of which a building has many, in the first one's plane."""
    a, b = panels.surfaces[i], panels.surfaces[j]
    height = float(np.abs(a.height(b.outer)).max())
    if height > (a.thickness + b.thickness) / 2 + snap:
        return
    ring, other = a.flat(a.outer), a.flat(b.outer)
    key = (like(ring).tobytes(), like(other).tobytes())
    if key not in known:
        known[key] = shared_edges(ring, other, snap)
    for shared in known[key]:
        ends = a.lifted(shared)
        a.joints.append(SurfaceJoint("surface", b.id, ends, height))
        b.joints.append(
            SurfaceJoint("surface", a.id, ends - np.outer(b.height(ends), b.plain_axes[2]), height)
        )


def shared_edges(ring: Array, other: Array, snap: float) -> list[Array]:
    """Pieces (2, 2) of a ring's sides that run along another ring, such as the two beside a door of the wall
    above."""
    near = LineString([*other, other[0]]).buffer(snap + ROUNDING, cap_style="flat", join_style="mitre")
    out: list[Array] = []
    for p, q in zip(ring, np.roll(ring, -1, axis=0)):
        length = float(np.linalg.norm(q - p))
        if length < SHORTEST:
            continue
        within = LineString([p, q]).intersection(near)
        for piece in getattr(within, "geoms", [within]):
            if piece.length <= max(SHORTEST, 2.5 * snap):
                continue
            # an end that the other ring leaves at a corner reaches the snap distance beyond it
            low, high = sorted(float(np.linalg.norm(c - p)) for c in np.array(piece.coords)[[0, -1]])
            low += (snap + ROUNDING) * (low > 2 * ROUNDING)
            high -= (snap + ROUNDING) * (high < length - 2 * ROUNDING)
            out.append(np.array([p + (q - p) * (low / length), p + (q - p) * (high / length)]))
    return out


def tie_meeting(panels: Panels, m: Meeting) -> bool:
    """Record at both surfaces that they are tied where they meet; False where their outlines do not reach
    each other."""
    gap = max(off_outline(panels, m.one, m.line), off_outline(panels, m.other, m.line))
    shared = shared_line(panels, m, gap)
    if shared is None:
        return False
    m.line = shared
    for own, other in ((m.one, m.other), (m.other, m.one)):
        panels.surfaces[own].joints.append(SurfaceJoint("surface", panels.surfaces[other].id, m.line, gap))
    return True
