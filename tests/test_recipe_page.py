"""A model from parameters in the window: texts of fields and back, faults by field, the picture, the file and
its recipe, the revision."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from rod_tally.desk.making.recipe_page import RecipePage
from rod_tally.desk.making.recipe_text import FIRST, plain, recipe_of, texts_of, written
from rod_tally.desk.window import Window
from rod_tally.make import Recipe, RecipeError, make

from .desk_help import act, model_of, rested

length = st.floats(0.2, 50.0).map(lambda v: round(v, 3))


@given(st.lists(length, min_size=1, max_size=6), st.lists(length, min_size=1, max_size=6), st.booleans())
def test_texts_give_the_recipe_that_they_were_made_of(
    storeys: list[float], spacings: list[float], sideways: bool
) -> None:
    low = min(storeys)
    data = {
        "kind": "facade", "storeys": storeys, "spacings": spacings, "cross_members": [0.0, round(low / 2, 3)], "sideways": sideways,
        "exceptions": [{"storey": 1, "cross_members": [0.0]}, {"bay": 1, "storey": 1, "cross_members": [0.0, round(low / 4, 3)]}],
        "line_load": {"height": 0.1, "value": -750.0}, "wind": 812.5, "base": "pinned",
    }  # fmt: skip
    one = Recipe.from_dict(data)
    two = Recipe.from_dict(plain("facade", texts_of(data)))
    assert one == two
    assert Recipe.from_dict(tomllib.loads(written(plain("facade", texts_of(data))))) == one


@pytest.mark.parametrize("kind", ["frame", "facade"])
def test_what_is_proposed_makes_a_model(kind: str) -> None:
    assert make(recipe_of(kind, FIRST[kind])).model.members


@pytest.mark.parametrize(
    ("key", "text", "words"),
    [
        ("storeys", "", "storeys is missing"),
        ("storeys", "four", "storeys: 'four' is not a number"),
        ("storeys", "0", r"storeys\[1\] is 0.0; it must be a number from 0.1 to 1000"),
        ("storeys", "3 kN", "does not measure"),
        ("bays_x", "9999 x 5", "too often"),
        ("column", "HE 241 B", "neither in the catalogue"),
        ("slab", "thick", "slab: 'thick'"),
    ],
)
def test_faults_name_the_field(key: str, text: str, words: str) -> None:
    with pytest.raises(RecipeError, match=words):
        recipe_of("frame", FIRST["frame"] | {key: text})


@pytest.mark.parametrize("text", ["storey: 0", "floor 2: 0.9", "storey 2 and bay 3: 0.9"])
def test_exceptions_that_are_not_understood(text: str) -> None:
    with pytest.raises(RecipeError, match="exceptions"):
        recipe_of("facade", FIRST["facade"] | {"exceptions": text})


def test_lists_and_units() -> None:
    r = recipe_of(
        "frame", FIRST["frame"] | {"storeys": "14 ft, 2 x 3.6", "slab": "8 in", "bays_x": "2*5.0;6"}
    )
    assert (
        r.storeys == pytest.approx([4.2672, 3.6, 3.6])
        and r.slab == pytest.approx(0.2032)
        and r.bays_x == [5.0, 5.0, 6.0]
    )


def put(page: RecipePage, key: str, text: str) -> None:
    box = page.fields[key]
    assert isinstance(box, QLineEdit)
    box.setText(text)
    page.look()


def test_a_model_is_made_changed_and_taken_in_as_a_revision(
    window: Window, qtbot: QtBot, tmp_path: Path
) -> None:
    act(window, qtbot, "file.make")
    page = window.pages.recipe
    assert page is not None and page.made is not None
    assert not page.buttons["Take in as a revision…"].isVisible()
    put(page, "column", "no such")
    assert (
        page.made is None
        and "column" in page.message.text()
        and not page.buttons["Make the model…"].isEnabled()
    )
    put(page, "column", "HE 220 B")
    put(page, "slab", "0.2")
    count = len(page.made.model.members)
    page.write(tmp_path / "hall.ifc", False)
    rested(qtbot, window)
    assert len(model_of(window).members) == count and (tmp_path / "hall.toml").is_file()
    act(window, qtbot, "file.make")
    page = window.pages.recipe
    assert page is not None and page.texts()["slab"] == "0.2" and page.texts()["column"] == "HE 220 B"
    before = (tmp_path / "hall.ifc").read_bytes()
    put(page, "storeys", "4.2, 3 x 3.6")
    page.write(tmp_path / "hall.ifc", True)
    assert (
        "is the source of the project" in page.message.text()
        and (tmp_path / "hall.ifc").read_bytes() == before
    )
    page.write(tmp_path / "hall-b.ifc", True)
    rested(qtbot, window)
    assert len(window.state.revisions) == 2
    comparison = window.state.comparison
    assert comparison is not None
    assert {r.status for r in comparison.parts} <= {"same", "added", "changed"} and any(
        r.status == "added" for r in comparison.parts
    )


def test_recipes_are_opened_and_kept(qtbot: QtBot, tmp_path: Path) -> None:
    page = RecipePage(None, lambda *_: None, False, None)
    qtbot.addWidget(page)
    (tmp_path / "bad.toml").write_text("kind = 'dome'")
    page.open_recipe(tmp_path / "bad.toml")
    assert "kind is 'dome'" in page.message.text()
    recipe = {
        "kind": "facade",
        "storeys": [3.0, 3.0],
        "spacings": [1.5],
        "column": "mullion",
        "sections": {"mullion": {"shape": "box", "width": 0.06, "depth": 0.15, "wall": 0.004}},
    }
    (tmp_path / "own.toml").write_text(written(recipe))
    page.open_recipe(tmp_path / "own.toml")
    assert page.made is not None and page.texts()["storeys"] == "2 x 3"
    assert page.keep(tmp_path / "kept.toml")
    assert Recipe.read(tmp_path / "kept.toml").sections == Recipe.read(tmp_path / "own.toml").sections
    assert not page.keep(tmp_path / "none" / "kept.toml") and "cannot be written" in page.message.text()
