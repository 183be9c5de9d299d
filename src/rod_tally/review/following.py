"""Consequences of a correction, decided as if the source had said it: the source is taken in again with what
parts are made of now, and the corrections are made again on that."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from ..compare.carrying.by_rule import make_loads_again
from ..compare.carrying.carry import CarriedOver, carry_over
from ..intake import IntakeError, SourceModel, read_source
from ..model import LogEntry, Member, Model
from ..model.edits import Edit, EditError, from_record
from ..model.settings import TransferSettings
from ..progress import Progress, silent
from ..transfer import transfer

MOVED = 5e-4  # m; an end that moved by less is in its place
SHOWN = 3


class NotDecided(Exception):
    """The source cannot be taken in again; the message says why in one line."""


@dataclass(slots=True)
class DecidedAgain:
    """`model`: with all corrections made. `made`: one for each record, None for one that could not be
    made, of which `missed` says why. `words`: what is otherwise than without it."""

    model: Model
    made: list[Edit | None] = field(default_factory=list)
    missed: list[str] = field(default_factory=list)
    words: list[str] = field(default_factory=list)


def joins_follow(was: Model, now: Model) -> bool:
    """Return whether what parts are made of differs so between two states of a model that joins, ties,
    releases or ways of slabs can follow from it."""
    if not (now.physical and now.source_file and now.taken_with):
        return False
    if was.sections is now.sections and was.materials is now.materials and was.members is now.members:
        return False

    def of(model: Model, m: Member) -> tuple[Any, ...]:
        section, material = model.sections.get(m.section), model.materials.get(m.material)
        size = None
        if section is not None and section.usable:
            size = tuple(np.round([*section.bounds, section.area, section.iy, section.iz], 12).tolist())
        return size, material.kind if material is not None else ""

    for i, m in now.members.items():
        old = was.members.get(i)
        if old is not None and m.source_line is not None and of(was, old) != of(now, m):
            return True
    return any(
        i in was.surfaces and was.surfaces[i].thickness != s.thickness
        for i, s in now.surfaces.items()
        if s.source_outer is not None
    )


def source_again(path: Path, progress: Progress = silent) -> SourceModel:
    """The source of a model, read again. Raises NotDecided where it cannot be."""
    try:
        return read_source(path, progress)
    except IntakeError as error:
        raise NotDecided(str(error)) from None


def decided_again(
    source: SourceModel, before: Model, records: Sequence[dict[str, Any]], progress: Progress = silent
) -> DecidedAgain:
    """A source taken in again with the settings that the model `before` was taken in with, and with these
    corrections. Raises NotDecided for a source that is not that model's."""
    settings = msgspec.convert(before.taken_with, TransferSettings)
    early = []
    for record in records:
        kind = Edit.kinds.get(str(record.get("edit")))
        if kind is not None and kind.made_at:
            try:
                early.append(from_record(record, before))
            except EditError:
                continue  # the same is said of it below
    model = transfer(source, settings, progress, early)
    model.name = before.name
    if model.source_print != before.source_print:
        raise NotDecided(f"{Path(source.file).name} is another file now than the one that was taken in")
    out = DecidedAgain(model)
    for record in records:
        try:
            edit = from_record(record, model)
            edit.apply(model)
        except EditError as error:
            out.made.append(None)
            out.missed.append(f"{record.get('edit', '?')}: {error}")
        else:
            out.made.append(edit)
    return out


def tell(out: DecidedAgain, plain: Model) -> None:
    """Say in the log what is otherwise than in `plain`, the same corrections without what follows."""
    out.words = differences(plain, out.model)
    if out.words:
        place = len(out.model.log) - len([m for m in out.made if m is not None])
        text = "decided again with what parts are made of now: " + "; ".join(out.words)
        ids = tuple(i for i, m in out.model.members.items() if _moved(plain, out.model, m) > MOVED)
        out.model.log.insert(place, LogEntry("joined", ids, text))


