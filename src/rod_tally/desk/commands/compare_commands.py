"""Commands of the comparison: which part of the baseline a part is, said by hand."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtWidgets import QWidget

from ...model import Member, Surface
from ...model.edits import NEW, PairParts, UnpairByHand
from ...model.geometry.vectors import Array
from ..session.session import Session
from ..session.state import DeskState
from .forms import Field, Form

NEAREST = 15  # candidates that are offered


class PairDesk:
    """Pairs the picked part of a revision with one of its baseline, or says that it has none."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state

    def possible(self) -> bool:
        """Whether a part of a compared revision is picked."""
        review, picked = self.state.review, self.state.picked
        return (
            review is not None and self.state.comparison is not None and self.state.baseline is not None
            and picked is not None and review.model.part(picked[1]) is not None
        )  # fmt: skip

    def candidates(self) -> list[tuple[str, str]]:
        """Parts of the baseline that the picked one may be, with words for each, the nearest first."""
        review, baseline, comparison = self.state.review, self.state.baseline, self.state.comparison
        if review is None or baseline is None or comparison is None or self.state.picked is None:
            return []
        model, base = review.model, baseline.review.model
        own = model.part(self.state.picked[1])
        if own is None:
            return []
        place = _middle(model, own) + model.origin
        if comparison.transform is not None:
            place = comparison.transform.undo(place[None])[0]
        twin = {m.baseline_id: m.revised_id for m in comparison.parts if m.baseline_id and m.revised_id and not m.piece}
        found = []
        for part in base.parts():
            if isinstance(part, Member) == isinstance(own, Member) and part.cls == own.cls:
                off = float(np.linalg.norm(_middle(base, part) + base.origin - place))
                taken = twin.get(part.id)
                other = model.part(taken) if taken and taken != own.id else None
                used = f", now {other.name or other.id}" if other is not None else ", now this one" if taken else ""
                found.append((off, part.id, f"{part.name or part.id} · {part.storey} · {off:.2f} m off{used}"))
        return [(ident, words) for _, ident, words in sorted(found)[:NEAREST]]

    def ask(self) -> None:
        """Which part of the baseline it is."""
        found = self.candidates()
        picked = self.state.picked
        if not found or picked is None:
            self.session.said.emit("The baseline holds nothing of this kind")
            return
        by_words = {words: ident for ident, words in found}

        def done(values: dict[str, Any]) -> None:
            self.session.correct(PairParts({picked[1]: by_words[values["with"]]}))

        text = "Which part of the reviewed revision this is. It stays so for the next comparison; undo takes it back."
        Form(
            self.window,
            "Pair by hand",
            text,
            [Field("with", "Part of the baseline", found[0][1], list(by_words))],
            done,
        ).open()

    def call_new(self) -> None:
        """Say that the chosen parts are new."""
        chosen = [*self.state.chosen("member"), *self.state.chosen("surface")]
        if chosen:
            self.session.correct(PairParts({i: NEW for i in chosen}))

    def leave(self) -> None:
        """Leave the chosen parts to the comparison again."""
        chosen = [*self.state.chosen("member"), *self.state.chosen("surface")]
        if chosen:
            self.session.correct(UnpairByHand(chosen))


def _middle(model: Any, part: Member | Surface) -> Array:
    return np.asarray(model.line(part).mean(axis=0) if isinstance(part, Member) else part.outer.mean(axis=0))
