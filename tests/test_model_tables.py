"""Models as tables: read back as written, in any unit; one building by two doors; faults named by row and
column."""

from __future__ import annotations

import csv
import random
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from openpyxl import load_workbook
from pytestqt.qtbot import QtBot

from rod_tally.analysis import run
from rod_tally.cli import main
from rod_tally.compare import compare
from rod_tally.compare.results import Side
from rod_tally.demo.tower import write_tower
from rod_tally.desk.window import Window
from rod_tally.intake import IntakeError, read_source
from rod_tally.make import Recipe, make
from rod_tally.model import Model, Settings
from rod_tally.model.edits import AddLoads
from rod_tally.model.settings import RunSettings
from rod_tally.output.model_tables import not_held, write_model_tables
from rod_tally.transfer import transfer

from .analytical_ifc import portal
from .desk_help import model_of, rested
from .test_hand_back_loads import rich


def taken(path: Path) -> Model:
    return transfer(read_source(path), Settings().transfer)


def tower(tmp_path: Path) -> Model:
    write_tower(tmp_path / "tower.ifc", 2, 2, 2)
    return taken(tmp_path / "tower.ifc")


def loft(tmp_path: Path) -> Model:
    return taken(next(Path("src").rglob("tern-quay-a.ifc")))


def facade(tmp_path: Path) -> Model:
    recipe = {
        "kind": "facade",
        "storeys": [3.5, 3.2],
        "spacings": [1.5, 1.8],
        "wind": 800.0,
        "pane_weight": 400.0,
        "sideways": True,
    }
    return make(Recipe.from_dict(recipe)).model


def loaded(tmp_path: Path) -> Model:
    """All kinds of loads, those that vary and moments that begin at zero among them."""
    m = rich()
    first = next(iter(m.members.values()))
    length = m.length(first)
    AddLoads(next(n for n, c in m.cases.items() if c.kind == "live"), [
        {"on": "member", "member": first.id, "a": 0.0, "b": length, "qa": (0, 0, 0), "qb": (0, 2e3, 0), "kind": "moment"},
        {"on": "member", "member": first.id, "a": 0.2, "b": length / 2, "qa": (0, 0, 0), "qb": (1e3, 0, 0), "local": True},
        {"on": "member", "member": first.id, "a": 0.5, "b": 0.5, "qa": (0, 1e3, 0), "qb": (0, 1e3, 0), "kind": "moment"},
    ]).apply(m)  # fmt: skip
    return m


MODELS: list[Callable[[Path], Model]] = [tower, loft, facade, loaded]


@pytest.mark.parametrize("as_files", [False, True])
@pytest.mark.parametrize("make_model", MODELS)
def test_what_is_written_is_read_back_whole(
    make_model: Callable[[Path], Model], as_files: bool, tmp_path: Path
) -> None:
    """Everything of the comparison is the same, and displacements and reactions are equal."""
    base = make_model(tmp_path)
    target = tmp_path / ("tables" if as_files else "tables.xlsx")
    _, lacking = write_model_tables(base, target)
    assert lacking == not_held(base)
    again = taken(target / "members.csv" if as_files else target)
    assert not again.skipped
    found = compare(Side(base), Side(again))
    for rows in (found.parts, found.supports, found.cases, found.combinations):
        changed = [r for r in rows if r.status != "same"]  # type: ignore[attr-defined]
        # a grade that is named gives what nobody stated
        assert all({c.what for c in r.changes} == {"material"} for r in changed), changed[:3]  # type: ignore[attr-defined]
    assert not found.loads
    one, two = run(base, RunSettings()), run(again, RunSettings())
    assert one.cases == two.cases and set(one.node_ids) == set(two.node_ids)
    order = [two.node_ids.index(n) for n in one.node_ids]
    n = len(one.node_ids)
    size = np.abs(one.displacement[:, :n]).max()
    assert np.abs(one.displacement[:, :n] - two.displacement[:, order]).max() <= 1e-8 * size
    assert one.reaction.sum(axis=1) == pytest.approx(
        two.reaction.sum(axis=1), rel=1e-9, abs=1e-6 * np.abs(one.reaction).max()
    )


