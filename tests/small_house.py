"""A house as an architect's program writes it: a base slab whose class says floor, walls on it, an upper
floor, rafters over a ridge purlin on a post that stands on the upper floor; materials named in German. Its
faults: the rafters' material says nothing and only touches what they lie on, an inner wall ends 60 mm
below the floor, and the beam of a porch stops 120 mm short of the wall."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from rod_tally.demo.writer import IfcWriter

LENGTH, WIDTH, WALL = 9.0, 7.0, 0.24  # m
HEIGHT, SLAB, BASE = 2.75, 0.2, 0.25
EAVES, RIDGE = 3.15, 5.85  # heights of the wall plate's and of the ridge purlin's axis
RAFTERS = 10


def write_house(path: Path) -> Path:
    w = IfcWriter("house", "IFC4", "MILLIMETRE")
    w.storey("Erdgeschoss", 0.0)
    w.storey("Dachgeschoss", HEIGHT + SLAB)
    concrete, brick = w.material("Stahlbeton C25/30"), w.material("Kalksandstein")
    timber, other, bare = w.material("KVH C24"), w.material("Brettschichtholz"), w.material("Massiv")
    w.block("IfcSlab", "Bodenplatte", (0, 0, -BASE), (LENGTH, WIDTH, 0), concrete, "Erdgeschoss")
    w.block("IfcSlab", "Decke EG", (0, 0, HEIGHT), (LENGTH, WIDTH, HEIGHT + SLAB), concrete, "Erdgeschoss")

    def wall(name: str, low: tuple[float, float], high: tuple[float, float], z: float, top: float) -> None:
        storey = "Erdgeschoss" if z < 1 else "Dachgeschoss"
        w.block("IfcWall", name, (*low, z), (*high, top), brick, storey)

    wall("IW 2", (6.5, 3.0), (6.5 + WALL, WIDTH - WALL), 0.0, HEIGHT - 0.06)
    for name, low, high in (
        ("AW Süd", (0, 0), (LENGTH, WALL)),
        ("AW Nord", (0, WIDTH - WALL), (LENGTH, WIDTH)),
        ("AW West", (0, WALL), (WALL, WIDTH - WALL)),
        ("AW Ost", (LENGTH - WALL, WALL), (LENGTH, WIDTH - WALL)),
        ("IW 1", (4.0, WALL), (4.0 + WALL, WIDTH - WALL)),
    ):
        wall(name, low, high, 0.0, HEIGHT)
    # gables up to the ridge purlin, as rectangles
    for name, x in (("Giebel West", 0.0), ("Giebel Ost", LENGTH - WALL)):
        wall(name, (x, 2.5), (x + WALL, 4.5), HEIGHT + SLAB, RIDGE - 0.12)
    plate = w.profile("Rectangle", "14/14", XDim=0.14, YDim=0.14)
    ridge = w.profile("Rectangle", "14/24", XDim=0.14, YDim=0.24)
    spar = w.profile("Rectangle", "8/18", XDim=0.08, YDim=0.18)
    z = HEIGHT + SLAB + 0.07
    for name, y in (("Fusspfette Süd", 0.12), ("Fusspfette Nord", WIDTH - 0.12)):
        w.member("IfcBeam", name, (0, y, z), (LENGTH, y, z), plate, timber, "Dachgeschoss")
    w.member(
        "IfcBeam",
        "Firstpfette",
        (0, WIDTH / 2, RIDGE),
        (LENGTH, WIDTH / 2, RIDGE),
        ridge,
        other,
        "Dachgeschoss",
    )
    w.member(
        "IfcColumn", "Stiel", (LENGTH / 2, WIDTH / 2, HEIGHT + SLAB), (LENGTH / 2, WIDTH / 2, RIDGE - 0.12), plate, timber,
        "Dachgeschoss",
    )  # fmt: skip
    w.member("IfcColumn", "Stütze Vordach", (2.0, -1.6, 0.0), (2.0, -1.6, 1.93), plate, timber, "Erdgeschoss")
    w.member("IfcBeam", "Vordach", (2.0, -1.6, 2.0), (2.0, -0.12, 2.0), plate, timber, "Erdgeschoss")
    # rafters pass over the plate and over the ridge purlin, from the eaves to the ridge
    slope = (RIDGE + 0.12 + 0.09 / np.cos(0.7) - (z + 0.07 + 0.11)) / (WIDTH / 2 - 0.12)

    def at(y: float, x: float, side: int) -> tuple[float, float, float]:
        height = z + 0.07 + 0.09 * np.sqrt(1 + slope**2) + slope * (y - 0.12)
        return x + 0.05 * side, y if side == 0 else WIDTH - y, float(height)

    for k in range(RAFTERS):
        x = 0.5 + (LENGTH - 1.05) * k / (RAFTERS - 1)
        for side in (0, 1):
            w.member(
                "IfcMember",
                f"Sparren {'SN'[side]}{k}",
                at(-0.4, x, side),
                at(WIDTH / 2 - 0.02, x, side),
                spar,
                bare,
                "Dachgeschoss",
            )
    w.write(path)
    return path
