"""Dataclasses of the model and of results to JSON and back, by their own type hints. Floats keep every
digit."""

from __future__ import annotations

import dataclasses
import json
import types
import typing
import zlib
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

import numpy as np

from ..model import Release, Support

Written = Callable[[Support | Release], Any]


def in_words(value: Support | Release) -> dict[str, Any]:
    """How supports and releases are written."""
    return value.record()


# JSON of parts of a model by their identity, with the part so that it stays one's own
Before = dict[int, tuple[Any, str]]


def pack(
    value: Any,
    without: frozenset[str] = frozenset(),
    unless: dict[str, Any] | None = None,
    written: Written = in_words,
    written_before: Before | None = None,
) -> bytes:
    """A dataclass as compressed JSON, fields of the names in `without` left out, those in `unless` where they
    have the value given there; `written`: how supports and releases are. Raises ValueError for a number that
    is not finite.

    `written_before` holds what was written before, and takes what is written now: for models of which only a
    few parts are others each time, and no part is changed in place."""
    squeeze = zlib.compressobj(3)
    plain = _Plain(without, unless or {}, written)
    pieces = _pieces(value, plain) if written_before is None else _remembered(value, plain, written_before)
    parts = [squeeze.compress(piece.encode()) for piece in pieces]
    return b"".join([*parts, squeeze.flush()])


def _remembered(value: Any, plain: _Plain, before: Before) -> Iterator[str]:
    now: Before = {}

    def text(item: Any) -> str:
        if not dataclasses.is_dataclass(item):
            return _dumps(plain(item))
        known = before.get(id(item))
        if known is None or known[0] is not item:
            known = item, _dumps(plain(item))
        now[id(item)] = known
        return known[1]

    yield from _pieces(value, plain, text)
    before.clear()
    before.update(now)


def _pieces(
    value: Any, plain: _Plain, text: Callable[[Any], str] | None = None, depth: int = 0
) -> Iterator[str]:
    """The JSON of a value in pieces: in one call the encoder would hold everybody else up for a second."""
    if depth == 2:
        yield _dumps(plain(value)) if text is None else text(value)
        return
    if isinstance(value, (Support, Release)):
        value = plain(value)
    items = plain.fields(value) if dataclasses.is_dataclass(value) else value
    if isinstance(items, dict):
        yield "{"
        for k, (key, item) in enumerate(items.items()):
            yield ("," if k else "") + json.dumps(key) + ":"
            yield from _pieces(item, plain, text, depth + 1)
        yield "}"
    elif isinstance(items, list | tuple):
        yield "["
        for k, item in enumerate(items):
            yield "," if k else ""
            yield from _pieces(item, plain, text, 2)
        yield "]"
    else:
        yield _dumps(plain(value))


_dumps = json.JSONEncoder(allow_nan=False, separators=(",", ":")).encode


class RecordError(ValueError):
    """A record that cannot be read whole; the message says what of it."""


# Fields that had another name in an earlier release, by class: read under the new one. A field that is taken
# away for good is named here with None. `tests/test_records.py` holds the list of all fields and fails where
# one goes without.
RENAMED: dict[str, dict[str, str | None]] = {
    # both read the form of the first release themselves
    "Support": {"letters": "stiffness", "springs": "stiffness"},
    "Release": {"letters": "stiffness", "springs": "stiffness"},
}


def unpack(kind: type, data: bytes) -> Any:
    """The dataclass of that kind. Raises RecordError for data that are damaged, or hold a field that is not
    known."""
    try:
        values = json.loads(zlib.decompress(data))
        return _reader(kind)(values)
    except RecordError:
        raise
    except (zlib.error, ValueError, TypeError, KeyError, IndexError, AttributeError, StopIteration) as error:
        raise RecordError(f"is damaged ({type(error).__name__})") from error


