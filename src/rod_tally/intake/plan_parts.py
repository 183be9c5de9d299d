"""Parts that the layers of a plan stand for: grid lines, columns, beams, slabs and walls, as records that the
edits take."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from shapely import STRtree, linestrings
from shapely.geometry import LineString, MultiPoint, Polygon

from ..model.geometry.vectors import Array
from .drawing import TEXT, Drawing, Layer
from .plan_marks import apply_marks

READ_AS = ("nothing", "grid lines", "columns", "beams", "slabs", "walls")
LARGEST_COLUMN = 2.5  # m; the longer side of a column's outline at most
RECTANGULAR = 0.02  # share of its rectangle's area that an outline may lack and be one
SLENDER = 2.5  # a wall's outline is so many times as long as it is thick
THICKEST = 1.2  # m; a wall's outline at most
SHORTEST = 0.05  # m
APART = (0.05, 0.6)  # m; the distance of two lines that may be the faces of one wall
PARALLEL = 0.01  # sine of the angle between them at most
BESIDE = 0.5  # share of the shorter one that runs beside the other
WHOLE_OF_IT = 0.99  # an outline within another of so much of its area is the same one, drawn twice
SAME_PLACE = 0.01  # m; outlines of columns this near to each other, in place and size, are one
LEAST_GRID = 1.0  # m; a shorter line is no grid line
NAME_REACH = 3.0  # m; a text this near to the end of a grid line names it


@dataclass(slots=True)
class Plan:
    """The rules by which a plan is read: `layers` by what they are read as; heights of the foot and of the
    level that is drawn (m), the material of beams and that of everything else, the section of beams, the
    thickness (m) of slabs and of walls drawn as one line; `shift` (2,) in m from the drawing to the model."""

    layers: dict[str, str]
    foot: float
    level: float
    material: str
    beam_material: str
    section: str
    thickness: float
    shift: Array = field(default_factory=lambda: np.zeros(2))


@dataclass(slots=True)
class Parts:
    """Records for AddGrids, AddMembers and AddSurfaces, and what a reader has to know: what could not be read
    as what it was to be, and what was taken for one."""

    grids: list[dict[str, Any]] = field(default_factory=list)
    members: list[dict[str, Any]] = field(default_factory=list)
    surfaces: list[dict[str, Any]] = field(default_factory=list)
    told: list[str] = field(default_factory=list)


def guess(name: str, layer: Layer) -> str:
    """Return what a layer is likely to stand for, by its name."""
    plain = name.lower()
    words = {
        "grid lines": ("grid", "axis", "axes", "raster"),
        "columns": ("col", "stanchion"),
        "beams": ("beam", "girder", "joist"),
        "slabs": ("slab", "floor"),
        "walls": ("wall",),
    }
    for what, stems in words.items():
        if any(s in plain for s in stems) and (layer.lines or layer.outlines or layer.circles):
            return what
    return READ_AS[0]


def parts_of(drawing: Drawing, plan: Plan) -> Parts:
    """The parts that a plan's layers stand for. Layers read as nothing are left alone."""
    out = Parts()
    texts = [t for layer in drawing.layers.values() for t in layer.texts]
    for name, layer in drawing.layers.items():
        what = plan.layers.get(name, READ_AS[0])
        if what == "grid lines":
            _grids(layer, plan, texts, out)
            short = sum(float(np.linalg.norm(x[1, :2] - x[0, :2])) <= LEAST_GRID for x in layer.lines)
            _tell(name, f"lines of up to {LEAST_GRID:g} m", short, "grid lines", out)
        elif what == "columns":
            _columns(name, layer, plan, out)
        elif what == "beams":
            for line in (*layer.lines, *(s for o in layer.outlines for s in _sides(o))):
                ends = [[*p, plan.level] for p in (_flat(line, plan)).tolist()]
                out.members.append(
                    {
                        "start": ends[0],
                        "end": ends[1],
                        "section": plan.section,
                        "material": plan.beam_material,
                        "class": "beam",
                    }
                )
            _tell(name, "circles", len(layer.circles), "beams", out)
            close = len(_pairs([_flat(line, plan) for line in layer.lines]))
            if close:
                out.told.append(
                    f"layer {name}: {close} pairs of lines run less than {APART[1]:g} m apart: are they two edges of one beam?"
                )
        elif what == "slabs":
            _slabs(name, layer, plan, out)
            _tell(name, "lines that close no outline", len(layer.lines), "slabs", out)
            _tell(name, "circles", len(layer.circles), "slabs", out)
        elif what == "walls":
            _walls(name, layer, plan, out)
    own = [(place[:2] + plan.shift, text) for place, text in texts]
    out.told += apply_marks(out.members, own, plan.material)
    return out


