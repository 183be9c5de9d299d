"""Members pasted as a table: ends by coordinates or nodes, units, what is filled down, and every fault by row
and column."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pytestqt.qtbot import QtBot

from rod_tally.desk.window import Window
from rod_tally.model import Model
from rod_tally.model.edits import AddMembers
from rod_tally.model.load_table import TableError
from rod_tally.model.member_table import read_members

from .desk_help import act, model_of, rested
from .frames import regular


def model() -> Model:
    m = regular(1, 1)
    m.origin = np.array([100.0, 200.0, 5.0])
    return m


def test_ends_by_coordinates_and_by_nodes_with_what_is_filled_down() -> None:
    m = model()
    node = next(iter(m.nodes))
    text = f"x1 [mm];y1 [mm];z1 [mm];end;section;name;ends;class\n100500;200000;5000;{node};HEB 200;one;pinned;brace\n100000;201000,5;5000;{node};;two;;"
    one, two = read_members(text, m)
    assert one["start"] == pytest.approx([0.5, 0, 0]) and one["end"] == pytest.approx(
        m.nodes[node].point.tolist()
    )
    assert one["section"] == two["section"] == "HE 200 B" and one["name"] == "one" and one["class"] == "brace"
    assert (one["pinned_start"], one["pinned_end"], two["pinned_start"]) == (True, True, False)
    assert two["start"] == pytest.approx([0, 1.0005, 0]) and "class" not in two
    before = set(m.members)
    AddMembers([one, two]).apply(m)
    assert {m.members[i].name for i in set(m.members) - before} == {"one", "two"}


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.tuples(*[st.floats(-1e3, 1e3).map(lambda v: round(v, 3))] * 6), min_size=1, max_size=5),
    st.sampled_from(["m", "mm", "ft", "cm"]),
)
def test_any_unit_gives_the_same_places(rows: list[tuple[float, ...]], unit: str) -> None:
    factor = {"m": 1.0, "mm": 1e-3, "ft": 0.3048, "cm": 1e-2}[unit]
    rows = [r for r in rows if np.linalg.norm(np.subtract(r[3:], r[:3])) > 0.01]
    if not rows:
        return
    m = model()
    head = "\t".join([*(f"{c} [{unit}]" for c in ("x1", "y1", "z1", "x2", "y2", "z2")), "section"])
    text = "\n".join([head, *("\t".join([*(repr(v / factor) for v in r), "IPE 300"]) for r in rows)])
    for part, r in zip(read_members(text, m), rows):
        assert part["start"] + m.origin == pytest.approx(np.array(r[:3]), abs=1e-6)
        assert part["end"] + m.origin == pytest.approx(np.array(r[3:]), abs=1e-6)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("x1,y1,z1,section\n0,0,0,IPE 300", "neither x2 y2 z2 nor 'end'"),
        ("x1,y1,z1,x2,y2,z2\n0,0,0,1,0,0", "no column 'section'"),
        ("x1,y1,z1,x2,y2,z2,section\n0,0,0,0,0,0,IPE 300", "row 2: both ends"),
        ("x1,y1,z1,x2,y2,z2,section\n0,0,0,1,0,,IPE 300", "row 2, column 'z2': a number is needed"),
        ("x1,y1,z1,x2,y2,z2,section\n0,0,0,1,0,far,IPE 300", "row 2, column 'z2': 'far' is not a number"),
        ("x1,y1,z1,x2,y2,z2,section\n0,0,0,1,0,0,IPE 301", "row 2, column 'section': 'IPE 301'"),
        ("x1,y1,z1,x2,y2,z2,section\n0,0,0,1,0,0,", "row 2, column 'section': a section is needed"),
        ("start,end,section\nn0,nowhere,IPE 300", "row 2, column 'end': there is no node 'nowhere'"),
        ("start,end,section,ends\nn0,n1,IPE 300,glued", "row 2, column 'ends': 'glued'"),
        ("start,end,section,class\nn0,n1,IPE 300,arch", "row 2, column 'class': 'arch'"),
        (
            "start,end,section,material\nn0,n1,IPE 300,cheese",
            "row 2, column 'material': there is no material 'cheese'",
        ),
        ("x1 [kN],y1,z1,x2,y2,z2,section\n0,0,0,1,0,0,IPE 300", "does not measure"),
    ],
)
def test_faults_are_named_by_row_and_column(text: str, words: str) -> None:
    with pytest.raises(TableError) as error:
        read_members(text, model())
    assert words in str(error.value)


def test_in_the_window(loft: Window, qtbot: QtBot) -> None:
    act(loft, qtbot, "model.paste")
    page = loft.add_desk.page
    assert page is not None
    nodes = list(model_of(loft).nodes)
    before = len(model_of(loft).members)
    page.text.setPlainText(f"start\tend\tsection\n{nodes[0]}\t{nodes[-1]}\tIPE 309")
    assert "row 2" in page.message.text()
    page.text.setPlainText(f"start\tend\tsection\n{nodes[0]}\t{nodes[-1]}\tIPE 300")
    page.accept()
    rested(qtbot, loft)
    assert len(model_of(loft).members) == before + 1
    act(loft, qtbot, "edit.undo")
    assert len(model_of(loft).members) == before
