"""All tables of the window by name, with their titles and what each can be turned to."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

from ..quantities import UnitSet
from ..session.state import SUMMED, DeskState
from .change_rows import again, again_groups, carried, changes, every_change, why
from .elsewhere_rows import above_limits, design, elsewhere, unmatched
from .force_rows import (
    combined_reactions,
    displacements,
    envelope,
    forces,
    reactions,
    stresses,
    summed_forces,
    summed_reactions,
)
from .load_rows import audited, cases, combinations, factors, loads, member_sums, worst_direction
from .model_rows import lines, materials, members, nodes, sections, surfaces
from .response_rows import at_ends, at_node, at_stations, centres, modes, stacks, storey_cuts, storeys
from .review_rows import effects, expectations, findings, ready, tally
from .revision_rows import all_revisions
from .rows import Rows
from .surface_rows import (
    cuts,
    cuts_over,
    surface_forces,
    surface_stresses,
    surfaces_over,
    wall_joints,
    wall_stability,
    wall_stability_over,
)

Table = Callable[[DeskState, UnitSet], Rows]


class _Emptied:
    """A window's state with nothing taken in: tables have their titles then, and no rows."""

    review = None
    revision = None

    def __init__(self, state: DeskState) -> None:
        self._state = state

    def __getattr__(self, name: str) -> Any:
        return getattr(self._state, name)


def of_results(make: Table) -> Table:
    """A table of a run's results: without rows, and with the reason, where they are another model's than the
    one beside it."""

    def made(state: DeskState, units: UnitSet) -> Rows:
        why = state.review.why_old if state.review is not None else ""
        if not why:
            return make(state, units)
        out = make(cast(DeskState, _Emptied(state)), units)
        out.note = why
        return out

    return made


TABLES: dict[str, tuple[str, Table]] = {
    "findings": ("Findings", findings),
    "tally": ("Tally", tally),
    "ready": ("Readiness", ready),
    "nodes": ("Nodes", nodes),
    "members": ("Members", members),
    "surfaces": ("Surfaces", surfaces),
    "sections": ("Sections", sections),
    "materials": ("Materials", materials),
    "lines": ("Lines", lines),
    "cases": ("Cases", cases),
    "loads": ("Loads", loads),
    "combinations": ("Combinations", combinations),
    "reactions": ("Reactions", of_results(reactions)),
    "displacements": ("Displacements", of_results(displacements)),
    "forces": ("Forces", of_results(forces)),
    "envelope": ("Envelope", of_results(envelope)),
    "surface_forces": ("Slabs, walls", of_results(surface_forces)),
    "cuts": ("Cuts", of_results(cuts)),
    "storeys": ("Storeys", of_results(storeys)),
    "modes": ("Modes", of_results(modes)),
    "effects": ("Effects", of_results(effects)),
    "expected": ("Expected", of_results(expectations)),
    "changes": ("Changes", changes),
    "revisions": ("All revisions", all_revisions),
    "again": ("To look at again", again),
    "carried": ("Carried over", carried),
    "elsewhere": ("From elsewhere", elsewhere),
}


# what a table can be turned to, the first one shown until another is chosen
ASPECTS: dict[str, dict[str, Table]] = {
    "reactions": {
        "at supports": of_results(reactions),
        "at the picked node": of_results(at_node),
        SUMMED: summed_reactions,
        "of combinations": of_results(combined_reactions),
    },
    "forces": {
        "of members": of_results(forces),
        "down the stacks": of_results(stacks),
        "ends and middle": of_results(at_ends),
        "all stations": of_results(at_stations),
        "stress of members": of_results(stresses),
        SUMMED: summed_forces,
    },
    "combinations": {
        "as they are": combinations,
        "by cases": factors,
        "against the rules": audited,
        "worst direction": of_results(worst_direction),
    },
    "loads": {"as put on": loads, "summed on members": member_sums},
    "surface_forces": {
        "in the shown case": of_results(surface_forces),
        "over combinations": of_results(surfaces_over),
        "equivalent stress": of_results(surface_stresses),
        "stability of walls": of_results(wall_stability),
        "joints of walls": of_results(wall_joints),
        "stability over combinations": of_results(wall_stability_over),
        "above limits": of_results(above_limits),
    },
    "cuts": {"in the shown case": of_results(cuts), "lowest and highest": of_results(cuts_over)},
    "changes": {"one row a part": changes, "every attribute": every_change},
    "again": {"parts": again, "in groups": again_groups, "why it changed": why, "design results": design},
    "elsewhere": {"values": elsewhere, "matched by nothing": unmatched},
    "storeys": {
        "loads, drift, mass": of_results(storeys),
        "between storeys": of_results(storey_cuts),
        "centres": of_results(centres),
    },
}

# which belong to a step, findings apart, which belong to all; the others are under More tables
STEP_TABLES: dict[str, tuple[str, ...]] = {
    "Source": ("tally", "members", "surfaces", "sections", "materials", "log"),
    "Framing": ("members", "nodes", "surfaces", "lines", "log"),
    "Supports": ("nodes", "members", "reactions"),
    "Loads": ("loads", "cases", "combinations", "tally"),
    "Run": ("displacements", "reactions", "forces", "surface_forces", "cases", "effects"),
    "Response": (
        "displacements",
        "forces",
        "envelope",
        "reactions",
        "surface_forces",
        "cuts",
        "storeys",
        "modes",
        "expected",
    ),
    "Revision": ("again", "changes", "carried", "elsewhere", "parity"),
    "Close-out": ("ready", "effects", "revisions", "tally", "log"),
}
