"""A view under a name: where it is seen from and what it shows, kept in the project for all of its
revisions."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

Point = tuple[float, float, float]


@dataclass(slots=True)
class KeptView:
    """`position`, `focus` in the source's coordinates (m) and `up`: where it is seen from; `height` (m) that
    half of the picture shows.

    `times`: how many times displacements are drawn, 0 for a scale that suits the building; `scale` on top of
    it."""

    name: str
    position: Point
    focus: Point
    up: Point
    height: float
    overlay: str = ""
    case: str = ""
    component: str = "my"
    plate: str = "mx"
    label: str = "none"
    scale: float = 1.0
    times: float = 0.0
    surfaces: bool = True
    storeys: list[str] = field(default_factory=list)
    isolated: list[str] = field(default_factory=list)
    stress: str = "normal"
    # normal (3), begin and end along it, m; none for the whole
    section: list[float] = field(default_factory=list)

    def record(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return asdict(self)

    @classmethod
    def of_record(cls, values: dict[str, Any]) -> KeptView:
        """The view of such a record; what a later release added to it is left out. Raises TypeError,
        ValueError, KeyError."""
        known = {k: v for k, v in values.items() if k in cls.__slots__}
        for name in ("position", "focus", "up"):
            x, y, z = (float(v) for v in known[name])
            known[name] = (x, y, z)
        return cls(**known)
