"""Members and surfaces that take part in a run: those that can be computed and hang on a support."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ...meshing import Plates
from ...model import Model

SHORTEST = 1e-9  # m; as `Model.usable` has it
NOT_CHOSEN = "it is not in the chosen part"
NOT_USABLE = "its section or material is not known"
NOT_HELD = "it is joined to no support"


@dataclass(slots=True)
class Parts:
    """Members and surfaces that take part, the connected part (n,) that each node is in, and why others are
    left out."""

    members: list[str]
    plates: Plates | None
    part: NDArray[np.int64]
    left_out: dict[str, str]


def parts(model: Model, plates: Plates | None, only: set[str] | None) -> Parts:
    """Return the parts of a model with the mesh of its shells; `only` members and surfaces, None for all."""
    left_out: dict[str, str] = {}
    usable: list[str] = []
    lines = model.lines()
    long = (np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1) > SHORTEST).tolist()
    good_made: dict[tuple[str, str], bool] = {}  # by section and material: few, for thousands of members
    for k, (ident, member) in enumerate(model.members.items()):
        made_of = member.section, member.material
        if made_of not in good_made:
            section, material = model.sections.get(member.section), model.materials.get(member.material)
            good_made[made_of] = bool(section and section.usable and material and material.usable)
        if only is not None and ident not in only:
            left_out[ident] = NOT_CHOSEN
        elif long[k] and good_made[made_of]:
            usable.append(ident)
        else:
            left_out[ident] = NOT_USABLE
    index = {n: i for i, n in enumerate(model.nodes)}
    n = len(index) if plates is None else len(plates.points)
    links: list[NDArray[np.int64]] = [np.zeros((0, 2), np.int64)]
    first = {}
    for ident in usable:
        m = model.members[ident]
        own = [index[m.start], index[m.end], *(index[j.node] for j in m.joints)]
        if plates is not None:
            own += [k for _, k in plates.tracks.get(ident, ())]
        first[ident] = own[0]
        links.append(np.array([(own[0], k) for k in own[1:]], np.int64).reshape(-1, 2))
    for ident, column in plates.columns.items() if plates is not None else ():
        usable.append(ident)
        first[ident] = int(column.nodes[0])
        links.append(np.stack([column.nodes[:-1], column.nodes[1:]], axis=1))
    held = np.zeros(n, bool)
    held[[i for i, x in enumerate(model.nodes.values()) if x.support.any]] = True
    if plates is not None:
        for e in (plates.quads, plates.triangles):
            links += [e[:, [0, k]] for k in range(1, e.shape[1])]
        links += [np.array([(t.slave, m) for m in t.masters], np.int64) for t in plates.ties]
        links += [np.array([(c.first, c.second)], np.int64) for c in plates.corners]
        for edge in plates.held:
            held[edge.nodes] = True
        for ident, s in plates.shapes.items():
            if s.on_ground and ident in plates.surfaces:
                held[plates.nodes_of(ident)] = True
    pairs = np.concatenate(links)
    graph = sparse.coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(n, n))
    part = connected_components(graph, directed=False)[1].astype(np.int64) if n else np.zeros(0, np.int64)
    good = np.zeros(int(part.max(initial=-1)) + 1, bool)
    good[part[held]] = True
    for ident in usable:
        if not good[part[first[ident]]]:
            left_out[ident] = NOT_HELD
    if plates is not None:
        loose = {s: NOT_HELD for s in plates.surfaces if not good[part[plates.nodes_of(s)[0]]]}
        left_out |= plates.failed | loose
        plates = plates.keeping(set(plates.surfaces) - set(loose), loose)
        if plates.empty and not plates.failed and not plates.columns:
            plates = None
    return Parts([i for i in usable if i not in left_out], plates, part, left_out)
