"""Writes docs/verification.md: every published or closed-form case that the tests check, with what came out
here.

`.venv/bin/python tools/verification.py` from the root of the repository.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
USED = "from .verification import"  # in the files that check such cases
HEAD = """# Verification

Made by the tests (`tools/verification.py`): each case with its source, the value it should have, what comes out here, and the tolerance that the
test holds it to. Further checks, against other libraries, statics and brute force, stand beside their tests.

| case | source | expected | got | off | tolerance |
| --- | --- | --- | --- | --- | --- |
"""


def main() -> int:
    with tempfile.TemporaryDirectory() as folder:
        files = sorted((ROOT / "tests").glob("test_*.py"))
        tests = [str(p) for p in files if USED in p.read_text(encoding="utf-8")]
        own = dict(os.environ, ROD_TALLY_VERIFY=folder)
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-q", "-p", "no:xdist", "-k", "not window", *tests],
            env=own,
            cwd=ROOT,
            check=False,
        )
        rows = [json.loads(p.read_text(encoding="utf-8")) for p in Path(folder).glob("*.json")]
    lines = []
    for r in sorted(rows, key=lambda r: (r["source"], r["what"])):
        off = r["got"] / r["expected"] - 1 if r["expected"] else r["got"]
        lines.append(
            f"| {r['what']} | {r['source']} | {r['expected']:.5g} | {r['got']:.5g} | {off:+.2%} | {r['within']:.2g} |"
        )
    (ROOT / "docs" / "verification.md").write_text(
        HEAD + "\n".join(dict.fromkeys(lines)) + "\n", encoding="utf-8"
    )
    print(f"{len(lines)} cases in docs/verification.md")
    return done.returncode


if __name__ == "__main__":
    sys.exit(main())
