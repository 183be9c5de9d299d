"""Estimate of a run's cost before it is started: unknowns, memory, time."""

from __future__ import annotations

from dataclasses import dataclass

from ..meshing.plates import computed_surfaces, element_size
from ..model import Model, Settings

# fitted to office frames of 3,000 and 21,000 members and to a tower of twenty storeys with elements of 4,
# 2.5, 1.5 and 0.8 m, on two cores with PARDISO; the time is that of a run with its modes and checks
# bytes; a member; an unknown of slabs and walls
MEMORY_BASE, MEMORY_MEMBER, MEMORY_SHELLS = (
    0.3e9,
    4.0e4,
    7.3e3,
)
TIME_MEMBER, TIME_SHELLS = 1.5e-3, 1.4e-4  # seconds
CASE = 0.03  # share of the time more for each case after the first


@dataclass(slots=True)
class Cost:
    """`unknowns` before supports take theirs, of which `of_shells`; `memory` in bytes, `seconds` on a machine
    like ours."""

    unknowns: int
    of_shells: int
    memory: float
    seconds: float


def expected_cost(model: Model, settings: Settings, only: set[str] | None = None) -> Cost:
    """Estimate the cost of a run with modes of the whole model, or of the members and surfaces in `only`.
    By areas and lengths, nothing is meshed; within a factor of about two."""
    taking = [m for i, m in model.members.items() if only is None or i in only]
    nodes = len({n for m in taking for n in (m.start, m.end, *(j.node for j in m.joints))})
    elements = 0.0
    for s in computed_surfaces(model):
        if only is None or s.id in only:
            elements += s.area / element_size(s, settings.mesh.size) ** 2
    frame, shells = 6 * nodes, 6 * elements
    cases = len(model.cases if settings.run.cases is None else settings.run.cases)
    memory = MEMORY_BASE + MEMORY_MEMBER * len(taking) + MEMORY_SHELLS * shells
    seconds = (TIME_MEMBER * len(taking) + TIME_SHELLS * shells) * (1 + CASE * max(cases - 1, 0))
    return Cost(int(frame + shells), int(shells), memory, seconds)


def coarser_size(model: Model, size: float | str) -> float:
    """Twice the elements' size that a setting gives a model's slabs and walls on the whole, m, to the
    centimetre."""
    shells = computed_surfaces(model)
    area = sum(s.area for s in shells)
    count = sum(s.area / element_size(s, size) ** 2 for s in shells)
    return round(2 * (area / count) ** 0.5, 2) if count else 1.0