def _slabs(name: str, layer: Layer, plan: Plan, out: Parts) -> None:
    """Closed outlines as slabs; one within another is an opening of it, not a second slab on it."""
    shapes = [Polygon(o[:, :2]) for o in layer.outlines]
    order = sorted(range(len(shapes)), key=lambda k: -shapes[k].area)
    inside: dict[int, int] = {}
    for n, k in enumerate(order):
        around = [
            j
            for j in order[:n]
            if shapes[j].is_valid
            and shapes[j].covers(shapes[k])
            and shapes[k].area < WHOLE_OF_IT * shapes[j].area
        ]
        # one in an opening is an island: a slab of its own
        if around and around[-1] not in inside:
            inside[k] = around[-1]
    for k in order:
        if k in inside:
            continue
        outline, *holes = (
            [[*p, plan.level] for p in _flat(layer.outlines[j], plan).tolist()]
            for j in (k, *(j for j, outer in inside.items() if outer == k))
        )
        part = {"outline": outline, "openings": holes, "thickness": plan.thickness, "material": plan.material}
        out.surfaces.append(part | {"class": "slab"})
    if inside:
        out.told.append(f"layer {name}: {len(inside)} outlines within others were taken for openings")


def _flat(points: Array, plan: Plan) -> Array:
    return np.asarray(points[:, :2] + plan.shift)


def _sides(outline: Array) -> list[Array]:
    return [
        np.array([a, b])
        for a, b in zip(outline, np.roll(outline, -1, axis=0))
        if np.linalg.norm(b - a) > SHORTEST
    ]


def _tell(layer: str, what: str, count: int, wanted: str, out: Parts) -> None:
    if count:
        out.told.append(f"layer {layer}: {count} {what} are no {wanted}")


def _grids(layer: Layer, plan: Plan, texts: Sequence[tuple[Array, str]], out: Parts) -> None:
    names = [(p[:2] + plan.shift, t) for p, t in texts if 0 < len(t) <= TEXT]
    pieces = [
        _flat(line, plan) for line in layer.lines if np.linalg.norm(line[1, :2] - line[0, :2]) > LEAST_GRID
    ]
    number = {"u": 0, "v": 0}
    for line in sorted(
        pieces, key=lambda p: (round(float(p[:, 0].mean()), 3), round(float(p[:, 1].mean()), 3))
    ):
        way = np.abs(line[1] - line[0])
        family = "u" if way[1] >= way[0] else "v"
        number[family] += 1
        found = min(
            ((float(np.linalg.norm(end - p)), t) for end in line for p, t in names),
            default=(np.inf, ""),
            key=lambda x: x[0],
        )
        own = (
            found[1]
            if found[0] <= NAME_REACH
            else f"{number[family]}"
            if family == "u"
            else chr(64 + min(number[family], 26))
        )
        out.grids.append({"name": own, "points": line.tolist(), "family": family})


def rectangle_of(outline: Array) -> tuple[Array, Array, float, float] | None:
    """Middle (2,), direction (2,) of the longer side, its length and that of the shorter one; None for what
    is no rectangle."""
    shape = Polygon(outline[:, :2])
    if not shape.is_valid or shape.area <= 0:
        return None
    box = MultiPoint(outline[:, :2]).minimum_rotated_rectangle
    if not isinstance(box, Polygon) or shape.area < (1 - RECTANGULAR) * box.area:
        return None
    corners = np.array(box.exterior.coords)[:4]
    sides = corners[1] - corners[0], corners[2] - corners[1]
    lengths = [float(np.linalg.norm(s)) for s in sides]
    k = int(lengths[1] > lengths[0])
    return corners.mean(axis=0), sides[k] / lengths[k], lengths[k], lengths[1 - k]


