"""Corrections kept by source file, so that taking in the same source again can offer to make them again."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path
from typing import Any


class CorrectionBook:
    """One JSON file a source in `folder`, named by a digest of the source's resolved path."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def _file(self, source: Path) -> Path:
        return self.folder / (hashlib.sha256(str(source.resolve()).encode()).hexdigest()[:24] + ".json")

    def keep(self, source: Path, records: list[dict[str, Any]]) -> None:
        """Keep what has been corrected of a source, in order; an empty list forgets it. Written whole or not at
        all."""
        path = self._file(source)
        if not records:
            path.unlink(missing_ok=True)
            return
        self.folder.mkdir(parents=True, exist_ok=True)
        part = path.with_suffix(".part")
        part.write_text(
            json.dumps({"source": str(source.resolve()), "corrections": records}), encoding="utf-8"
        )
        os.replace(part, path)

    def recall(self, source: Path) -> list[dict[str, Any]]:
        """The corrections kept for a source; [] for none, or for a file that is damaged."""
        try:
            kept = json.loads(self._file(source).read_text(encoding="utf-8"))
            records = kept["corrections"]
        except (OSError, ValueError, KeyError, TypeError):
            return []
        return [r for r in records if isinstance(r, dict)] if isinstance(records, list) else []
