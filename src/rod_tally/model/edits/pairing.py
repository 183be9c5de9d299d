"""Which part of the baseline a part of this revision is, said by hand where the comparison cannot know."""

from __future__ import annotations

from dataclasses import dataclass

from ..entities.model import Model
from .base import Edit, EditError

NEW = ""


@dataclass
class PairParts(Edit):
    """`pairs`: ids of members or surfaces of this revision with those of the baseline that they are; NEW for parts that are
    new. A part of the baseline is one part of the revision at most: pairing it again unpairs the other."""

    pairs: dict[str, str]

    def __post_init__(self) -> None:
        one = next(iter(self.pairs.items()), ("", ""))
        self.text = (
            f"Pair {len(self.pairs)} parts with the baseline's" if len(self.pairs) != 1
            else f"{one[0]} is new" if one[1] == NEW else f"{one[0]} is {one[1]} of the baseline"
        )  # fmt: skip

    def change(self, model: Model) -> str:
        for ident in self.pairs:
            if model.part(ident) is None:
                raise EditError(f"{ident} is not in the model any more")
        given = [v for v in self.pairs.values() if v != NEW]
        if len(set(given)) < len(given):
            raise EditError("two parts cannot both be the same part of the baseline")
        kept = {k: v for k, v in model.pairing.items() if k not in self.pairs and (v == NEW or v not in given)}
        model.pairing = kept | self.pairs
        return f"{self.text} (by hand)"

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(self.pairs)


@dataclass
class UnpairByHand(Edit):
    """Leave these parts of the revision to the comparison again."""

    parts: list[str]

    def __post_init__(self) -> None:
        self.text = f"Leave the pairing of {len(self.parts)} parts to the comparison"

    def change(self, model: Model) -> str:
        if not any(i in model.pairing for i in self.parts):
            raise EditError("none of these was paired by hand")
        model.pairing = {k: v for k, v in model.pairing.items() if k not in self.parts}
        return self.text

    def ids(self, model: Model) -> tuple[str, ...]:
        return tuple(self.parts)
