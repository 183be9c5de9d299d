"""Places of cuts: from two points in plan, in regular sets across a floor, through a wall, and the same on
another storey."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...model import Model, Surface
from ...model.entities.cuts import Cut
from ...model.geometry.directions import lies_at, turn
from ...model.geometry.heights import LEVEL_REACH
from ...model.geometry.vectors import Array
from ...model.settings import CutSettings

LEVEL = 1e-6  # m; what rises by less is level


class CutError(ValueError):
    """A cut that cannot be made; the message says why."""


def cut_of(model: Model, name: str, storey: str, line: Array, about: Array | None, factor: float) -> Cut:
    """A cut across a storey's floor from two points in plan (2, 2), in the source's coordinates. Raises
    CutError."""
    found = next((s for s in model.storeys if s.name == storey), None)
    if found is None:
        known = ", ".join(s.name for s in model.storeys) or "none"
        raise CutError(f"cut {name}: there is no storey {storey!r}; the model has {known}")
    if np.linalg.norm(line[1] - line[0]) < 1e-6:
        raise CutError(f"cut {name}: both its ends are at one place")
    slabs = level_slabs(model, found.elevation, np.array([s.elevation for s in model.storeys]))
    z = float(np.mean([s.outer[:, 2].mean() for s in slabs])) if slabs else found.elevation

    def placed(p: Array) -> Array:
        return np.array([p[0] - model.origin[0], p[1] - model.origin[1], z])

    point = None if about is None else placed(about)
    return Cut(name, np.array([placed(p) for p in line]), [s.id for s in slabs], "", storey, factor, point)


def cuts_of(model: Model, asked: list[CutSettings]) -> tuple[list[Cut], list[str]]:
    """Cuts of the settings that a model can take, and why it cannot take the others."""
    made: list[Cut] = []
    lost: list[str] = []
    for c in asked:
        about = None if c.about is None else np.array(c.about, float)
        try:
            made.append(cut_of(model, c.name, c.storey, np.array([c.start, c.end], float), about, c.factor))
        except CutError as error:
            lost.append(str(error))
    return made, lost


def across_floor(model: Model, cut: Cut) -> bool:
    """Return whether a cut lies level in slabs, as settings ask for one; not through a wall."""
    level = abs(float(cut.line[1, 2] - cut.line[0, 2])) <= LEVEL
    own = [model.surfaces[s] for s in cut.surfaces if s in model.surfaces]
    return bool(cut.storey) and level and bool(own) and not any(s.upright for s in own)


def settings_of_cuts(model: Model) -> tuple[list[CutSettings], list[str]]:
    """Return the cuts of a model as settings ask for them, and the names of those that settings cannot say:
    through walls, or across no floor of one storey."""
    made: list[CutSettings] = []
    left: list[str] = []
    for c in model.cuts:
        line = c.line + model.origin
        if not across_floor(model, c):
            left.append(c.name)
            continue
        about = None if c.about is None else (c.about + model.origin)[:2].tolist()
        made.append(
            CutSettings(c.name, c.storey, line[0, :2].tolist(), line[1, :2].tolist(), about, c.factor)
        )
    return made, left


def floor_surfaces(model: Model, storey: str) -> list[Surface]:
    """Slabs of the floor at a storey's level. Raises CutError for a storey that is not there or has none."""
    found = next((s for s in model.storeys if s.name == storey), None)
    if found is None:
        raise CutError(f"there is no storey {storey!r}")
    out = level_slabs(model, found.elevation, np.array([s.elevation for s in model.storeys]))
    if not out:
        raise CutError(f"there is no slab at the level of storey {storey}")
    return out


def level_slabs(model: Model, elevation: float, levels: Array) -> list[Surface]:
    """Slabs whose middle is near an elevation (m), and no nearer to another of `levels` (n,)."""
    out = []
    for s in model.surfaces.values():
        off = abs(float(s.outer[:, 2].mean()) - elevation)
        if (
            not s.upright
            and off <= LEVEL_REACH
            and np.abs(levels - float(s.outer[:, 2].mean())).min() >= off - 1e-9
        ):
            out.append(s)
    return out


