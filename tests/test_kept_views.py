"""Views under a name and the standard pictures."""

from __future__ import annotations

import json
from collections import Counter
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
import pyvista as pv
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtSvg import QSvgRenderer
from pytestqt.qtbot import QtBot

from rod_tally.desk.commands.registry import COMMANDS
from rod_tally.desk.theme import INK
from rod_tally.desk.view.vector_picture import _in_bands
from rod_tally.desk.window import Window
from rod_tally.output.report import write_html
from rod_tally.project import Project
from rod_tally.project.kept_views import KeptView

from .desk_help import STEP, act, fill, rested

VIEW = KeptView(
    "North", (1.0, 2.0, 3.0), (0.0, 0.0, 0.0), (0.0, 0.0, 1.0), 7.5, "forces", "Wind y", storeys=["Roof"]
)


def test_views_are_kept_replaced_and_forgotten(tmp_path: Path) -> None:
    project = Project.create(tmp_path / "p.rodtally")
    other = KeptView(**VIEW.record() | {"name": "South", "height": 1.0})
    for view in (VIEW, other, KeptView(**VIEW.record() | {"case": "Snow"})):
        project.keep_view(view.name, view)
    project.close()
    project = Project.open(tmp_path / "p.rodtally")
    assert [(v.name, v.case) for v in project.views()] == [("North", "Snow"), ("South", "Wind y")]
    assert project.views()[1] == other
    project.keep_view("North", None)
    assert [v.name for v in project.views()] == ["South"]
    assert KeptView.of_record(json.loads(json.dumps(VIEW.record() | {"of a later release": 1}))) == VIEW
    project.close()


def camera(w: Window) -> np.ndarray:
    c = w.view.plotter.camera
    return np.array([*c.position, *c.focal_point, *c.up, c.parallel_scale])


