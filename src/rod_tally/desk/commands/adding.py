"""Missing parts: which form asks for a member, a slab, a wall or an opening, and which edit comes of it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtWidgets import QFileDialog, QWidget
from shapely.geometry import Polygon

from ...model import Model, Surface
from ...model.catalogue.catalogue import catalogue
from ...model.edits import (
    AddMembers,
    AddOpenings,
    AddSurfaces,
    CloseOpening,
    Edit,
    SetOffset,
    copies,
    mirror_images,
    surface_copies,
)
from ...model.geometry.vectors import Array
from ...model.member_table import read_members
from ..forms.form import Field, Form
from ..forms.paste import PastePage
from ..session.session import Session
from ..session.state import DeskState

if TYPE_CHECKING:
    from ..making.drawing_page import DrawingPage

AROUND = "around these places"
RECTANGLE = "a rectangle"
CARRIES = {
    "in both directions, as a shell": "shell",
    "to its edges, by yield lines": "two-way",
    "to two edges": "one-way",
}
WALL_CARRIES = {"as a shell": "shell", "as one column with rigid arms": "column"}
MEMBERS_EXAMPLE = (
    "x1 [mm]\ty1 [mm]\tz1 [mm]\tx2 [mm]\ty2 [mm]\tz2 [mm]\tsection\tends\n0\t0\t3500\t6000\t0\t3500\tIPE 300\tpinned"
)
SIDE = 3.0  # m; of what is proposed where nothing is selected


class AddDesk:
    """Asks, and hands the edit to the session, which makes it with undo."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state
        self.form: Form | None = None
        self.drawing: DrawingPage | None = None
        self.page: PastePage | None = None

    @property
    def model(self) -> Model | None:
        return self.state.review.model if self.state.review else None

    def _ask(self, title: str, text: str, fields: list[Field], make: Any) -> None:
        def made(values: dict[str, Any]) -> None:
            edit: Edit | None = make(values)
            if edit is not None:
                self.session.correct(edit)

        self.form = Form(self.window, title, text, fields, made)
        self.form.open()

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
        materials = list(model.materials)
        fields = [
            *(Field(f"a{c}", f"start {c}", float(v), unit="m") for c, v in zip("xyz", a)),
            *(Field(f"b{c}", f"end {c}", float(v), unit="m") for c, v in zip("xyz", b)),
            Field("section", "section", beside.section if beside else sections[0], sections, free=True),
            Field("material", "material", beside.material if beside else materials[0] if materials else "", materials),
            Field("ends", "ends", "fixed", ["fixed", "pinned", "start pinned", "end pinned"]),
        ]  # fmt: skip

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
            self.window, "Members from a table", text, MEMBERS_EXAMPLE,
            lambda pasted: [AddMembers(read_members(pasted, model))], self.session.correct_all,
        )  # fmt: skip
        self.page.show()

    def ask_copy(self) -> None:
        """Copies of the selected parts, each a step farther: to other storeys, or along a row."""
        model, members, surfaces = self.model, self.state.chosen("member"), self.state.chosen("surface")
        if model is None or not (members or surfaces):
            return
        levels = sorted(s.elevation for s in model.storeys)
        steps = np.diff(levels)
        up = float(steps[0]) if len(steps) else 3.0
        fields = [
            Field("x", "step in x", 0.0, unit="m"), Field("y", "step in y", 0.0, unit="m"), Field("z", "step in z", up, unit="m"),
            Field("times", "copies", 1.0, low=1.0, high=200.0, digits=0),
        ]  # fmt: skip

        def made(v: dict[str, Any]) -> None:
            step, times = (v["x"], v["y"], v["z"]), int(v["times"])
            self._add(copies(model, members, step, times), surface_copies(model, surfaces, step, times))

        self._ask(
            "Copy", f"{self._count()}. Copies have sections, releases and openings; loads are not copied.", fields, made
        )

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
            self._add(*mirror_images(model, members, surfaces, axis, v["at"] - float(model.origin["xy".index(axis)])))

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
        ]  # fmt: skip

        def made(v: dict[str, Any]) -> None:
            by = [v[a] / 1000 for a in "xyz"]
            ends = {"start": [False], "end": [True], "both ends": [False, True]}[str(v["which"])]
            self.session.correct_all([SetOffset(members, at_end, by) for at_end in ends])

        text = f"{self._count()}. The end lies beside its node, tied by a rigid link; the first one's start is shown."
        self._ask("Offset of an end", text, fields, made)

    def _count(self) -> str:
        members, surfaces = len(self.state.chosen("member")), len(self.state.chosen("surface"))
        words = [f"{n} {w}{'s' if n != 1 else ''}" for n, w in ((members, "member"), (surfaces, "surface")) if n]
        return f"{' and '.join(words)} {'is' if members + surfaces == 1 else 'are'} selected"

    def _add(self, members: list[dict[str, Any]], surfaces: list[dict[str, Any]]) -> None:
        edits: list[Edit] = [AddMembers(members)] if members else []
        self.session.correct_all(edits + ([AddSurfaces(surfaces)] if surfaces else []))

    def ask_slab(self, drawn: list[Array] | None = None) -> None:
        """A slab around places that were `drawn` in their order (source's coordinates), or three or more selected nodes, or a
        rectangle on a level."""
        model = self.model
        if model is None:
            return
        points = drawn or self._chosen_points(model)
        levels = self._levels(model)
        beside = self._like(model, False)
        low, high = self._reach(points, model)
        level = min(levels, key=lambda n: abs(levels[n] - low[2]), default="")
        ways = [AROUND, RECTANGLE] if len(points) > 2 else [RECTANGLE]
        fields = [
            Field("outline", "outline", ways[0], ways),
            Field("x", "from x, y", low[0], unit="m"), Field("y", "y", low[1], unit="m", beside=True),
            Field("x2", "to x, y", high[0], unit="m"), Field("y2", "y", high[1], unit="m", beside=True),
            Field("level", "level, or height in m", level or f"{low[2]:.3f}", [*levels] or [f"{low[2]:.3f}"], free=True),
            *self._made_of(model, beside, 200.0),
            Field("way", "carries", next(iter(CARRIES)), list(CARRIES)),
        ]  # fmt: skip

        def made(v: dict[str, Any]) -> Edit | None:
            if v["outline"] == AROUND:
                corners = np.array(drawn) if drawn else in_order(points)
            else:
                z = self._height(levels, str(v["level"]))
                if z is None:
                    return None
                corners = np.array(
                    [(x, y, z) for x, y in ((v["x"], v["y"]), (v["x2"], v["y"]), (v["x2"], v["y2"]), (v["x"], v["y2"]))]
                )
            return self._surface(model, corners, v, CARRIES[str(v["way"])], "slab")

        text = (
            f"{len(points)} {'corners were drawn' if drawn else 'nodes are selected'}. "
            if points
            else "Select three or more nodes first for a slab between them. "
        ) + "It is tied to the walls, beams and columns that it touches."
        self._ask("Add a slab", text, fields, made)

    def ask_wall(self, drawn: list[Array] | None = None) -> None:
        """A wall between two places that were `drawn` (source's coordinates), or selected nodes, from one level to another."""
        model = self.model
        if model is None:
            return
        points = drawn or self._chosen_points(model)
        levels = self._levels(model)
        beside = self._like(model, True)
        low, high = self._reach(points, model)
        a, b = (points[0], points[1]) if len(points) == 2 else (np.array(low), np.array([high[0], low[1], low[2]]))
        names = list(levels)
        first = min(names, key=lambda n: abs(levels[n] - low[2]), default=f"{low[2]:.3f}")
        top = next((n for n in names if levels[n] > levels.get(first, 0.0) + 0.1), f"{low[2] + SIDE:.3f}")
        fields = [
            Field("x", "from x, y", float(a[0]), unit="m"), Field("y", "y", float(a[1]), unit="m", beside=True),
            Field("x2", "to x, y", float(b[0]), unit="m"), Field("y2", "y", float(b[1]), unit="m", beside=True),
            Field("foot", "foot: level, or height in m", first, names or [first], free=True),
            Field("head", "top: level, or height in m", top, names or [top], free=True),
            *self._made_of(model, beside, 200.0),
            Field("way", "carries", next(iter(WALL_CARRIES)), list(WALL_CARRIES)),
        ]  # fmt: skip

        def made(v: dict[str, Any]) -> Edit | None:
            z, z2 = self._height(levels, str(v["foot"])), self._height(levels, str(v["head"]))
            if z is None or z2 is None:
                return None
            p, q = (v["x"], v["y"]), (v["x2"], v["y2"])
            corners = np.array([(*p, z), (*q, z), (*q, z2), (*p, z2)], float)
            return self._surface(model, corners, v, WALL_CARRIES[str(v["way"])], "wall")

        text = "Between two places in plan; two selected nodes are filled in. It is tied to what it touches. Its foot is not held: Model, Held edges… does that."
        self._ask("Add a wall", text, fields, made)

    def ask_opening(self) -> None:
        """A rectangular opening in the picked slab or wall: in plan, or along the wall's foot and above it."""
        model, ids = self.model, self.state.chosen("surface")
        if model is None or len(ids) != 1:
            self.session.said.emit("Pick the slab or wall that the opening is cut into")
            return
        s = model.surfaces[ids[0]]
        if s.upright:
            foot, way, length, height = upright_frame(s)
            fields = [
                Field("along", "from its edge", length / 2 - 0.5, unit="m", low=0.0), Field("width", "width", 1.0, unit="m", low=0.01),
                Field("above", "above its foot", 0.0, unit="m", low=0.0), Field("height", "height", min(2.1, height), unit="m", low=0.01),
            ]  # fmt: skip
            x, y = foot[:2] + model.origin[:2]
            text = f"{s.name or s.id}, {length:.2f} m long and {height:.2f} m high; its edge is that at ({x:.2f}, {y:.2f})."
        else:
            flat = s.outer + model.origin
            low, high = flat.min(axis=0), flat.max(axis=0)
            middle = (low + high) / 2
            fields = [
                Field("x", "from x, y", float(middle[0] - 0.5), unit="m"), Field("y", "y", float(middle[1] - 0.5), unit="m", beside=True),
                Field("x2", "to x, y", float(middle[0] + 0.5), unit="m"), Field("y2", "y", float(middle[1] + 0.5), unit="m", beside=True),
            ]  # fmt: skip
            text = (
                f"{s.name or s.id} lies between ({low[0]:.2f}, {low[1]:.2f}) and ({high[0]:.2f}, {high[1]:.2f}). "
                "What is tied to it in the opening alone is tied no more."
            )

        def made(v: dict[str, Any]) -> Edit:
            if s.upright:
                corners = [
                    foot + way * x + np.array([0, 0, z])
                    for x, z in (
                        (v["along"], v["above"]),
                        (v["along"] + v["width"], v["above"]),
                        (v["along"] + v["width"], v["above"] + v["height"]),
                        (v["along"], v["above"] + v["height"]),
                    )
                ]
            else:
                plan = ((v["x"], v["y"]), (v["x2"], v["y"]), (v["x2"], v["y2"]), (v["x"], v["y2"]))
                corners = [on_plane(s, np.array(p) - model.origin[:2]) for p in plan]
            return AddOpenings([{"surface": s.id, "outline": np.array(corners).tolist()}])

        self._ask("Cut an opening", text, fields, made)

    def ask_drawing(self) -> None:
        """Parts of a plan, layer by layer."""
        path, _ = QFileDialog.getOpenFileName(self.window, "A plan", "", "Drawings (*.dxf)")
        if path:
            self.open_drawing(Path(path))

    def open_drawing(self, path: Path) -> None:
        """The page that says what the layers of a drawing stand for."""
        if self.model is None:
            return
        from ..making.drawing_page import (
            opened,  # loads the library for drawings, which the window's start does not wait for
        )

        found = opened(self.window, self.model, path, self.session.correct_all)
        if isinstance(found, str):
            self.session.failed.emit("Parts from a drawing", found)
        else:
            self.drawing = found

    def ask_close(self) -> None:
        """Close an opening of the picked slab or wall."""
        model, ids = self.model, self.state.chosen("surface")
        if model is None or len(ids) != 1 or not model.surfaces[ids[0]].openings:
            self.session.said.emit("Pick a slab or wall that has an opening")
            return
        s = model.surfaces[ids[0]]
        names: dict[str, Array] = {}
        for k, o in enumerate(s.openings, 1):
            at = o.mean(axis=0)
            x, y, z = at + model.origin
            names[f"{k}: {Polygon(s.flat(o)).area:.2f} m² at ({x:.2f}, {y:.2f}, {z:.2f})"] = at
        fields = [Field("which", "opening", next(iter(names)), list(names))]
        self._ask(
            "Close an opening", f"{s.name or s.id} has {len(names)}.", fields,
            lambda v: CloseOpening(s.id, names[str(v["which"])].tolist()),
        )  # fmt: skip

    # -- what is proposed ----------------------------------------------------------------------------------------------

    def _chosen_points(self, model: Model) -> list[Array]:
        """Places (3,) of the selected nodes, in the source's coordinates."""
        return [model.nodes[n].point + model.origin for n in self.state.chosen("node") if n in model.nodes]

    @staticmethod
    def _levels(model: Model) -> dict[str, float]:
        """Heights (m) of the storeys, in the source's coordinates, lowest first."""
        found = sorted(model.storeys, key=lambda s: s.elevation)
        return {
            f"{s.name} ({s.elevation + model.origin[2]:.2f} m)": float(s.elevation + model.origin[2]) for s in found
        }

    def _height(self, levels: dict[str, float], words: str) -> float | None:
        """The height (m) of a level's name, or a number; None, and a message, for anything else."""
        try:
            return levels[words] if words in levels else float(words.replace(",", ".").removesuffix("m"))
        except ValueError:
            self.session.said.emit(f"{words!r} is neither a level nor a height in m")
            return None

    @staticmethod
    def _reach(points: list[Array], model: Model) -> tuple[list[float], list[float]]:
        """Two corners of what is proposed: around the points, else a square at the model's own corner."""
        if points:
            all_of = np.array(points)
        else:
            nodes = np.array([n.point for n in model.nodes.values()]).reshape(-1, 3)
            at = (nodes.min(axis=0) if len(nodes) else np.zeros(3)) + model.origin
            all_of = np.array([at, at + [SIDE, SIDE, 0.0]])
        return all_of.min(axis=0).tolist(), all_of.max(axis=0).tolist()

    def _like(self, model: Model, upright: bool) -> Surface | None:
        """The surface whose thickness and material are proposed: the selected one, else the first of its kind."""
        chosen = [model.surfaces[i] for i in self.state.chosen("surface") if i in model.surfaces]
        return next((s for s in (*chosen, *model.surfaces.values()) if s.upright == upright), None)

    @staticmethod
    def _made_of(model: Model, beside: Surface | None, usual: float) -> list[Field]:
        materials = list(model.materials)
        return [
            Field(
                "thickness",
                "thickness",
                beside.thickness * 1000 if beside else usual,
                unit="mm",
                low=1.0,
                high=1e4,
                digits=1,
            ),
            Field("material", "material", beside.material if beside else materials[0] if materials else "", materials),
        ]

    @staticmethod
    def _surface(model: Model, corners: Array, v: dict[str, Any], way: str, cls: str) -> Edit:
        """`corners` (n, 3) in the source's coordinates."""
        part = {"outline": (corners - model.origin).tolist(), "thickness": float(v["thickness"]) / 1000}
        return AddSurfaces([part | {"material": str(v["material"]), "way": way, "class": cls}])


