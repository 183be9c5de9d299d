"""One thing that a simple formula gives, beside what the run gives."""

from __future__ import annotations

from dataclasses import dataclass

COLUMN, BEAM, WIND, WALL, PERIOD = "column", "beam", "wind", "wall", "period"
# codes of findings that are a likely reason where a kind of value is far off, the likeliest first
REASONS: dict[str, tuple[str, ...]] = {
    COLUMN: ("join.gap", "join.loose_end", "floor.holds", "support.inside", "load.uncarried", "load.jump", "source.moved"),
    BEAM: ("join.gap", "join.crossing", "release.unstable", "load.jump", "floor.holds", "mesh.point"),
    WIND: ("load.uncarried", "load.twice", "load.direction", "source.unread"),
    WALL: ("floor.holds", "join.gap", "support.base_free", "wall.joint"),
    PERIOD: ("stability.mechanism", "join.gap", "support.base_free", "material.stiffness", "material.density", "load.twice"),
}  # fmt: skip


@dataclass(slots=True)
class Expected:
    """`value` and `came` in SI (N, N m, Pa or s), None where only a sign is expected; the run's share of what
    is expected lies between `least` and `most` where nothing is odd. `of` names the parts `ids`; `reason` are
    findings that may be why it does not."""

    kind: str
    of: str
    ids: tuple[str, ...]
    case: str
    formula: str
    value: float | None
    came: float | None
    least: float = 0.5
    most: float = 2.0
    words: str = ""
    agrees: bool | None = None
    reason: str = ""

    @property
    def ratio(self) -> float | None:
        """Return what came over what was expected; None where that is no number."""
        if self.value is None or self.came is None or self.value == 0:
            return None
        return self.came / self.value

    @property
    def odd(self) -> bool:
        """Return whether it is out of what is usual."""
        if self.agrees is not None:
            return not self.agrees
        r = self.ratio
        return r is not None and not self.least <= r <= self.most

    @property
    def off(self) -> float:
        """Return how far off it is, for sorting: 1 on the edge of what is usual."""
        if self.agrees is not None:
            return 0.0 if self.agrees else 2.0
        r = self.ratio
        if r is None:
            return 0.0
        return max(r / self.most, self.least / r if r > 0 else 100.0)
