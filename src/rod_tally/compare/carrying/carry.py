"""What was made for the reviewed revision here, by hand or by rule, made again for its successor: each
correction and addition goes to where its target is now, or is named with the reason why it cannot."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field, replace
from typing import Any

from ...model import Finding, Model
from ...model.edits import Edit, EditError, from_record
from ..members import match_members
from ..places import Places
from ..surfaces import match_surfaces
from .moving import Mover
from .parts import NAMED, Target
from .there import Already, There, moved_here

THERE = "is in the revision's source already"
PLACED = ("carried", "moved")
MOST_TARGETS = 200  # of a line, kept
MOVED = 1e-3  # m; a target that lies farther from where it was has moved
BETWEEN = ("PairParts", "UnpairByHand")  # about the baseline and the one before it


@dataclass(slots=True)
class Carried:
    """One thing that was made for the baseline. `status`: carried, moved (its target did, by `distance` m, or
    `words` say how it was placed), partly (some of its targets are gone), gone, there (the revision's source
    has it itself), or left (not carried, by choice). `ids`: of the baseline, what is gone; `targets`:
    members, surfaces and nodes of the revision that it changed."""

    what: str
    status: str
    words: str = ""
    distance: float = 0.0
    ids: tuple[str, ...] = ()
    targets: tuple[str, ...] = ()


@dataclass(slots=True)
class CarriedOver:
    """`edits`: what was made on the revision, in order. `plan`: each line as it was found, with its edits, so
    that a line that is left out can be chosen again. Both are empty where this comes from a project's
    file."""

    lines: list[Carried] = field(default_factory=list)
    edits: list[Edit] = field(default_factory=list)
    plan: list[tuple[Carried, list[Edit]]] = field(default_factory=list)

    @property
    def finding(self) -> Finding | None:
        """What was carried over, and what could not be placed; None where there was nothing."""
        if not self.lines:
            return None
        placed = [x for x in self.lines if x.status in PLACED]
        left = [x for x in self.lines if x.status == "left"]
        there = [x for x in self.lines if x.status == "there"]
        rest = [x for x in self.lines if x.status not in (*PLACED, "left", "there")]
        moved = [x for x in placed if x.status == "moved"]
        text = f"{len(placed)} of {len(self.lines)} corrections and additions of the reviewed revision were carried over"
        far = [x for x in moved if x.distance > MOVED]
        if far:
            text += (
                f", {len(far)} with a target that moved by up to {max(x.distance for x in far) * 1000:.0f} mm"
            )
        if there:
            text += f", {len(there)} were not needed, as the revision's source has them ({_few([x.what for x in there])})"
        if left:
            text += f", {len(left)} not, by choice ({_few([x.what for x in left])})"
        for x in [x for x in moved if x.words][:NAMED]:
            text += f"; {x.what}: {x.words}"
        for x in rest[:NAMED]:
            text += f"; {x.what}: {x.words}"
        if len(rest) > NAMED:
            text += f"; and {len(rest) - NAMED} more"
        ids = tuple(dict.fromkeys(i for x in rest for i in x.ids))
        return Finding(
            "match.carried", "warning" if rest else "note", text + ".", ids, None, ("Accept, because…",)
        )


def carry_over(base: Model, revised: Model) -> CarriedOver:
    """Make the baseline's corrections and additions again on the revision, in their order. The revision is
    changed."""
    out = CarriedOver()
    if not base.corrections:
        return out
    members, transform, _ = match_members(base, revised)
    surfaces = match_surfaces(base, revised, transform)
    members = [*members, *moved_here(base, revised, members, Places(base, revised, transform))]
    move = Mover(base, revised, Places(base, revised, transform), members, surfaces)
    already = Already(base, revised, move, [*members, *surfaces])
    for record in base.corrections:
        if record.get("edit") in BETWEEN:
            continue
        line, made = _carry(record, move, already, revised)
        out.lines.append(line)
        out.edits += made
        out.plan.append((line, made))
    return out


def carry_only(carried: CarriedOver, model: Model, left: Collection[int]) -> CarriedOver:
    """The same without some lines (by number): all that was made is taken back, and the others are made again
    in their order.

    The model must be as `carry_over` or an earlier choice left it; it is changed. What can no longer be made
    because it built on what is left out is named as gone. `carried` stays as it is."""
    for edit in reversed(carried.edits):
        edit.revert(model)
    out = CarriedOver(plan=carried.plan)
    for k, (line, edits) in enumerate(carried.plan):
        if k in left:
            out.lines.append(replace(line, status="left"))
            continue
        made = []
        missed = []
        for edit in edits:
            try:
                edit.apply(model)
            except EditError as error:
                missed.append(str(error))
            else:
                made.append(edit)
        if missed:
            line = replace(line, status="partly" if made else "gone", words="; ".join(missed[:NAMED]))
        out.lines.append(line)
        out.edits += made
    return out


def _carry(
    record: dict[str, Any], move: Mover, already: Already, revised: Model
) -> tuple[Carried, list[Edit]]:
    what = _described(record)
    move.lost, move.lost_ids, move.notes, move.distance = [], [], [], 0.0
    already.skipped = False
    move.begin(record)
    made: list[Edit] = []
    targets: dict[str, None] = {}
    for part in move.by_way(record):
        try:
            for placed in already.placed(part):
                edit = from_record(placed, revised)
                named = _named(placed.get("values", {}), revised)
                before = set(revised.members) if placed.get("edit") == "SplitMember" else set()
                edit.apply(revised)
                already.made(part, before)
                made.append(edit)
                targets |= dict.fromkeys([*revised.log[-1].ids, *named])
        except There:
            already.skipped = True
        except (Target, EditError) as error:
            move.lost.append(str(error))
    if not made and not move.lost:
        return Carried(what, "there", THERE), made
    if not made:
        return Carried(what, "gone", move.lost[-1], 0.0, tuple(move.lost_ids)), made
    there = tuple(targets)[:MOST_TARGETS]
    if move.lost:
        return Carried(what, "partly", "; ".join(move.lost[:NAMED]), 0.0, tuple(move.lost_ids), there), made
    moved = move.distance > MOVED or bool(move.notes)
    words = "; ".join([*move.notes[:NAMED], *(["the rest " + THERE] if already.skipped else [])])
    return Carried(what, "moved" if moved else "carried", words, move.distance, (), there), made


def _few(names: list[str]) -> str:
    return ", ".join(names[:NAMED]) + (", …" if len(names) > NAMED else "")


def _named(value: Any, model: Model) -> list[str]:
    """Ids of members, surfaces and nodes that a record names, at any depth; names of cases are no ids."""
    if isinstance(value, str):
        return [value] if value in model.members or value in model.surfaces or value in model.nodes else []
    if isinstance(value, dict):
        return [i for k, v in value.items() if k not in ("case", "name", "kind") for i in _named(v, model)]
    return [i for v in value for i in _named(v, model)] if isinstance(value, list | tuple) else []


def _described(record: dict[str, Any]) -> str:
    """The correction in a word or two, from its record alone."""
    name = str(record.get("edit", "?"))
    values = record.get("values", {})
    case = values.get("case") or values.get("name") or ""
    kind = Edit.kinds.get(name)
    words = kind.words if kind is not None else name
    if name == "AddCases":
        names = [str(c.get("name", "")) for c in values.get("cases", ())]
        return f"{words} {_few(names)}"
    return words + (f" of case {case}" if case and isinstance(case, str) else "")
