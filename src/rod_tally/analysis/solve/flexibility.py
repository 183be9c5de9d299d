"""Flexibility of a computed structure under any forces: its stiffness, factorised once for modes and
centres."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model import Model, Settings
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..frame.elements import Condensed
from ..frame.mesh import Mesh, mesh
from ..results.results import Results
from .factor import Factor, SingularError
from .system import System, assemble


@dataclass(slots=True)
class Flexibility:
    """The mesh of a run, the stiffness between its free degrees of freedom, and its factors. To be closed."""

    mesh: Mesh
    system: System
    condensed: Condensed
    factor: Factor

    def moved_by(self, f: Array) -> Array:
        """Movements (6N, k) from forces (6N, k), both in the supports' own axes; nothing where supports
        hold."""
        return self.system.expand(self.factor.solve(self.system.gathered(f)[self.system.free]))

    def close(self) -> None:
        self.factor.close()


def flexibility(
    model: Model, results: Results, settings: Settings, progress: Progress = silent
) -> Flexibility | None:
    """None where nothing was computed, something moves freely, or a part was left out of a case."""
    if results.empty or results.motions or not results.member_done.all():
        return None
    m = mesh(model, results.member_ids, settings.run.shear_flexible, results.plates)
    system, condensed = assemble(model, m, settings.run.diaphragms, progress)
    if not len(system.free):
        return None
    try:
        return Flexibility(m, system, condensed, Factor(system.k))
    except SingularError:
        return None


def turned(system: System, f: Array) -> Array:
    """Forces or movements (6N, k) in global axes, in the supports' own."""
    return f if system.turn is None else np.asarray(system.turn.T @ f)