class _Plain:
    """Values as JSON can hold them; what there is to do for a type is found out once, for there are a million
    values in a model."""

    def __init__(self, without: frozenset[str], unless: dict[str, Any], written: Written) -> None:
        self.without, self.unless, self.written = without, unless, written
        self._of: dict[type, Callable[[Any], Any]] = {k: _itself for k in (str, int, bool, type(None))}
        self._of |= {float: _number, list: self._list, tuple: self._list, dict: self._dict}
        self._of |= {Support: self._held, Release: self._held}
        self._known: dict[Any, Any] = {}  # supports and releases: few different ones, at every node and end

    def __call__(self, value: Any) -> Any:
        kind = value.__class__
        call = self._of.get(kind)
        if call is None:
            call = self._of[kind] = self._found(kind)
        return call(value)

    def _found(self, kind: type) -> Callable[[Any], Any]:
        if dataclasses.is_dataclass(kind):
            names = [f.name for f in dataclasses.fields(kind) if f.name not in self.without]
            if self.unless.keys().isdisjoint(names):
                return lambda value: {n: self(getattr(value, n)) for n in names}
            return lambda value: {n: self(v) for n in names if self._counts(n, v := getattr(value, n))}
        if issubclass(kind, np.ndarray):
            return _array
        if issubclass(kind, np.generic):
            return lambda value: value.item()
        for base in (dict, list, tuple):
            if issubclass(kind, base):
                return self._of[base]
        return _itself

    def fields(self, value: Any) -> dict[str, Any]:
        """Those of a dataclass that are written, as they are."""
        names = (f.name for f in dataclasses.fields(value) if f.name not in self.without)
        return {n: v for n in names if self._counts(n, v := getattr(value, n))}

    def _counts(self, name: str, value: Any) -> bool:
        plain = self.unless.get(name, ...)
        return plain is ... or type(value) is not type(plain) or value != plain

    def _held(self, value: Support | Release) -> Any:
        known = self._known.get(value)
        if known is None:
            known = self._known[value] = self(self.written(value))
        return known

    def _list(self, value: Any) -> list[Any]:
        return [self(v) for v in value]

    def _dict(self, value: Any) -> dict[Any, Any]:
        return {k: self(v) for k, v in value.items()}


def _itself(value: Any) -> Any:
    return value


def _number(value: float) -> float | int:
    # 3 and 3.0 are one value: a model packs to the same bytes before and after a file
    return int(value) if value.is_integer() and abs(value) < 1e15 else value


def _array(value: np.ndarray[Any, Any]) -> Any:
    return value.tolist()


Read = Callable[[Any], Any]


@cache
def _reader(kind: Any) -> Read:
    """Return what turns plain values into values of a type; found out once for each type, for there are a
    million values in a model."""
    origin, args = typing.get_origin(kind), typing.get_args(kind)
    if origin in (typing.Union, types.UnionType):
        return _reader(next(a for a in args if a is not type(None)))
    if origin is np.ndarray or kind is np.ndarray:
        whole = np.int64 if any(np.int64 in typing.get_args(a) for a in args) else float
        return lambda v: None if v is None else np.array(v, dtype=whole) if v else np.zeros(0, whole)
    if origin is dict:
        of = _reader(args[1])
        return lambda v: None if v is None else {k: of(x) for k, x in v.items()}
    if origin is list:
        of = _reader(args[0])
        return lambda v: None if v is None else [of(x) for x in v]
    if origin is tuple:
        if len(args) == 2 and args[1] is Ellipsis:
            of = _reader(args[0])
            return lambda v: None if v is None else tuple([of(x) for x in v])
        each = [_reader(a) for a in args]
        return lambda v: None if v is None else tuple([f(x) for f, x in zip(each, v)])
    if kind in (Support, Release):
        return _held_reader(kind)
    if dataclasses.is_dataclass(kind):
        return lambda v: None if v is None else _record(kind, v)
    if kind is float:
        return lambda v: float(v) if isinstance(v, int) else v
    return _itself


def _held_reader(kind: Any) -> Read:
    known: dict[str, Any] = {}  # few different ones, at every node and end

    def read(value: Any) -> Any:
        if value is None:
            return None
        key = repr(value)
        if key not in known:
            if len(known) > 10_000:
                known.clear()
            known[key] = kind.of_record(value)
        return known[key]

    return read


@cache
def _fields_of(kind: Any) -> dict[str, Read]:
    return {name: _reader(hint) for name, hint in typing.get_type_hints(kind).items()}


def _record(kind: Any, value: dict[str, Any]) -> Any:
    """A dataclass of its fields; a type may hold its own, so these are looked up when the first one comes."""
    readers = _fields_of(kind)
    found: dict[str, Any] = {}
    for k, v in value.items():
        read = readers.get(k)
        if read is None or k in RENAMED.get(kind.__name__, ()):
            key = RENAMED.get(kind.__name__, {}).get(k, k)
            if key is None:
                continue
            if key not in readers:
                raise RecordError(f"holds {kind.__name__}.{k}, which this version does not know")
            found[key] = readers[key](v)
        else:
            found[k] = read(v)
    return kind(**found)
