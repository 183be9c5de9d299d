"""Recipes: what a model is made from. TOML; every key has a default but those a kind needs; errors name the key."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass, field, fields
from pathlib import Path
from typing import Any

from ..model.catalogue.catalogue import catalogue, near_names
from ..model.catalogue.grades import grades
from ..model.catalogue.own import SHAPES, own_section
from ..model.catalogue.shapes import ShapeError

KINDS = ("frame", "facade")
MOST = 100_000  # members; a recipe that asks for more is a slip of the pen
NEEDED = {"frame": ("storeys", "bays_x", "bays_y"), "facade": ("storeys", "spacings")}
FRAME_ONLY = ("bays_x", "bays_y", "slab", "slab_material")
FACADE_ONLY = ("spacings", "cross_members", "exceptions", "sideways", "pane_weight", "wind", "line_load")


class RecipeError(ValueError):
    """A recipe that no model can be made from; the message names the key and says why."""


@dataclass(slots=True)
class OtherHeights:
    """Other cross members in one storey, in one bay, or in one bay of one storey; both are counted from 1."""

    cross_members: list[float]
    storey: int | None = None
    bay: int | None = None


@dataclass(slots=True)
class LineLoad:
    """`value` (N/m) along +y at `height` (m) above each storey's level."""

    height: float
    value: float


@dataclass(slots=True)
class Recipe:
    """Lengths in m, loads in N. `sections` are sections of one's own: name to shape and sizes."""

    kind: str
    storeys: list[float]
    bays_x: list[float] = field(default_factory=list)
    bays_y: list[float] = field(default_factory=list)
    spacings: list[float] = field(default_factory=list)
    cross_members: list[float] = field(default_factory=lambda: [0.0])
    exceptions: list[OtherHeights] = field(default_factory=list)
    base_level: float = 0.0
    column: str = "HE 240 B"
    beam: str = "IPE 360"
    material: str = "S355"
    base: str = "fixed"
    beam_ends: str = "fixed"
    sideways: bool = False
    slab: float | None = None
    slab_material: str = "C30/37"
    pane_weight: float = 0.0
    wind: float = 0.0
    line_load: LineLoad | None = None
    sections: dict[str, dict[str, Any]] = field(default_factory=dict)
    name: str = ""

    @classmethod
    def read(cls, path: Path) -> Recipe:
        """Raises RecipeError, with the file's name, for one that cannot be used."""
        try:
            data = tomllib.loads(path.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
            raise RecipeError(f"{path}: the recipe cannot be read: {error}") from error
        try:
            recipe = cls.from_dict(data)
        except RecipeError as error:
            raise RecipeError(f"{path}: {error}") from error
        recipe.name = recipe.name or path.stem
        return recipe

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Recipe:
        """Raises RecipeError for an unknown key, a missing one, or a value that cannot be."""
        known = [f.name for f in fields(cls)]
        for key in data:
            if key not in known:
                raise RecipeError(f"unknown key {key}; known are {', '.join(known)}")
        kind = data.get("kind")
        if kind not in KINDS:
            raise RecipeError(f"kind is {kind!r}; it must be one of {', '.join(KINDS)}")
        for key in NEEDED[kind]:
            if key not in data:
                raise RecipeError(f"{key} is missing; a {kind} needs {', '.join(NEEDED[kind])}")
        for key in FACADE_ONLY if kind == "frame" else FRAME_ONLY:
            if key in data:
                raise RecipeError(f"{key} is for the other kind, not for a {kind}")
        values: dict[str, Any] = {"kind": kind}
        for key, value in data.items():
            if key != "kind":
                values[key] = _READ[key](key, value)
        recipe = cls(**values)
        recipe._check()
        return recipe

    @property
    def levels(self) -> list[float]:
        """Heights of the storeys' levels and of the top, m."""
        out = [self.base_level]
        for h in self.storeys:
            out.append(out[-1] + h)
        return out

    def _check(self) -> None:
        for key, name in (("column", self.column), ("beam", self.beam)):
            if name not in self.sections and name not in catalogue():
                near = near_names(name)
                hint = f"; do you mean {' or '.join(near)}?" if near else ""
                raise RecipeError(f"{key} is {name!r}, which is neither in the catalogue nor in [sections]{hint}")
        for key, name in (("material", self.material), ("slab_material", self.slab_material)):
            if name not in grades():
                raise RecipeError(f"{key} is {name!r}, which is no grade of the catalogue")
        lowest = min(self.storeys)
        for where, heights, storey in [
            ("cross_members", self.cross_members, None),
            *((f"exceptions[{k}].cross_members", e.cross_members, e.storey) for k, e in enumerate(self.exceptions, 1)),
        ]:
            limit = lowest if storey is None else self.storeys[storey - 1] if storey <= len(self.storeys) else None
            if limit is None:
                raise RecipeError(f"{where}: there is no storey {storey}; there are {len(self.storeys)}")
            if heights != sorted(set(heights)):
                raise RecipeError(f"{where} is {heights}; heights must rise")
            if heights and not 0 <= heights[0] <= heights[-1] <= limit:
                raise RecipeError(f"{where}: {heights[-1]:g} m lies outside a storey of {limit:g} m")
        for k, e in enumerate(self.exceptions, 1):
            if e.bay is not None and e.bay > len(self.spacings):
                raise RecipeError(f"exceptions[{k}].bay is {e.bay}; there are {len(self.spacings)} bays")
        if self.line_load is not None and self.line_load.height > lowest:
            raise RecipeError(f"line_load.height is {self.line_load.height:g} m, above a storey of {lowest:g} m")
        nx, ny, n = len(self.bays_x) + 1, len(self.bays_y) + 1, len(self.storeys)
        count = (
            n * (nx * ny * 3) if self.kind == "frame" else n * (len(self.spacings) + 1) * (2 + len(self.cross_members))
        )
        if count > MOST:
            raise RecipeError(f"storeys, bays and spacings give about {count:,} members; the most is {MOST:,}")


def _is_number(value: object) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool) and abs(value) < 1e12


