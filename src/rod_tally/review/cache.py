"""Values worked out from a review, each once: by the window's thread, by a job's, by whoever asks first."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock, RLock
from typing import Any, TypeVar

T = TypeVar("T")
Basis = tuple[object, ...]


class Cache:
    """Values by name, each with the basis it was worked out from: objects, compared by identity, and strings.

    A value is thrown away when it is asked for on another basis (another run, another case), and all are by
    `clear`, when the model changes. Two threads that ask for one name at once work it out once; other names
    do not wait for it."""

    def __init__(self) -> None:
        self._values: dict[str, tuple[Basis, Any]] = {}
        self._locks: dict[str, RLock] = {}
        self._lock = Lock()

    def __reduce__(self) -> tuple[type[Cache], tuple[()]]:
        return Cache, ()  # a copy begins empty: locks are not copied

    def get(self, name: str, basis: Basis, make: Callable[[], T]) -> T:
        """The value of that name on that basis, worked out by `make` where it is not there."""
        with self._lock:
            lock = self._locks.setdefault(name, RLock())
        with lock:
            if not self.known(name, basis):
                value = make()
                self._values[name] = basis, value
                return value
            found: T = self._values[name][1]
            return found

    def known(self, name: str, basis: Basis) -> bool:
        """Return whether it is there; never waits."""
        kept = self._values.get(name)
        return kept is not None and _same(kept[0], basis)

    def peek(self, name: str) -> Any:
        """The value of that name on whatever basis; None where there is none."""
        kept = self._values.get(name)
        return None if kept is None else kept[1]

    def put(self, name: str, basis: Basis, value: object) -> None:
        """A value that was worked out elsewhere."""
        self._values[name] = basis, value

    def clear(self) -> None:
        """Throw everything away."""
        self._values = {}


def _same(one: Basis, two: Basis) -> bool:
    return len(one) == len(two) and all(
        a == b if isinstance(a, str) and isinstance(b, str) else a is b for a, b in zip(one, two)
    )
