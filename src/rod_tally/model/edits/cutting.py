"""Corrections of cuts: they change no result, only what is read from it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..entities.cuts import Cut
from ..entities.model import Model
from ..roles import Role
from .base import Edit, EditError, counted, there


@dataclass
class AddCuts(Edit):
    """Add cuts, as records with name, line, surfaces, family, storey and factor; one of a name that is there
    replaces it."""

    words = "cuts"
    roles = {"cuts": {"line": Role.PLACES, "about": Role.PLACE, "surfaces": Role.PARTS}}

    cuts: list[dict[str, Any]]

    def __post_init__(self) -> None:
        self.text = f"{len(self.cuts)} cuts" if len(self.cuts) != 1 else f"Cut {self.cuts[0].get('name', '')}"

    def change(self, model: Model) -> str:
        new: dict[str, Cut] = {}
        for c in self.cuts:
            line = np.array(c["line"], float)
            name = str(c.get("name", "")).strip()
            if line.shape != (2, 3) or not np.linalg.norm(line[1] - line[0]) > 1e-6:
                raise EditError(f"cut {name or '?'} has no length")
            if not name:
                raise EditError("a cut needs a name")
            surfaces = [s for s in c.get("surfaces", ()) if s in model.surfaces]
            if not surfaces:
                raise EditError(f"cut {name} crosses no slab or wall of the model")
            if name in new:
                raise EditError(f"two of the cuts are named {name!r}")
            about = None if c.get("about") is None else np.array(c["about"], float).reshape(3)
            family, storey = str(c.get("family", "")), str(c.get("storey", ""))
            new[name] = Cut(name, line, surfaces, family, storey, float(c.get("factor", 1.0)), about)
        model.cuts = [new.pop(c.name, c) for c in model.cuts] + list(new.values())
        return self.text


@dataclass
class MoveCut(Edit):
    """Move a cut sideways by `by` (m) in its surfaces' plane, or give it another factor."""

    words = "a moved cut"
    roles = {"name": Role.PLAIN, "by": Role.PLAIN, "factor": Role.PLAIN}

    name: str
    by: float = 0.0
    factor: float = 1.0

    def __post_init__(self) -> None:
        self.text = f"Move cut {self.name}"

    def change(self, model: Model) -> str:
        k = next((k for k, c in enumerate(model.cuts) if c.name == self.name), None)
        if k is None:
            raise EditError(f"there is no cut {self.name!r}")
        cut = model.cuts[k]
        way = cut.line[1] - cut.line[0]
        normal = there(model.surfaces, cut.surfaces[0]).plain_axes[2]
        aside = np.cross(normal, way / np.linalg.norm(way))
        about = None if cut.about is None else cut.about + self.by * aside
        model.cuts[k] = replace(cut, line=cut.line + self.by * aside, about=about, factor=self.factor)
        return f"cut {self.name} moved by {self.by * 1000:.0f} mm, factor {self.factor:g}"


@dataclass
class DeleteCuts(Edit):
    """Take cuts away."""

    words = "deleted cuts"
    roles = {"names": Role.PLAIN}

    names: list[str]

    def __post_init__(self) -> None:
        self.text = f"Delete {counted(self.names, 'cut')}"

    def change(self, model: Model) -> str:
        model.cuts = [c for c in model.cuts if c.name not in set(self.names)]
        return self.text
