"""Decisions on findings (corrected, accepted with a reason, or open again) and what was looked at; by whom
and when."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from ..compare import Comparison
from ..compare.places import Places
from ..model import Finding, Model


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
    known: Collection[str] = (),
) -> dict[str, tuple[str, str]]:
    """Acceptances of the reviewed revision for the same findings of its successor, by key, marked with where
    they were made.

    `made` holds decision and reason by key; `twin` the part or node of the successor for each of the reviewed
    one, whose ids are `known`: one of them that has no twin is gone, whatever has its name now. A
    finding whose words or numbers are others now is open again, and so is one that was corrected and is there
    still."""
    words: dict[str, str] = {}
    for f in old:
        for one in f.parts or (f,):
            status, reason = made.get(one.key, ("open", ""))
            if status == "accepted" and all(i in twin or i not in known for i in one.ids):
                ids = sorted(twin.get(i, i) for i in one.ids)
                words[f"{one.code}:{','.join(ids)}\n{one.message}"] = reason
    out = {}
    for f in new:
        for one in f.parts or (f,):
            reason = words.get(f"{one.key}\n{one.message}", "")
            if f"{one.key}\n{one.message}" in words:
                mark = f"(decided on {revision})"
                out[one.key] = ("accepted", reason if reason.endswith(mark) else f"{reason} {mark}".strip())
    return out


def decision_on(finding: Finding, decisions: Iterable[Decision]) -> Decision | None:
    """The decision on a finding, None while it is open; of findings gathered in one, while one of them is."""
    by_key = {d.key: d for d in decisions if d.decision != "open"}
    found = [by_key.get(k) for k in finding.keys]
    return found[0] if all(d is not None for d in found) else None


def twins(comparison: Comparison, base: Model, revised: Model) -> dict[str, str]:
    """The revision's part or node for each of the baseline's, by what they are and where, not by name."""
    out = {
        m.baseline_id: m.revised_id
        for m in comparison.parts
        if m.baseline_id and m.revised_id and not m.piece
    }
    return out | {b: a for a, b in Places(base, revised, comparison.transform).node_of.items()}
