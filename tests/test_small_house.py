"""A house from an architect's file: the first review names all that takes no part, and five corrections by
click make it whole."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

pytest.importorskip("PyQt6")
from PyQt6.QtCore import Qt  # noqa: E402

from rod_tally.checks.framing.overlaps import REST  # noqa: E402
from rod_tally.desk.window import Window  # noqa: E402
from rod_tally.model import Finding, Settings  # noqa: E402
from rod_tally.model.entities.loads import GRAVITY  # noqa: E402
from rod_tally.review import Review  # noqa: E402
from rod_tally.review.work import read_model, review  # noqa: E402

from .bodies import kernel_volumes  # noqa: E402
from .desk_help import fill, model_of, rested  # noqa: E402
from .small_house import write_house  # noqa: E402


def the(done: Review, code: str, word: str) -> Finding:
    return next(f for f in done.findings if f.code == code and word in f.message)


def test_the_first_review_names_what_takes_no_part(tmp_path: Path) -> None:
    done = review(read_model(write_house(tmp_path / "house.ifc"), Settings()), Settings())
    m = done.model
    blocking = {f.code for f in done.findings if f.severity == "blocking"}
    assert blocking == {"join.gap", "material.stiffness"}
    named = set(the(done, "material.stiffness", "Massiv").ids)
    assert named == set(done.results.left_out) and len(named) == 20
    # the house stands on its base slab, whose class says floor, and no foot of a wall is held besides
    base = next(s for s in m.surfaces.values() if s.name == "Bodenplatte")
    assert base.bedding > 0 and not any(s.supports for s in m.surfaces.values())
    held = [m.members_at()[n][0] for n, x in m.nodes.items() if x.support.any]
    assert [m.members[i].name for i in held] == ["Stütze Vordach"]
    assert {"join.crossing", "surface.gap", "material.family"} <= {f.code for f in done.findings}


def test_its_weight_is_that_of_its_bodies(tmp_path: Path) -> None:
    path = write_house(tmp_path / "house.ifc")
    m = read_model(path, Settings())
    volumes = kernel_volumes(path)
    for part in m.parts():
        own = m.volume(part) if part.id in m.members else part.volume  # type: ignore[arg-type, union-attr]
        assert own == pytest.approx(volumes[part.id], rel=0.01), part.name


def test_five_corrections_by_click_make_it_whole(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    path = write_house(tmp_path / "house.ifc")
    session = window.session
    session.open(path)
    rested(qtbot, window)

    def done() -> Review:
        assert window.state.review is not None
        return window.state.review

    # one: the material that says nothing, by its form
    material = the(done(), "material.stiffness", "Massiv")
    session.act(material, "Give its elastic modulus")
    fill(window, qtbot, window.corrections.form, grade="C24")
    assert model_of(window).materials["Massiv"].kind == "timber"
    # two and three: rafters on each wall plate, shown before they are rested
    for side in ("Süd", "Nord"):
        session.act(the(done(), "join.crossing", f"Fusspfette {side}"), REST)
        button = next(b for b in window.dialogs.message.buttons() if b.text().startswith("Do it"))
        assert "10 places" in button.text()
        qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
        rested(qtbot, window)
    # four: the inner wall to the floor above it; five: the porch to the wall
    for code, word in (("surface.gap", "IW 2"), ("join.gap", "Vordach")):
        finding = the(done(), code, word)
        session.act(finding, next(a for a in finding.actions if a.startswith("Tie it")))
        rested(qtbot, window)
    assert not [f for f in done().findings if f.severity == "blocking"]
    session.runs.again()
    rested(qtbot, window)
    m, r = model_of(window), done().results
    assert not r.left_out and all(e.residual < 1e-9 for e in r.equilibrium)
    weight = sum(
        v * (m.materials[p.material].density or 0) * GRAVITY
        for p in m.parts()
        if (v := kernel_volumes_of(path).get(p.id, 0.0))
    )
    case = r.cases.index("Self-weight")
    assert float(r.reaction[case, :, 2].sum()) == pytest.approx(weight, rel=1e-3)
    assert np.linalg.norm(r.displacement[case][:, :3], axis=1).max() < 0.02
    assert not [f for f in done().findings if f.severity == "blocking" or f.code == "join.loose_end"]


VOLUMES: dict[Path, dict[str, float]] = {}


def kernel_volumes_of(path: Path) -> dict[str, float]:
    if path not in VOLUMES:
        VOLUMES[path] = kernel_volumes(path)
    return VOLUMES[path]
