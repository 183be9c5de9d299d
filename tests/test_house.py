"""Each package imports only lower layers, and the core never imports Qt or VTK."""

from __future__ import annotations

import ast
import io
import shutil
import subprocess
import sys
import tokenize
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
VAGUE = ("What", "Whether", "Of")  # no docstring begins so
QUESTIONS = ("How", "Which", "Where", "Why")  # nor that of a class or a module
LONGEST = 110  # characters of a line
PLANTED = {
    "model": "from rod_tally.checks import registry\n",
    "checks": "import PyQt6.QtCore\n",
    "analysis": "import rod_tally.review\n",
}


@pytest.mark.parametrize("package", PLANTED)
def test_an_import_the_wrong_way_is_caught(tmp_path: Path, package: str) -> None:
    """A violation planted in a copy of the house breaks the contract."""
    shutil.copytree(
        ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info", "fonts")
    )
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    (tmp_path / "src" / "rod_tally" / package / "planted.py").write_text(PLANTED[package])
    code = "import sys; sys.path.insert(0, 'src'); from importlinter.cli import lint_imports; sys.exit(lint_imports(no_cache=True))"
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 1, done.stdout + done.stderr
    assert "BROKEN" in done.stdout


BLOCKED = """
import sys
import tokenize
class Wall:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] in ("PyQt6", "vtkmodules", "vtk", "pyvista", "pyvistaqt", "pyqtgraph", "qtawesome"):
            raise ImportError("blocked: " + name)
sys.meta_path.insert(0, Wall())
from rod_tally.cli import main
sys.exit(main(["review", sys.argv[1], "--out", sys.argv[2], "--against", sys.argv[1]]))
"""


def test_a_review_runs_with_the_interface_packages_blocked(tmp_path: Path, loft_b: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-c", BLOCKED, str(loft_b), str(tmp_path / "out")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "out" / "review.json").exists()


def test_the_demo_files_are_those_the_script_writes(tmp_path: Path, loft_a: Path, loft_b: Path) -> None:
    from rod_tally.demo.loft import make

    for revision, shipped in (("A", loft_a), ("B", loft_b)):
        make(revision).write(tmp_path / "made.ifc")
        made = (tmp_path / "made.ifc").read_text().split("DATA;")[1]
        assert made == shipped.read_text().split("DATA;")[1]


def test_every_check_of_the_contract_is_registered() -> None:
    from rod_tally.checks import checks
    from rod_tally.review import STEPS

    wanted = {
        "join.gap",
        "join.loose_end",
        "join.crossing",
        "join.duplicate",
        "join.island",
        "join.short",
        "support.none",
        "support.base_free",
        "support.unstable",
        "stability.mechanism",
        "release.unstable",
        "section.missing",
        "section.unknown",
        "material.missing",
        "material.stiffness",
        "material.density",
        "load.uncarried",
        "load.empty",
        "load.direction",
        "load.twice",
        "equilibrium.residual",
        "displacement.large",
        "source.unread",
        "source.moved",
        "case.untyped",
    }
    assert wanted <= set(checks())
    assert set(checks()) <= {c for s in STEPS for c in s.codes}


def test_there_is_no_circle_of_imports_and_no_crowded_room() -> None:
    """Every module is reached from itself by no chain of imports, not even for types; a package holds fifteen
    at the most."""
    source = ROOT / "src" / "rod_tally"
    names: dict[str, Path] = {}
    for p in source.rglob("*.py"):
        parts = list(p.relative_to(source.parent).with_suffix("").parts)
        names[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = p
    graph: dict[str, set[str]] = {n: set() for n in names}
    for name, path in names.items():
        base = name if path.name == "__init__.py" else name.rpartition(".")[0]
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom):
                up = base.split(".")[: len(base.split(".")) - (node.level - 1)] if node.level else []
                stem = ".".join(up + (node.module.split(".") if node.module else []))
                for a in node.names:
                    target = f"{stem}.{a.name}" if f"{stem}.{a.name}" in names else stem
                    if target in names and target != name and names[target].name != "__init__.py":
                        graph[name].add(target)

    def reached(start: str) -> set[str]:
        seen: set[str] = set()
        todo = [start]
        while todo:
            for n in graph[todo.pop()] - seen:
                seen.add(n)
                todo.append(n)
        return seen

    assert [n for n in names if n in reached(n)] == []
    for folder in {p.parent for p in names.values()}:
        assert len(list(folder.glob("*.py"))) <= 16, folder  # with its __init__


def test_names_of_files_to_write_are_asked_for_in_one_place() -> None:
    """Which adds the ending, and asks before it replaces a file that the dialog did not ask about."""
    asking = [
        p.name for p in (ROOT / "src").rglob("*.py") if "getSaveFileName" in p.read_text(encoding="utf-8")
    ]
    assert asking == ["save_name.py"]


def test_lines_are_short_but_for_messages_and_tables_of_numbers() -> None:
    """The formatter wraps code; docstrings and comments it leaves as they are."""
    long = []
    for path in sorted((ROOT / "src").rglob("*.py")):
        text = path.read_text(encoding="utf-8")
        if len(max(text.split("\n"), key=len)) <= LONGEST:
            continue
        tree = ast.parse(text)
        documented = (ast.Module, ast.ClassDef, ast.FunctionDef)
        docs = [ast.get_docstring(n, clean=False) or "" for n in ast.walk(tree) if isinstance(n, documented)]
        tokens = tokenize.generate_tokens(io.StringIO(text).readline)
        comments = [t.line for t in tokens if t.type == tokenize.COMMENT and t.line.strip().startswith("#")]
        lines = [line for part in (*docs, *comments) for line in part.rstrip("\n").split("\n")]
        long += [(path.name, line) for line in lines if len(line) > LONGEST]
    assert long == []


def test_the_window_stands_before_the_slow_parts_of_scipy_are_loaded() -> None:
    code = "import sys, rod_tally.desk.window; print([n for n in sys.argv[1:] if n in sys.modules])"
    slow = ["scipy.spatial", "scipy.optimize", "scipy.integrate", "pyvista"]
    done = subprocess.run([sys.executable, "-c", code, *slow], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_docstrings_say_what_they_are_of() -> None:
    """A function's is imperative, as in "Return the …", a class's and a module's begins with what it is:
    "What …", "Whether …" and "Of …" leave that to the reader."""
    vague = []
    documented = (ast.Module, ast.ClassDef, ast.FunctionDef, ast.AsyncFunctionDef)
    for path in sorted((ROOT / "src").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            text = ast.get_docstring(node) if isinstance(node, documented) else None
            things = isinstance(node, ast.Module | ast.ClassDef)
            if text and text.split()[0] in (*VAGUE, *(QUESTIONS if things else ())):
                vague.append(f"{path.name}: {getattr(node, 'name', '')}: {text.splitlines()[0]}")
    assert not vague, "\n".join(vague)
