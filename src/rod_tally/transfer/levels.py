"""One storey a height, and storeys of an analytical source that names none: where its level beams and slabs
lie."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..intake.source import SourceModel
from ..model import LogEntry, Model
from ..model.entities.model import Storey

LEVEL = 0.02  # rise over length of a beam up to which it is level
LOWEST_STOREY = (
    2.0  # m; levels nearer than this to a fuller one are no storey, such as the cross members of a façade
)
ONE_HEIGHT = 0.01  # m; storeys this near to each other in height are one
TOGETHER = 0.3  # m; beams and slabs of one floor lie within this
LEAST = 0.25  # of the fullest level's length of beams and edges; a landing is no storey


def one_a_height(source: SourceModel) -> SourceModel:
    """The source with one storey where several lie at one height, as those of two buildings in a file do:
    what is counted by storey goes by height. The first name in the alphabet stays; the log says which gave
    way."""
    kept: list[Storey] = []
    became: dict[str, str] = {}
    for s in sorted(source.storeys, key=lambda s: (s.elevation, s.name)):
        if kept and s.elevation - kept[-1].elevation <= ONE_HEIGHT:
            first, second = sorted([kept[-1], s], key=lambda x: x.name)
            if second.name != first.name:
                became = {k: first.name if v == second.name else v for k, v in became.items()}
                became[second.name] = first.name
            kept[-1] = replace(first, elevation=kept[-1].elevation)
        else:
            kept.append(s)
    if len(kept) == len(source.storeys):
        return source
    still = {s.name for s in kept}
    became = {k: v for k, v in became.items() if k not in still}
    log = list(source.log)
    for name in dict.fromkeys(became.values()):
        others = ", ".join(k for k, v in became.items() if v == name)
        message = f"storeys {others} and {name} lie at one height: they are one storey, {name}"
        log.append(LogEntry("guessed", (), message))
    return replace(
        source,
        storeys=kept,
        log=log,
        elements=[replace(e, storey=became.get(e.storey, e.storey)) for e in source.elements],
        surfaces=[replace(e, storey=became.get(e.storey, e.storey)) for e in source.surfaces],
        footings=[replace(e, storey=became.get(e.storey, e.storey)) for e in source.footings],
    )


def storeys_by_level(model: Model) -> None:
    """Give a model without storeys one at its foot and one at each level that holds much; an entry of the log
    says so."""
    if model.storeys or not model.members and not model.surfaces:
        return
    found: list[tuple[float, float]] = []  # height, length of beams or of a slab's edge
    lowest = min(
        [float(n.point[2]) for n in model.nodes.values()]
        + [float(s.outer[:, 2].min()) for s in model.surfaces.values()]
    )
    for line in model.lines_of([m for m in model.members.values() if m.cls == "beam"]):
        size = float(np.linalg.norm(line[1] - line[0]))
        if abs(line[1, 2] - line[0, 2]) <= LEVEL * size:
            found.append((float(line[:, 2].mean()), size))
    for s in model.surfaces.values():
        if not s.upright and np.ptp(s.outer[:, 2]) <= TOGETHER:
            found.append((float(s.outer[:, 2].mean()), float(s.polygon.exterior.length)))
    levels: list[tuple[float, float]] = []
    for z, size in sorted(found):
        if levels and z - levels[-1][0] <= TOGETHER:
            z0, size0 = levels.pop()
            levels.append(((z0 * size0 + z * size) / (size0 + size), size0 + size))
        else:
            levels.append((z, size))
    most = max((size for _, size in levels), default=0.0)
    chosen = [lowest]
    for z, size in sorted(levels, key=lambda v: -v[1]):
        if size >= LEAST * most and min(abs(z - c) for c in chosen) >= LOWEST_STOREY:
            chosen.append(z)
    if len(chosen) < 2:
        return
    base = float(model.origin[2])
    model.storeys = [Storey(f"Level {z + base:+.2f}", z, derived=True) for z in sorted(chosen)]
    names = ", ".join(s.name for s in model.storeys[:6]) + (" …" if len(chosen) > 6 else "")
    message = f"the source names no storeys; {len(chosen)} are taken from the levels of its beams and slabs: {names}"
    model.log.append(LogEntry("guessed", (), message))
