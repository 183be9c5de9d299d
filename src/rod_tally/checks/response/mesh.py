"""Meshes of slabs and walls: surfaces that have none, and elements too poor to trust."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ...analysis.solve.constraints import left_out
from ...analysis.solve.diaphragms import STOREY
from ...analysis.solve.node_supports import held_in_plan, node_supports, stands_fast
from ...meshing.quality import LONG, SHARP, quality_of
from ...model import Finding
from ...words import and_more
from ..registry import Subject, check, listed, point

MANY = 0.02  # share of a surface's elements that may be poor without a word; common practice, no source
FEW = 2  # of them are let pass in a surface of any size
OPEN = 0.02  # share of a wall that may be open before it is said
FINER = "Set a smaller element size"


@check("mesh.failed")
def find_unmeshed(s: Subject) -> Iterator[Finding]:
    """Surfaces that were to be computed as shells and could not be meshed."""
    r = s.results
    for ident, reason in r.plates.failed.items() if r is not None and r.plates is not None else ():
        if (
            ident in s.model.surfaces
            and r is not None
            and r.left_out.get(ident) == reason
            and "support" not in reason
        ):
            text = f"The {s.name(ident)} could not be meshed: {reason}; it is left out of the run."
            yield Finding("mesh.failed", "blocking", text, (ident,), s.middle(ident), (FINER,))


@check("mesh.point")
def find_columns_at_points(s: Subject) -> Iterator[Finding]:
    """Columns that hold slabs at a node each: how far these give way there depends on the elements. One
    note."""
    r = s.results
    if r is None or r.plates is None or s.settings.mesh.columns == "section":
        return
    ids: list[str] = []
    for ident in r.plates.surfaces:
        x = s.model.surfaces.get(ident)
        if x is None or x.upright or x.on_ground:
            continue
        for j in x.joints:
            own = {s.model.members[i].cls for i in s.members_at.get(j.node, ())} if j.kind == "end" else set()
            # beams there hold the slab along their length
            if own == {"column"} and j.other in s.model.members:
                ids.append(j.other)
    ids = list(dict.fromkeys(ids))
    if ids:
        text = (
            f"{len(ids)} column{'s hold' if len(ids) > 1 else ' holds'} flat slabs at a node, not over the section: the finer the elements, "
            'the more the slab gives way there and the building sways. [mesh] columns = "section" holds it over the section.'
        )
        yield Finding("mesh.point", "note", text, tuple(ids), s.middle(ids[0]), ("Accept, because…",))


@check("mesh.arm")
def find_lost_arms(s: Subject) -> Iterator[Finding]:
    """Rigid arms that the run had to leave out: what they were to tie moves apart, unless both ends are
    held."""
    r = s.results
    plates = r.plates if r is not None else None
    if r is None or plates is None or not plates.ties:
        return
    supports = node_supports(s.model, plates)
    held = stands_fast(supports, len(plates.points))
    live = np.atleast_1d(r.node_done.any(axis=0))
    # where walls that stand for columns meet, a node follows one of them alone, and floors tie the two: that
    # is no loss
    lost = [
        t
        for t in left_out(plates.ties, held)
        if live[t.slave] and live[list(t.masters)].all() and held[t.slave] and held[list(t.masters)].all()
    ]
    # whole supports at both ends leave an arm nothing to do
    fixed = {i for i, support in supports.items() if all(support.held)}
    lost = [t for t in lost if not (t.slave in fixed and set(t.masters) <= fixed)]
    if not lost:
        return
    first = lost[0]
    names = [r.node_ids[first.slave], *(r.node_ids[m] for m in first.masters)]
    by = float(np.linalg.norm(plates.points[first.slave] - plates.points[list(first.masters)].mean(axis=0)))
    more = f"; {len(lost) - 1} more" if len(lost) > 1 else ""
    ids = tuple(dict.fromkeys(r.node_ids[t.slave] for t in lost if t.slave < plates.named))
    yield Finding(
        "mesh.arm",
        "warning",
        f"The rigid arm of {by:.2f} m between {names[0]} and {listed(names[1:])} is left out of the run: both its ends stand on "
        f"supports{more}. Hold one end only, or move the parts together.",
        ids,
        point(plates.points[first.slave]),
        ("Take me there",),
        {"distance": by},
    )


@check("mesh.poor")
def find_poor_elements(s: Subject) -> Iterator[Finding]:
    """Surfaces with more than a few sharp or long elements: forces near them are not to be trusted."""
    r = s.results
    if r is None or r.plates is None or r.plates.empty:
        return
    quality = quality_of(r.plates)
    poor, of = quality.poor, r.plates.of()
    centres = r.plates.centres()
    for k, ident in enumerate(r.plates.surfaces):
        mine = of == k
        bad = np.flatnonzero(mine & poor)
        if ident not in s.model.surfaces or len(bad) <= max(FEW, MANY * mine.sum()):
            continue
        worst = bad[int(np.argmin(quality.angle[bad]))]
        text = (
            f"The {s.name(ident)}: {len(bad)} of {int(mine.sum())} elements are sharper than {SHARP:.0f}° or longer than "
            f"{LONG:.0f} times their width; the sharpest corner has {quality.angle[worst]:.0f}°."
        )
        yield Finding(
            "mesh.poor",
            "note",
            text,
            (ident,),
            point(centres[worst]),
            (FINER,),
            {"share": len(bad) / int(mine.sum())},
        )


@check("mesh.column")
def find_columns_with_openings(s: Subject) -> Iterator[Finding]:
    """Walls computed as columns although they have openings, which the column's section leaves out of
    account."""
    plates = s.results.plates if s.results is not None else None
    found = []
    for ident in plates.columns if plates is not None else ():
        wall = s.model.surfaces.get(ident)
        if wall is None:
            continue
        box = np.ptp(wall.flat(wall.outer), axis=0)
        missing = 1 - wall.area / float(box.prod()) if box.prod() > 0 else 0.0
        if missing > OPEN:
            found.append((missing, ident))
    if found:
        most, ident = max(found)
        yield Finding(
            "mesh.column",
            "note",
            f"Walls computed as columns: {len(found)} with openings or steps, up to {most:.0%} of the {s.name(ident)}. A column takes the "
            "wall as whole, and is stiffer than it by as much or more. Compute such walls as shells.",
            tuple(i for _, i in found),
            s.middle(ident),
            ("Take me there", "Accept, because…"),
        )


@check("floor.holds")
def find_what_floors_hold(s: Subject) -> Iterator[Finding]:
    """Yield what each floor that is stiff in its plane holds, and which of the members joined to its slabs
    it does not hold."""
    r = s.results
    if r is None or r.empty:
        return
    xyz = r.xyz - s.model.origin
    at = s.members_at
    warmed = any(c.temperatures for c in s.own_cases)
    for floor in s.floors:
        ids = [r.node_ids[int(n)] for n in floor.nodes]
        columns = {i for n in ids for i in at.get(n, ()) if s.model.members[i].cls == "column"}
        places = xyz[floor.nodes]
        middle, size = places.mean(axis=0), np.ptp(places, axis=0)
        parts = [f"{len(ids)} nodes", f"{len(columns)} column{'' if len(columns) == 1 else 's'}"]
        walls = {
            j.other
            for i in floor.slabs
            for j in s.model.surfaces[i].joints
            if j.other in s.model.surfaces and s.model.surfaces[j.other].upright
        }
        if walls:
            parts.append(f"{len(walls)} wall{'' if len(walls) == 1 else 's'}")
        slabs = f" ({len(floor.slabs)} slabs)" if len(floor.slabs) > 1 else ""
        text = (
            f"{floor.name}{slabs} moves in its {'plane' if not floor.level else 'plan'} as one: it holds {listed(parts)}, "
            f"{size[0]:.1f} by {size[1]:.1f} m about ({middle[0] + s.model.origin[0]:.2f}, {middle[1] + s.model.origin[1]:.2f})"
        )
        if warmed:
            text += "; what temperature does to it, it does as if it were not rigid"
        missed = floor.not_held
        if missed:
            names = [s.name(i) for i in missed[:4]]
            more = and_more(missed, 4)
            text += (
                f". It does not hold {listed(names)}{more}, which carr{'y' if len(missed) > 1 else 'ies'} it"
            )
        yield Finding(
            "floor.holds",
            "warning" if missed else "note",
            text + ".",
            (*floor.slabs, *missed),
            point(middle),
            ("Take me there", "Accept, because…"),
            {"nodes": float(len(ids)), "columns": float(len(columns)), "not_held": float(len(missed))},
        )


@check("run.diaphragm")
def find_floors_held_in_plan(s: Subject) -> Iterator[Finding]:
    """Floors that were to move in plan as one but do not, because a support holds one of their nodes in
    plan."""
    r = s.results
    if r is None or r.empty:
        return
    supports = node_supports(s.model, r.plates)
    held = held_in_plan(supports, len(r.node_ids))
    xyz = r.xyz - s.model.origin
    for floor in s.floors:
        name, nodes = floor.name, floor.nodes
        by = nodes[held[nodes]]
        loose = [n for n in nodes.tolist() if n not in supports or not all(supports[n].held[:2])]
        # where all are held, such as a floor at the columns' feet, nothing is missed
        if not len(by) or not loose:
            continue
        first = r.node_ids[int(by[0])]
        more = and_more(by, 1)
        yield Finding(
            "run.diaphragm",
            "warning" if name.startswith(STOREY) else "note",
            f"{name} was to move in plan as one and does not: supports hold it in plan (node {first}{more}). Its nodes move by themselves.",
            tuple(r.node_ids[int(n)] for n in by[:20]),
            point(xyz[by[0]]),
            ("Take me there", "Accept, because…"),
        )
