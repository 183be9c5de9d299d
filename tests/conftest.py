"""Fixtures shared by all tests."""

from __future__ import annotations

import os
import pickle
import shutil
import subprocess
import sys
from collections.abc import Iterator
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import settings

# a machine that does something else beside the tests is no fault of theirs
settings.register_profile("any machine", deadline=None)
settings.load_profile("any machine")

if TYPE_CHECKING:
    from rod_tally.desk.window import Window
    from rod_tally.model import Settings


def display(size: str) -> tuple[str, subprocess.Popen[bytes]]:
    """A screen without a monitor: its name, and the process to end."""
    read, write = os.pipe()
    screen = ["-screen", "0", size, "+extension", "GLX", "-nolisten", "tcp"]
    process = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), *screen], pass_fds=[write], stderr=subprocess.DEVNULL
    )
    os.close(write)
    with os.fdopen(read) as told:
        number = told.readline().strip()
    return f":{number}", process


def pytest_configure(config: pytest.Config) -> None:
    """Each process of a parallel run gets a display of its own: windows must not take each other's
    keyboard."""
    if not os.environ.get("PYTEST_XDIST_WORKER") or not os.environ.get("ROD_TALLY_VIRTUAL_DISPLAY"):
        return
    if shutil.which("Xvfb") is None:
        return
    os.environ["DISPLAY"], process = display("1280x800x24")

    def stop() -> None:
        process.terminate()
        process.wait()

    config.add_cleanup(stop)


DATA = Path(__file__).parent.parent / "src" / "rod_tally" / "demo" / "data"


@pytest.fixture(scope="session")
def loft_a() -> Path:
    return DATA / "tern-quay-a.ifc"


@pytest.fixture(scope="session")
def loft_b() -> Path:
    return DATA / "tern-quay-b.ifc"


