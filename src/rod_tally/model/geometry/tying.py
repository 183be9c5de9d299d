"""Parts that were added by hand tied to what they touch: surfaces to surfaces, and members to surfaces."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

import numpy as np

from ..entities.model import Model
from ..entities.section import Section
from ..entities.structure import Member
from ..entities.surface import Surface, SurfaceJoint
from .meetings import meet, pairs, side_by_side, tie_meeting
from .panels import Panels, lying_along, touching_ends
from .proximity import Rods
from .vectors import Array, local_axes

TINY = 1e-9  # m

Own = Callable[[str], Surface]  # puts a copy of a surface in the model, to be changed, and returns it


def bodies_of(
    members: Sequence[Member], lines: Array, sections: dict[str, Section], physical: bool = True
) -> Rods:
    """Members along `lines` (n, 2, 3) as arrays with their bodies; of an analytical model axes alone. A
    member of unknown section has no body either."""
    none = Section("", "unknown")
    known = {m.section: sections.get(m.section, none) if physical else none for m in members}
    bounds, rounded = {n: x.bounds for n, x in known.items()}, {n: x.round for n, x in known.items()}
    z = np.array([m.z_axis for m in members]).reshape(-1, 3)
    axes = local_axes(lines[:, 1] - lines[:, 0], z) if len(members) else np.zeros((0, 3, 3))
    return Rods(
        lines,
        np.asarray(axes).reshape(-1, 3, 3),
        np.array([bounds[m.section] for m in members]).reshape(-1, 4),
        np.array([rounded[m.section] for m in members], bool),
    )


def tie_parts(model: Model, surface: str, parts: Collection[str], own: Own, distance: float) -> int:
    """Tie members and surfaces that come within `distance` of a surface to it, by rigid links; returns how
    many are."""
    count = tie_members(
        model,
        [model.members[i] for i in parts if i in model.members],
        [model.surfaces[surface]],
        own,
        distance,
    )
    for ident in parts:
        if ident not in model.surfaces or ident == surface:
            continue
        two = [own(surface), own(ident)]
        before = len(two[0].joints)
        panels = Panels(two)
        for i, j, parallel in pairs(panels, distance):
            if parallel:
                side_by_side(panels, i, j, distance, {})
            else:
                for meeting in meet(panels, i, j, distance):
                    tie_meeting(panels, meeting)
        count += len(two[0].joints) > before
    return count


def tie_surfaces(model: Model, idents: Collection[str], own: Own) -> tuple[int, int]:
    """Tie new surfaces to the others and to each other, and to the members that end at them or lie along
    them; nothing is moved, what lies off a plane is tied by a rigid link. Returns how many surfaces and how
    many members they are tied to."""
    new = set(idents)
    surfaces = list(model.surfaces.values())
    near = [
        (i, j, parallel)
        for i, j, parallel in pairs(Panels(surfaces), model.snap)
        if surfaces[i].id in new or surfaces[j].id in new
    ]
    for k in {k for i, j, _ in near for k in (i, j)}:
        if surfaces[k].id not in new:
            surfaces[k] = own(surfaces[k].id)
    panels = Panels(surfaces)
    known: dict[tuple[bytes, bytes], list[Array]] = {}
    before = {s.id: len(s.joints) for s in surfaces}
    for i, j, parallel in near:
        if parallel:
            side_by_side(panels, i, j, model.snap, known)
        else:
            for meeting in meet(panels, i, j, model.snap):
                tie_meeting(panels, meeting)
    tied = {j.other for s in surfaces if s.id in new for j in s.joints[before[s.id] :]} - new
    return len(tied), tie_members(
        model, list(model.members.values()), [s for s in surfaces if s.id in new], lambda i: model.surfaces[i]
    )


def tie_members(
    model: Model,
    members: Sequence[Member],
    surfaces: Sequence[Surface],
    own: Own,
    distance: float | None = None,
) -> int:
    """Tie members to the surfaces at which they end or along which they lie, by rigid links where they lie
    off their planes. `distance`: how far bodies may be apart, None for the model's snap distance. Returns
    how many members are tied."""
    distance = model.snap if distance is None else distance
    if not members or not surfaces:
        return 0
    # as their source draws them, so that a part deleted and added again is tied as it was
    lines = model.lines_of(list(members))
    drawn = np.array([line if m.drawn is None else m.drawn for m, line in zip(members, lines)]).reshape(
        -1, 2, 3
    )
    rods = bodies_of(members, drawn, model.sections, model.physical)
    panels = Panels(list(surfaces))
    seen = {(s.id, j.node) for s in surfaces for j in s.joints if j.kind == "end"}
    tied: set[str] = set()
    for t in sorted(touching_ends(rods, panels, distance), key=lambda t: (t.surface, not t.across, t.end)):
        m, s = members[t.end // 2], surfaces[t.surface]
        node = m.end if t.end % 2 else m.start
        if (s.id, node) in seen:
            continue
        seen.add((s.id, node))
        point = model.nodes[node].point
        height = float(s.height(point[None])[0])
        place = point - s.plain_axes[2] * height
        own(s.id).joints.append(SurfaceJoint("end", m.id, place[None], _clean(abs(height)), node))
        tied.add(m.id)
    for k, on, place, _ in lying_along(rods, panels, distance):
        height = float(np.abs(surfaces[on].height(lines[k])).max())
        own(surfaces[on].id).joints.append(SurfaceJoint("member", members[k].id, place, _clean(height)))
        tied.add(members[k].id)
    return len(tied)


def _clean(v: float) -> float:
    return 0.0 if v < TINY else v
