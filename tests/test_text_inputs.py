"""What users paste and write: any text is either taken or refused in words."""

from __future__ import annotations

import contextlib

from hypothesis import given, settings
from hypothesis import strategies as st

from rod_tally.loads.rules import RulesError, parse
from rod_tally.model.edits import AddCases, AddLoads, EditError
from rod_tally.model.load_table import TableError, read_cases, read_curve, read_loads, read_storey_forces

from .floors import floor

WORDS = st.sampled_from(
    ["case", "kind", "on", "a", "b", "fx", "fz", "fz [N]", "outline", "live", "node", "member", "surface", "area", "line", "n4",
     "m4", "s", "-1", "2,5", "1e400", "nan", "", "0 0 3; 1 0 3; 0 1 3", "0 0 3 | 1 1 3", "storey", "period", "sa", "yes", "B", "x y z"]
)  # fmt: skip
TABLES = st.lists(st.lists(WORDS, min_size=1, max_size=6).map("\t".join), min_size=1, max_size=6).map("\n".join)
RULES = st.lists(
    st.lists(
        st.sampled_from(["set", "psi", "group", "combination", "live.B", "G", "=", "dead", ",", "strength", "6.10:", "1.35", "+", "+-",
                         "lead", "others", "must", "psi0", "|", "0.7", "#", "0.85*1.35", "snow"]),
        max_size=8,
    ).map(" ".join),
    max_size=6,
).map("\n".join)  # fmt: skip


@given(TABLES)
@settings(max_examples=300, deadline=None)
def test_any_pasted_table_is_taken_or_told(text: str) -> None:
    m = floor()
    with contextlib.suppress(TableError, EditError):
        for case, loads in read_loads(text, m).items():
            AddLoads(case, loads).apply(m)
    with contextlib.suppress(TableError, EditError):
        AddCases(read_cases(text)).apply(m)
    for read in (read_curve, lambda t: read_storey_forces(t, m)):
        with contextlib.suppress(TableError):
            read(text)


@given(st.text(max_size=200))
@settings(max_examples=200, deadline=None)
def test_any_text_at_all_is_told(text: str) -> None:
    m = floor()
    with contextlib.suppress(TableError):
        read_loads(text, m)
    with contextlib.suppress(RulesError):
        parse(text)


@given(RULES)
@settings(max_examples=300, deadline=None)
def test_any_rule_file_is_taken_or_told_with_its_line(text: str) -> None:
    try:
        parse(text, "own.rules")
    except RulesError as error:
        assert str(error).startswith("own.rules")
