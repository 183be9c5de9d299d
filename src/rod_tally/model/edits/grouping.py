"""Parts under a name, kept with the model and carried to its revisions."""

from __future__ import annotations

from dataclasses import dataclass

from ..entities.model import Model
from .base import Edit, EditError, counted


@dataclass
class KeepGroup(Edit):
    """Keep members and surfaces under a name, in place of a group of that name; without members the group is dissolved. No part
    is changed by it, and no result."""

    name: str
    members: list[str]

    def __post_init__(self) -> None:
        self.text = f"Keep group {self.name}" if self.members else f"Dissolve group {self.name}"

    def change(self, model: Model) -> str:
        name = self.name.strip()
        if not name:
            raise EditError("a group needs a name")
        if not self.members:
            if name not in model.groups:
                raise EditError(f"there is no group {name!r}")
            model.groups = {k: v for k, v in model.groups.items() if k != name}
            return f"group {name} dissolved"
        gone = [i for i in self.members if model.part(i) is None]
        if gone:
            raise EditError(f"{gone[0]} is not in the model any more")
        model.groups = {**model.groups, name: list(dict.fromkeys(self.members))}
        return f"group {name} of {counted(self.members, 'part')} kept"

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(self.members)
