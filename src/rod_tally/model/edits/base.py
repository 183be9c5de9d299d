"""Base of every correction: it says what it did, can be taken back exactly, and can be written down."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from copy import copy, deepcopy
from dataclasses import fields, replace
from typing import Any, ClassVar, Literal, TypeVar

import numpy as np

from ..catalogue.grades import grades
from ..entities.log import LogEntry
from ..entities.material import graded
from ..entities.model import Model
from ..entities.structure import Member, Node, Release, Support
from ..entities.surface import Surface
from ..geometry.vectors import Array
from ..journal import Journal
from ..roles import BY_PLACE, Role, Roles
from .keeping import case_totals, keep_loads, line_before, touched

T = TypeVar("T")

ROUNDING = 1e-9  # m; less is no move


class EditError(ValueError):
    """A correction that cannot be made; the message says why in one line. The model is as it was."""


def material_in(model: Model, name: str) -> str:
    """The name of a material of the model, which a grade of the catalogue becomes. Raises EditError."""
    if name not in model.materials:
        if name not in grades():
            raise EditError(f"material {name!r} is neither in the model nor a grade of the catalogue")
        grade = grades()[name]
        model.materials[name] = graded(name, grade, f"{grade.where}, set by hand")
    return name


class Edit(ABC):
    """A change of a model; subclasses are dataclasses. `apply` and `revert` may be called in turn any number
    of times.

    `change` must take what it changes through `node`, `member`, `surface` or `case`, which put a copy in the
    model first: so taking back is putting the old ones in again. Loads on members that were moved stay where
    they are in space."""

    kinds: ClassVar[dict[str, type[Edit]]] = {}
    words: ClassVar[str] = ""  # the correction in a word or two
    roles: ClassVar[Roles] = {}  # what each of its values stands for
    sets: ClassVar[str] = ""  # the field with the things that it sets one value of, which `state` gives
    carries_loads: ClassVar[bool] = True  # False: the edit itself puts loads where they belong
    changes_loads: ClassVar[bool] = False  # True: changing them is what it is for
    # where transfer makes it, when a source is taken in again with it: joins, ties, releases and ways of
    # slabs follow from it as they do from what the source says; "" for what is made on the joined model
    made_at: ClassVar[Literal["", "properties", "surfaces", "members"]] = ""
    text: str = "Edit"
    _before: Journal | None = None
    _others: list[str] = []  # members that are others than before, while it is made  # noqa: RUF012

    def __init_subclass__(cls) -> None:
        Edit.kinds[cls.__name__] = cls

    @abstractmethod
    def change(self, model: Model) -> str:
        """Make the change; returns the sentence for the log. Raises EditError, the model then possibly half
        changed."""

    # True: its values are places along members, ends of them, or angles about them
    keeps_lines: ClassVar[bool] = False

    def about(self, model: Model) -> dict[str, Any]:
        """Return what its record needs beside its own values to be found again in another model, as it is
        before the change: where the members that it names run, for later corrections may move, turn or cut
        them."""
        if not self.keeps_lines:
            return {}
        values = [getattr(self, f.name) for f in fields(self)]  # type: ignore[arg-type]
        return {
            "lines": {
                i: (model.line(model.members[i]) + model.origin).tolist()
                for i in named(values, model.members)
            },
            "nodes": {
                n: (model.nodes[n].point + model.origin).tolist()
                for n in loaded_nodes(values)
                if n in model.nodes
            },
        }

    def against(self, model: Model) -> dict[str, Any]:
        """The state that it is made against, as it is before the change: of each thing that it sets a value
        of (by id or name) that value, in plain form; {} where it sets none."""
        if not self.sets:
            return {}
        own = getattr(self, self.sets)
        ids = own if isinstance(own, list) else [own]
        return {i: state for i in ids if (state := self.state(model, i)) is not None}

    def state(self, model: Model, ident: str) -> Any:
        """The value that it sets of one thing, as a model has it, in plain form; None where it is not
        there."""
        return None

    @property
    def aim(self) -> Any:
        """The value that it sets, in the same form."""
        return None

    def ids(self, model: Model) -> tuple[str, ...]:
        """Ids of members and surfaces that the log entry is about: by default those that were changed."""
        before = self._before
        assert before is not None
        members, surfaces = self._others, before.others("surfaces", model)
        out = [i for i in members if i in model.members]
        out += [i for i in surfaces if i in model.surfaces]
        out += [i for i in members if i not in model.members]
        return tuple(out + [i for i in surfaces if i not in model.surfaces])

    def apply(self, model: Model) -> None:
        """Make the change, with an entry of the log and a record. Raises EditError with the model as it
        was."""
        self._before = before = Journal(model)
        try:
            record = to_record(self, model)
            message = self.change(model)
            self._others = before.others("members", model)
            moved = touched(before, model, self._others)
            message += self._kept(model, moved)
        except BaseException:
            before.undo(model)
            raise
        model.log.append(LogEntry("corrected", self.ids(model), message))
        self._moved(model, moved)
        model.corrections.append(record)
        before.close(model)

    def _moved(self, model: Model, touched_: list[str]) -> None:
        """Note on each member how far this moved its ends, so that a comparison knows where it is drawn
        now."""
        before = self._before
        assert before is not None
        for ident in touched_:
            old, m = before.members[ident], model.members[ident]
            if m.source_line is None or old.source_line is None or np.any(m.source_line != old.source_line):
                continue
            step = model.line(m) - line_before(before.nodes, old)
            if np.abs(step).max() > ROUNDING:
                model.members[ident] = replace(m, moved_by=step if m.moved_by is None else m.moved_by + step)

    def _kept(self, model: Model, touched_: list[str]) -> str:
        """Keep the loads of members that were moved where they are; what to say of those that could not be,
        and of a case whose total is another one now."""
        before = self._before
        assert before is not None
        words = ""
        if self.carries_loads:
            words = keep_loads(model, before.nodes, before.members, touched_, model.search).words
        if self.changes_loads:
            return f"; {words}" if words else ""
        now = {
            n: c
            for n, c in model.cases.items()
            if c is not before.rest["cases"].get(n) or self._loads_a_changed_part(model, c)
        }
        cases = before.rest["cases"]
        was = Model(nodes=before.nodes, members=before.members)  # type: ignore[arg-type]
        old = case_totals(was, {n: cases[n] for n in now if n in cases})
        for name, total in case_totals(model, now).items():
            if name in old and np.abs(total - old[name]).max() > 1e-6 + 1e-9 * np.abs(old[name]).max():
                step = ", ".join(f"{v / 1000:+.4g}" for v in total - old[name])
                words += f"{'; ' if words else ''}the sum of case {name} changes by {step} kN in x, y, z"
        return f"; {words}" if words else ""

    def _loads_a_changed_part(self, model: Model, case: Any) -> bool:
        before = self._before
        assert before is not None
        return any(model.members.get(x.member) is not before.members.get(x.member) for x in case.member_loads)

    def revert(self, model: Model) -> None:
        """Take back the last `apply`."""
        assert self._before is not None
        self._before.undo(model)

    # -- taking a part of the model to change it -------------------------------------------------------------

    @staticmethod
    def node(model: Model, ident: str) -> Node:
        own = model.nodes[ident] = deepcopy(there(model.nodes, ident))
        return own

    @staticmethod
    def member(model: Model, ident: str) -> Member:
        own = model.members[ident] = deepcopy(there(model.members, ident))
        return own

    @staticmethod
    def surface(model: Model, ident: str) -> Surface:
        own = model.surfaces[ident] = deepcopy(there(model.surfaces, ident))
        return own

    def owned(self, model: Model) -> Callable[[str], Surface]:
        """As `surface`, but a surface that is asked for again is not copied again."""
        mine: dict[str, Surface] = {}

        def own(ident: str) -> Surface:
            if ident not in mine:
                mine[ident] = self.surface(model, ident)
            return mine[ident]

        return own

    @staticmethod
    def loads_of(model: Model, members: set[str]) -> None:
        """Give every case that loads one of these members a list of its own, to be changed freely."""
        for name, case in model.cases.items():
            loaded = {x.member for x in case.member_loads} | {x.member for x in case.temperatures}
            if loaded & members:
                own = copy(case)
                own.member_loads = [copy(load) for load in case.member_loads]
                own.temperatures = [copy(load) for load in case.temperatures]
                model.cases[name] = own

    @staticmethod
    def drop_bare_nodes(model: Model, candidates: set[str]) -> None:
        """Take out those of these nodes that nothing uses any more."""
        left = set(candidates)
        for m in model.members.values():
            if m.start in left or m.end in left or m.joints:
                left.difference_update((m.start, m.end, *(j.node for j in m.joints)))
                if not left:
                    return
        for s in model.surfaces.values():
            left.difference_update(j.node for j in s.joints if j.node)
        for ident in left:
            model.nodes.pop(ident, None)

    @staticmethod
    def new_node(model: Model, point: Array) -> str:
        number = 1
        while f"J{number}" in model.nodes:
            number += 1
        model.nodes[f"J{number}"] = Node(f"J{number}", np.asarray(point, float).copy())
        return f"J{number}"


def there(parts: Mapping[str, T], ident: str) -> T:
    """The part of that id. Raises EditError for one that is not in the model."""
    if ident not in parts:
        raise EditError(f"{ident} is not in the model any more")
    return parts[ident]


def named(value: Any, known: Mapping[str, Any]) -> list[str]:
    """Keys of a table that plain values name, at any depth, each once."""
    out: dict[str, None] = {}

    def look(v: Any) -> None:
        if isinstance(v, str):
            if v in known:
                out[v] = None
        elif isinstance(v, dict):
            for x in v.values():
                look(x)
        elif isinstance(v, list | tuple):
            for x in v:
                look(x)

    look(value)
    return list(out)


def loaded_nodes(value: Any) -> set[str]:
    """Nodes that loads among plain values act on."""
    if isinstance(value, dict):
        own = {value["node"]} if isinstance(value.get("node"), str) else set()
        return own.union(*(loaded_nodes(v) for v in value.values()))
    return set().union(*(loaded_nodes(v) for v in value)) if isinstance(value, list | tuple) else set()


def to_record(edit: Edit, model: Model) -> dict[str, Any]:
    """The correction as plain values for JSON. Nodes, whose names change from one taking in to the next, are
    written with their place in the source's coordinates."""
    values: dict[str, Any] = {}
    places: dict[str, list[float]] = {}
    for f in fields(edit):  # type: ignore[arg-type]
        value = getattr(edit, f.name)
        if isinstance(value, (Support, Release)):
            value = value.record()
        elif isinstance(value, np.ndarray):
            value = value.tolist()
        values[f.name] = value
        if edit.roles.get(f.name) in BY_PLACE:
            for ident in value if isinstance(value, list) else [value]:
                if ident in model.nodes:
                    places[ident] = [float(v) for v in model.nodes[ident].point + model.origin]
    record = {"edit": type(edit).__name__, "values": values, "places": places} | edit.about(model)
    was = edit.against(model)
    return record | {"was": was} if was else record


