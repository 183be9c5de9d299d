"""Shortcuts of one's own: which key a command has on this machine."""

from __future__ import annotations

from typing import Any

from PyQt6.QtGui import QAction, QKeySequence

from ..forms.form import Field, Form
from .registry import COMMANDS

NONE = "none"
# what Linux desktops take themselves
DESKTOP = (
    "Ctrl+Alt+T",
    "Ctrl+Alt+L",
    "Ctrl+Alt+D",
    "Ctrl+Alt+Del",
    "Alt+F4",
    "Alt+Tab",
)


class Shortcuts:
    """The shortcuts of a window's actions, by command; what was changed is remembered on this machine."""

    def __init__(self, window: Any) -> None:
        self.window, self.memory = window, window.session.memory
        self.form: Form | None = None

    def of(self, command: str) -> str:
        """The key of a command, "" for none."""
        own = self.memory.shortcuts()
        usual = next((c.shortcut for c in COMMANDS if c.id == command), "")
        return own.get(command, usual)

    def put_on(self, actions: dict[str, QAction]) -> None:
        """Give every action its key."""
        for ident, action in actions.items():
            action.setShortcut(QKeySequence(self.of(ident)))

    def ask(self) -> None:
        """Which command, and which key."""
        titles = {f"{c.menu}: {c.title}": c.id for c in COMMANDS}
        first = next(iter(titles))
        fields = [
            Field("command", "Command", first, list(titles)),
            Field("key", "Key", "", [NONE, "as it was"], free=True),
        ]
        text = "Such as Ctrl+Shift+H, or F7. A key that another command has is taken from it."
        self.form = Form(
            self.window,
            "Change a shortcut",
            text,
            fields,
            lambda v: self.change(titles.get(str(v["command"]), ""), str(v["key"]).strip()),
        )
        self.form.open()

    def change(self, command: str, key: str) -> None:
        """Give a command another key, none, or the usual one again; says what it was taken from."""
        title = next((c.title for c in COMMANDS if c.id == command), None)
        if title is None:
            self.window.session.said.emit("There is no such command")
            return
        own = self.memory.shortcuts()
        if key == "as it was":
            own.pop(command, None)
            self._put(own, f"{title}: {self.usual(command) or 'no key'} again")
            return
        wanted = "" if key in ("", NONE) else QKeySequence(key).toString()
        if key not in ("", NONE) and not wanted:
            self.window.session.said.emit(f"{key!r} is no key; nothing was changed")
            return
        if wanted in DESKTOP:
            self.window.session.said.emit(f"{wanted} belongs to the desktop; nothing was changed")
            return
        taken = [c for c in COMMANDS if wanted and c.id != command and self.of(c.id) == wanted]
        own |= {c.id: "" for c in taken} | {command: wanted}
        from_them = f", taken from {taken[0].title}" if taken else ""
        self._put(own, f"{title}: {wanted or 'no key'}{from_them}")

    @staticmethod
    def usual(command: str) -> str:
        """The key that a command ships with."""
        return next((c.shortcut for c in COMMANDS if c.id == command), "")

    def _put(self, own: dict[str, str], text: str) -> None:
        self.memory.keep_shortcuts({k: v for k, v in own.items() if v != self.usual(k)})
        self.put_on(self.window.actions_)
        self.window.session.said.emit(text)