def _columns(name: str, layer: Layer, plan: Plan, out: Parts) -> None:
    other = again = 0
    seen: list[tuple[Array, float]] = []

    def twice(at: Array, size: float) -> bool:
        """Return whether a column stands there already: its outline and its filling are one."""
        if any(np.linalg.norm(at - p) < SAME_PLACE and abs(size - s) < SAME_PLACE for p, s in seen):
            return True
        seen.append((at, size))
        return False

    for o in layer.outlines:
        found = rectangle_of(o)
        if found is not None and found[2] <= LARGEST_COLUMN and twice(found[0], found[2]):
            again += 1
            continue
        if found is None or found[2] > LARGEST_COLUMN:
            other += 1
            continue
        middle, way, depth, width = found
        section = {
            "section": f"rectangle {width * 1000:.0f}x{depth * 1000:.0f}",
            "shape": "rectangle",
            "sizes": {"width": width, "depth": depth},
        }
        out.members.append(
            _column(middle + plan.shift, plan) | section | {"z_axis": [float(way[0]), float(way[1]), 0.0]}
        )
    for centre, radius in layer.circles:
        if 2 * radius > LARGEST_COLUMN:
            other += 1
            continue
        if twice(centre[:2], 2 * radius):
            again += 1
            continue
        section = {
            "section": f"circle {2000 * radius:.0f}",
            "shape": "circle",
            "sizes": {"diameter": 2 * radius},
        }
        out.members.append(_column(centre[:2] + plan.shift, plan) | section)
    _tell(
        name, f"outlines that are no rectangle or circle of up to {LARGEST_COLUMN:g} m", other, "columns", out
    )
    _tell(name, "lines that close no outline", len(layer.lines), "columns", out)
    if again:
        out.told.append(
            f"layer {name}: {again} outlines on others (an outline and its filling) are the same columns"
        )


def _column(at: Array, plan: Plan) -> dict[str, Any]:
    x, y = (float(v) for v in at)
    return {
        "start": [x, y, plan.foot],
        "end": [x, y, plan.level],
        "material": plan.material,
        "class": "column",
    }


def _walls(name: str, layer: Layer, plan: Plan, out: Parts) -> None:
    other = 0
    for o in layer.outlines:
        found = rectangle_of(o)
        if found is None or found[3] > THICKEST or found[2] < SLENDER * found[3]:
            other += 1
            continue
        middle, way, length, thickness = found
        out.surfaces.append(
            _wall(
                np.array([middle - way * length / 2, middle + way * length / 2]) + plan.shift, thickness, plan
            )
        )
    lines = [_flat(line, plan) for line in layer.lines if LineString(line[:, :2]).length > SHORTEST]
    faces = _pairs(lines)
    used = {k for i, j, _, _ in faces for k in (i, j)}
    out.surfaces += [_wall(middle, apart, plan) for _, _, middle, apart in faces]
    out.surfaces += [_wall(line, plan.thickness, plan) for k, line in enumerate(lines) if k not in used]
    if faces:
        out.told.append(
            f"layer {name}: {len(faces)} pairs of parallel lines were taken for the two faces of a wall"
        )
    _tell(name, "outlines that are no long rectangle", other, "walls", out)
    _tell(name, "circles", len(layer.circles), "walls", out)


def _pairs(lines: Sequence[Array]) -> list[tuple[int, int, Array, float]]:
    """Pairs of lines (2, 2) that run beside each other, each line in one pair at most: numbers, the line
    between them, and their distance."""
    if len(lines) < 2:
        return []
    ends = np.array(lines)
    way = ends[:, 1] - ends[:, 0]
    length = np.linalg.norm(way, axis=1)
    way = way / length[:, None]
    shapes = linestrings(ends)
    first, second = STRtree(shapes).query(shapes, predicate="dwithin", distance=APART[1])
    found: list[tuple[float, int, int, Array]] = []
    for i, j in zip(first[first < second].tolist(), second[first < second].tolist()):
        normal = np.array([-way[i, 1], way[i, 0]])
        off = float((ends[j].mean(axis=0) - ends[i, 0]) @ normal)
        if not APART[0] <= abs(off) <= APART[1] or abs(float(way[j] @ normal)) >= PARALLEL:
            continue
        t = np.sort((ends[j] - ends[i, 0]) @ way[i])
        low, high = max(0.0, float(t[0])), min(float(length[i]), float(t[1]))
        if high - low > BESIDE * min(length[i], length[j]):
            middle = ends[i, 0] + np.outer([low, high], way[i]) + normal * off / 2
            found.append((abs(off), i, j, middle))
    used: set[int] = set()
    out = []
    for apart, i, j, middle in sorted(found, key=lambda f: (round(f[0], 6), f[1], f[2])):
        if not used & {i, j}:
            used |= {i, j}
            out.append((i, j, middle, apart))
    return out


def _wall(line: Array, thickness: float, plan: Plan) -> dict[str, Any]:
    (ax, ay), (bx, by) = line.tolist()
    outline = [[ax, ay, plan.foot], [bx, by, plan.foot], [bx, by, plan.level], [ax, ay, plan.level]]
    return {"outline": outline, "thickness": thickness, "material": plan.material, "class": "wall"}
