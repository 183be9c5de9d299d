"""Files that are dropped on the window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMimeData

from ..project.store import SUFFIX

MODELS = (".ifc", ".ifczip", ".xlsx", ".csv")


def dropped(data: QMimeData | None) -> list[Path]:
    """Files and folders of a drop that can be taken in."""
    if data is None or not data.hasUrls():
        return []
    paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()]
    return [p for p in paths if p.suffix.lower() in (SUFFIX, *MODELS) or p.is_dir()]


def is_project(path: Path) -> bool:
    return path.suffix.lower() == SUFFIX
