"""The text of an IFC file with some of its statements changed and others added, all else byte for byte."""

from __future__ import annotations

import re
from typing import Any

# a string holds semicolons and number signs that are none
STATEMENT = re.compile(rb"#(\d++)\s*+=(?:'(?:[^']|'')*+'|/\*.*?\*/|[^;'/]++|/(?!\*))*+;", re.S)
DATA = re.compile(rb"\bDATA\s*(?:\([^;]*\))?\s*;")


class Changes:
    """Entities of an open file that are to be written anew."""

    def __init__(self, file: Any) -> None:
        self.file = file
        self.changed: dict[int, Any] = {}
        self.last = max((e.id() for e in file), default=0)

    def set(self, entity: Any, **values: Any) -> None:
        """Give an entity other values."""
        for name, value in values.items():
            setattr(entity, name, value)
        if entity.id() <= self.last:
            self.changed[entity.id()] = entity

    def create(self, kind: str, *values: Any, **named: Any) -> Any:
        return self.file.create_entity(kind, *values, **named)

    @property
    def added(self) -> list[Any]:
        """Return what is new, in the order it was made."""
        return sorted((e for e in self.file if e.id() > self.last), key=lambda e: e.id())

    def applied(self, data: bytes) -> bytes:
        """The file's text (`data`) with the changes. Raises ValueError where a changed statement is not found
        in it."""
        left = dict(self.changed)

        def anew(found: re.Match[bytes]) -> bytes:
            entity = left.pop(int(found[1]), None)
            return found[0] if entity is None else _line(entity)

        begin = DATA.search(data)
        at = 0 if begin is None else begin.end()
        out = data[:at] + STATEMENT.sub(anew, data[at:]) if left else data
        if left:
            raise ValueError(f"#{min(left)} is not found in the text of the file")
        added = self.added
        if added:
            end = out.rfind(b"ENDSEC;")
            if end < 0:
                raise ValueError("its data section has no end")
            new = b"\r\n" if b"\r\n" in out[:2000] else b"\n"
            lines = b"".join(_line(e) + new for e in added)
            out = out[:end] + (b"" if out[:end].endswith(b"\n") else new) + lines + out[end:]
        return out


def _line(entity: Any) -> bytes:
    text = entity.to_string(True)
    return (text if text.endswith(";") else text + ";").encode("ascii")
