"""New columns that stand in the line of stacks that were there: on a new level a column belongs to the stack
below it."""

from __future__ import annotations

from ..model import Finding, Model
from ..model.geometry.lines import column_stacks
from ..words import few
from .members import MemberMatch

SHOWN = 4


def continued_stacks(revised: Model, members: list[MemberMatch]) -> list[Finding]:
    """One note for all added columns whose stack in the revision also holds columns of the baseline; [] for
    none."""
    status = {m.revised_id: m.status for m in members if m.revised_id is not None and m.cls == "column"}
    found: list[tuple[str, str]] = []
    for stack in column_stacks(revised):
        known = any(status.get(i) in ("same", "changed", "moved", "resized") for i in stack.members)
        found += [(i, stack.name) for i in stack.members if known and status.get(i) == "added"]
    if not found:
        return []
    names = list(dict.fromkeys(name for _, name in found))
    shown = few(names, SHOWN)
    one = len(found) == 1
    text = f"{len(found)} new column{' stands' if one else 's stand'} in {'a stack' if one else 'stacks'} that {'was' if one else 'were'} there: {shown}."
    return [Finding("match.stack", "note", text, tuple(i for i, _ in found))]
