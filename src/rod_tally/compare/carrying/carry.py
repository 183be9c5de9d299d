"""Corrections of the reviewed revision made here, by hand or by rule, made again for its successor: each
correction and addition goes to where its target is now, or is named with the reason why it cannot."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field, replace
from typing import Any

from ...model import Finding, Model
from ...model.edits import Edit, EditError, from_record, to_record
from ...model.roles import Role
from ...words import and_more
from ..members import match_members
from ..places import Places
from ..surfaces import match_surfaces
from .moving import Mover
from .parts import NAMED, Target
from .there import Already, There, moved_here

THERE = "is in the revision's source already"
PLACED = ("carried", "moved", "again", "kept")  # "again" and "kept" are told with their words
MOST_TARGETS = 200  # of a line, kept
VALUE = 1e-6  # share by which a value may differ
MOVED = 1e-3  # m; a target that lies farther from where it was has moved
BETWEEN = ("PairBy", "PairParts", "UnpairByHand")  # about the baseline and the one before it
DERIVED = ("MakeCasesAgain",)  # made anew for each model


@dataclass(slots=True)
class Carried:
    """One thing that was made for the baseline. `status`: carried, moved (its target did, by `distance` m,
    or `words` say how it was placed), again (load cases made again by their rule), kept (as they are,
    though they have a rule: `words` say why), partly (some of its targets are gone), gone, there (the
    revision's source has it itself), asked (the source has changed that very thing: not carried until it
    is chosen) or left (not carried, by choice). `ids`: of the baseline, what is gone; `targets`: members,
    surfaces and nodes of the revision that it changed."""

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
    def findings(self) -> list[Finding]:
        """Return what was carried over, and what waits for a choice."""
        found = self.finding
        asked = [x for x in self.lines if x.status == "asked"]
        out = [] if found is None else [found]
        if asked:
            words = "; ".join(f"{x.what}: {x.words}" for x in asked[:NAMED])
            more = and_more(asked, NAMED, "; and")
            many = "corrections meet" if len(asked) > 1 else "correction meets"
            text = f"{len(asked)} {many} what the source has changed itself, and {'are' if len(asked) > 1 else 'is'} not made until chosen: {words}{more}."
            ids = tuple(dict.fromkeys(i for x in asked for i in x.targets))
            out.append(Finding("match.changed_under", "warning", text, ids, None, ("Accept, because…",)))
        return out

    @property
    def finding(self) -> Finding | None:
        """Return what was carried over, and what could not be placed; None where there was nothing."""
        if not self.lines:
            return None
        placed = [x for x in self.lines if x.status in PLACED]
        left = [x for x in self.lines if x.status == "left"]
        there = [x for x in self.lines if x.status == "there"]
        rest = [x for x in self.lines if x.status not in (*PLACED, "left", "there", "asked")]
        moved = [x for x in placed if x.status == "moved"]
        text = f"{len(placed)} of {len(self.lines)} corrections and additions of the reviewed revision were carried over"
        kept = any(x.status == "kept" for x in placed)
        far = [x for x in moved if x.distance > MOVED]
        if far:
            text += (
                f", {len(far)} with a target that moved by up to {max(x.distance for x in far) * 1000:.0f} mm"
            )
        if there:
            text += f", {len(there)} were not needed, as the revision's source has them ({_few([x.what for x in there])})"
        if left:
            text += f", {len(left)} not, by choice ({_few([x.what for x in left])})"
        for x in [x for x in placed if x.words and x.status != "carried"][:NAMED]:
            text += f"; {x.what}: {x.words}"
        for x in rest[:NAMED]:
            text += f"; {x.what}: {x.words}"
        if len(rest) > NAMED:
            text += f"; and {len(rest) - NAMED} more"
        ids = tuple(dict.fromkeys(i for x in rest for i in x.ids))
        return Finding(
            "match.carried",
            "warning" if rest or kept else "note",
            text + ".",
            ids,
            None,
            ("Accept, because…",),
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
        if record.get("edit") in BETWEEN or _derived(record, base):
            continue
        lines = _carry(record, move, already, revised)
        for line, made in lines:
            out.lines.append(line)
            out.edits += made if line.status != "asked" else []
            out.plan.append((line, made))
    return out


def _derived(record: dict[str, Any], base: Model) -> bool:
    """Return whether a correction is made anew for each model: cases of a rule that nobody changed by hand
    since."""
    if record.get("edit") not in DERIVED:
        return False
    names = [n for n in record["values"]["names"].values() if n in base.cases]
    return all(base.cases[n].by_rule is not None for n in names)


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
            out.lines.append(line if line.status == "asked" else replace(line, status="left"))
            continue
        if line.status == "asked":
            line = replace(line, status="carried")
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
) -> list[tuple[Carried, list[Edit]]]:
    """One line for what was made, and one for what waits for a choice, with the edits of each."""
    what = _described(record)
    move.lost, move.lost_ids, move.notes, move.distance = [], [], [], 0.0
    already.skipped, already.asked = False, []
    move.begin(record)
    made: list[Edit] = []
    waiting: list[Edit] = []
    told: list[str] = []
    targets: dict[str, None] = {}
    for part in move.by_way(record):
        try:
            for placed in already.placed(part):
                clear, asked, why = divided(placed, part, move, revised)
                waiting += [from_record(asked, revised)] if asked is not None else []
                told += why
                if clear is None:
                    continue
                edit = from_record(clear, revised)
                named = _named(clear.get("values", {}), revised)
                before = set(revised.members) if clear.get("edit") == "SplitMember" else set()
                edit.apply(revised)
                already.made(part, before)
                made.append(edit)
                targets |= dict.fromkeys([*revised.log[-1].ids, *named])
        except There:
            already.skipped = True
        except (Target, EditError) as error:
            move.lost.append(str(error))
    for asked_record, words in already.asked:
        try:
            waiting.append(from_record(asked_record, revised))
            told.append(words)
        except EditError as error:
            move.lost.append(str(error))
    out: list[tuple[Carried, list[Edit]]] = []
    there = tuple(targets)[:MOST_TARGETS]
    if made:
        if move.lost:
            line = Carried(what, "partly", "; ".join(move.lost[:NAMED]), 0.0, tuple(move.lost_ids), there)
        else:
            moved = move.distance > MOVED or bool(move.notes)
            words = "; ".join([*move.notes[:NAMED], *(["the rest " + THERE] if already.skipped else [])])
            line = Carried(what, "moved" if moved else "carried", words, move.distance, (), there)
        out.append((line, made))
    elif move.lost:
        out.append((Carried(what, "gone", move.lost[-1], 0.0, tuple(move.lost_ids)), made))
    elif not waiting:
        out.append((Carried(what, "there", THERE), made))
    if waiting:
        about = tuple(
            dict.fromkeys(i for e in waiting for i in _named(to_record(e, revised)["values"], revised))
        )
        out.append((Carried(what, "asked", "; ".join(_few_of(told)), 0.0, (), about[:MOST_TARGETS]), waiting))
    return out


def divided(
    placed: dict[str, Any], record: dict[str, Any], move: Mover, revised: Model
) -> tuple[dict[str, Any] | None, dict[str, Any] | None, list[str]]:
    """A record of the revision in two: what is made, and what meets a value that the source has changed
    since the correction was made; with that in words."""
    was, kind = record.get("was"), Edit.kinds.get(str(record.get("edit")))
    if not was or kind is None or not kind.sets:
        return placed, None, []
    key = kind.sets
    edit = from_record(placed, revised)
    values, own = placed["values"][key], getattr(edit, key)
    several = isinstance(values, list)
    back: dict[str, str] = {}
    for old in was:
        for new in move.pieces.get(old, [move.part.get(old, old)]):
            back.setdefault(new, old)
    kept, asked, words = [], [], []
    for value, ident in zip(values if several else [values], own if several else [own]):
        old = back.get(value, value)
        before, now = was.get(old), edit.state(revised, ident)
        # what later corrections made of it there may be what the source has taken up
        known = before, edit.aim, edit.state(move.base, old)
        if before is None or now is None or any(same_value(now, x) for x in known):
            kept.append(value)
            continue
        asked.append(value)
        words.append(
            f"{revised_name(revised, ident)}: {shown(before)} in the source before, {shown(edit.aim)} here, "
            f"{shown(now)} in the source now"
        )
    if not asked:
        return placed, None, []
    if not several:
        return None, placed, words

    def only(ids: list[str]) -> dict[str, Any] | None:
        return placed | {"values": placed["values"] | {key: ids}} if ids else None

    return only(kept), only(asked), words


def same_value(a: Any, b: Any) -> bool:
    """Return whether two states are the same, numbers to what files carry."""
    if isinstance(a, int | float) and isinstance(b, int | float):
        return abs(a - b) <= VALUE * max(abs(a), abs(b))
    return bool(a == b)


def shown(value: Any) -> str:
    return f"{value:.4g}" if isinstance(value, float) else str(value) or "none"


def revised_name(model: Model, ident: str) -> str:
    part = model.part(ident)
    return f"{part.cls} {part.name or part.id}" if part is not None else ident


def _few_of(words: list[str]) -> list[str]:
    more = len(words) - NAMED
    return [*words[:NAMED], *([f"and {more} more"] if more > 0 else [])]


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
    kind = Edit.kinds.get(name)
    roles = kind.roles if kind is not None else {}
    case = next((v for k, v in values.items() if roles.get(k) is Role.CASE), "")
    words = kind.words if kind is not None else name
    if name == "AddCases":
        names = [str(c.get("name", "")) for c in values.get("cases", ())]
        return f"{words} {_few(names)}"
    return words + (f" of case {case}" if case and isinstance(case, str) else "")
