"""The source of the latest revision is watched: when it changes on disk, and has come to rest, that is
said."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer

from ...model.source_file import source_of
from .state import DeskState

REST = 1500  # ms without a further change: a file is written in pieces


class SourceWatch(QObject):
    """Calls `changed(path)` once for each change of the latest revision's source that makes it another
    file."""

    def __init__(self, state: DeskState, changed: Callable[[Path], None]) -> None:
        super().__init__()
        self.state, self.changed = state, changed
        self.path: Path | None = None
        self._known: tuple[int, int] | None = None
        self._watcher = QFileSystemWatcher()
        self._watcher.fileChanged.connect(lambda _: self._later.start())
        self._watcher.directoryChanged.connect(lambda _: self._later.start())
        self._later = QTimer()
        self._later.setSingleShot(True)
        self._later.setInterval(REST)
        self._later.timeout.connect(self._rested)
        state.revisions_changed.connect(self.follow)

    def follow(self) -> None:
        """Watch the latest revision's source from now on."""
        revisions = self.state.revisions
        path = (
            source_of(revisions[-1].review.model)
            if revisions and revisions[-1].review.model.source_file
            else None
        )
        if path == self.path:
            return
        old = [*self._watcher.files(), *self._watcher.directories()]
        if old:
            self._watcher.removePaths(old)
        self.path = path if path is not None and path.is_file() else None
        self._known = self._print()
        if self.path is not None:
            # programs that write whole files put a new one in its place: only the folder shows that
            self._watcher.addPaths([str(self.path), str(self.path.parent)])

    def _print(self) -> tuple[int, int] | None:
        try:
            found = self.path.stat() if self.path is not None else None
        except OSError:
            return None
        return None if found is None else (found.st_mtime_ns, found.st_size)

    def _rested(self) -> None:
        now = self._print()
        if self.path is None or now is None or now == self._known:
            return
        self._known = now
        if str(self.path) not in self._watcher.files():
            self._watcher.addPath(str(self.path))
        self.changed(self.path)
