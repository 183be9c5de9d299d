"""Missing slabs, walls and openings: which form asks for one, and which edit comes of it."""

from __future__ import annotations

from typing import Any

import numpy as np
from shapely.geometry import Polygon

from ...model import Model, Surface
from ...model.catalogue.grades import grades
from ...model.edits import AddOpenings, AddSurfaces, CloseOpening, Edit
from ...model.geometry.vectors import Array
from ..forms.asking import Asking
from ..forms.form import Field

AROUND = "around these places"
RECTANGLE = "a rectangle"
CARRIES = {
    "in both directions, as a shell": "shell",
    "to its edges, by yield lines": "two-way",
    "to two edges": "one-way",
}
WALL_CARRIES = {"as a shell": "shell", "as one column with rigid arms": "column"}
SIDE = 3.0  # m; of what is proposed where nothing is selected


class SurfaceDesk(Asking):
    """Slabs, walls and openings, each by one form."""

    def ask_slab(self, drawn: list[Array] | None = None) -> None:
        """A slab around places that were `drawn` in their order (source's coordinates), or three or more
        selected nodes, or a rectangle on a level."""
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
            Field("x", "from x, y", low[0], unit="m"),
            Field("y", "y", low[1], unit="m", beside=True),
            Field("x2", "to x, y", high[0], unit="m"),
            Field("y2", "y", high[1], unit="m", beside=True),
            Field(
                "level",
                "level, or height in m",
                level or f"{low[2]:.3f}",
                [*levels] or [f"{low[2]:.3f}"],
                free=True,
            ),
            *self._made_of(model, beside, 200.0),
            Field("way", "carries", next(iter(CARRIES)), list(CARRIES)),
        ]

        def made(v: dict[str, Any]) -> Edit | None:
            if v["outline"] == AROUND:
                corners = np.array(drawn) if drawn else in_order(points)
            else:
                z = self._height(levels, str(v["level"]))
                if z is None:
                    return None
                corners = np.array(
                    [
                        (x, y, z)
                        for x, y in (
                            (v["x"], v["y"]),
                            (v["x2"], v["y"]),
                            (v["x2"], v["y2"]),
                            (v["x"], v["y2"]),
                        )
                    ]
                )
            return self._surface(model, corners, v, CARRIES[str(v["way"])], "slab")

        text = (
            f"{len(points)} {'corners were drawn' if drawn else 'nodes are selected'}. "
            if points
            else "Select three or more nodes first for a slab between them. "
        ) + "It is tied to the walls, beams and columns that it touches."
        self._ask("Add a slab", text, fields, made)

    def ask_wall(self, drawn: list[Array] | None = None) -> None:
        """A wall between two places that were `drawn` (source's coordinates), or selected nodes, from one
        level to another."""
        model = self.model
        if model is None:
            return
        points = drawn or self._chosen_points(model)
        levels = self._levels(model)
        beside = self._like(model, True)
        low, high = self._reach(points, model)
        a, b = (
            (points[0], points[1])
            if len(points) == 2
            else (np.array(low), np.array([high[0], low[1], low[2]]))
        )
        names = list(levels)
        first = min(names, key=lambda n: abs(levels[n] - low[2]), default=f"{low[2]:.3f}")
        top = next((n for n in names if levels[n] > levels.get(first, 0.0) + 0.1), f"{low[2] + SIDE:.3f}")
        fields = [
            Field("x", "from x, y", float(a[0]), unit="m"),
            Field("y", "y", float(a[1]), unit="m", beside=True),
            Field("x2", "to x, y", float(b[0]), unit="m"),
            Field("y2", "y", float(b[1]), unit="m", beside=True),
            Field("foot", "foot: level, or height in m", first, names or [first], free=True),
            Field("head", "top: level, or height in m", top, names or [top], free=True),
            *self._made_of(model, beside, 200.0),
            Field("way", "carries", next(iter(WALL_CARRIES)), list(WALL_CARRIES)),
        ]

        def made(v: dict[str, Any]) -> Edit | None:
            z, z2 = self._height(levels, str(v["foot"])), self._height(levels, str(v["head"]))
            if z is None or z2 is None:
                return None
            p, q = (v["x"], v["y"]), (v["x2"], v["y2"])
            corners = np.array([(*p, z), (*q, z), (*q, z2), (*p, z2)], float)
            return self._surface(model, corners, v, WALL_CARRIES[str(v["way"])], "wall")

        text = "Between two places in plan; two selected nodes are filled in. It is tied to what it touches. Its foot is not held: Model, Line supports on edges… does that."
        self._ask("Add a wall", text, fields, made)

    def ask_opening(self) -> None:
        """A rectangular opening in the picked slab or wall: in plan, or along the wall's foot and above
        it."""
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
            "Close an opening",
            f"{s.name or s.id} has {len(names)}.",
            fields,
            lambda v: CloseOpening(s.id, names[str(v["which"])].tolist()),
        )

    # -- what is proposed ------------------------------------------------------------------------------------

    def _chosen_points(self, model: Model) -> list[Array]:
        """Places (3,) of the selected nodes, in the source's coordinates."""
        return [model.nodes[n].point + model.origin for n in self.state.chosen("node") if n in model.nodes]

    @staticmethod
    def _levels(model: Model) -> dict[str, float]:
        """Heights (m) of the storeys, in the source's coordinates, lowest first."""
        found = sorted(model.storeys, key=lambda s: s.elevation)
        return {
            f"{s.name} ({s.elevation + model.origin[2]:.2f} m)": float(s.elevation + model.origin[2])
            for s in found
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
        """The surface whose thickness and material are proposed: the selected one, else the first of its
        kind."""
        chosen = [model.surfaces[i] for i in self.state.chosen("surface") if i in model.surfaces]
        return next((s for s in (*chosen, *model.surfaces.values()) if s.upright == upright), None)

    @staticmethod
    def _made_of(model: Model, beside: Surface | None, usual: float) -> list[Field]:
        materials = list(dict.fromkeys([*model.materials, *grades()]))
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
            Field(
                "material",
                "material",
                beside.material if beside else next(iter(model.materials), "C30/37"),
                materials,
            ),
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
