"""Makes the example report, the demo's revision A closed out, as HTML, PDF and BCF: `python
tools/example_report.py DIR`."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

from rod_tally.cli import main
from rod_tally.demo.close_out import close_out


def make(folder: Path) -> list[Path]:
    """Write the three files, and the project that they are of, and return them."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as work:
        project = close_out(Path(work) / "tern-quay.rodtally")
        out = [folder / f"tern-quay.{kind}" for kind in ("html", "pdf", "bcf")]
        arguments = [x for path in out for x in (f"--{path.suffix[1:]}", str(path))]
        if main(["report", str(project), *arguments]) == 2:
            raise SystemExit("the report could not be written")
    return out


if __name__ == "__main__":
    for path in make(Path(sys.argv[1] if len(sys.argv) > 1 else "build/example")):
        print(path)
