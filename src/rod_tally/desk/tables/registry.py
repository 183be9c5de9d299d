"""All tables of the window by name, with their titles and what each can be turned to."""

from __future__ import annotations

from collections.abc import Callable

from ..quantities import UnitSet
from ..session.state import SUMMED, DeskState
from .change_rows import again, carried, changes, why
from .design_rows import design
from .elsewhere_rows import elsewhere, unmatched
from .force_rows import displacements, envelope, forces, reactions, stresses, summed_forces, summed_reactions
from .load_rows import audited, cases, combinations, factors, loads, member_sums
from .model_rows import lines, materials, members, nodes, sections, surfaces
from .response_rows import at_ends, at_node, at_stations, centres, modes, stacks, storey_cuts, storeys
from .review_rows import findings, ready, tally
from .rows import Rows
from .surface_rows import cuts, surface_forces, surface_stresses, surfaces_over, wall_joints, wall_stability

TABLES: dict[str, tuple[str, Callable[[DeskState, UnitSet], Rows]]] = {
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
    "reactions": ("Reactions", reactions),
    "displacements": ("Displacements", displacements),
    "forces": ("Forces", forces),
    "envelope": ("Envelope", envelope),
    "surface_forces": ("Slabs, walls", surface_forces),
    "cuts": ("Cuts", cuts),
    "storeys": ("Storeys", storeys),
    "modes": ("Modes", modes),
    "changes": ("Changes", changes),
    "again": ("To look at again", again),
    "carried": ("Carried over", carried),
    "elsewhere": ("From elsewhere", elsewhere),
}


# what a table can be turned to, the first one shown until another is chosen
ASPECTS: dict[str, dict[str, Callable[[DeskState, UnitSet], Rows]]] = {
    "reactions": {"at supports": reactions, "at the picked node": at_node, SUMMED: summed_reactions},
    "forces": {
        "of members": forces,
        "down the stacks": stacks,
        "ends and middle": at_ends,
        "all stations": at_stations,
        "stress of members": stresses,
        SUMMED: summed_forces,
    },
    "combinations": {"as they are": combinations, "by cases": factors, "against the rules": audited},
    "loads": {"as put on": loads, "summed on members": member_sums},
    "surface_forces": {
        "in the shown case": surface_forces,
        "over combinations": surfaces_over,
        "equivalent stress": surface_stresses,
        "stability of walls": wall_stability,
        "joints of walls": wall_joints,
    },
    "again": {"parts": again, "why it changed": why, "design results": design},
    "elsewhere": {"values": elsewhere, "matched by nothing": unmatched},
    "storeys": {"loads, drift, mass": storeys, "between storeys": storey_cuts, "centres": centres},
}

# which belong to a step, findings apart, which belong to all; the others are under More tables
STEP_TABLES: dict[str, tuple[str, ...]] = {
    "Source": ("tally", "members", "surfaces", "sections", "materials", "log"),
    "Framing": ("members", "nodes", "surfaces", "lines", "log"),
    "Supports": ("nodes", "members", "reactions"),
    "Loads": ("loads", "cases", "combinations", "tally"),
    "Run": ("displacements", "reactions", "forces", "surface_forces", "cases"),
    "Response": (
        "displacements",
        "forces",
        "envelope",
        "reactions",
        "surface_forces",
        "cuts",
        "storeys",
        "modes",
    ),
    "Revision": ("again", "changes", "carried", "elsewhere", "parity"),
    "Close-out": ("ready", "tally", "log"),
}
