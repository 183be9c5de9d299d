"""Do the tests fail when the core is wrong? `./run mutants [--seed S] [--number N] [--map] [--jobs J]`

Draws single faults at random (a sign, a comparison, a number, and for or …) in the packages of the core, runs
the test files that cover the line, and prints those that none of them notices. Which test file covers which
lines is measured once and kept in `.mutants/`; a test file that has changed is measured again. The tests of
the window are left out: they are about what is on the screen."""

from __future__ import annotations

import argparse
import difflib
import hashlib
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue
from typing import Any

from cosmic_ray.ast import Visitor, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator

ROOT = Path(__file__).parents[1]
CORE = ("model", "transfer", "loads", "analysis", "checks", "compare", "review")
KEPT = ROOT / ".mutants"
COPIED = (
    "src",
    "tests",
    "tools",
    "bench",
    "docs",
    "pyproject.toml",
    "README.md",
    "CONTRIBUTING.md",
    "run",
    "LICENSE",
)
BINARY = [f"core/ReplaceBinaryOperator_{x}" for x in ("Add_Sub", "Sub_Add", "Mul_Div", "Div_Mul")]
COMPARED = [
    f"core/ReplaceComparisonOperator_{x}"
    for x in ("Lt_LtE", "LtE_Lt", "Gt_GtE", "GtE_Gt", "Lt_Gt", "Gt_Lt", "Eq_NotEq", "NotEq_Eq")
]
OPERATORS = [
    *BINARY,
    *COMPARED,
    "core/ReplaceUnaryOperator_Delete_USub",
    "core/ReplaceUnaryOperator_Delete_Not",
    "core/ReplaceTrueWithFalse",
    "core/ReplaceFalseWithTrue",
    "core/ReplaceAndWithOr",
    "core/ReplaceOrWithAnd",
    "core/NumberReplacer",
]
SLOW = 900.0  # s; a mutant whose tests take longer hangs, which is noticed


@dataclass(frozen=True, slots=True)
class Mutant:
    """The n-th place in a module (relative to the root) where an operator applies, and its line."""

    module: str
    operator: str
    occurrence: int
    line: int


class _Places(Visitor):  # type: ignore[misc]
    """Lines at which each operator applies, in the order of its occurrences."""

    def __init__(self) -> None:
        self.found: dict[str, list[int]] = {name: [] for name in OPERATORS}
        self._operators = {name: get_operator(name)() for name in OPERATORS}

    def visit(self, node: Any) -> Any:
        for name, operator in self._operators.items():
            for (line, _), _ in operator.mutation_positions(node):
                self.found[name].append(line)
        return node


def places(path: Path) -> dict[str, list[int]]:
    """By operator the lines of a module at which it applies."""
    visitor = _Places()
    visitor.walk(get_ast(path.read_text(encoding="utf-8")))
    return visitor.found


def drawn(number: int, seed: int, root: Path = ROOT) -> list[Mutant]:
    """That many mutants of the core, the same ones for the same seed and source: first how it is changed, so
    that numbers, which are everywhere, are not most of them, then where."""
    every: dict[str, list[Mutant]] = {name: [] for name in OPERATORS}
    for package in CORE:
        for path in sorted((root / "src" / "rod_tally" / package).rglob("*.py")):
            module = path.relative_to(root).as_posix()
            for name, lines in places(path).items():
                every[name] += [Mutant(module, name, k, line) for k, line in enumerate(lines)]
    dice = random.Random(seed)
    kinds = [name for name in OPERATORS if every[name]]
    out: dict[Mutant, None] = {}
    while kinds and len(out) < min(number, sum(len(v) for v in every.values())):
        out[dice.choice(every[dice.choice(kinds)])] = None
    return list(out)


def mutated(source: str, mutant: Mutant) -> str | None:
    """A module's text with the fault; None where there is none to make."""
    text: str | None = mutate_code(source, get_operator(mutant.operator)(), mutant.occurrence)
    return text


# -- which tests cover which lines ---------------------------------------------------------------------------


def core_tests(root: Path = ROOT) -> list[Path]:
    """Test files that are not about the window."""
    files = sorted((root / "tests").glob("test_*.py"))
    return [p for p in files if "pytest.mark.desk" not in p.read_text(encoding="utf-8")]


def _print(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()[:16]


def measured(jobs: int, again: bool, root: Path = ROOT) -> dict[str, dict[str, Any]]:
    """By test file its seconds and the lines of the core that it runs, by module."""
    KEPT.mkdir(exist_ok=True)
    kept_at = KEPT / "covered.json"
    known: dict[str, dict[str, Any]] = (
        {} if again or not kept_at.exists() else json.loads(kept_at.read_text())
    )
    files = core_tests(root)
    wanted = [p for p in files if known.get(p.name, {}).get("print") != _print(p)]
    if wanted:
        print(
            f"measuring what {len(wanted)} test files cover (once, {len(wanted) // (2 * jobs) + 1} minutes or so)",
            flush=True,
        )
    with ThreadPoolExecutor(jobs) as pool:
        for path, found in zip(wanted, pool.map(lambda p: _covered(p, root), wanted)):
            known[path.name] = found | {"print": _print(path)}
            kept_at.write_text(json.dumps(known))
    return {p.name: known[p.name] for p in files}


def _covered(path: Path, root: Path) -> dict[str, Any]:
    import coverage

    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder) / "data"
        source = ",".join(str(root / "src" / "rod_tally" / p) for p in CORE)
        command = [sys.executable, "-m", "coverage", "run", f"--data-file={data}", f"--source={source}"]
        command += ["-m", "pytest", "-q", "-p", "no:cacheprovider", str(path)]
        began = time.monotonic()
        subprocess.run(command, cwd=root, env=_quiet(root), capture_output=True, check=False)
        seconds = time.monotonic() - began
        found = coverage.CoverageData(basename=str(data))
        found.read()
        lines = {
            Path(f).relative_to(root).as_posix(): sorted(found.lines(f) or ()) for f in found.measured_files()
        }
        return {"seconds": seconds, "lines": lines}