@pytest.fixture(autouse=True)
def own_data(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """Projects and settings of the window go to a folder of the test's own."""
    monkeypatch.setenv("ROD_TALLY_DATA", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    if "PyQt6.QtCore" in sys.modules:  # Qt keeps the folder it saw first
        settings = sys.modules["PyQt6.QtCore"].QSettings
        settings.setPath(settings.Format.NativeFormat, settings.Scope.UserScope, str(tmp_path / "config"))


@pytest.fixture
def window(qtbot: Any, monkeypatch: pytest.MonkeyPatch, request: pytest.FixtureRequest) -> Iterator[Window]:
    from PyQt6.QtCore import QEvent, Qt
    from PyQt6.QtTest import QTest

    from rod_tally.desk.app import application
    from rod_tally.desk.view import screen, view
    from rod_tally.desk.window import Window

    # smooth edges take half of the time of a picture, and nothing here is about them
    monkeypatch.setattr(view, "SMOOTH", 0)
    if (
        request.node.get_closest_marker("drawn") is None
    ):  # most tests look at no picture, and it takes a fifth of their time
        monkeypatch.setattr(screen.Screen, "paintGL", lambda _: None)

    app = application()
    w = Window()
    w.move(0, 0)
    w.show()
    qtbot.waitExposed(w)
    w.activateWindow()
    qtbot.waitUntil(w.isActiveWindow, timeout=5000)  # shortcuts go to the active window
    QTest.keyRelease(
        w, Qt.Key.Key_Shift
    )  # Ctrl of the last test's click counts as held down until another key
    yield w
    w.session.jobs.cancel()
    qtbot.waitUntil(lambda: not w.session.jobs.busy, timeout=20000)
    w.close()
    w.deleteLater()
    # deferred deletion waits for an event loop of its own otherwise, and windows would pile up
    app.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    app.processEvents()


@pytest.fixture(scope="session")
def loft_file(tmp_path_factory: pytest.TempPathFactory, loft_a: Path) -> Path:
    """A project of revision A with its run, made once. Floors hand their loads on: what most tests look at,
    and quick to run."""
    from rod_tally.model import Settings

    settings = Settings()
    settings.transfer.slabs = "two-way"
    return kept_run(loft_a, settings, tmp_path_factory.mktemp("loft") / "tern-quay-a.rodtally")


def shown(window: Window, qtbot: Any, kept: Path, path: Path) -> Window:
    """The window with a copy of a project at `path`. What opening it works out is worked out once and copied
    from then on: it takes most of the time of a test. `test_beginning.py`, `test_project.py` and others open
    projects as a user does."""
    from rod_tally.desk.session.revisions import load_project
    from rod_tally.progress import silent
    from rod_tally.project import Project

    from .desk_help import rested

    if kept not in LOADED:
        project, revisions, settings = load_project(Path(shutil.copy(kept, path)), silent)
        project.close()
        LOADED[kept] = Copies((revisions, settings))
    project = Project.open(Path(shutil.copy(kept, path)))
    window.session.memory.opened(project.path)
    window.session._opened((project, *LOADED[kept].one()))
    rested(qtbot, window)
    return window


class Copies:
    """Copies of what a project holds. Rows of compared results, which nothing changes and which take most of
    the time to copy, are the same in all of them."""

    def __init__(self, value: tuple[list[Any], Any]) -> None:
        compared = [r.review.comparison for r in value[0] if r.review.comparison is not None]
        self.shared = [c.results for c in compared]
        known = {id(rows): k for k, rows in enumerate(self.shared)}

        class Out(pickle.Pickler):
            def persistent_id(self, obj: Any) -> int | None:
                return known.get(id(obj)) if isinstance(obj, list) else None

        packed = BytesIO()
        Out(packed, pickle.HIGHEST_PROTOCOL).dump(value)
        self.packed = packed.getvalue()

    def one(self) -> tuple[list[Any], Any]:
        """A copy of its own."""
        shared = self.shared

        class In(pickle.Unpickler):
            def persistent_load(self, pid: Any) -> Any:
                return shared[pid]

        found: tuple[list[Any], Any] = In(BytesIO(self.packed)).load()
        return found


LOADED: dict[Path, Copies] = {}


def kept_run(source: Path, settings: Settings, path: Path) -> Path:
    """A project of one revision with its run."""
    from rod_tally.project import Project
    from rod_tally.review.work import read_model, review

    done = review(read_model(source, settings), settings)
    project = Project.create(path)
    revision = project.add_revision("Revision A", done.model)
    project.add_run(revision, "Run 1", done.model, settings, done.results, done.dynamics)
    project.save_settings(settings)
    project.close()
    return path


@pytest.fixture
def loft(window: Window, qtbot: Any, tmp_path: Path, loft_file: Path) -> Window:
    """The window with revision A, taken in and run."""
    return shown(window, qtbot, loft_file, tmp_path / "tern-quay-a.rodtally")


@pytest.fixture(scope="session")
def tower_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A project of a two-storey building of slabs and walls with its run, made once."""
    from rod_tally.demo.tower import write_tower
    from rod_tally.model import Settings

    folder = tmp_path_factory.mktemp("tower")
    write_tower(folder / "tower.ifc", 2, 3, 3)
    return kept_run(folder / "tower.ifc", Settings(), folder / "tower.rodtally")


@pytest.fixture
def tower(window: Window, qtbot: Any, tmp_path: Path, tower_file: Path) -> Window:
    """The window with a two-storey building of slabs and walls, taken in and run."""
    return shown(window, qtbot, tower_file, tmp_path / "tower.rodtally")


@pytest.fixture(scope="session")
def demo_file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo project, made once."""
    from rod_tally.demo.project import make_demo

    return make_demo(tmp_path_factory.mktemp("demo") / "demo.rodtally")


@pytest.fixture
def demo(window: Window, qtbot: Any, tmp_path: Path, demo_file: Path) -> Window:
    """The window with the demo project."""
    return shown(window, qtbot, demo_file, tmp_path / "demo.rodtally")