SIMPLE = {
    "nodes.csv": "node;x [mm];y [mm];z [mm];support\n1;0;0;0;ux uy uz rx\n2;6000;0;0;uy uz\n",
    "members.csv": "member;start node;end node;section;material\nB1;1;2;R;S355\n",
    "sections.csv": "section;area [cm2];iy [cm4];iz [cm4];j [cm4]\nR;80;10666,7;2666,7;7320\n",
    "materials.csv": "material;category;e [GPa];poisson;density [kg/m3]\nS355;steel;210;0,3;7850\n",
    "loads.csv": "case;kind;on;fz [kN/m];a [mm];b [mm]\nQ;member;B1;-12;;\nP;member;B1;-9;2000;2000\n",
}


def simple(tmp_path: Path, **changed: str) -> Path:
    for name, text in (SIMPLE | {f"{k}.csv": v for k, v in changed.items()}).items():
        (tmp_path / name).write_text(
            text.replace(
                "fz [kN/m];a [mm];b [mm]\nQ;member;B1;-12;;\nP", "fz [kN];a [mm];b [mm]\nQ;member;B1;-12;;\nP"
            )
        )
    return tmp_path / "members.csv"


def test_a_beam_in_tables_of_other_units_has_the_moments_of_a_handbook(tmp_path: Path) -> None:
    """q L^2 / 8 = 54 kN m, and P a b / L = 12 kN m (any table of simple beams), from millimetres, kN and
    decimal commas."""
    m = taken(simple(tmp_path))
    r = run(m, RunSettings(stations=13))
    my = r.force[:, :, 4]
    assert np.abs(my[r.case_index("Q")]).max() == pytest.approx(54e3, rel=1e-9)
    assert np.abs(my[r.case_index("P")]).max() == pytest.approx(9e3 * 2 * 4 / 6, rel=1e-9)
    slope = 12e3 * 6**3 / (24 * 210e9 * 10666.7e-8)  # q L^3 / 24 E I; no shear area is given
    turned = r.displacement[r.case_index("Q"), r.node_ids.index("1"), 4]
    assert abs(turned) == pytest.approx(slope, rel=1e-6)
    assert m.cases["Q"].kind == "" and m.cases["Q"].member_loads[0].qa == pytest.approx((0, 0, -12e3))


def test_one_building_by_two_doors(tmp_path: Path) -> None:
    """The portal as IFC, and as tables typed from its drawing: equal tallies, reactions and forces."""
    one = taken(portal().write(tmp_path / "portal.ifc"))
    section = next(iter(one.sections.values()))
    folder = tmp_path / "tables"
    folder.mkdir()
    steel = next(iter(one.materials.values()))
    (folder / "nodes.csv").write_text(
        "node,x,y,z,support\na,0,0,0,ux uy uz rx ry rz\nb,0,0,4,\nc,6,0,4,\nd,6,0,0,ux uy uz rx ry rz\n"
    )
    (folder / "members.csv").write_text(
        "member,start_node,end_node,section,material\nleft,a,b,R,M\nbeam,b,c,R,M\nright,d,c,R,M\n"
    )
    (folder / "sections.csv").write_text(
        f"section,shape,area,iy,iz,j,avy,avz\nR,rectangle,{section.area},{section.iy},{section.iz},{section.j},{section.avy},{section.avz}\n"
    )
    (folder / "materials.csv").write_text(
        f"material,e,g,density\nM,{steel.E},{steel.shear_modulus},{steel.density}\n"
    )
    (folder / "cases.csv").write_text("case,kind\nFloor,dead\nWind,wind\n")
    (folder / "loads.csv").write_text(
        "case,kind,on,fx [N],fz [N]\nFloor,member,beam,,-12000\nWind,node,b,20000,\n"
    )
    two = taken(folder / "nodes.csv")
    assert (len(one.members), len(one.nodes)) == (len(two.members), len(two.nodes))
    a, b = run(one, RunSettings()), run(two, RunSettings())
    assert set(a.cases) == set(b.cases)
    for case in a.cases:
        here, there = a.reaction[a.case_index(case)], b.reaction[b.case_index(case)]
        assert np.sort(here.ravel()) == pytest.approx(np.sort(there.ravel()), rel=1e-6, abs=1e-3)


