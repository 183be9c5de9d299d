"""What the buttons of a finding do: a correction with undo, a decision, or a look."""

from __future__ import annotations

import numpy as np

from ..model import FIXED, FREE, Finding, Model, Release
from ..model.edits import DeleteMembers, Edit, JoinEnd, SetRelease, SetSupport

ACCEPT, REOPEN, GO = "Accept, because…", "reopen", "Take me there"
MAP = "Map the profile to a known one"


def can_do(model: Model, finding: Finding, action: str) -> bool:
    """Whether a button for this action would do something."""
    return action in (ACCEPT, GO, MAP) or edit_for(model, finding, action) is not None


def edit_for(model: Model, finding: Finding | None, action: str, picked: str = "") -> Edit | None:
    """The correction an action stands for; None when it is not one (or its members are gone)."""
    if finding is None:
        if picked in model.nodes and action == "Fix this node":
            return SetSupport([picked], FIXED)
        if picked in model.nodes and action == "Free this node":
            return SetSupport([picked], FREE)
        return None
    ids = [i for i in finding.ids if i in model.members]
    if action.startswith("Extend it to") and len(ids) == 2 and finding.at is not None:
        line = model.line(model.members[ids[0]])
        at_end = np.linalg.norm(line[1] - finding.at) < np.linalg.norm(line[0] - finding.at)
        return JoinEnd(ids[0], bool(at_end), ids[1])
    if action.startswith("Delete ") and len(ids) == 2:
        name = action.removeprefix("Delete ")
        for ident in ids:
            m = model.members[ident]
            if name == f"{m.cls} {m.name or m.id}":
                return DeleteMembers([ident])
    if action == "Support it" and ids:
        return SetSupport([lowest(model, ids[0])], FIXED)
    if action == "Support all column bases":
        bases = free_bases(model)
        return SetSupport(bases, FIXED) if bases else None
    if action == "Keep one end fixed in that direction" and ids:
        return SetRelease(ids[:1], True, Release())
    return None


def lowest(model: Model, member: str) -> str:
    """The node at a member's lower end."""
    m = model.members[member]
    a, b = model.line(m)
    return m.start if a[2] <= b[2] else m.end


def free_bases(model: Model) -> list[str]:
    """Lower nodes of columns that no other member comes down to, in the order of the columns."""
    out: dict[str, None] = {}
    at = model.members_at()
    for m in model.members.values():
        if m.cls == "column":
            node = lowest(model, m.id)
            z = model.nodes[node].point[2]
            if all(model.line(model.members[i])[:, 2].min() >= z - 0.05 for i in at[node]):
                out[node] = None
    return list(out)
