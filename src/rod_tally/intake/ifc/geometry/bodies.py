"""From a member's representation to the line its profile runs along."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ....model.geometry.vectors import Array, default_z, local_axes
from ...source import SourceProfile
from . import solids
from .curves import ARC_STEP, CurveError, points_of
from .items import BodyError, representation, solids_of
from .placement import Placements, Rigid, compose, matrix
from .profiles import Profiles, one_shape

BARE = (
    "IfcFacetedBrep",
    "IfcAdvancedBrep",
    "IfcTriangulatedFaceSet",
    "IfcPolygonalFaceSet",
    "IfcShellBasedSurfaceModel",
    "IfcFaceBasedSurfaceModel",
    "IfcFacetedBrepWithVoids",
    "IfcAdvancedBrepWithVoids",
    "IfcBlock",
    "IfcRectangularPyramid",
    "IfcRightCircularCone",
    "IfcRightCircularCylinder",
    "IfcSphere",
)
NEAR = 0.02  # share of its size by which a measured section may differ from the one that is stated
ASKEW = 0.999  # cosine of an extrusion to its profile's normal below which it is no longer straight


@dataclass(slots=True)
class Body:
    """A line (2, 3) in world coordinates, the profile's axes, its key, how they were read; length 0: not yet
    known.

    `path` (n, 3) are the points of a curved one, whose line is the chord. `ends`: width and depth at both
    ends of a tapered one. `drawn` is the key of the profile that the body as built has, where it was
    looked at, and `volume` (m3) that body's; `told`: what it is made of, where that is more than one
    solid."""

    line: Array
    y_axis: Array
    z_axis: Array
    profile: str
    how: str
    misfit: float = 0.0
    length: float = 0.0
    path: Array | None = None
    ends: solids.Ends | None = None
    drawn: str = ""
    volume: float | None = None
    told: str = ""


class Bodies:
    """Reads bodies; profiles and placements are shared and cached."""

    def __init__(self, placements: Placements, profiles: Profiles, angle: float) -> None:
        self.placements, self.profiles, self.angle = placements, profiles, angle

    def read(self, element: Any, world: Rigid, opened: bool = False) -> Body:
        """The body of an element; `opened`: openings are cut out of it. Raises BodyError (or a curve's or
        placement's own error) when no straight member can be read."""
        found = solids_of(element, world, self.placements)
        best: Body | None = None
        reason = ""
        plain = len(found) == 1 and not (found[0].cut or found[0].scaled or opened)
        bare = not plain and len(found) > 1
        for solid in found:
            try:
                body, straight = self._solid(solid.item, solid.world)
            except (BodyError, CurveError) as error:
                reason = str(error)
                continue
            plain &= body is not None and straight
            bare |= body is None or solid.cut or not straight
            if body is not None and not solid.scaled and (best is None or _reach(body) > _reach(best)):
                best = body
            bare |= solid.scaled
        if best is not None and plain and self._lengthwise(best):
            return best
        if bare or best is not None:
            out = self._measured(element, best, len(found))
            if len(found) > 1 and best is not None and best.path is not None:
                out.told = f"it is made of {len(found)} solids, of which the curved one gives its line"
            return out
        axis = representation(element, "Axis")
        if axis:
            return self._axis(axis[0], world)
        if not found:
            reason = "it has no body and no axis"
        raise BodyError(reason or "its body cannot be read")

    def _lengthwise(self, body: Body) -> bool:
        """Return whether the extrusion runs along the member, not across it (an elevation extruded by its
        width)."""
        if body.path is not None:
            return True
        length = body.length or _length(body.line)
        if length <= 1e-6:
            raise BodyError(f"it has no length ({length * 1000:.3g} mm)")
        return self.profiles.span(body.profile) < 2 * length

    def _solid(self, item: Any, world: Rigid) -> tuple[Body | None, bool]:
        """The line and profile of one solid (None for a bare one), and whether the profile stands square to
        the line."""
        kind = item.is_a()
        if kind == "IfcExtrudedAreaSolid":
            return self._extrusion(item, world), self._square(item)
        if kind == "IfcExtrudedAreaSolidTapered":
            return self._tapered(item, world), self._square(item)
        if item.is_a("IfcSweptDiskSolid"):
            return self._disk(item, world), True
        if item.is_a("IfcRevolvedAreaSolid"):
            return self._revolved(item, world), True
        if item.is_a("IfcFixedReferenceSweptAreaSolid") or item.is_a("IfcSurfaceCurveSweptAreaSolid"):
            return self._swept(item, world), True
        if kind in BARE:
            return None, True
        raise BodyError(f"a body of kind {kind} is not read as a straight member")

    def _square(self, item: Any) -> bool:
        """Return whether an extrusion goes straight up from its profile, not askew."""
        along = self.placements.ratios(item.get_argument(2))
        if along is None:
            return True
        x, y, z = along
        return abs(z) > ASKEW * math.sqrt(x * x + y * y + z * z)

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

    def _measured(self, element: Any, known: Body | None, count: int) -> Body:
        """From the body as built: along the known extrusion when there is one, else along its own long
        direction."""
        body = solids.triangles(element)
        told = f"it is made of {count} solids" if count > 1 else ""
        if known is not None and known.path is not None:
            return replace(known, volume=body.volume, told=told)
        if known is not None and self._lengthwise(known):
            line, misfit = solids.along(known.line, body)
            axes = _axes_of(known, line)
            own = (body.vertices - line[0])[body.faces] @ axes.T
            length = _length(line)
            drawn, ends = "", known.ends
            try:
                profile, y, z = solids.section_at(own, 0.0, length, body.solid)
                drawn = self._keep(profile)
                if ends is None:
                    ends = solids.ends_of(own, 0.0, length, body.solid)
                if self._elsewhere(known, profile, y, z):
                    # more than the extrusion alone: the line runs through the middle of all of it
                    line = line + axes[1] * y + axes[2] * z
                    return Body(
                        line, axes[1], axes[2], drawn, "measured", misfit,
                        ends=ends, drawn=drawn, volume=body.volume, told=told,
                    )  # fmt: skip
            except solids.SolidError:
                pass  # a body that is not closed keeps what its extrusion says
            return Body(
                line, known.y_axis, known.z_axis, known.profile, "clipped", misfit,
                ends=ends, drawn=drawn, volume=body.volume, told=told,
            )  # fmt: skip
        found = solids.measure(body)
        key = self._keep(found.profile)
        return Body(
            found.line, found.y_axis, found.z_axis, key, "measured", found.misfit,
            ends=found.ends, drawn=key, volume=body.volume, told=told,
        )  # fmt: skip

    def _elsewhere(self, known: Body, profile: SourceProfile, y: float, z: float) -> bool:
        """Return whether the section measured on a body is another than that of the extrusion that gave the
        line, by its outline."""
        own = self.profiles.found[known.profile]
        width, depth = self.profiles.size(known.profile)
        if own.ends is not None or not (width and depth):
            return False
        if own.shape == "unknown":
            return True
        points = np.array(profile.outer) if profile.outer else np.zeros((0, 2))
        if not len(points):
            return True
        sizes = np.ptp(points, axis=0)
        if abs(sizes[0] - width) > NEAR * width or abs(sizes[1] - depth) > NEAR * depth:
            return True
        return own.shape in ("rectangle", "circle") and max(abs(y), abs(z)) > NEAR * max(width, depth)

    def _keep(self, profile: SourceProfile) -> str:
        """The key of a measured profile: that of one measured before, to a hundredth of a millimetre, or
        its own."""
        name, n = profile.name, 2
        while name in self.profiles.found and not _alike(self.profiles.found[name], profile):
            name, n = f"{profile.name} ({n})", n + 1
        profile.name = name
        if name not in self.profiles.found:
            self.profiles.add(profile)
        return name


def _axes_of(body: Body, line: Array) -> Array:
    """Unit axes (3, 3) of a body as a member has them: along its line, and the profile's upright one
    square to it."""
    return local_axes(line[1] - line[0], body.z_axis)


def _alike(a: SourceProfile, b: SourceProfile) -> bool:
    """Return whether two measured outlines are the same but for rounding."""
    if (len(a.outer), len(a.voids)) != (len(b.outer), len(b.voids)) or a.values.keys() != b.values.keys():
        return False
    rings = [(a.outer, b.outer), *zip(a.voids, b.voids)]
    if any(len(p) != len(q) or np.abs(np.array(p) - np.array(q)).max(initial=0.0) > 1e-5 for p, q in rings):
        return False
    return all(abs(v - b.values[k]) <= 1e-4 * abs(v) for k, v in a.values.items())


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
