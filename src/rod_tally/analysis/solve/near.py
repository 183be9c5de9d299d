"""A factorisation that stands, used again for a stiffness that differs from its own at a few places."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy import sparse

from ...model.geometry.vectors import Array
from .factor import Factor, SingularError
from .flexibility import Flexibility
from .system import System

FEW = 300  # degrees of freedom that may differ
WORST = 1e10  # condition of the small matrix; beyond it too few digits are left
SHARE = 0.05  # and of all: solving for each costs about as much as a fiftieth of a factorisation


class Updated(Factor):
    """Solves with A + E C E^T by the factors of A, E the unit vectors of the degrees of freedom `at`:

    x = y - Z (I + C G)^-1 C E^T y, with A y = b, A Z = E, G = E^T Z

    (Sherman, Morrison and Woodbury; Golub and Van Loan, Matrix Computations, 2.1.4). The factors of A belong
    to another, and stay when this is closed."""

    def __init__(self, known: Factor, at: Array, c: Array) -> None:
        """Raise SingularError where the sum has no inverse as far as doubles can tell."""
        self.solver, self.n = known.solver, known.n
        self._known, self._at, self._c = known, at, c
        unit = np.zeros((self.n, len(at)))
        unit[at, np.arange(len(at))] = 1.0
        self._z = known.solve(unit)
        small = np.eye(len(at)) + c @ self._z[at]
        if len(at) and (not np.isfinite(small).all() or np.linalg.cond(small) > WORST):
            raise SingularError("the change takes away what held it")
        self._inner = np.linalg.solve(small, c)

    def solve(self, right: Array) -> Array:
        """Raises SingularError when what comes out is not finite."""
        y = self._known.solve(right)
        out = y - self._z @ (self._inner @ y[self._at])
        if not np.isfinite(out).all():
            raise SingularError("the solution is not finite")
        return np.asarray(out)

    def close(self) -> None:
        """Leave the factors where they belong."""


class Near:
    """The stiffness of a run with its factors, to be closed; for later runs that differ little."""

    def __init__(self, own: Flexibility) -> None:
        self.own = own

    def factor(self, node_ids: Sequence[str], system: System) -> Updated | None:
        """Return the factorisation of a system by the one that stands; None where they differ by too much,
        in their nodes or in what is free."""
        mine = self.own.system
        if list(node_ids) != self.own.mesh.node_ids or not np.array_equal(system.free, mine.free):
            return None
        change = sparse.coo_matrix(system.k - mine.k)
        some = change.data != 0
        at = np.unique(np.concatenate([change.row[some], change.col[some]]))
        if len(at) > min(FEW, SHARE * len(system.free)):
            return None
        place = np.full(len(system.free), -1)
        place[at] = np.arange(len(at))
        c = np.zeros((len(at), len(at)))
        c[place[change.row[some]], place[change.col[some]]] = change.data[some]
        try:
            return Updated(self.own.factor, at, c)
        except SingularError:
            return None  # which looks for what moves then

    def close(self) -> None:
        self.own.close()
