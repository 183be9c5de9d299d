"""What was made for the reviewed revision here, by hand or by rule, made again for its successor: each correction and addition
goes to where its target is now, or is named with the reason why it cannot."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ...model import Finding, Model
from ...model.edits import Edit, EditError, from_record
from ..members import match_members
from ..places import Places
from ..surfaces import match_surfaces
from .moving import NAMED, Mover, Target

MOVED = 1e-3  # m; a target that lies farther from where it was has moved
BETWEEN = ("PairParts", "UnpairByHand")  # about the baseline and the one before it


@dataclass(slots=True)
class Carried:
    """One thing that was made for the baseline. `status`: carried, moved (its target did, by `distance` m, or `words` say how
    it was placed), partly (some of its targets are gone) or gone."""

    what: str
    status: str
    words: str = ""
    distance: float = 0.0
    ids: tuple[str, ...] = ()


@dataclass(slots=True)
class CarriedOver:
    lines: list[Carried] = field(default_factory=list)
    edits: list[Edit] = field(default_factory=list)

    @property
    def finding(self) -> Finding | None:
        """What was carried over, and what could not be placed; None where there was nothing."""
        if not self.lines:
            return None
        placed = [x for x in self.lines if x.status in ("carried", "moved")]
        rest = [x for x in self.lines if x.status not in ("carried", "moved")]
        moved = [x for x in placed if x.status == "moved"]
        text = (
            f"{len(placed)} of {len(self.lines)} corrections and additions of the reviewed revision were carried over"
        )
        if moved:
            text += f", {len(moved)} with a target that moved by up to {max(x.distance for x in moved) * 1000:.0f} mm"
        for x in [x for x in moved if x.words][:NAMED]:
            text += f"; {x.what}: {x.words}"
        for x in rest[:NAMED]:
            text += f"; {x.what}: {x.words}"
        if len(rest) > NAMED:
            text += f"; and {len(rest) - NAMED} more"
        ids = tuple(dict.fromkeys(i for x in rest for i in x.ids))
        return Finding("match.carried", "warning" if rest else "note", text + ".", ids, None, ("Accept, because…",))


def carry_over(base: Model, revised: Model) -> CarriedOver:
    """Make the baseline's corrections and additions again on the revision, in their order. The revision is changed."""
    out = CarriedOver()
    if not base.corrections:
        return out
    members, transform, _ = match_members(base, revised)
    surfaces = match_surfaces(base, revised, transform)
    move = Mover(base, revised, Places(base, revised, transform), members, surfaces)
    for record in base.corrections:
        if record.get("edit") in BETWEEN:
            continue
        out.lines.append(_carry(record, move, revised, out))
    return out


def _carry(record: dict[str, Any], move: Mover, revised: Model, out: CarriedOver) -> Carried:
    what = _described(record)
    move.lost, move.lost_ids, move.notes, move.distance = [], [], [], 0.0
    made: list[Edit] = []
    for part in move.by_way(record):
        try:
            edit = from_record(move.record(part), revised)
            edit.apply(revised)
            made.append(edit)
        except (Target, EditError) as error:
            move.lost.append(str(error))
    out.edits += made
    if not made:
        return Carried(what, "gone", move.lost[-1], 0.0, tuple(move.lost_ids))
    if move.lost:
        return Carried(what, "partly", "; ".join(move.lost[:NAMED]), 0.0, tuple(move.lost_ids))
    moved = move.distance > MOVED or bool(move.notes)
    return Carried(what, "moved" if moved else "carried", "; ".join(move.notes[:NAMED]), move.distance)


def _described(record: dict[str, Any]) -> str:
    """The correction in a word or two, from its record alone."""
    words = {
        "SetSupport": "a support", "SetRelease": "a release", "PinBoth": "pinned ends", "SetSection": "a section", "SetMaterial": "a material",
        "MapProfile": "a mapped profile", "MapMaterial": "a mapped material", "JoinEnd": "a joined end", "KeepApart": "an end kept apart",
        "JoinCrossing": "a joined crossing", "MoveNodes": "moved nodes", "DeleteMembers": "deleted parts", "SplitMember": "a split member",
        "MergeMembers": "merged members", "AddCases": "load cases", "AddLoads": "loads", "SetCombinations": "combinations", "AddCuts": "cuts", "AddMembers": "added members", "OwnSection": "a section of one's own", "SetDiaphragm": "rigid floors",
        "SetCase": "a changed load case", "DeleteCases": "deleted load cases", "HoldFoot": "a held wall foot", "KeepGroup": "a group", "SetOneWay": "members that act in one way", "SetLifting": "supports that can lift off",
        "CasesOfCombinations": "cases of combinations", "SetThickness": "a thickness",
    }  # fmt: skip
    name = str(record.get("edit", "?"))
    values = record.get("values", {})
    case = values.get("case") or values.get("name") or ""
    return words.get(name, name) + (f" of case {case}" if case and isinstance(case, str) else "")
