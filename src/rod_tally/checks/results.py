"""Checks on the results: balance, and sizes that say something is loose."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..model import Finding
from .registry import Subject, check, mm, point

BALANCE = 1e-6  # a solve in doubles balances to 1e-9; beyond this something is wrong
SHARE = 1 / 100  # of the longest span or the height. Common practice, no source.


@check("equilibrium.residual")
def find_residuals(s: Subject) -> Iterator[Finding]:
    """Cases whose reactions do not balance their loads."""
    for e in s.results.equilibrium if s.results is not None else ():
        if e.residual > BALANCE:
            yield Finding(
                "equilibrium.residual",
                "blocking",
                f"Load case {e.case}: reactions do not balance the loads, residual {e.residual:.2g}.",
                (e.case,),
                None,
                (),
                {"residual": e.residual},
            )


@check("displacement.large")
def find_large_displacements(s: Subject) -> Iterator[Finding]:
    """Displacements larger than a hundredth of the longest span or of the height, whichever is more."""
    r = s.results
    if r is None or r.empty:
        return
    span = float(s.rods.lengths.max(initial=0.0))
    size = max(span, float(np.ptp(r.xyz[:, 2])))
    for c, case in enumerate(r.cases):
        largest = r.largest_displacement(c)
        if largest is None or largest[1] <= SHARE * size:
            continue
        node, u = largest
        surface = r.surface_at(node)
        where = f"node {node}" if surface is None else f"a place on the {s.name(surface)}"
        yield Finding(
            "displacement.large",
            "warning",
            f"Load case {case}: {where} moves {mm(u)}, more than a hundredth of {size:.1f} m.",
            (surface or node,),
            point(r.xyz[r.node_ids.index(node)] - s.model.origin),
            ("Take me there",),
            {"displacement": u},
        )
