"""Cells of tables that can be changed: what may stand in them, and which corrections come of new values."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from difflib import get_close_matches
from typing import Any

from ...model import Model, Release, Support
from ...model.catalogue.catalogue import catalogue, catalogue_name, near_names
from ...model.catalogue.grades import grades
from ...model.edits import (
    Edit,
    EditError,
    SetCase,
    SetCombinations,
    SetMaterial,
    SetMaterialValue,
    SetRelease,
    SetSection,
    SetSupport,
    SetThickness,
)
from ...model.entities.loads import CATEGORIES, KINDS
from ...model.entities.structure import SUPPORT_WORDS
from ...model.units import LENGTH, Dimension, UnitError, quantity

FACTOR_OF = "factor of "
PRESSURE: Dimension = (1, -2, 0, 0, 0, 0)
DENSITY: Dimension = (0, -3, 0, 0, 0, 1)


@dataclass(frozen=True, slots=True)
class Change:
    """A new text for one cell: of what (a node's, member's, surface's, case's, material's or combination's
    key), in which column, and where that is in words."""

    key: str
    column: str
    text: str
    where: str = ""


@dataclass(frozen=True, slots=True)
class Editable:
    """`value` reads a text for one key; `edits` makes the corrections of keys that got one value. With a
    `field` all new values of a key make one correction instead, by the table's entry in WHOLE. `choices` are
    proposed while typing."""

    value: Callable[[Model, str, str], Any]
    edits: Callable[[Model, list[str], Any], list[Edit]] = lambda _model, _keys, _value: []
    choices: Callable[[Model], Sequence[str]] = lambda _: ()
    field: str = ""


def edits_of(table: str, model: Model, changes: Sequence[Change]) -> list[Edit]:
    """Corrections for new texts in cells of a table, alike ones together. Raises EditError, which names the
    first cell that cannot be."""
    columns = EDITABLE.get(table, {})
    found: dict[tuple[str, str], tuple[Any, list[str]]] = {}
    whole: dict[str, dict[str, Any]] = {}
    for c in changes:
        own = columns.get(plain_title(c.column))
        if own is None and table == "combinations" and c.column in model.cases:  # a cell of the grid
            own = Editable(_factor, field=FACTOR_OF + c.column)
        if own is None:
            raise EditError(f"{c.where}: the column {c.column!r} cannot be changed here")
        try:
            value = own.value(model, c.key, c.text.strip())
        except (EditError, ValueError) as error:
            raise EditError(f"{c.where}: {error}") from None
        if own.field:
            whole.setdefault(c.key, {})[own.field] = value
        else:
            found.setdefault((c.column, repr(value)), (value, []))[1].append(c.key)
    out: list[Edit] = []
    for (column, _), (value, keys) in found.items():
        out += columns[plain_title(column)].edits(model, list(dict.fromkeys(keys)), value)
    return out + (WHOLE[table](model, whole) if whole else [])


def plain_title(column: str) -> str:
    """A column's title without its unit."""
    return (
        column.split(",")[0]
        if column.startswith(("Thickness", "E,", "G,", "density", "strength"))
        else column
    )


def number(text: str, unit: str, dimension: Dimension) -> float:
    """A number in SI, of a text with or without a unit of its own. Raises ValueError."""
    plain = re.fullmatch(r"[+-]?[\d.,]+(?:[eE][+-]?\d+)?", text.replace("\u2212", "-").strip())
    try:
        found = quantity(f"{text} {unit}" if plain else text)
    except UnitError:
        raise ValueError(f"{text!r} is not a number, or its unit is not known") from None
    if found.dimension != dimension:
        raise ValueError(f"{text!r} does not measure what stands there; write it in {unit}")
    return found.factor


def _section(model: Model, key: str, text: str) -> str:
    if text in model.sections:
        return text
    name = catalogue_name(text)
    if name is None:
        near = ", ".join(near_names(text)[:3] or get_close_matches(text, [*model.sections, *catalogue()], 3))
        raise ValueError(
            f"{text!r} is neither a section of the model nor of the catalogue{f'; near to it are {near}' if near else ''}"
        )
    return name


def _material(model: Model, key: str, text: str) -> str:
    if text not in model.materials and text not in grades():
        raise ValueError(f"{text!r} is neither a material of the model nor a grade")
    return text


def _support(model: Model, key: str, text: str) -> Support:
    now = model.nodes[key].support
    return Support.of(SUPPORT_WORDS.get(text.lower(), text), now.axes if text else None)


def _release(model: Model, key: str, text: str) -> Release:
    return Release.of({"pinned": "my mz", "fixed": ""}.get(text, text))


def _thickness(model: Model, key: str, text: str) -> float:
    value = number(text, "mm", LENGTH)
    if not 1e-3 <= value <= 10:
        raise ValueError(f"a thickness of {value:g} m is none of a slab or wall")
    return value


def _material_value(unit: str, dimension: Dimension) -> Callable[[Model, str, str], float]:
    def value(model: Model, key: str, text: str) -> float:
        found = number(text, unit, dimension)
        if not found > 0:
            raise ValueError("it must exceed zero")
        return found

    return value


def _set_material(key: str) -> Callable[[Model, list[str], Any], list[Edit]]:
    return lambda model, keys, value: [SetMaterialValue(m, key, value) for m in keys]


def _case_value(field: str) -> Callable[[Model, str, str], str]:
    known = {"kind": ("", *KINDS), "category": ("", *CATEGORIES)}.get(field)

    def value(model: Model, key: str, text: str) -> str:
        word = text.lower() if field == "kind" else text.upper() if field == "category" else text
        if known is not None and word not in known:
            raise ValueError(f"{text!r} is none of {', '.join(k for k in known if k)}")
        if field == "new_name" and not word:
            raise ValueError("a load case needs a name")
        return word

    return value


