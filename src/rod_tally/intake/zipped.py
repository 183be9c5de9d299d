"""Zipped files are looked at before they are unpacked: how much is in them, and where it would go."""

from __future__ import annotations

import zipfile
from pathlib import Path, PurePosixPath

from .readers import IntakeError

# files, bytes unpacked, times their packed size
MOST_ENTRIES, MOST_BYTES, MOST_PACKED = 20_000, 500_000_000, 200
SMALL = 10_000_000  # bytes; so much may be packed as tightly as it likes


def look_inside(z: zipfile.ZipFile, path: Path, what: str) -> list[zipfile.ZipInfo]:
    """The entries of a zipped file. Raises IntakeError for more than `what` (such as "a BCF file") can
    hold, and for a path that leads out of it."""
    entries = z.infolist()
    size = sum(e.file_size for e in entries)
    packed = max(sum(e.compress_size for e in entries), 1)
    if len(entries) > MOST_ENTRIES or size > MOST_BYTES or (size / packed > MOST_PACKED and size > SMALL):
        raise IntakeError(
            f"{path}: holds {len(entries)} files of {size / 1e6:.0f} MB unpacked, too much for {what}; it is not read"
        )
    for e in entries:
        name = PurePosixPath(e.filename.replace("\\", "/"))
        if name.is_absolute() or ".." in name.parts or ":" in e.filename:
            raise IntakeError(f"{path}: holds {e.filename!r}, a path that leads out of it; it is not read")
    return entries
