"""Tables of loads, cases and storey forces as text, pasted from a spreadsheet: every fault with its row and
column.

The first row names the columns, in any order. Forces are in kN, moments in kN m, lengths in m, each per metre
or square metre as the kind of load has it, unless a column's title gives its unit in brackets: `fz [N]`, `fz
[lbf/ft2]`, `a [mm]`. A unit of force alone holds for every kind of load; a whole one (`kN/m`) only for rows
of loads that have it. Empty cells are zero, or absent."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from . import units
from .entities.model import Model
from .numbers import decimal_mark, number
from .units import Dimension, Unit, UnitError, parse_unit

NUMBERS = (
    "a",
    "b",
    "fx",
    "fy",
    "fz",
    "fx2",
    "fy2",
    "fz2",
    "fx3",
    "fy3",
    "fz3",
    "mx",
    "my",
    "mz",
    "uniform",
    "grad y",
    "grad z",
)
FORCES = ("fx", "fy", "fz", "fx2", "fy2", "fz2", "fx3", "fy3", "fz3", "mx", "my", "mz")
WORDS = (
    "case",
    "kind",
    "on",
    "axes",
    "projected",
    "outline",
    "at",
    "category",
    "together",
    "self-weight",
    "storey",
    "name",
    "span",
)
KINDS_OF_LOAD = (
    "node",
    "member",
    "surface",
    "area",
    "cladding",
    "line",
    "point",
    "temperature",
    "settlement",
)
MOMENTS = ("mx", "my", "mz")
END_COLUMNS = ("x1", "y1", "z1", "x2", "y2", "z2")  # of members
# what a unit in a column's title may measure, beside forces
MEASURES = {
    "a": units.LENGTH,
    "b": units.LENGTH,
    "outline": units.LENGTH,
    "at": units.LENGTH,
    "uniform": units.TEMPERATURE,
    "grad y": units.TEMPERATURE_BY_LENGTH,
    "grad z": units.TEMPERATURE_BY_LENGTH,
    "period": units.TIME,
    "sa": units.ACCELERATION,
} | dict.fromkeys(END_COLUMNS, units.LENGTH)
# by how many lengths a load of each kind is divided
SPREAD = {"node": 0, "point": 0, "line": 1, "surface": 2, "area": 2, "cladding": 2}
YES, NO = ("yes", "y", "true", "1", "x"), ("no", "n", "false", "0", "")


class TableError(ValueError):
    """A table that cannot be read; the message gives row and column."""


class Table:
    """Rows of text by column name; `place(row, column)` says a place as the user counts it. `plain`: what a
    force or moment without a unit is a multiple of (N, N m)."""

    def __init__(
        self, text: str, known: tuple[str, ...], needed: tuple[str, ...], plain: float = 1e3
    ) -> None:
        self.plain = plain
        lines = [(n, line) for n, line in enumerate(text.splitlines(), 1) if line.strip()]
        if len(lines) < 2:
            raise TableError("the table needs a row of column titles and a row of values at least")
        mark = "\t" if "\t" in lines[0][1] else ";" if ";" in lines[0][1] else ","
        self.columns: list[str] = []
        self.factor: dict[str, Unit] = {}
        for k, raw in enumerate(lines[0][1].split(mark), 1):
            match = re.fullmatch(r"\s*([A-Za-z][A-Za-z0-9 -]*?)\s*(?:\[([^\]]*)\])?\s*", raw)
            title = match[1].lower() if match else raw.strip()
            if match is None or title not in known:
                raise TableError(
                    f"row 1, column {k}: {raw.strip()!r} is no column; known are {', '.join(known)}"
                )
            if title in self.columns:
                raise TableError(f"row 1, column {k}: {title!r} is there twice")
            if match[2]:
                self.factor[title] = _unit_of(title, match[2], k)
            self.columns.append(title)
        missing = [n for n in needed if n not in self.columns]
        if missing:
            raise TableError(f"row 1: there is no column {missing[0]!r}, which is needed")
        self.rows: list[tuple[int, list[str]]] = []
        for n, line in lines[1:]:
            cells = [c.strip() for c in line.split(mark)]
            if len(cells) > len(self.columns) and any(cells[len(self.columns) :]):
                raise TableError(f"row {n}: {len(cells)} cells, but only {len(self.columns)} columns")
            self.rows.append((n, cells + [""] * (len(self.columns) - len(cells))))

    def text(self, cells: list[str], column: str) -> str:
        return cells[self.columns.index(column)] if column in self.columns else ""

    def number(self, row: int, cells: list[str], column: str, spread: int | None = None) -> float:
        """SI; 0 for an empty cell. A force (or moment) is divided by `spread` lengths; None: it may be by any
        number of them.

        Raises TableError."""
        raw = self.text(cells, column).replace(" ", "")
        if not raw:
            return 0.0
        try:
            value = number(raw, self._mark(column) if "," in raw else "")
        except ValueError as error:
            words = (
                str(error) if "may be read" in str(error) else f"{self.text(cells, column)!r} is not a number"
            )
            raise TableError(f"{self.place(row, column)}: {words}") from None
        if not abs(value) < 1e15:
            raise TableError(f"{self.place(row, column)}: {raw} is beyond any load")
        return value * self.scale(row, column, spread)

    def _mark(self, column: str) -> str:
        """Return what stands before the decimals of a column, or of the whole table where the column does
        not tell."""
        own = decimal_mark(self.text(cells, column) for _, cells in self.rows)
        return own or decimal_mark(cell for _, cells in self.rows for cell in cells)

    def scale(self, row: int, column: str, spread: int | None = None) -> float:
        """Factor of a column to SI. Raises TableError where its unit is not that of a load divided by
        `spread` lengths."""
        unit = self.factor.get(column)
        if column not in FORCES:
            return unit.factor if unit is not None else 1.0
        if unit is None:
            return self.plain
        plain = units.MOMENT if column in MOMENTS else units.FORCE
        if unit.dimension == units.FORCE or unit.dimension == plain or spread is None:
            return unit.factor
        if unit.dimension != _divided(plain, spread):
            what = ("one on a point", "one along a line", "one on an area")[spread]
            raise TableError(
                f"{self.place(row, column)}: the unit in the column's title is not that of {what}"
            )
        return unit.factor

    def yes(self, row: int, cells: list[str], column: str) -> bool:
        raw = self.text(cells, column).lower()
        if raw in YES:
            return True
        if raw in NO:
            return False
        raise TableError(f"{self.place(row, column)}: {raw!r} is neither yes nor no")

    def place(self, row: int, column: str) -> str:
        return f"row {row}, column {column!r}"


def _divided(plain: Dimension, spread: int) -> Dimension:
    """A force or moment divided by so many lengths."""
    out = list(plain)
    out[1] -= spread
    return tuple(out)  # type: ignore[return-value]


def _unit_of(title: str, text: str, column: int) -> Unit:
    """The unit in a column's title. Raises TableError for one that is not understood or measures something
    else."""
    try:
        unit = parse_unit(text)
    except UnitError as error:
        raise TableError(
            f"row 1, column {column}: {error}; write kN, kN/m, kN/m2, lbf/ft, psf, kip-ft or such"
        ) from None
    if title in FORCES:
        plain = units.MOMENT if title in MOMENTS else units.FORCE
        good: list[Dimension] = [units.FORCE, *(_divided(plain, k) for k in range(3))]
        good += [units.ANGLE if title in MOMENTS else units.LENGTH]  # a settlement
    elif title in MEASURES:
        good = [MEASURES[title]]
    else:
        raise TableError(f"row 1, column {column}: {title!r} has no unit")
    if unit.dimension not in good:
        raise TableError(f"row 1, column {column}: {text!r} does not measure what stands in {title!r}")
    return unit


def read_cases(text: str) -> list[dict[str, Any]]:
    """Cases for `AddCases`: case, kind, category, together, self-weight. Raises TableError."""
    t = Table(text, ("case", "kind", "category", "together", "self-weight"), ("case",))
    out: list[dict[str, Any]] = []
    for n, cells in t.rows:
        name = t.text(cells, "case")
        if not name:
            raise TableError(f"{t.place(n, 'case')}: a load case needs a name")
        if any(c["name"] == name for c in out):
            raise TableError(f"{t.place(n, 'case')}: {name!r} is there twice")
        out.append(
            {
                "name": name,
                "kind": t.text(cells, "kind").lower(),
                "category": t.text(cells, "category").upper(),
                "together": t.text(cells, "together"),
                "self_weight": t.yes(n, cells, "self-weight"),
            }
        )
    return out


def read_loads(text: str, model: Model) -> dict[str, list[dict[str, Any]]]:
    """Loads for `AddLoads` by case, in the order of the table: case, kind, on, a, b, fx … mz2, axes,
    projected, outline.

    `on` is the id or the name of a node, member or surface; points are in the source's coordinates. Raises
    TableError."""
    out: dict[str, list[dict[str, Any]]] = {}
    for _, case, load in each_load(Table(text, (*NUMBERS, *WORDS), ("case", "kind")), model, {}):
        if isinstance(load, TableError):
            raise load
        out.setdefault(case, []).append(load)
    return out


def each_load(
    t: Table, model: Model, nodes: dict[str, str]
) -> Iterator[tuple[int, str, dict[str, Any] | TableError]]:
    """Row, case and load of each row of a table of loads, or why it is none. `nodes`: further names of
    nodes."""
    found: dict[str, dict[str, list[str]]] = {"node": {}, "member": {}, "surface": {}}
    for kind, parts in (("member", model.members), ("surface", model.surfaces)):
        for ident, part in parts.items():
            found[kind].setdefault(ident, [ident])
            if part.name and part.name != ident:
                found[kind].setdefault(part.name, []).append(ident)
    found["part"] = {
        n: found["member"].get(n, []) + found["surface"].get(n, [])
        for k in ("member", "surface")
        for n in found[k]
    }
    found["node"] = {n: [to] for n, to in nodes.items()} | {n: [n] for n in model.nodes}
    for n, cells in t.rows:
        case = t.text(cells, "case")
        try:
            if case not in model.cases:
                raise TableError(f"{t.place(n, 'case')}: there is no load case {case!r}")
            kind = t.text(cells, "kind").lower()
            if kind not in KINDS_OF_LOAD:
                raise TableError(
                    f"{t.place(n, 'kind')}: {kind!r} is no kind of load; known are {', '.join(KINDS_OF_LOAD)}"
                )
            yield n, case, _load(t, n, cells, kind, found, model)
        except TableError as error:
            yield n, case, error


def _on(t: Table, n: int, cells: list[str], kind: str, found: dict[str, dict[str, list[str]]]) -> str:
    name = t.text(cells, "on")
    hits = found[kind].get(name, [])
    if not hits:
        raise TableError(f"{t.place(n, 'on')}: there is no {kind} {name!r}")
    if len(hits) > 1:
        raise TableError(
            f"{t.place(n, 'on')}: {len(hits)} {kind}s are named {name!r}; give an id, such as {hits[0]}"
        )
    return hits[0]


def _load(
    t: Table, n: int, cells: list[str], kind: str, found: dict[str, dict[str, list[str]]], model: Model
) -> dict[str, Any]:
    spread = SPREAD.get(kind, 0)
    if kind == "settlement":
        movement = [_movement(t, n, cells, c) for c in ("fx", "fy", "fz", *MOMENTS)]
        return {"on": kind, "node": _on(t, n, cells, "node", found), "movement": movement}
    if kind == "member":
        ident = _on(t, n, cells, kind, found)
        length = model.length(model.members[ident])
        a = t.number(n, cells, "a")
        b = t.number(n, cells, "b") if t.text(cells, "b") else (a if t.text(cells, "a") else length)
        spread = int(b > a)

    def three(*columns: str) -> list[float]:
        return [t.number(n, cells, c, spread) for c in columns]

    force, second = three("fx", "fy", "fz"), three("fx2", "fy2", "fz2")
    moment = three("mx", "my", "mz")
    if kind == "node":
        return {"on": "node", "node": _on(t, n, cells, kind, found), "force": force, "moment": moment}
    if kind == "temperature":
        grads = {"grad_y": t.number(n, cells, "grad y"), "grad_z": t.number(n, cells, "grad z")}
        return {
            "on": kind,
            "member": _on(t, n, cells, "member", found),
            "uniform": t.number(n, cells, "uniform"),
        } | grads
    axes = t.text(cells, "axes").lower() or "global"
    if axes not in ("global", "local"):
        raise TableError(f"{t.place(n, 'axes')}: {axes!r} is neither global nor local")
    plain = {"local": axes == "local", "projected": t.yes(n, cells, "projected")}
    later = second if any(t.text(cells, c) for c in ("fx2", "fy2", "fz2")) else force
    if kind == "member":
        if not 0 <= a <= b <= length + 1e-6:
            raise TableError(
                f"{t.place(n, 'b')}: from {a:g} to {b:g} m does not lie on a member {length:.3f} m long"
            )
        if any(moment) and any(force):
            raise TableError(f"{t.place(n, 'mx')}: forces and moments on a member go in rows of their own")
        # of a moment that varies the second values are moments too; one that begins at zero has no forces at
        # all
        said = [any(t.text(cells, c) for c in columns) for columns in (MOMENTS, FORCES[:3])]
        turning = any(moment) or (said[0] and not said[1])
        ends = (moment, second if later is second else moment) if turning else (force, later)
        return {
            "on": "member",
            "member": ident,
            "a": a,
            "b": b,
            "qa": ends[0],
            "qb": ends[1],
            "kind": "moment" if turning else "force",
        } | plain
    points, places = (
        [[v - float(o) for v, o in zip(p, model.origin)] for p in _points(t, n, cells, c)]
        for c in ("outline", "at")
    )
    name = {"name": t.text(cells, "name")}
    varies = any(t.text(cells, c) for c in ("fx2", "fy2", "fz2", "fx3", "fy3", "fz3"))
    values = [force, second, three("fx3", "fy3", "fz3")] if varies else [force]
    if kind == "surface":
        load = {"on": "area", "surface": _on(t, n, cells, kind, found), "values": values} | plain | name
        if places:
            load |= {"outline": points} if points else {}
            points = places
        if varies and len(points) != 3:
            raise TableError(
                f"{t.place(n, 'outline')}: a pressure that varies needs the three points where its values hold"
            )
        return load | ({"at": points} if varies else {"outline": points} if points else {})
    if kind in ("area", "cladding"):
        if len(points) < 3:
            raise TableError(
                f"{t.place(n, 'outline')}: an area has three points at least, 'x y z; x y z; x y z'"
            )
        onto = {"onto": "members"} if kind == "cladding" else {}
        if t.text(cells, "span"):
            onto["span"] = _vector(t, n, cells, "span")  # type: ignore[assignment]
        at = {"at": (places or points)[:3]} if varies else {}
        return {"on": "area", "surface": "", "values": values, "outline": points} | plain | onto | name | at
    if len(points) != (2 if kind == "line" else 1):
        raise TableError(
            f"{t.place(n, 'outline')}: a {kind} has {'two points' if kind == 'line' else 'one point'}"
        )
    to = {"to": _on(t, n, cells, "part", found)} if t.text(cells, "on") else {}
    return (
        {"on": "space", "line": points, "qa": force, "qb": later if kind == "line" else [0.0, 0.0, 0.0]}
        | name
        | to
    )


def _movement(t: Table, n: int, cells: list[str], column: str) -> float:
    """A settlement, m or rad: the column's number as it stands, or by a unit of length or angle in its
    title."""
    raw, unit = t.number(n, cells, column), t.factor.get(column)
    if unit is not None and unit.dimension in (units.LENGTH, units.ANGLE):
        return raw
    return raw / (unit.factor if unit is not None else t.plain)


def _points(t: Table, n: int, cells: list[str], column: str) -> list[list[float]]:
    out = []
    for part in re.split(r"[;|/]", t.text(cells, column)):
        if part.strip():
            try:
                point = [float(v) for v in part.split()]
            except ValueError:
                point = []
            if len(point) != 3:
                raise TableError(
                    f"{t.place(n, column)}: {part.strip()!r} is no point; three numbers in metres, 'x y z'"
                )
            out.append([v * t.scale(n, column) for v in point])
    return out


def _vector(t: Table, n: int, cells: list[str], column: str) -> list[float]:
    try:
        values = [float(v) for v in t.text(cells, column).split()]
    except ValueError:
        values = []
    if len(values) != 3 or not any(values):
        raise TableError(
            f"{t.place(n, column)}: {t.text(cells, column)!r} is no direction; three numbers, 'x y z'"
        )
    return values


def read_storey_forces(text: str, model: Model) -> dict[str, list[float]]:
    """Fx, Fy in N and Mz in N m by storey's name. Raises TableError."""
    t = Table(text, ("storey", "fx", "fy", "mz"), ("storey",))
    names = [s.name for s in model.storeys]
    out: dict[str, list[float]] = {}
    for n, cells in t.rows:
        name = t.text(cells, "storey")
        if name not in names:
            raise TableError(
                f"{t.place(n, 'storey')}: there is no storey {name!r}; there are {', '.join(names) or 'none'}"
            )
        if name in out:
            raise TableError(f"{t.place(n, 'storey')}: {name!r} is there twice")
        out[name] = [t.number(n, cells, c, 0) for c in ("fx", "fy", "mz")]
    return out


def read_curve(text: str) -> list[tuple[float, float]]:
    """Points of a response spectrum: period in s, sa in m/s2. Raises TableError."""
    t = Table(text, ("period", "sa"), ("period", "sa"))
    out = [(t.number(n, cells, "period"), t.number(n, cells, "sa")) for n, cells in t.rows]
    for (n, _), (a, _), (b, _) in zip(t.rows[1:], out, out[1:]):
        if b <= a:
            raise TableError(
                f"{t.place(n, 'period')}: {b:g} s does not come after {a:g} s; periods must grow"
            )
    return out
