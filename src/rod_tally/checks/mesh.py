"""Meshes of slabs and walls: surfaces that have none, and elements too poor to trust."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..meshing.quality import LONG, SHARP, quality_of
from ..model import Finding
from .registry import Subject, check, point

MANY = 0.02  # share of a surface's elements that may be poor without a word; common practice, no source
FEW = 2  # of them are let pass in a surface of any size
FINER = "Set a smaller element size"


@check("mesh.failed")
def find_unmeshed(s: Subject) -> Iterator[Finding]:
    """Surfaces that were to be computed as shells and could not be meshed."""
    r = s.results
    for ident, reason in r.plates.failed.items() if r is not None and r.plates is not None else ():
        if ident in s.model.surfaces and r is not None and r.left_out.get(ident) == reason and "support" not in reason:
            text = f"The {s.name(ident)} could not be meshed: {reason}; it is left out of the run."
            yield Finding("mesh.failed", "blocking", text, (ident,), s.middle(ident), (FINER,))


@check("mesh.poor")
def find_poor_elements(s: Subject) -> Iterator[Finding]:
    """Surfaces with more than a few sharp or long elements: forces near them are not to be trusted."""
    r = s.results
    if r is None or r.plates is None or r.plates.empty:
        return
    quality = quality_of(r.plates)
    poor, of = quality.poor, r.plates.of()
    centres = r.plates.centres()
    for k, ident in enumerate(r.plates.surfaces):
        mine = of == k
        bad = np.flatnonzero(mine & poor)
        if ident not in s.model.surfaces or len(bad) <= max(FEW, MANY * mine.sum()):
            continue
        worst = bad[int(np.argmin(quality.angle[bad]))]
        text = (
            f"The {s.name(ident)}: {len(bad)} of {int(mine.sum())} elements are sharper than {SHARP:.0f}° or longer than "
            f"{LONG:.0f} times their width; the sharpest corner has {quality.angle[worst]:.0f}°."
        )
        yield Finding(
            "mesh.poor", "note", text, (ident,), point(centres[worst]), (FINER,), {"share": len(bad) / int(mine.sum())}
        )
