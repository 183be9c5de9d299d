"""Forces along a member as they were in the baseline, on the axis that the member has now."""

from __future__ import annotations

import numpy as np

from ...analysis.results.superpose import combined, usable
from ...model import Combination
from ...model.geometry.vectors import Array
from ..comparison import Comparison
from .pairs import Side, signs


def forces_before(
    base: Side, revised: Side, comparison: Comparison, member: str, case: str
) -> list[tuple[Array, Array]]:
    """Distances (k,) along a member of the revision and forces (k, 6) there in the baseline, in the member's
    axes as they are now, one piece for each member of the baseline that it is; [] where the case or the
    members are not in both.

    `case` is a case or a combination that both have, by its name in the revision. Places go with the
    building's own turn and shift, across the member's axis; they may lie beyond its ends."""
    r, new = base.results, revised.model.members.get(member)
    pair = next(
        (p for p in (*comparison.shared.cases, *comparison.shared.combinations) if p[1] == case), None
    )
    if r is None or new is None or pair is None:
        return []
    named = next((c for c in usable(r, base.combinations) if c.name == pair[0]), None)
    if pair[0] in r.cases:
        named = Combination(pair[0], "", {pair[0]: 1.0})
    if named is None:
        return []
    own = combined(r, named)
    image = comparison.transform is not None and comparison.transform.mirrored
    axis = revised.model.line(new) + revised.model.origin
    u = (axis[1] - axis[0]) / np.linalg.norm(axis[1] - axis[0])
    out = []
    for m in comparison.members:
        if m.revised_id != member or m.baseline_id not in own.member_ids:
            continue
        k = own.member_ids.index(m.baseline_id)
        at = own.stations_of(m.baseline_id)
        if not own.member_done[0, k] or not len(at):
            continue
        line = base.model.line(base.model.members[m.baseline_id]) + base.model.origin
        along = (line[1] - line[0]) / np.linalg.norm(line[1] - line[0])
        places = line[0] + own.station_x[at][:, None] * along
        if comparison.transform is not None:
            places = comparison.transform.apply(places)
        x, force = (places - axis[0]) @ u, own.force[0, at] * signs(m.flipped, image)
        out.append((x[::-1], force[::-1]) if m.flipped else (x, force))
    return sorted(out, key=lambda piece: float(piece[0][0]))
