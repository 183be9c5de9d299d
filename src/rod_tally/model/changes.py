"""Differences between a model as it was and as it is, by identity: corrections put copies in place of what
they change."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, is_dataclass
from typing import Any

import numpy as np

from .entities.model import Model

# aspects of a model that corrections change one at a time; a check says which of them it looks at
ASPECTS = (
    "geometry",
    "sections",
    "materials",
    "releases",
    "supports",
    "loads",
    "behaviour",
    "names",
    "source",
)

# the aspects that a field of the model, or of a part, belongs to
OF_MODEL = {
    "name": "names",
    "kind": "geometry",
    "schema": "source",
    "units": "source",
    "source_file": "source",
    "origin": "geometry",
    "storeys": "geometry",
    "sections": "sections",
    "materials": "materials",
    "cases": "loads",
    "combinations": "loads",
    "skipped": "source",
    "source_counts": "source",
    "snap": "geometry",
    "search": "geometry",
    "grids": "geometry",
    "groups": "names",
    "north": "geometry",
    "counterparts": "source",
    "one_way": "behaviour",
    "lifting": "behaviour",
    "standing": "behaviour",
    "leaning": "behaviour",
    "limits": "behaviour",
    "bearing": "behaviour",
    "removed_members": "source",
    "removed_surfaces": "source",
    "corrections": "source",
    "cuts": "names",
    "pairing": "names",
    "pair_by": "names",
    "side": "geometry",
    "taken_with": "source",
    "source_print": "source",
    "log": "source",
}
OF_PARTS = {
    "id": "names",
    "name": "names",
    "cls": "names",
    "storey": "names",
    "tag": "names",
    "element": "names",
    "bearing": "names",
    "log": "names",
    # nodes
    "point": "geometry",
    "support": "supports",
    # members
    "start": "geometry",
    "end": "geometry",
    "section": "sections",
    "material": "materials",
    "z_axis": "geometry",
    "release_start": "releases",
    "release_end": "releases",
    "offset_start": "geometry",
    "offset_end": "geometry",
    "joints": "geometry",
    "source_line": "geometry",
    "source_section": "sections",
    "source_material": "materials",
    "pin_joined": "releases",
    "read_from": "sections",
    "ends": "sections",
    "moved_by": "geometry",
    "body_share": "sections",
    "joined_as": "sections",
    "length_share": "sections",
    "differs": "sections",
    # surfaces
    "outer": "geometry",
    "openings": "geometry",
    "thickness": "geometry",
    "guess": "names",
    "supports": "supports",
    "bedding": "geometry",
    "x_axis": "geometry",
    "flipped": "geometry",
    "source_outer": "geometry",
    "source_thickness": "geometry",
    "spread": "geometry",
    "thin_at": "geometry",
    "thick_at": "geometry",
    "way": "geometry",
    "span": "geometry",
    "mesh_size": "geometry",
    "diaphragm": "geometry",
    "beds": "geometry",
    "area_share": "sections",
    "type_name": "names",
    "built_up": "names",
    "depth": "geometry",
}


@dataclass(slots=True)
class Changed:
    """Aspects in which two models differ, and ids of the nodes, members and surfaces that one of them has
    alone or otherwise."""

    aspects: set[str] = field(default_factory=set)
    nodes: set[str] = field(default_factory=set)
    members: set[str] = field(default_factory=set)
    surfaces: set[str] = field(default_factory=set)


def changed(was: Model, now: Model) -> Changed:
    """Return what differs between two states of one model. What is the same object in both counts as
    unchanged."""
    out = Changed()
    for name, ids in (("nodes", out.nodes), ("members", out.members), ("surfaces", out.surfaces)):
        old, new = getattr(was, name), getattr(now, name)
        ids |= old.keys() ^ new.keys()
        if ids:  # a part more or less is other geometry, sections, weight …
            out.aspects |= {*ASPECTS} - {"loads", "source"}
        elif list(old) != list(new):  # what was worked out in the order of the parts holds no more
            out.aspects.add("geometry")
        differ = [i for i, part in new.items() if old.get(i) is not part and i in old]
        ids.update(differ)
        for i in differ:
            out.aspects |= _aspects_of(old[i], new[i])
    for name, aspect in OF_MODEL.items():
        if aspect not in out.aspects and not _same(getattr(was, name), getattr(now, name)):
            out.aspects.add(aspect)
    return out


def _aspects_of(old: Any, new: Any) -> set[str]:
    return {OF_PARTS[f.name] for f in fields(new) if not _same(getattr(old, f.name), getattr(new, f.name))}


def _same(a: Any, b: Any) -> bool:
    """Return whether two values are equal; what is one object is."""
    if a is b:
        return True
    if type(a) is not type(b):
        return False
    if isinstance(a, np.ndarray):
        return a.shape == b.shape and bool(np.array_equal(a, b))
    if isinstance(a, Mapping):
        return a.keys() == b.keys() and all(_same(v, b[k]) for k, v in a.items())
    if isinstance(a, list | tuple):
        return len(a) == len(b) and all(_same(x, y) for x, y in zip(a, b))
    if is_dataclass(a):
        return all(_same(getattr(a, f.name), getattr(b, f.name)) for f in fields(a))
    return bool(a == b)
