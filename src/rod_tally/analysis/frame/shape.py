"""Displacements between the ends of members: what a displaced shape is drawn with."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...loads import Distribution
from ...meshing import Plates
from ...model import Model
from ...model.geometry.vectors import Array
from ..results.results import Results
from .elements import (
    Condensed,
    condense,
    principal,
    release_displacements,
    shape_functions,
    stiffness,
    to_ends,
)
from .imposed import thermal_ends
from .loading import end_loads, into_cut, loading
from .mesh import Mesh, mesh
from .tapers import STEPS


@dataclass(slots=True)
class Shapes:
    """Points (P, n, 3) along each piece and their displacements (P, n, 3), global, m; the member of each
    piece, and the numbers (P, 2) of the run's nodes at its ends."""

    member: NDArray[np.int64]
    points: Array
    displacement: Array
    ends: NDArray[np.int64] | None = None


@dataclass(slots=True)
class Largest:
    """The largest displacement of a case: where (`place` (3,), the model's coordinates at rest), by how much
    (`step` (3,)), and what moves: a node, a member between its ends, or a slab or wall, by its id; `node`
    where it is one of the run's."""

    kind: str
    ident: str
    place: Array
    step: Array
    node: str = ""

    @property
    def size(self) -> float:
        return float(np.linalg.norm(self.step))


def largest(results: Results, case: int, origin: Array, shapes: Shapes | None = None) -> Largest | None:
    """Among the nodes, and along members where their shapes are given; None where nothing was computed."""
    found = results.largest_displacement(case)
    if found is None:
        return None
    node, size = found
    n = results.node_ids.index(node)
    surface = results.surface_at(node)
    step = results.displacement[case, n, :3]
    out = Largest("surface" if surface else "node", surface or node, results.xyz[n] - origin, step, node)
    if shapes is not None and shapes.displacement.size:
        u = np.linalg.norm(shapes.displacement, axis=2)
        p, k = np.unravel_index(int(u.argmax()), u.shape)
        # a place between nodes counts where it moves more than any node; its own ends are nodes
        if u[p, k] > size * (1 + 1e-9):
            member = results.member_ids[int(shapes.member[p])]
            return Largest("member", member, shapes.points[p, k], shapes.displacement[p, k])
    return out


def free_shapes(
    model: Model,
    members: list[str],
    displacement: Array,
    n: int = 13,
    shear_flexible: bool = True,
    plates: Plates | None = None,
) -> Shapes:
    """The shape of members between nodes that move by `displacement` (N, 6) with no load on them, as a mode
    does."""
    m = mesh(model, members, shear_flexible, plates)
    condensed = condense(stiffness(m), m.released, m.spring)
    p = len(m.length)
    share = np.linspace(0, 1, n)
    u = _carried(m, condensed, displacement, np.zeros((p, 12)), share)
    start = m.xyz[m.ends[:, 0]] + m.offset[:, 0]
    points = start[:, None] + m.axes[:, None, 0] * (m.length[:, None] * share)[..., None]
    return Shapes(m.member, points, np.einsum("pji,pnj->pni", m.axes, u))


def between_ends(shapes: Shapes, member: int, axes: Array) -> Array:
    """Distance along a member and its displacement along its y and z from the straight line between its moved
    ends: (k, 3), m. `member` as in `Shapes`, `axes` (3, 3) as rows."""
    own = shapes.member == member
    points, moved = shapes.points[own].reshape(-1, 3), shapes.displacement[own].reshape(-1, 3)
    if not len(points):
        return np.zeros((0, 3))
    x = (points - points[0]) @ axes[0]
    share = (x / x[-1])[:, None]
    bent = moved - moved[0] * (1 - share) - moved[-1] * share
    return np.column_stack([x, bent @ axes[1], bent @ axes[2]])


def _carried(m: Mesh, condensed: Condensed, displacement: Array, fixed: Array, share: Array) -> Array:
    """Return what the ends' own displacements (releases included) make of pieces at these shares of their
    length: (P, n, 3), in member axes."""
    dofs = (m.ends[:, :, None] * 6 + np.arange(6)).reshape(-1, 12)
    local = np.einsum("pij,pj->pi", to_ends(m), displacement.ravel()[dofs])
    own = release_displacements(local, fixed, condensed.steps)
    p, n = len(m.length), len(share)
    piece = np.repeat(np.arange(p), n)
    carried, _ = shape_functions(m, piece, (m.length[:, None] * share).ravel())
    return np.asarray(np.einsum("nij,nj->ni", carried, own[piece]).reshape(p, n, 3))


