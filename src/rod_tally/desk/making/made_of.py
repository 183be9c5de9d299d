"""Forms for what the selected parts are made of: sections and materials of the model, of the catalogue, or
one's own, which are remembered."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from ...model import Model
from ...model.catalogue.catalogue import catalogue
from ...model.catalogue.grades import grades
from ...model.catalogue.own import SHAPES
from ...model.edits import (
    KINDS,
    Edit,
    EditError,
    OwnMaterial,
    OwnSection,
    SetMaterial,
    SetSection,
    TaperMembers,
)
from ..forms.asking import Asking, selected
from ..forms.form import Field, Form

CONSTANT = "as at the start"
NO_KIND = "none"
# fields of a material: title, unit, and what the unit is in SI; 0 for what is not known, but for E
MATERIAL = {
    "E": ("E", "GPa", 1e9),
    "G": ("G", "GPa", 1e9),
    "poisson": ("Poisson's ratio", "", 1.0),
    "density": ("density", "kg/m³", 1.0),
    "strength": ("strength", "MPa", 1e6),
    "alpha": ("thermal expansion, 1/K · 10⁶", "", 1e-6),
}


class MadeOf(Asking):
    """Asks, and remembers for the next model what is one's own."""

    def members(self) -> list[str]:
        return self.state.chosen("member")

    def surfaces(self) -> list[str]:
        return self.state.chosen("surface")

    def ask_section(self) -> None:
        model, ids = self.model, self.members()
        if model is None or not ids:
            return
        own = self.session.memory.own("sections")
        now = model.members[ids[0]].section
        names = list(dict.fromkeys([*model.sections, *own, *by_family(catalogue(), now)]))
        fields = [Field("section", "section", model.members[ids[0]].section, names, free=True)]

        def made(v: dict[str, Any]) -> Edit:
            name = v["section"]
            if name in own and name not in model.sections:
                return OwnSection(ids, name, own[name]["shape"], own[name]["sizes"])
            return SetSection(ids, name)

        self._ask("Section", f"{selected(ids, 'member')}.", fields, made)

    def ask_taper(self) -> None:
        """Another section at the end of the selected members."""
        model = self.model
        if model is None or not self.members():
            return
        plain = [name for name, s in model.sections.items() if s.end is None]
        now = model.members[self.members()[0]].section
        names = [CONSTANT, *dict.fromkeys([*plain, *by_family(catalogue(), now)])]
        text = f"{selected(self.members(), 'member')}. At their start they keep theirs ({now})."
        fields = [Field("end", "section at the end", CONSTANT, names, free=True)]
        self._ask(
            "Tapering members",
            text,
            fields,
            lambda v: TaperMembers(self.members(), "" if v["end"] == CONSTANT else v["end"]),
        )

    def ask_own_section(self, shape: str = "") -> None:
        """A section of one's own for the selected members: its shape first, then its sizes."""
        model, ids = self.model, self.members()
        if model is None or not ids:
            return
        if not shape:
            self.form = Form(
                self.window,
                "A section of one's own",
                f"{selected(ids, 'member')}.",
                [Field("shape", "shape", "rectangle", list(SHAPES))],
                lambda v: self.ask_own_section(v["shape"]),
            )
            self.form.open()
            return
        needed, more = SHAPES[shape]
        plain = shape == "values"
        factor = {"area": 1e4, "avy": 1e4, "avz": 1e4, "iy": 1e8, "iz": 1e8, "j": 1e8} if plain else {}
        unit = {"area": "cm²", "avy": "cm²", "avz": "cm²", "iy": "cm⁴", "iz": "cm⁴", "j": "cm⁴"}
        name = _free(f"own {shape}", model.sections)
        fields = [Field("name", "name", name, [name], free=True)]
        fields += [
            Field(
                k, k.replace("_", " "), 0.0 if k in more else 100.0, unit=unit.get(k, "mm"), low=0.0, high=1e9
            )
            for k in (*needed, *more)
        ]

        def made(v: dict[str, Any]) -> Edit:
            sizes = {k: float(v[k]) / factor.get(k, 1e3) for k in (*needed, *more) if k in needed or v[k] > 0}
            name = str(v["name"]).strip()
            self._remember(
                "sections", name, {"shape": shape, "sizes": sizes}, OwnSection([], name, shape, sizes)
            )
            return OwnSection(ids, name, shape, sizes)

        self._ask(
            "A section of one's own", f"{shape.capitalize()}; 0 for what it does not have.", fields, made
        )

    def _remember(self, what: str, name: str, values: dict[str, Any], edit: Edit) -> None:
        """For models to come, what can be made at all."""
        try:
            edit.change(Model())
        except EditError:
            return  # told when it is made
        self.session.memory.keep_own(what, name, values)

    def _parts(self) -> list[str]:
        return [*self.members(), *self.surfaces()]

    def ask_material(self) -> None:
        model, ids = self.model, self._parts()
        if model is None or not ids:
            return
        own = self.session.memory.own("materials")
        names = list(dict.fromkeys([*model.materials, *own, *grades()]))
        part = model.part(ids[0])
        fields = [Field("material", "material", part.material if part else "", names, free=True)]

        def made(v: dict[str, Any]) -> Edit:
            name = v["material"]
            if name in own and name not in model.materials:
                return OwnMaterial(ids, name, own[name]["kind"], own[name]["values"])
            return SetMaterial(ids, name)

        self._ask("Material", f"{selected(ids, 'part')}.", fields, made)

    def ask_own_material(self) -> None:
        """A material by its values for the selected parts; those of the first one's are filled in."""
        model, ids = self.model, self._parts()
        if model is None or not ids:
            return
        part = model.part(ids[0])
        now = model.materials.get(part.material) if part is not None else None
        name = _free("own material", model.materials)
        kind = now.kind if now is not None and now.kind in KINDS and now.kind else NO_KIND
        fields = [
            Field("name", "name", name, [name], free=True),
            Field("kind", "kind", kind, [NO_KIND, *KINDS[1:]]),
        ]
        for key, (title, unit, factor) in MATERIAL.items():
            value = (getattr(now, key) or 0.0) / factor if now is not None else 0.0
            fields.append(Field(key, title, value, unit=unit, low=0.0, high=1e6))

        def made(v: dict[str, Any]) -> Edit:
            values = {k: float(v[k]) * factor for k, (_, _, factor) in MATERIAL.items() if v[k] > 0}
            kind, name = "" if v["kind"] == NO_KIND else v["kind"], str(v["name"]).strip()
            self._remember(
                "materials", name, {"kind": kind, "values": values}, OwnMaterial([], name, kind, values)
            )
            return OwnMaterial(ids, name, kind, values)

        self._ask(
            "A material of one's own",
            f"{selected(ids, 'part')}. 0 for what is not known: G then follows from Poisson's ratio (without one 0.3 for "
            "metals, 0.2 else), the expansion from the kind.",
            fields,
            made,
        )


def _free(name: str, taken: object) -> str:
    number = 1
    while f"{name} {number}" in taken:  # type: ignore[operator]
        number += 1
    return f"{name} {number}"


def by_family(names: Iterable[str], now: str) -> list[str]:
    """Names with those of one family together, that of `now` first; within a family as they were."""

    def family(name: str) -> str:
        return re.split(r"[0-9]", name, maxsplit=1)[0].strip()

    families = dict.fromkeys([family(now), *(family(n) for n in names)])
    order = {f: k for k, f in enumerate(families)}
    return sorted(names, key=lambda n: order[family(n)])
