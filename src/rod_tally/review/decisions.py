"""Decisions on findings (corrected, accepted with a reason, or open again) and what was looked at; by whom
and when."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..model import Finding


@dataclass(slots=True)
class Decision:
    """`code` and `ids` are those of the finding; `decision` corrected, accepted or open; `when` ISO 8601,
    UTC."""

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


@dataclass(slots=True)
class Look:
    """That an item of a step was looked at ("Framing/Gaps"), by whom and when (ISO 8601, UTC), and what the
    picture showed then."""

    item: str
    by: str = ""
    when: str = ""
    picture: str = ""


def carried_decisions(
    old: Iterable[Finding],
    made: dict[str, tuple[str, str]],
    new: Iterable[Finding],
    twin: dict[str, str],
    revision: str,
) -> dict[str, tuple[str, str]]:
    """Acceptances of the reviewed revision for the same findings of its successor, by key, marked with where
    they were made.

    `made` holds decision and reason by key; `twin` the part of the successor for each of the reviewed one. A
    finding whose words or numbers are others now is open again, and so is one that was corrected and is there
    still."""
    words: dict[str, str] = {}
    for f in old:
        for one in f.parts or (f,):
            status, reason = made.get(one.key, ("open", ""))
            if status == "accepted":
                ids = sorted(twin.get(i, i) for i in one.ids)
                words[f"{one.code}:{','.join(ids)}\n{one.message}"] = reason
    out = {}
    for f in new:
        for one in f.parts or (f,):
            known = words.get(f"{one.key}\n{one.message}")
            if known is not None:
                mark = f"(decided on {revision})"
                out[one.key] = ("accepted", known if known.endswith(mark) else f"{known} {mark}".strip())
    return out


def decision_on(finding: Finding, decisions: Iterable[Decision]) -> Decision | None:
    """The decision on a finding, None while it is open; of findings gathered in one, while one of them is."""
    by_key = {d.key: d for d in decisions if d.decision != "open"}
    found = [by_key.get(k) for k in finding.keys]
    return found[0] if all(d is not None for d in found) else None