@pytest.mark.drawn
def test_a_view_is_shown_again_in_another_revision_and_stands_in_the_report(
    demo: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    w = demo
    w.state.choose(0)
    w.state.go(STEP["Response"])
    w.state.show_storeys({"Roof", "Rigging"})
    w.state.show_overlay("forces")
    w.state.set_view(case="Boat cradles", component="vz")  # a case that revision B does not have
    w.look("south")
    was = camera(w)
    w.picture_desk.ask_keep()
    fill(w, qtbot, w.picture_desk.form, name="Gable")
    w.state.choose(1)
    w.look("plan")
    assert not np.allclose(camera(w), was)
    said: list[str] = []
    w.session.said.connect(said.append)
    (view,) = w.picture_desk.views()
    w.picture_desk.show(view)
    assert np.allclose(camera(w), was) and w.state.overlay == "forces" and w.state.component == "vz"
    assert w.state.storeys == {"Roof", "Rigging"} and w.state.case != "Boat cradles"
    assert any("case Boat cradles" in text for text in said)
    (picture,) = w.picture_desk.kept_pictures()
    assert w.state.review is not None
    w.state.review.pictures = [picture]
    text = write_html(w.state.review, w.session.settings, tmp_path / "r.html").read_text()
    assert text.count("data:image/png;base64,") == 1 and "Gable" in text


@pytest.mark.drawn
def test_standard_pictures_are_written_from_one_place(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Each case displaced, with its forces and its reactions; nothing of the window is another one
    afterwards."""
    w = demo
    w.state.choose(1)
    w.look("3d")
    assert w.state.review is not None
    before, overlay, case = camera(w), w.state.overlay, w.state.case
    w.picture_desk.write_standard(tmp_path / "pictures")
    qtbot.waitUntil(lambda: not w.picture_desk.busy, timeout=60000)
    files = sorted((tmp_path / "pictures").iterdir())
    cases = w.state.review.results.cases
    assert len(files) >= 3 * len(cases) and files == sorted(w.picture_desk.written)
    for k, name in enumerate(("displaced", "my", "reactions")):
        assert files[k].name == f"{k + 1:03d} {cases[0]}, {name}.png"
    for path in files[:3]:
        image = QImage(str(path))
        assert (
            image.width() > 300
            and len({image.pixel(x, image.height() // 2) for x in range(image.width())}) > 1
        )
    assert np.allclose(camera(w), before) and (w.state.overlay, w.state.case) == (overlay, case)
    # of chosen ones alone, a combination among them
    combination = w.state.review.computed_combinations[0].name
    w.picture_desk.ask_standard()
    form = w.picture_desk.form
    assert form is not None and form.values()["cases"] == cases
    form.widgets["cases"].choose([cases[1], combination])
    chosen = form.values()["cases"]
    assert chosen == [cases[1], combination]
    form.reject()
    w.picture_desk.write_standard(tmp_path / "some", ".png", chosen)
    qtbot.waitUntil(lambda: not w.picture_desk.busy, timeout=60000)
    some = sorted(p.name for p in (tmp_path / "some").iterdir())
    assert len(some) == len(files) - 3 * (len(cases) - 2) and some[0].startswith(f"001 {cases[1]}, displaced")
    assert (
        some[3].startswith("004 ") and "displaced" in some[3] and not any(f" {cases[0]}, " in n for n in some)
    )
    # stopped in the middle, and where nothing can be written
    w.picture_desk.write_standard(tmp_path / "again")
    w.do(next(c for c in COMMANDS if c.id == "run.cancel"))
    rested(qtbot, w)
    assert not w.picture_desk.busy and len(list((tmp_path / "again").iterdir())) <= 3
    (tmp_path / "file").write_text("")
    with qtbot.waitSignal(w.session.failed, timeout=5000):
        w.picture_desk.write_standard(tmp_path / "file" / "below")


def test_a_vector_picture_holds_what_is_drawn(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Read back by an XML parser: as many lines as members, the legend's and the labels' words as text, one
    clip, no bitmap."""
    w = demo
    w.state.choose(1)
    w.look("3d")
    for overlay, label in (("sections", "section"), ("plates", "none")):
        w.state.overlay = overlay
        w.state.set_view(label=label)
        w.view.draw()
        rested(qtbot, w)
        w.picture_desk.write(tmp_path / f"{overlay}.svg", f"drawn: {overlay}")
        root = ElementTree.parse(tmp_path / f"{overlay}.svg").getroot()
        kinds = Counter(e.tag.split("}")[1] for e in root.iter())
        texts = " ".join(e.text or "" for e in root.iter() if e.tag.endswith("}text"))
        assert not kinds["image"] and f"drawn: {overlay}" in texts
        if overlay == "sections":
            assert kinds["polyline"] >= len(w.state.shown_members()) and "HE 200 B" in texts
        else:
            assert kinds["polygon"] + kinds["path"] > 1000
        assert QSvgRenderer(str(tmp_path / f"{overlay}.svg")).isValid()
    w.picture_desk.write_standard(tmp_path / "standard", ".svg")
    qtbot.waitUntil(lambda: len(w.picture_desk.written) > 1, timeout=60000)
    w.picture_desk.stop()
    assert all(p.suffix == ".svg" and p.stat().st_size > 5000 for p in w.picture_desk.written)


@pytest.mark.drawn
def test_a_section_shows_what_lies_between_two_planes(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """At a grid line, by its name: the parts there, cut; kept with a view; none of it outside in the vector
    picture; and back."""
    w = demo
    w.state.choose(1)
    act(w, qtbot, "view.section")
    fill(w, qtbot, w.view_desk.form, axis="x", at="y: grid 2", depth=3.0)
    assert w.state.review is not None and w.state.section is not None
    model = w.state.review.model
    at = {i: (model.line(m) + model.origin)[:, 1] for i, m in model.members.items()}
    inside = {i for i, y in at.items() if y.max() >= 3.5 - 1e-6 and y.min() <= 6.5 + 1e-6}
    assert w.state.shown_members() == inside and 0 < len(inside) < len(at)
    assert "section 3.50 to 6.50 m along y" in w.view.legend.text()
    w.look("plan")
    w.view.draw()
    w.picture_desk.write(tmp_path / "s.svg", "section")
    low, high = (w.view.canvas.to_screen(np.array([[0, y, 0]]) - model.origin)[0, 1] for y in (3.5, 6.5))
    height = w.view.plotter.render_window.GetSize()[1]
    lines = [
        e.get("points", "")
        for e in ElementTree.parse(tmp_path / "s.svg").getroot().iter()
        if e.tag.endswith("}polyline")
    ]
    drawn = [height - float(p.split(",")[1]) for line in lines for p in line.split()]
    assert drawn and min(drawn) >= low - 1.5 and max(drawn) <= high + 1.5
    view = w.picture_desk.now("Grid 2")
    w.view_desk.show_all()
    assert w.state.section is None and len(w.state.shown_members()) == len(at)
    w.picture_desk.show(KeptView.of_record(json.loads(json.dumps(view.record()))))
    assert w.state.shown_members() == inside
    w.view_desk.show_section({"axis": "z", "at": "nowhere", "depth": 1.0}, {})
    w.view_desk.show_section({"axis": "z", "at": "500", "depth": 1.0}, {})
    assert w.state.section is None
    w.view_desk.show_all()


def test_bands_of_colour_fill_a_face_and_hold_their_values() -> None:
    square = np.array([(0, 0), (10, 0), (10, 10), (0, 10)], float)
    table = pv.LookupTable(scalar_range=(0.0, 4.0), n_values=4)
    table.values = np.array([[k * 60, 0, 0, 255] for k in range(4)], np.uint8)
    found = list(_in_bands(square, np.array([-1.0, 5.0, 5.0, -1.0]), table))  # value -1 + 0.6 x
    area: Counter[tuple[int, ...]] = Counter()
    for points, colour in found:
        x, y = points.T
        size = abs(float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum())) / 2
        area[colour.getRgb()[:3]] += size
        value = -1 + 0.6 * points[:, 0].mean()
        if 0 < value < 4:
            assert colour.red() == int(value) * 60 and colour.getRgb()[1:3] == (0, 0)
    assert sum(area.values()) == pytest.approx(100.0)
    assert area[QColor(INK).getRgb()[:3]] == pytest.approx(2 * 10 * 1 / 0.6)
    even = list(_in_bands(square, np.full(4, 2.5), table))
    assert len(even) == 2 and {c.red() for _, c in even} == {120}


def test_a_damaged_view_is_named(tmp_path: Path) -> None:
    from rod_tally.project import ProjectError

    project = Project.create(tmp_path / "p.rodtally")
    with project._transaction() as db:
        db.execute("INSERT INTO view (name, data, created) VALUES ('Bad', '{\"name\": 1}', '')")
    with pytest.raises(ProjectError, match="the view Bad is damaged"):
        project.views()
    project.close()
