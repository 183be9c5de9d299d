"""Cuts across floors and through walls, kept with the model."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..geometry.vectors import Array


@dataclass(slots=True)
class Cut:
    """A straight cut from `line[0]` to `line[1]` (2, 3), m, through these surfaces; its forces are shown
    times `factor`.

    `family` names the regular set it was made with, "" for one by itself; `storey` the floor it lies in;
    `about` (3,) the point that moments are taken about, None: the cut's middle."""

    name: str
    line: Array
    surfaces: list[str] = field(default_factory=list)
    family: str = ""
    storey: str = ""
    factor: float = 1.0
    about: Array | None = None

    @property
    def group(self) -> str:
        """Return the set that it is drawn and hidden with: its family, or itself alone."""
        return self.family or self.name
