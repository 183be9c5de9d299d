"""Parts under a name, carried to revisions; and which part of the baseline a part is, said by hand where the
comparison cannot know."""

from __future__ import annotations

from dataclasses import dataclass

from ..entities.model import Model
from ..roles import Role
from .base import Edit, EditError, counted

NEW = ""  # of the baseline: no part


@dataclass
class KeepGroup(Edit):
    """Keep members and surfaces under a name, in place of a group of that name; without members the group is
    dissolved. No part is changed by it, and no result."""

    words = "a group"
    roles = {"name": Role.PLAIN, "members": Role.PARTS}

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


@dataclass
class PairParts(Edit):
    """`pairs`: ids of members or surfaces of this revision with those of the baseline that they are; NEW for
    parts that are new. A part of the baseline is one part of the revision at most: pairing it again unpairs
    the other."""

    words = "pairs by hand"
    roles = {"pairs": Role.PLAIN}

    pairs: dict[str, str]

    def __post_init__(self) -> None:
        one = next(iter(self.pairs.items()), ("", ""))
        self.text = (
            f"Pair {len(self.pairs)} parts with the baseline's"
            if len(self.pairs) != 1
            else f"{one[0]} is new"
            if one[1] == NEW
            else f"{one[0]} is {one[1]} of the baseline"
        )

    def change(self, model: Model) -> str:
        for ident in self.pairs:
            if model.part(ident) is None:
                raise EditError(f"{ident} is not in the model any more")
        given = [v for v in self.pairs.values() if v != NEW]
        if len(set(given)) < len(given):
            raise EditError("two parts cannot both be the same part of the baseline")
        kept = {
            k: v for k, v in model.pairing.items() if k not in self.pairs and (v == NEW or v not in given)
        }
        model.pairing = kept | self.pairs
        return f"{self.text} (by hand)"

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(self.pairs)


@dataclass
class PairBy(Edit):
    """Choose identities or places, where the two say otherwise which way the whole building moved: "place"
    for no, "" for yes."""

    words = "how the whole is paired"
    roles = {"by": Role.PLAIN}

    by: str

    def __post_init__(self) -> None:
        self.text = "Pair by places alone" if self.by else "Pair by identities where they moved together"

    def change(self, model: Model) -> str:
        if model.pair_by == self.by:
            raise EditError("the building is paired that way already")
        model.pair_by = self.by
        return f"{self.text} (by hand)"

    def ids(self, model: Model) -> tuple[str, ...]:
        return ()


@dataclass
class UnpairByHand(Edit):
    """Leave these parts of the revision to the comparison again."""

    words = "pairs left to the comparison"
    roles = {"parts": Role.PLAIN}

    parts: list[str]

    def __post_init__(self) -> None:
        self.text = f"Leave the pairing of {counted(self.parts, 'part')} to the comparison"

    def change(self, model: Model) -> str:
        if not any(i in model.pairing for i in self.parts):
            raise EditError("none of these was paired by hand")
        model.pairing = {k: v for k, v in model.pairing.items() if k not in self.parts}
        return self.text

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(self.parts)
