"""By how much the loads of a combination can grow until the structure buckles: the first factors, with their
shapes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec import structs

from ...loads import Distribution
from ...model import Combination, Model, Settings
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..results.superpose import usable
from ..run import run_and_keep
from ..shells.fields import PlateFields
from ..solve.buckling_factors import lowest_factors
from .geometric import axial_forces, in_pieces, members_matrix, of_members, shells_matrix


@dataclass(slots=True)
class Buckling:
    """One factor of a combination (or case), numbered from the lowest; `shape` (N, 6) at the model's own
    nodes, the largest translation 1."""

    combination: str
    mode: int
    factor: float
    shape: Array


def buckling(
    model: Model,
    settings: Settings,
    combinations: Sequence[Combination],
    count: int,
    progress: Progress = silent,
) -> list[Buckling]:
    """The lowest `count` factors of each of these combinations, linear: K x = - factor KG x, with KG by the
    axial and membrane forces of a linear run. Members are cut into pieces between their nodes, so that they
    buckle between them as well.

    None for combinations that add up roots of squares, which have no signs, and where the run cannot be made
    of all parts."""
    if count <= 0 or not combinations:
        return []
    fine = in_pieces(model)
    cases = list(dict.fromkeys(n for c in combinations for n in c.factors))
    plain = structs.replace(settings.run, cases=cases, one_way=False)
    progress("Buckling: run of members in pieces", 0.1)
    results, own = run_and_keep(fine, plain, silent, None, Distribution(fine), None, settings.mesh)
    if own is None:
        return []
    try:
        known = [c for c in usable(results, list(combinations)) if not c.roots]
        signless = {n for n, c in model.cases.items() if c.spectrum is not None}
        known = [c for c in known if not signless & set(c.factors)]
        unit = of_members(own.mesh, own.condensed)
        axial = axial_forces(own.mesh, results)
        plates = results.plates
        fields = PlateFields(fine, plates) if plates is not None and not plates.empty else None
        here = [results.node_ids.index(n) for n in model.nodes]
        out: list[Buckling] = []
        for k, c in enumerate(known):
            progress(f"Buckling under {c.name}", 0.2 + 0.8 * k / len(known))
            factors = np.array([c.factors.get(n, 0.0) for n in results.cases])
            kg = members_matrix(own.mesh, unit, factors @ axial)
            if fields is not None and plates is not None:
                u = np.tensordot(factors, results.displacement, axes=1)
                kg = kg + shells_matrix(fine, plates, fields, u)
            system = own.system
            if system.turn is not None:
                kg = (system.turn.T @ kg @ system.turn).tocsr()
            for n, (factor, x) in enumerate(lowest_factors(system, own.factor, kg, count)):
                shape = system.to_global(x).reshape(-1, 6)
                size = float(np.linalg.norm(shape[:, :3], axis=1).max())
                out.append(Buckling(c.name, n + 1, factor, shape[here] / max(size, 1e-300)))
        return out
    finally:
        own.close()