def _set_cases(model: Model, changed: dict[str, dict[str, Any]]) -> list[Edit]:
    """All new values of each case as one correction; a case that is not live has no category."""
    out: list[Edit] = []
    for name, values in changed.items():
        case = model.cases[name]
        own = {
            "new_name": name,
            "kind": case.kind,
            "category": case.category,
            "together": case.together,
        } | values
        if own["kind"] != "live" and "category" not in values:
            own["category"] = ""
        out.append(SetCase(name, **own))
    return out


def _factors(model: Model, key: str, text: str) -> dict[str, float]:
    """ "1.35 G + 1.5 Q - 0.9 W": factors by case. Raises ValueError for a case that is not there."""
    if not any(c.name == key for c in model.combinations):
        raise ValueError(
            "it is made by the rule set; Loads, Combinations… puts combinations into the model first"
        )
    out: dict[str, float] = {}
    for part in re.split(r"\s+(?=[+-]\s)", text):
        match = re.fullmatch(r"\s*([+-]?)\s*(?:(\d+(?:[.,]\d+)?)\s*[*×]?\s+)?(.+?)\s*", part)
        name = match[3] if match else ""
        if match is None or name not in model.cases:
            raise ValueError(f"there is no load case {name or part!r}; write 1.35 Dead + 1.5 Live")
        factor = float((match[2] or "1").replace(",", ".")) * (-1 if match[1] == "-" else 1)
        out[name] = out.get(name, 0.0) + factor
    return out


def _factor(model: Model, key: str, text: str) -> float:
    """A factor of one case; nothing, or 0, takes the case out. Raises ValueError for no number."""
    if not any(c.name == key for c in model.combinations):
        raise ValueError(
            "it is made by the rule set; Loads, Combinations… puts combinations into the model first"
        )
    try:
        value = float(text.replace(",", ".") or "0")
    except ValueError:
        raise ValueError(f"{text!r} is no factor") from None
    if not abs(value) < 1e3:
        raise ValueError(f"{text} is no factor of a load")
    return value


def _set_factors(model: Model, changed: dict[str, dict[str, Any]]) -> list[Edit]:
    """All combinations, some with new factors, as one correction."""
    made: list[dict[str, Any]] = []
    for c in model.combinations:
        values = asdict(c)
        if c.name in changed:
            if c.roots:
                raise EditError(
                    f"combination {c.name} takes the root of squares; its factors are not changed here"
                )
            own = changed[c.name]
            factors = dict(own.get("factors", c.factors))
            for key, factor in own.items():
                if key.startswith(FACTOR_OF):
                    factors[key.removeprefix(FACTOR_OF)] = factor
            values |= {"factors": {n: f for n, f in factors.items() if f}, "rule": ""}
        made.append(values)
    return [SetCombinations(made)]


SECTIONS = Editable(
    _section,
    lambda m, keys, v: [SetSection(keys, v)],
    lambda m: list(dict.fromkeys([*m.sections, *catalogue()])),
)
RELEASES = ("fixed", "pinned", "my", "mz", "my mz", "mt my mz", "n")
EDITABLE: dict[str, dict[str, Editable]] = {
    "nodes": {
        "Support": Editable(
            _support, lambda m, keys, v: [SetSupport(keys, v)], lambda _: (*SUPPORT_WORDS, "ux uy uz")
        ),
    },
    "members": {
        "Section": SECTIONS,
        "Material": Editable(
            _material,
            lambda m, keys, v: [SetMaterial(keys, v)],
            lambda m: list(dict.fromkeys([*m.materials, *grades()])),
        ),
        "Release, start": Editable(
            _release, lambda m, keys, v: [SetRelease(keys, False, v)], lambda _: RELEASES
        ),
        "Release, end": Editable(
            _release, lambda m, keys, v: [SetRelease(keys, True, v)], lambda _: RELEASES
        ),
    },
    "surfaces": {
        "Thickness": Editable(_thickness, lambda m, keys, v: [SetThickness(keys, v)]),
        "Material": Editable(
            _material,
            lambda m, keys, v: [SetMaterial(keys, v)],
            lambda m: list(dict.fromkeys([*m.materials, *grades()])),
        ),
    },
    "materials": {
        "E": Editable(_material_value("GPa", PRESSURE), _set_material("E")),
        "G": Editable(_material_value("GPa", PRESSURE), _set_material("G")),
        "density": Editable(_material_value("kg/m3", DENSITY), _set_material("density")),
        "strength": Editable(_material_value("MPa", PRESSURE), _set_material("strength")),
    },
    "cases": {
        "Case": Editable(_case_value("new_name"), field="new_name"),
        "Kind": Editable(_case_value("kind"), choices=lambda _: ("", *KINDS), field="kind"),
        "Category": Editable(_case_value("category"), choices=lambda _: ("", *CATEGORIES), field="category"),
        "Never together": Editable(_case_value("together"), field="together"),
    },
    "combinations": {"Factors": Editable(_factors, field="factors")},
}
WHOLE: dict[str, Callable[[Model, dict[str, dict[str, Any]]], list[Edit]]] = {
    "cases": _set_cases,
    "combinations": _set_factors,
}
KEYED_BY_NAME = ("materials", "combinations")


def key_of(table: str, row: Sequence[object], pick: tuple[str, str] | None) -> str:
    """Return what a row of an editable table is about."""
    return str(row[0]) if table in KEYED_BY_NAME or pick is None else pick[1]
