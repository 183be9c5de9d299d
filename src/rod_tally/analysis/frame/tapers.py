"""Pieces whose section tapers: each a row of prismatic steps between its ends, whose inner places are
condensed out exactly."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from ...model import Material, Section
from ...model.catalogue.taper import section_at
from ...model.geometry.vectors import Array

# of a piece that tapers: the deflection of a cantilever twice as deep at its foot is then right within 0.2 %
STEPS = 16
AT_ONCE = 500  # pieces that are condensed together: 40 MB


@dataclass(slots=True)
class Bars:
    """Prismatic pieces: the values (n,) of a mesh that their stiffness and shape functions ask for, and mass
    per metre."""

    length: Array
    ea: Array
    eiy: Array
    eiz: Array
    gj: Array
    gay: Array
    gaz: Array
    turn: Array
    mass: Array


@dataclass(slots=True)
class Tapers:
    """`piece` (T,) that taper, and their `steps`, S for each, one piece after the other. Once they were
    condensed, `k` (T, 12, 12) is the stiffness of each and `carry` (T, S + 1, 6, 12) how the places between
    the steps move with the ends."""

    piece: NDArray[np.int64]
    steps: Bars
    k: Array
    carry: Array

    def of_pieces(self, values: Array) -> Array:
        """Values of steps (T, S)."""
        return values.reshape(len(self.piece), STEPS)

    @property
    def number(self) -> dict[int, int]:
        """Which of these each piece is."""
        return {p: i for i, p in enumerate(self.piece.tolist())}

    def condense(self, of_steps: Callable[[Bars], Array]) -> None:
        """Take the stiffness (n, 12, 12) that `of_steps` gives of all steps together; of pieces that are
        alike once."""
        b = self.steps
        rows = np.column_stack(
            [self.of_pieces(v) for v in (b.length, b.ea, b.eiy, b.eiz, b.gj, b.gay, b.gaz, b.turn)]
        )
        _, first, like = np.unique(np.round(rows, 9), axis=0, return_index=True, return_inverse=True)
        pick = (first[:, None] * STEPS + np.arange(STEPS)).ravel()
        own = Bars(*(getattr(b, f.name)[pick] for f in fields(Bars)))
        k, carry = _condensed(of_steps(own).reshape(-1, STEPS, 12, 12))
        self.k, self.carry = k[like.ravel()], carry[like.ravel()]

    def at_ends(self, loads: Array, which: slice) -> Array:
        """Loads at the ends of steps (k, S, 12) of some of the pieces as they load the ends of those (k,
        12)."""
        carry = self.carry[which]
        both = np.concatenate([carry[:, :-1], carry[:, 1:]], axis=2)
        return np.asarray(np.einsum("tsij,tsi->tj", both, loads))

    def step_at(self, which: NDArray[np.int64], x: Array) -> tuple[NDArray[np.int64], Array]:
        """The step of each piece (by its number here) at x, m from its start, and the distance from the start
        of the step."""
        size = self.steps.length[which * STEPS]
        step = np.clip(np.floor(x / size).astype(np.int64), 0, STEPS - 1)
        return step, x - step * size


def _condensed(steps: Array) -> tuple[Array, Array]:
    """Stiffness (t, 12, 12) of rows of steps (t, S, 12, 12), and how the places between them move with the
    ends (t, S + 1, 6, 12)."""
    t, s = steps.shape[:2]
    k, carry = np.zeros((t, 12, 12)), np.zeros((t, s + 1, 6, 12))
    ends, inner = np.r_[0:6, 6 * s : 6 * s + 6], np.arange(6, 6 * s)
    for first in range(0, t, AT_ONCE):
        part = slice(first, min(first + AT_ONCE, t))
        whole = np.zeros((part.stop - first, 6 * (s + 1), 6 * (s + 1)))
        for i in range(s):
            whole[:, 6 * i : 6 * i + 12, 6 * i : 6 * i + 12] += steps[part, i]
        between = -np.linalg.solve(whole[:, inner[:, None], inner], whole[:, inner[:, None], ends])
        k[part] = whole[:, ends[:, None], ends] + whole[:, ends[:, None], inner] @ between
        carry[part, 1:s] = between.reshape(-1, s - 1, 6, 12)
    carry[:, 0, :, :6] = carry[:, s, :, 6:] = np.eye(6)
    return k, carry


def tapers_of(
    found: Sequence[tuple[int, Section, Material, float, float, float]], shear_flexible: bool
) -> Tapers | None:
    """Return the tapers of pieces with their sections and materials, from a share of their member's length
    to another one, and their length (m); not condensed yet. None for none."""
    if not found:
        return None
    middles = (np.arange(STEPS) + 0.5) / STEPS
    known: dict[
        tuple[int, int, float, float], list[tuple[float, ...]]
    ] = {}  # many members of a building taper alike
    values = []
    for _, s, material, a, b, _ in found:
        key = (id(s), id(material), round(a, 9), round(b, 9))
        if key not in known:
            sections = [section_at(s, float(a + (b - a) * m)) for m in middles]
            known[key] = [stiffness_values(own, material, shear_flexible) for own in sections]
        values.append(known[key])
    length = np.repeat([size / STEPS for *_, size in found], STEPS)
    k, carry = np.zeros((len(found), 12, 12)), np.zeros((len(found), STEPS + 1, 6, 12))
    return Tapers(
        np.array([p for p, *_ in found], np.int64), Bars(length, *np.array(values).reshape(-1, 8).T), k, carry
    )


def stiffness_values(s: Section, mat: Material, shear_flexible: bool) -> tuple[float, ...]:
    """EA, EIy', EIz', GJ, GAy, GAz about principal axes, their turn, and mass per metre."""
    e, g = mat.E or 0.0, mat.shear_modulus
    turn, iy, iz = 0.0, s.iy, s.iz
    avy, avz = (s.avy, s.avz) if shear_flexible else (0.0, 0.0)
    if s.iyz:
        # y' = c y + s z, z' = c z - s y with no product of inertia between them
        turn = 0.5 * np.arctan2(2 * s.iyz, s.iz - s.iy)
        c, si = np.cos(turn), np.sin(turn)
        iy = c * c * s.iy + si * si * s.iz - 2 * c * si * s.iyz
        iz = c * c * s.iz + si * si * s.iy + 2 * c * si * s.iyz
    # a section with no torsion constant still needs one: that of a solid of its area would mislead, a small
    # one is safe
    j = s.j if s.j > 0 else 1e-3 * (iy + iz)
    return e * s.area, e * iy, e * iz, g * j, g * avy, g * avz, turn, s.area * (mat.density or 0.0)
