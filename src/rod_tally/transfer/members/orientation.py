"""Local axes made consistent: members of one line run the same way round, columns and braces upwards."""

from __future__ import annotations

import numpy as np

from ...model import LogEntry, Member, Model, Section
from ...model.geometry.vectors import Array

EVEN = 1e-6


def runs_backwards(line: Array) -> bool:
    """Return whether a member runs against the usual way: up for what rises by more than a fifth of its
    length, else towards +x, or +y where it lies along y."""
    d = line[1] - line[0]
    d = d / np.linalg.norm(d)
    if abs(d[2]) > 0.2:
        return bool(d[2] < 0)
    lead = 0 if abs(d[0]) > 1e-3 else 1
    return bool(d[lead] < 0)


def mirrored_alike(section: Section | None) -> bool:
    """Return whether a section looks the same mirrored in its local z axis and at both ends, so that a
    member may be turned end for end."""
    if section is not None and section.end is not None:
        return False
    if section is None or not section.usable or not section.outline:
        return section is None or section.iyz == 0 and not section.outline
    points = np.array(section.outline)
    size = float(np.abs(points).max())
    other = points * (-1, 1)
    apart = np.linalg.norm(points[:, None] - other[None], axis=2).min(axis=1)
    return bool(apart.max() < 1e-4 * size and abs(section.iyz) <= EVEN * (section.iy + section.iz))


def orient(members: list[Member], lines: list[Array], model: Model) -> None:
    """Turn members that run backwards end for end, in place, where their section allows it. One entry of the
    log."""
    alike: dict[str, bool] = {}
    turned = []
    for k, m in enumerate(members):
        if not runs_backwards(lines[k]):
            continue
        if m.section not in alike:
            alike[m.section] = mirrored_alike(model.sections.get(m.section))
        if alike[m.section]:
            lines[k] = lines[k][::-1].copy()
            m.source_line = lines[k]
            turned.append(m.id)
    if turned:
        message = f"{len(turned)} members turned end for end, so that those of one line run the same way"
        model.log.append(LogEntry("guessed", tuple(sorted(turned)), message))
