"""Missing parts added to a model: members between places, joined to what lies there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from ...words import and_more
from ..catalogue.catalogue import catalogue, catalogue_section
from ..catalogue.own import own_section
from ..catalogue.shapes import ShapeError
from ..catalogue.taper import other_way
from ..entities.grid import GridLine
from ..entities.model import Model, Storey
from ..entities.section import Section
from ..entities.structure import PINNED_END, Joint, Member, Release
from ..entities.surface import Surface
from ..geometry.tying import tie_members
from ..geometry.vectors import Array, class_by_slope, closest_on_segment, default_z
from ..roles import Role
from .base import Edit, EditError, counted, material_in

SHORTEST = 0.01  # m
SAME_GRID = SAME_LEVEL = 0.05  # m


@dataclass
class AddMembers(Edit):
    """Add members, as records with `start` and `end` (m, in the model's axes), `section`, `material`, and if
    wanted `name`, `class`, `z_axis`, `pinned_start`, `pinned_end`, or `release_start`, `release_end` as words
    that `Release.of` takes, and `offset_start`, `offset_end` (m, global), from the node to the end.

    An end, less its offset, takes the node that lies within the snap distance, else a new joint of the member
    that passes there, else a node of its own; nodes that lie within it along its line become its joints.
    Slabs and walls that a member ends at or lies along are tied to it. The section is one of the model's, of
    the catalogue, or made of a `shape` with its `sizes` (m)."""

    words = "added members"
    roles = {
        "parts": {
            "start": Role.PLACE,
            "end": Role.PLACE,
            "z_axis": Role.DIRECTION,
            "offset_start": Role.DIRECTION,
            "offset_end": Role.DIRECTION,
        }
    }

    parts: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Add {counted(self.parts, 'member')}"

    def change(self, model: Model) -> str:
        if not self.parts:
            raise EditError("there is nothing to add")
        made = [self._add(model, dict(p)) for p in self.parts]
        joined = sum(len(own) for _, own in made)
        names = ", ".join(m.name or m.id for m, _ in made[:5])
        tied = tie_members(model, [m for m, _ in made], list(model.surfaces.values()), self.owned(model))
        words = f"; {tied} of them tied to slabs or walls" if tied else ""
        return f"added {names}{and_more(made, 5)}; {joined} of {2 * len(made)} ends met something{words}"

    def _add(self, model: Model, part: dict[str, Any]) -> tuple[Member, list[str]]:
        line = self._line(part)
        section, material = str(part.get("section", "")), str(part.get("material", ""))
        if section not in model.sections:
            if part.get("shape"):
                model.sections[section] = self._own_section(section, part)
            elif section not in catalogue():
                raise EditError(f"section {section!r} is neither in the model nor in the catalogue")
            else:
                model.sections[section] = catalogue_section(section, how="set by hand")
        if part.get("other_way"):
            turned = other_way(model.sections[section])
            section = turned.name
            model.sections.setdefault(section, turned)
        material_in(model, material)
        met: list[str] = []
        offsets = _offset(part, "start"), _offset(part, "end")
        nodes = [self._node(model, point - off, met) for point, off in zip(line, offsets)]
        if nodes[0] == nodes[1]:
            raise EditError("both ends would lie at one node")
        ident = free_id(model)
        z = part.get("z_axis")
        direction = line[1] - line[0]
        cls = str(part.get("class") or class_by_slope(direction))
        own = Member(
            ident,
            str(part.get("name") or ident),
            cls,
            nodes[0],
            nodes[1],
            section,
            material,
            np.array(z, float) if z is not None else default_z(direction),
            model.storey_of(float(line[:, 2].min() if cls == "column" else line[:, 2].mean())),
            _release(part, "start"),
            _release(part, "end"),
            *offsets,
        )
        for other in model.members.values():
            if {other.start, other.end} == {own.start, own.end}:
                raise EditError(f"{other.name or other.id} lies there already")
        own.joints = self._passed(model, line, set(nodes))
        model.members[ident] = own
        return own, met

    @staticmethod
    def _own_section(name: str, part: dict[str, Any]) -> Section:
        try:
            made = own_section(name, str(part["shape"]), dict(part.get("sizes") or {}))
        except ShapeError as error:
            raise EditError(str(error)) from None
        if not made.usable:
            raise EditError(f"section {name!r} has no stiffness")
        return made

    @staticmethod
    def _passed(model: Model, line: Array, ends: set[str]) -> list[Joint]:
        """Joints at nodes of others that lie on the line between its ends."""
        ids = [n for n in model.nodes if n not in ends]
        if not ids:
            return []
        length = float(np.linalg.norm(line[1] - line[0]))
        x = (line[1] - line[0]) / length
        rel = np.array([model.nodes[n].point for n in ids]) - line[0]
        along = rel @ x
        off = np.linalg.norm(rel - np.outer(along, x), axis=1)
        on = (off <= max(model.snap, 1e-3)) & (along > SHORTEST) & (along < length - SHORTEST)
        return sorted((Joint(float(along[k]), ids[k]) for k in np.flatnonzero(on)), key=lambda j: j.distance)

    @staticmethod
    def _line(part: dict[str, Any]) -> Array:
        try:
            line = np.array([part["start"], part["end"]], float)
        except (KeyError, TypeError, ValueError):
            raise EditError("a member needs a start and an end of three numbers each") from None
        if line.shape != (2, 3) or not np.isfinite(line).all():
            raise EditError("a member needs a start and an end of three numbers each")
        if np.linalg.norm(line[1] - line[0]) < SHORTEST:
            raise EditError("a member needs some length")
        return line

    def _node(self, model: Model, point: Array, met: list[str]) -> str:
        """The node of an end: one that lies there, or a new joint of a member that passes, or a new one."""
        reach = max(model.snap, 1e-3)
        ids = list(model.nodes)
        if ids:
            off = np.linalg.norm(np.array([model.nodes[n].point for n in ids]) - point, axis=1)
            if off.min() <= reach:
                met.append(ids[int(off.argmin())])
                return ids[int(off.argmin())]
        members = list(model.members.values())
        if members:
            lines = model.lines_of(members)
            along, _ = closest_on_segment(np.tile(point, (len(lines), 1)), lines[:, 0], lines[:, 1])
            length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1)
            feet = lines[:, 0] + (lines[:, 1] - lines[:, 0]) * (along / np.maximum(length, 1e-12))[:, None]
            off = np.linalg.norm(feet - point, axis=1)
            k = int(off.argmin())
            if off[k] <= reach and SHORTEST < along[k] < length[k] - SHORTEST:
                target = self.member(model, members[k].id)
                node = self.new_node(model, feet[k])
                target.joints = sorted(
                    [*target.joints, Joint(float(along[k]), node)], key=lambda j: j.distance
                )
                met.append(node)
                return node
        return self.new_node(model, point)


@dataclass
class AddStoreys(Edit):
    """Add levels, as records with `name` and `at`: a place (m, in the model's axes) of which the height
    counts. Parts that are there keep their storey."""

    words = "storeys"
    roles = {"storeys": {"at": Role.PLACE}}

    storeys: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Add {counted(self.storeys, 'storey')}"

    def change(self, model: Model) -> str:
        if not self.storeys:
            raise EditError("there is nothing to add")
        now = list(model.storeys)
        for s in self.storeys:
            try:
                name, height = str(s["name"]).strip(), float(s["at"][2])
            except (KeyError, TypeError, ValueError, IndexError):
                raise EditError("a storey needs a name and a height") from None
            if not name or not np.isfinite(height):
                raise EditError("a storey needs a name and a height")
            if any(x.name == name for x in now):
                raise EditError(f"there is a storey {name!r} already")
            near = next((x for x in now if abs(x.elevation - height) < SAME_LEVEL), None)
            if near is not None:
                raise EditError(f"{near.name} lies at that height already")
            now.append(Storey(name, height))
        model.storeys = sorted(now, key=lambda x: x.elevation)
        names = ", ".join(f"{s['name']} at {float(s['at'][2]):g} m" for s in self.storeys[:5])
        return f"added {counted(self.storeys, 'storey')}: {names}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


@dataclass
class AddGrids(Edit):
    """Add grid lines, as records with `name`, `points` (two or more in plan, m, in the model's axes) and
    `family` (u or v). One of a name and place that is there already is left out."""

    words = "grid lines"
    roles = {"lines": {"points": Role.PLAN}}

    lines: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Add {counted(self.lines, 'grid line')}"

    def change(self, model: Model) -> str:
        made: list[GridLine] = []
        for line in self.lines:
            try:
                points = np.array(line["points"], float).reshape(-1, 2)
            except (KeyError, TypeError, ValueError):
                raise EditError("a grid line needs points of two numbers each") from None
            if (
                len(points) < 2
                or not np.isfinite(points).all()
                or np.linalg.norm(points[-1] - points[0]) < SHORTEST
            ):
                raise EditError("a grid line needs two points that lie apart")
            name = str(line.get("name", ""))
            if not any(same_grid(g, name, points) for g in (*model.grids, *made)):
                made.append(GridLine(name, points, str(line.get("family", "u")), "by hand"))
        if not made:
            raise EditError("these grid lines are there already")
        model.grids = [*model.grids, *made]
        return f"added {counted(made, 'grid line')}: {', '.join(g.name for g in made[:8])}"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


def same_grid(g: GridLine, name: str, points: Array) -> bool:
    """Return whether a grid line has that name and runs along those points, as far as both go."""
    if g.name != name:
        return False
    along = (g.points[-1] - g.points[0]) / max(float(np.linalg.norm(g.points[-1] - g.points[0])), 1e-9)
    off = (points - g.points[0]) @ np.array([-along[1], along[0]])
    return bool(np.abs(off).max() < SAME_GRID)


def free_id(model: Model) -> str:
    """An id for a part added by hand."""
    number = 1
    while model.part(f"added-{number}") is not None or f"added-{number}" in model.removed_members:
        number += 1
    return f"added-{number}"


def copies(
    model: Model, members: list[str], step: tuple[float, float, float], times: int
) -> list[dict[str, Any]]:
    """Records of copies of members, `times` of them, each a `step` (m) farther, for AddMembers."""
    out: list[dict[str, Any]] = []
    for n in range(1, times + 1):
        by = np.array(step) * n
        more = f" copy {n}" if times > 1 else " copy"
        out += [_member_record(model, ident, partial(np.add, by), more) for ident in members]
    return out


def surface_copies(
    model: Model, surfaces: list[str], step: tuple[float, float, float], times: int
) -> list[dict[str, Any]]:
    """Records of copies of slabs and walls for AddSurfaces, as `copies` makes them of members."""
    out: list[dict[str, Any]] = []
    for n in range(1, times + 1):
        by = np.array(step) * n
        out += [
            _surface_record(model.surfaces[i], partial(np.add, by), f" copy {n}" if times > 1 else " copy")
            for i in surfaces
        ]
    return out


def copies_on_levels(
    model: Model, members: list[str], surfaces: list[str], names: list[str]
) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """Records for AddMembers and AddSurfaces of copies of parts on other storeys, which may be of other
    heights: what reaches from level to level reaches from level to level there, what lies between lies in
    the same share of the height, and what is beyond the building's levels keeps its distance. Raises
    EditError for a storey that is not there, or that has no level above it where the parts have one."""
    levels = sorted(model.storeys, key=lambda s: s.elevation)
    z = np.array([s.elevation for s in levels])
    heights = [model.line(model.members[i])[:, 2] for i in members]
    heights += [model.surfaces[i].outer[:, 2] for i in surfaces]
    low, high = min(float(h.min()) for h in heights), max(float(h.max()) for h in heights)
    base = int(np.abs(z - low).argmin())
    top = base + int(np.searchsorted(z[base:], high - SAME_LEVEL))  # the level that they reach
    lines: list[dict[str, Any]] = []
    panels: list[dict[str, Any]] = []
    for name in names:
        to = next((k for k, s in enumerate(levels) if s.name == name), None)
        if to is None:
            raise EditError(f"there is no storey {name!r}")
        if to == base:
            raise EditError(f"the parts stand on {name} already")
        if min(top, len(z) - 1) - base + to >= len(z):
            raise EditError(
                f"the parts reach from {levels[base].name} to {levels[min(top, len(z) - 1)].name}; no level lies so far above {name}"
            )
        here, there_ = z[base : top + 1], z[to : to + top + 1 - base]
        count = min(len(here), len(there_))

        def moved(p: Array, a: Array = here[:count], b: Array = there_[:count]) -> Array:
            out = np.array(p, float)
            v = out[..., 2]
            inside = np.interp(v, a, b)
            out[..., 2] = np.where(v < a[0], v - a[0] + b[0], np.where(v > a[-1], v - a[-1] + b[-1], inside))
            return out

        lines += [_member_record(model, i, moved, f" {name}") for i in members]
        panels += [_surface_record(model.surfaces[i], moved, f" {name}") for i in surfaces]
    return lines, panels


def _release(part: dict[str, Any], at: str) -> Release:
    """The release that a record of AddMembers gives to an end."""
    if part.get(f"pinned_{at}"):
        return PINNED_END
    try:
        return Release.of(str(part.get(f"release_{at}") or ""))
    except ValueError as error:
        raise EditError(f"release of the {at}: {error}") from None


def _offset(part: dict[str, Any], at: str) -> Array:
    """The way from the node to an end that a record of AddMembers gives, (3,) m."""
    try:
        by = np.array(part.get(f"offset_{at}") or (0.0, 0.0, 0.0), float)
    except (TypeError, ValueError):
        by = np.zeros(0)
    if by.shape != (3,) or not np.isfinite(by).all():
        raise EditError(f"the offset of the {at} needs three numbers")
    return by


def _member_record(model: Model, ident: str, moved: Callable[[Array], Array], more: str) -> dict[str, Any]:
    m = model.members[ident]
    line = moved(model.line(m))
    return {
        "start": line[0].tolist(),
        "end": line[1].tolist(),
        "section": m.section,
        "material": m.material,
        "class": m.cls,
        "name": f"{m.name or m.id}{more}",
        "z_axis": m.z_axis.tolist(),
        "release_start": m.release_start.words,
        "release_end": m.release_end.words,
        "offset_start": m.offset_start.tolist(),
        "offset_end": m.offset_end.tolist(),
    }


def mirror_images(
    model: Model, members: list[str], surfaces: list[str], axis: str, at: float
) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """Records for AddMembers and AddSurfaces of the images of parts in the upright plane x = `at` or y = `at`
    (m, in the model's axes). An image runs the other way, so that its section, whichever it is, is the image
    of the section."""
    k = "xy".index(axis)

    def image(p: Array) -> Array:
        out = np.array(p, float)
        out[..., k] = 2 * at - out[..., k]
        return out

    def turned(v: Array) -> list[float]:
        return [-float(x) if i == k else float(x) for i, x in enumerate(v)]

    lines = []
    for ident in members:
        m = model.members[ident]
        end, start = image(model.line(m))
        section = model.sections.get(m.section)
        tapers = {"other_way": True} if section is not None and section.end is not None else {}
        lines.append(
            {
                "start": start.tolist(),
                "end": end.tolist(),
                "section": m.section,
                "material": m.material,
                "class": m.cls,
                "name": f"{m.name or m.id} mirrored",
                "z_axis": turned(m.z_axis),
                "release_start": m.release_end.words,
                "release_end": m.release_start.words,
                "offset_start": turned(m.offset_end),
                "offset_end": turned(m.offset_start),
                **tapers,
            }
        )
    return lines, [_surface_record(model.surfaces[i], image, " mirrored") for i in surfaces]


def _surface_record(s: Surface, moved: Callable[[Array], Array], more: str) -> dict[str, Any]:
    return {
        "outline": moved(s.outer).tolist(),
        "openings": [moved(o).tolist() for o in s.openings],
        "thickness": s.thickness,
        "material": s.material,
        "class": "wall" if s.upright else "slab",
        "name": f"{s.name or s.id}{more}",
        "way": s.way,
    }
