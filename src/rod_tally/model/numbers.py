"""Numbers as people write them: with a point or a comma, and what can be read in two ways."""

from __future__ import annotations

import re
from collections.abc import Iterable

TWO_WAYS = re.compile(r"[-+]?[1-9]\d{0,2},\d{3}")  # 10,000: ten, or ten thousand


def decimal_mark(cells: Iterable[str]) -> str:
    """Return what stands before the decimals in these cells: "." or ","; "" where none of them tells.

    >>> decimal_mark(["10,000", "3.5"]), decimal_mark(["10,000", "2,5"]), decimal_mark(["10,000"])
    ('.', ',', '')
    """
    found = set()
    for raw in cells:
        clean = raw.strip().replace("\u2212", "-")
        if "," in clean and "." in clean:
            found.add("." if clean.rindex(".") > clean.rindex(",") else ",")
        elif re.fullmatch(r"[-+]?\d*\.\d+(e[-+]?\d+)?", clean, re.I) or clean.count(",") > 1:
            found.add(".")
        elif clean.count(",") == 1 and not TWO_WAYS.fullmatch(clean):
            found.add(",")
    return found.pop() if len(found) == 1 else ""


def number(raw: str, mark: str = "") -> float:
    """The number that a cell holds; `mark`: what stands before the decimals in its column, as `decimal_mark`
    gives it. Raises ValueError, with words of its own for a cell that may be read in two ways.

    >>> number("-10,000", "."), number("-10,000", ","), number("2,5")
    (-10000.0, -10.0, 2.5)
    """
    clean = raw.strip().replace("\u2212", "-").replace("\u00a0", "")
    if "," not in clean:
        return float(clean)
    if "." in clean:
        last = "." if clean.rindex(".") > clean.rindex(",") else ","
        other = "," if last == "." else "."
        return float(clean.replace(other, "").replace(last, "."))
    if clean.count(",") > 1:
        return float(clean.replace(",", ""))
    if TWO_WAYS.fullmatch(clean):
        if not mark:
            decimal, thousands = clean.replace(",", "."), clean.replace(",", "")
            raise ValueError(
                f"{raw.strip()} may be read as {float(decimal):g} or as {thousands}: write one of these"
            )
        return float(clean.replace(",", "." if mark == "," else ""))
    return float(clean.replace(",", "."))
