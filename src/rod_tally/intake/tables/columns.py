"""Tables and columns of a model in tables, and the quantity of each column: for reading and for writing."""

from __future__ import annotations

from ...model import units
from ...model.units import Dimension

TEXT = None
AREA: Dimension = (0, 2, 0, 0, 0, 0)
INERTIA: Dimension = (0, 4, 0, 0, 0, 0)
DENSITY: Dimension = (0, -3, 0, 0, 0, 1)
EXPANSION: Dimension = (0, 0, 0, -1, 0, 0)
SUBGRADE: Dimension = (1, -3, 0, 0, 0, 0)
SI = {
    units.LENGTH: "m",
    AREA: "m2",
    INERTIA: "m4",
    units.PRESSURE: "N/m2",
    DENSITY: "kg/m3",
    EXPANSION: "1/K",
    SUBGRADE: "N/m3",
}

Columns = dict[str, Dimension | None]
NODES: Columns = {
    "node": TEXT,
    "x": units.LENGTH,
    "y": units.LENGTH,
    "z": units.LENGTH,
    "support": TEXT,
    "support_axes": TEXT,
}
MEMBERS: Columns = {
    "member": TEXT,
    "id": TEXT,
    "class": TEXT,
    "start_node": TEXT,
    "end_node": TEXT,
    "inner_nodes": TEXT,
    "section": TEXT,
    "material": TEXT,
    "release_start": TEXT,
    "release_end": TEXT,
    "z_axis": TEXT,
    "offset_start": units.LENGTH,
    "offset_end": units.LENGTH,
    "acts_in": TEXT,
    "weight_share": units.NONE,
}
SECTIONS: Columns = {
    "section": TEXT,
    "shape": TEXT,
    "area": AREA,
    "iy": INERTIA,
    "iz": INERTIA,
    "iyz": INERTIA,
    "j": INERTIA,
    "avy": AREA,
    "avz": AREA,
    "outline": units.LENGTH,
    "voids": units.LENGTH,
}
MATERIALS: Columns = {
    "material": TEXT,
    "category": TEXT,
    "grade": TEXT,
    "e": units.PRESSURE,
    "g": units.PRESSURE,
    "poisson": units.NONE,
    "density": DENSITY,
    "strength": units.PRESSURE,
    "alpha": EXPANSION,
}
SURFACES: Columns = {
    "surface": TEXT,
    "id": TEXT,
    "class": TEXT,
    "thickness": units.LENGTH,
    "material": TEXT,
    "outline": units.LENGTH,
    "openings": units.LENGTH,
    "carries": TEXT,
    "span": TEXT,
    "stiff_in_plan": TEXT,
    "subgrade": SUBGRADE,
    "weight_share": units.NONE,
}
EDGES: Columns = {"surface": TEXT, "line": units.LENGTH, "support": TEXT, "support_axes": TEXT}
TIES: Columns = {
    "surface": TEXT,
    "to": TEXT,
    "part": TEXT,
    "node": TEXT,
    "line": units.LENGTH,
    "distance": units.LENGTH,
}
LEVELS: Columns = {"level": TEXT, "elevation": units.LENGTH}
CASES: Columns = {"case": TEXT, "kind": TEXT, "category": TEXT, "together": TEXT, "self_weight": TEXT}
COMBINATIONS: Columns = {"combination": TEXT, "kind": TEXT, "case": TEXT, "factor": units.NONE}
LOADS = "loads"  # read as load_table has it

TABLES: dict[str, Columns] = {
    "nodes": NODES,
    "members": MEMBERS,
    "sections": SECTIONS,
    "materials": MATERIALS,
    "slabs_and_walls": SURFACES,
    "edge_supports": EDGES,
    "ties": TIES,
    "levels": LEVELS,
    "cases": CASES,
    "combinations": COMBINATIONS,
}
NEEDED: dict[str, tuple[str, ...]] = {
    "nodes": ("node", "x", "y", "z"),
    "members": ("member", "start_node", "end_node"),
    "sections": ("section",),
    "materials": ("material",),
    "slabs_and_walls": ("surface", "thickness", "outline"),
    "edge_supports": ("surface", "line", "support"),
    "ties": ("surface", "to", "line"),
    "levels": ("level", "elevation"),
    "cases": ("case",),
    "combinations": ("combination", "case", "factor"),
}
