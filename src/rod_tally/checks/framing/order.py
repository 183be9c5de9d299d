"""Parts out of order among their neighbours: levels within a storey, local axes within a line, stiff next to
soft."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator

import numpy as np

from ...model import Finding
from ...model.geometry.vectors import Array
from ..registry import Subject, check, mm, point

# m; level differences within a storey between these are asked about. Common practice, no source.
UNEVEN = (
    0.002,
    0.15,
)
CONTRAST = 1e4  # ratio of bending stiffness E I / L at one node. Common practice, no source.
ASKED = "Accept, because…"


@check("storey.level", looks_at=("geometry",))
def find_uneven_levels(s: Subject) -> Iterator[Finding]:
    """Storeys in which level beams lie a little higher or lower than most: one finding a storey."""
    levels: dict[str, list[tuple[float, str]]] = defaultdict(list)
    nodes = s.model.nodes
    for m, length in zip(s.model.members.values(), s.lengths):
        if m.cls == "beam" and m.storey:
            a, b = nodes[m.start].point[2], nodes[m.end].point[2]
            if abs(a - b) < 1e-3 * max(length, 1e-6):
                levels[m.storey].append((round(float(a), 4), m.id))
    for storey, found in sorted(levels.items()):
        usual, count = Counter(z for z, _ in found).most_common(1)[0]
        if count < 0.5 * len(found):
            continue
        odd = [(z, i) for z, i in found if UNEVEN[0] < abs(z - usual) < UNEVEN[1]]
        if not odd:
            continue
        far, ident = max((abs(z - usual), i) for z, i in odd)
        yield Finding(
            "storey.level",
            "note",
            f"{len(odd)} of {len(found)} beams of {storey} lie off the level of the others, by up to {mm(far)} ({s.name(ident)}).",
            tuple(sorted(i for _, i in odd)),
            s.middle(ident),
            (ASKED,),
            {"distance": far},
        )


@check("axes.odd", looks_at=("geometry", "sections"))
def find_odd_axes(s: Subject) -> Iterator[Finding]:
    """Members of one line whose local axes run the other way, or are turned, against most of the line."""
    for line in s.lines:
        if line.kind not in ("stack", "beams") or len(line.members) < 2:
            continue
        axes = [s.axes[i] for i in line.members]
        first = np.array([a[0] for a in axes])
        way = np.where(first @ first[0] > 0, 1, -1)
        back = [
            line.members[k] for k in np.flatnonzero(way != (1 if (way > 0).sum() * 2 >= len(way) else -1))
        ]
        turned = _turned(s, line.members, axes)
        for ids, text, action in (
            (back, "run against the others", "Turn them end for end"),
            (turned, "are turned about their axis against the others", "Turn them like the others"),
        ):
            if ids:
                names = ", ".join(s.name(i) for i in ids[:3]) + (" …" if len(ids) > 3 else "")
                yield Finding(
                    "axes.odd",
                    "note",
                    f"{line.name}: {len(ids)} of {len(line.members)} members {text} ({names}).",
                    tuple(sorted(ids)),
                    s.middle(ids[0]),
                    (action, ASKED),
                )


def _turned(s: Subject, ids: list[str], axes: list[Array]) -> list[str]:
    """Members whose local z lies across that of most members of their section in a line of three or more of
    it."""
    out = []
    by_section: dict[str, list[int]] = defaultdict(list)
    for k, i in enumerate(ids):
        by_section[s.model.members[i].section].append(k)
    for own in by_section.values():
        if len(own) < 3:
            continue
        z = np.array([axes[k][2] for k in own])
        alike = np.abs(z @ z.T) > 0.9
        most = int(alike.sum(axis=1).argmax())
        out += [ids[k] for k, same in zip(own, alike[most]) if not same]
    return out


@check("stiffness.contrast", looks_at=("geometry", "sections", "materials", "releases"))
def find_contrasts(s: Subject) -> Iterator[Finding]:
    """Fixed ends at one node whose bending stiffness E I / L differs by more than CONTRAST: one finding a
    pair of sections."""
    value: dict[str, float] = {}
    for m, length in zip(s.model.members.values(), s.lengths):
        section, material = s.model.sections.get(m.section), s.model.materials.get(m.material)
        if section and material and section.usable and material.usable:
            value[m.id] = (material.E or 0.0) * max(section.iy, section.iz) / max(length, 1e-6)
    seen: set[tuple[str, str]] = set()
    for node, ids in s.members_at.items():
        known = [i for i in ids if i in value and not s.model.members[i].pin_joined]
        if len(known) < 2:
            continue
        soft, stiff = min(known, key=lambda i: (value[i], i)), max(known, key=lambda i: (value[i], i))
        pair = (s.model.members[soft].section, s.model.members[stiff].section)
        if value[stiff] <= CONTRAST * value[soft] or pair in seen:
            continue
        seen.add(pair)
        yield Finding(
            "stiffness.contrast",
            "note",
            f"At node {node} the {s.name(stiff)} is {value[stiff] / value[soft]:.2g} times as stiff in bending as the {s.name(soft)}.",
            tuple(sorted((soft, stiff))),
            point(s.model.nodes[node].point),
            (ASKED,),
            {"ratio": value[stiff] / value[soft]},
        )
