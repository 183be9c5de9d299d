"""Recipes: what a model is made from. TOML; every key has a default but those a kind needs; errors name the
key."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Annotated, Any, Literal

from msgspec import Meta, field

from ..model.catalogue.catalogue import catalogue, near_names
from ..model.catalogue.grades import grades
from ..model.catalogue.own import SHAPES, own_section
from ..model.catalogue.shapes import ShapeError
from ..model.entities.material import ANY_DENSITY, ANY_STIFFNESS
from ..model.validated import Table, convert

KINDS = ("frame", "facade")
MOST = 100_000  # members; a recipe that asks for more is a slip of the pen
NEEDED = {"frame": ("storeys", "bays_x", "bays_y"), "facade": ("storeys", "spacings")}
FRAME_ONLY = ("bays_x", "bays_y", "slab", "slab_material")
FACADE_ONLY = (
    "spacings",
    "cross_members",
    "exceptions",
    "sideways",
    "sideways_top",
    "pane_weight",
    "wind",
    "suction",
    "line_load",
)


Length = Annotated[float, Meta(ge=0.1, le=1000.0)]
Height = Annotated[float, Meta(ge=0.0, le=1000.0)]
Load = Annotated[float, Meta(ge=-1e9, le=1e9)]
Lengths = Annotated[list[Length], Meta(min_length=1)]
Count = Annotated[int, Meta(ge=1, le=MOST)]
Name = Annotated[str, Meta(min_length=1)]
Hold = Literal["fixed", "pinned"]


class RecipeError(ValueError):
    """A recipe that no model can be made from; the message names the key and says why."""


class OtherHeights(Table):
    """Other cross members in one storey, in one bay, or in one bay of one storey; both are counted from 1."""

    cross_members: list[Height]
    storey: Count | None = None
    bay: Count | None = None


class LineLoad(Table):
    """`value` (N/m) along +y at `height` (m) above each storey's level."""

    height: Height
    value: Load


class OwnValues(Table):
    """A material of one's own: Pa and kg/m3; `G` absent: of an isotropic one with `poisson`."""

    E: Annotated[float, Meta(ge=ANY_STIFFNESS[0], le=ANY_STIFFNESS[1])]
    density: Annotated[float, Meta(ge=ANY_DENSITY[0], le=ANY_DENSITY[1])]
    poisson: Annotated[float, Meta(ge=0.0, lt=0.5)] = 0.3
    G: Annotated[float, Meta(gt=0.0, le=ANY_STIFFNESS[1])] | None = None
    strength: Annotated[float, Meta(gt=0.0, le=5e9)] | None = None
    kind: Name = "steel"


