"""The lines of an IFC file, looked at one by one before the library parses it.

The library passes over what it cannot parse, and over references to what is not there, without a word. Here
every statement of the data section is held against the grammar of ISO 10303-21 (clause 6, the clear text
encoding), the schema's number of values and the statements it refers to, so that what is lost can be named
with its line."""

from __future__ import annotations

import bisect
import re
from dataclasses import dataclass, field
from typing import Any

import numpy as np

SPACE = rb"(?:\s|/\*(?:[^*]|\*(?!/))*+\*/)*+"
# a string does not run on over the end of a line that is followed by a new statement
STRING = rb"'(?:[^'\r\n]|''|\r?\n(?!\s*#\d+\s*=))*+'"
VALUE = (
    rb"(?:[\s\$\*]++|\((?!\s*,)|\)|,(?!\s*[,)])|\#\d++|[+-]?\d++(?:\.\d*+(?:[Ee][+-]?\d++)?)?|\.[A-Za-z_0-9]++\.|"
    + STRING
    + rb"|\"[0-9A-Fa-f]*+\"|[A-Za-z][A-Za-z0-9_]*+(?=\s*\()|/\*(?:[^*]|\*(?!/))*+\*/)"
)
STATEMENT = re.compile(
    SPACE
    + rb"#(\d++)\s*=\s*([A-Za-z][A-Za-z0-9_]*+)\s*\((?!\s*,)("
    + VALUE
    + rb"*+)\s*;"  # the last value is the closing bracket
)
# the same for the ordinary case, a statement a line, four times as fast as one by one
PLAIN = re.compile(
    rb"^#(\d++)=\s?([A-Z][A-Z0-9_]*+)\s?\((?:\#\d++|[,()\$\*]++|'[^'\r\n]*+'|[+-]?\d++(?:\.\d*+(?:[Ee][+-]?\d++)?)?|"
    rb"\.[A-Za-z_0-9]++\.|[A-Za-z][A-Za-z0-9_]*+(?=\()|[ \t]++|\"[0-9A-Fa-f]*+\")*+;[ \t\r]*$",
    re.M,
)
START = re.compile(rb"(?:^|[;\r\n])[ \t]*(?=#\d+\s*=)")
REFERENCE = re.compile(rb"#(\d+)")
STRINGS = re.compile(STRING)
INNERMOST = re.compile(rb"\([^()]*\)")
NO_NUMBER = re.compile(rb"[(,]\s*([+-]?(?:NAN|INF|IND)\w*|[+-]?\d+\.#\w+)", re.I)


@dataclass(slots=True)
class BadLine:
    """A statement that cannot be used as it stands: where, which entity, and why. `lost`: it is not in the
    parsed file.

    `positions` are the values (from 0) that refer to nothing, where that is what is wrong.
    """

    line: int
    id: int
    kind: str
    reason: str
    lost: bool
    text: str = ""
    positions: tuple[int, ...] = ()


@dataclass(slots=True)
class Lines:
    """The outcome of looking at the lines. `clean` is the file without the statements that are no such, None
    where all are."""

    bad: list[BadLine] = field(default_factory=list)
    clean: str | None = None


