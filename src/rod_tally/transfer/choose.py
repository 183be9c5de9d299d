"""Choosing what comes along: by class, storey, group, material and load-bearing flag; the rest is listed with
why."""

from __future__ import annotations

from dataclasses import replace

from msgspec import structs

from ..intake.source import SourceElement, SourceModel, SourceSurface
from ..model import Skipped
from ..model.settings import ChooseSettings

NOT_BEARING = "the source says that it bears no load"


def choose(source: SourceModel, wanted: ChooseSettings) -> SourceModel:
    """The source with only what was chosen; what was left out is in `skipped` of the result with its
    reason."""
    parts: list[SourceElement | SourceSurface] = [*source.elements, *source.surfaces]
    # where nothing is said to bear, the flag is one that nobody has set
    only_bearing = wanted.only_bearing and any(e.bearing for e in parts)
    if structs.replace(wanted, only_bearing=False) == ChooseSettings(only_bearing=False) and not (
        only_bearing and any(e.bearing is False for e in parts)
    ):
        return source
    groups: dict[str, set[str]] = {name: set(ids) for name, ids in source.groups.items()}
    inside = set().union(*(groups.get(g, set()) for g in wanted.groups)) if wanted.groups else None
    skipped = list(source.skipped)

    def reason(e: SourceElement | SourceSurface) -> str:
        if wanted.classes and e.cls not in wanted.classes:
            return f"class {e.cls} was not chosen"
        if wanted.storeys and e.storey not in wanted.storeys:
            return f"storey {e.storey or '(none)'} was not chosen"
        if inside is not None and e.id not in inside:
            return "it is in none of the chosen groups"
        if wanted.materials and e.material not in wanted.materials:
            return f"material {e.material or '(none)'} was not chosen"
        if only_bearing and e.bearing is False:
            return NOT_BEARING
        return ""

    def keep(items: list) -> list:
        out = []
        for e in items:
            why = reason(e)
            if why:
                skipped.append(Skipped(e.cls, e.id, why, e.name, e.ifc_class, True))
            else:
                out.append(e)
        return out

    elements, surfaces = keep(source.elements), keep(source.surfaces)
    return replace(source, elements=elements, surfaces=surfaces, skipped=skipped)
