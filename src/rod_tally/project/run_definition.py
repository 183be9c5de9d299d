"""Definitions of kept runs: cases, part and switches, so that a run can be made again after a correction."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import Any

from ..model import Model, Settings


@dataclass(slots=True)
class RunDefinition:
    """`cases`: None for all; the part that takes part is the `group` of that name, or the parts of `ids`, or
    all where both are empty; `one_way` and `p_delta` as in the settings of runs."""

    name: str
    cases: list[str] | None = None
    group: str = ""
    ids: list[str] = field(default_factory=list)
    one_way: bool = False
    p_delta: bool = False

    @property
    def words(self) -> str:
        """Return in a few words what is asked for."""
        part = f"group {self.group}" if self.group else f"{len(self.ids)} parts" if self.ids else "all"
        cases = (
            "all cases"
            if self.cases is None
            else ", ".join(self.cases[:3])
            + (f" and {len(self.cases) - 3} more" if len(self.cases) > 3 else "")
        )
        how = [w for on, w in ((self.one_way, "one-way"), (self.p_delta, "second order")) if on]
        return "; ".join([part, cases, *how])

    def part_in(self, model: Model) -> tuple[set[str] | None, list[str]]:
        """The members and surfaces that take part in a model, None for all, and which of the ids are not in
        it any more."""
        there = model.members.keys() | model.surfaces.keys()
        if self.group:
            return set(model.groups.get(self.group, ())) & there, []
        if not self.ids:
            return None, []
        return set(self.ids) & there, [i for i in self.ids if i not in there]

    def cases_in(self, model: Model) -> tuple[list[str] | None, list[str]]:
        """The cases of a model that are asked for, None for all, and those that it does not have any more."""
        if self.cases is None:
            return None, []
        return [c for c in self.cases if c in model.cases], [c for c in self.cases if c not in model.cases]

    def part_text(self) -> str:
        """The part as it is kept; "" for all."""
        return json.dumps({"group": self.group, "ids": self.ids}) if self.group or self.ids else ""


def definition_of(name: str, settings: Settings, part: str) -> RunDefinition:
    """The definition of a run kept with these settings and this text of its part."""
    found: dict[str, Any] = json.loads(part) if part else {}
    run = settings.run
    return RunDefinition(
        name,
        run.cases,
        str(found.get("group", "")),
        [str(i) for i in found.get("ids", [])],
        run.one_way,
        run.p_delta,
    )