class Recipe(Table):
    """Lengths in m, loads in N. `sections` are sections of one's own: name to shape and sizes; `materials`
    such materials."""

    kind: Literal["frame", "facade"]
    storeys: Lengths
    bays_x: list[Length] = field(default_factory=list)
    bays_y: list[Length] = field(default_factory=list)
    spacings: list[Length] = field(default_factory=list)
    cross_members: list[Height] = field(default_factory=lambda: [0.0])
    exceptions: list[OtherHeights] = field(default_factory=list)
    base_level: Annotated[float, Meta(ge=-1e4, le=1e4)] = 0.0
    column: Name = "HE 240 B"
    beam: Name = "IPE 360"
    material: Name = "S355"
    base: Hold = "fixed"
    beam_ends: Hold = "fixed"
    sideways: bool = False
    sideways_top: bool = False
    slab: Annotated[float, Meta(ge=0.02, le=5.0)] | None = None
    slab_material: Name = "C30/37"
    pane_weight: Annotated[float, Meta(ge=0.0, le=1e6)] = 0.0
    wind: Annotated[float, Meta(ge=-1e6, le=1e6)] = 0.0
    suction: Annotated[float, Meta(ge=0.0, le=1e6)] = 0.0
    line_load: LineLoad | None = None
    materials: dict[str, OwnValues] = field(default_factory=dict)
    sections: dict[str, dict[str, Any]] = field(default_factory=dict)
    name: str = ""

    @classmethod
    def read(cls, path: Path) -> Recipe:
        """Raises RecipeError, with the file's name, for one that cannot be used."""
        try:
            text = path.read_text(encoding="utf-8")
            data = tomllib.loads(text)
        except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
            raise RecipeError(f"{path}: the recipe cannot be read: {error}") from error
        try:
            recipe = cls.from_dict(data)
        except RecipeError as error:
            line = line_of(text, str(error))
            raise RecipeError(f"{path}{f', line {line}' if line else ''}: {error}") from error
        recipe.name = recipe.name or path.stem
        return recipe

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Recipe:
        """Raises RecipeError for an unknown key, a missing one, or a value that cannot be."""
        kind = data.get("kind")
        if kind not in KINDS:
            raise RecipeError(f"kind is {kind!r}; it must be one of {', '.join(KINDS)}")
        for key in FACADE_ONLY if kind == "frame" else FRAME_ONLY:
            if key in data:
                raise RecipeError(f"{key} is for the other kind, not for a {kind}")
        for key in NEEDED[kind]:
            if not data.get(key, True):
                raise RecipeError(f"{key} is empty; a {kind} needs {', '.join(NEEDED[kind])}")
        try:
            recipe = convert(data, cls)
        except ValueError as error:
            raise RecipeError(str(error)) from None
        for key in NEEDED[kind]:
            if key not in data:
                raise RecipeError(f"{key} is missing; a {kind} needs {', '.join(NEEDED[kind])}")
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
        _check_sections(self.sections)
        for key, name in (("column", self.column), ("beam", self.beam)):
            if name not in self.sections and name not in catalogue():
                near = near_names(name)
                hint = f"; do you mean {' or '.join(near)}?" if near else ""
                raise RecipeError(
                    f"{key} is {name!r}, which is neither in the catalogue nor in [sections]{hint}"
                )
        for key, name in (("material", self.material), ("slab_material", self.slab_material)):
            if name not in grades() and name not in self.materials:
                raise RecipeError(
                    f"{key} is {name!r}, which is no grade of the catalogue and not in [materials]"
                )
        lowest = min(self.storeys)
        for where, heights, storey in [
            ("cross_members", self.cross_members, None),
            *(
                (f"exceptions[{k}].cross_members", e.cross_members, e.storey)
                for k, e in enumerate(self.exceptions, 1)
            ),
        ]:
            limit = (
                lowest
                if storey is None
                else self.storeys[storey - 1]
                if storey <= len(self.storeys)
                else None
            )
            if limit is None:
                raise RecipeError(f"{where}: there is no storey {storey}; there are {len(self.storeys)}")
            if heights != sorted(set(heights)):
                raise RecipeError(f"{where} is {heights}; heights must rise")
            if heights and not 0 <= heights[0] <= heights[-1] <= limit:
                raise RecipeError(f"{where}: {heights[-1]:g} m lies outside a storey of {limit:g} m")
        for k, e in enumerate(self.exceptions, 1):
            if e.bay is None and e.storey is None:
                raise RecipeError(f"exceptions[{k}] needs cross_members, and storey or bay or both")
            if e.bay is not None and e.bay > len(self.spacings):
                raise RecipeError(f"exceptions[{k}].bay is {e.bay}; there are {len(self.spacings)} bays")
        if self.line_load is not None and self.line_load.height > lowest:
            raise RecipeError(
                f"line_load.height is {self.line_load.height:g} m, above a storey of {lowest:g} m"
            )
        nx, ny, n = len(self.bays_x) + 1, len(self.bays_y) + 1, len(self.storeys)
        count = (
            n * (nx * ny * 3)
            if self.kind == "frame"
            else n * (len(self.spacings) + 1) * (2 + len(self.cross_members))
        )
        if count > MOST:
            raise RecipeError(
                f"storeys, bays and spacings give about {count:,} members; the most is {MOST:,}"
            )


def _size(key: str, value: Any, low: float) -> None:
    number = isinstance(value, (int, float)) and not isinstance(value, bool)
    if not number or not low <= value <= 10.0:
        raise RecipeError(f"{key} is {value!r}; it must be a number from {low:g} to 10")


def _check_sections(sections: dict[str, dict[str, Any]]) -> None:
    for name, own in sections.items():
        shape = own.get("shape")
        if shape not in SHAPES:
            raise RecipeError(f"sections.{name}.shape is {shape!r}; it must be one of {', '.join(SHAPES)}")
        needed, more = SHAPES[shape]
        if not {"shape", *needed} <= set(own) <= {"shape", *needed, *more}:
            raise RecipeError(f"sections.{name}: a {shape} has {', '.join((*needed, *more))}")
        for size in set(own) - {"shape"}:
            _size(f"sections.{name}.{size}", own[size], 1e-12 if shape == "values" else 1e-4)
        try:
            own_section(name, shape, {k: v for k, v in own.items() if k != "shape"})
        except ShapeError as error:
            raise RecipeError(f"sections.{name}: {error}") from None


def line_of(text: str, message: str) -> int:
    """Return the line of a recipe that a message is about: that of the key which it names first, within its
    table; 0 where it names none that stands there.

    >>> line_of('kind = "frame"\\n[sections."A"]\\nshape = "star"', "sections.A.shape is 'star'")
    3
    """
    named = re.match(r"(?:unknown key )?([A-Za-z_][\w.\[\]\"-]*)", message)
    if named is None:
        return 0
    wanted = [part.split("[")[0].strip('"') for part in named[1].rstrip(".:").split(".")]
    table: list[str] = []
    nearest = (0, 0)  # how much of what is wanted is named, and in which line
    for number, line in enumerate(text.splitlines(), 1):
        head = re.match(r"\s*\[+([^\]]+)\]+", line)
        own = re.match(r"\s*\"?([\w-]+)\"?\s*=", line)
        if head is not None:
            path = table = [part.strip().strip('"') for part in head[1].split(".")]
        elif own is not None:
            path = [*table, own[1]]
        else:
            continue
        if wanted[: len(path)] == path and len(path) > nearest[0]:
            nearest = len(path), number
    return nearest[1]
