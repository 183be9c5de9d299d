"""Published and closed-form cases: checked, and written down for docs/verification.md when ROD_TALLY_VERIFY
names a folder."""

from __future__ import annotations

import json
import os
import uuid
from pathlib import Path

import pytest


def verified(what: str, source: str, got: float, expected: float, within: float) -> None:
    """Fail unless `got` is the `expected` value within a relative tolerance; keep the row where rows are
    wanted."""
    folder = os.environ.get("ROD_TALLY_VERIFY")
    if folder:
        row = {
            "what": what,
            "source": source,
            "expected": float(expected),
            "got": float(got),
            "within": within,
        }
        (Path(folder) / f"{uuid.uuid4().hex}.json").write_text(json.dumps(row), encoding="utf-8")
    assert got == pytest.approx(expected, rel=within), what
