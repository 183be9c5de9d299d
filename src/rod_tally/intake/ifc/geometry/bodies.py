"""From a member's representation to the line its profile runs along."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ....model.geometry.vectors import Array, default_z
from ...source import SourceProfile
from . import solids
from .curves import ARC_STEP, CurveError, points_of
from .placement import Placements, Rigid, compose, matrix, rigid
from .profiles import Profiles, one_shape

SOLIDS = (
    "IfcFacetedBrep",
    "IfcAdvancedBrep",
    "IfcTriangulatedFaceSet",
    "IfcPolygonalFaceSet",
    "IfcShellBasedSurfaceModel",
    "IfcFaceBasedSurfaceModel",
    "IfcFacetedBrepWithVoids",
    "IfcBooleanResult",
    "IfcBooleanClippingResult",
    "IfcCsgSolid",
)


class BodyError(ValueError):
    """A body no straight member can be read from; the message says why."""


@dataclass(slots=True)
class Body:
    """A line (2, 3) in world coordinates, the profile's axes, its key, how they were read; length 0: not yet
    known.

    `path` (n, 3) are the points of a curved one, whose line is the chord. `ends`: width and depth at both
    ends of a tapered one."""

    line: Array
    y_axis: Array
    z_axis: Array
    profile: str
    how: str
    misfit: float = 0.0
    length: float = 0.0
    path: Array | None = None
    ends: solids.Ends | None = None


def representation(element: Any, identifier: str) -> list[Any]:
    """Items of the element's representation of that identifier ([] for none)."""
    shape = element.get_argument(6)  # Representation of an IfcProduct
    if shape is None:
        return []
    items: list[Any] = []
    for rep in shape.get_argument(2):  # Representations
        name = rep.get_argument(1)  # RepresentationIdentifier
        if name == identifier or (identifier == "Body" and name in (None, "", "Facetation")):
            items.extend(rep.get_argument(3))  # Items
    return items


