"""Missing members and copies of parts: which form asks for them, and which edit comes of it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtWidgets import QFileDialog

from ...model import Model
from ...model.catalogue.catalogue import catalogue
from ...model.catalogue.grades import grades
from ...model.edits import (
    AddMembers,
    AddStoreys,
    AddSurfaces,
    Edit,
    EditError,
    SetOffset,
    copies,
    copies_on_levels,
    mirror_images,
    surface_copies,
)
from ...model.member_table import read_members
from ..forms.asking import Asking
from ..forms.form import Field
from ..forms.paste import PastePage
from .beginning import levels_of

if TYPE_CHECKING:
    from .drawing_page import DrawingPage

MEMBERS_EXAMPLE = "x1 [mm]\ty1 [mm]\tz1 [mm]\tx2 [mm]\ty2 [mm]\tz2 [mm]\tsection\tends\n0\t0\t3500\t6000\t0\t3500\tIPE 300\tpinned"


ALL_STOREYS = "all of them"


class AddDesk(Asking):
    """Members, and copies of members and surfaces, each by one form; parts of a drawing and of a table."""

    drawing: DrawingPage | None = None
    page: PastePage | None = None

    def ask_member(self) -> None:
        """A missing member by its two ends; between two selected nodes they are filled in."""
        model = self.model
        if model is None:
            return
        nodes = self.state.chosen("node")[:2]
        points = [model.nodes[n].point + model.origin for n in nodes]
        a = points[0] if points else model.origin
        b = points[1] if len(points) > 1 else a + [0.0, 0.0, 3.0]
        beside = next((model.members[i] for i in self.state.chosen("member")), None)
        sections = list(dict.fromkeys([*model.sections, *catalogue()]))
        materials = list(dict.fromkeys([*model.materials, *grades()]))
        fields = [
            *(Field(f"a{c}", f"start {c}", float(v), unit="m") for c, v in zip("xyz", a)),
            *(Field(f"b{c}", f"end {c}", float(v), unit="m") for c, v in zip("xyz", b)),
            Field(
                "section",
                "section",
                beside.section if beside else next(iter(model.sections), "IPE 300"),
                sections,
                free=True,
            ),
            Field(
                "material",
                "material",
                beside.material if beside else next(iter(model.materials), "S355"),
                materials,
            ),
            Field("ends", "ends", "fixed", ["fixed", "pinned", "start pinned", "end pinned"]),
        ]

        def made(v: dict[str, Any]) -> Edit:
            ends = [[v[f"{e}{c}"] - float(model.origin["xyz".index(c)]) for c in "xyz"] for e in "ab"]
            part = {"start": ends[0], "end": ends[1], "section": v["section"], "material": v["material"]}
            part |= {
                "pinned_start": v["ends"] in ("pinned", "start pinned"),
                "pinned_end": v["ends"] in ("pinned", "end pinned"),
            }
            return AddMembers([part])

        text = "Each end takes the node that lies there, or a joint of the member that passes, or a node of its own."
        self._ask("Add a member", text, fields, made)

    def paste_members(self) -> None:
        """Members from a table of their ends."""
        model = self.model
        if model is None:
            return
        text = (
            "Columns: x1 y1 z1 x2 y2 z2 (m, or with a unit as in x1 [mm]), or start and end (nodes); section, material, name, class, ends "
            "(fixed, pinned, start pinned, end pinned). An empty section or material is that of the row above."
        )
        self.page = PastePage(
            self.window,
            "Members from a table",
            text,
            MEMBERS_EXAMPLE,
            lambda pasted: [AddMembers(read_members(pasted, model))],
            self.session.correct_all,
        )
        self.page.show()

    def ask_copy(self) -> None:
        """Copies of the selected parts, each a step farther: to other storeys, or along a row."""
        model, members, surfaces = self.model, self.state.chosen("member"), self.state.chosen("surface")
        if model is None or not (members or surfaces):
            return
        levels = sorted(s.elevation for s in model.storeys)
        steps = np.diff(levels)
        up = float(steps[0]) if len(steps) else 3.0
        names = self._free_storeys(model, members, surfaces)
        fields = [
            Field("x", "step in x", 0.0, unit="m"),
            Field("y", "step in y", 0.0, unit="m"),
            Field("z", "step in z", up, unit="m"),
            Field("times", "copies", 1.0, low=1.0, high=200.0, digits=0),
            Field("levels", "or on storeys", "", ["", *names, ALL_STOREYS], free=True),
        ]

        def made(v: dict[str, Any]) -> None:
            wanted = str(v["levels"]).strip()
            if wanted:
                chosen = names if wanted == ALL_STOREYS else [n.strip() for n in wanted.split(",")]
                try:
                    self._add(*copies_on_levels(model, members, surfaces, chosen))
                except EditError as error:
                    self.session.failed.emit("Copy", f"{error}.")
                return
            step, times = (v["x"], v["y"], v["z"]), int(v["times"])
            self._add(copies(model, members, step, times), surface_copies(model, surfaces, step, times))

        self._ask(
            "Copy",
            f"{self._count()}. Copies have sections, releases and openings; loads are not copied. On storeys (several with commas between) they "
            "reach from level to level there, whatever its height, and the step does not count.",
            fields,
            made,
        )

    @staticmethod
    def _free_storeys(model: Model, members: list[str], surfaces: list[str]) -> list[str]:
        """Storeys that the parts can be copied to: not their own, and with levels enough above."""
        out = []
        for s in model.storeys:
            try:
                copies_on_levels(model, members, surfaces, [s.name])
            except EditError:
                continue
            out.append(s.name)
        return out

    def ask_storeys(self) -> None:
        """Further levels of the building."""
        model = self.model
        if model is None:
            return
        top = max((s.elevation for s in model.storeys), default=-3.0) + float(model.origin[2])
        proposed = f"Level {len(model.storeys) + 1} = {top + 3.0:g}"
        fields = [Field("levels", "levels", proposed, [proposed], free=True)]
        text = "Name = height in m, several with commas between: First = 4.2, Second = 7.8. Parts that are there keep their storey."

        def made(v: dict[str, Any]) -> Edit | None:
            try:
                return AddStoreys(
                    [
                        {"name": n, "at": [0.0, 0.0, z - float(model.origin[2])]}
                        for n, z in levels_of(str(v["levels"]))
                    ]
                )
            except ValueError as error:
                self.session.failed.emit("Add storeys", f"{error}.")
                return None

        self._ask("Add storeys", text, fields, made)

    def ask_mirror(self) -> None:
        """The images of the selected parts in an upright plane."""
        model, members, surfaces = self.model, self.state.chosen("member"), self.state.chosen("surface")
        if model is None or not (members or surfaces):
            return
        nodes = np.array([n.point for n in model.nodes.values()]).reshape(-1, 3) + model.origin
        middle = (nodes.min(axis=0) + nodes.max(axis=0)) / 2 if len(nodes) else np.zeros(3)
        fields = [
            Field("axis", "square to", "x", ["x", "y"]),
            Field("at", "through", float(middle[0]), unit="m"),
        ]

        def made(v: dict[str, Any]) -> None:
            axis = str(v["axis"])
            self._add(
                *mirror_images(
                    model, members, surfaces, axis, v["at"] - float(model.origin["xy".index(axis)])
                )
            )

        text = f"{self._count()}. Their images in an upright plane are added; loads are not."
        self._ask("Mirror", text, fields, made)

    def ask_offset(self) -> None:
        """One end of the selected members beside its node."""
        model, members = self.model, self.state.chosen("member")
        if model is None or not members:
            return
        now = model.members[members[0]].offset_start
        fields = [
            Field("which", "at", "start", ("start", "end", "both ends")),
            *(Field(a, f"along {a}", float(v) * 1000, unit="mm", digits=1) for a, v in zip("xyz", now)),
        ]

        def made(v: dict[str, Any]) -> None:
            by = [v[a] / 1000 for a in "xyz"]
            ends = {"start": [False], "end": [True], "both ends": [False, True]}[str(v["which"])]
            self.session.correct_all([SetOffset(members, at_end, by) for at_end in ends])

        text = f"{self._count()}. The end lies beside its node, tied by a rigid link; the first one's start is shown."
        self._ask("Offset of an end", text, fields, made)

    def _count(self) -> str:
        members, surfaces = len(self.state.chosen("member")), len(self.state.chosen("surface"))
        words = [
            f"{n} {w}{'s' if n != 1 else ''}" for n, w in ((members, "member"), (surfaces, "surface")) if n
        ]
        return f"{' and '.join(words)} {'is' if members + surfaces == 1 else 'are'} selected"

    def _add(self, members: list[dict[str, Any]], surfaces: list[dict[str, Any]]) -> None:
        edits: list[Edit] = [AddMembers(members)] if members else []
        self.session.correct_all(edits + ([AddSurfaces(surfaces)] if surfaces else []))

    def ask_drawing(self) -> None:
        """Parts of a plan, layer by layer."""
        path, _ = QFileDialog.getOpenFileName(self.window, "A plan", "", "Drawings (*.dxf)")
        if path:
            self.open_drawing(Path(path))

    def open_drawing(self, path: Path) -> None:
        """The page that says what the layers of a drawing stand for."""
        if self.model is None:
            return
        from .drawing_page import (
            opened,  # loads the library for drawings, which the window's start does not wait for
        )

        found = opened(self.window, self.model, path, self.session.correct_all)
        if isinstance(found, str):
            self.session.failed.emit("Parts from a drawing", found)
        else:
            self.drawing = found
