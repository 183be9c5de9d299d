"""Findings that say the same of many parts become one, with the list inside: one to read, one to decide, one
to act on."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable

from ..model import Finding
from .registry import Subject, listed, mm

FEW = 4  # so many alike are still reported one by one
NAMED = 4  # names that a message gives before it counts the rest
# by reason, by section, or each a part of its own
APART = (
    "source.unread",
    "section.measured",
    "join.island",
)
# what a check offers for one, by its first words, and what that is called for all of a group
FOR_ALL = {
    "Join them": "Join all by rigid links",
    "Extend it to": "Extend each to what it stops short of",
    "Tie it to": "Tie each to what it stops short of",
    "Tie them to": "Tie each to the slab above",
    "Delete": "",  # which one of each pair is a decision of its own
    "Support it": "Support each",
    "Join it by hand": "",
}


def gather(findings: Iterable[Finding], s: Subject) -> list[Finding]:
    """The findings with alike ones in one. Alike are those of one code and severity about parts of the same
    classes.

    Pairs that share a part (a purlin under its rafters) are gathered about that part.
    """
    out: list[Finding] = []
    groups: dict[tuple[object, ...], list[Finding]] = defaultdict(list)
    for f in findings:
        key = _kind(f, s)
        if key is None:
            out.append(f)
        else:
            groups[key].append(f)
    for items in groups.values():
        if len(items) <= FEW:
            out += items
        elif len(items[0].ids) == 2:
            out += _about_hubs(items, s)
        else:
            out.append(_one_of(items, s, _about_many(items, s)))
    return out


def _kind(f: Finding, s: Subject) -> tuple[object, ...] | None:
    """Return what findings have to share to be alike; None for those that stay by themselves."""
    if f.code in APART or not f.ids or len(f.ids) > 2 or f.parts:
        return None
    parts = [s.model.part(i) for i in f.ids]
    if any(p is None for p in parts):
        return None
    words = re.sub(r"\d+(?:[.,]\d+)?(?:e[+-]?\d+)? ?(?:mm|m|%)?", "#", _unnamed(f, s))
    return f.code, f.severity, tuple(sorted(p.cls for p in parts if p is not None)), words


def _unnamed(f: Finding, s: Subject) -> str:
    """The message without the parts' names."""
    text = f.message
    for i in f.ids:
        text = text.replace(s.name(i), "*")
    return text


def _about_hubs(items: list[Finding], s: Subject) -> list[Finding]:
    """Pairs about the part that most of them share, then the next; the rest is reported together."""
    left = sorted(items, key=lambda f: f.ids)
    out: list[Finding] = []
    while len(left) > FEW:
        count = Counter(i for f in left for i in f.ids)
        hub, most = min(count.items(), key=lambda item: (-item[1], item[0]))
        if most <= FEW:
            break
        mine = [f for f in left if hub in f.ids]
        left = [f for f in left if hub not in f.ids]
        others = [next(i for i in f.ids if i != hub) for f in mine]
        out.append(_one_of(mine, s, _about_hub(mine, hub, others, s), hub))
    if len(left) > FEW:
        out.append(_one_of(left, s, _about_many(left, s)))
    else:
        out += left
    return out


def _one_of(items: list[Finding], s: Subject, message: str, hub: str = "") -> Finding:
    first = items[0]
    ids = dict.fromkeys(([hub] if hub else []) + [i for f in items for i in f.ids])
    return Finding(
        first.code,
        first.severity,
        message,
        tuple(ids),
        first.at,
        _actions(items),
        _numbers(items),
        tuple(items),
    )


def _numbers(items: list[Finding]) -> dict[str, float]:
    """Return the largest of each number, and how many findings there are."""
    out: dict[str, float] = {"count": float(len(items))}
    for f in items:
        for k, v in f.numbers.items():
            out[k] = max(v, out.get(k, v))
    return out


def _actions(items: list[Finding]) -> tuple[str, ...]:
    out = []
    for action in items[0].actions:
        head = next((h for h in FOR_ALL if action.startswith(h)), None)
        if head is not None:
            out.append(FOR_ALL[head])
        elif all(action in f.actions for f in items):
            out.append(action)
    return tuple(dict.fromkeys(a for a in out if a))


