"""Work in the background: one job at a time, with progress and Cancel."""

from __future__ import annotations

import gc
import logging
import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from ...log_file import start_log

log = logging.getLogger(__name__)

TELLS_EVERY = 0.2  # s; each telling paints the window, and takes that time from the job


def where_logged() -> str:
    """A sentence that names the log file; "" where there is none."""
    path = start_log()
    return f" Details are in {path}." if path is not None else ""


class Cancelled(Exception):
    """Raised inside a job through its progress call when the user has cancelled it."""


class _Signals(QObject):
    progress = pyqtSignal(str, float)
    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    cancelled = pyqtSignal()


class _Job(QRunnable):
    def __init__(
        self, call: Callable[[Callable[[str, float], None]], Any], known: tuple[type[Exception], ...]
    ) -> None:
        super().__init__()
        self.call, self.known = call, known
        self.signals = _Signals()
        self.stop = False
        self.silent = False  # another takes its place: nothing is said when it has stopped
        self._told = 0.0
        self.setAutoDelete(False)

    def progress(self, text: str, share: float) -> None:
        if self.stop:
            raise Cancelled
        now = time.monotonic()
        if now - self._told > TELLS_EVERY:
            self._told = now
            self.signals.progress.emit(text, share)
            time.sleep(0)  # lets the window's thread have its turn

    def run(self) -> None:
        # a full collection holds every thread up for as long as the model is large: none while a job makes
        # one
        gc.disable()
        try:
            self._run()
        finally:
            gc.enable()

    def _run(self) -> None:
        try:
            value = self.call(self.progress)
        except Cancelled:
            self.signals.cancelled.emit()
        except self.known as error:
            self.signals.failed.emit(str(error))
        except MemoryError:
            self.signals.failed.emit("This does not fit into the machine's memory.")
        except Exception as error:
            if self.stop:  # the model was corrected under what gave way to that
                log.info("a job that was stopped failed", exc_info=True)
                self.signals.cancelled.emit()
                return
            log.exception("a job failed")
            self.signals.failed.emit(
                f"A fault in Rod Tally: {type(error).__name__}: {error}. Nothing was changed.{where_logged()}"
            )
        else:
            if self.stop:
                self.signals.cancelled.emit()
            else:
                self.signals.done.emit(value)


class Jobs(QObject):
    """Runs one job at a time. `changed(text, share)` while it runs; `idle()` when it has ended, however it
    did."""

    changed = pyqtSignal(str, float)
    idle = pyqtSignal(str)

    def __init__(self, known: tuple[type[Exception], ...]) -> None:
        super().__init__()
        self._known = known
        self._job: _Job | None = None
        self._title = self._next_title = ""
        self._gives_way = False
        self._next: Callable[[], object] | None = None

    @property
    def free(self) -> bool:
        """Return whether the user's next step can start: nothing runs, or something that gives way."""
        return self._job is None or (self._gives_way and self._next is None)

    def free_for(self, title: str) -> bool:
        """Return whether a job of this title that replaces others of it can start."""
        return self._job is None or (
            (self._gives_way or self._title == title) and (self._next is None or self._next_title == title)
        )

    @property
    def busy(self) -> bool:
        return self._job is not None

    def stop_what_gives_way(self) -> bool:
        """Stop a job that the next one would stop, before what it works on is changed; whether there was
        one."""
        if self._job is None or not self._gives_way:
            return False
        self._stop()
        return True

    def start(
        self,
        title: str,
        call: Callable[[Callable[[str, float], None]], Any],
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        cancelled: Callable[[], None] | None = None,
        gives_way: bool = False,
        replaces: bool = False,
    ) -> bool:
        """Start `call(progress)` in the background; False when another job is still running. `cancelled` is
        called where the user stopped it and something remains to be said or done.

        A job that `gives_way` is stopped by the next one that does not, which starts when it has ended. One
        that `replaces` takes the place of another of its title in the same way, of one that runs and of one
        that waits, and these say nothing any more."""
        if self._job is not None:
            if not (self.free_for(title) if replaces else self.free and not gives_way):
                return False
            self._next_title = title
            self._next = lambda: self.start(title, call, done, failed, cancelled, gives_way, replaces)
            self._job.silent = replaces and self._title == title
            self._stop()
            return True
        self._title, self._next_title = title, ""
        self._gives_way = gives_way
        job = self._job = _Job(call, self._known)

        def end(message: str, then: Callable[[], None] | None = None) -> None:
            self._job = None
            after, waits, self._next = self._next, self._next_title, None
            if then is not None:
                then()
            if after is not None and self._job is None:
                after()
            elif after is not None:
                # what ended has started another: the user's step comes after that, or in its place
                self._next, self._next_title = after, waits
                if self._gives_way:
                    self._stop()
            if self._job is None:
                self.idle.emit(message)

        def finished(value: Any) -> None:
            # of what was replaced nothing is wanted any more
            end("", None if job.silent else lambda: done(value))

        def fault(message: str) -> None:
            end("", lambda: failed(message))

        job.signals.progress.connect(lambda text, share: self.changed.emit(f"{title}: {text.lower()}", share))
        job.signals.done.connect(finished)
        job.signals.failed.connect(fault)

        def stopped() -> None:
            if job.silent:
                end("")
            else:
                end(f"{title}: cancelled; nothing was changed" if cancelled is None else "", cancelled)

        job.signals.cancelled.connect(stopped)
        self.changed.emit(title, 0.0)
        pool = QThreadPool.globalInstance()
        assert pool is not None
        pool.start(job)
        return True

    def wait(self, seconds: float) -> None:
        """Let a job that was cancelled come to where it stops, so that what it was saving is saved."""
        pool = QThreadPool.globalInstance()
        if self._job is not None and pool is not None:
            pool.waitForDone(int(seconds * 1000))

    def cancel(self) -> None:
        """Stop what runs, and what waits for it to end."""
        self._next = None
        if self._job is not None:
            self._job.silent = False  # what took its place does not come: that is said
        self._stop()

    def _stop(self) -> None:
        if self._job is not None:
            self._job.stop = True
            self.changed.emit("Stopping…", 1.0)
