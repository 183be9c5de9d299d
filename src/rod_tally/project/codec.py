"""Dataclasses of the model and of results to JSON and back, by their own type hints. Floats keep every digit."""

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


def pack(
    value: Any,
    without: frozenset[str] = frozenset(),
    unless: dict[str, Any] | None = None,
    written: Written = in_words,
) -> bytes:
    """A dataclass as compressed JSON, fields of the names in `without` left out, those in `unless` where they have the
    value given there; `written`: how supports and releases are. Raises ValueError for a number that is not finite."""
    squeeze = zlib.compressobj(3)
    parts = [squeeze.compress(piece.encode()) for piece in _pieces(_plain(value, without, unless or {}, written))]
    return b"".join([*parts, squeeze.flush()])


def _pieces(value: Any, depth: int = 0) -> Iterator[str]:
    """The JSON of plain values in pieces: in one call the encoder would hold everybody else up for a second."""
    if isinstance(value, dict) and depth < 2:
        yield "{"
        for k, (key, item) in enumerate(value.items()):
            yield ("," if k else "") + json.dumps(key) + ":"
            yield from _pieces(item, depth + 1)
        yield "}"
    elif isinstance(value, list) and depth < 2:
        yield "["
        for k, item in enumerate(value):
            yield ("," if k else "") + _dumps(item)
        yield "]"
    else:
        yield _dumps(value)


def _dumps(value: Any) -> str:
    return json.dumps(value, allow_nan=False, separators=(",", ":"))


class RecordError(ValueError):
    """A record that cannot be read whole; the message says what of it."""


# Fields that had another name in an earlier release, by class: read under the new one. A field that is taken away for
# good is named here with None. `tests/test_records.py` holds the list of all fields and fails where one goes without.
RENAMED: dict[str, dict[str, str | None]] = {
    # both read the form of the first release themselves
    "Support": {"letters": "stiffness", "springs": "stiffness"},
    "Release": {"letters": "stiffness", "springs": "stiffness"},
}


def unpack(kind: type, data: bytes) -> Any:
    """The dataclass of that kind. Raises RecordError for data that are damaged, or hold a field that is not known."""
    try:
        values = json.loads(zlib.decompress(data))
        return _typed(kind, values)
    except RecordError:
        raise
    except (zlib.error, ValueError, TypeError, KeyError, IndexError, AttributeError, StopIteration) as error:
        raise RecordError(f"is damaged ({type(error).__name__})") from error


def _plain(value: Any, without: frozenset[str], unless: dict[str, Any], written: Written) -> Any:
    if isinstance(value, (Support, Release)):
        return _plain(written(value), without, unless, written)
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        out = {}
        for f in dataclasses.fields(value):
            if f.name in without:
                continue
            own = getattr(value, f.name)
            if f.name in unless and type(own) is type(unless[f.name]) and own == unless[f.name]:
                continue
            out[f.name] = _plain(own, without, unless, written)
        return out
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, dict):
        return {k: _plain(v, without, unless, written) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [_plain(v, without, unless, written) for v in value]
    if type(value) is float and value.is_integer() and abs(value) < 1e15:
        return int(value)  # 3 and 3.0 are one value: a model packs to the same bytes before and after a file
    return value


@cache
def _hints(kind: type) -> dict[str, Any]:
    return typing.get_type_hints(kind)


def _typed(kind: Any, value: Any) -> Any:
    if value is None:
        return None
    origin, args = typing.get_origin(kind), typing.get_args(kind)
    if origin in (typing.Union, types.UnionType):
        return _typed(next(a for a in args if a is not type(None)), value)
    if origin is np.ndarray or kind is np.ndarray:
        whole = any(np.int64 in typing.get_args(a) for a in args)
        return (
            np.array(value, dtype=np.int64 if whole else float) if value else np.zeros(0, np.int64 if whole else float)
        )
    if origin is dict:
        return {k: _typed(args[1], v) for k, v in value.items()}
    if origin is list:
        return [_typed(args[0], v) for v in value]
    if origin is tuple:
        inner = args[0]
        if len(args) == 2 and args[1] is Ellipsis:
            return tuple(_typed(inner, v) for v in value)
        return tuple(_typed(a, v) for a, v in zip(args, value))
    if kind in (Support, Release):
        return kind.of_record(value)
    if dataclasses.is_dataclass(kind):
        hints = _hints(kind)  # type: ignore[arg-type]
        found: dict[str, Any] = {}
        name = getattr(kind, "__name__", "record")
        moved = RENAMED.get(name, {})
        for k, v in value.items():
            key = moved.get(k, k) if k in moved else k
            if key is None:
                continue
            if key not in hints:
                raise RecordError(f"holds {name}.{k}, which this version does not know")
            found[key] = _typed(hints[key], v)
        return kind(**found)  # type: ignore[operator]
    if kind is float and isinstance(value, int):
        return float(value)
    return value
