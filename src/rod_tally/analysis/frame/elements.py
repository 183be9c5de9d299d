"""The space beam, many at once: stiffness, releases condensed exactly, consistent loads, rigid end offsets.

Degrees of freedom of an element: ux uy uz rx ry rz at its start, then at its end, in its local axes.
Stiffness with shear: Przemieniecki, Theory of Matrix Structural Analysis (1968), section 5.6.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...model.geometry.vectors import Array
from .mesh import Mesh
from .tapers import STEPS, Bars, Tapers


def shear_ratios(mesh: Mesh | Bars) -> tuple[Array, Array]:
    """Phi = 12 EI / (G A_s L^2) for bending in the local xy and xz planes, (P,) each; 0 for rigid in
    shear."""
    l2 = mesh.length**2
    phi_y = np.where(mesh.gay > 0, 12 * mesh.eiz / (np.where(mesh.gay > 0, mesh.gay, 1) * l2), 0.0)
    phi_z = np.where(mesh.gaz > 0, 12 * mesh.eiy / (np.where(mesh.gaz > 0, mesh.gaz, 1) * l2), 0.0)
    return phi_y, phi_z


def stiffness(mesh: Mesh) -> Array:
    """Element stiffness (P, 12, 12) in member axes, before releases."""
    k = _prismatic(mesh)
    if mesh.tapers is not None:
        k[mesh.tapers.piece] = condensed_tapers(mesh.tapers).k
    return k


def condensed_tapers(tapers: Tapers) -> Tapers:
    """Pieces that taper, condensed where they are not yet."""
    if not tapers.k.any():
        tapers.condense(_prismatic)
    return tapers


def _prismatic(mesh: Mesh | Bars) -> Array:
    """Element stiffness (P, 12, 12) in member axes of pieces that do not taper."""
    p = len(mesh.length)
    k = np.zeros((p, 12, 12))
    length = mesh.length
    phi_y, phi_z = shear_ratios(mesh)
    axial, torsion = mesh.ea / length, mesh.gj / length
    for d, s in ((0, axial), (3, torsion)):
        k[:, d, d] = k[:, d + 6, d + 6] = s
        k[:, d, d + 6] = k[:, d + 6, d] = -s
    # plane xy: v and rz with sign +1; plane xz: w and ry with sign -1
    for v, r, ei, phi, sign in ((1, 5, mesh.eiz, phi_y, 1.0), (2, 4, mesh.eiy, phi_z, -1.0)):
        c = ei / ((1 + phi) * length**3)
        for i, j, value in (
            (v, v, 12 * c),
            (v, r, sign * 6 * length * c),
            (v, v + 6, -12 * c),
            (v, r + 6, sign * 6 * length * c),
            (r, r, (4 + phi) * length**2 * c),
            (r, v + 6, -sign * 6 * length * c),
            (r, r + 6, (2 - phi) * length**2 * c),
            (v + 6, v + 6, 12 * c),
            (v + 6, r + 6, -sign * 6 * length * c),
            (r + 6, r + 6, (4 + phi) * length**2 * c),
        ):
            k[:, i, j] = value
            k[:, j, i] = value
    turned = np.flatnonzero(mesh.turn)
    if len(turned):
        t = blocks(principal(mesh.turn[turned]))
        k[turned] = np.swapaxes(t, 1, 2) @ k[turned] @ t
    return k


def principal(turn: Array) -> Array:
    """Rotation (n, 3, 3) from member axes to principal axes of the section."""
    c, s = np.cos(turn), np.sin(turn)
    r = np.zeros((len(turn), 3, 3))
    r[:, 0, 0] = 1
    r[:, 1, 1] = r[:, 2, 2] = c
    r[:, 1, 2], r[:, 2, 1] = s, -s
    return r


def blocks(r: Array) -> Array:
    """(n, 12, 12) with the rotation (n, 3, 3) four times down the diagonal."""
    t = np.zeros((len(r), 12, 12))
    for b in range(4):
        t[:, 3 * b : 3 * b + 3, 3 * b : 3 * b + 3] = r
    return t


def to_ends(mesh: Mesh) -> Array:
    """(P, 12, 12): local displacements of the piece's ends from global ones of its nodes, offsets
    included."""
    t = blocks(mesh.axes)
    for e in range(2):
        o = mesh.offset[:, e]
        if not np.abs(o).max(initial=0.0) > 0:
            continue
        skew = np.zeros((len(o), 3, 3))  # u_end = u + theta x o = u - [o]x theta
        skew[:, 0, 1], skew[:, 0, 2] = o[:, 2], -o[:, 1]
        skew[:, 1, 0], skew[:, 1, 2] = -o[:, 2], o[:, 0]
        skew[:, 2, 0], skew[:, 2, 1] = o[:, 1], -o[:, 0]
        t[:, 6 * e : 6 * e + 3, 6 * e + 3 : 6 * e + 6] = mesh.axes @ skew
    return t


@dataclass(slots=True)
class Step:
    """One condensed degree of freedom `dof` of pieces `which`: row before elimination, pivot, and spring."""

    dof: int
    which: NDArray[np.int64]
    row: Array
    pivot: Array
    spring: Array


@dataclass(slots=True)
class Condensed:
    """Stiffness with releases condensed, the steps that did it, and pieces whose releases leave them
    loose."""

    k: Array
    steps: list[Step]
    loose: dict[int, list[int]]


def condense(k: Array, released: NDArray[np.bool_], spring: Array) -> Condensed:
    """Condense released and sprung end directions out of (P, 12, 12), exactly, one direction at a time.

    A direction that carries nothing any more when its turn comes (both ends of a member released in torsion)
    is left with no stiffness and listed in `loose` by piece."""
    k = k.copy()
    scale = np.abs(np.einsum("pii->pi", k)).max(axis=1, initial=0.0) if len(k) else np.zeros(0)
    own = np.einsum("pii->pi", k).copy()
    steps: list[Step] = []
    loose: dict[int, list[int]] = {}
    for d in range(12):
        which = np.flatnonzero(released[:, d])
        if not len(which):
            continue
        row = k[which, d].copy()
        s = spring[which, d]
        pivot = row[:, d] + s
        empty = np.abs(row[:, d]) <= 1e-11 * np.maximum(own[which, d], 1e-11 * scale[which])
        for p in which[empty & (s == 0)]:
            loose.setdefault(int(p), []).append(d)
        safe = np.where(pivot > 0, pivot, 1.0)
        update = row[:, :, None] * row[:, None, :] / safe[:, None, None]
        kk = k[which] - update
        tie = row * (s / safe)[:, None]
        kk[:, d, :], kk[:, :, d] = tie, tie
        kk[:, d, d] = s * row[:, d] / safe
        # nothing left in this direction: no stiffness either way
        kk[empty] = k[which][empty]
        kk[empty, d, :] = 0.0
        kk[empty, :, d] = 0.0
        k[which] = kk
        steps.append(Step(d, which, np.where(empty[:, None], 0.0, row), safe, s))
    return Condensed(k, steps, loose)


def condense_loads(f: Array, steps: list[Step]) -> Array:
    """End loads (..., P, 12) carried through the same steps."""
    f = f.copy()
    for step in steps:
        mine = f[..., step.which, step.dof].copy()
        f[..., step.which, :] -= step.row * (mine / step.pivot)[..., None]
        f[..., step.which, step.dof] = step.spring * mine / step.pivot
    return f


def release_displacements(u: Array, f: Array, steps: list[Step]) -> Array:
    """Displacements of the member's own ends (P, 12) from those of its nodes, through springs and releases.

    `f` are the end loads before condensing. The steps are walked backwards: the last one condensed is the
    first known."""
    loads = [f]
    for step in steps:
        loads.append(condense_loads(loads[-1], [step]))
    u = u.copy()
    for step, load in zip(reversed(steps), reversed(loads[:-1])):
        w, d = step.which, step.dof
        node = u[w, d]
        others = np.einsum("pi,pi->p", step.row, u[w]) - step.row[:, d] * node
        u[w, d] = np.where(
            np.abs(step.row).max(axis=1) > 0, (step.spring * node + load[w, d] - others) / step.pivot, node
        )
    return u


def shape_functions(mesh: Mesh, piece: NDArray[np.int64], x: Array) -> tuple[Array, Array]:
    """How a unit force and a unit moment at local distance x (n,) load the ends: (n, 3, 12) each, member
    axes.

    The exact homogeneous solutions of the shear-flexible beam, so end loads made with them are exact.
    """
    force, moment = _of_prismatic(mesh, piece, x)
    if mesh.tapers is not None:
        tapers, number = condensed_tapers(mesh.tapers), np.full(len(mesh.length), -1)
        number[tapers.piece] = np.arange(len(tapers.piece))
        which = np.flatnonzero(number[piece] >= 0)
        if len(which):
            of = number[piece[which]]
            step, along = tapers.step_at(of, x[which])
            own = _of_prismatic(tapers.steps, of * STEPS + step, along)
            ends = np.concatenate([tapers.carry[of, step], tapers.carry[of, step + 1]], axis=1)
            force[which], moment[which] = own[0] @ ends, own[1] @ ends
    return force, moment


def _of_prismatic(mesh: Mesh | Bars, piece: NDArray[np.int64], x: Array) -> tuple[Array, Array]:
    n = len(piece)
    length = mesh.length[piece]
    xi = x / length
    phi_y, phi_z = (p[piece] for p in shear_ratios(mesh))
    force, moment = np.zeros((n, 3, 12)), np.zeros((n, 3, 12))
    force[:, 0, 0], force[:, 0, 6] = 1 - xi, xi
    moment[:, 0, 3], moment[:, 0, 9] = 1 - xi, xi
    for v, r, phi, sign in ((1, 5, phi_y, 1.0), (2, 4, phi_z, -1.0)):
        d = 1 + phi
        force[:, v, v] = (1 - 3 * xi**2 + 2 * xi**3 + phi * (1 - xi)) / d
        force[:, v, r] = sign * length * (xi - 2 * xi**2 + xi**3 + phi / 2 * (xi - xi**2)) / d
        force[:, v, v + 6] = (3 * xi**2 - 2 * xi**3 + phi * xi) / d
        force[:, v, r + 6] = sign * length * (-(xi**2) + xi**3 - phi / 2 * (xi - xi**2)) / d
        a = r - 3  # the moment's own axis
        moment[:, a, v] = sign * 6 * (xi**2 - xi) / (length * d)
        moment[:, a, r] = (1 - 4 * xi + 3 * xi**2 + phi * (1 - xi)) / d
        moment[:, a, v + 6] = sign * 6 * (xi - xi**2) / (length * d)
        moment[:, a, r + 6] = (3 * xi**2 - 2 * xi + phi * xi) / d
    turned = np.flatnonzero(mesh.turn[piece])
    if len(turned):
        r3 = principal(mesh.turn[piece[turned]])
        t = blocks(r3)
        for m in (force, moment):
            m[turned] = np.swapaxes(r3, 1, 2) @ m[turned] @ t
    return force, moment
