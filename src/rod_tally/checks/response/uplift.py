"""Supports and ground that a combination pulls upwards: what has to be held down, and ground that would have
to pull."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...analysis.results.superpose import envelope, factors_of, usable
from ...analysis.shells.assembly import node_areas
from ...model import Combination, Finding
from ...model.geometry.vectors import Array
from ...words import and_more
from ..registry import Subject, check, point

Places = NDArray[np.int64]  # indices of supports
LEAST = 100.0  # N; less is nothing
SHARE = 1e-3  # of the largest reaction; less is rounding
AREA = 0.01  # share of the area on the ground that may pull unreported
PART = 0.005  # share of what the ground bears that it may pull unreported
NAMED = 3


@check("response.uplift")
def find_pulled(s: Subject) -> Iterator[Finding]:
    """Over all combinations whose cases were computed; single cases such as wind alone say nothing about
    it."""
    r = s.results
    if r is None or r.empty or not len(r.support_ids):
        return
    known = usable(r, s.model.combinations)
    if not known:
        return
    up = r.reaction[:, :, 2]
    found = envelope(r, known, up)
    least = max(LEAST, SHARE * float(np.abs(found.high).max(initial=0.0)))
    index = {n: i for i, n in enumerate(r.support_ids)}
    ground, held = _of_surfaces(s, index)
    for ident, (at, area) in ground.items():
        if found.low[at].min(initial=0.0) < -LEAST:
            yield from _ground(s, ident, at, area, up, known[int(found.low_by[at[found.low[at].argmin()]])])
    taken = {i for at, _ in ground.values() for i in at.tolist()} | {
        i for at in held.values() for i in at.tolist()
    }
    rows = [
        (
            float(found.low[at].min()),
            ident,
            "edge of " + _named(s, ident),
            known[int(found.low_by[at[found.low[at].argmin()]])],
        )
        for ident, at in held.items()
    ]
    nodes = [
        (n, i) for n, i in index.items() if i not in taken and n in s.model.nodes and n not in s.model.lifting
    ]
    rows += [(float(found.low[i]), n, f"node {n}", known[int(found.low_by[i])]) for n, i in nodes]
    pulled = sorted((row for row in rows if row[0] < -least), key=lambda row: (row[0], row[1]))
    if not pulled:
        return
    names = "; ".join(f"{what} by {-by / 1000:.4g} kN in {c.name}" for by, _, what, c in pulled[:NAMED])
    more = and_more(pulled, NAMED, "; and")
    first = s.model.nodes.get(pulled[0][1])
    yield Finding(
        "response.uplift",
        "note",
        f"{len(pulled)} support{'s have' if len(pulled) > 1 else ' has'} to hold the building down: {names}{more}.",
        tuple(ident for _, ident, _, _ in pulled),
        point(first.point) if first is not None else None,
        ("Accept, because…",),
        {"force": -pulled[0][0]},
    )


def _of_surfaces(
    s: Subject, index: dict[str, int]
) -> tuple[dict[str, tuple[Places, Array]], dict[str, Places]]:
    """Supports (k,) of the ground under each surface with the area (k,) of each, m2, and those of held edges;
    none of what is said to lift off."""
    r = s.results
    plates = r.plates if r is not None else None
    if r is None or plates is None:
        return {}, {}
    ground: dict[str, tuple[Places, Array]] = {}
    held: dict[str, Places] = {}
    for ident in plates.surfaces:
        shape = plates.shapes[ident]
        if ident in s.model.lifting or not shape.on_ground:
            continue
        area = node_areas(plates, {ident})
        nodes = [n for n in plates.nodes_of(ident).tolist() if r.node_ids[n] in index]
        if nodes:
            ground[ident] = np.array([index[r.node_ids[n]] for n in nodes]), area[nodes]
    for edge in plates.held:
        at = [index[r.node_ids[n]] for n in edge.nodes.tolist() if r.node_ids[n] in index]
        if at and edge.surface not in s.model.lifting and edge.support.stiffness[2] > 0:
            held[edge.surface] = np.union1d(held.get(edge.surface, np.zeros(0, np.int64)), at).astype(
                np.int64
            )
    return ground, held


def _ground(
    s: Subject, ident: str, at: Places, area: Array, up: Array, worst: Combination
) -> Iterator[Finding]:
    assert s.results is not None
    plain, roots = factors_of(s.results, [worst])
    force = plain[0] @ up[:, at] - np.sqrt(roots[0] ** 2 @ up[:, at] ** 2)
    pulls = force < 0
    if area[pulls].sum() < AREA * area.sum() or -force[pulls].sum() < PART * force[~pulls].sum():
        return  # what little a thin edge pulls changes nothing
    surface = s.model.surfaces[ident]
    yield Finding(
        "response.uplift",
        "warning",
        f"In {worst.name} the ground under {_named(s, ident)} is in tension, which ground cannot resist: over {area[pulls].sum():.3g} "
        f"of {area.sum():.3g} m², with {-force[pulls].sum() / 1000:.4g} kN in all.",
        (ident,),
        point(surface.centroid),
        ("Accept, because…",),
        {"force": -float(force[pulls].sum()), "area": float(area[pulls].sum())},
    )


def _named(s: Subject, ident: str) -> str:
    surface = s.model.surfaces[ident]
    return f"{surface.cls} {surface.name or surface.id}"
