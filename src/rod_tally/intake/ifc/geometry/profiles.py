"""IFC profiles to source profiles, each once."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ....model.catalogue.taper import TO
from ....model.entities.log import LogEntry
from ...source import SourceProfile
from ..damage import UNREADABLE, first_line, for_each
from ..units import Units
from .curves import points_of
from .placement import Placements

# property names of Pset_ProfileMechanical (IFC4) and attributes of IfcStructuralProfileProperties (IFC2X3)
VALUES = {
    "area": ("CrossSectionArea", "AREAUNIT"),
    "iy": ("MomentOfInertiaY", "MOMENTOFINERTIAUNIT"),
    "iz": ("MomentOfInertiaZ", "MOMENTOFINERTIAUNIT"),
    "iyz": ("MomentOfInertiaYZ", "MOMENTOFINERTIAUNIT"),
    "j": ("TorsionalConstantX", "MOMENTOFINERTIAUNIT"),
    "avy": ("ShearDeformationAreaY", "AREAUNIT"),
    "avz": ("ShearDeformationAreaZ", "AREAUNIT"),
}


# Values that files give beside these and that no run uses: they are named once in the log.
UNUSED = (
    "MassPerLength",
    "WarpingConstant",
    "ShearCentreY",
    "ShearCentreZ",
    "CentreOfGravityInX",
    "CentreOfGravityInY",
    "ShearAreaY",
    "ShearAreaZ",
    "PlasticShapeFactorY",
    "PlasticShapeFactorZ",
)


SMALLEST, LARGEST = 1e-6, 1e4  # m; between them lies every dimension of every profile


class Profiles:
    """Source profiles by key; `key(entity)` reads one and returns its key ("" for None)."""

    def __init__(self, placements: Placements, units: Units) -> None:
        self.placements, self.units = placements, units
        self.found: dict[str, SourceProfile] = {}
        self._keys: dict[int, str] = {}
        self._values: dict[int, dict[str, float]] = {}
        self._spans: dict[str, float] = {}
        self._unused: dict[str, int] = {}

    def read_values(self, file: Any, log: list[LogEntry]) -> None:
        """Section values that the file gives beside its profiles."""
        old = file.schema == "IFC2X3"
        kind = "IfcGeneralProfileProperties" if old else "IfcProfileProperties"
        for_each(file, kind, self._old_values if old else self._new_values, log)
        if self._unused:
            names = ", ".join(f"{name} ({n} profiles)" for name, n in sorted(self._unused.items()))
            log.append(LogEntry("skipped", (), f"section values of the source that are not used: {names}"))

    def _old_values(self, entity: Any) -> None:
        self._keep(
            entity,
            {name: (getattr(entity, name, None) or 0.0) * self.units[unit] for name, unit in VALUES.values()},
        )
        for name in UNUSED:
            if getattr(entity, name, None):
                self._unused[name] = self._unused.get(name, 0) + 1

    def _new_values(self, entity: Any) -> None:
        unit_of = dict(VALUES.values())
        found = {}
        for prop in entity.Properties or ():
            value = getattr(prop, "NominalValue", None)
            if value is None or not isinstance(value.wrappedValue, (int, float)):
                continue
            if prop.Name in unit_of:
                found[prop.Name] = (
                    float(value.wrappedValue) * self.units.of_property(prop, unit_of[prop.Name])[0]
                )
            elif prop.Name in UNUSED and value.wrappedValue:
                self._unused[prop.Name] = self._unused.get(prop.Name, 0) + 1
        self._keep(entity, found)

    def _keep(self, entity: Any, found: dict[str, float]) -> None:
        values = {k: found[n] for k, (n, _) in VALUES.items() if found.get(n)}
        if values and entity.ProfileDefinition is not None:
            self._values.setdefault(entity.ProfileDefinition.id(), {}).update(values)

    def key(self, entity: Any) -> str:
        if entity is None:
            return ""
        found = self._keys.get(entity.id())
        if found is None:
            profile = self._read(entity)
            profile.values = self._values.get(entity.id(), {})
            key = profile.name
            n = 2
            while key in self.found and not _same(self.found[key], profile):
                key = f"{profile.name} ({n})"
                n += 1
            self.found.setdefault(key, profile)
            found = self._keys[entity.id()] = key
        return found

    def along(self, start: Any, end: Any) -> str:
        """The key of a profile that changes from one to another, or of the first where there is no other."""
        first, last = self.key(start), self.key(end)
        if not last or first == last:
            return first
        key = f"{first}{TO}{last}"
        self.found.setdefault(key, SourceProfile(key, "taper", ends=(first, last)))
        return key

    def size(self, key: str) -> tuple[float, float]:
        """Width and depth of a profile, m; (0, 0) where no shape is known."""
        p = self.found[key]
        if p.outer:
            width, depth = np.ptp(np.array(p.outer), axis=0).tolist()
            return float(width), float(depth)
        across = 2 * p.dims.get("radius", 0.0)
        return p.dims.get("width", across), p.dims.get("depth", across)

    def span(self, key: str) -> float:
        """The larger side of a profile's outline, m; 0 where no shape is known."""
        ends = self.found[key].ends
        if ends is not None:
            return max(self.span(k) for k in ends)
        if key not in self._spans:
            profile = self.found[key]
            if profile.outer:
                self._spans[key] = float(np.ptp(np.array(profile.outer), axis=0).max())
            else:
                self._spans[key] = max(profile.dims.get(d, 0.0) for d in ("width", "depth"))
        return self._spans[key]

    def add(self, profile: SourceProfile) -> str:
        """Keep a profile that was measured rather than read; returns its key."""
        self.found[profile.name] = profile
        return profile.name

    def _read(self, entity: Any) -> SourceProfile:
        name = (entity.ProfileName or "").strip()
        try:
            profile = self._shape(entity)
            self._place(entity, profile)
        except UNREADABLE as error:
            profile = SourceProfile("", reason=f"{entity.is_a()}: {first_line(error)}")
        profile.name = name or _described(profile) or f"{entity.is_a()} #{entity.id()}"
        return profile

    def _place(self, entity: Any, profile: SourceProfile) -> None:
        position = getattr(entity, "Position", None)
        if position is not None:
            m = self.placements.axis(position)
            profile.turn = math.atan2(m[1, 0], m[0, 0])
            profile.shift = (float(m[0, 3]), float(m[1, 3]))

    def _shape(self, e: Any) -> SourceProfile:
        s = self.placements.scale
        angle = self.units["PLANEANGLEUNIT"]

        def d(*names: str) -> dict[str, float]:
            """Dimensions by our names, `ours=Theirs`; an absent optional one is left out."""
            out = {}
            for pair in names:
                ours, theirs = pair.split("=")
                value = getattr(e, theirs, None)
                if value is not None:
                    out[ours] = float(value) * s
                    if out[ours] and not SMALLEST <= abs(out[ours]) <= LARGEST:
                        raise ValueError(f"its {theirs} is {value:g} in the file, which no profile has")
            return out

        kind = e.is_a()
        if kind == "IfcIShapeProfileDef":
            dims = d(
                "depth=OverallDepth",
                "width=OverallWidth",
                "web=WebThickness",
                "flange=FlangeThickness",
                "fillet=FilletRadius",
            )
            return SourceProfile("", "i", dims)
        if kind == "IfcAsymmetricIShapeProfileDef":
            if hasattr(e, "BottomFlangeWidth"):
                dims = d(
                    "depth=OverallDepth",
                    "width=BottomFlangeWidth",
                    "web=WebThickness",
                    "flange=BottomFlangeThickness",
                    "fillet=BottomFlangeFilletRadius",
                )
            else:
                dims = d(
                    "depth=OverallDepth",
                    "width=OverallWidth",
                    "web=WebThickness",
                    "flange=FlangeThickness",
                    "fillet=FilletRadius",
                )
            dims |= d(
                "top_width=TopFlangeWidth",
                "top_flange=TopFlangeThickness",
                "top_fillet=TopFlangeFilletRadius",
            )
            return SourceProfile("", "i", dims)
        if kind == "IfcRectangleHollowProfileDef":
            return SourceProfile(
                "",
                "box",
                d(
                    "width=XDim",
                    "depth=YDim",
                    "wall=WallThickness",
                    "r_out=OuterFilletRadius",
                    "r_in=InnerFilletRadius",
                ),
            )
        if kind in ("IfcRectangleProfileDef", "IfcRoundedRectangleProfileDef"):
            return SourceProfile("", "rectangle", d("width=XDim", "depth=YDim"))
        if kind == "IfcCircleHollowProfileDef":
            return SourceProfile("", "circle", d("radius=Radius", "wall=WallThickness"))
        if kind == "IfcCircleProfileDef":
            return SourceProfile("", "circle", d("radius=Radius"))
        if kind == "IfcUShapeProfileDef":
            dims = d("depth=Depth", "width=FlangeWidth", "web=WebThickness", "flange=FlangeThickness")
            dims |= d("fillet=FilletRadius")
            if e.FlangeSlope:
                dims["slope"] = e.FlangeSlope * angle
            return SourceProfile("", "channel", dims)
        if kind == "IfcCShapeProfileDef":
            return SourceProfile(
                "", "arbitrary", outer=_lipped(**d("h=Depth", "b=Width", "t=WallThickness", "lip=Girth"))
            )
        if kind == "IfcLShapeProfileDef":
            dims = d(
                "depth=Depth", "width=Width", "thickness=Thickness", "fillet=FilletRadius", "edge=EdgeRadius"
            )
            dims.setdefault("width", dims["depth"])
            return SourceProfile("", "angle", dims)
        if kind == "IfcTShapeProfileDef":
            dims = d("depth=Depth", "width=FlangeWidth", "web=WebThickness", "flange=FlangeThickness")
            return SourceProfile("", "tee", dims | d("fillet=FilletRadius"))
        if kind == "IfcZShapeProfileDef":
            z = d("h=Depth", "b=FlangeWidth", "tw=WebThickness", "tf=FlangeThickness")
            h, b, w, t = z["h"] / 2, z["b"], z["tw"] / 2, z["tf"]
            half = [(-w, h - t), (w - b, h - t), (w - b, h), (w, h)]
            return SourceProfile("", "arbitrary", outer=half + [(-y, -x) for y, x in half])
        if kind == "IfcEllipseProfileDef":
            around = np.linspace(0, 2 * np.pi, 97)[:-1]
            pts = np.column_stack([e.SemiAxis1 * s * np.cos(around), e.SemiAxis2 * s * np.sin(around)])
            return SourceProfile("", "arbitrary", outer=_pairs(pts))
        if kind == "IfcTrapeziumProfileDef":
            b, top, depth, off = (float(v) * s for v in (e.BottomXDim, e.TopXDim, e.YDim, e.TopXOffset))
            left, up = -b / 2, depth / 2
            corners = [(left, -up), (-left, -up), (left + off + top, up), (left + off, up)]
            return SourceProfile("", "arbitrary", outer=corners)
        if kind in ("IfcArbitraryClosedProfileDef", "IfcArbitraryProfileDefWithVoids"):
            inner = getattr(e, "InnerCurves", None) or ()
            return SourceProfile(
                "",
                "arbitrary",
                outer=_pairs(points_of(e.OuterCurve, self.placements, angle)),
                voids=[_pairs(points_of(c, self.placements, angle)) for c in inner],
            )
        if kind == "IfcCenterLineProfileDef":
            from shapely.geometry import LineString

            line = LineString(points_of(e.Curve, self.placements, angle)[:, :2])
            strip = line.buffer(e.Thickness * s / 2, cap_style="flat", join_style="mitre")
            return SourceProfile("", "arbitrary", outer=list(strip.exterior.coords)[:-1])
        if kind in ("IfcDerivedProfileDef", "IfcMirroredProfileDef"):
            return self._derived(e)
        raise ValueError("no shape can be read from profiles of this kind")

    def _derived(self, e: Any) -> SourceProfile:
        parent = self._shape(e.ParentProfile)
        if not parent.outer:
            raise ValueError(f"a derived profile of {e.ParentProfile.is_a()} is not read")
        self._place(e.ParentProfile, parent)
        c, s = math.cos(parent.turn), math.sin(parent.turn)
        if e.is_a("IfcMirroredProfileDef") or e.Operator is None:
            m = np.diag([-1.0, 1, 1, 1])
        else:
            m = self.placements.operator(e.Operator)

        def moved(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
            own = [(c * y - s * z + parent.shift[0], s * y + c * z + parent.shift[1]) for y, z in points]
            return _pairs([(m @ [y, z, 0, 1])[:2] for y, z in own])

        return SourceProfile(
            "", "arbitrary", outer=moved(parent.outer), voids=[moved(v) for v in parent.voids]
        )


def _pairs(points: Any) -> list[tuple[float, float]]:
    out = [(float(p[0]), float(p[1])) for p in points]
    if len(out) > 1 and math.dist(out[0], out[-1]) < 1e-9:
        out.pop()
    return out


def _lipped(h: float, b: float, t: float, lip: float) -> list[tuple[float, float]]:
    y, z = b / 2, h / 2
    lower = [(-y, -z), (y, -z), (y, lip - z), (y - t, lip - z), (y - t, t - z), (t - y, t - z)]
    return lower + [(a, -c) for a, c in reversed(lower)]


def one_shape(a: Any, b: Any) -> bool:
    """Return whether what lies between two profiles is known: of one kind, and outlines of as many points."""
    if a.is_a() != b.is_a():
        return False
    counts = []
    for p in (a, b):
        curves = [getattr(p, "OuterCurve", None), *(getattr(p, "InnerCurves", None) or ())]
        points = [getattr(c, "Points", None) for c in curves if c is not None]
        counts.append([len(getattr(x, "CoordList", x) or ()) if x is not None else 0 for x in points])
    return counts[0] == counts[1]


def _same(a: SourceProfile, b: SourceProfile) -> bool:
    return (a.shape, a.dims, a.outer, a.voids, a.values) == (b.shape, b.dims, b.outer, b.voids, b.values)


def _described(p: SourceProfile) -> str:
    mm = [f"{v * 1000:g}" for v in p.dims.values()]
    return f"{p.shape} {'x'.join(mm)}" if mm else ""
