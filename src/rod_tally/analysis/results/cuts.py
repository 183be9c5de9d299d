"""Forces that pass through a cut across a floor or through a wall, from the equilibrium of what lies on either side of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...meshing import Plates
from ...model import Model, Surface
from ...model.entities.cuts import Cut
from ...model.geometry.vectors import Array
from ..shells.assembly import layers
from ..shells.elements import frames_of, stiffness, to_global

AT_LEVEL = 0.75  # m; slabs this near to a storey's elevation are its floor
CUT_COMPONENTS = ("n", "v", "vz", "m", "mb", "mt")


class CutError(ValueError):
    """A cut that cannot be made; the message says why."""


@dataclass(slots=True)
class CutForces:
    """N and N m, about the middle of the cut, `factor` included: n across the cut (tension positive), v along it in the plane,
    vz out of the plane; m about the plane's normal, mb about the cut itself, mt about the direction across it.

    They are what the side to the left of the cut's direction, seen against the plane's normal, gives the other.
    """

    n: float
    v: float
    vz: float
    m: float
    mb: float
    mt: float


def axes_of(cut: Cut, surface: Surface) -> Array:
    """Rows: across the cut (to its left), along it, the plane's normal."""
    t = cut.line[1] - cut.line[0]
    t = t / np.linalg.norm(t)
    z = surface.plain_axes[2]
    return np.array([np.cross(z, t), t, z])


class Section:
    """The elements on both sides of a cut and the nodes between them; found once, then asked for any movements."""

    def __init__(self, model: Model, plates: Plates, cut: Cut) -> None:
        """Raises CutError for a cut that crosses no element."""
        self.cut = cut
        shapes = [plates.shapes[s] for s in cut.surfaces if s in plates.surfaces]
        if not shapes:
            raise CutError(f"cut {cut.name} crosses nothing that the run computes as a shell")
        self.axes = axes_of(cut, shapes[0])
        self.middle = cut.line.mean(axis=0)
        chosen = np.array([s in set(cut.surfaces) for s in plates.surfaces], bool)
        length = float(np.linalg.norm(cut.line[1] - cut.line[0]))
        # both sides: their elements, with stiffness where they touch the other side's nodes
        sides: list[list[tuple[NDArray[np.int64], NDArray[np.int64]]]] = [[], []]
        nodes: list[list[NDArray[np.int64]]] = [[], []]
        for elements, of in ((plates.quads, plates.quad_of), (plates.triangles, plates.triangle_of)):
            rel = plates.points[elements].mean(axis=1) - cut.line[0]
            along, across = rel @ self.axes[1], rel @ self.axes[0]
            mine = chosen[of] & (along >= -1e-6) & (along <= length + 1e-6)
            for k, side in enumerate((across > 0, across <= 0)):
                sides[k].append((elements[mine & side], of[mine & side]))
                nodes[k].append(elements[mine & side].ravel())
        self.between = np.intersect1d(np.concatenate(nodes[0]), np.concatenate(nodes[1]))
        if not len(self.between):
            raise CutError(f"cut {cut.name} crosses no element")
        self.arms = plates.points[self.between] - self.middle
        self.parts = []
        for side in sides:
            own = []
            for elements, of in side:
                touching = np.isin(elements, self.between).any(axis=1)
                if touching.any():
                    e = elements[touching]
                    frames = frames_of(plates.points[e])
                    own.append((e, to_global(frames, stiffness(frames, layers(model, plates, of[touching])))))
            self.parts.append(own)

    def forces(self, u: Array) -> CutForces:
        """For movements u (n, 6) of the mesh's nodes."""
        total = np.zeros((2, 6))
        place = {int(n): k for k, n in enumerate(self.between)}
        for k, part in enumerate(self.parts):
            at = np.zeros((len(self.between), 6))
            for e, stiff in part:
                f = np.einsum("eij,ej->ei", stiff, u[e].reshape(len(e), -1)).reshape(len(e), -1, 6)
                inside = np.isin(e, self.between)
                np.add.at(at, [place[int(n)] for n in e[inside]], f[inside])
            total[k, :3] = at[:, :3].sum(axis=0)
            total[k, 3:] = (at[:, 3:] + np.cross(self.arms, at[:, :3])).sum(axis=0)
        # what the cut does to the left side, and against what it does to the other: loads on the cut go half to each
        given = -(total[0] - total[1]) / 2 * self.cut.factor
        force, moment = self.axes @ given[:3], self.axes @ given[3:]
        return CutForces(
            float(force[0]), float(force[1]), float(force[2]), float(moment[2]), float(moment[1]), float(moment[0])
        )


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
        if not s.upright and off <= AT_LEVEL and np.abs(levels - float(s.outer[:, 2].mean())).min() >= off - 1e-9:
            out.append(s)
    return out


def regular_cuts(
    model: Model, storey: str, direction: str, spacing: float, first: float | None = None, factor: float = 1.0
) -> list[dict[str, Any]]:
    """Cuts across a floor, square to `direction` ("x" or "y"), every `spacing` (m) from `first` (None: half a spacing from the
    edge), as records for AddCuts. Raises CutError."""
    if spacing < 0.05:
        raise CutError(f"a spacing of {spacing:g} m is too small")
    slabs = floor_surfaces(model, storey)
    points = np.concatenate([s.outer for s in slabs])
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
                "name": f"{family}{k + 1}", "line": line.tolist(), "surfaces": [s.id for s in slabs],
                "family": family, "storey": storey, "factor": factor,
            }
        )  # fmt: skip
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
    """A cut's name for another storey: that of its own gives way where the name begins with it ("1 x1" to "2 x1")."""
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
                "name": name, "line": line.tolist(), "surfaces": [s.id for s in slabs], "family": family,
                "storey": storey, "factor": c.factor,
            }
        )  # fmt: skip
    return out
