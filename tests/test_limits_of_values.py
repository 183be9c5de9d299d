"""Values above their limits: slabs over combinations, displacements, and results of a design elsewhere by part and
by place; as findings, in the workbook and in the window."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from openpyxl import load_workbook
from pytestqt.qtbot import QtBot

from rod_tally.cli import main
from rod_tally.desk.session.revisions import load_project
from rod_tally.desk.window import Window
from rod_tally.intake.design_results import read_design
from rod_tally.model import Combination, LoadCase, Model, Settings
from rod_tally.model.settings import LimitSettings
from rod_tally.output.ifc import write_ifc
from rod_tally.output.spreadsheet import write_workbook
from rod_tally.progress import silent
from rod_tally.project import Project
from rod_tally.review import Review, review
from rod_tally.review.work import attach_design

from .desk_help import act, fill, rested
from .floors import floor


def slab() -> Model:
    """A floor as a shell, its weight up and down and a heavier one down."""
    m = floor()
    m.surfaces["s"].way = "shell"
    m.cases["live"].self_weight = (0.0, 0.0, -1.0)
    m.cases["up"] = LoadCase("up", "wind", self_weight=(0.0, 0.0, 2.0))
    m.combinations = [
        Combination("down", "strength", {"live": 1.5}),
        Combination("lift", "service", {"live": 1.0, "up": 1.6}),
    ]
    return m


def limited(*limits: LimitSettings) -> Review:
    settings = Settings()
    settings.limits = list(limits)
    return review(slab(), settings)


@pytest.fixture(scope="module")
def plain() -> Review:
    return review(slab(), Settings())


def extremes(plain: Review, quantity: str) -> tuple[np.ndarray, np.ndarray]:
    """The quantity at the mesh's nodes in both combinations, by hand: cases are sums."""
    fields, r = plain.fields, plain.results
    assert fields is not None
    own = []
    for c in range(2):
        _, node, values = fields.averaged_forces(r, c)
        own.append(values[:, ("nx", "ny", "nxy", "mx", "my", "mxy", "vx", "vy").index(quantity)])
    return np.array([1.5 * own[0], own[0] + 1.6 * own[1]]), node


@pytest.mark.parametrize("quantity", ["mx", "my", "mxy", "vx"])
@pytest.mark.parametrize("share", [0.5, 0.95, 1 - 1e-12, 1.001])
def test_slabs_are_held_over_all_combinations(plain: Review, quantity: str, share: float) -> None:
    values, node = extremes(plain, quantity)
    most = float(np.abs(values).max()) * share
    done = limited(LimitSettings(quantity, most))
    (x,) = done.limited
    share = 1.001 if share > 1 - 1e-9 else share  # what differs by rounding is not above
    want = np.flatnonzero((np.abs(values) > most * (1 + 1e-9)).any(axis=0))
    assert len(x.places) == len(want) and not x.why_not
    found = [f for f in done.findings if f.code == "response.limit"]
    assert bool(found) == (share < 1)
    if found:
        (f,) = found
        assert f.ids == ("s",) and abs(f.numbers["value"]) == pytest.approx(np.abs(values).max())
        k, at = np.unravel_index(np.abs(values).argmax(), values.shape)
        assert f" in {('down', 'lift')[k]}." in f.message and x.places[0].by == ("down", "lift")[k]
        assert plain.results.plates is not None
        sizes = [abs(p.value) for p in x.places]
        assert sizes == sorted(sizes, reverse=True)
        assert any(np.allclose(f.at, p) for p in plain.results.plates.points[node[want]])


def test_a_kind_of_combinations_and_what_cannot_be_told(plain: Review) -> None:
    values, _ = extremes(plain, "mx")
    most = float(np.abs(values[0]).max()) * 0.9
    both = limited(
        LimitSettings("mx", most), LimitSettings("mx", most, "strength"), LimitSettings("mx", most, "fatigue")
    )
    all_, strength, none = both.limited
    assert len(all_.places) == int((np.abs(values) > most).any(axis=0).sum())
    assert len(strength.places) == int((np.abs(values[0]) > most).sum()) < len(all_.places)
    assert "fatigue" in none.why_not
    settings = Settings()
    settings.limits = [LimitSettings("mx", 1.0), LimitSettings("ux", 1.0), LimitSettings("As", 1.0)]
    m = floor()
    m.cases["live"].self_weight = (0.0, 0.0, -1.0)
    told = [x.why_not for x in review(m, settings).limited]
    assert "no slab or wall" in told[0] and told[1] == "" and "no design results" in told[2]


@pytest.mark.parametrize("axis", ["uz", "ux"])
def test_displacements_are_held_with_their_sign(plain: Review, axis: str) -> None:
    r = plain.results
    own = r.displacement[:, :, ("ux", "uy", "uz").index(axis)]
    values = np.array([1.5 * own[0], own[0] + 1.6 * own[1]])
    most = float(np.abs(values).max()) * 0.6
    done = limited(LimitSettings(axis, most))
    (x,) = done.limited
    assert len(x.places) == int((np.abs(values) > most).any(axis=0).sum()) > 0
    k, n = np.unravel_index(np.abs(values).argmax(), values.shape)
    assert x.places[0].value == pytest.approx(values[k, n]) and x.places[0].by == ("down", "lift")[k]
    (f,) = (f for f in done.findings if f.code == "response.limit")
    assert f.ids == () and "mm" in f.message and f.at is not None


