"""Members as text, pasted from a spreadsheet: two ends by coordinates or by nodes, what they are made of;
every fault with its row and column.

Columns: `x1 y1 z1 x2 y2 z2` in the source's coordinates, m unless the title has a unit (`x1 [mm]`), or
`start` and `end`, nodes of the model; `section`, `material`, `name`, `class` (beam, column, brace), `ends`
(fixed, pinned, start pinned, end pinned). An empty section or material is that of the row above."""

from __future__ import annotations

from typing import Any

import numpy as np

from .catalogue.catalogue import catalogue, catalogue_name, near_names
from .entities.model import Model
from .geometry.vectors import Array
from .load_table import END_COLUMNS, Table, TableError

KNOWN = (*END_COLUMNS, "start", "end", "section", "material", "name", "class", "ends")
CLASSES = ("", "beam", "column", "brace")
ENDS = {
    "": (False, False),
    "fixed": (False, False),
    "pinned": (True, True),
    "start pinned": (True, False),
    "end pinned": (False, True),
}


def read_members(text: str, model: Model) -> list[dict[str, Any]]:
    """Parts as `AddMembers` takes them, in the model's axes. Raises TableError."""
    t = Table(text, KNOWN, ("section",))
    has = [all(c in t.columns for c in side) for side in (END_COLUMNS[:3], END_COLUMNS[3:])]
    for k, word in enumerate(("start", "end")):
        if not has[k] and word not in t.columns:
            raise TableError(
                f"row 1: there is neither {' '.join(END_COLUMNS[3 * k : 3 * k + 3])} nor {word!r}"
            )
    out: list[dict[str, Any]] = []
    section, material = "", next(iter(model.materials), "")
    for n, cells in t.rows:
        section = _section(t, n, cells, model) or section
        if not section:
            raise TableError(f"{t.place(n, 'section')}: a section is needed")
        material = t.text(cells, "material") or material
        if material not in model.materials:
            raise TableError(
                f"{t.place(n, 'material')}: there is no material {material!r}; known are {', '.join(model.materials)}"
            )
        line = np.array([_end(t, n, cells, model, k) for k in (0, 1)])
        if float(np.linalg.norm(line[1] - line[0])) < 1e-6:
            raise TableError(f"row {n}: both ends lie at one place")
        words = t.text(cells, "ends").lower()
        if words not in ENDS:
            raise TableError(f"{t.place(n, 'ends')}: {words!r} is none of {', '.join(e for e in ENDS if e)}")
        cls = t.text(cells, "class").lower()
        if cls not in CLASSES:
            raise TableError(
                f"{t.place(n, 'class')}: {cls!r} is none of {', '.join(c for c in CLASSES if c)}"
            )
        part = {"start": line[0].tolist(), "end": line[1].tolist(), "section": section, "material": material}
        part |= dict(zip(("pinned_start", "pinned_end"), ENDS[words]))
        part |= {k: v for k, v in (("name", t.text(cells, "name")), ("class", cls)) if v}
        out.append(part)
    return out


def _end(t: Table, n: int, cells: list[str], model: Model, k: int) -> Array:
    """One end, m, in the model's axes: by a node where the row names one, else by its coordinates."""
    word = ("start", "end")[k]
    node = t.text(cells, word)
    if node:
        if node not in model.nodes:
            raise TableError(f"{t.place(n, word)}: there is no node {node!r}")
        return model.nodes[node].point
    columns = END_COLUMNS[3 * k : 3 * k + 3]
    for c in columns:
        if not t.text(cells, c):
            raise TableError(f"{t.place(n, c)}: a number is needed")
    return np.array([t.number(n, cells, c) for c in columns]) - model.origin


def _section(t: Table, n: int, cells: list[str], model: Model) -> str:
    """A section's name as the model or the catalogue has it; "" for an empty cell."""
    raw = t.text(cells, "section")
    if not raw or raw in model.sections or raw in catalogue():
        return raw
    known = catalogue_name(raw)
    if known is None:
        near = near_names(raw)
        hint = f"; do you mean {' or '.join(near)}?" if near else ""
        raise TableError(
            f"{t.place(n, 'section')}: {raw!r} is neither in the model nor in the catalogue{hint}"
        )
    return known
