"""What forms that make a correction have in common."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QWidget

from ...model import Model
from ...model.edits import Edit
from ..forms.form import Field, Form
from ..session.session import Session
from ..session.state import DeskState


class Asking:
    """Asks, and hands the edit to the session, which makes it with undo."""

    def __init__(self, window: QWidget, session: Session, state: DeskState) -> None:
        self.window, self.session, self.state = window, session, state
        self.form: Form | None = None

    @property
    def model(self) -> Model | None:
        return self.state.review.model if self.state.review else None

    def _ask(self, title: str, text: str, fields: list[Field], make: Any) -> None:
        def made(values: dict[str, Any]) -> None:
            edit: Edit | None = make(values)
            if edit is not None:
                self.session.correct(edit)

        self.form = Form(self.window, title, text, fields, made)
        self.form.open()