def _quiet(root: Path) -> dict[str, str]:
    threads = dict.fromkeys(("MKL_NUM_THREADS", "OMP_NUM_THREADS"), "1")
    return {**os.environ, **threads, "PYTHONPATH": str(root / "src"), "PYTHONDONTWRITEBYTECODE": "1"}


# -- trying them ---------------------------------------------------------------------------------------------


def copies(count: int) -> Iterator[Path]:
    """Copies of the tree that can be made wrong."""
    for _ in range(count):
        folder = Path(tempfile.mkdtemp(prefix="mutants-"))
        for name in COPIED:
            own = ROOT / name
            if own.is_dir():
                shutil.copytree(own, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
            elif own.exists():
                shutil.copy(own, folder / name)
        yield folder


def tried(
    mutant: Mutant, covered: dict[str, dict[str, Any]], root: Path, budget: float = float("inf")
) -> str:
    """ "noticed", "not noticed", or "not covered" by any test, of a mutant made in a copy of the tree. The
    quickest test files come first; beyond `budget` seconds of them, as they were measured, no more are run."""
    tests = [n for n, c in covered.items() if mutant.line in c["lines"].get(mutant.module, ())]
    if not tests:
        return "not covered"
    path = root / mutant.module
    source = path.read_text(encoding="utf-8")
    text = mutated(source, mutant)
    if text is None or text == source:
        return "no fault"
    path.write_text(text, encoding="utf-8")
    try:
        spent = 0.0
        for name in sorted(tests, key=lambda n: covered[n]["seconds"]):
            spent += covered[name]["seconds"]
            if spent > budget and spent > covered[name]["seconds"]:
                return "not noticed in the time given"
            command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", f"tests/{name}"]
            limit = min(SLOW, 60 + 5 * covered[name]["seconds"])
            try:
                done = subprocess.run(
                    command, cwd=root, env=_quiet(root), capture_output=True, timeout=limit, check=False
                )
            except subprocess.TimeoutExpired:
                return "noticed"
            if done.returncode not in (0, 5):  # 5: nothing in it that can run here
                return "noticed"
        return "not noticed"
    finally:
        path.write_text(source, encoding="utf-8")


def shown(mutant: Mutant) -> str:
    """The change as a difference of two lines."""
    source = (ROOT / mutant.module).read_text(encoding="utf-8")
    other = mutated(source, mutant) or source
    lines = difflib.unified_diff(source.splitlines(), other.splitlines(), lineterm="", n=0)
    changed = [line for line in lines if line[:1] in "+-" and line[:3] not in ("+++", "---")]
    return "\n".join([f"{mutant.module}:{mutant.line}", *(f"    {line}" for line in changed)])


def main() -> None:
    p = argparse.ArgumentParser(prog="run mutants", description="Do the tests fail when the core is wrong?")
    p.add_argument("--seed", type=int, default=1, help="which are drawn (1)")
    p.add_argument("--number", type=int, default=200, help="how many (200)")
    p.add_argument(
        "--jobs", type=int, default=os.cpu_count() or 1, help="how many at once (a processor each)"
    )
    p.add_argument("--map", action="store_true", help="measure again what each test file covers")
    p.add_argument(
        "--budget", type=float, default=float("inf"), help="seconds of tests for each mutant (no limit)"
    )
    given = p.parse_args()
    covered = measured(given.jobs, given.map)
    found = drawn(given.number, given.seed)
    trees: SimpleQueue[Path] = SimpleQueue()
    own = list(copies(given.jobs))
    for tree in own:
        trees.put(tree)

    def one(mutant: Mutant) -> str:
        tree = trees.get()
        try:
            return tried(mutant, covered, tree, given.budget)
        finally:
            trees.put(tree)

    outcomes: dict[str, list[Mutant]] = {}
    try:
        with ThreadPoolExecutor(given.jobs) as pool:
            for k, (mutant, outcome) in enumerate(zip(found, pool.map(one, found)), 1):
                outcomes.setdefault(outcome, []).append(mutant)
                if outcome != "noticed":
                    print(f"{outcome}: {shown(mutant)}", flush=True)
                if k % 10 == 0:
                    print(f"{k} of {len(found)} tried", flush=True)
    finally:
        for tree in own:
            shutil.rmtree(tree, ignore_errors=True)
    made = len(found) - len(outcomes.get("no fault", []))
    counts = ", ".join(f"{len(v)} {k}" for k, v in sorted(outcomes.items()))
    print(f"seed {given.seed}: {len(outcomes.get('noticed', []))} of {made} noticed ({counts})")


if __name__ == "__main__":
    main()
