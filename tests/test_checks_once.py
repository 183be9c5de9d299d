"""Checks are made once where a model's modes come after its run, and find what they find when all comes at
once."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from rod_tally.checks.registry import BESIDE, Subject
from rod_tally.demo.loads import demo_loads
from rod_tally.demo.tower import write_tower
from rod_tally.model import Model, Settings
from rod_tally.review import review
from rod_tally.review.work import add_dynamics, check_unrun, first_look, read_model, run_statically


@pytest.mark.parametrize("building", ["loft", "tower"])
def test_the_findings_are_those_of_a_review_in_one(building: str, loft_b: Path, tmp_path: Path) -> None:
    settings = Settings()
    settings.transfer.slabs = "two-way" if building == "loft" else "auto"
    if building == "tower":
        write_tower(tmp_path / "tower.ifc", 2, 2, 2)
    model = read_model(loft_b if building == "loft" else tmp_path / "tower.ifc", settings)
    if building == "loft":
        for edit in demo_loads(model):
            edit.apply(model)
    whole = review(model, settings)
    looked = check_unrun(first_look(model, settings))[1]
    done, kept = run_statically(model, settings, before=looked)
    assert done.checked is not None and _kept(looked.found, done.checked.found) > 15
    after = add_dynamics(done, kept)
    assert after.checked is not None and _kept(done.checked.found, after.checked.found) > 50
    of_after, of_whole = (
        [(f.code, f.severity, f.ids, f.message) for f in x.findings] for x in (after, whole)
    )
    assert of_after == of_whole


def _kept(before: dict[Any, Any], after: dict[Any, Any]) -> int:
    """Of how many checks what they found was kept."""
    return sum(after.get(function) is found for function, found in before.items())


def test_what_asks_for_modes_is_made_again() -> None:
    """By what is asked for, not by a list that somebody has to keep."""
    watched = Subject(Model())
    for name in BESIDE:
        watched.asked.clear()
        getattr(watched, name)
        assert watched.asked == {name}
    watched.asked.clear()
    assert watched.members_at == {} and watched.asked == {"geometry"}
