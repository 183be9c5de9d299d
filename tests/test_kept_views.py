"""Views under a name and the standard pictures."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtGui import QImage
from pytestqt.qtbot import QtBot

from rod_tally.desk.commands.registry import COMMANDS
from rod_tally.desk.window import Window
from rod_tally.output.report import write_html
from rod_tally.project import Project
from rod_tally.project.kept_views import KeptView

from .desk_help import STEP, fill, rested

VIEW = KeptView("North", (1.0, 2.0, 3.0), (0.0, 0.0, 0.0), (0.0, 0.0, 1.0), 7.5, "forces", "Wind y", storeys=["Roof"])


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


def test_a_view_is_shown_again_in_another_revision_and_stands_in_the_report(
    demo: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    w = demo
    w.state.choose(0)
    w.state.go(STEP["Response"])
    w.state.show_storeys({"Roof", "Rigging"})
    w.state.show_overlay("forces")
    w.state.set_view(case="Bales", component="vz")  # a case that revision B does not have
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
    assert w.state.storeys == {"Roof", "Rigging"} and w.state.case != "Bales"
    assert any("case Bales" in text for text in said)
    (picture,) = w.picture_desk.kept_pictures()
    assert w.state.review is not None
    w.state.review.pictures = [picture]
    text = write_html(w.state.review, w.session.settings, tmp_path / "r.html").read_text()
    assert text.count("data:image/png;base64,") == 1 and "Gable" in text


def test_standard_pictures_are_written_from_one_place(demo: Window, qtbot: QtBot, tmp_path: Path) -> None:
    """Each case displaced, with its forces and its reactions; nothing of the window is another one afterwards."""
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
        assert image.width() > 300 and len({image.pixel(x, image.height() // 2) for x in range(image.width())}) > 1
    assert np.allclose(camera(w), before) and (w.state.overlay, w.state.case) == (overlay, case)
    # stopped in the middle, and where nothing can be written
    w.picture_desk.write_standard(tmp_path / "again")
    w.do(next(c for c in COMMANDS if c.id == "run.cancel"))
    rested(qtbot, w)
    assert not w.picture_desk.busy and len(list((tmp_path / "again").iterdir())) <= 3
    (tmp_path / "file").write_text("")
    with qtbot.waitSignal(w.session.failed, timeout=5000):
        w.picture_desk.write_standard(tmp_path / "file" / "below")


def test_a_damaged_view_is_named(tmp_path: Path) -> None:
    from rod_tally.project import ProjectError

    project = Project.create(tmp_path / "p.rodtally")
    with project._transaction() as db:
        db.execute("INSERT INTO view (name, data, created) VALUES ('Bad', '{\"name\": 1}', '')")
    with pytest.raises(ProjectError, match="the view Bad is damaged"):
        project.views()
    project.close()
