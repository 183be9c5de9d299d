"""Combinations that a source brings against the rules: every kind of difference planted once is found, and no
other."""

from __future__ import annotations

import copy

from hypothesis import given
from hypothesis import strategies as st

from rod_tally.checks import Subject, run_checks
from rod_tally.loads.combinations.audit import audit
from rod_tally.model import Combination, LoadCase, MemberLoad, Model, Settings
from rod_tally.review import review
from rod_tally.review.combining import made_combinations

from .frames import regular


def loaded() -> Model:
    model = regular()
    model.cases["Self-weight"] = LoadCase("Self-weight", "self-weight", self_weight=(0.0, 0.0, -1.0))
    beam = next(m for m in model.members.values() if m.cls == "beam")
    for name, kind, category in (("Floors", "live", "B"), ("Snow", "snow", ""), ("Wind x", "wind", "")):
        case = LoadCase(name, kind, category=category)
        case.member_loads = [MemberLoad(beam.id, 0.0, model.length(beam), (0, 0, -3e3), (0, 0, -3e3))]
        model.cases[name] = case
    return model


def rules(model: Model) -> list[Combination]:
    return made_combinations(model, Settings()).combinations


def test_the_rules_own_set_matches_itself() -> None:
    model = loaded()
    made = rules(model)
    found = audit(copy.deepcopy(made)[::-1], made, model.cases)
    keys = {tuple(sorted(c.factors.items())) for c in made}
    assert found.count("match") == len(made) and not found.count("factors") + found.count("extra")
    assert found.count("missing") == 0 and not found.unused and len(keys) > 5


def test_each_difference_is_found_once() -> None:
    model = loaded()
    made = rules(model)
    own = copy.deepcopy(made)
    gone = own.pop(2)
    changed = own[4]
    name = next(iter(changed.factors))
    changed.factors[name] += 0.1
    own.append(Combination("Odd", "strength", {"Snow": 2.0}))
    found = audit(own, made, model.cases)
    assert [r.name for r in found.rows if r.status == "extra"] == ["Odd"]
    (row,) = [r for r in found.rows if r.status == "factors"]
    assert row.name == changed.name and name in row.words and "instead of" in row.words
    missing = {r.name for r in found.rows if r.status == "missing"}
    same = {c.name for c in made if c.factors == gone.factors}
    assert gone.name in missing and missing <= same | {made[5].name, changed.name, gone.name}


@given(st.randoms())
def test_order_names_and_rounding_do_not_matter(random) -> None:  # type: ignore[no-untyped-def]
    model = loaded()
    made = rules(model)
    own = []
    for k, c in enumerate(made):
        items = list(c.factors.items())
        random.shuffle(items)
        own.append(Combination(f"LC {k}", "", {n: v + random.uniform(-1e-4, 1e-4) for n, v in items}))
    random.shuffle(own)
    found = audit(own, made, model.cases)
    assert found.count("match") == len(own) and found.count("missing") == 0


def test_a_case_in_no_combination_is_a_finding_and_the_review_says_why_it_cannot_tell() -> None:
    model = loaded()
    model.combinations = [Combination("C1", "strength", {"Self-weight": 1.35, "Floors": 1.5, "Snow": 0.0})]
    found = [f for f in run_checks(Subject(model)) if f.code == "combination.unused"]
    assert len(found) == 1 and found[0].ids == ("Snow", "Wind x") and found[0].severity == "warning"
    done = review(model, Settings())
    told = done.audit
    assert not isinstance(told, str) and told.unused == ["Snow", "Wind x"]
    model.cases["Snow"].kind = ""
    done.model_changed()
    assert isinstance(done.audit, str) and "Snow" in done.audit
    model.combinations = []
    done.model_changed()
    assert isinstance(done.audit, str) and "brings no" in done.audit
    assert not [f for f in run_checks(Subject(model)) if f.code == "combination.unused"]
