"""Members cut into pieces between nodes, as arrays."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import numpy as np
from numpy.typing import NDArray

from ...meshing import Plates
from ...meshing.mesh_data import WallColumn
from ...model import Model
from ...model.geometry.vectors import Array, local_axes
from .tapers import STEPS, Tapers, stiffness_values, tapers_of

SHORTEST = 1e-6  # m; joints closer together than this are one place
SPLINTER = 0.02  # m; nodes of shells nearer than this to another stop of a member hold it there no better


@dataclass(slots=True)
class Mesh:
    """Arrays over nodes (N), members (M) and pieces (P).

    `xyz` (N, 3); `member` (P,) index of each piece's member; `ends` (P, 2) node indices; `offset` (P, 2, 3)
    from node to piece end, global; `x0`, `length` (P,) along the member; `axes` (P, 3, 3) rows local x y z.
    Stiffness values (P,): `ea`, `eiy`, `eiz`, `gj`, `gay`, `gaz` (0: rigid in shear) about principal axes
    turned by `turn` (rad). `released` (P, 12) and `spring` (P, 12) of the piece's ends, local. `mass` (P,) in
    kg/m. `plates`: the shells on the same nodes, of which the model's own come first; None for none.
    `tapers`: the pieces whose section tapers, for which the values of a piece are those of the whole."""

    node_ids: list[str]
    member_ids: list[str]
    xyz: Array
    member: NDArray[np.int64]
    ends: NDArray[np.int64]
    offset: Array
    x0: Array
    length: Array
    axes: Array
    ea: Array
    eiy: Array
    eiz: Array
    gj: Array
    gay: Array
    gaz: Array
    turn: Array
    released: NDArray[np.bool_]
    spring: Array
    mass: Array
    member_length: Array
    first: NDArray[np.int64]
    plates: Plates | None = None
    tapers: Tapers | None = None

    @property
    def node_index(self) -> dict[str, int]:
        return {n: i for i, n in enumerate(self.node_ids)}

    @property
    def member_index(self) -> dict[str, int]:
        return {m: i for i, m in enumerate(self.member_ids)}


def mesh(model: Model, members: list[str], shear_flexible: bool = True, plates: Plates | None = None) -> Mesh:
    """The pieces of the named members, which must all be usable (`Model.usable`), cut at the nodes of shells
    along them."""
    node_ids = list(model.nodes)
    index = {n: i for i, n in enumerate(node_ids)}
    xyz = np.array([model.nodes[n].point for n in node_ids]).reshape(-1, 3)
    tracks: dict[str, list[tuple[float, int]]] = {}
    if plates is not None:
        node_ids += [f"mesh {k}" for k in range(1, len(plates.points) - len(node_ids) + 1)]
        xyz, tracks = plates.points, plates.tracks
    member: list[int] = []
    ends: list[tuple[int, int]] = []
    spans: list[tuple[float, float]] = []
    first: list[int] = []
    ends_of: list[tuple[bool, bool]] = []
    values: list[tuple[float, ...]] = []
    known: dict[tuple[str, str], tuple[float, ...]] = {}
    for k, ident in enumerate(members):
        if plates is not None and ident in plates.columns:
            column = plates.columns[ident]
            first.append(len(member))
            steps = column.z - column.z[0]
            for a, b, start, end in zip(steps, steps[1:], column.nodes.tolist(), column.nodes[1:].tolist()):
                member.append(k)
                ends.append((start, end))
                spans.append((float(a), float(b)))
                ends_of.append((False, False))
            values.append(_wall_values(model, column, shear_flexible))
            continue
        m = model.members[ident]
        length = model.length(m)
        stops = [(0.0, index[m.start])]
        for j in m.joints:
            if stops[-1][0] + SHORTEST < j.distance < length - SHORTEST:
                stops.append((j.distance, index[j.node]))
        stops.append((length, index[m.end]))
        if ident in tracks:
            stops = _with_track(stops, tracks[ident])
        first.append(len(member))
        for s, ((a, start), (b, end)) in enumerate(zip(stops, stops[1:])):
            member.append(k)
            ends.append((start, end))
            spans.append((a, b))
            ends_of.append((s == 0, s == len(stops) - 2))
        made_of = m.section, m.material
        if made_of not in known:
            known[made_of] = stiffness_values(
                model.sections[m.section], model.materials[m.material], shear_flexible
            )
        values.append(known[made_of])
    n = len(members)
    columns = plates.columns if plates is not None else {}
    lines = _lines(model, members, columns, xyz)
    x = lines[:, 1] - lines[:, 0]
    z = np.array([columns[i].normal if i in columns else model.members[i].z_axis for i in members]).reshape(
        -1, 3
    )
    axes = np.asarray(local_axes(x, z)).reshape(-1, 3, 3) if n else np.zeros((0, 3, 3))
    of = np.array(member, np.int64)
    span = np.array(spans).reshape(-1, 2)
    e = np.array(ends, np.int64).reshape(-1, 2)
    at = lines[of, 0][:, None] + axes[of, 0][:, None] * span[:, :, None]
    released = np.zeros((len(of), 12), bool)
    spring = np.zeros((len(of), 12))
    for p, (is_first, is_last) in enumerate(ends_of):
        if not (is_first or is_last):
            continue
        m = model.members[members[of[p]]]
        for here, release, base in ((is_first, m.release_start, 0), (is_last, m.release_end, 6)):
            if here and release.any:
                for d, stiffness in enumerate(release.stiffness):
                    if stiffness < inf:
                        released[p, base + d] = True
                        spring[p, base + d] = stiffness
    v = np.array(values).reshape(-1, 8)[of]
    lengths = np.linalg.norm(x, axis=1)
    tapering = []
    for p in _tapering(model, members, columns, of).tolist():
        m = model.members[members[of[p]]]
        a, b = (span[p] / lengths[of[p]]).tolist()
        tapering.append(
            (p, model.sections[m.section], model.materials[m.material], a, b, float(span[p, 1] - span[p, 0]))
        )
    tapers = tapers_of(tapering, shear_flexible)
    if tapers is not None:
        # of a whole piece: what stretches it, and the mean of the rest
        v[tapers.piece] = np.stack(
            [
                tapers.of_pieces(getattr(tapers.steps, k)).mean(axis=1)
                for k in ("ea", "eiy", "eiz", "gj", "gay", "gaz", "turn", "mass")
            ],
            axis=1,
        )
        v[tapers.piece, 0] = 1 / (1 / tapers.of_pieces(tapers.steps.ea)).mean(axis=1)
    # the weight of the bodies; `known` and the steps hold that of the sections
    share = np.array([1.0 if i in columns else model.members[i].weight_share for i in members])[of]
    v[:, 7] *= share
    if tapers is not None:
        tapers.steps.mass = tapers.steps.mass * np.repeat(share[tapers.piece], STEPS)
    return Mesh(
        node_ids,
        list(members),
        xyz,
        of,
        e,
        at - xyz[e],
        span[:, 0],
        span[:, 1] - span[:, 0],
        axes[of],
        v[:, 0],
        v[:, 1],
        v[:, 2],
        v[:, 3],
        v[:, 4],
        v[:, 5],
        v[:, 6],
        released,
        spring,
        v[:, 7],
        lengths,
        np.array(first, np.int64),
        plates,
        tapers,
    )


def _lines(model: Model, members: list[str], columns: dict[str, WallColumn], xyz: Array) -> Array:
    """Axes (n, 2, 3) of members, and of walls that stand for columns."""
    if not columns:
        return model.lines_of([model.members[i] for i in members])
    own = iter(model.lines_of([model.members[i] for i in members if i not in columns]))
    return np.array([xyz[columns[i].nodes[[0, -1]]] if i in columns else next(own) for i in members]).reshape(
        -1, 2, 3
    )


def _wall_values(model: Model, column: WallColumn, shear_flexible: bool) -> tuple[float, ...]:
    """As `stiffness_values` for a wall's rectangle, local y along its length, without mass: a wall's weight
    is a load it holds.

    Torsion constant of a thin rectangle, l t^3 / 3; shear areas 5/6 of the whole (any handbook), in its plane
    the whole of it where flanges keep the shear flow even (thin-walled box, any handbook)."""
    material = model.materials[model.surfaces[column.surface].material]
    e, g = material.E or 0.0, material.shear_modulus
    length, t = column.length, column.thickness
    across = 5 / 6 * g * length * t if shear_flexible else 0.0
    along = across * 6 / 5 if column.flanged else across
    return (
        e * length * t,
        e * length * t**3 / 12,
        e * t * length**3 / 12,
        g * length * t**3 / 3,
        along,
        across,
        0.0,
        0.0,
    )


def _with_track(stops: list[tuple[float, int]], track: list[tuple[float, int]]) -> list[tuple[float, int]]:
    """Stops of a member with the nodes of shells along it, without those so near to another that the piece
    between would be a splinter."""
    out = list(stops)
    taken = {n for _, n in stops}
    at = [x for x, _ in stops]
    last = -np.inf
    for x, n in track:
        near = min(abs(x - a) for a in at)
        if n not in taken and near > SPLINTER and x - last > SPLINTER and 0 < x < stops[-1][0]:
            out.append((x, n))
            last = x
    return sorted(out)


def _tapering(
    model: Model, members: list[str], columns: dict[str, WallColumn], of: NDArray[np.int64]
) -> NDArray[np.int64]:
    """Pieces of members whose section tapers."""
    own = [i not in columns and model.sections[model.members[i].section].end is not None for i in members]
    return np.flatnonzero(np.array(own, bool)[of])
