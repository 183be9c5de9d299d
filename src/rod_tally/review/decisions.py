"""Decisions on findings: corrected, accepted with a reason, or open again; by whom and when."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..model import Finding


@dataclass(slots=True)
class Decision:
    """`code` and `ids` are those of the finding; `decision` corrected, accepted or open; `when` ISO 8601, UTC."""

    code: str
    ids: tuple[str, ...]
    decision: str
    reason: str = ""
    by: str = ""
    when: str = ""

    @property
    def key(self) -> str:
        """As `Finding.key`."""
        return self.code + ":" + ",".join(sorted(self.ids))


def decision_on(finding: Finding, decisions: Iterable[Decision]) -> Decision | None:
    """The decision on a finding, None while it is open; of findings gathered in one, while one of them is."""
    by_key = {d.key: d for d in decisions if d.decision != "open"}
    found = [by_key.get(k) for k in finding.keys]
    return found[0] if all(d is not None for d in found) else None
