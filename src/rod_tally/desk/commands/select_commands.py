"""Commands that select: by words, turned round, kept as a group and taken again."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from ...model.edits import KeepGroup
from ...model.words import HELP, WordsError, chosen
from ..forms.form import Field, Form
from ..session.session import Session
from ..session.state import DeskState

REMEMBERED = 12  # words that the form offers again


class SelectDesk:
    """Chooses, and says how many parts are selected."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state
        self.form: Form | None = None
        self.words: list[str] = []

    def ask_words(self) -> None:
        """Words that choose parts."""
        first = self.words[0] if self.words else "columns"
        fields = [Field("words", "Words", first, self.words or [first], free=True)]
        self.form = Form(
            self.window, "Select by words", HELP, fields, lambda v: self.by_words(str(v["words"]))
        )
        self.form.open()

    def by_words(self, words: str) -> None:
        """Select what the words choose, or say what in them is not understood."""
        review = self.state.review
        if review is None:
            return
        try:
            ids = chosen(review.model, words)
        except WordsError as error:
            self.session.said.emit(str(error))
            return
        self.words = [words, *(w for w in self.words if w != words)][:REMEMBERED]
        self.select(ids)

    def select(self, ids: list[str]) -> None:
        """Select members and surfaces, and say how many of which."""
        review = self.state.review
        if review is None:
            return
        model = review.model
        self.state.select(
            [("member" if i in model.members else "surface", i) for i in ids if model.part(i) is not None]
        )
        self.session.said.emit(self.told())

    def told(self) -> str:
        """How many parts of which class are selected."""
        review = self.state.review
        count: dict[str, int] = {}
        for kind, ident in self.state.selected:
            part = review.model.part(ident) if review is not None else None
            what = kind if part is None else part.cls
            count[what] = count.get(what, 0) + 1
        words = ", ".join(
            f"{n} {c}{'es' if c.endswith('s') else 's'}" if n > 1 else f"1 {c}"
            for c, n in sorted(count.items())
        )
        return f"Selected: {words}" if words else "Nothing is selected"

    def invert(self) -> None:
        """Select the shown parts that are not selected."""
        review = self.state.review
        if review is None:
            return
        now = {*self.state.chosen("member"), *self.state.chosen("surface")}
        shown = {*self.state.shown_members(), *self.state.shown_surfaces()}
        self.select([p.id for p in review.model.parts() if p.id in shown and p.id not in now])

    def ask_group(self) -> None:
        """Under which name the selection is kept."""
        review = self.state.review
        if review is None:
            return
        names = sorted(review.model.groups)
        number = len(names) + 1
        while f"Group {number}" in names:
            number += 1
        ids = [*self.state.chosen("member"), *self.state.chosen("surface")]
        text = "Kept with the model and carried to its revisions; a group of that name is replaced."
        fields = [Field("name", "Name", f"Group {number}", [f"Group {number}", *names], free=True)]
        self.form = Form(
            self.window,
            "Keep the selection as a group",
            text,
            fields,
            lambda v: self.session.correct(KeepGroup(str(v["name"]).strip(), ids)),
        )
        self.form.open()

    def ask_take(self) -> None:
        """Which group is selected."""
        self._of_groups("Select a group", "Its members and surfaces.", self.take)

    def take(self, name: str) -> None:
        """Select a group's parts."""
        review = self.state.review
        if review is not None:
            self.select(list(review.model.groups.get(name, ())))

    def ask_dissolve(self) -> None:
        """Which group is not wanted any more."""
        self._of_groups(
            "Dissolve a group",
            "Its parts stay as they are.",
            lambda n: self.session.correct(KeepGroup(n, [])),
        )

    def _of_groups(self, title: str, text: str, call: object) -> None:
        review = self.state.review
        names = sorted(review.model.groups) if review is not None else []
        if not names:
            self.session.said.emit("The model has no groups")
            return
        self.form = Form(
            self.window,
            title,
            text,
            [Field("name", "Group", names[0], names)],
            lambda v: call(str(v["name"])),  # type: ignore[operator]
        )
        self.form.open()
