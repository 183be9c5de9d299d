"""Utilisations and required reinforcement from a table, matched to parts and shown before and after."""

from __future__ import annotations

from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from rod_tally.desk.window import Window
from rod_tally.intake import IntakeError
from rod_tally.intake.design_results import read_design

from .desk_help import STEP, named, rested
from .frames import regular


def test_parts_are_found_by_id_tag_and_name_and_the_largest_row_counts(tmp_path: Path) -> None:
    m = regular(1, 1)
    a, b, c, d = list(m.members)[:4]
    m.members[b].tag, m.members[c].name = "T-7", "Edge beam"
    m.members[a].name = m.members[d].name = "Twin"
    path = tmp_path / "design.csv"
    path.write_text(
        f"Part;Utilisation;As req [cm2/m];Remark\n{a};0,82;3,1;ok\nT-7;0,4;;\nT-7;0,6;2,0;\nEdge beam;1,2;x;\n"
        "Twin;9;9;\nNobody;1;1;\n;;;\n"
    )
    found = read_design(path, m)
    assert found.names == ["Utilisation", "As req [cm2/m]"]
    assert found.values == {
        a: {"Utilisation": 0.82, "As req [cm2/m]": 3.1},
        b: {"Utilisation": 0.6, "As req [cm2/m]": 2.0},
        c: {"Utilisation": 1.2},
    }
    why = dict(found.unread)
    assert why["column Remark"] == "it holds no numbers"
    assert why["row 6, Twin"] == "several parts have this name" and "row 7, Nobody" in why
    assert "'x' is no number" in why["row 5, As req [cm2/m]"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("Weight;Utilisation\n1;2\n", "which part"),
        ("Part;Remark\nm0;good\n", "no column of numbers"),
        ("Part;Utilisation\nNobody;1\n", "names no part"),
        ("", "which part"),
    ],
)
def test_what_cannot_be_used_is_said(tmp_path: Path, text: str, says: str) -> None:
    path = tmp_path / "design.csv"
    path.write_text(text)
    with pytest.raises(IntakeError, match=says):
        read_design(path, regular(1, 1))


def test_before_and_after_in_the_window_and_kept(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    w = demo
    for k, value in ((0, 0.5), (1, 0.9)):
        w.state.choose(k)
        path = tmp_path / f"{k}.csv"
        path.write_text(f"Name,Utilisation\nLoft B2-B3,{value}\n" + ("Loft B2-C2,0.3\n" if k else ""))
        w.session.take_design(path)
        rested(qtbot, w)
    w.state.go(STEP["Revision"])
    w.tables.show_table("again", 3)
    page = w.tables.front()
    assert page is not None
    rows = {r[0]: r[4:] for r in page.model.content.rows}
    assert rows["Loft B2-B3"][:3] == [0.5, 0.9, pytest.approx(1.8)]
    assert rows["Loft B2-C2"][:3] == [None, 0.3, None]
    # its demand rose too, so there is nothing to say of it; of what rose without a result now there is
    assert rows["Loft B2-B3"][3] is None and rows["Loft B2-C2"][3] is None
    risen = [r for r in page.model.content.rows if r[-1] and "no design result now" in str(r[-1])]
    assert len(risen) > 5
    assert page.model.content.rows[0][0] == "Loft B2-B3"
    assert w.session.project is not None
    kept = w.session.project.design(w.state.revisions[1].id)
    assert kept is not None and kept.values[named(w, "Loft B2-B3")] == {"Utilisation": 0.9}
    assert kept == w.state.revisions[1].design
