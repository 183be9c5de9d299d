"""Results from elsewhere: units in headings, another order, other names, places for ids, and factors and
signs that are wrong."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from rod_tally.analysis.dynamics.modes import Mode
from rod_tally.compare.elsewhere import Elsewhere, compare_elsewhere
from rod_tally.demo.elsewhere import write_elsewhere
from rod_tally.desk.window import Window
from rod_tally.intake import IntakeError
from rod_tally.intake.result_tables import read_results
from rod_tally.model import FIXED, PINNED, Settings
from rod_tally.model.edits import SetSupport
from rod_tally.model.settings import CompareSettings
from rod_tally.output.document import document
from rod_tally.output.write import write_review
from rod_tally.review import Review, review
from rod_tally.review.work import attach_elsewhere, elsewhere_of

from .desk_help import act, rested
from .desk_help import rows as table
from .test_compare_everything import building, loaded

TABLES = ("displacements", "reactions", "member_forces")


@pytest.fixture(scope="module")
def done(tmp_path_factory: pytest.TempPathFactory) -> tuple[Review, Path]:
    options = Settings()
    options.modes.count = 0
    r = review(loaded(building()), options)
    folder = tmp_path_factory.mktemp("own")
    write_review(r, folder)
    return r, folder


def copy_of(
    folder: Path, to: Path, change: dict[str, tuple[str, float]] | None = None, drop: tuple[str, ...] = ()
) -> Path:
    """The three tables again: columns renamed and their values multiplied, columns left out, rows in another
    order."""
    to.mkdir(exist_ok=True)
    for name in TABLES:
        head, *rows = list(csv.reader((folder / f"{name}.csv").open()))
        keep = [k for k, h in enumerate(head) if h not in drop]
        change = change or {}
        with (to / f"{name}.csv").open("w", newline="") as f:
            out = csv.writer(f)
            out.writerow([change.get(head[k], (head[k], 1))[0] for k in keep])
            for row in reversed(rows):
                out.writerow(
                    [
                        str(float(row[k]) * change[head[k]][1]) if head[k] in change and row[k] else row[k]
                        for k in keep
                    ]
                )
    return to


def against(r: Review, folder: Path) -> Elsewhere:
    return elsewhere_of(r, folder)


def agree(e: Elsewhere) -> None:
    assert e.rows and not e.unmatched and not e.suspected
    for row in e.rows:
        assert row.theirs == pytest.approx(row.ours, rel=1e-6, abs=1e-6), row


def test_the_own_tables_agree(done: tuple[Review, Path]) -> None:
    e = against(*done)
    agree(e)
    counts = {
        n: sum(1 for _ in path.open()) - 1
        for n in (*TABLES, "wall_forces")
        if (path := done[1] / f"{n}.csv").exists()
    }
    plain = 6 * sum(counts.get(n, 0) for n in ("displacements", "reactions", "member_forces", "wall_forces"))
    cases = len({r.case for r in e.rows if r.table == "base"})
    storeys = sum(r.table == "storeys" for r in e.rows)
    assert cases >= 2 and storeys > 3 * cases
    assert len(e.rows) == plain + 3 * cases + storeys
    # what is of the whole building comes first
    assert [r.table for r in e.rows[: 3 * cases]] == ["base"] * 3 * cases and not e.columns


def test_units_in_headings_and_rows_by_place(done: tuple[Review, Path], tmp_path: Path) -> None:
    """Kilonewton, millimetre, degree and foot-pound forces, no node ids."""
    change = {
        "fz": ("fz [kN]", 1e-3), "mx": ("mx [lbf·ft]", 1 / (4.4482216152605 * 0.3048)), "uz": ("uz [mm]", 1e3), "rx": ("rx [deg]", 180 / np.pi),
        "x": ("x [mm]", 1e3), "n": ("N [kN]", 1e-3), "distance": ("distance [ft]", 1 / 0.3048),
    }  # fmt: skip
    agree(against(done[0], copy_of(done[1], tmp_path / "other", change, ("node",))))


def test_the_mapping_names_headings_cases_ids_and_signs(done: tuple[Review, Path], tmp_path: Path) -> None:
    folder = copy_of(done[1], tmp_path / "other", {"fz": ("R vertical [kN]", -1e-3)})
    text = (folder / "member_forces.csv").read_text()
    (folder / "member_forces.csv").write_text(
        text.replace(",X100,", ",beam 7,").replace("\nQ,", "\nLive load,")
    )
    (folder / "mapping.toml").write_text(
        '[headings]\n"R vertical" = "fz"\n[cases]\n"Live load" = "Q"\n[ids]\n"beam 7" = "X100"\n[signs]\nfz = -1\n'
    )
    agree(against(done[0], folder))


@pytest.mark.parametrize(
    "quantity, factor, kind",
    [
        ("fz", 1000.0, "factor"),
        ("n", -1.0, "sign"),
        ("uz", 1 / 0.3048, "factor"),
        ("vz", 4.4482216, "factor"),
        *(("fz", f, "factor") for v in (1e3, 1e6, 10.0, 100.0, 4.4482216, 9.80665, 12.0) for f in (v, 1 / v)),
    ],
)
def test_a_wrong_factor_or_sign_is_named_and_not_applied(
    done: tuple[Review, Path], tmp_path: Path, quantity: str, factor: float, kind: str
) -> None:
    e = against(done[0], copy_of(done[1], tmp_path / "other", {quantity: (quantity, factor)}))
    assert [(s.quantity, s.kind) for s in e.suspected] == [(quantity, kind)]
    assert e.suspected[0].value == pytest.approx(factor, rel=1e-6)
    off = [r for r in e.rows if r.quantity == quantity and abs(r.ours) > (1 if quantity != "uz" else 1e-5)]
    # beside a jump a row that is wrong may be nearer to the other side of it
    right = [r.theirs == pytest.approx(r.ours * factor, rel=1e-6) for r in off]
    assert np.mean(right) > 0.97
    assert any(f.code == "match.elsewhere" and quantity in f.message for f in e.findings)


def test_one_wrong_row_is_a_difference_and_no_suspicion(done: tuple[Review, Path], tmp_path: Path) -> None:
    folder = copy_of(done[1], tmp_path / "other")
    head, *rows = list(csv.reader((folder / "reactions.csv").open()))
    at = head.index("fz")
    rows[3][at] = str(float(rows[3][at]) * 1.5)
    with (folder / "reactions.csv").open("w", newline="") as f:
        csv.writer(f).writerows([head, *rows])
    e = against(done[0], folder)
    assert not e.suspected
    wrong = [r for r in e.rows if r.table != "base" and abs(r.difference) > 1e-3 * max(abs(r.ours), 1.0)]
    assert [(r.quantity, r.id) for r in wrong] == [("fz", rows[3][head.index("node")])]
    assert wrong[0].theirs == pytest.approx(1.5 * wrong[0].ours)


def test_what_matches_nothing_is_listed_with_a_reason(done: tuple[Review, Path], tmp_path: Path) -> None:
    folder = tmp_path / "other"
    folder.mkdir()
    (folder / "reactions.csv").write_text(
        "case;x;y;z;fz [kN]\nQ;500;0;0;1,5\nNo such;0;0;0;1\nQ;0;0;0;oops\n"
    )
    (folder / "member_forces.csv").write_text(
        "case,member,distance,n\nQ,X100,99,1\nQ,nobody,0,1\nQ,X100,,1\n"
    )
    e = against(done[0], folder)
    assert len(e.unmatched) == 6 and not e.rows
    assert all(u.reason for u in e.unmatched)
    attach_elsewhere(done[0], folder)
    told = document(done[0])["elsewhere"]
    assert len(told["unmatched"]) == 6 and any(f.code == "match.elsewhere" for f in done[0].findings)


@pytest.mark.parametrize(
    "text, why",
    [
        ("case,x\nQ,1\n", "needs a column"),
        ("case,x,fz [mm]\nQ,1,2\n", "does not measure"),
        ("case,x,fz [furlong]\nQ,1,2\n", "furlong"),
    ],
)
def test_a_table_that_cannot_be_read_says_where(tmp_path: Path, text: str, why: str) -> None:
    (tmp_path / "reactions.csv").write_text(text)
    with pytest.raises(IntakeError, match=why):
        read_results(tmp_path)


def test_a_workbook_is_read_like_the_folder(done: tuple[Review, Path], tmp_path: Path) -> None:
    from openpyxl import Workbook

    book = Workbook()
    for name in TABLES:
        sheet = book.create_sheet(name)
        head, *rows = list(csv.reader((done[1] / f"{name}.csv").open()))
        sheet.append(head)
        for row in rows:
            sheet.append(
                [
                    float(v) if h not in ("case", "node", "member", "id") and v else v
                    for h, v in zip(head, row)
                ]
            )
    book.save(tmp_path / "results.xlsx")
    agree(against(done[0], tmp_path / "results.xlsx"))


def test_a_name_that_is_another_place_does_not_match(done: tuple[Review, Path], tmp_path: Path) -> None:
    """Node names are given by programs: the place decides where a row has one."""
    folder = copy_of(done[1], tmp_path / "other")
    for name in ("displacements", "reactions"):
        head, *rows = list(csv.reader((folder / f"{name}.csv").open()))
        at = head.index("node")
        names = [r[at] for r in rows]
        for r, other in zip(rows, names[1:] + names[:1]):
            r[at] = other
        with (folder / f"{name}.csv").open("w", newline="") as f:
            csv.writer(f).writerows([head, *rows])
    agree(against(done[0], folder))
    text = (folder / "displacements.csv").read_text().splitlines()
    (folder / "displacements.csv").write_text("case,node,x,y,z,uz\nQ,N1,900,900,900,1.0\n")
    assert text and against(done[0], folder).unmatched


def test_headings_as_spreadsheets_write_them(done: tuple[Review, Path], tmp_path: Path) -> None:
    """Units in round brackets, spaces and underscores, decimal commas, tabs, a joint for a node, a case in
    capitals; a column that is not known is said."""
    folder = copy_of(done[1], tmp_path / "r")
    (folder / "member_forces.csv").unlink()
    (folder / "reactions.csv").unlink()
    head, *rows = csv.reader((folder / "displacements.csv").open())
    new = [
        "Load case",
        "Joint",
        "X (ft)",
        "Y (ft)",
        "Z (ft)",
        "U_x (mm)",
        "U y (mm)",
        "Uz (mm)",
        *head[8:],
        "Remark",
    ]
    factor = [1 / 0.3048] * 3 + [1e3] * 3 + [1.0] * 3
    lines = ["\t".join(new)]
    for row in rows:
        values = [f"{float(v) * k:.12g}".replace(".", ",") for v, k in zip(row[2:], factor)]
        lines.append("\t".join([row[0].upper(), row[1], *values, "none"]))
    (folder / "displacements.csv").write_text("\n".join(lines), encoding="utf-16")
    e = against(done[0], folder)
    assert len(e.rows) == 6 * len(rows) and not e.suspected
    assert not e.unmatched and any("'Remark'" in f.message for f in e.findings)
    for row in e.rows:
        assert row.theirs == pytest.approx(row.ours, rel=1e-6, abs=1e-9), row


def test_a_wrong_shear_does_not_change_the_side_of_a_jump(done: tuple[Review, Path], tmp_path: Path) -> None:
    """9.80665 on vz and the sign of my turned: both are named, for every row stands against its own side of a
    jump."""
    folder = copy_of(done[1], tmp_path / "r", {"vz": ("vz", 9.80665), "my": ("my", -1.0)})
    (folder / "reactions.csv").unlink()
    e = against(done[0], folder)
    found = {s.quantity: (s.kind, s.value) for s in e.suspected}
    assert found == {"vz": ("factor", 9.80665), "my": ("sign", -1.0)}
    assert {r.quantity for r in e.rows if abs(r.difference) > 1e-6 * max(abs(r.ours), 1e-3)} <= {"vz", "my"}


def test_another_heading_counts_only_where_the_own_one_is_missing(
    done: tuple[Review, Path], tmp_path: Path
) -> None:
    """A table with `case` and `combination`, `member` and `element` reads as it did; the columns beside are
    named."""
    folder = copy_of(done[1], tmp_path / "r")
    for name in ("displacements", "reactions"):
        (folder / f"{name}.csv").unlink()
    head, *rows = csv.reader((folder / "member_forces.csv").open())
    with (folder / "member_forces.csv").open("w", newline="") as f:
        out = csv.writer(f)
        out.writerow(["combination", "element", *head])
        out.writerows([["none", k, *row] for k, row in enumerate(rows)])
    e = against(done[0], folder)
    agree(e)
    assert [h for _, h in e.columns] == ["combination", "element"]


def test_a_wrong_value_is_a_finding_of_its_own(done: tuple[Review, Path], tmp_path: Path) -> None:
    """One moment of many is 40 % too large: no factor, but named with both values; within the tolerance
    nothing is."""
    folder = copy_of(done[1], tmp_path / "r")
    head, *rows = csv.reader((folder / "member_forces.csv").open())
    at = head.index("my")
    k = max(range(len(rows)), key=lambda i: abs(float(rows[i][at])))
    size = abs(float(rows[k][at]))
    for factor, count in ((1.4, 1), (1.02, 0)):
        own = [list(r) for r in rows]
        own[k][at] = str(float(rows[k][at]) * factor)
        with (folder / "member_forces.csv").open("w", newline="") as f:
            csv.writer(f).writerows([head, *own])
        limits = CompareSettings(0.05, 0.01 * size)
        e = compare_elsewhere(done[0].model, done[0].results, [], read_results(folder), limits)
        assert len(e.differ) == count and not e.suspected
        assert any("differ by more" in f.message for f in e.findings) == bool(count)


def test_names_of_tables_are_read_however_they_are_written(done: tuple[Review, Path], tmp_path: Path) -> None:
    folder = copy_of(done[1], tmp_path / "r")
    (folder / "member_forces.csv").rename(folder / "Member Forces.CSV")
    agree(against(done[0], folder))
    (folder / "member-forces.csv").write_text("case,member,my\n")
    with pytest.raises(IntakeError, match="two tables member_forces"):
        read_results(folder)


def test_what_their_headings_stand_for_is_said_in_the_window_once(
    demo: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    """The demo's tables: read at once, the planted unit error and the one wrong moment are found; a heading,
    a case, a unit and a sign are said on the page, and known again the next time."""
    w = demo
    w.state.choose(1)
    assert w.session.project is not None
    theirs = w.session.project.path.parent / "results from elsewhere"
    if not theirs.is_dir():
        assert w.state.review is not None
        theirs = write_elsewhere(w.state.review, tmp_path)
    w.dialogs.show_elsewhere(theirs / "Reactions.csv")
    w.dialogs.elsewhere.accept()
    rested(qtbot, w)
    review = w.state.review
    assert review is not None and review.elsewhere is not None and not review.elsewhere.unmatched
    assert [(s.quantity, s.value) for s in review.elsewhere.suspected] == [("fz", 1000.0)]
    wrong = [r for r in review.elsewhere.differ if r.quantity != "fz"]
    assert [r.quantity for r in wrong] == ["my"] and wrong[0].theirs == pytest.approx(
        1.3 * wrong[0].ours, rel=1e-6
    )
    said = [f.message for f in review.findings if f.code == "match.elsewhere"]
    assert len(said) == 3 and "have no row for some supports" in said[-1]
    listed = table(w, "elsewhere")
    assert listed[0][-1] == "yes" and len(listed) == len(review.elsewhere.rows)
    # the unit that stands in the heading is wrong: said on the page, it counts
    w.dialogs.show_elsewhere(theirs / "Reactions.csv")
    page = w.dialogs.elsewhere
    wrong_one = next(
        k for k in range(page.headings.rowCount()) if page.headings.item(k, 1).text() == "Fz (kN)"
    )  # type: ignore[union-attr]
    page.headings.cellWidget(wrong_one, 3).setCurrentText("N")  # type: ignore[union-attr]
    page.accept()
    rested(qtbot, w)
    assert review.elsewhere is not None and not review.elsewhere.suspected
    assert {r.quantity for r in review.elsewhere.differ} == {"my"}
    # their own words
    text = (theirs / "Reactions.csv").read_text().replace("Fz (kN)", "Vertical").replace("WIND Y", "W90")
    (theirs / "Reactions.csv").write_text(text)
    for turn in (1, 2):
        w.dialogs.show_elsewhere(theirs / "Reactions.csv")
        page = w.dialogs.elsewhere
        names = [page.headings.item(k, 1).text() for k in range(page.headings.rowCount())]  # type: ignore[union-attr]
        k = names.index("Vertical")
        if turn == 1:
            page.headings.cellWidget(k, 2).setCurrentText("fz")  # type: ignore[union-attr]
            page.headings.cellWidget(k, 3).setCurrentText("furlong")  # type: ignore[union-attr]
            page.accept()
            assert page.isVisible() and "furlong" in page.message.text()
            page.headings.cellWidget(k, 3).setCurrentText("N")  # type: ignore[union-attr]
            cases = [page.cases.item(i, 0).text() for i in range(page.cases.rowCount())]  # type: ignore[union-attr]
            page.cases.cellWidget(cases.index("W90"), 2).setCurrentText("Wind y")  # type: ignore[union-attr]
        assert page.headings.cellWidget(k, 2).currentText() == "fz"  # type: ignore[union-attr]
        page.accept()
        rested(qtbot, w)
        assert (
            review.elsewhere is not None and not review.elsewhere.unmatched and not review.elsewhere.suspected
        )
        assert {r.quantity for r in review.elsewhere.differ} == {"my"}
    # it is compared again after the next run
    act(w, qtbot, "run.run")
    assert (
        w.state.review is not review and w.state.review is not None and w.state.review.elsewhere is not None
    )


def test_a_run_is_compared_with_an_earlier_one_of_the_same_model(demo: Window, qtbot: QtBot) -> None:
    """A support is changed and run again: against the kept run it is the one difference, with what it did to
    the results."""
    w = demo
    w.state.choose(0)
    assert w.state.comparison is None and w.state.review is not None
    model = w.state.review.model
    foot = next(n for n, x in model.nodes.items() if x.support == FIXED)
    w.session.correct(SetSupport([foot], PINNED))
    rested(qtbot, w)
    act(w, qtbot, "run.run")
    w.pages.show_runs()
    assert w.pages.runs is not None
    page = w.pages.runs
    page.kept.setCurrentRow(page.kept.count() - 1)
    page.compare_chosen()
    rested(qtbot, w)
    c = w.state.comparison
    assert c is not None and {m.status for m in c.parts} == {"same"}
    assert [(s.was, s.is_) for s in c.supports if s.status != "same"] == [(FIXED.words, PINNED.words)]
    assert c.results and w.state.baseline is not None and "Run 1" in w.state.baseline.name
    assert page.before.isEnabled()
    page.before.click()
    rested(qtbot, w)
    assert w.state.comparison is None and not any(
        f.code.startswith("match.") for f in w.state.review.findings
    )


def test_a_kept_run_is_made_again_after_a_correction(demo: Window, qtbot: QtBot) -> None:
    """Of the same case and group, with the model as it is now; its switches are taken on too."""
    w = demo
    w.state.choose(0)
    assert w.state.review is not None
    model = w.state.review.model
    w.pages.show_runs()
    page = w.pages.runs
    assert page is not None
    model.groups["half"] = sorted(model.members)[:-1]
    page.fill()
    page.part.setCurrentText("group half")
    for k in range(1, page.cases.count()):
        page.cases.item(k).setCheckState(Qt.CheckState.Unchecked)
    page.name.setText("stage")
    page.run()
    rested(qtbot, w)
    first = w.state.review.results
    assert first.cases == [page.cases.item(0).text()]
    foot = next(n for n, x in model.nodes.items() if x.support == FIXED)
    w.session.correct(SetSupport([foot], PINNED))
    rested(qtbot, w)
    w.session.settings.run.p_delta = True
    act(w, qtbot, "run.run")
    assert w.state.review.results.cases != first.cases
    page.kept.setCurrentRow(
        next(k for k in range(page.kept.count()) if page.kept.item(k).text().startswith("stage ·"))
    )
    assert "group half" in page.kept.currentItem().text()
    page.make_again()
    rested(qtbot, w)
    again = w.state.review
    revision = w.state.revision
    assert again is not None and revision is not None and revision.run_name == "stage (2)" and not again.stale
    assert again.results.cases == first.cases and not w.session.settings.run.p_delta
    assert (again.results.member_done == first.member_done).all()
    assert not np.array_equal(again.results.reaction, first.reaction)
    model.groups["half"] = []
    before = len(w.session.runs.kept())
    page.make_again()
    rested(qtbot, w)
    assert len(w.session.runs.kept()) == before


def whole(done: Review, folder: Path, **tables: str) -> Elsewhere:
    folder.mkdir(exist_ok=True)
    for name, text in tables.items():
        (folder / f"{name}.csv").write_text(text)
    return elsewhere_of(done, folder)


def test_periods_are_held_against_those_of_their_direction(done: tuple[Review, Path], tmp_path: Path) -> None:
    """Theirs begin with the mode that is ours of another number: paired by direction, the order within it."""
    r = replace(done[0], modes=[Mode(1, 0.5, 0.8, 0, 0), Mode(2, 0.4, 0, 0.7, 0), Mode(3, 0.2, 0.1, 0, 0)])
    e = whole(
        r,
        tmp_path / "m",
        modes="mode,period [ms],mass_x [%],mass_y [%]\n1,410,0,70\n2,490,80,0\n3,180,9,0\n4,100,0,20\n",
    )
    found = {(x.id, x.quantity): (x.ours, x.theirs) for x in e.rows}
    assert found["1", "period"] == pytest.approx((0.4, 0.41)) and found["2", "period"] == pytest.approx(
        (0.5, 0.49)
    )
    assert found["3", "period"] == pytest.approx((0.2, 0.18)) and found["3", "mass_x"] == pytest.approx(
        (0.1, 0.09)
    )
    assert [u.id for u in e.unmatched] == ["4"]
    bare = whole(r, tmp_path / "b", modes="mode,period\n2,0.4\n7,0.1\n")
    assert [(x.ours, x.theirs) for x in bare.rows] == [(0.4, 0.4)] and [u.id for u in bare.unmatched] == ["7"]


def test_storeys_by_their_level_or_name(done: tuple[Review, Path], tmp_path: Path) -> None:
    r = done[0]
    own = next(s for s in r.storeys if s.case == "Q" and s.elevation > 1)
    text = f"case,storey,elevation [mm],shear_x [kN],mass [t]\nQ,their name,{own.elevation * 1000},7,3\n"
    e = whole(r, tmp_path / "s", storeys=text + "Q,roof,99000,1,1\n")
    assert {(x.id, x.quantity, x.theirs) for x in e.rows} == {
        (own.storey, "shear_x", 7000.0),
        (own.storey, "mass", 3000.0),
    }
    assert [u.id for u in e.unmatched] == ["roof"]
    named = whole(r, tmp_path / "n", storeys=f"case,storey,mass\nQ,{own.storey},5\n")
    assert [(x.ours, x.theirs) for x in named.rows] == [(own.mass, 5.0)]


def test_a_sign_in_one_table_hides_nothing_in_another(done: tuple[Review, Path], tmp_path: Path) -> None:
    """The sign of reactions' my is turned throughout; one my of a member is half, and one reaction under the
    turned sign is wrong besides."""
    folder = copy_of(done[1], tmp_path / "t", {})
    for name in ("modes", "storeys", "wall_forces", "walls"):
        (folder / f"{name}.csv").unlink(missing_ok=True)
    for name, factors in (("reactions", (-1.0, -1.7)), ("member_forces", (1.0, 0.5))):
        rows = list(csv.reader((folder / f"{name}.csv").open()))
        at = rows[0].index("my")
        largest = max(rows[1:], key=lambda row: abs(float(row[at])))
        for row in rows[1:]:
            row[at] = str(float(row[at]) * factors[row is largest])
        with (folder / f"{name}.csv").open("w", newline="") as f:
            csv.writer(f).writerows(rows)
    e = elsewhere_of(done[0], folder)
    assert [(s.table, s.quantity, s.kind) for s in e.suspected] == [("reactions", "my", "sign")]
    assert sorted((x.table, x.quantity) for x in e.differ) == [("member_forces", "my"), ("reactions", "my")]


def test_supports_without_a_row_are_counted(done: tuple[Review, Path], tmp_path: Path) -> None:
    folder = copy_of(done[1], tmp_path / "c", {})
    rows = (folder / "reactions.csv").read_text().splitlines()
    (folder / "reactions.csv").write_text("\n".join(rows[:-2]) + "\n")
    e = elsewhere_of(done[0], folder)
    assert sum(e.missing.values()) == 2
    assert any("no row for some supports" in f.message for f in e.findings)
    assert {x.case for x in e.rows if x.table == "base"} == {x.case for x in e.rows} - e.missing.keys() - {
        "modes"
    }
