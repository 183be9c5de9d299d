"""Journal of what a correction changes, noted while it is made, so that it can be taken back exactly.

A model of 20,000 members with hundreds of corrections is neither copied nor searched for each of them: its
large tables note what is changed in them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import fields
from operator import is_not
from typing import Any, Generic, TypeVar

from .entities.model import Model
from .entities.structure import Member, Node
from .entities.surface import Surface

T = TypeVar("T")

LARGE = ("nodes", "members", "surfaces")
HISTORY = ("log", "corrections")  # what a correction adds its entry to
ABSENT: Any = object()


class Table(dict[str, T]):
    """A dictionary that notes, while it is watched, what was under each key that is set or taken out."""

    old: dict[str, Any] | None = None  # None: it is not watched
    order: list[str] | None = None  # its keys before the first was taken out

    def watch(self) -> dict[str, Any]:
        self.old, self.order = {}, None
        return self.old

    def _note(self, key: str, leaves: bool = False) -> None:
        if self.old is None:
            return
        if leaves and self.order is None:
            self.order = list(self)
        if key not in self.old:
            self.old[key] = self.get(key, ABSENT)

    def __setitem__(self, key: str, value: T) -> None:
        self._note(key)
        super().__setitem__(key, value)

    def __delitem__(self, key: str) -> None:
        self._note(key, leaves=True)
        super().__delitem__(key)

    def pop(self, key: str, *default: Any) -> Any:
        if key in self:
            self._note(key, leaves=True)
        return super().pop(key, *default)

    def popitem(self) -> tuple[str, T]:
        key = next(reversed(self))
        return key, self.pop(key)

    def clear(self) -> None:
        for key in list(self):
            del self[key]

    def setdefault(self, key: str, default: Any = None) -> Any:
        if key not in self:
            self[key] = default
        return self[key]

    def update(self, *others: Any, **more: Any) -> None:
        for key, value in dict(*others, **more).items():
            self[key] = value

    def __ior__(self, other: Any) -> Table[T]:  # type: ignore[override, misc]
        self.update(other)
        return self


class Was(Mapping[str, T], Generic[T]):
    """A table as it was before what has been noted of it."""

    def __init__(self, table: Table[T]) -> None:
        self.table, self.old = table, table.watch()
        self.order: list[str] | None = None  # the table's, once it is not watched any more

    def end(self) -> None:
        """Watch the table no more."""
        if self.table.old is self.old:
            self.order, self.table.old, self.table.order = self.table.order, None, None

    def __getitem__(self, key: str) -> T:
        found = self.old[key] if key in self.old else self.table[key]
        if found is ABSENT:
            raise KeyError(key)
        return found

    def __iter__(self) -> Iterator[str]:
        every = self.table if self.table.order is None else self.table.order
        return (k for k in every if self.old.get(k) is not ABSENT)

    def __len__(self) -> int:
        return sum(1 for _ in self)


class Journal:
    """A model's tables as they were before a correction, and the way back there. Made before the change,
    closed after it."""

    nodes: Mapping[str, Node]
    members: Mapping[str, Member]
    surfaces: Mapping[str, Surface]

    def __init__(self, model: Model) -> None:
        self.rest: dict[str, Any] = {}  # what is small, as it was
        self._closed = False
        self._large: dict[str, Was[Any]] = {}
        self._lengths = {name: len(getattr(model, name)) for name in HISTORY}
        for f in fields(model):
            value = getattr(model, f.name)
            if f.name in LARGE:
                if not isinstance(value, Table):
                    value = Table(value)
                    setattr(model, f.name, value)
                self._large[f.name] = Was(value)
                setattr(self, f.name, self._large[f.name])
            elif f.name not in HISTORY:
                self.rest[f.name] = _copy(value)

    def others(self, name: str, model: Model) -> list[str]:
        """Keys of a large table that do not hold the very same thing as before: those of before first, in its
        order."""
        was, now = self._large[name], getattr(model, name)
        keys = was.old if now is was.table else {**dict.fromkeys(was), **now}
        found = {k for k in keys if (was.get(k) if k in was else ABSENT) is not now.get(k, ABSENT)}
        if len(found) < 2:
            return list(found)
        return list(filter(found.__contains__, dict.fromkeys([*was, *now])))

    def close(self, model: Model) -> None:
        """The change is made: what is the same as before is not kept."""
        for name, was in list(self._large.items()):
            if getattr(model, name) is not was.table:  # another one took its place
                self.rest[name] = dict(was)
                del self._large[name]
            was.end()
        self._closed = True
        for name, value in list(self.rest.items()):
            if name not in LARGE and _same(value, getattr(model, name)):
                del self.rest[name]

    def undo(self, model: Model) -> None:
        """Make the model what it was: after the change, or from within where it failed."""
        for name, length in self._lengths.items():
            del getattr(model, name)[length:]
        for name, value in self.rest.items():
            setattr(model, name, _copy(value))
        for name, was in self._large.items():
            was.end()
            table = getattr(model, name) if self._closed else was.table
            for key, value in was.old.items():
                if value is ABSENT:
                    table.pop(key, None)
                else:
                    table[key] = value
            if was.order is not None:
                table = Table({k: table[k] for k in was.order if k in table})
            setattr(model, name, table)


def _copy(value: Any) -> Any:
    if isinstance(value, dict):
        return {k: list(v) if isinstance(v, list) else v for k, v in value.items()}
    return list(value) if isinstance(value, list) else value


def _same(was: Any, now: Any) -> bool:
    """Return whether two small tables, lists or values hold the very same things."""
    if isinstance(was, dict):
        return list(was) == list(now) and all(
            a == b if isinstance(a, list) else a is b for a, b in zip(was.values(), now.values())
        )
    return was is now or (isinstance(was, list) and len(was) == len(now) and not any(map(is_not, was, now)))
