"""Help and the command finder: every step has its page, every command is found by its title, and by other
words."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from rod_tally.desk.commands.registry import COMMANDS
from rod_tally.desk.pages.command_finder import SYNONYMS
from rod_tally.desk.pages.help_page import FOLDER, OF_STEP, TOPICS
from rod_tally.desk.window import Window
from rod_tally.review import STEPS

from .desk_help import STEP
from .labels import labels, words


def test_every_step_has_its_help_and_every_file_is_a_topic() -> None:
    assert {s.name for s in STEPS} == OF_STEP.keys() and set(OF_STEP.values()) <= TOPICS.keys()
    assert {p.stem for p in FOLDER.glob("*.md")} == TOPICS.keys()


def test_help_opens_at_the_step_and_finds_words_in_all_topics(window: Window, qtbot: QtBot) -> None:
    window.state.go(STEP["Loads"])
    qtbot.keyClick(window, Qt.Key.Key_F1)
    page = window.pages.help
    assert page is not None and page.isVisible() and "every newton" in page.text.toPlainText()
    page.search.setText("kernel L/6")
    page._find()
    assert "Slabs and walls" in page.topics.currentItem().text()  # type: ignore[union-attr]
    window.pages.show_help(keys=True)
    assert "Zoom to fit" in page.text.toPlainText() and "Ctrl+0" in page.text.toPlainText()
    page.close()


def test_commands_are_found_and_carried_out(window: Window, qtbot: QtBot) -> None:
    assert SYNONYMS.keys() <= {c.id for c in COMMANDS}
    window.pages.find_command()
    finder = window.pages.finder
    assert finder is not None
    for command in COMMANDS:
        finder.text.setText(command.title)
        assert command in [c for c, _ in finder.shown]
    finder.text.setText("hinge")
    assert {"model.pin_start", "model.release"} <= {c.id for c, _ in finder.shown}
    assert "Not now" in finder.note.text()
    finder.text.setText("xyzzy")
    assert not finder.shown and "No command" in finder.note.text()
    shown = window.tables.all_shown
    finder.text.setText("all tables")
    qtbot.keyClick(finder.text, Qt.Key.Key_Return)
    assert window.tables.all_shown is not shown and not finder.isVisible()


def test_every_word_of_a_label_is_in_the_page_of_terms() -> None:
    """One word for each thing: what the page says is not used is in no label."""
    text = (FOLDER / "terms.md").read_text(encoding="utf-8")
    rows = [r.strip("|").split("|") for r in text.split("\n") if r.startswith("| ") and r.count("|") == 4]
    terms = " ".join(row[0] for row in rows[2:])
    known = words(terms) | words(text.split("## Plain words")[1])
    unknown = {w: label for label in labels() for w in words(label) if w not in known}
    assert unknown == {}, "say it otherwise, or add the word to src/rod_tally/help/terms.md"
    avoided = [p.strip() for row in rows[2:] for p in row[2].split(",") if p.strip()]
    assert len(avoided) > 10
    found = [(p, label) for p in avoided for label in labels() if f" {p} " in f" {label.lower()} "]
    assert found == []
