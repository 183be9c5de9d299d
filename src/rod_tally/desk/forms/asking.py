"""Base of the parts of the window that ask by forms and make corrections of the answers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtWidgets import QWidget

from ...model import Model
from ...model.edits import Edit
from ..session.session import Session
from ..session.state import DeskState
from .form import Field, Form


def selected(ids: Sequence[object], what: str) -> str:
    """ "1 member is selected", "3 members are selected"."""
    return f"1 {what} is selected" if len(ids) == 1 else f"{len(ids)} {what}s are selected"


class Asking:
    """Asks, and hands the edit to the session, which makes it with undo."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state
        self.form: Form | None = None

    @property
    def model(self) -> Model | None:
        return self.state.review.model if self.state.review else None

    def _ask(self, title: str, text: str, fields: Sequence[Field], make: Any) -> None:
        """A form whose values `make` turns into an edit, or None for none."""
        self.form = Form(self.window, title, text, fields, lambda values: self._made(make(values)))
        self.form.open()

    def _made(self, edit: Edit | None) -> None:
        if edit is not None:
            self.session.correct(edit)
