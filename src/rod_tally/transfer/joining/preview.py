"""Preview of the join rules: how many ends and edges would move or be tied, how far, and the farthest
ones."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ...intake.readers import Progress, silent
from ...intake.source import SourceModel
from ...model import Model
from ...model.settings import TransferSettings
from ..transfer import transfer

KINDS = {
    "ends": "ends to ends",
    "members": "ends to members",
    "surfaces": "ends to slabs and walls",
    "edges": "edges of slabs and walls",
}
SHOWN = 5
LEAST = 5e-4  # m; what moves less counts as in place


@dataclass(slots=True)
class JoinPreview:
    """One kind of join: how many are in place, moved along their own line only, moved across it, tied by a
    rigid link; the farthest move and link in m, and the farthest ones by name."""

    kind: str
    title: str
    in_place: int = 0
    along: int = 0
    across: int = 0
    tied: int = 0
    farthest: float = 0.0
    longest: float = 0.0
    examples: list[tuple[float, str, str]] = field(default_factory=list)


def preview_joins(
    source: SourceModel, settings: TransferSettings, progress: Progress = silent
) -> list[JoinPreview]:
    """Transfer the source with these settings, and list what happened to its joins."""
    return joins_of(transfer(source, settings, progress))


def joins_of(model: Model) -> list[JoinPreview]:
    """Return what transfer did to the joins of a model, one row a kind; ends that meet nothing are left
    out."""
    rows = {k: JoinPreview(k, title) for k, title in KINDS.items()}
    inside = {j.node for m in model.members.values() for j in m.joints}
    tied = {j.node for s in model.surfaces.values() for j in s.joints if j.node}
    at = model.members_at()
    for m in model.members.values():
        if m.source_line is None:
            continue
        line = model.line(m)
        axis = m.source_line[1] - m.source_line[0]
        axis = axis / np.linalg.norm(axis)
        for which, node, offset in ((0, m.start, m.offset_start), (1, m.end, m.offset_end)):
            if len(at[node]) < 2 and node not in tied:
                continue
            row = rows["members" if node in inside else "surfaces" if node in tied else "ends"]
            step = line[which] - m.source_line[which]
            across = float(np.linalg.norm(step - (step @ axis) * axis))
            link = float(np.linalg.norm(offset))
            far = float(np.linalg.norm(step))
            name = f"{'end' if which else 'start'} of {m.cls} {m.name or m.id}"
            if link > LEAST:
                row.tied += 1
                row.longest = max(row.longest, link)
                row.examples.append((link, name, m.id))
            elif across > LEAST:
                row.across += 1
                row.examples.append((across, name, m.id))
            elif far > LEAST:
                row.along += 1
            else:
                row.in_place += 1
            row.farthest = max(row.farthest, across if link <= LEAST else 0.0)
    for s in model.surfaces.values():
        if (
            s.source_outer is None
            or len(s.source_outer) != len(s.outer)
            or not any(j.kind == "surface" for j in s.joints)
        ):
            continue
        row = rows["edges"]
        far = float(np.linalg.norm(s.outer - s.source_outer, axis=1).max())
        row.farthest = max(row.farthest, far)
        if far > LEAST:
            row.across += 1
            row.examples.append((far, f"{s.cls} {s.name or s.id}", s.id))
        else:
            row.in_place += 1
        links = [j.distance for j in s.joints if j.distance > LEAST]
        if links:
            row.tied += 1
            row.longest = max(row.longest, *links)
    for row in rows.values():
        row.examples = sorted(row.examples, key=lambda e: (-round(e[0], 6), e[2]))[:SHOWN]
    return list(rows.values())
