"""Parts to look at again in groups: what is worse for one reason in one place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...analysis.stress.utilisation import FORMULA
from ...model import Finding, Model
from ...model.geometry.lines import column_stacks
from .again import LookAgain

NAMED = 5  # parts that the finding names
MOST_TIMES = 20.0  # a ratio beyond is one to next to nothing
GROUPED = 10  # parts from which the finding names groups
SHOWN = 3  # groups that it names


@dataclass(slots=True)
class AgainGroup:
    """Parts of one class and reason at one place, a stack of columns or a storey, in their order; `cause` of
    their change where it was asked for."""

    cls: str
    why: str
    place: str
    cause: str
    parts: list[LookAgain]


def grouped(found: Sequence[LookAgain], model: Model) -> list[AgainGroup]:
    """The groups, those with most parts first; of equals in the order of their first parts."""
    stack = {i: s.name for s in column_stacks(model) if len(s.members) > 1 for i in s.members}
    out: dict[tuple[str, str, str, str], AgainGroup] = {}
    for x in found:
        part = model.part(x.revised_id)
        storey = part.storey if part is not None and part.storey else "no storey"
        place = stack.get(x.revised_id, storey)
        key = x.cls, x.why, place, x.cause
        out.setdefault(key, AgainGroup(*key[:3], x.cause, [])).parts.append(x)
    return sorted(out.values(), key=lambda g: -len(g.parts))


def again_finding(found: list[LookAgain], over: str, called: dict[str, str], model: Model) -> Finding | None:
    """Which parts must be looked at again, the worst named; None for none. `called`: words for a part, by
    id."""
    if not found:
        return None
    count = {w: sum(x.why == w for x in found) for w in ("demand", "resistance", "new", "not computed")}
    words = {
        "demand": "with more demand than was accepted",
        "resistance": "with a weaker or another section, thickness or material",
        "new": "new",
        "not computed": "not computed in one of the two",
    }
    parts = ", ".join(f"{n} {words[w]}" for w, n in count.items() if n)
    worst = [x for x in found if x.why == "demand"][:NAMED]
    named = ", ".join(f"{called.get(x.revised_id, x.revised_id)} ({worse_by(x)})" for x in worst)
    one = len(found) == 1
    groups = grouped(found, model)
    many = (
        f"; in {len(groups)} groups, the largest {_groups(groups)}"
        if len(groups) > 1 and len(found) > GROUPED
        else ""
    )
    text = f"{len(found)} part{'' if one else 's'} must be looked at again over {over}: {parts}" + (
        f"; first {named}" if named else ""
    )
    text += many
    if any(x.used_after is not None for x in found):
        text += f". Use of sections: {FORMULA}"
    return Finding(
        "match.again", "warning", text + ".", tuple(x.revised_id for x in found), None, ("Accept, because…",)
    )


def worse_by(x: LookAgain) -> str:
    """By how much a part is worse: by the force that has grown, if not from nothing, and by the use of its
    section."""
    if x.used_before is None or x.used_after is None or x.used_after <= x.used_before:
        return f"{x.quantity} {_times(x)}"
    use = f"{x.used_before:.0%} to {x.used_after:.0%} of its elastic section"
    plain = x.quantity != "use" and x.ratio is not None and x.ratio < MOST_TIMES
    return f"{x.quantity} {_times(x)}, {use}" if plain else use


def _times(x: LookAgain) -> str:
    """How many times what was accepted; a ratio to next to nothing is none."""
    if x.ratio is None or x.ratio >= MOST_TIMES:
        return "from next to nothing"
    return f"{x.ratio:.3g} times"


def _groups(groups: list[AgainGroup]) -> str:
    """The first groups in words, and how many parts remain."""
    shown = groups[:SHOWN]
    rest = sum(len(g.parts) for g in groups[SHOWN:])
    words = [f"{len(g.parts)} {g.cls}{'s' if len(g.parts) > 1 else ''} of {g.place}" for g in shown]
    return ", ".join(words) + (f"; {rest} parts in the others" if rest else "")