def table(folder: Path, text: str) -> Path:
    path = folder / "design.csv"
    path.write_text(text)
    return path


PLACES = "id;x [m];y;z;As;use\ns;1,5;2;3;4,2;0,5\ns;4;2;3;7,5;0,4\ns;4;3;;9,5;0,4\nnobody;0;0;0;1;1\n"


def test_design_results_by_place_and_by_part(tmp_path: Path) -> None:
    m = slab()
    found = read_design(table(tmp_path, PLACES), m)
    assert found.names == ["As", "use"] and found.values == {"s": {"As": 9.5, "use": 0.5}}
    assert [(p.part, p.at, p.values["As"]) for p in found.places] == [
        ("s", (1.5, 2.0, 3.0), 4.2),
        ("s", (4.0, 2.0, 3.0), 7.5),
    ]
    assert any("place is not three numbers" in why for _, why in found.unread)
    settings = Settings()
    settings.limits = [LimitSettings("As", 5.0), LimitSettings("use", 0.45)]
    done = review(m, settings)
    assert all("no design results" in x.why_not for x in done.limited)
    attach_design(done, found)
    area, use = done.limited
    assert [(p.value, p.at) for p in area.places] == [(7.5, (4.0, 2.0, 3.0))]
    assert [p.value for p in use.places] == [0.5]
    texts = [f.message for f in done.findings if f.code == "response.limit"]
    assert len(texts) == 2 and "exceeds the limit of 5 at one place" in texts[0]
    plain = read_design(table(tmp_path, "name,As\ns,6\n"), m)
    attach_design(done, plain)
    assert [(p.value, p.at) for p in done.limited[0].places] == [(6.0, None)]
    assert "As" in done.limited[0].limit.quantity and "hold As" in done.limited[1].why_not
    p = Project.create(tmp_path / "p.rodtally")
    revision = p.add_revision("A", m)
    p.keep_design(revision, found)
    assert p.design(revision) == found
    p.close()


def test_from_the_command_line_to_the_workbook(tmp_path: Path) -> None:
    m = slab()
    model = write_ifc(m, tmp_path / "m.ifc")
    (tmp_path / "s.toml").write_text(
        '[[limits]]\nquantity = "As"\nmost = 5.0\n[[limits]]\nquantity = "uz"\nmost = 1e-7\n'
    )
    rows_ = PLACES.replace("id;", "name;").replace("\ns;", "\nSlab;")
    options = ["--settings", str(tmp_path / "s.toml"), "--design", str(table(tmp_path, rows_)), "--quiet"]
    assert main(["review", str(model), "--out", str(tmp_path / "o"), *options]) in (0, 1)
    found = [
        f
        for f in json.loads((tmp_path / "o" / "review.json").read_text())["findings"]
        if f["code"] == "response.limit"
    ]
    assert len(found) == 2 and {f["severity"] for f in found} == {"warning"}
    settings = Settings.read(tmp_path / "s.toml")
    done = review(m, settings)
    book = load_workbook(write_workbook(done, tmp_path / "w.xlsx"))
    sheet = list(book["above limits"].values)
    assert sheet[0][:2] == ("quantity", "limit") and "no design results" in sheet[1][2]
    assert len(sheet) == 2 + len(done.limited[1].places)


@pytest.mark.desk
def test_in_the_window(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    w = window
    w.session.open(write_ifc(slab(), tmp_path / "m.ifc"))
    rested(qtbot, w)
    act(w, qtbot, "run.limit")
    fill(w, qtbot, w.plate_desk.form, quantity="mx", most=0.5)
    assert w.state.review is not None
    (x,) = w.state.review.limited
    assert x.limit.most == pytest.approx(500.0) and x.places and w.state.plate_range == (-500.0, 500.0)
    shown = w.tables.pages["surface_forces"].model.content.rows
    assert len(shown) == len(x.places) and shown[0][0] == "mx"
    assert any(f.code == "response.limit" for f in w.state.review.findings)
    act(w, qtbot, "run.run")
    assert any(f.code == "response.limit" for f in w.state.review.findings)
    assert w.session.project is not None
    path = w.session.project.path
    for ending in ("", "-wal"):  # what was written last stands in the log beside it
        shutil.copy(f"{path}{ending}", tmp_path / f"copy.rodtally{ending}")
    project, (again,), _ = load_project(tmp_path / "copy.rodtally", silent)
    project.close()
    assert [f.message for f in again.review.findings if f.code == "response.limit"] == [
        f.message for f in w.state.review.findings if f.code == "response.limit"
    ]
    act(w, qtbot, "run.limit")
    fill(w, qtbot, w.plate_desk.form, quantity="uz", most=1000.0, others="remove")
    assert [y.limit.quantity for y in w.state.review.limited] == ["uz"]
    assert not any(f.code == "response.limit" for f in w.state.review.findings)
