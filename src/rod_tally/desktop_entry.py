"""Putting the application into the desktop's menus, and taking it out again: files of the freedesktop.org
standards."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

from . import __version__

FILES = Path(__file__).parent / "desktop_files"
# below the user's data folder: Desktop Entry, Icon Theme, Shared MIME-info and AppStream specifications
PLACES = {
    "rod-tally.desktop": "applications",
    "rod-tally.svg": "icons/hicolor/scalable/apps",
    "rod-tally.xml": "mime/packages",
    "rod-tally.metainfo.xml": "metainfo",
}


def data_home() -> Path:
    """Where the desktop looks for a user's own files (XDG Base Directory specification)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def command() -> str:
    """How this installation is started, as the Exec line of a desktop entry has it."""
    script = Path(sys.argv[0]).resolve()
    if script.name.startswith("rod-tally") and os.access(script, os.X_OK):
        return f'"{script}"'
    return f'"{sys.executable}" -m rod_tally.cli'


def install(remove: bool = False) -> list[Path]:
    """Write the entry, the icon, the type of project files and the description, or remove them. Raises
    OSError."""
    done = []
    for name, place in PLACES.items():
        target = data_home() / place / name
        if remove:
            target.unlink(missing_ok=True)
        else:
            text = (FILES / name).read_text(encoding="utf-8")
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_text(
                text.replace("{command}", command()).replace("{version}", __version__), encoding="utf-8"
            )
        done.append(target)
    # the desktop's own lists; where these programs are missing it looks at the files by itself
    for program, folder in (("update-desktop-database", "applications"), ("update-mime-database", "mime")):
        if shutil.which(program) and (data_home() / folder).is_dir():
            subprocess.run([program, str(data_home() / folder)], check=False, capture_output=True)
    return done