def look_at_lines(data: bytes, schema: Any) -> Lines:
    """Hold every statement of a file's data section against grammar, schema and the other statements.

    `schema` is the library's schema definition. Raises nothing for what the file holds.
    """
    begin = re.search(rb"\bDATA\s*(?:\([^;]*\))?\s*;", data)
    if begin is None:
        return Lines()
    end = data.rfind(b"ENDSEC")
    end = len(data) if end < begin.end() else end
    if _all_plain(data, begin.end(), end, _Expected(schema)):
        return Lines()
    out = Lines()
    cuts: list[tuple[int, int]] = []
    expected = _Expected(schema)
    at: dict[int, int] = {}
    counts: dict[bytes, dict[int, int]] = {}
    short: list[tuple[int, int, bytes, int]] = []
    position = begin.end()
    match = STATEMENT.match
    while position < end:
        found = match(data, position, end)
        if found is None:
            if not data[position:end].strip():
                break
            start = position
            position = _next_start(data, position, end)
            if data[start:position].strip() and not re.fullmatch(SPACE, data[start:position]):
                cuts.append((start, position))
                out.bad.append(_unparsed(data, start, position))
            continue
        number, kind, body = int(found[1]), found[2], found[3]
        if body.count(b"(") + 1 != body.count(b")") and not _balanced(body):
            cuts.append((found.start(1) - 1, found.end()))
            out.bad.append(_bad(data, found.start(1) - 1, number, kind, "its brackets do not match", True))
        elif not expected.known(kind):
            cuts.append((found.start(1) - 1, found.end()))
            out.bad.append(
                _bad(
                    data, found.start(1) - 1, number, kind, f"there is no {kind.decode()} in the schema", True
                )
            )
        elif number in at:
            cuts.append((found.start(1) - 1, found.end()))
            out.bad.append(_bad(data, found.start(1) - 1, number, kind, f"#{number} is there already", True))
        else:
            at[number] = found.start(1) - 1
            n = _values(body)
            of_kind = counts.setdefault(kind, {})
            of_kind[n] = of_kind.get(n, 0) + 1
            if n < expected.count(kind):
                short.append((found.start(1) - 1, number, kind, n))
        position = found.end()
    for start, number, kind, n in short:
        # a writer that leaves values out leaves them out of every statement of a kind; one of many is damage
        if len(counts[kind]) > 1:
            reason = f"it has {n} values where {expected.count(kind)} are due"
            out.bad.append(_bad(data, start, number, kind, reason, False))
    lost = {b.id for b in out.bad if b.lost and b.id}
    _refer(data, begin.end(), end, at, lost, out)
    line_of = _LineNumbers(data)
    for b in out.bad:
        b.line = line_of(b.line)
    out.bad.sort(key=lambda b: (b.line, b.id))
    if cuts:
        # blanked, not cut out: what follows stays on its line
        text = bytearray(data)
        for start, stop in cuts:
            text[start:stop] = re.sub(rb"[^\r\n]", b" ", bytes(text[start:stop]))
        out.clean = text.decode("utf-8", "surrogateescape").encode("utf-8", "replace").decode("utf-8")
    return out


def _all_plain(data: bytes, begin: int, end: int, expected: _Expected) -> bool:
    """Return whether every statement stands on a line of its own and nothing is wrong with any; worked out
    on arrays.

    False says no more than that they have to be looked at one by one.
    """
    found = PLAIN.findall(data, begin, end)
    a = np.frombuffer(data, np.uint8, end - begin, begin)
    outside = np.cumsum(a == 39, dtype=np.uint8) & 1 == 0  # sums run over, which keeps even and odd apart
    step = ((a == 40) & outside).astype(np.int8) - ((a == 41) & outside)
    depth = np.cumsum(step, dtype=np.int32)
    stops = np.flatnonzero((a == 59) & outside)
    commas = (a == 44) & outside
    after = np.append(a[1:], 0)
    odd = (commas & ((after == 44) | (after == 41))) | ((a == 40) & outside & (after == 44))
    lines = data[begin:end].split(b"\n")
    if len(found) != len(stops) or len(found) != sum(1 for line in lines if line.strip()):
        return False
    if depth[stops].any() or odd.any():
        return False
    values = np.diff(np.searchsorted(np.flatnonzero(commas & (depth == 1)), stops), prepend=0) + 1
    ids = {n for n, _ in found}
    if len(ids) != len(found) or set(REFERENCE.findall(data, begin, end)) - ids:
        return False
    kinds: dict[bytes, set[int]] = {}
    for kind, n in set(zip((k for _, k in found), values.tolist())):
        kinds.setdefault(kind, set()).add(n)
    return all(expected.known(k) and (len(n) == 1 or min(n) >= expected.count(k)) for k, n in kinds.items())


class _Expected:
    """The number of values that the schema gives an entity."""

    def __init__(self, schema: Any) -> None:
        self._count = {e.name().upper().encode(): e.attribute_count() for e in schema.entities()}

    def known(self, kind: bytes) -> bool:
        return kind.upper() in self._count

    def count(self, kind: bytes) -> int:
        return int(self._count[kind.upper()])


class _LineNumbers:
    def __init__(self, data: bytes) -> None:
        self._ends = [m.start() for m in re.finditer(rb"\n", data)]

    def __call__(self, position: int) -> int:
        return bisect.bisect_left(self._ends, position) + 1


def _next_start(data: bytes, position: int, end: int) -> int:
    """Where the next statement begins after a place that none begins at."""
    space = re.compile(SPACE).match(data, position, end)
    found = START.search(data, (space.end() if space is not None else position) + 1, end)
    return found.end() if found is not None else end