def _lengths(key: str, value: Any) -> list[float]:
    if not isinstance(value, list) or not value or not all(_is_number(v) for v in value):
        raise RecipeError(f"{key} is {value!r}; it must be a list of lengths in m")
    for k, v in enumerate(value, 1):
        if not 0.1 <= v <= 1000:
            raise RecipeError(f"{key}: number {k} is {v:g} m; each must be from 0.1 to 1000")
    return [float(v) for v in value]


def _heights(key: str, value: Any) -> list[float]:
    if not isinstance(value, list) or not all(_is_number(v) for v in value):
        raise RecipeError(f"{key} is {value!r}; it must be a list of heights in m")
    return [float(v) for v in value]


def _exceptions(key: str, value: Any) -> list[OtherHeights]:
    if not isinstance(value, list) or not all(isinstance(v, dict) for v in value):
        raise RecipeError(f"{key} is {value!r}; it must be a list of tables with storey, bay and cross_members")
    out = []
    for k, v in enumerate(value, 1):
        for name in v:
            if name not in ("storey", "bay", "cross_members"):
                raise RecipeError(f"unknown key {key}[{k}].{name}; known are storey, bay, cross_members")
        if "cross_members" not in v or not ("storey" in v or "bay" in v):
            raise RecipeError(f"{key}[{k}] needs cross_members, and storey or bay or both")
        for name in ("storey", "bay"):
            if name in v and (not isinstance(v[name], int) or isinstance(v[name], bool) or v[name] < 1):
                raise RecipeError(f"{key}[{k}].{name} is {v[name]!r}; it is counted from 1")
        out.append(
            OtherHeights(_heights(f"{key}[{k}].cross_members", v["cross_members"]), v.get("storey"), v.get("bay"))
        )
    return out


def _line_load(key: str, value: Any) -> LineLoad:
    if not isinstance(value, dict) or set(value) != {"height", "value"}:
        raise RecipeError(f"{key} is {value!r}; it must be a table with height and value")
    return LineLoad(
        _number(0.0, 1000.0)(f"{key}.height", value["height"]), _number(-1e9, 1e9)(f"{key}.value", value["value"])
    )


def _number(low: float, high: float) -> Any:
    def read(key: str, value: Any) -> float:
        if not _is_number(value) or not low <= value <= high:
            raise RecipeError(f"{key} is {value!r}; it must be a number from {low:g} to {high:g}")
        return float(value)

    return read


def _choice(*options: str) -> Any:
    def read(key: str, value: Any) -> str:
        if value not in options:
            raise RecipeError(f"{key} is {value!r}; it must be one of {', '.join(options)}")
        return str(value)

    return read


def _text(key: str, value: Any) -> str:
    if not isinstance(value, str) or not value:
        raise RecipeError(f"{key} is {value!r}; it must be a name")
    return value


def _yes_or_no(key: str, value: Any) -> bool:
    if not isinstance(value, bool):
        raise RecipeError(f"{key} is {value!r}; it must be true or false")
    return value


def _sections(key: str, value: Any) -> dict[str, dict[str, Any]]:
    if not isinstance(value, dict) or not all(isinstance(v, dict) for v in value.values()):
        raise RecipeError(f'{key} must be tables, [{key}."name"]')
    for name, own in value.items():
        shape = own.get("shape")
        if shape not in SHAPES:
            raise RecipeError(f"{key}.{name}.shape is {shape!r}; it must be one of {', '.join(SHAPES)}")
        needed, more = SHAPES[shape]
        if not {"shape", *needed} <= set(own) <= {"shape", *needed, *more}:
            raise RecipeError(f"{key}.{name}: a {shape} has {', '.join((*needed, *more))}")
        low = 1e-12 if shape == "values" else 1e-4
        for size in set(own) - {"shape"}:
            _number(low, 10.0)(f"{key}.{name}.{size}", own[size])
        try:
            own_section(name, shape, {k: v for k, v in own.items() if k != "shape"})
        except ShapeError as error:
            raise RecipeError(f"{key}.{name}: {error}") from None
    return value


_READ: dict[str, Any] = {
    "storeys": _lengths, "bays_x": _lengths, "bays_y": _lengths, "spacings": _lengths,
    "cross_members": _heights, "exceptions": _exceptions, "base_level": _number(-1e4, 1e4),
    "column": _text, "beam": _text, "material": _text, "slab_material": _text, "name": _text,
    "base": _choice("fixed", "pinned"), "beam_ends": _choice("fixed", "pinned"), "sideways": _yes_or_no,
    "slab": _number(0.02, 5.0), "pane_weight": _number(0.0, 1e6), "wind": _number(-1e6, 1e6), "line_load": _line_load,
    "sections": _sections,
}  # fmt: skip
