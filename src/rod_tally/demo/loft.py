"""The Tern Quay sail loft as IFC, revisions A and B. `python -m rod_tally.demo.loft DIR` writes both.

A three-storey steel frame on a harbour with a concrete stair core, floors with a stair opening and a braced
gable. Revision A carries faults, so that a review has something to find. Revision B mends them; the
sailmakers want a second hoist and a skylight, the braces and one floor grow, and two joists give way to a
duct."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from .writer import IfcWriter

X = {"A": 0.0, "B": 5.4, "C": 10.8, "D": 16.2, "E": 21.6}
Y = {"1": 0.0, "2": 5.0, "3": 11.0, "4": 16.0}
LEVELS = (("Quay", 0.0), ("Loft", 4.2), ("Rigging", 7.8), ("Roof", 11.4))
H_COLUMN = 0.2
CORE = ((16.6, 5.6), (19.6, 10.4))  # plan corners of the stair core
HOIST, LONGER = 4.4, 5.6  # m, how far the hoist beams reach over the water
ASIDE = {"Rigging A-34": 0.045, "Rigging B-34": 0.035}  # joists that revision B moves, m in plan
GONE = ("Roof B-23", "Roof C-23")  # joists below the skylight of revision B
SKYLIGHT = ((6.0, 6.2), (15.6, 9.8))  # plan corners


class Loft:
    """One revision being written."""

    def __init__(self, revision: str) -> None:
        self.b = revision == "B"
        w = self.w = IfcWriter("Tern Quay sail loft", "IFC4", "MILLIMETRE", f"tern quay {revision}")
        for name, z in LEVELS:
            w.storey(name, z)
        self.steel = w.material("S355", YoungModulus=210e9, ShearModulus=81e9, MassDensity=7850)
        self.concrete = w.material("C30/37")
        # EN 10365 dimensions
        self.column = w.i_profile("HE 200 B", 0.2, 0.2, 0.009, 0.015, 0.018)
        self.main = w.i_profile("IPE 300", 0.3, 0.15, 0.0071, 0.0107, 0.015)
        self.large = w.i_profile("IPE 360", 0.36, 0.17, 0.008, 0.0127, 0.018)
        self.minor = w.i_profile("IPE 220", 0.22, 0.11, 0.0059, 0.0092, 0.012)
        self.tube = w.profile("CircleHollow", "CHS 114.3x5", Radius=0.05715, WallThickness=0.005)
        self.tube_b = w.profile("CircleHollow", "CHS 139.7x6.3", Radius=0.06985, WallThickness=0.0063)

    def make(self) -> IfcWriter:
        self._footings()
        self._columns()
        self._beams()
        self._gable()
        self._floors()
        self._grid()
        return self.w

    def _grid(self) -> None:
        self.w.grid(
            "Grid",
            {line: ((x, -2.0), (x, Y["4"] + 2.0)) for line, x in X.items()},
            {row: ((-2.0, y), (X["E"] + 2.0, y)) for row, y in Y.items()},
        )

    def _footings(self) -> None:
        for line in X:
            for row in Y:
                if line + row == "C2" and not self.b:
                    continue  # the step in the quay: nobody drew what this column stands on
                x, y = X[line], Y[row]
                self.w.block(
                    "IfcFooting",
                    f"F-{line}{row}",
                    (x - 0.6, y - 0.6, -0.5),
                    (x + 0.6, y + 0.6, 0),
                    self.concrete,
                    "Quay",
                )

    def _columns(self) -> None:
        for (storey, low), (_, high) in zip(LEVELS, LEVELS[1:]):
            for line in X:
                for row in Y:
                    x, y = X[line], Y[row]
                    base = low + (0.45 if line + row == "C2" and storey == "Quay" and not self.b else 0.0)
                    self.w.member(
                        "IfcColumn",
                        f"{storey} {line}{row}",
                        (x, y, base),
                        (x, y, high),
                        self.column,
                        self.steel,
                        storey,
                        (1, 0, 0),
                    )

    def beam(self, name: str, start: Any, end: Any, profile: Any, level: float, storey: str) -> None:
        """A beam with its top at `level`."""
        z = level - profile.OverallDepth * self.w.scale / 2
        self.w.member("IfcBeam", name, (*start, z), (*end, z), profile, self.steel, storey)

    def _beams(self) -> None:
        lines, rows = list(X), list(Y)
        face = H_COLUMN / 2
        for storey, level in LEVELS[1:]:
            for line in lines:  # main beams along y, face to face
                for r0, r1 in zip(rows, rows[1:]):
                    name = f"{storey} {line}{r0}-{line}{r1}"
                    stop = Y[r1] - face
                    if name == "Loft C2-C3" and not self.b:
                        stop -= 0.04  # drawn short of the column's face
                    self.beam(name, (X[line], Y[r0] + face), (X[line], stop), self.main, level, storey)
            for row in rows:  # beams along x
                for l0, l1 in zip(lines, lines[1:]):
                    name = f"{storey} {l0}{row}-{l1}{row}"
                    start, end = (X[l0] + face, Y[row]), (X[l1] - face, Y[row])
                    self.beam(name, start, end, self.main, level, storey)
                    if name == "Loft A1-B1" and not self.b:
                        self.beam("Loft A1-B1 bis", start, end, self.main, level, storey)
            for n, (l0, l1) in enumerate(zip(lines, lines[1:])):  # secondaries along x at mid-bay, web to web
                for r0, r1 in zip(rows, rows[1:]):
                    self._secondary(storey, level, f"{storey} {l0}-{r0}{r1}", n, l0, l1, (Y[r0] + Y[r1]) / 2)
        self._hoists()

    def _hoists(self) -> None:
        """The hoist beam over the water; in revision B it is longer and deeper, and has a twin with a tie
        between their ends."""
        level, face = LEVELS[1][1], H_COLUMN / 2
        reach = LONGER if self.b else HOIST
        profile = self.large if self.b else self.main
        self.beam("Loft hoist", (X["C"], -face), (X["C"], -reach), profile, level, "Loft")
        if self.b:
            self.beam("Loft hoist east", (X["D"], -face), (X["D"], -reach), profile, level, "Loft")
            self.beam(
                "Loft hoist tie", (X["C"] + 0.085, -5.4), (X["D"] - 0.085, -5.4), self.minor, level, "Loft"
            )

    def _secondary(self, storey: str, level: float, name: str, n: int, l0: str, l1: str, y: float) -> None:
        if (self.b and name in GONE) or (storey != "Roof" and l0 == "D" and 5 < y < 11):
            return  # the stair
        half = 0.075
        y += ASIDE.get(name, 0.0) if self.b else 0.0
        start, end = (X[l0] + half, y), (X[l1] - half, y)
        if name == "Roof A-23" and not self.b:
            self._named_only(name, start, end, level, storey)
        else:
            self.beam(name, start, end, self.minor, level, storey)

    def _named_only(self, name: str, start: Any, end: Any, level: float, storey: str) -> None:
        """A beam whose profile is a name and nothing else, with an axis in place of a body."""
        w, f = self.w, self.w.file
        profile = f.create_entity("IfcProfileDef", "AREA", "TQ 220/9 cold")
        z = level - 0.11
        base = dict((n, e) for n, e in LEVELS)[storey]
        axis = f.create_entity("IfcPolyline", [w.point((*start, z - base)), w.point((*end, z - base))])
        rep = f.create_entity("IfcShapeRepresentation", w.context, "Axis", "Curve3D", [axis])
        shape = f.create_entity("IfcProductDefinitionShape", None, None, [rep])
        entity, place, _ = w.storeys[storey]
        beam = w.root(
            "IfcBeam",
            name,
            ObjectPlacement=f.create_entity("IfcLocalPlacement", place, w.axes((0, 0, 0))),
            Representation=shape,
        )
        layer = f.create_entity("IfcMaterialProfile", "profile", None, self.steel, profile, None, None)
        profile_set = f.create_entity("IfcMaterialProfileSet", None, None, [layer], None)
        usage = f.create_entity("IfcMaterialProfileSetUsage", profile_set, 10, None)
        w.root("IfcRelAssociatesMaterial", None, RelatedObjects=[beam], RelatingMaterial=usage)
        w.root("IfcRelContainedInSpatialStructure", None, RelatedElements=[beam], RelatingStructure=entity)

    def _gable(self) -> None:
        for n, ((storey, low), (_, high)) in enumerate(zip(LEVELS, LEVELS[1:])):
            y0, y1 = (Y["2"], Y["3"]) if n % 2 == 0 else (Y["3"], Y["2"])
            for line in ("A", "E"):
                self.w.member(
                    "IfcMember",
                    f"{storey} brace {line}",
                    (X[line], y0, low),
                    (X[line], y1, high),
                    self.tube_b if self.b else self.tube,
                    self.steel,
                    storey,
                )

    def _floors(self) -> None:
        (x0, y0), (x1, y1) = CORE
        t = 0.2
        for (storey, low), (_, high) in zip(LEVELS, LEVELS[1:]):
            for side, lower, upper in (
                ("west", (x0, y0), (x0 + t, y1)),
                ("east", (x1 - t, y0), (x1, y1)),
                ("south", (x0 + t, y0), (x1 - t, y0 + t)),
                ("north", (x0 + t, y1 - t), (x1 - t, y1)),
            ):
                self.w.block(
                    "IfcWall", f"{storey} core {side}", (*lower, low), (*upper, high), self.concrete, storey
                )
        for storey, level in LEVELS[1:]:
            thick = 0.18 if self.b and storey == "Loft" else 0.15
            slab = self.w.block(
                "IfcSlab",
                f"{storey} floor",
                (-0.1, -0.1, level),
                (21.7, 16.1, level + thick),
                self.concrete,
                storey,
            )
            if storey != "Roof":
                self.w.opening(
                    slab, f"{storey} stair", (x0 + t, y0 + t, level - 0.1), (x1 - t, y1 - t, level + 0.3)
                )
            elif self.b:
                (u0, v0), (u1, v1) = SKYLIGHT
                self.w.opening(slab, "Roof skylight", (u0, v0, level - 0.1), (u1, v1, level + 0.3))


def make(revision: str) -> IfcWriter:
    """The writer of revision "A" or "B", ready to be written."""
    return Loft(revision).make()


def main() -> None:
    directory = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "data"
    directory.mkdir(parents=True, exist_ok=True)
    for revision in "AB":
        make(revision).write(directory / f"tern-quay-{revision.lower()}.ifc")


if __name__ == "__main__":
    main()