def _unparsed(data: bytes, start: int, stop: int) -> BadLine:
    """A piece of the data section that is no statement."""
    space = re.compile(SPACE).match(data, start, stop)
    start = space.end() if space is not None else start
    piece = data[start:stop]
    head = re.match(rb"#(\d+)\s*=\s*([A-Za-z][A-Za-z0-9_]*)?", piece)
    number, kind = (int(head[1]), head[2] or b"") if head else (0, b"")
    odd = NO_NUMBER.search(piece)
    if odd is not None:
        reason = f"{odd[1].decode('ascii', 'replace')} is not a number"
    elif piece.count(b"'") % 2:
        reason = "a quotation mark is missing"
    elif b";" not in piece:
        reason = "it is cut off before its end"
    else:
        reason = "it has a syntax error"
    return _bad(data, start, number, kind, reason, True, piece)


def _bad(
    data: bytes, position: int, number: int, kind: bytes, reason: str, lost: bool, piece: bytes | None = None
) -> BadLine:
    if piece is None:
        stop = data.find(b";", position)
        piece = data[position : stop + 1 if stop >= 0 else position + 1000]
    shown = " ".join(piece.decode("utf-8", "replace").split())
    return BadLine(position, number, kind.decode("ascii", "replace"), reason, lost, shown)


def _balanced(body: bytes) -> bool:
    bare = STRINGS.sub(b"", body)
    return bare.count(b"(") + 1 == bare.count(b")")


def _values(body: bytes) -> int:
    """How many values a statement has; `body` ends with its closing bracket."""
    if b"'" in body:
        body = STRINGS.sub(b"'", body)
    body = body.rstrip()[:-1]
    while b"(" in body:
        shorter = INNERMOST.sub(b"0", body)
        if shorter == body:
            break
        body = shorter
    return body.count(b",") + 1 if body.strip() else 0


def _refer(data: bytes, begin: int, end: int, at: dict[int, int], lost: set[int], out: Lines) -> None:
    """Add the statements that refer to what is nowhere in the file (what is lost is reported where it
    stood)."""
    asked = set(map(int, set(REFERENCE.findall(data, begin, end))))
    missing = asked - at.keys() - lost
    gone = (asked & lost) - at.keys()
    if not missing and not gone:
        return
    sought = missing | gone
    alternatives = re.compile(rb"#(\d+)(?!\d)(?!\s*=)")
    bad = {b.id: b for b in out.bad if not b.lost}
    starts = sorted((p, n) for n, p in at.items())
    places = [p for p, _ in starts]
    seen: set[int] = set()
    for reference in alternatives.finditer(data, begin, end):
        target = int(reference[1])
        if target not in sought:
            continue
        k = bisect.bisect_right(places, reference.start()) - 1
        if k < 0 or starts[k][1] in seen:
            continue
        start, number = starts[k]
        statement = STATEMENT.match(data, start, end)
        if statement is None or not statement.start() <= reference.start() < statement.end():
            continue
        body = STRINGS.sub(lambda m: b"'" * len(m[0]), statement[3])
        if reference.start() < statement.start(3) or body[reference.start() - statement.start(3)] == 0x27:
            continue
        seen.add(number)
        names = sorted({int(t) for t in alternatives.findall(body)} & sought)
        positions = _positions(body, set(names))
        absent = [n for n in names if n in missing]
        if absent:
            reason = f"it refers to #{absent[0]}, which is not in the file"
        else:
            reason = f"it refers to #{names[0]}, which cannot be read"
        if number in bad:
            bad[number].positions = positions
            continue
        item = _bad(data, start, number, statement[2], reason, False)
        item.positions = positions
        item.text = item.text if absent else ""  # a consequence: reported with its cause
        out.bad.append(item)


def _positions(body: bytes, names: set[int]) -> tuple[int, ...]:
    """Which values of a statement refer to one of these (single references, not lists: of those the rest
    stands)."""
    depth, position, found = 0, 0, []
    for token in re.finditer(rb"[(),]|#(\d+)", body):
        mark = token[0]
        if mark == b"(":
            depth += 1
        elif mark == b")":
            depth -= 1
        elif mark == b",":
            position += depth == 0
        elif depth == 0 and int(token[1]) in names:
            found.append(position)
    return tuple(found)
