"""Materials: what the source says, and what a standard says where the source is silent and the name is
clear."""

from __future__ import annotations

from ...intake.source import SourceMaterial
from ...model import LogEntry, Material
from ...model.catalogue.grade_names import kind_of, standard_of
from ...model.catalogue.grades import grades
from ...model.entities.material import ANY_STIFFNESS, completed


def material_of(source: SourceMaterial, log: list[LogEntry], mapped: str | None = None) -> Material:
    """The model's material. A value the source does not have at all is assumed from its name and logged; one
    that it has, even a zero, is never replaced: the checks report it. A material `mapped` to a grade takes
    from there what it lacks or has no believable value of."""
    if mapped is not None:
        grade = grades()[mapped]
        log.append(
            LogEntry("guessed", (source.name,), f"material {source.name}: mapped to {mapped} by the settings")
        )
        return completed(_stated(source, grade.kind), grade, f"{grade.where}, mapped")
    named = standard_of(source.name, source.category)
    stated = standard_of(source.grade, source.category) if source.grade else None
    # a grade that the file states beside the name says more than the name's kind
    found = stated if stated is not None and stated[1] and (named is None or not named[0].strength) else named
    known = found[0] if found is not None else None
    sure = found is None or found[1]
    kind = known.kind if known else kind_of(source.name, source.category)
    material = _stated(source, kind)
    assert material.origin is not None
    if known is not None:
        for key in ("E", "density", "poisson"):
            if getattr(source, key) is None and not (key == "poisson" and (source.G or known.poisson == 0)):
                setattr(material, key, getattr(known, key))
                material.origin[key] = known.where + ("" if sure else " (a guess)")
        if source.strength is None and known.strength > 0 and sure:
            material.strength = known.strength
            material.origin["strength"] = known.where
        if known.kind == "timber" and source.G is None:
            # with the source's own E, not the grade's
            material.G = known.G if source.E is None else (material.E or 0.0) / 16
            material.origin["G"] = known.where if source.E is None else "EN 338, E / 16"
        if material.origin:
            shown = ", ".join(
                f"{k} = {getattr(material, k) / 1e9:g} GPa"
                if k in "EG"
                else f"{k} = {getattr(material, k) / 1e6:g} MPa"
                if k == "strength"
                else f"{k} = {getattr(material, k):g}"
                for k in material.origin
            )
            log.append(
                LogEntry("guessed", (source.name,), f"material {source.name}: {shown} by {known.where}")
            )
    if material.E is not None and not ANY_STIFFNESS[0] <= material.E <= ANY_STIFFNESS[1]:
        material.G = None  # a shear modulus beside a wrong E would hide it
    return material


def _stated(source: SourceMaterial, kind: str) -> Material:
    """Return what the source says of a material, and nothing else."""
    s = source
    return Material(s.name, kind, s.E, s.G, s.poisson, s.density, s.strength, {}, s.alpha)
