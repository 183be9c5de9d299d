"""Names of files to write, asked of the user."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget


def ask_save_name(parent: QWidget, title: str, start: str, kinds: Mapping[str, str]) -> Path | None:
    """Ask for the name of a file to write; None where the user goes back.

    `kinds` are the endings (".ifc") by the words of their kind, the first the usual one. A name without one
    of them gets the ending of the chosen kind: a point in a name ("house v1.2") is no ending. The dialog asks
    before it takes a name that is there; of the name with its ending it does not know, so that is asked here.
    """
    filters = {f"{words} (*{end})": end for words, end in kinds.items()}
    name, chosen = QFileDialog.getSaveFileName(parent, title, start, ";;".join(filters))
    if not name:
        return None
    if name.lower().endswith(tuple(kinds.values())):
        return Path(name)
    path = Path(name + filters.get(chosen, next(iter(filters.values()))))
    if path.exists():
        answer = QMessageBox.question(parent, title, f"{path.name} is already there. Replace it?")
        if answer != QMessageBox.StandardButton.Yes:
            return None
    return path
