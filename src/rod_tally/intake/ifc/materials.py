"""Materials and profiles associated with elements, in both the old and the new way of writing them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from ...model.entities.log import LogEntry
from ...model.entities.material import ANY_DENSITY, ANY_STIFFNESS
from ...words import few
from ..source import SourceMaterial
from .damage import UNREADABLE, first_line, for_each, ident
from .geometry.profiles import one_shape
from .units import Units

# our name: (names in property sets, attributes of the IFC2X3 entities, unit type where the value's measure
# names none)
PROPERTIES = {
    "E": (("YoungModulus", "ModulusOfElasticity"), ("YoungModulus",), "MODULUSOFELASTICITYUNIT"),
    "G": (("ShearModulus",), ("ShearModulus",), "MODULUSOFELASTICITYUNIT"),
    "poisson": (("PoissonRatio",), ("PoissonRatio",), ""),
    "density": (("MassDensity",), ("MassDensity",), "MASSDENSITYUNIT"),
    "strength": (
        ("YieldStress", "CompressiveStrength"),
        ("YieldStress", "CompressiveStrength"),
        "PRESSUREUNIT",
    ),
    "alpha": (
        ("ThermalExpansionCoefficient",),
        ("ThermalExpansionCoefficient",),
        "THERMALEXPANSIONCOEFFICIENTUNIT",
    ),
}
# Sizes (SI) beyond which a value is a damaged number, not one that somebody meant.
SMALLEST, LARGEST = 1e-15, 1e15
KINDS_NAMED = 3  # of layers, materials or profiles, in one message
GRADES = ("StructuralGrade", "StrengthGrade", "StrengthClass", "Grade")
# Ranges outside which a value is that of no building material, so that a guessed unit is doubted.
PLAUSIBLE = {
    "E": ANY_STIFFNESS,
    "G": (ANY_STIFFNESS[0] / 20, ANY_STIFFNESS[1]),
    "strength": (1e5, 5e9),
    "density": ANY_DENSITY,
}


@dataclass(slots=True)
class Association:
    """The material of a member: material key, profile entity or None, cardinal point or None; of a layer set
    its thickness in all, m, and the names and thicknesses of its `layers`; of one that tapers the profile at
    its end. `simplified`: what is taken for what, where it is of more than one material or profile."""

    material: str = ""
    profile: Any = None
    cardinal: int | None = None
    thickness: float | None = None
    simplified: str = ""
    end: Any = None
    layers: tuple[tuple[str, float], ...] = ()


class Materials:
    """Source materials by key, and the association of every object of the file."""

    def __init__(self, file: Any, units: Units, log: list[LogEntry]) -> None:
        self.units = units
        self.found: dict[str, SourceMaterial] = {}
        self._keys: dict[int, str] = {}
        self._values: dict[int, dict[str, float]] = {}
        self._grade: dict[int, str] = {}
        self._log = log
        self._of_object: dict[int, Any] = {}
        self._profile_of: dict[int, Any] = {}
        self._type_of: dict[int, Any] = {}
        self._cache: dict[int, Association] = {}
        self._simplified: dict[str, list[str]] = {}
        old = file.schema == "IFC2X3"
        for_each(file, "IfcMaterialProperties", self._old_values if old else self._new_values, log)
        for_each(file, "IfcRelAssociatesMaterial", self._associate, log)
        for_each(file, "IfcRelDefinesByType", self._type, log)
        if old:
            for_each(file, "IfcRelAssociatesProfileProperties", self._profile, log)

    def _associate(self, rel: Any) -> None:
        for item in rel.RelatedObjects or ():
            self._of_object[item.id()] = rel.RelatingMaterial

    def _type(self, rel: Any) -> None:
        for item in rel.RelatedObjects or ():
            self._type_of[item.id()] = rel.RelatingType

    def _profile(self, rel: Any) -> None:
        profile = rel.RelatingProfileProperties.ProfileDefinition
        for item in rel.RelatedObjects or ():
            self._profile_of[item.id()] = profile

    def _old_values(self, entity: Any) -> None:
        for ours, (_, attributes, unit) in PROPERTIES.items():
            for theirs in attributes:
                value = getattr(entity, theirs, None)
                if value is not None:
                    self._keep(entity.Material, ours, float(value), self.units[unit] if unit else 1.0, unit)
        for prop in getattr(entity, "ExtendedProperties", None) or ():
            self._property(entity.Material, prop)

    def _new_values(self, entity: Any) -> None:
        for prop in entity.Properties or ():
            self._property(entity.Material, prop)

    def _property(self, material: Any, prop: Any) -> None:
        value = getattr(prop, "NominalValue", None)
        if value is None:
            return
        if prop.Name in GRADES and isinstance(value.wrappedValue, str):
            self._grade.setdefault(material.id(), value.wrappedValue.strip())
        if not isinstance(value.wrappedValue, (int, float)) or isinstance(value.wrappedValue, bool):
            return
        for ours, (names, _attributes, unit) in PROPERTIES.items():
            if prop.Name in names:
                try:
                    scale, guessed = self.units.of_property(prop, unit)
                except UNREADABLE as error:
                    message = f"{prop.Name} of material {material.Name}: its unit cannot be read ({first_line(error)})"
                    self._log.append(LogEntry("skipped", (f"#{prop.id()}",), message))
                    continue
                self._keep(material, ours, float(value.wrappedValue), scale, unit if guessed else "")

    def _keep(self, material: Any, ours: str, raw: float, scale: float, unit: str) -> None:
        """One value in SI. `unit` is its unit type where the file states none for it: then, of the reading in
        the file's other units and that in SI, the one that makes a building material is taken."""
        value = raw * scale
        if unit in self.units.guessed and ours in PLAUSIBLE:
            low, high = PLAUSIBLE[ours]
            value = next((raw * f for f in self.units.readings(unit) if low <= raw * f <= high), value)
        if value == 0 or SMALLEST <= abs(value) <= LARGEST:
            self._values.setdefault(material.id(), {})[ours] = value
        else:
            message = f"{ours} of material {material.Name} is {raw:g} in the file, which is no such value; it is left out"
            self._log.append(LogEntry("skipped", (f"#{material.id()}",), message))

    def key(self, material: Any) -> str:
        """Key of an IfcMaterial, "" for None."""
        if material is None:
            return ""
        if material.id() not in self._keys:
            name = (material.Name or "").strip() or f"material #{material.id()}"
            entry = SourceMaterial(
                name,
                (getattr(material, "Category", None) or "").strip(),
                grade=self._grade.get(material.id(), ""),
                **self._values.get(material.id(), {}),
            )
            key, n = name, 2
            while key in self.found and self.found[key] != entry:
                key, n = f"{name} ({n})", n + 1
            entry.name = key if key == name else entry.name
            self.found.setdefault(key, entry)
            self._keys[material.id()] = key
        return self._keys[material.id()]

    def type_name(self, obj: Any) -> str:
        """Return the name of an object's type, else what it says its type is; "" for none."""
        kind = self._type_of.get(obj.id())
        return str((kind.Name if kind is not None else None) or getattr(obj, "ObjectType", None) or "")

    def of(self, obj: Any) -> Association:
        """Return what an object is made of: its own association, else its type's."""
        select = self._of_object.get(obj.id())
        if select is None and obj.id() in self._type_of:
            select = self._of_object.get(self._type_of[obj.id()].id())
        if select is None:
            found = Association()
        elif select.id() in self._cache:
            found = self._cache[select.id()]
        else:
            try:
                found = self._resolve(select)
            except UNREADABLE:  # a set without layers or profiles: what it stands for is not known
                found = Association()
            self._cache[select.id()] = found
        if found.simplified:
            self.simplify(obj, found.simplified)
        if found.profile is None and obj.id() in self._profile_of:
            return replace(found, profile=self._profile_of[obj.id()])
        return found

    def simplify(self, obj: Any, what: str) -> None:
        """Remember what is taken for what of an object, for the report."""
        self._simplified.setdefault(what, []).append(ident(obj))

    def report(self) -> None:
        """Into the log: which objects are of several materials or profiles, and what is taken for them; kinds
        of one sort, such as the layers of a building's walls, together."""
        sorts: dict[str, list[tuple[str, list[str]]]] = {}
        for what, ids in self._simplified.items():
            sorts.setdefault(what.partition(" (")[0].partition(" from ")[0], []).append((what, ids))
        for kinds in sorts.values():
            kinds.sort(key=lambda k: (-len(k[1]), k[0]))
            words = [
                f"{len(ids)} element{'s' if len(ids) > 1 else ''} {what}" for what, ids in kinds[:KINDS_NAMED]
            ]
            more = sum(len(ids) for _, ids in kinds[KINDS_NAMED:])
            text = "; ".join(words) + (
                f"; and {more} elements of {len(kinds) - KINDS_NAMED} more kinds" if more else ""
            )
            every = tuple(sorted({i for _, ids in kinds for i in ids}))
            self._log.append(LogEntry("skipped", every, text))

    def _resolve(self, select: Any) -> Association:
        if select.is_a("IfcMaterial"):
            return Association(self.key(select))
        if select.is_a("IfcMaterialProfileSetUsage"):
            found = self._resolve(select.ForProfileSet)
            found.cardinal = select.CardinalPoint
            end = getattr(select, "ForProfileEndSet", None)
            if end is not None and found.profile is not None:
                other = end.MaterialProfiles[0].Profile
                if other is not None and other != found.profile:
                    if one_shape(found.profile, other):
                        found.end = other
                    else:
                        names = [p.ProfileName or f"#{p.id()}" for p in (found.profile, other)]
                        found.simplified = (
                            f"tapering from {names[0]} to {names[1]}, which are not of one shape: the first is taken for the "
                            "whole length"
                        )
            return found
        if select.is_a("IfcMaterialProfileSet"):
            first, *others = select.MaterialProfiles
            found = Association(self.key(first.Material), first.Profile)
            if others:
                names = [
                    p.Name or (p.Profile and p.Profile.ProfileName) or f"#{p.id()}" for p in (first, *others)
                ]
                found.simplified = f"of several profiles ({listing(names)}): the first alone is taken"
            return found
        if select.is_a("IfcMaterialProfile"):
            return Association(self.key(select.Material), select.Profile)
        if select.is_a("IfcMaterialLayerSetUsage"):
            return self._resolve(select.ForLayerSet)
        if select.is_a("IfcMaterialLayerSet"):
            return self._layers(list(select.MaterialLayers))
        if select.is_a("IfcMaterialList") and select.Materials:
            return self._first_of(list(select.Materials))
        if select.is_a("IfcMaterialConstituentSet") and select.MaterialConstituents:
            return self._first_of([c.Material for c in select.MaterialConstituents])
        return Association()

    def _layers(self, layers: list[Any]) -> Association:
        """The material of the thickest layer, for all of the thickness."""
        thickest = max(layers, key=lambda layer: layer.LayerThickness or 0)
        unit = self.units["LENGTHUNIT"]
        whole = sum(layer.LayerThickness or 0.0 for layer in layers) * unit
        found = Association(self.key(thickest.Material), thickness=whole or None)
        found.layers = tuple((self.key(x.Material), (x.LayerThickness or 0.0) * unit) for x in layers)
        if len({self.key(layer.Material) for layer in layers if layer.LayerThickness}) > 1:
            parts = [f"{name or 'nothing'} {size * 1000:.4g} mm" for name, size in found.layers]
            found.simplified = (
                f"of several layers ({listing(parts)}): all of the thickness counts as {found.material}"
            )
        return found

    def _first_of(self, materials: list[Any]) -> Association:
        found = Association(self.key(materials[0]))
        names = list(dict.fromkeys(self.key(m) or "none" for m in materials))
        found.layers = tuple((name, 0.0) for name in names)  # how much of each is not said
        if len(names) > 1:
            found.simplified = (
                f"of several materials ({listing(names)}): all of it counts as {found.material or 'none'}"
            )
        return found


def listing(names: list[str]) -> str:
    """Names in a sentence, six at most."""
    return few(names, 6)