def carried_with_all(
    path: Path, base: Model, model: Model, progress: Progress = silent
) -> tuple[Model, CarriedOver]:
    """A model just taken in from a file with what was made for its baseline carried over, and what follows
    from that decided again. The model may be changed, or another one is given in its place."""
    bare = model.snapshot()
    carried = carry_over(base, model)
    if joins_follow(bare, model):
        model = _with_what_follows(path, bare, model, carried, progress)
    make_loads_again(base, model, carried, progress)
    return model, carried


def _with_what_follows(
    path: Path, bare: Model, model: Model, carried: CarriedOver, progress: Progress
) -> Model:
    """The model with what was carried over decided again; as it is where that cannot be."""
    try:
        out = decided_again(source_again(path, progress), bare, model.corrections, progress)
    except NotDecided:
        return model  # a check says what was not decided again
    if out.missed:
        return model
    tell(out, model)
    new = {id(edit): made for edit, made in zip(carried.edits, out.made) if made is not None}
    carried.edits = [new[id(edit)] for edit in carried.edits]
    carried.plan = [(line, [new[id(edit)] for edit in edits]) for line, edits in carried.plan]
    return out.model


def differences(was: Model, now: Model) -> list[str]:
    """Return what joins, ties, releases, supports and ways of slabs of two states of a model differ in, in
    words."""
    out = []
    moves = {i: d for i, m in now.members.items() if (d := _moved(was, now, m)) > MOVED}
    if moves:
        far = max(moves, key=lambda i: (round(moves[i], 6), i))
        many = f"{len(moves)} members lie elsewhere" if len(moves) > 1 else "a member lies elsewhere"
        out.append(f"{many}, by up to {moves[far] * 1000:.0f} mm ({_name(now, far)})")
    old, new = _pairs(was), _pairs(now)
    for pairs, verb in ((new - old, "joined"), (old - new, "not joined any more")):
        if pairs:
            names = [" and ".join(_name(now, i) for i in sorted(p)) for p in _some(pairs)]
            out.append(f"{_count(pairs, 'pair')} {verb}: {_list(names, len(pairs))}")
    for what, ids in (
        ("release", [i for i, m in now.members.items() if i in was.members and _released(was.members[i]) != _released(m)]),
        ("way of handing on load", [i for i, s in now.surfaces.items() if i in was.surfaces and was.surfaces[i].way != s.way]),
    ):  # fmt: skip
        if ids:
            names = [_name(now, i) for i in sorted(ids)[:SHOWN]]
            out.append(f"another {what} for {_list(names, len(ids))}")
    held = sum(n.support.any for n in now.nodes.values()) - sum(n.support.any for n in was.nodes.values())
    if held:
        out.append(f"{abs(held)} node{'s' if abs(held) > 1 else ''} {'more' if held > 0 else 'less'} held")
    return out


def _moved(was: Model, now: Model, m: Member) -> float:
    old = was.members.get(m.id)
    return float(np.abs(was.line(old) - now.line(m)).max()) if old is not None else 0.0


def _released(m: Member) -> tuple[Any, ...]:
    return m.release_start, m.release_end


def _pairs(model: Model) -> set[frozenset[str]]:
    """Parts that are joined to each other."""
    out = {frozenset((a, b)) for at in model.members_at().values() for a in at for b in at if a < b}
    for s in model.surfaces.values():
        out |= {frozenset((s.id, j.other)) for j in s.joints if j.other}
    return out


def _some(pairs: Iterable[frozenset[str]]) -> list[frozenset[str]]:
    return sorted(pairs, key=sorted)[:SHOWN]


def _name(model: Model, ident: str) -> str:
    part = model.part(ident)
    return (part.name or part.id) if part is not None else ident


def _count(things: Iterable[Any], what: str) -> str:
    n = len(list(things))
    return f"a {what} is" if n == 1 else f"{n} {what}s are"


def _list(names: list[str], total: int) -> str:
    return ", ".join(names) + (f" and {total - len(names)} more" if total > len(names) else "")
