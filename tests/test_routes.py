"""Two exports of one building by two ways: which lost what, in one finding."""

from __future__ import annotations

from copy import deepcopy

import pytest

from rod_tally.compare import Side, compare
from rod_tally.compare.routes import held_by_both
from rod_tally.model import PINNED_END, Combination, LoadCase, MemberLoad, Model

from .frames import regular


def full() -> Model:
    m = regular(2, 2)
    m.kind, m.schema = "analytical", "tables"
    for x in m.members.values():
        if x.cls == "beam":
            x.release_start = PINNED_END
    beam = next(i for i, x in m.members.items() if x.cls == "beam")
    m.cases["Q"] = LoadCase("Q", "live", member_loads=[MemberLoad(beam, 0, 1, (0, 0, -1e3), (0, 0, -1e3))])
    m.combinations = [Combination("1", "strength", {"Q": 1.5})]
    m.groups = {"core": [beam]}
    return m


def bare(m: Model) -> Model:
    """As an export that holds parts alone."""
    out = deepcopy(m)
    out.schema = "IFC4"
    for x in out.members.values():
        x.release_start = type(x.release_start)()
    out.cases, out.combinations, out.groups = {}, [], {}
    return out


def told(a: Model, b: Model) -> list[str]:
    return [f.message for f in compare(Side(a), Side(b)).findings if f.code == "match.routes"]


def test_what_one_way_lost_is_said_once_whichever_comes_first() -> None:
    m = full()
    count = sum(x.cls == "beam" for x in m.members.values())
    (text,) = told(m, bare(m))
    assert f"the revision has 0 released ends ({count} in the baseline)" in text
    for what in ("load cases", "loads", "combinations", "groups"):
        assert f" {what} (1 in the baseline)" in text
    assert "the baseline has" not in text and "section" not in text
    (back,) = told(bare(m), m)
    assert f"the baseline has 0 released ends ({count} in the revision)" in back


def test_a_revision_by_the_same_way_and_another_building_say_nothing() -> None:
    m = full()
    same = bare(m)
    same.schema = m.schema
    assert told(m, same) == []
    other = regular(2, 2, bay=9.0)
    other.kind, other.schema = "analytical", "IFC4"
    assert told(m, other) == []
    whole = deepcopy(m)
    whole.schema = "IFC4"
    assert told(m, whole) == []


@pytest.mark.parametrize(
    "without, what",
    [("section", "members with a section"), ("E", "parts with stiffness"), ("density", "parts with density")],
)
def test_stiffness_and_weight_are_counted(without: str, what: str) -> None:
    a, b = full(), full()
    if without == "section":
        for x in b.members.values():
            x.section = ""
    else:
        for name, x in b.materials.items():
            b.materials[name] = type(x)(
                **{k: None if k == without else getattr(x, k) for k in x.__dataclass_fields__}
            )
    rows = compare(Side(a), Side(b)).parts
    (held,) = [h for h in held_by_both(a, b, rows) if h.what == what]
    assert held.baseline == held.of == len(a.members) and held.revised == 0 and held.missing == 1.0
