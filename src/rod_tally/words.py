"""Lists in sentences: the first few by name, how many more there are."""

from __future__ import annotations

from collections.abc import Sequence, Sized


def and_more(items: Sized, shown: int, before: str = " and") -> str:
    """Return how many of the items are not among those `shown`, "" for none.

    >>> and_more("abcde", 3), and_more("abc", 3), and_more("abcd", 3, "; and")
    (' and 2 more', '', '; and 1 more')
    """
    left = len(items) - shown
    return f"{before} {left} more" if left > 0 else ""


def few(names: Sequence[str], shown: int) -> str:
    """Return the first names, and how many more there are.

    >>> few(["a", "b", "c"], 2)
    'a, b and 1 more'
    """
    return ", ".join(names[:shown]) + and_more(names, shown)