@pytest.mark.parametrize(
    ("table", "text", "words"),
    [
        ("nodes", "node;x;y;colour\n1;0;0;0\n", "'colour', is not known"),
        ("nodes", "node;x;y\n1;0;0\n", "no column 'z'"),
        ("nodes", "node;x;x;y;z\n1;0;0;0;0\n", "there twice"),
        ("nodes", "node;x [kN];y;z\n1;0;0;0\n", "does not measure"),
        ("nodes", "node;x [cubit];y;z\n1;0;0;0\n", "cubit"),
        ("members", "member;start node;end node\nB1;7;8\n", "none of its rows"),
    ],
)
def test_tables_that_cannot_be_read(table: str, text: str, words: str, tmp_path: Path) -> None:
    path = simple(tmp_path, **{table: text})
    with pytest.raises(IntakeError, match=words):
        read_source(path)


MORE = "B2;1;3;R;S355;;\n"


@pytest.mark.parametrize(
    ("table", "row", "words"),
    [
        ("nodes", "3;abc;0;0;", "row 4, column 'x': 'abc' is not a number"),
        ("nodes", "3;;0;0;", "column 'x': a number is needed"),
        ("nodes", "1;3;0;0;", "'1' is there twice"),
        ("nodes", "3;1e300;0;0;", "beyond any building"),
        ("nodes", "3;1;0;0;sideways", "'sideways' is none of"),
        ("prices", "steel;2", "none of the tables of a model"),
        ("members", "B2;1;99;R;S355", "there is no node '99'"),
        ("members", "B2;1;1;R;S355", "no length"),
        ("members", "B1;1;2;R;S355", "'B1' is there twice"),
        ("sections", "Q;wide;1;1;1", "'wide' is not a number"),
        ("materials", "T;steel;stiff;0.3;1", "'stiff' is not a number"),
        ("loads", "Q;member;B9;-1;;", "there is no member 'B9'"),
        ("loads", "Q;member;B1;-1;7000;7000", "does not lie on a member"),
        ("loads", "Q;blast;B1;-1;;", "no kind of load"),
    ],
)
def test_rows_that_cannot_be_read_are_left_out_in_words(
    table: str, row: str, words: str, tmp_path: Path
) -> None:
    """The rest is read, and the finding names table, row and column."""
    path = simple(tmp_path, **{table: SIMPLE.get(f"{table}.csv", "name;price\n") + row + "\n"})
    out = tmp_path / "out"
    assert main(["review", str(path), "--out", str(out)]) in (0, 1)
    with (out / "findings.csv").open(encoding="utf-8") as f:
        told = [r["message"] for r in csv.DictReader(f) if r["code"] == "source.unread"]
    assert len(told) == 1 and words in told[0] and table in told[0], told


def test_combinations_of_cases_that_loads_alone_name(tmp_path: Path) -> None:
    m = taken(
        simple(tmp_path, combinations="combination;kind;case;factor\n1;ultimate;Q;1,5\n1;ultimate;P;1,35\n")
    )
    assert [c.factors for c in m.combinations] == [{"Q": 1.5, "P": 1.35}] and not m.skipped


def test_supports_in_words_and_a_node_whose_support_is_not_understood(tmp_path: Path) -> None:
    """What members end at is there all the same."""
    text = "node;x;y;z;support\n1;0;0;0;Fixed\n2;6;0;0;pinned\n3;9;0;0;on a wall\n"
    m = taken(
        simple(
            tmp_path,
            nodes=text,
            members="member;start node;end node;section;material\nB1;1;2;R;S355\nB2;2;3;R;S355\n",
        )
    )
    assert [n.support.words for n in m.nodes.values()] == ["ux uy uz rx ry rz", "ux uy uz", ""]
    assert len(m.members) == 2 and [s.cls for s in m.skipped] == ["support"]


