"""Grid lines of a building: what columns and frames are named after."""

from __future__ import annotations

from dataclasses import dataclass

from ..geometry.vectors import Array


@dataclass(slots=True)
class GridLine:
    """One axis of a grid: its tag, its points in plan (n, 2) in m, and the direction it belongs to (u, v or
    w)."""

    name: str
    points: Array
    family: str = "u"
    grid: str = ""