def in_order(points: list[Array]) -> Array:
    """Points (n, 3) of one plane in their order around their middle."""
    all_of = np.array(points)
    middle = all_of.mean(axis=0)
    _, _, axes = np.linalg.svd(all_of - middle)
    flat = (all_of - middle) @ axes[:2].T
    return np.asarray(all_of[np.argsort(np.arctan2(flat[:, 1], flat[:, 0]))])


def upright_frame(s: Surface) -> tuple[Array, Array, float, float]:
    """A wall's lower corner (3,), its level direction (3,), its length and its height, m."""
    level = np.cross([0.0, 0.0, 1.0], s.plain_axes[2])
    level = level / np.linalg.norm(level)
    along = s.outer @ level
    low, high = float(s.outer[:, 2].min()), float(s.outer[:, 2].max())
    first = s.outer[int(along.argmin())]
    foot = np.array([first[0], first[1], low])
    return foot, level, float(np.ptp(along)), high - low


def on_plane(s: Surface, plan: Array) -> Array:
    """The point (3,) of a slab's plane above or below a place (2,) in plan."""
    n = s.plain_axes[2]
    z = s.outer[0, 2] - float((plan - s.outer[0, :2]) @ n[:2]) / float(n[2])
    return np.array([plan[0], plan[1], z])
