"""Geometric stiffness of members and shells: what axial and membrane forces add to the stiffness."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...meshing import Plates
from ...model import Model
from ...model.entities.structure import Joint, Node
from ...model.geometry.vectors import Array
from ..frame.elements import Condensed, release_displacements, to_ends
from ..frame.mesh import Mesh
from ..results.results import Results
from ..shells.fields import PlateFields

# into which a member is cut between its nodes: held at both ends it is within 0.2 % of Euler then
PIECES = 6
GAUSS = 3**-0.5


def in_pieces(model: Model, pieces: int = PIECES) -> Model:
    """The same building with further nodes along its members, so that they can bow between their own. Members
    that a shell is tied along are cut by its mesh as it is."""
    tied = {j.other for s in model.surfaces.values() for j in s.joints if j.kind == "member"}
    nodes, members = dict(model.nodes), dict(model.members)
    for ident, m in model.members.items():
        if ident in tied or not model.usable(m):
            continue
        line = model.line(m)
        length = model.length(m)
        stops = [0.0, *(j.distance for j in m.joints), length]
        own = list(m.joints)
        for a, b in zip(stops, stops[1:]):
            for k in range(1, pieces):
                at = a + (b - a) * k / pieces
                name = f"{ident} at {at:.6f}"
                nodes[name] = Node(name, line[0] + (line[1] - line[0]) * (at / length))
                own.append(Joint(at, name))
        members[ident] = replace(m, joints=sorted(own, key=lambda j: j.distance))
    return replace(model, nodes=nodes, members=members)


def axial_forces(m: Mesh, results: Results) -> Array:
    """The mean axial force (C, P), N, of each piece in each case, tension positive."""
    if not len(m.length):
        return np.zeros((len(results.cases), 0))
    index = {i: k for k, i in enumerate(results.member_ids)}
    # all stations on one line, member after member, so that each case is one interpolation
    apart = 2.0 * float(m.member_length.max(initial=1.0))
    stations = results.station_member * apart + results.station_x
    member = np.array([index[i] for i in m.member_ids], np.int64)[m.member]
    places = (member * apart + m.x0)[:, None] + m.length[:, None] * (np.array([-GAUSS, GAUSS]) + 1) / 2
    return np.array([np.interp(places, stations, f[:, 0]).mean(axis=1) for f in results.force])


def of_members(m: Mesh, condensed: Condensed) -> Array:
    """Geometric stiffness (P, 12, 12) of each piece for an axial force of 1 N, at its nodes in global
    axes."""
    t = to_ends(m)
    return np.asarray(np.swapaxes(t, 1, 2) @ in_own_axes(m, condensed) @ t)


def in_own_axes(m: Mesh, condensed: Condensed) -> Array:
    """The same (P, 12, 12) at the ends of the pieces, in their own axes.

    The consistent matrix of a cubic beam (Przemieniecki 1968, 15.2), for bending both ways; released ends
    follow as they do in the stiffness. Twisting under axial force is left out."""
    count = len(m.length)
    g = np.zeros((count, 12, 12))
    length = m.length
    for v, r, sign in ((1, 5, 1.0), (2, 4, -1.0)):
        for i, j, value in (
            (v, v, 36.0 / length),
            (v, r, sign * 3.0 + 0 * length),
            (v, v + 6, -36.0 / length),
            (v, r + 6, sign * 3.0 + 0 * length),
            (r, r, 4.0 * length),
            (r, v + 6, -sign * 3.0 + 0 * length),
            (r, r + 6, -length),
            (v + 6, v + 6, 36.0 / length),
            (v + 6, r + 6, -sign * 3.0 + 0 * length),
            (r + 6, r + 6, 4.0 * length),
        ):
            g[:, i, j] = g[:, j, i] = value / 30.0
    if condensed.steps:
        follow = np.zeros((count, 12, 12))
        none = np.zeros((count, 12))
        for d in range(12):
            unit = np.zeros((count, 12))
            unit[:, d] = 1.0
            follow[:, :, d] = release_displacements(unit, none, condensed.steps)
        g = np.swapaxes(follow, 1, 2) @ g @ follow
    return g


def members_matrix(m: Mesh, unit: Array, force: Array) -> sparse.csr_matrix:
    """(6N, 6N) of pieces with these axial forces (P,)."""
    return _matrix(m.ends, unit * force[:, None, None], len(m.node_ids), 6)


def shells_matrix(model: Model, plates: Plates, fields: PlateFields, u: Array) -> sparse.csr_matrix:
    """(6N, 6N) of slabs and walls in the membrane forces that movements u (N, 6) give them.

    The stiffness of initial stress, the same for movements along x, y and z: the integral of grad N^T n
    grad N (Zienkiewicz and Taylor, The Finite Element Method; from memory)."""
    n = len(plates.points)
    samples = fields.samples(u)[:, :3]
    total = sparse.csr_matrix((6 * n, 6 * n))
    first = 0
    for nodes, of in ((plates.quads, plates.quad_of), (plates.triangles, plates.triangle_of)):
        if not len(nodes):
            continue
        own = samples[first : first + len(nodes)]
        first += len(nodes)
        axes = np.array([plates.shapes[s].axes for s in plates.surfaces])[of]
        flat = np.einsum("eak,eik->eia", axes[:, :2], plates.points[nodes])
        stress = own[:, [0, 2, 2, 1]].reshape(-1, 2, 2)
        scalar = _scalar(flat, stress)
        k = nodes.shape[1]
        blocks = np.zeros((len(nodes), k, 6, k, 6))
        for d in range(3):
            blocks[:, :, d, :, d] = scalar
        total = total + _matrix(nodes, blocks.reshape(len(nodes), 6 * k, 6 * k), n, 6)
    return total.tocsr()


def _scalar(flat: Array, stress: Array) -> Array:
    """The integral of grad N^T stress grad N (E, k, k) of elements with corners (E, k, 2) in their plane."""
    count, k, _ = flat.shape
    out = np.zeros((count, k, k))
    places = [(s * GAUSS, t * GAUSS, 1.0) for s in (-1, 1) for t in (-1, 1)] if k == 4 else [(0.0, 0.0, 0.5)]
    for s, t, weight in places:
        if k == 4:
            own = np.array([[-(1 - t), 1 - t, 1 + t, -(1 + t)], [-(1 - s), -(1 + s), 1 + s, 1 - s]]) / 4
        else:
            own = np.array([[-1.0, 1.0, 0.0], [-1.0, 0.0, 1.0]])
        jacobian = np.einsum("ai,eib->eab", own, flat)
        area = np.abs(np.linalg.det(jacobian))
        b = np.linalg.solve(jacobian, np.broadcast_to(own, (count, 2, k)))
        out += np.einsum("eai,eab,ebj,e->eij", b, stress, b, weight * area)
    return out


def _matrix(nodes: NDArray[np.int64], blocks: Array, count: int, dofs: int) -> sparse.csr_matrix:
    if not len(nodes):
        return sparse.csr_matrix((dofs * count, dofs * count))
    rows = (dofs * nodes[:, :, None] + np.arange(dofs)).reshape(len(nodes), -1)
    i = np.repeat(rows, rows.shape[1], axis=1).ravel()
    j = np.tile(rows, (1, rows.shape[1])).ravel()
    return sparse.csr_matrix((blocks.ravel(), (i, j)), shape=(dofs * count, dofs * count))
