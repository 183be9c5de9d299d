"""Slabs, walls and openings made by hand: outlines in a plane, tied to what they touch."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from shapely.geometry import LineString, Point, Polygon

from ..entities.model import Model
from ..entities.surface import Surface, SurfaceJoint
from ..geometry.panels import SHORTEST
from ..geometry.tying import tie_parts, tie_surfaces
from ..geometry.vectors import Array
from ..roles import Role
from .adding import free_id
from .base import Edit, EditError, counted, material_in

FLAT = 0.005  # m; corners this near to one plane lie in it
LEAST = 0.01  # m2
SAME = 0.01  # m; outlines whose corners lie this near are one
CLASSES = ("slab", "wall")
WAYS = {"slab": ("shell", "two-way", "one-way"), "wall": ("shell", "column")}
TINY = 1e-9  # m


@dataclass
class AddSurfaces(Edit):
    """Add slabs and walls, as records with `outline` (corners in order, m, in the model's axes), `thickness`
    (m), `material`, and if wanted `openings` (outlines), `class` ("slab" or "wall"; by its slope), `name`,
    `way` (how it carries, "shell").

    Corners are brought into their common plane. Surfaces that it meets and members that end at it or lie
    along it are tied to it. A slab that hands its loads on stiffens its storey in plane."""

    words = "added slabs and walls"
    roles = {"parts": {"outline": Role.PLACES, "openings": Role.RINGS}}

    parts: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Add {counted(self.parts, 'slab or wall') if len(self.parts) == 1 else f'{len(self.parts)} slabs and walls'}"

    def change(self, model: Model) -> str:
        if not self.parts:
            raise EditError("there is nothing to add")
        made = [self._add(model, dict(p)) for p in self.parts]
        surfaces, members = tie_surfaces(model, [s.id for s in made], self.owned_but(model, made))
        names = ", ".join(s.name for s in made[:5])
        area = sum(s.area for s in made)
        return f"added {names}, {area:.4g} m²; tied to {surfaces} other surfaces and {members} members"

    def owned_but(self, model: Model, made: list[Surface]) -> Any:
        """As `owned`; what was just made is not copied."""
        own, new = self.owned(model), {s.id: s for s in made}
        return lambda ident: new[ident] if ident in new else own(ident)

    def _add(self, model: Model, part: dict[str, Any]) -> Surface:
        outer = ring(part.get("outline"))
        material = str(part.get("material", ""))
        material_in(model, material)
        try:
            thickness = float(part["thickness"])
        except (KeyError, TypeError, ValueError):
            raise EditError("a slab or wall needs a thickness") from None
        if not 0 < thickness < 100:
            raise EditError(f"a thickness of {thickness:g} m is none")
        made = Surface(free_id(model), "", "", "", outer, [], thickness, material)
        cls = str(part.get("class") or ("wall" if made.upright else "slab"))
        if cls not in CLASSES:
            raise EditError(f"{cls!r} is neither slab nor wall")
        if (cls == "wall") != made.upright:
            raise EditError("a wall stands upright, and a slab does not")
        way = str(part.get("way") or "shell")
        if way not in WAYS[cls]:
            raise EditError(f"a {cls} carries as {' or '.join(WAYS[cls])}, not {way!r}")
        made.cls, made.way = cls, way
        made.diaphragm = way in ("two-way", "one-way") and not made.upright
        made.name = str(part.get("name") or made.id)
        made.storey = model.storey_of(float(outer[:, 2].min() if cls == "wall" else outer[:, 2].mean()))
        for other in model.surfaces.values():
            if same_ring(other.outer, outer):
                raise EditError(f"{other.name or other.id} lies there already")
        for opening in part.get("openings") or ():
            cut_opening(made, opening)
        model.surfaces[made.id] = made
        return made


@dataclass
class AddOpenings(Edit):
    """Cut openings into slabs and walls, as records with `surface` (its id) and `outline` (corners in order,
    m, in the model's axes); corners are brought into the surface's plane. Ties that lie in an opening alone
    are gone with it."""

    words = "openings"
    roles = {"openings": {"outline": Role.PLACES, "surface": Role.PIECE}}

    openings: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"Cut {counted(self.openings, 'opening') if len(self.openings) > 1 else 'an opening'}"

    def change(self, model: Model) -> str:
        if not self.openings:
            raise EditError("there is nothing to cut")
        own = self.owned(model)
        words = []
        for part in self.openings:
            s = own(str(part.get("surface", "")))
            area = cut_opening(s, part.get("outline"))
            dropped = _cut_ties(model, s, own)
            words.append(
                f"{area:.3g} m² in {s.name or s.id}" + (f", {dropped} ties in it gone" if dropped else "")
            )
        return f"cut {counted(words, 'opening') if len(words) > 1 else 'an opening'}: {'; '.join(words)}"


@dataclass
class CloseOpening(Edit):
    """Close the opening of a surface that lies nearest to a place (m, in the model's axes)."""

    words = "a closed opening"
    roles = {"surface_id": Role.PIECE, "at": Role.PLACE}

    surface_id: str
    at: list[float]

    def __post_init__(self) -> None:
        self.text = "Close an opening"

    def change(self, model: Model) -> str:
        s = self.surface(model, self.surface_id)
        if not s.openings:
            raise EditError(f"{s.name or s.id} has no opening")
        off = [float(np.linalg.norm(o.mean(axis=0) - np.array(self.at, float))) for o in s.openings]
        gone = s.openings.pop(int(np.argmin(off)))
        return f"closed an opening of {Polygon(s.flat(gone)).area:.3g} m² in {s.name or s.id}"


@dataclass
class TieParts(Edit):
    """Tie members, slabs and walls that stop short of a slab or wall, or pass beside it, to it by rigid
    links: within the model's search distance."""

    words = "parts tied to a surface"
    roles = {"surface_id": Role.PART, "parts": Role.PARTS}

    surface_id: str
    parts: list[str]

    def __post_init__(self) -> None:
        self.text = f"Tie {counted(self.parts, 'part')} to a surface"

    def change(self, model: Model) -> str:
        s = self.surface(model, self.surface_id)
        for ident in self.parts:
            if model.part(ident) is None:
                raise EditError(f"{ident} is not in the model any more")

        def own(ident: str) -> Surface:
            return self.surface(model, ident)

        tied = tie_parts(model, self.surface_id, self.parts, own, model.search)
        if not tied:
            raise EditError(
                f"nothing of it comes within {model.search * 1000:.0f} mm of {s.name or s.id}, the search distance"
            )
        return f"{counted(self.parts, 'part')} tied to {s.cls} {s.name or s.id} by rigid links"


def ring(corners: Any) -> Array:
    """Corners (n, 3), m, brought into one plane, each once. Raises EditError for what is no outline."""
    try:
        points = np.array(corners, float)
    except (TypeError, ValueError):
        raise EditError("an outline needs three numbers a corner") from None
    if points.ndim != 2 or points.shape[1:] != (3,) or not np.isfinite(points).all():
        raise EditError("an outline needs three numbers a corner")
    keep = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1) > 1e-6
    points = points[keep]
    if len(points) < 3:
        raise EditError("an outline needs three corners at least")
    middle = points.mean(axis=0)
    _, _, axes = np.linalg.svd(points - middle)
    off = (points - middle) @ axes[2]
    if np.abs(off).max() > FLAT:
        raise EditError(f"its corners do not lie in one plane: one is {np.abs(off).max() * 1000:.0f} mm off")
    shape = Polygon((points - middle) @ axes[:2].T)
    if not shape.is_valid:
        raise EditError("its outline crosses itself; give the corners in their order around it")
    if shape.area < LEAST:
        raise EditError(f"its area of {shape.area:.2g} m² is none")
    return np.asarray(points - np.outer(off, axes[2]))


def same_ring(a: Array, b: Array) -> bool:
    """Return whether two outlines have the same corners, wherever they begin and whichever way they run."""
    if len(a) != len(b):
        return False
    off = np.linalg.norm(a[:, None] - b[None], axis=2)
    return bool((off.min(axis=0) < SAME).all() and (off.min(axis=1) < SAME).all())


def cut_opening(s: Surface, corners: Any) -> float:
    """Put an opening into a surface; returns its area, m2. Raises EditError where it does not lie within the
    surface."""
    outline = ring(corners)
    off = s.height(outline)
    if np.abs(off).max() > s.thickness / 2 + FLAT:
        raise EditError(f"the opening lies {np.abs(off).max():.3g} m off the plane of {s.name or s.id}")
    outline = outline - np.outer(off, s.plain_axes[2])
    shape, whole = Polygon(s.flat(outline)), Polygon(s.flat(s.outer))
    if not whole.buffer(FLAT).contains(shape):
        raise EditError(f"the opening reaches beyond the outline of {s.name or s.id}")
    if any(Polygon(s.flat(o)).intersection(shape).area > 1e-6 for o in s.openings):
        raise EditError(f"the opening overlaps one that {s.name or s.id} has already")
    if whole.area - shape.area - sum(Polygon(s.flat(o)).area for o in s.openings) < LEAST:
        raise EditError(f"nothing of {s.name or s.id} would be left")
    s.openings.append(outline)
    return float(shape.area)


def _cut_ties(model: Model, s: Surface, own: Callable[[str], Surface]) -> int:
    """Take off what was tied where there is nothing of the surface any more; of what lies there in part, that
    part. Returns how many ties are gone altogether."""
    kept: list[SurfaceJoint] = []
    gone = 0
    for j in s.joints:
        pieces = _left(model, s, j)
        if pieces is None:
            kept.append(j)
            continue
        kept += [replace(j, line=line) for line in pieces]
        gone += not pieces
        if j.kind == "surface" and j.other in model.surfaces:
            other = own(j.other)
            mine = [
                x
                for x in other.joints
                if x.other == s.id and np.abs(x.line.mean(axis=0) - j.line.mean(axis=0)).max() <= s.thickness
            ]
            other.joints = [x for x in other.joints if not any(x is y for y in mine)]
            n = other.plain_axes[2]
            other.joints += [
                replace(x, line=line - np.outer(other.height(line), n)) for x in mine[:1] for line in pieces
            ]
    s.joints = kept
    return gone


def _left(model: Model, s: Surface, j: SurfaceJoint) -> list[Array] | None:
    """The pieces of a tie that still lie on the surface, or within reach of it; None for all of it."""
    reach = model.snap + (s.thickness / 2 if j.kind == "surface" else 0.0)
    if j.kind != "surface" and j.other in model.members and model.physical:
        section = model.sections.get(model.members[j.other].section)
        reach += float(np.abs(section.bounds).max()) if section is not None else 0.0
    flat = s.flat(j.line)
    wide = s.polygon.buffer(reach)
    if len(flat) == 1:
        return None if wide.contains(Point(flat[0])) else []
    within = LineString(flat).intersection(wide)
    if within.length > LineString(flat).length - TINY:
        return None
    lines = [np.array(p.coords)[[0, -1]] for p in getattr(within, "geoms", [within]) if p.length > SHORTEST]
    return [s.lifted(line) for line in lines]
