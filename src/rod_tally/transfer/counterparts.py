"""Both sides of a source that brings both: which analytical member stands for which physical element, and how
far off."""

from __future__ import annotations

import numpy as np
from shapely.geometry import Polygon

from ..intake.source import SourceElement, SourceModel
from ..model import Counterpart, Model, Surface
from ..model.geometry.proximity import near_boxes
from ..model.geometry.vectors import Array, closest_on_segment
from .surfaces.mid_surfaces import mid_surfaces

NEAR = 1.0  # m; a member this far off an element is not its counterpart unless the file says so
HALF = 0.5  # m
PARALLEL = 0.94  # cosine of about 20 degrees


def counterparts(source: SourceModel, model: Model) -> list[Counterpart]:
    """One row for every analytical member and every physical element: pairs linked in the file, then pairs by
    place.

    By place: the nearest element that runs the same way and overlaps the member along it; an element may have
    several members (split at its joints). The distance is the largest of the member's ends and middle off the
    element's line."""
    elements = {e.id: e for e in source.elements}
    out: list[Counterpart] = []
    taken: set[str] = set()
    rest = []
    for c in source.curves:
        linked = source.links.get(c.id, "")
        if linked in elements:
            e = elements[linked]
            taken.add(linked)
            out.append(_pair(c.id, c.name, c.line, c.profile, c.material, e, "linked"))
        else:
            rest.append(c)
    lines = np.array([e.line for e in source.elements]).reshape(-1, 2, 3)
    if len(rest) and len(lines):
        own = np.array([c.line for c in rest])
        boxes = (own.min(axis=1), own.max(axis=1)), (lines.min(axis=1), lines.max(axis=1))
        i, j = near_boxes(*boxes, NEAR)
        best: dict[int, tuple[float, int]] = {}
        for a, b in zip(i.tolist(), j.tolist()):
            u, v = own[a, 1] - own[a, 0], lines[b, 1] - lines[b, 0]
            if abs(u @ v) < PARALLEL * np.linalg.norm(u) * np.linalg.norm(v):
                continue
            off = _off(own[a], lines[b])
            if off <= NEAR and (a not in best or (off, b) < best[a]):
                best[a] = (off, b)
    else:
        best = {}
    for k, c in enumerate(rest):
        if k in best:
            e = source.elements[best[k][1]]
            taken.add(e.id)
            out.append(_pair(c.id, c.name, c.line, c.profile, c.material, e, "placed"))
        else:
            out.append(Counterpart("member", c.id, "", "", 0.0, c.profile, "", c.material, "", c.name))
    for e in source.elements:
        if e.id not in taken:
            out.append(Counterpart(e.cls, "", e.id, "", 0.0, "", e.profile, "", e.material, e.name))
    return out + _surfaces(source)


def _surfaces(source: SourceModel) -> list[Counterpart]:
    """The same for slabs and walls: a face stands for the element whose body most of it lies in."""
    out: list[Counterpart] = []
    faces = {f.id: f for f in source.faces}
    linked = {source.links[f]: f for f in faces if f in source.links}
    used: set[str] = set()
    for s in source.surfaces:
        try:
            pieces = mid_surfaces(s, np.zeros(3))
        except ValueError:
            continue
        best = linked.get(s.id, "")
        if not best:
            for f in source.faces:
                if any(_lies_in(f.outer, x) for x in pieces):
                    best = f.id
                    break
        if best:
            used.add(best)
            continue
        out.append(Counterpart(s.cls, "", s.id, "", 0.0, "", "", "", s.material, s.name))
    out += [
        Counterpart("surface", f.id, "", "", 0.0, "", "", f.material, "", f.name)
        for f in source.faces
        if f.id not in used and f.id not in source.links and source.surfaces
    ]
    return out


def _lies_in(outer: Array, piece: Surface) -> bool:
    """Return whether a face lies in a body's middle plane, within its thickness and half a metre, over most
    of either."""
    flat = Polygon(piece.flat(outer))
    if not flat.is_valid or np.abs(piece.height(outer)).max() > piece.thickness / 2 + HALF:
        return False
    shared = flat.intersection(piece.polygon).area
    return bool(shared > min(flat.area, piece.area) / 2)


def _pair(
    ident: str, name: str, line: Array, profile: str, material: str, e: SourceElement, how: str
) -> Counterpart:
    return Counterpart(
        e.cls, ident, e.id, how, _off(line, e.line), profile, e.profile, material, e.material, e.name or name
    )


def _off(line: Array, other: Array) -> float:
    """The largest distance of a line's ends and middle from another line (2, 3), beyond its ends not
    counted."""
    points = np.array([line[0], line.mean(axis=0), line[1]])
    n = len(points)
    t, d = closest_on_segment(points, np.repeat(other[:1], n, axis=0), np.repeat(other[1:], n, axis=0))
    length = float(np.linalg.norm(other[1] - other[0]))
    inside = (t > 1e-6) & (t < length - 1e-6)
    return float(d[inside].max()) if inside.any() else float(d.min())
