"""Factorising a symmetric positive definite matrix once and solving many right-hand sides with it."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from ...model.geometry.vectors import Array

# the library looks through the whole environment for this file unless it is set (0.7 s at every start)
for _library in sorted(Path(sys.prefix, "lib").glob("libmkl_rt.so*")):
    os.environ.setdefault("PYPARDISO_MKL_RT", str(_library))
try:
    import pypardiso
except (ImportError, OSError):  # no wheel for this machine: SciPy gives the same numbers, slower
    pypardiso = None


# of the library, by its own numbering: as given here, nested dissection, no refinement of its own (by default
# it refines every solution twice, at five times the cost; the run refines where equilibrium asks for it), no
# scaling or matching
SETTINGS = {1: 1, 2: 2, 8: 0, 10: 8, 11: 0, 13: 0}


class SingularError(ArithmeticError):
    """The matrix has no inverse as far as doubles can tell."""


class Factor:
    """A factorisation; `solve` takes (n,) or (n, k). `solver` is "pardiso" or "scipy"."""

    def __init__(self, matrix: sparse.csc_matrix, solver: str | None = None) -> None:
        self.solver = solver or ("pardiso" if pypardiso is not None else "scipy")
        self.n = matrix.shape[0]
        self._lu: Any = None
        self._pardiso: Any = None
        if self.n == 0:
            return
        if self.solver == "pardiso":
            self._upper = sparse.triu(matrix, format="csr")
            self._pardiso = pypardiso.PyPardisoSolver(mtype=2)
            for place, value in SETTINGS.items():
                self._pardiso.set_iparm(place, value)
            try:
                self._pardiso.factorize(self._upper)
            except Exception as error:  # the library raises its own error for a zero pivot
                self.close()
                raise SingularError(str(error)) from error
        else:
            try:
                self._lu = splu(
                    sparse.csc_matrix(matrix),
                    permc_spec="MMD_AT_PLUS_A",
                    diag_pivot_thresh=0.0,
                    options={"SymmetricMode": True},
                )
            except RuntimeError as error:
                raise SingularError(str(error)) from error

    def solve(self, right: Array) -> Array:
        """Raises SingularError when what comes out is not finite."""
        if right.size == 0:
            return np.zeros_like(right)
        if self._pardiso is not None:
            out = np.asarray(self._pardiso.solve(self._upper, np.asfortranarray(right)))
            out = out.reshape(right.shape)
        else:
            out = self._lu.solve(np.ascontiguousarray(right))
        if not np.isfinite(out).all():
            raise SingularError("the solution is not finite")
        return out

    def close(self) -> None:
        """Give the factor's memory back."""
        if self._pardiso is not None:
            self._pardiso.free_memory(everything=True)
            self._pardiso = None
        self._lu = None
