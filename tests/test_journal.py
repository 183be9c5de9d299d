"""Taking a correction back: tables note what is changed in them, and give it back in its order."""

from __future__ import annotations

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from rod_tally.model import Model
from rod_tally.model.journal import Journal, Table

KEYS = st.sampled_from("abcdef")
STEPS = st.lists(
    st.tuples(
        st.sampled_from(["set", "del", "pop", "popitem", "setdefault", "update", "or", "clear"]),
        KEYS,
        st.integers(),
    ),
    max_size=12,
)


def do(table: dict[str, Any], step: str, key: str, value: int) -> None:
    if step == "set":
        table[key] = value
    elif step == "del" and key in table:
        del table[key]
    elif step == "pop":
        table.pop(key, None)
    elif step == "popitem" and table:
        table.popitem()
    elif step == "setdefault":
        table.setdefault(key, value)
    elif step == "update":
        table.update({key: value}, g=value)
    elif step == "or":
        table |= {key: value, "h": value}
    elif step == "clear":
        table.clear()


@given(st.lists(KEYS, unique=True), STEPS, STEPS, st.booleans())
def test_any_change_of_a_table_is_taken_back(
    keys: list[str], first: list[Any], second: list[Any], replaced: bool
) -> None:
    """Twice, the second time first; also where another table took its place, in part or as a whole."""
    model = Model(members={k: k for k in keys})  # type: ignore[misc]
    states, journals = [], []
    for steps in (first, second):
        states.append(list(model.members.items()))
        before = Journal(model)
        plain = dict(model.members)
        for step in steps:
            do(model.members, *step)
            do(plain, *step)
        if replaced:
            model.members = dict(reversed(model.members.items()))
            plain = dict(reversed(plain.items()))
        assert list(model.members.items()) == list(plain.items()), "it is a dictionary like any other"
        assert list(before.members.items()) == states[-1]
        changed = [k for k in {**dict(states[-1]), **plain} if dict(states[-1]).get(k) is not plain.get(k)]
        assert before.others("members", model) == changed
        before.close(model)
        journals.append(before)
    while journals:
        journals.pop().undo(model)
        assert list(model.members.items()) == states.pop()


@given(st.lists(KEYS, unique=True), STEPS, st.booleans())
def test_a_change_that_fails_halfway_is_taken_back(keys: list[str], steps: list[Any], replaced: bool) -> None:
    model = Model(members={k: k for k in keys}, groups={"g": ["a"]})  # type: ignore[misc]
    was = list(model.members.items())
    before = Journal(model)
    for step in steps:
        do(model.members, *step)
    model.groups["g"].append("b")
    model.lifting.append("a")
    if replaced:
        model.members = {}
    before.undo(model)
    assert list(model.members.items()) == was
    assert model.groups == {"g": ["a"]} and model.lifting == []
    assert not isinstance(model.members, Table) or model.members.old is None


def test_what_did_not_change_is_not_kept() -> None:
    model = Model(members={str(k): str(k) for k in range(500)})  # type: ignore[misc]
    before = Journal(model)
    model.members["7"] = "another"  # type: ignore[assignment]
    before.close(model)
    assert before.rest == {} and list(before._large["members"].old) == ["7"]
