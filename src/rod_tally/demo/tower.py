"""A concrete building made to be taken in: flat slabs, columns, edge beams, a core with doors, a raft; any
height."""

from __future__ import annotations

from pathlib import Path

from .writer import IfcWriter

BAY, HEIGHT, SLAB, WALL = 7.2, 3.2, 0.25, 0.25
COLUMN, BEAM = 0.5, (0.25, 0.5)


def write_tower(
    path: Path,
    storeys: int,
    nx: int = 5,
    ny: int = 3,
    unit: str = "MILLIMETRE",
    schema: str = "IFC4",
    braced: bool = False,
) -> int:
    """Write the building as a physical IFC file; returns how many elements it has.

    Columns and walls run from the top of a slab to the underside of the next, as modellers draw them; edge
    beams hang below the slab's edge between the columns' faces. The core takes the bay in the middle, open
    towards +y by a door. `braced`: a steel brace a storey in the middle bay of the gable at x = 0."""
    w = IfcWriter("tower", schema, unit)
    concrete = w.material("C30/37", YoungModulus=33e9, MassDensity=2500)
    column = w.profile("Rectangle", "500x500", XDim=COLUMN, YDim=COLUMN)
    beam = w.profile("Rectangle", "250x500", XDim=BEAM[0], YDim=BEAM[1])
    steel = w.material("S355", YoungModulus=210e9, MassDensity=7850) if braced else None
    tube = w.profile("CircleHollow", "CHS 193.7x8", Radius=0.09685, WallThickness=0.008) if braced else None
    for s in range(storeys):
        w.storey(f"Level {s}", HEIGHT * s)
    w.storey("Roof", HEIGHT * storeys)
    count = 0
    ci, cj = nx // 2, ny // 2
    x0, x1, y0, y1 = BAY * ci, BAY * (ci + 1), BAY * cj, BAY * (cj + 1)
    core = {(i, j) for i in (ci, ci + 1) for j in (cj, cj + 1)}
    raft = w.block(
        "IfcSlab", "raft", (-1.0, -1.0, -0.8), (BAY * nx + 1.0, BAY * ny + 1.0, 0.0), concrete, "Level 0"
    )
    raft.PredefinedType = "BASESLAB"
    count += 1
    for s in range(storeys):
        low = HEIGHT * s
        top = HEIGHT * (s + 1)
        high = top - SLAB
        here, above = f"Level {s}", f"Level {s + 1}" if s + 1 < storeys else "Roof"
        for i in range(nx + 1):
            for j in range(ny + 1):
                if (i, j) in core:
                    continue
                x, y = BAY * i, BAY * j
                w.member(
                    "IfcColumn", f"C{s}-{i}{j}", (x, y, low), (x, y, high), column, concrete, here, (1, 0, 0)
                )
                count += 1
        h = WALL / 2
        for name, lower, upper in (
            ("west", (x0 - h, y0 - h, low), (x0 + h, y1 + h, high)),
            ("east", (x1 - h, y0 - h, low), (x1 + h, y1 + h, high)),
            ("south", (x0 + h, y0 - h, low), (x1 - h, y0 + h, high)),
            ("north", (x0 + h, y1 - h, low), (x1 - h, y1 + h, high)),
        ):
            wall = w.block("IfcWall", f"W{s}-{name}", lower, upper, concrete, here)
            count += 1
            if name == "north":
                w.opening(wall, "door", (x0 + 3.0, y1 - 1, low - 0.01), (x0 + 4.2, y1 + 1, low + 2.1))
        edge = COLUMN / 2
        slab = w.block(
            "IfcSlab", f"S{s}", (-edge, -edge, high), (BAY * nx + edge, BAY * ny + edge, top), concrete, above
        )
        count += 1
        if s + 1 < storeys:
            w.opening(slab, "shaft", (x0 + 0.5, y0 + 0.5, high - 0.1), (x0 + 3.0, y1 - 0.5, top + 0.1))
        z = high - BEAM[1] / 2
        for i in range(nx):
            for y in (0.0, BAY * ny):
                w.member(
                    "IfcBeam",
                    f"B{s}-x{i}",
                    (BAY * i + edge, y, z),
                    (BAY * (i + 1) - edge, y, z),
                    beam,
                    concrete,
                    above,
                )
                count += 1
        if braced:
            j = ny // 2
            a, b = (0.0, BAY * j, low), (0.0, BAY * (j + 1), high + SLAB / 2)
            w.member("IfcMember", f"D{s}", a, b, tube, steel, here)
            count += 1
        for j in range(ny):
            for x in (0.0, BAY * nx):
                w.member(
                    "IfcBeam",
                    f"B{s}-y{j}",
                    (x, BAY * j + edge, z),
                    (x, BAY * (j + 1) - edge, z),
                    beam,
                    concrete,
                    above,
                )
                count += 1
    w.write(path)
    return count
