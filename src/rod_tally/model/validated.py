"""Values of settings files checked against their types by msgspec; what is wrong with one in words that name
its key and range."""

from __future__ import annotations

import re
from typing import Any, TypeVar

import msgspec
from msgspec import inspect

T = TypeVar("T")


class Table(msgspec.Struct, forbid_unknown_fields=True):
    """A table of a file: every key typed, unknown ones refused."""


def convert(data: Any, into: type[T]) -> T:
    """`data` (of TOML or JSON) as `into`. Raises ValueError that names the key, its value and what it must
    be."""
    try:
        return msgspec.convert(data, into)
    except msgspec.ValidationError as error:
        raise ValueError(_explained(str(error), data, into)) from None


def limits(into: type, key: str) -> tuple[float, float]:
    """Least and greatest value of a number by its key, such as "mesh.size". Raises KeyError for a key without
    them."""
    info: Any = inspect.type_info(into)
    for part in key.split("."):
        info = _inner(info, part)
    for one in _options(info):
        if isinstance(one, inspect.FloatType | inspect.IntType):
            low = one.ge if one.ge is not None else one.gt
            high = one.le if one.le is not None else one.lt
            if low is not None and high is not None:
                return float(low), float(high)
    raise KeyError(key)


def plain(value: msgspec.Struct) -> dict[str, Any]:
    """The same as plain values without absent ones, tables last, as TOML requires them."""
    return _present(msgspec.to_builtins(value))


def _present(values: dict[str, Any]) -> dict[str, Any]:
    flat = {
        k: [_present(x) if isinstance(x, dict) else x for x in v] if isinstance(v, list) else v
        for k, v in values.items()
        if v is not None and not isinstance(v, dict)
    }
    return flat | {k: _present(v) for k, v in values.items() if isinstance(v, dict)}


def _explained(message: str, data: Any, into: type) -> str:
    """The library's "Expected `float` <= 1.0 - at `$.transfer.snap`" as "transfer.snap is 3; it must be a
    number from 0 to 1"."""
    parts = re.fullmatch(r"(.*?)(?: - at `(?:key` in `)?\$(.*)`)?", message)
    said, path = (parts[1], parts[2] or "") if parts else (message, "")
    keys = re.findall(r"\[\.\.\.\]|\[(\d+)\]|\.([^.\[]+)", path)
    info, value, name = inspect.type_info(into), data, ""
    for k, (number, key) in enumerate(keys):
        if not (number or key):  # an entry of a table: which one the library does not say
            key = _entry(info, value, [key for _, key in keys[k + 1 :]])
            if not key:
                break
        value = value[int(number)] if number else value[key]
        info = _inner(info, key)
        name = f"{name}.{key}".lstrip(".") if key else f"{name}[{int(number) + 1}]"
    unknown = re.match(r"Object contains unknown field `(.*)`", said)
    if unknown and isinstance(info, inspect.DictType):  # in one of its entries
        name += "." + next((k for k, own in value.items() if isinstance(own, dict) and unknown[1] in own), "")
        info = next(iter(_options(info.value_type)))
    fields = info.fields if isinstance(info, inspect.StructType) else ()
    if unknown:
        known = ", ".join(sorted(f.encode_name for f in fields))
        if not name and all(isinstance(f.type, inspect.StructType | inspect.ListType) for f in fields):
            return f"unknown table [{unknown[1]}]; known are {known}"
        own = f"{name}.{unknown[1]}".lstrip(".")
        return f"unknown key {own}; known are {known}"
    missing = re.match(r"Object missing required field `(.*)`", said)
    if missing:
        return f"{name}.{missing[1]}".lstrip(".") + " is missing"
    if not said.startswith(("Expected", "Invalid")):
        return said  # our own words, from a check of several values together
    wrong = _wrong(info, value)
    return f"{name}{wrong[0]} is {wrong[1]!r}; it must be {_expected(wrong[2], name)}"


def _inner(info: Any, key: str) -> Any:
    """The type of a key of a table, or of an entry of a list."""
    for one in _options(info):
        if isinstance(one, inspect.StructType) and key:
            return next((f.type for f in one.fields if f.encode_name == key), one)
        if isinstance(one, inspect.ListType) and not key:
            return one.item_type
        if isinstance(one, inspect.DictType) and key:
            return one.value_type
    return info


def _entry(info: Any, value: Any, path: list[str]) -> str:
    """The entry of a table in which what lies at the end of a path is wrong; "" where the entry itself is."""
    for name, own in value.items() if isinstance(value, dict) and path else ():
        kind, at = _inner(info, name), own
        for key in path:
            kind = _inner(kind, key)
            at = at.get(key) if isinstance(at, dict) else None
        if at is not None and not _fits(at, kind):
            return str(name)
    return ""


def _options(info: Any) -> tuple[Any, ...]:
    types = info.types if isinstance(info, inspect.UnionType) else (info,)
    return tuple(t for t in types if not isinstance(t, inspect.NoneType))


def _wrong(info: Any, value: Any) -> tuple[str, Any, Any]:
    """Which entry of a table or list it is: how to name it, its value, its type."""
    for one in _options(info):
        if isinstance(one, inspect.DictType) and isinstance(value, dict):
            for key, own in value.items():
                for part, kind in ((key, one.key_type), (own, one.value_type)):
                    if not _fits(part, kind):
                        return f".{key}", part, kind
        if isinstance(one, inspect.ListType) and isinstance(value, list):
            for k, own in enumerate(value, 1):
                if not _fits(own, one.item_type):
                    return f"[{k}]", own, one.item_type
    return "", value, info


def _fits(value: Any, info: Any) -> bool:
    (one, *_) = _options(info)
    if isinstance(one, inspect.LiteralType):
        return value in one.values
    if isinstance(one, inspect.FloatType | inspect.IntType):
        low = one.ge if one.ge is not None else one.gt if one.gt is not None else -float("inf")
        high = one.le if one.le is not None else one.lt if one.lt is not None else float("inf")
        number = isinstance(value, (int, float)) and not isinstance(value, bool)
        return bool(number and low <= value <= high)
    return isinstance(value, str) if isinstance(one, inspect.StrType) else True


def _expected(info: Any, name: str) -> str:
    return " or ".join(dict.fromkeys(_word(one, name) for one in _options(info)))


def _word(one: Any, name: str) -> str:
    if isinstance(one, inspect.LiteralType):
        return ("one of " if len(one.values) > 1 else "") + ", ".join(str(v) for v in one.values)
    if isinstance(one, inspect.FloatType | inspect.IntType):
        number = "a number" if isinstance(one, inspect.FloatType) else "a whole number"
        low = one.ge if one.ge is not None else one.gt
        high = one.le if one.le is not None else one.lt
        if low is not None and high is not None:
            return f"{number} from {low:g} to {high:g}"
        return number
    if isinstance(one, inspect.BoolType):
        return "true or false"
    if isinstance(one, inspect.StrType):
        return "a name" if one.min_length else "a text"
    if isinstance(one, inspect.ListType):
        many = str(one.min_length) if one.min_length else ""
        (item,) = _options(one.item_type)[:1]
        if isinstance(item, inspect.StructType):
            return f"tables, [[{name}]]"
        what = "numbers" if isinstance(item, inspect.FloatType) else "names"
        return f"{many} {what}, in a list" if many else f"a list of {what}"
    if isinstance(one, inspect.StructType):
        return f"a table, [{name}]"
    return "a table"
