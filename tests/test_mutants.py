"""Faults that are drawn for the tests to notice: the same ones for the same seed, each a change of one line."""

from __future__ import annotations

import ast
import sys
from pathlib import Path

import pytest

pytest.importorskip("cosmic_ray")
sys.path.insert(0, str(Path(__file__).parent.parent / "tools"))
import mutants  # noqa: E402

SOURCE = '''
"""A module: 1 + 2 in words is no place for a fault."""

LIMIT = 3


def held(a: int | None, b: int) -> bool:
    if a is None or a + b <= LIMIT:
        return False
    return -a < b
'''


@pytest.fixture
def tree(tmp_path: Path) -> Path:
    for package in mutants.CORE:
        (tmp_path / "src" / "rod_tally" / package).mkdir(parents=True)
    (tmp_path / "src" / "rod_tally" / "model" / "held.py").write_text(SOURCE)
    return tmp_path


def test_faults_are_drawn_by_seed_and_change_one_line(tree: Path) -> None:
    every = mutants.drawn(1000, 1, tree)
    assert len(every) == len(set(every)) == len(mutants.drawn(1000, 2, tree))
    assert mutants.drawn(5, 7, tree) == mutants.drawn(5, 7, tree) != mutants.drawn(5, 8, tree)
    before = SOURCE.splitlines()
    kinds = set()
    for m in every:
        text = mutants.mutated(SOURCE, m)
        assert text is not None
        ast.parse(text)
        changed = [k for k, (a, b) in enumerate(zip(before, text.splitlines()), 1) if a != b]
        assert changed == [m.line], (m, changed)
        kinds.add(text.splitlines()[m.line - 1].strip())
    assert {
        "if a is None or a - b <= LIMIT:",
        "if a is None and a + b <= LIMIT:",
        "if a is None or a + b < LIMIT:",
        "return a < b",
        "return True",
    } <= kinds
    assert not any("int &" in k for k in kinds)


def test_a_fault_is_noticed_by_the_tests_that_cover_its_line(tree: Path) -> None:
    (tree / "tests").mkdir()
    (tree / "tests" / "test_held.py").write_text(
        "import sys; sys.path.insert(0, 'src/rod_tally/model')\nfrom held import held\n\ndef test_held():\n    assert held(1, 5) and not held(None, 5)\n"
    )
    covered = {"test_held.py": {"seconds": 1.0, "lines": {"src/rod_tally/model/held.py": [4, 7, 8, 9, 10]}}}
    by_line: dict[int, set[str]] = {}
    for m in [m for m in mutants.drawn(1000, 1, tree) if m.line in (8, 9)]:
        by_line.setdefault(m.line, set()).add(mutants.tried(m, covered, tree))
    assert by_line[8] >= {"noticed", "not noticed"}, "the limit itself is not tried from both sides"
    assert by_line[9] == {"noticed"}
    nothing = {"test_held.py": {"seconds": 1.0, "lines": {}}}
    assert mutants.tried(mutants.drawn(1, 1, tree)[0], nothing, tree) == "not covered"
    assert (tree / "src" / "rod_tally" / "model" / "held.py").read_text() == SOURCE