class MemberShapes:
    """Data for the displaced shapes of a run's members, worked out once for all its cases."""

    def __init__(
        self,
        model: Model,
        results: Results,
        shear_flexible: bool = True,
        distribution: Distribution | None = None,
    ) -> None:
        self.model, self.results = model, results
        self.distribution = distribution or Distribution(model)
        self.mesh = mesh(model, results.member_ids, shear_flexible, results.plates)
        self.condensed = condense(stiffness(self.mesh), self.mesh.released, self.mesh.spring)

    def of(self, case: str, n: int = 13) -> Shapes:
        """The displaced shape of every computed member in a case, at n (odd) points a piece.

        The ends' own displacements (releases included) carried by the exact homogeneous solutions, plus what
        the loads do between held ends, by integrating their moments twice. Coordinates are the model's local
        ones."""
        c = self.results.case_index(case)
        m = self.mesh
        load = loading(m, self.model.cases[case], self.distribution.case(case), of_shells=False)
        fixed = end_loads(m, load)
        # between held ends a temperature moves nothing
        warmed = thermal_ends(self.model, m, self.model.cases[case])
        p = len(m.length)
        piece = np.repeat(np.arange(p), n)
        share = np.linspace(0, 1, n)
        x = (m.length[:, None] * share).ravel()
        u = _carried(m, self.condensed, self.results.displacement[c], fixed + warmed, share)
        between = into_cut(load, piece, x, np.zeros(p * n, bool), p).reshape(p, n, 6)
        start = -fixed[:, None, :6]
        along = m.length[:, None] * share
        force = -start[..., :3] - between[..., :3]
        moment_y = -start[..., 4] - along * start[..., 2] - between[..., 4]
        moment_z = -start[..., 5] + along * start[..., 1] - between[..., 5]
        # into principal axes of the section, where stiffness is known
        r = principal(m.turn)
        v = np.stack([force[..., 1], force[..., 2]], axis=-1) @ np.swapaxes(r[:, 1:, 1:], 1, 2)
        b = np.stack([moment_y, moment_z], axis=-1) @ np.swapaxes(r[:, 1:, 1:], 1, 2)
        extra = np.zeros((p, n, 3))
        ea, eiy, eiz, gay, gaz = _along(m, share)
        extra[..., 0] = _closed(_integral(force[..., 0] / ea, m.length), share)
        for axis, ei, ga, bend, sign in ((1, eiz, gay, b[..., 1], 1.0), (2, eiy, gaz, b[..., 0], -1.0)):
            turn = _integral(sign * bend / ei, m.length)
            slope = turn + np.where(ga > 0, 1 / np.where(ga > 0, ga, 1), 0.0) * v[..., axis - 1]
            extra[..., axis] = _closed(_integral(slope, m.length), share)
        extra = extra @ r  # principal back to member axes
        u += extra
        points = (m.xyz[m.ends[:, 0]] + m.offset[:, 0])[:, None] + m.axes[:, None, 0] * along[..., None]
        done = self.results.member_done[c][m.member]
        return Shapes(m.member[done], points[done], np.einsum("pni,pij->pnj", u, m.axes)[done], m.ends[done])


def member_shapes(
    model: Model,
    results: Results,
    case: str,
    n: int = 13,
    shear_flexible: bool = True,
    distribution: Distribution | None = None,
) -> Shapes:
    """The shapes of one case, as `MemberShapes.of`."""
    return MemberShapes(model, results, shear_flexible, distribution).of(case, n)


def _along(m: Mesh, share: Array) -> tuple[Array, ...]:
    """EA, EIy, EIz, GAy, GAz (P, n) at these shares of every piece."""
    out = tuple(np.repeat(v[:, None], len(share), axis=1) for v in (m.ea, m.eiy, m.eiz, m.gay, m.gaz))
    if m.tapers is not None:
        t, steps = m.tapers, m.tapers.steps
        step = np.clip((share * STEPS).astype(np.int64), 0, STEPS - 1)
        for values, own in zip(out, (steps.ea, steps.eiy, steps.eiz, steps.gay, steps.gaz)):
            values[t.piece] = t.of_pieces(own)[:, step]
    return out


def _integral(values: Array, length: Array) -> Array:
    """Running integral along each row of equally spaced values over `length`."""
    from scipy.integrate import cumulative_simpson

    n = values.shape[1]
    return np.asarray(cumulative_simpson(values, dx=1.0, axis=1, initial=0.0)) * (length / (n - 1))[:, None]


def _closed(values: Array, share: Array) -> Array:
    """With both ends at zero, as held ends are: what quadrature leaves at the far end is spread along."""
    return values - values[:, -1:] * share
