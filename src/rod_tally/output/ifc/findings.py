"""Findings and what was decided on them, as property sets on the parts that they are about."""

from __future__ import annotations

from typing import Any

from ...review.decisions import Decision, decision_on
from ...review.review import Review
from .writer import IfcModelWriter

NAME = "Review findings"


def write_findings(w: IfcModelWriter, review: Review, building: Any) -> None:
    """A property set on every member, surface and node with findings, one property a finding named by its
    code: the message is the description, the value is severity and decision. Findings about none of these
    stand on the building."""
    texts: dict[Any, list[tuple[str, str, str]]] = {}
    for gathered in review.findings:
        for f in gathered.parts or (gathered,):
            row = f.code, f.message, f"{f.severity}, {_words(decision_on(f, review.decisions))}"
            targets = [
                t
                for i in f.ids
                if (t := w.members.get(i) or w.surfaces.get(i) or w.points.get(i)) is not None
            ]
            for target in targets or [building]:
                texts.setdefault(target, []).append(row)
    for k, (target, rows) in enumerate(texts.items()):
        used: dict[str, int] = {}
        properties = []
        for code, message, value in rows:
            used[code] = used.get(code, 0) + 1
            name = code if used[code] == 1 else f"{code} ({used[code]})"
            properties.append(
                w.f.create_entity(
                    "IfcPropertySingleValue", name, message, w.f.create_entity("IfcText", value), None
                )
            )
        own = w.root("IfcPropertySet", f"findings {k}", NAME, HasProperties=properties)
        w.root(
            "IfcRelDefinesByProperties",
            f"findings of {k}",
            None,
            RelatedObjects=[target],
            RelatingPropertyDefinition=own,
        )


def _words(decision: Decision | None) -> str:
    if decision is None:
        return "open"
    by = f" by {decision.by}" if decision.by else ""
    return (
        f"{decision.decision}{by}"
        + (f": {decision.reason}" if decision.reason else "")
        + f" ({decision.when})"
    )
