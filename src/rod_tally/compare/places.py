"""Matching of a revision's nodes with those of its baseline: by place, in the baseline's own axes."""

from __future__ import annotations

import numpy as np

from ..model import Model
from ..model.geometry.vectors import Array
from .align import Transform

REACH = 0.3  # m; a node this near to one of the baseline may be it


class Places:
    """Points and directions of the revision in the baseline's axes, and its nodes by place."""

    def __init__(self, base: Model, revised: Model, transform: Transform | None) -> None:
        self.base, self.revised, self.transform = base, revised, transform
        self.rotation = np.eye(3) if transform is None else transform.matrix
        # couples and rotations turn round in a mirror image
        self.parity = -1.0 if transform is not None and transform.mirrored else 1.0
        self.node_of = _paired(base, revised, self)  # revised node id to the baseline's

    def back(self, points: Array) -> Array:
        """Revised source coordinates (…, 3) to the baseline's."""
        return points if self.transform is None else self.transform.undo(points)

    def turned_back(self, vectors: Array) -> Array:
        """Revised global vectors (…, 3) in the baseline's axes."""
        return np.asarray(vectors @ self.rotation)

    def couples_back(self, vectors: Array) -> Array:
        """Revised global moments or rotations (…, 3) in the baseline's axes."""
        return self.parity * self.turned_back(vectors)

    def forward(self, point: Array) -> Array:
        """A point of the baseline where it is in the revision."""
        return point if self.transform is None else self.transform.apply(point)

    def six_back(self, total: Array) -> Array:
        """Force and moment about the revised origin as force and moment about the baseline's, in its axes."""
        force, moment = total[:3], total[3:]
        if self.transform is not None:
            # the baseline's origin lies at `shift` in the revision
            moment = moment - np.cross(np.array(self.transform.shift), force)
        return np.concatenate([self.turned_back(force), self.couples_back(moment)])


def _paired(base: Model, revised: Model, places: Places) -> dict[str, str]:
    from scipy.spatial import cKDTree

    if not base.nodes or not revised.nodes:
        return {}
    old = np.array([n.point for n in base.nodes.values()]) + base.origin
    new = places.back(np.array([n.point for n in revised.nodes.values()]) + revised.origin)
    ids_old, ids_new = list(base.nodes), list(revised.nodes)
    tree = cKDTree(old)
    distance, near = tree.query(new, distance_upper_bound=REACH)
    out: dict[str, str] = {}
    taken: set[int] = set()
    for k in np.lexsort((np.arange(len(new)), np.round(distance, 6))):
        if not np.isfinite(distance[k]):
            break
        j = int(near[k])
        if j in taken:
            # its nearest is another's: the next one within reach that is free
            free = [int(q) for q in tree.query_ball_point(new[k], REACH) if int(q) not in taken]
            if not free:
                continue
            j = min(free, key=lambda q: float(np.linalg.norm(old[q] - new[k])))
        taken.add(j)
        out[ids_new[k]] = ids_old[j]
    return out