def from_record(record: dict[str, Any], model: Model) -> Edit:
    """The correction a record stands for, for this model: nodes are found by place, within the snap distance.

    Raises EditError for a kind that is not known, values it does not take, or a node that is not there.
    """
    kind = Edit.kinds.get(str(record.get("edit")))
    if kind is None:
        raise EditError(f"a correction of kind {record.get('edit')!r} is not known")
    values = dict(record.get("values", {}))
    places = record.get("places", {})

    def here(ident: str) -> str:
        if ident not in places:
            return ident
        point = np.array(places[ident], float) - model.origin
        own = model.nodes.get(ident)
        if own is not None and np.abs(own.point - point).max() <= ROUNDING:
            return ident
        ids = list(model.nodes)
        off = np.linalg.norm(np.array([n.point for n in model.nodes.values()]).reshape(-1, 3) - point, axis=1)
        if not len(ids) or off.min() > model.snap:
            raise EditError(f"node {ident} is not there any more")
        return ids[int(off.argmin())]

    try:
        for key, value in values.items():
            if kind.roles.get(key) in BY_PLACE:
                values[key] = [here(i) for i in value] if isinstance(value, list) else here(value)
            elif kind.roles.get(key) is Role.SUPPORT and value is not None:
                values[key] = Support.of_record(value)
            elif key == "release" and value is not None:
                values[key] = Release.of_record(value)
        return kind(**values)
    except EditError:
        raise
    except (TypeError, ValueError, KeyError) as error:
        raise EditError(f"a correction of kind {record['edit']} cannot be read: {error}") from None


def counted(ids: Sequence[object], what: str) -> str:
    """ "a member", "3 members"."""
    return f"a {what}" if len(ids) == 1 else f"{len(ids)} {what}s"