def regular_cuts(
    model: Model, storey: str, direction: str, spacing: float, first: float | None = None, factor: float = 1.0
) -> list[dict[str, Any]]:
    """Cuts across a floor, square to `direction` ("x" or "y", of the building's own axes where it is turned),
    every `spacing` (m) from `first` (None: half a spacing from the edge), as records for AddCuts. Raises
    CutError."""
    if spacing < 0.05:
        raise CutError(f"a spacing of {spacing:g} m is too small")
    slabs = floor_surfaces(model, storey)
    own = turn(lies_at(model))
    points = np.concatenate([s.outer for s in slabs]) @ own
    low, high = points.min(axis=0), points.max(axis=0)
    d = "xy".index(direction)
    start = spacing / 2 if first is None else first
    out = []
    for k in range(int(np.floor((high[d] - low[d] - start) / spacing - 1e-9)) + 1):
        line = np.array([low, high])
        line[:, 2] = points[:, 2].mean()
        line[:, d] = low[d] + start + k * spacing
        # to the left of the cut's direction lies what is farther along
        if direction == "x":
            line = line[::-1]
        family = f"{storey} {direction}"
        out.append(
            {
                "name": f"{family}{k + 1}",
                "line": (line @ own.T).tolist(),
                "surfaces": [s.id for s in slabs],
                "family": family,
                "storey": storey,
                "factor": factor,
            }
        )
    if not out:
        raise CutError(f"the floor of {storey} is shorter along {direction} than the first cut's place")
    return out


def wall_cut(model: Model, ident: str, height: float, factor: float = 1.0) -> dict[str, Any]:
    """A level cut through a wall, `height` (m) above its foot, as a record for AddCuts. Raises CutError."""
    s = model.surfaces.get(ident)
    if s is None or not s.upright:
        raise CutError("a cut through a wall needs a wall")
    low, high = float(s.outer[:, 2].min()), float(s.outer[:, 2].max())
    if not 0 < height < high - low:
        raise CutError(f"the wall is {high - low:.2f} m high; a cut at {height:.2f} m misses it")
    level = np.cross(s.plain_axes[2], [0.0, 0, 1])
    level = level / np.linalg.norm(level)
    along = (s.outer - s.outer[0]) @ level
    ends = s.outer[0] + np.outer([along.max(), along.min()], level)
    ends[:, 2] = low + height
    # seen against the normal, above lies to the left
    if np.cross(s.plain_axes[2], ends[1] - ends[0])[2] < 0:
        ends = ends[::-1]
    name = f"{s.name or ident} at {height:.2f} m"
    return {"name": name, "line": ends.tolist(), "surfaces": [ident], "storey": s.storey, "factor": factor}


def _renamed(text: str, old: str, new: str) -> str:
    """A cut's name for another storey: that of its own gives way where the name begins with it ("1 x1" to "2
    x1")."""
    head = f"{old} "
    return f"{new} {text.removeprefix(head) if old else text}".strip()


def on_storey(model: Model, cuts: list[Cut], storey: str) -> list[dict[str, Any]]:
    """The same cuts in plan on another storey's floor, as records for AddCuts. Raises CutError."""
    slabs = floor_surfaces(model, storey)
    z = float(np.mean([s.outer[:, 2].mean() for s in slabs]))
    out = []
    for c in cuts:
        line = c.line.copy()
        line[:, 2] = z
        family, name = (_renamed(text, c.storey, storey) for text in (c.family, c.name))
        out.append(
            {
                "name": name,
                "line": line.tolist(),
                "surfaces": [s.id for s in slabs],
                "family": family,
                "storey": storey,
                "factor": c.factor,
            }
        )
    return out
