"""Quality of the elements of a mesh: their sharpest corner and how long they are for their width."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..model.geometry.vectors import Array
from .mesh_data import Plates

SHARP = 15.0  # degrees; elements with a sharper corner are poor. Common practice, no source.
LONG = 8.0  # longest over shortest side


@dataclass(slots=True)
class Quality:
    """The quality of all elements, quadrilaterals first: sharpest corner (E,) in degrees, for quadrilaterals
    the worse of that and what their flattest leaves to 180; longest over shortest side (E,)."""

    angle: Array
    aspect: Array

    @property
    def poor(self) -> NDArray[np.bool_]:
        return (self.angle < SHARP) | (self.aspect > LONG)


def quality_of(plates: Plates) -> Quality:
    """Return the quality of every element; empty for an empty mesh."""
    angles, aspects = [], []
    for nodes in (plates.quads, plates.triangles):
        p = plates.points[nodes]
        u, v = np.roll(p, 1, axis=1) - p, np.roll(p, -1, axis=1) - p
        size = np.linalg.norm(v, axis=2)
        cosine = np.einsum("eni,eni->en", u, v) / np.maximum(np.linalg.norm(u, axis=2) * size, 1e-300)
        own = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
        angles.append(np.minimum(own, 180 - own).min(axis=1) if nodes.shape[1] == 4 else own.min(axis=1))
        aspects.append(size.max(axis=1) / np.maximum(size.min(axis=1), 1e-300))
    return Quality(np.concatenate(angles), np.concatenate(aspects))
