"""Places along members that taper, between which the section counts as that in the middle."""

from __future__ import annotations

import numpy as np

from ..model import Model
from .mesh_data import Plates

# of a member that tapers: the deflection of a cantilever twice as deep at its foot is then right within 0.2 %
PIECES = 16


def divide_tapers(model: Model, out: Plates, only: set[str] | None) -> None:
    """Add nodes along members that taper to a mesh (of them those in `only`), as further places of their tracks."""
    points, count = [out.points], len(out.points)
    for m in model.members.values():
        section = model.sections.get(m.section)
        if section is None or section.end is None or not model.usable(m) or (only is not None and m.id not in only):
            continue
        line, length = model.line(m), model.length(m)
        share = np.arange(1, PIECES) / PIECES
        points.append(line[0] + np.outer(share, line[1] - line[0]))
        own = zip((share * length).tolist(), range(count, count + PIECES - 1))
        out.tracks[m.id] = sorted([*out.tracks.get(m.id, []), *own])
        count += PIECES - 1
    if len(points) > 1:
        out.points = np.vstack(points)