def test_broken_tables_are_survived(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Cells changed, rows doubled and cut at random: a review or one line."""
    base = tmp_path / "base"
    write_model_tables(loaded(tmp_path), base)
    rng = random.Random(3)
    for k in range(25):
        folder = tmp_path / f"m{k}"
        folder.mkdir()
        hit = rng.choice(sorted(base.iterdir())).name
        for path in base.iterdir():
            rows = list(csv.reader(path.open(encoding="utf-8")))
            for _ in range(rng.randint(1, 3) if path.name == hit else 0):
                row = rng.choice(rows)
                row[rng.randrange(len(row))] = rng.choice(
                    ["", "x", "-1", "1e300", "nan", "0", "1 2 3", "ux=-5", "é;|"]
                )
            if path.name == hit and rng.random() < 0.3:
                rows.append(rng.choice(rows)[: rng.randint(0, 4)])
            with (folder / path.name).open("w", encoding="utf-8", newline="") as f:
                csv.writer(f).writerows(rows)
        status = main(["review", str(folder / "nodes.csv"), "--out", str(tmp_path / "out")])
        said = capsys.readouterr()
        assert status in (0, 1, 2) and "fault" not in said.err, (hit, said.err)


def test_the_tables_that_a_review_writes_can_be_taken_in(tmp_path: Path) -> None:
    """`nodes.csv` and `members.csv` of a review: the same nodes, members, supports and releases."""
    path = portal().write(tmp_path / "portal.ifc")
    assert main(["review", str(path), "--out", str(tmp_path / "out"), "--quiet"]) in (0, 1)
    one, two = taken(path), taken(tmp_path / "out" / "nodes.csv")
    assert len(one.members) == len(two.members)
    assert sorted(n.support.words for n in one.nodes.values()) == sorted(
        n.support.words for n in two.nodes.values()
    )


def test_the_command_line_writes_them(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = portal().write(tmp_path / "portal.ifc")
    assert main(["export", str(path), "--tables", str(tmp_path / "p.xlsx")]) == 0
    assert "tables written" in capsys.readouterr().out
    book = load_workbook(tmp_path / "p.xlsx")
    assert {"nodes", "members", "sections", "materials", "cases", "loads"} <= set(book.sheetnames)
    assert "x [m]" in [c.value for c in book["nodes"][1]]
    assert main(["export", str(path), "--tables", str(tmp_path)]) == 2
    assert "folder of the source" in capsys.readouterr().err
    assert main(
        ["review", str(tmp_path / "p.xlsx"), "--out", str(tmp_path / "out"), "--against", str(path)]
    ) in (0, 1)
    assert main(["review", str(tmp_path / "nowhere.csv"), "--out", str(tmp_path / "out")]) == 2
    (tmp_path / "prices.csv").write_text("a,b\n1,2\n")
    assert main(["review", str(tmp_path / "prices.csv"), "--out", str(tmp_path / "out")]) == 2
    assert "none of the tables" in capsys.readouterr().err


def test_a_workbook_is_taken_in_and_written_in_the_window(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    """By the same doors as any model; a revision of it compares as the same."""
    write_model_tables(rich(), tmp_path / "hall.xlsx")
    window.session.open(tmp_path / "hall.xlsx")
    rested(qtbot, window)
    assert len(model_of(window).members) == 8
    window.session.exports.model_tables(tmp_path / "out")
    rested(qtbot, window)
    window.session.take_in(tmp_path / "out" / "members.csv")
    rested(qtbot, window)
    done = window.state.review
    assert done is not None and done.comparison is not None
    assert {m.status for m in done.comparison.parts} == {"same"}
    before = (tmp_path / "out" / "nodes.csv").read_bytes()
    window.session.exports.model_tables(tmp_path / "out")
    rested(qtbot, window)
    assert "choose another name" in window.dialogs.message.text()
    window.dialogs.message.close()
    assert (tmp_path / "out" / "nodes.csv").read_bytes() == before
