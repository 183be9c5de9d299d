"""Parts of the bench that stand for something of the program run with it, at a small size."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent.parent / "bench"))
import carrying  # noqa: E402
import envelopes  # noqa: E402
import office  # noqa: E402


def test_envelopes_are_measured(monkeypatch: pytest.MonkeyPatch) -> None:
    for name, size in (("MEMBERS", 20), ("STATIONS", 3), ("CASES", 4), ("COMBINATIONS", 6)):
        monkeypatch.setattr(envelopes, name, size)
    found = envelopes.envelopes()
    assert found["values"] == 20 * 3 * 6 and {"bare, large", "bare, small", "envelope"} <= set(found)


def test_the_office_is_measured() -> None:
    found = office.office(1, 2, 2)
    assert found["elements"] > 10 and {"seen", "checked", "run", "modes", "released", "deleted"} <= set(found)


def test_carrying_over_is_measured() -> None:
    found = carrying.carrying(120, 12)
    assert found["corrections"] == 12 and found["carried"] >= 11 and found["ratio"] > 0
