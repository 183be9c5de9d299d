"""Every setting is in the project: changed, kept, opened again, compared; and what changes a number makes old
results old."""

from __future__ import annotations

import copy
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from rod_tally.model import Settings, SettingsError
from rod_tally.project import Project
from rod_tally.project.prints import other_settings, settings_print

# what a table without entries of its own may hold
EXAMPLES: dict[str, Any] = {
    "transfer.profiles": {"X": "IPE 300"},
    "transfer.materials": {"M": "C30/37"},
    "compare.tolerance": {"my": {"relative": 0.2}},
    "transfer.supports.springs": [1e6, 2e6, 3e6, 4e6, 5e6, 6e6],
    "report.chapters": {"forces": "short"},
    "findings.severity": {"join.gap": "note"},
    "modes.mass": {"q": 0.3},
    "run.cases": ["q"],
    "limits": [{"quantity": "mx", "most": 4.0e4, "kind": "strength"}],
    "joints": [{"walls": ["a", "b"], "shear": 5.0e4, "storey": "S"}],
    "cuts": [{"name": "c", "storey": "S", "from": [0.0, 1.0], "to": [2.0, 3.0]}],
    "combinations.standard": "ASCE 7-22",
    "transfer.choose.materials": ["steel"],
}


def leaves(values: dict[str, Any], path: str = "") -> Iterator[str]:
    for key, value in values.items():
        own = f"{path}.{key}" if path else key
        if isinstance(value, dict) and value and own not in EXAMPLES:
            yield from leaves(value, own)
        else:
            yield own


def others(path: str, value: Any) -> Iterator[Any]:
    """Other values that a setting may take."""
    if path in EXAMPLES:
        yield EXAMPLES[path]
    if isinstance(value, bool):
        yield not value
    elif isinstance(value, int | float):
        yield from (value * 1.25, value * 0.75, value + 1, 0.5, 1, 5)
    words = (
        "fixed pinned roller spring shell column auto two-way one-way analytical physical node section 2.1 3.0 "
        "free rigid x y none all structural"
    )
    yield from (w for w in [*words.split(), 0.5, 5, True, ["X"], {"X": 0.5}, {"X": "X"}] if w != value)


def put(values: dict[str, Any], path: str, value: Any) -> dict[str, Any]:
    out = copy.deepcopy(values)
    *tables, key = path.split(".")
    at = out
    for t in tables:
        at = at.setdefault(t, {})
    at[key] = value
    return out


def full() -> dict[str, Any]:
    """All settings with their defaults; those that are absent by default among them."""
    import msgspec

    return dict(msgspec.to_builtins(Settings()))


def changed(path: str) -> Settings:
    plain = Settings().to_dict()
    at: Any = full()
    for key in path.split("."):
        at = at[key]
    for other in others(path, at):
        try:
            found = Settings.from_dict(put(plain, path, other))
        except SettingsError:
            continue
        if found != Settings():
            return found
    raise AssertionError(f"no other value of {path} was found: give EXAMPLES one")


PATHS = sorted(leaves(full()))


@pytest.mark.parametrize("path", PATHS)
def test_a_setting_is_kept_with_the_project(path: str, tmp_path: Path) -> None:
    own = changed(path)
    project = Project.create(tmp_path / "p.rodtally")
    project.save_settings(own)
    project.close()
    again = Project.open(tmp_path / "p.rodtally")
    assert again.settings() == own and json.dumps(again.settings().to_dict()) == json.dumps(own.to_dict())
    again.close()


@pytest.mark.parametrize("path", [p for p in PATHS if p.split(".")[0] in ("run", "mesh")])
def test_what_changes_a_number_makes_results_old(path: str) -> None:
    own = changed(path)
    same = settings_print(own) == settings_print(Settings())
    # which cases are computed, and when is asked, changes no number of what was computed
    assert same == (path in ("run.cases", "run.ask_above"))
    assert (f"{path} is " in other_settings(Settings(), own)) != same
