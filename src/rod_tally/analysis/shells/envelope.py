"""Envelopes of forces and stresses of slabs and walls over combinations, with the combination that governs
each place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...model import Combination
from ...model.geometry.vectors import Array
from ...progress import Progress, silent
from ..results.results import Results
from ..results.superpose import envelope, factors_of, usable
from .fields import PlateFields
from .quantities import of_tensor, quantity, superposes, tensor_of

AT_ONCE = 8  # combinations whose principal values or equivalent stresses are worked out together


@dataclass(slots=True)
class PlateEnvelope:
    """Lowest and highest of one quantity at the corners (K,) of `PlateFields`, the index into `combinations`
    that gives each, and which corners every case computes. `left_out` combinations hold responses without
    sign, of which a principal value or an equivalent stress cannot be made."""

    combinations: list[Combination]
    low: Array
    high: Array
    low_by: NDArray[np.int32]
    high_by: NDArray[np.int32]
    done: NDArray[np.bool_]
    left_out: int = 0


def plate_envelope(
    fields: PlateFields,
    results: Results,
    combinations: list[Combination],
    name: str,
    averaged: bool = False,
    progress: Progress = silent,
) -> PlateEnvelope:
    """Return the envelope of a quantity (`plate_quantities`) over combinations whose cases were all
    computed. Forces, moments and the stresses sx sy sxy are superposed, principal values and equivalent
    stresses are those of each combination's own forces. Raises ValueError for no combination."""
    known = usable(results, combinations)
    signed = known
    if not superposes(name):
        signed = [c for c in known if not c.roots and not any(n in results.modal for n in c.factors)]
    if not signed:
        raise ValueError("no combination has all its cases computed")
    thickness = np.array([fields.plates.shapes[s].thickness for s in fields.plates.surfaces])[
        fields.corners.surface
    ]
    used = sorted({results.case_index(n) for c in signed for n in c.factors})
    done = np.atleast_1d(results.node_done[used].all(axis=0))[fields.corners.node]
    values: list[Array] = []
    for c in range(len(results.cases)):
        progress(f"Forces of {results.cases[c]}", 0.5 * c / len(results.cases))

        def of(forces: Array) -> Array:
            if averaged:
                forces = fields.spread(fields.averaged(forces)[2])
            return (quantity if superposes(name) else tensor_of)(forces, thickness, name)

        values.append(fields.forces(results, c, of))
    of_cases = np.array(values)
    if superposes(name):
        e = envelope(results, signed, of_cases, progress)
        return PlateEnvelope(e.combinations, e.low, e.high, e.low_by, e.high_by, done)
    plain, _ = factors_of(results, signed)
    low, high = np.full((2, of_cases.shape[1]), np.inf)
    high *= -1
    low_by, high_by = np.zeros((2, len(low)), np.int32)
    for s in range(0, len(signed), AT_ONCE):
        progress("Enveloping combinations", 0.5 + 0.5 * s / len(signed))
        tensors = np.tensordot(plain[s : s + AT_ONCE], of_cases, axes=1)
        for k, tensor in enumerate(tensors, s):
            value = of_tensor(tensor, name)
            less, more = value < low, value > high
            low[less], low_by[less] = value[less], k
            high[more], high_by[more] = value[more], k
    return PlateEnvelope(signed, low, high, low_by, high_by, done, len(known) - len(signed))
