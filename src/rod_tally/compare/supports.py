"""Supports, held edges and beds of a revision against those of its baseline."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from shapely.geometry import Polygon

from ..model import Model, Support, Surface
from ..model.entities.structure import along_axes
from ..model.geometry.vectors import Array
from .members import MemberMatch
from .places import REACH, Places

LIFTS = ", pushes only"
ALIGNED = 1e-3  # of unit vectors; a building's turn is known as well


@dataclass(slots=True)
class SupportMatch:
    """`at` (m): in the revision, or where the baseline's would lie there. `was` and `is_` are words: "ux uy
    uz=2.5e7", of an edge "edge uz", of a slab "bed 2e7"; "" for none."""

    status: str
    at: tuple[float, float, float]
    was: str
    is_: str


def match_supports(
    base: Model, revised: Model, places: Places, surfaces: list[MemberMatch]
) -> list[SupportMatch]:
    """Every support of either side once, by its place."""
    old = [(p, w) for p, w in _supports(base, np.eye(3))]
    new = [(p, w) for p, w in _supports(revised, places.rotation)]
    back = places.back(np.array([p for p, _ in new]).reshape(-1, 3)) if new else np.zeros((0, 3))
    points = np.array([p for p, _ in old]).reshape(-1, 3)
    taken: set[int] = set()
    out: list[SupportMatch] = []
    for k, (p, words) in enumerate(new):
        best = -1
        if len(points):
            off = np.linalg.norm(points - back[k], axis=1)
            free = [i for i in np.argsort(off, kind="stable") if int(i) not in taken and off[i] <= REACH]
            # at one place a node's support is held against a node's, an edge's against an edge's
            same = [i for i in free if _kind(old[i][1]) == _kind(words)]
            best = int((same or [-1])[0])
        if best < 0:
            out.append(SupportMatch("added", _point(p), "", words))
            continue
        taken.add(best)
        was = old[best][1]
        out.append(SupportMatch("same" if was == words else "changed", _point(p), was, words))
    out += [
        SupportMatch("removed", _point(places.forward(p)), w, "")
        for i, (p, w) in enumerate(old)
        if i not in taken
    ]
    return out + _beds(base, revised, surfaces)


def _supports(model: Model, rotation: Array) -> Iterator[tuple[Array, str]]:
    for n in model.nodes.values():
        if n.support.any:
            yield n.point + model.origin, support_words(n.support, rotation) + _lifts(model, n.id, "kN")
    for s in model.surfaces.values():
        for edge in s.supports:
            words = "edge " + support_words(edge.support, rotation) + LIFTS * (s.id in model.lifting)
            yield edge.line.mean(axis=0) + model.origin, words


def _bed(s: Surface) -> str:
    """The ground of a surface in words, its zones by their areas, whatever their order."""
    zones = sorted((b.modulus, s.polygon.intersection(Polygon(s.flat(b.outer))).area) for b in s.beds)
    return f"bed {s.bedding:g}" + "".join(f", {area:.3g} m² on {modulus:g}" for modulus, area in zones)


def _lifts(model: Model, ident: str, unit: str) -> str:
    limit = model.bearing.get(ident)
    return (
        (LIFTS + (f", at most {limit / 1e3:.6g} {unit}" if limit else "")) if ident in model.lifting else ""
    )


def _beds(base: Model, revised: Model, surfaces: list[MemberMatch]) -> list[SupportMatch]:
    out = []
    for m in surfaces:
        a = base.surfaces.get(m.baseline_id or "")
        b = revised.surfaces.get(m.revised_id or "")
        was, now = (
            _bed(x) + _lifts(model, x.id, "kN/m²") if x is not None and x.on_ground else ""
            for model, x in ((base, a), (revised, b))
        )
        if not (was or now):
            continue
        status = "same" if was == now else "added" if not was else "removed" if not now else "changed"
        place = (
            (b.centroid + revised.origin)
            if b is not None
            else (a.centroid + base.origin if a is not None else np.zeros(3))
        )
        out.append(SupportMatch(status, _point(place), was, now))
    return out


def support_words(support: Support, rotation: Array) -> str:
    """Return what is held along the baseline's axes, with `rotation` (a turn about z) taken back; in axes
    of its own where it would couple."""
    if support.axes is None and np.allclose(rotation, np.eye(3), atol=1e-6):
        return support.words
    own = np.eye(3) if support.axes is None else np.array(support.axes)
    axes = own @ rotation  # rows: the support's directions in the baseline's axes
    plain = along_axes(support.stiffness, axes, np.eye(3), ALIGNED)
    if plain is not None:
        return Support(plain).words
    shown = "; ".join(" ".join(f"{v:.4f}" for v in row + 0.0) for row in map(_one_way, axes))
    return f"{support.words} in axes {shown}"


def _one_way(direction: Array) -> Array:
    """A direction or its opposite, which is held as well: the one whose first part that is not nothing is
    positive."""
    first = direction[np.abs(direction) > ALIGNED][0]
    return np.round(direction * np.sign(first), 6)


def _kind(words: str) -> str:
    return "edge" if words.startswith("edge ") else "node"


def _point(p: Array) -> tuple[float, float, float]:
    return float(p[0]), float(p[1]), float(p[2])
