"""Fixtures shared by all tests."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

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
