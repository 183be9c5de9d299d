"""Requirements of a specification that a file does not meet, as findings."""

from __future__ import annotations

from ...checks.registry import listed
from ...intake.requirements import Held, Unmet
from ...model import Finding, Model
from ...words import and_more

NAMED = 4
MOST_IDS = 2000  # of one finding


def requirement_findings(held: Held, model: Model) -> list[Finding]:
    """A finding for each requirement that is not met, `requirement.` and its kind; and one for specifications
    that the file was not held against."""
    out = [_finding(u, model) for u in held.unmet]
    if held.other:
        names = listed(held.other[:NAMED]) + and_more(held.other, NAMED)
        text = (
            f"{held.title}: {names} {'is' if len(held.other) == 1 else 'are'} for other versions of the "
            "standard than this file's and says nothing of it."
        )
        out.append(Finding("requirement.version", "note", text, (), None, ("Accept, because…",)))
    return out


def _finding(u: Unmet, model: Model) -> Finding:
    if u.kind == "missing":
        text = f"{u.specification}: there is none of what it is about ({u.requirement})."
    elif u.kind == "prohibited":
        text = f"{u.specification}: {_named(u, model)} {'is' if len(u.ids) == 1 else 'are'} not wanted ({u.requirement})."
    else:
        why = f"; the first: {u.reason}" if u.reason else ""
        text = (
            f"{u.specification}: {u.requirement}. {len(u.ids)} of {u.asked} do not ({_named(u, model)}{why})."
        )
    severity = "warning" if u.required else "note"
    return Finding(
        f"requirement.{u.kind}",
        severity,
        text,
        u.ids[:MOST_IDS],
        None,
        ("Accept, because…",),
        {"count": float(len(u.ids))},
    )


def _named(u: Unmet, model: Model) -> str:
    names = []
    for ident in u.ids[:NAMED]:
        part = model.part(ident)
        names.append(f"{part.cls} {part.name or part.id}" if part is not None else ident)
    more = and_more(u.ids, NAMED)
    return ", ".join(names) + more
