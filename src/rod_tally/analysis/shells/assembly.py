"""Shell elements of a mesh in bulk: their stiffness in global axes, and the matrix that recovers forces from
movements."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...meshing import Plates
from ...model import Model
from ...model.geometry.vectors import Array
from .elements import Frames, Layer, areas, frames_of, stiffness, to_global

ALIKE = 1e-11  # m; elements whose corners differ by less have one stiffness
CHUNK = 16384  # elements at once: their full matrices take 75 MB


def layers(model: Model, plates: Plates, of: NDArray[np.int64]) -> Layer:
    """Material and thickness of elements that belong to the surfaces `of` (E,)."""
    values = []
    for ident in plates.surfaces:
        s = plates.shapes[ident]
        material = model.materials[s.material]
        g = material.shear_modulus
        e = material.E or 0.0
        # an isotropic plate has G = E / 2 (1 + nu); the source's G decides nu where it is possible
        nu = e / (2 * g) - 1 if g > 0 else 0.2
        if not -0.5 < nu < 0.499:
            nu = 0.2
        values.append((e, nu, e / (2 * (1 + nu)), s.thickness))
    e, nu, g, t = np.array(values).reshape(-1, 4)[of].T
    return Layer(e, nu, g, t)


def stiffness_of(model: Model, plates: Plates, nodes: NDArray[np.int64], of: NDArray[np.int64]) -> Array:
    """Stiffness (E, 6n, 6n) in global axes of elements with these nodes (E, n), of the surfaces `of` (E,)."""
    frames = frames_of(plates.points[nodes])
    return to_global(frames, stiffness(frames, layers(model, plates, of)))


def kinds(plates: Plates) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64], int]]:
    """Elements by number of corners: nodes (E, n), surface (E,), and the number of the first among all
    elements."""
    if len(plates.quads):
        yield plates.quads, plates.quad_of, 0
    if len(plates.triangles):
        yield plates.triangles, plates.triangle_of, len(plates.quads)


def chunks(
    model: Model, plates: Plates
) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64], int, Frames, Layer]]:
    """All elements in pieces of bounded size, with what their matrices are made of."""
    for nodes, of, first in kinds(plates):
        for s in range(0, len(nodes), CHUNK):
            part = slice(s, s + CHUNK)
            yield (
                nodes[part],
                of[part],
                first + s,
                frames_of(plates.points[nodes[part]]),
                layers(model, plates, of[part]),
            )


def global_stiffness(model: Model, plates: Plates) -> Iterator[tuple[int, int, NDArray[np.int64], Array]]:
    """Piece by piece: which of `kinds`, number of the first among it, and the stiffness of each as k[like], k
    (U, 6n, 6n) in global axes: mapped faces are of a few shapes, whose stiffness is worked out once."""
    layer_of = _alike_layers(model, plates)
    for kind, (nodes, of, _) in enumerate(kinds(plates)):
        for s in range(0, len(nodes), CHUNK):
            part = slice(s, s + CHUNK)
            frames = frames_of(plates.points[nodes[part]])
            numbers = np.hstack([frames.flat.reshape(len(frames.flat), -1), frames.axes.reshape(-1, 9)])
            first, like = alike(numbers, layer_of[of[part]])
            some = Frames(frames.axes[first], frames.flat[first])
            k = to_global(some, stiffness(some, layers(model, plates, of[part][first])))
            yield kind, s, like, k


def alike(numbers: Array, kind: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Rows (E, k) of numbers, none above some thousands, that are the same to ALIKE and of one kind: the
    first of each, and for every row which one it is like."""
    whole = np.column_stack([np.rint(numbers / ALIKE).astype(np.int64), kind])
    mix = np.random.default_rng(7).integers(1, 2**62, whole.shape[1])
    _, first, like = np.unique((whole * mix).sum(axis=1), return_index=True, return_inverse=True)
    like = like.ravel()
    if (
        whole[first[like]] != whole
    ).any():  # two that differ have one sum: so rare that nothing is gained by more
        first = like = np.arange(len(whole))
    return first, like


def _alike_layers(model: Model, plates: Plates) -> NDArray[np.int64]:
    """For each surface a number that surfaces of the same material and thickness share."""
    layer = layers(model, plates, np.arange(len(plates.surfaces)))
    known: dict[tuple[float, ...], int] = {}
    return np.array(
        [known.setdefault(v, len(known)) for v in zip(layer.e, layer.nu, layer.g, layer.t)], np.int64
    )


def ground_stiffness(plates: Plates, surface: str) -> Array:
    """Stiffness (n,) of the ground under each node of a surface, N/m: the area it stands for times the
    modulus there."""
    s, out = plates.shapes[surface], np.zeros(len(plates.points))
    number = plates.surfaces.index(surface)
    for nodes, of, _ in kinds(plates):
        own = nodes[of == number]
        if len(own):
            corners = plates.points[own]
            share = areas(corners) * s.ground_at(s.flat(corners.mean(axis=1))) / own.shape[1]
            np.add.at(out, own, np.repeat(share[:, None], own.shape[1], axis=1))
    return out


def node_areas(plates: Plates, surfaces: set[str] | None = None) -> Array:
    """Area (n,) that each node stands for, m2, of the named surfaces (None: all)."""
    out = np.zeros(len(plates.points))
    for nodes, of, _ in kinds(plates):
        chosen = np.ones(len(nodes), bool)
        if surfaces is not None:
            chosen = np.array([s in surfaces for s in plates.surfaces], bool)[of]
        share = areas(plates.points[nodes[chosen]]) / nodes.shape[1]
        np.add.at(out, nodes[chosen], np.repeat(share[:, None], nodes.shape[1], axis=1))
    return out
