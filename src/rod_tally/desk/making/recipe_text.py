"""A recipe as texts of fields, and back: lists as `3 x 3.6, 4.2`, exceptions as `storey 2: 0, 0.9; bay 3:
0`."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

import tomli_w

from ...make import Recipe, RecipeError
from ...model.units import LENGTH, UnitError, quantity

Texts = dict[str, str]
LISTS = ("storeys", "bays_x", "bays_y", "spacings", "cross_members")
NUMBERS = ("base_level", "slab", "pane_weight", "wind", "suction")
YES_NO = ("sideways", "sideways_top")
CHOICES = {"base": ("fixed", "pinned"), "beam_ends": ("fixed", "pinned")} | dict.fromkeys(
    YES_NO, ("no", "yes")
)
WORDS = {
    "storeys": "heights of storeys, m",
    "bays_x": "bays along x, m",
    "bays_y": "bays along y, m",
    "spacings": "between uprights, m",
    "cross_members": "cross members above each level, m",
    "exceptions": "other cross members",
    "base_level": "level of the base, m",
    "column": "columns or uprights",
    "beam": "beams or cross members",
    "material": "material",
    "base": "feet",
    "beam_ends": "ends of beams",
    "sideways": "held sideways at levels",
    "sideways_top": "held sideways at the top",
    "slab": "slab thickness, m",
    "slab_material": "material of slabs",
    "pane_weight": "weight of panes, N/m²",
    "wind": "wind on panes, N/m²",
    "suction": "suction on panes, N/m²",
    "line_load": "line load: height m, N/m",
}
# shown pale in an empty field: what holds then, or how it is written
EMPTY = {
    "base_level": "0.0",
    "slab": "none",
    "slab_material": "C30/37",
    "exceptions": "none; or storey 2: 0.0, 1.2; bay 3: 0.0",
    "pane_weight": "none",
    "wind": "none",
    "suction": "none",
    "line_load": "none; or 1.0, 740",
    "cross_members": "0.0",
}
FRAME = (
    "storeys",
    "bays_x",
    "bays_y",
    "base_level",
    "column",
    "beam",
    "material",
    "base",
    "beam_ends",
    "slab",
    "slab_material",
)
FACADE = (
    "storeys",
    "spacings",
    "cross_members",
    "exceptions",
    "base_level",
    "column",
    "beam",
    "material",
    "base",
    "beam_ends",
    "sideways",
    "sideways_top",
    "pane_weight",
    "wind",
    "suction",
    "line_load",
)
FIELDS = {"frame": FRAME, "facade": FACADE}
FIRST: dict[str, Texts] = {
    "frame": {
        "storeys": "4.2, 2 x 3.6",
        "bays_x": "3 x 6.0",
        "bays_y": "2 x 5.4",
        "column": "HE 240 B",
        "beam": "IPE 360",
        "material": "S355",
    },
    "facade": {
        "storeys": "2 x 3.6",
        "spacings": "5 x 1.35",
        "cross_members": "0.0, 1.0",
        "column": "HE 120 A",
        "beam": "IPE 100",
        "material": "S355",
        "pane_weight": "350",
        "wind": "620",
    },
}


def recipe_of(kind: str, texts: Texts, own: dict[str, Any] | None = None) -> Recipe:
    """Raises RecipeError, which names the field."""
    return Recipe.from_dict(plain(kind, texts, own))


def plain(kind: str, texts: Texts, own: dict[str, Any] | None = None) -> dict[str, Any]:
    """The recipe's plain values; empty fields are left out. `own`: its tables of sections and materials of
    one's own. Raises RecipeError."""
    out: dict[str, Any] = {"kind": kind}
    for key in FIELDS[kind]:
        text = texts.get(key, "").strip()
        if not text:
            continue
        if key in LISTS:
            out[key] = _list(key, text)
        elif key in NUMBERS:
            out[key] = _number(key, text, LENGTH if key in ("base_level", "slab") else None)
        elif key == "exceptions":
            out[key] = [_exception(part) for part in text.split(";") if part.strip()]
        elif key == "line_load":
            values = text.split(",")
            if len(values) != 2:
                raise RecipeError("line_load: give its height and its value, such as 1.1, 1000")
            out[key] = {"height": _number(key, values[0], LENGTH), "value": _number(key, values[1], None)}
        elif key in YES_NO:
            out[key] = text == "yes"
        else:
            out[key] = text
    return out | {table: values for table, values in (own or {}).items() if values}


def _number(key: str, text: str, dimension: Any) -> float:
    try:
        return float(text)
    except ValueError:
        pass
    try:
        found = quantity(text)
    except UnitError:
        raise RecipeError(f"{key}: {text.strip()!r} is not a number") from None
    if dimension is None or found.dimension != dimension:
        raise RecipeError(f"{key}: {text.strip()!r} does not measure what stands there")
    return found.factor


def _list(key: str, text: str) -> list[float]:
    out: list[float] = []
    for part in re.split(r"[,;]", text):
        match = re.fullmatch(r"\s*(?:(\d+)\s*[x×*]\s*)?(.+?)\s*", part)
        if match is None:
            raise RecipeError(f"{key}: write numbers parted by commas, such as 4.2, 3 x 3.6")
        times = int(match[1] or 1)
        if times > 1000:
            raise RecipeError(f"{key}: {times} times is too often")
        out += [_number(key, match[2], LENGTH)] * times
    return out


def _exception(text: str) -> dict[str, Any]:
    head, _, heights = text.partition(":")
    found = dict(re.findall(r"(storey|bay)\s+(\d+)", head))
    if not found or re.sub(r"(storey|bay)\s+\d+|[\s,]", "", head):
        raise RecipeError(
            f"exceptions: {text.strip()!r} is not understood; write storey 2: 0.0, 1.2; bay 3: 0.0"
        )
    values = _list("exceptions", heights) if heights.strip() else []
    return {**{k: int(v) for k, v in found.items()}, "cross_members": values}


def texts_of(data: dict[str, Any]) -> Texts:
    """The fields' texts of a recipe's plain values."""
    out: Texts = {}
    for key, value in data.items():
        if key in LISTS:
            out[key] = _runs(value)
        elif key == "exceptions":
            parts = []
            for e in value:
                where = " ".join(f"{w} {e[w]}" for w in ("storey", "bay") if w in e)
                parts.append(f"{where}: {', '.join(f'{h:g}' for h in e['cross_members'])}")
            out[key] = "; ".join(parts)
        elif key == "line_load":
            out[key] = f"{value['height']:g}, {value['value']:g}"
        elif key in YES_NO:
            out[key] = "yes" if value else "no"
        elif key in FRAME or key in FACADE:
            out[key] = f"{value:.12g}" if isinstance(value, float) else str(value)
    return out


def _runs(values: list[float]) -> str:
    """A list of numbers, equal ones beside each other as so many times one."""
    out: list[list[Any]] = []
    for v in values:
        if out and out[-1][1] == v:
            out[-1][0] += 1
        else:
            out.append([1, v])
    return ", ".join(f"{n} x {v:.12g}" if n > 1 else f"{v:.12g}" for n, v in out)


def read(path: Path) -> dict[str, Any]:
    """The plain values of a recipe's file, which a model can be made of. Raises RecipeError."""
    Recipe.read(path)
    return tomllib.loads(path.read_text(encoding="utf-8"))


def written(data: dict[str, Any]) -> str:
    """Plain values as a recipe's file."""
    return tomli_w.dumps(data)