class Bodies:
    """Reads bodies; profiles and placements are shared and cached."""

    def __init__(self, placements: Placements, profiles: Profiles, angle: float) -> None:
        self.placements, self.profiles, self.angle = placements, profiles, angle

    def read(self, element: Any, world: Rigid) -> Body:
        """Raises BodyError (or a curve's or placement's own error) when no straight member can be read."""
        items = representation(element, "Body")
        best: Body | None = None
        reason = ""
        measured = False
        for item in items:
            try:
                found, clipped = self._item(item, world, 0)
            except (BodyError, CurveError) as error:
                reason = str(error)
                continue
            if found is None or clipped:
                measured = True
            if found is not None and (best is None or _reach(found) > _reach(best)):
                best = found
        if best is not None and not measured and self._lengthwise(best):
            return best
        if measured or best is not None:
            return self._measured(element, best)
        axis = representation(element, "Axis")
        if axis:
            return self._axis(axis[0], world)
        if not items:
            reason = "it has no body and no axis"
        raise BodyError(reason or "its body cannot be read")

    def _lengthwise(self, body: Body) -> bool:
        """Whether the extrusion runs along the member, not across it (an elevation extruded by its width)."""
        if body.path is not None:
            return True
        length = body.length or _length(body.line)
        if length <= 1e-6:
            raise BodyError(f"it has no length ({length * 1000:.3g} mm)")
        return self.profiles.span(body.profile) < 2 * length

    def _item(self, item: Any, world: Rigid, depth: int) -> tuple[Body | None, bool]:
        """The extrusion in an item and whether something is cut off it; (None, _) for a bare solid."""
        if depth > 12:
            raise BodyError("its body refers back to itself")
        kind = item.is_a()
        if kind == "IfcExtrudedAreaSolid":
            return self._extrusion(item, world), False
        if kind == "IfcExtrudedAreaSolidTapered":
            return self._tapered(item, world), False
        if item.is_a("IfcMappedItem"):
            source = item.MappingSource
            operator = self.placements.operator(item.MappingTarget)
            m = compose(compose(world, rigid(operator)), self.placements.rigid_axis(source.MappingOrigin))
            for inner in source.MappedRepresentation.Items:
                return self._item(inner, m, depth + 1)
            raise BodyError("its mapped body is empty")
        if item.is_a("IfcBooleanResult"):
            found, _ = self._item(item.FirstOperand, world, depth + 1)
            return found, True
        if item.is_a("IfcSweptDiskSolid"):
            return self._disk(item, world), False
        if item.is_a("IfcRevolvedAreaSolid"):
            return self._revolved(item, world), False
        if item.is_a("IfcFixedReferenceSweptAreaSolid") or item.is_a("IfcSurfaceCurveSweptAreaSolid"):
            return self._swept(item, world), False
        if item.is_a() in SOLIDS:
            return None, True
        raise BodyError(f"a body of kind {item.is_a()} is not read as a straight member")

    def _extrusion(self, item: Any, world: Rigid) -> Body:
        get = item.get_argument
        depth = get(3) * self.placements.scale
        if not 0 <= depth <= 1e5:
            raise BodyError(f"its length of {depth:g} m is not that of a member")
        along = self.placements.ratios(get(2))
        if along is None:
            raise BodyError("its extrusion has no direction")
        d0, d1, d2 = along
        norm = math.sqrt(d0 * d0 + d1 * d1 + d2 * d2)
        if not 0 < norm < math.inf:
            raise BodyError("its extrusion has no direction")
        key = self.profiles.key(get(0))
        profile = self.profiles.found[key]
        x0, x1, x2, y0, y1, y2, z0, z1, z2, a0, a1, a2 = compose(world, self.placements.rigid_axis(get(1)))
        shift_y, shift_z = profile.shift
        if shift_y or shift_z:
            a0 += x0 * shift_y + y0 * shift_z
            a1 += x1 * shift_y + y1 * shift_z
            a2 += x2 * shift_y + y2 * shift_z
        step = depth / norm
        d0, d1, d2 = d0 * step, d1 * step, d2 * step
        start = (a0, a1, a2)
        end = (
            a0 + x0 * d0 + y0 * d1 + z0 * d2,
            a1 + x1 * d0 + y1 * d1 + z1 * d2,
            a2 + x2 * d0 + y2 * d1 + z2 * d2,
        )
        if profile.turn:
            c, s = math.cos(profile.turn), math.sin(profile.turn)
            x0, x1, x2, y0, y1, y2 = (
                c * x0 + s * y0,
                c * x1 + s * y1,
                c * x2 + s * y2,
                c * y0 - s * x0,
                c * y1 - s * x1,
                c * y2 - s * x2,
            )
        length = math.sqrt((end[0] - a0) ** 2 + (end[1] - a1) ** 2 + (end[2] - a2) ** 2)
        # the line runs the way that makes profile X, profile Y and it right-handed (a mirrored frame has
        # none: kept)
        line = np.array((start, end) if d2 > 0 else (end, start))
        return Body(line, np.array((x0, x1, x2)), np.array((y0, y1, y2)), key, "extrusion", 0.0, length)

    def _tapered(self, item: Any, world: Rigid) -> Body:
        """The extrusion with both its profiles; where they are not of one shape with the sizes of both, since
        nothing is known of what lies between (and the geometry kernel makes no body of it)."""
        body = self._extrusion(item, world)
        key, other = self.profiles.key(item.SweptArea), self.profiles.key(item.EndSweptArea)
        first, last = self.profiles.found[key], self.profiles.found[other]
        if not one_shape(item.SweptArea, item.EndSweptArea) or abs(first.turn - last.turn) > 1e-6:
            sizes = tuple(self.profiles.size(k) for k in (key, other))
            return replace(body, ends=(sizes[0], sizes[1]))
        c, s = math.cos(first.turn), math.sin(first.turn)
        dy, dz = (b - a for a, b in zip(first.shift, last.shift))
        aside = body.y_axis * (c * dy + s * dz) + body.z_axis * (c * dz - s * dy)
        along = self.placements.ratios(item.ExtrudedDirection)
        forward = along is not None and along[2] > 0  # as the line of the extrusion runs
        line = body.line.copy()
        line[1 if forward else 0] += aside
        ends = (item.SweptArea, item.EndSweptArea) if forward else (item.EndSweptArea, item.SweptArea)
        return replace(body, line=line, profile=self.profiles.along(*ends))

    def _disk(self, item: Any, world: Rigid) -> Body:
        points = points_of(item.Directrix, self.placements, self.angle)
        s = self.placements.scale
        dims = {"radius": item.Radius * s}
        if item.InnerRadius:
            dims["wall"] = (item.Radius - item.InnerRadius) * s
        name = f"disk {2000 * dims['radius']:g}" + (f"x{1000 * dims['wall']:g}" if "wall" in dims else "")
        key = self.profiles.add(SourceProfile(name, "circle", dims))
        return self._along(points, world, key, "disk")

    def _along(self, points: Array, world: Rigid, key: str, how: str) -> Body:
        """A body on points in the element's own coordinates: straight, or curved with its path."""
        if len(points) < 2:
            raise BodyError("its axis has no length")
        m = matrix(world)
        points = points @ m[:3, :3].T + m[:3, 3]
        line = points[[0, -1]]
        around = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
        if around <= 1e-6:
            raise BodyError(f"its axis has no length ({around * 1000:.3g} mm)")
        curved = _bow(points) > 1e-3 * around
        if not curved and _length(line) <= 1e-6:
            raise BodyError("its axis has no length")
        # a closed ring has no chord of its own: its first piece stands for the direction
        x = line[1] - line[0] if _length(line) > 1e-6 else points[1] - points[0]
        z = default_z(x)
        return Body(line, np.cross(z, x), z, key, how, path=points if curved else None)

    def _revolved(self, item: Any, world: Rigid) -> Body:
        """A profile turned about an axis: its origin's way is an arc."""
        key = self.profiles.key(item.SweptArea)
        profile = self.profiles.found[key]
        at = item.Axis
        origin = self.placements.point(at.Location)
        about = self.placements.direction(at.Axis)
        about = np.array([0.0, 0, 1]) if about is None else about / np.linalg.norm(about)
        angle = item.Angle * self.angle
        if not 1e-4 < abs(angle) <= 2 * math.pi + 1e-6:
            raise BodyError(f"it is turned by {math.degrees(angle):.3g} degrees")
        start = np.array([profile.shift[0], profile.shift[1], 0.0]) - origin
        steps = max(2, math.ceil(abs(angle) / ARC_STEP))
        t = np.linspace(0, angle, steps + 1)
        # Rodrigues' rotation of the profile's origin about the axis
        along = about * (start @ about)
        across, normal = start - along, np.cross(about, start)
        points = origin + along + np.outer(np.cos(t), across) + np.outer(np.sin(t), normal)
        body = self._along(points, compose(world, self.placements.rigid_axis(item.Position)), key, "curve")
        body.z_axis, body.y_axis = self._upright(key, item, world, body)
        return body

    def _upright(self, key: str, item: Any, world: Rigid, body: Body) -> tuple[Array, Array]:
        """The profile's own y as the member's z, where it stays across the arc; else up."""
        m = matrix(compose(world, self.placements.rigid_axis(item.Position)))
        turn = self.profiles.found[key].turn
        y = m[:3, :3] @ np.array([-math.sin(turn), math.cos(turn), 0.0])
        if body.path is not None:
            steps = np.diff(body.path, axis=0)
            steps = steps / np.linalg.norm(steps, axis=1)[:, None]
            if np.abs(steps @ y).max() > 0.5:
                y = default_z(steps[0])
        return y, np.cross(y, body.line[1] - body.line[0])

    def _swept(self, item: Any, world: Rigid) -> Body:
        """A profile swept along a directrix."""
        key = self.profiles.key(item.SweptArea)
        points = points_of(item.Directrix, self.placements, self.angle)
        body = self._along(points, compose(world, self.placements.rigid_axis(item.Position)), key, "curve")
        fixed = self.placements.direction(getattr(item, "FixedReference", None))
        if fixed is not None:
            m = matrix(compose(world, self.placements.rigid_axis(item.Position)))
            body.y_axis = m[:3, :3] @ fixed  # the profile's x, which is a member's local y
            body.z_axis = np.cross(body.line[1] - body.line[0], body.y_axis)
        return body

    def _axis(self, item: Any, world: Rigid) -> Body:
        return self._along(points_of(item, self.placements, self.angle), world, "", "axis")

    def _measured(self, element: Any, known: Body | None) -> Body:
        """From the body as built: along the known extrusion when there is one, else along its own long
        direction."""
        vertices, faces = solids.triangles(element)
        if known is not None and self._lengthwise(known):
            line, misfit = solids.along(known.line, vertices)
            ends = self._taper(known, line, vertices, faces)
            return Body(line, known.y_axis, known.z_axis, known.profile, "clipped", misfit, ends=ends)
        found = solids.measure(vertices, faces)
        profile = SourceProfile(
            f"measured {found.width * 1000:.0f}x{found.depth * 1000:.0f}",
            "arbitrary",
            outer=found.outer,
            voids=found.voids,
        )
        key, n = profile.name, 2
        while key in self.profiles.found and self.profiles.found[key].outer != profile.outer:
            key, n = f"{profile.name} ({n})", n + 1
        profile.name = key
        return Body(
            found.line,
            found.y_axis,
            found.z_axis,
            self.profiles.add(profile),
            "measured",
            found.misfit,
            ends=found.ends,
        )

    @staticmethod
    def _taper(known: Body, line: Array, vertices: Array, faces: Any) -> solids.Ends | None:
        """Sizes at the ends of a body that is more than an extrusion; None where it keeps its section, or has
        no slice."""
        x = (line[1] - line[0]) / _length(line)
        y = known.y_axis / np.linalg.norm(known.y_axis)
        axes = np.array([x, y, np.cross(x, y)])
        try:
            return solids.ends_of((vertices - line[0])[faces] @ axes.T, 0.0, _length(line))
        except solids.SolidError:
            return None


def _length(line: Array) -> float:
    (a0, a1, a2), (b0, b1, b2) = line.tolist()
    return math.sqrt((b0 - a0) ** 2 + (b1 - a1) ** 2 + (b2 - a2) ** 2)


def _reach(body: Body) -> float:
    return (
        _length(body.line)
        if body.path is None
        else float(np.linalg.norm(np.diff(body.path, axis=0), axis=1).sum())
    )


def _bow(points: Array) -> float:
    """Largest distance of points from the line through the first and the last."""
    d = points[-1] - points[0]
    n = np.linalg.norm(d)
    if n == 0:
        return float(np.linalg.norm(points - points[0], axis=1).max())
    return float(np.linalg.norm(np.cross(points - points[0], d / n), axis=1).max())
