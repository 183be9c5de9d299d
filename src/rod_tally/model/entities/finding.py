"""A finding: what a check saw, where, how bad, and what a person can do about it."""

from __future__ import annotations

from dataclasses import dataclass, field

SEVERITIES = ("blocking", "warning", "note")


@dataclass(slots=True)
class Finding:
    """One thing found. `code` is `family.what` and stable; `at` is a point in the model's local axes (m) or
    None.

    `ids` are ids of members (or of nodes, cases, sections, materials, as the code says). `actions` are short
    sentences: what can be done. `parts` are the findings that this one gathers, () for one by itself.
    """

    code: str
    severity: str
    message: str
    ids: tuple[str, ...] = ()
    at: tuple[float, float, float] | None = None
    actions: tuple[str, ...] = ()
    numbers: dict[str, float] = field(default_factory=dict)
    parts: tuple[Finding, ...] = ()

    def __post_init__(self) -> None:
        if self.severity not in SEVERITIES:
            raise ValueError(f"severity is one of {SEVERITIES}, not {self.severity!r}")

    @property
    def family(self) -> str:
        return self.code.split(".")[0]

    @property
    def key(self) -> str:
        """Return what identifies this finding from one computation of the checks to the next (for decisions
        on it)."""
        return self.code + ":" + ",".join(sorted(self.ids))

    @property
    def keys(self) -> tuple[str, ...]:
        """Keys of the findings that a decision on this one is about: its parts', or its own."""
        return tuple(f.key for f in self.parts) or (self.key,)

    @property
    def order(self) -> tuple[int, str, tuple[str, ...]]:
        """Sort key: blocking first, then by code and ids, so that lists are the same from run to run."""
        return SEVERITIES.index(self.severity), self.code, self.ids