def part_action(group: Finding, part: Finding, action: str) -> str | None:
    """Return what an action on a group is called on one of its parts; None where that has none of the kind."""
    del group
    for head, words in FOR_ALL.items():
        if words and words == action:
            return next((a for a in part.actions if a.startswith(head)), None)
    return action if action in part.actions else None


def names_of(ids: list[str], s: Subject) -> str:
    """A few names and how many more: "R1, R2, R3, R4 and 24 more"."""
    parts = [s.model.part(i) for i in ids]
    names = sorted((p.name or p.id) for p in parts if p is not None)
    if len(names) > NAMED:
        return ", ".join(names[:NAMED]) + f" and {len(names) - NAMED} more"
    return listed(names)


def _class(ids: list[str], s: Subject) -> str:
    part = s.model.part(ids[0])
    cls = part.cls if part is not None else "part"
    return cls if len(ids) == 1 else f"{cls}es" if cls.endswith("s") else f"{cls}s"


def _range(items: list[Finding], key: str) -> str:
    """The least and the greatest of a distance in words: "40 mm", "40 to 60 mm"."""
    values = [f.numbers[key] for f in items if key in f.numbers]
    if not values:
        return ""
    low, high = mm(min(values)), mm(max(values))
    return low if low == high else f"{low} to {high}"


def _about_hub(items: list[Finding], hub: str, others: list[str], s: Subject) -> str:
    n, name = len(others), s.name(hub)
    what = f"{n} {_class(others, s)}"
    rest = f" ({names_of(others, s)})"
    words = HUBS.get(items[0].code)
    if words is None:
        return f"{what}{rest}, each like this: {items[0].message}"
    return words(items, what, rest, name, s)


def _crossing(items: list[Finding], what: str, rest: str, name: str, s: Subject) -> str:
    def height(i: str) -> float:
        return s.middle(i)[2]

    hub = next(i for i in items[0].ids if all(i in f.ids for f in items))
    above = sum(height(next(i for i in f.ids if i != hub)) >= height(hub) - 1e-6 for f in items)
    how = "pass over" if above == len(items) else "pass under" if above == 0 else "cross"
    braces = items[0].severity == "note"
    end = "as braces may" if braces else "no force goes from one to the other"
    touch = sum(f.numbers.get("distance", 1.0) <= s.model.snap for f in items)
    bodies = "; their bodies touch" if s.model.physical and touch == len(items) else ""
    return f"{what}{rest} {how} {name} without a common node{bodies}; {end}."


def _gap(items: list[Finding], what: str, rest: str, name: str, s: Subject) -> str:
    if all(s.name(f.ids[1]) == name for f in items):
        carried = (
            "nothing carries their ends"
            if items[0].severity == "blocking"
            else "their nodes are not tied to it"
        )
        return f"{what}{rest} end {_range(items, 'distance')} before {name}; {carried}."
    return f"{what}{rest}, each like this: {items[0].message}"


HUBS: dict[str, Callable[[list[Finding], str, str, str, Subject], str]] = {
    "join.crossing": _crossing,
    "join.gap": _gap,
}


def _about_many(items: list[Finding], s: Subject) -> str:
    firsts = list(dict.fromkeys(f.ids[0] for f in items))
    what, rest = f"{len(firsts)} {_class(firsts, s)}", f" ({names_of(firsts, s)})"
    code = items[0].code
    if code == "join.loose_end":
        return f"{what}{rest} are joined to nothing at an end, {_range(items, 'length')} from their last joint: are cantilevers intended?"
    if code == "join.short":
        return f"{len(items)} pieces of {what}{rest} are {_range(items, 'length')} long, shorter than {mm(s.settings.transfer.short)}."
    if code == "join.gap":
        return f"{what}{rest} end {_range(items, 'distance')} before what they were meant for."
    return f"{len(items)} findings alike on {what}{rest}, such as: {items[0].message}"
