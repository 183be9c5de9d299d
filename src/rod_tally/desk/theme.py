"""The drawing office: warm paper, graphite lines, little colour, and colour only for meaning."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

# paper, sheet, band, edge; ink, graphite, muted, pale; pine, rust, ochre, moss; wash
THEMES: dict[str, tuple[str, ...]] = {
    "paper": (
        "#faf8f1",
        "#f3eee2",
        "#eae2d2",
        "#cdc2aa",
        "#26221d",
        "#4a453e",
        "#857b69",
        "#c9c1b1",
        "#1d6b66",
        "#a3341f",
        "#97690c",
        "#4c6b35",
        "#dde8e4",
    ),
    "dark": (
        "#23211e",
        "#2b2925",
        "#34312c",
        "#57524a",
        "#f0ebdf",
        "#cfc8b8",
        "#a39a88",
        "#6b6559",
        "#5fb8b0",
        "#e5856f",
        "#d9a648",
        "#94b36e",
        "#2f4744",
    ),
    "high contrast": (
        "#ffffff",
        "#ffffff",
        "#e8e8e8",
        "#000000",
        "#000000",
        "#000000",
        "#333333",
        "#767676",
        "#004c46",
        "#9c0000",
        "#6b4700",
        "#1f4d00",
        "#cfe8ff",
    ),
}
VARIABLE = "ROD_TALLY_THEME"


def chosen_theme() -> str:
    """The theme of this start: that of the environment, else the one that was chosen, else paper."""
    name = os.environ.get(VARIABLE) or str(QSettings("rod-tally", "rod-tally").value("theme", ""))
    return name if name in THEMES else "paper"


# chosen once, when the window's modules are loaded: widgets and pictures are made of these tokens
THEME = chosen_theme()
PAPER, SHEET, BAND, EDGE, INK, GRAPHITE, MUTED, PALE, PINE, RUST, OCHRE, MOSS, WASH = THEMES[THEME]
PRINTED = dict(
    zip(
        (
            "paper",
            "sheet",
            "band",
            "edge",
            "ink",
            "graphite",
            "muted",
            "pale",
            "pine",
            "rust",
            "ochre",
            "moss",
            "wash",
        ),
        THEMES["paper"],
    )
)

SEVERITY_COLOUR = {"blocking": RUST, "warning": OCHRE, "note": MUTED}
SEVERITY_MARK = {"blocking": "■", "warning": "▲", "note": "●"}
# one colour a class of thing when an overlay sorts by kind; told apart by name in the legend, never by colour
# alone
MORE_KINDS = ("#a69fd0", "#d79ab8", "#8fc0e6") if THEME == "dark" else ("#5b5480", "#7d4a63", "#3f6f94")
KINDS = (INK, PINE, OCHRE, MOSS, *MORE_KINDS, MUTED)  # no red: that is for what blocks

TEXT = 10  # points
ARROWS = Path(__file__).parent / "style"
SHADE = "-light" if THEME == "dark" else ""

STYLE = f"""
* {{ font-family: "Lato", "DejaVu Sans"; color: {INK}; }}
QMainWindow, QWidget {{ background: {PAPER}; }}
QMenuBar, QMenuBar::item {{ background: {BAND}; }}
QMenuBar::item {{ padding: 4px 9px; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {WASH}; color: {INK}; }}
QMenu {{ background: {PAPER}; border: 1px solid {EDGE}; }}
QMenu::item {{ padding: 4px 26px 4px 18px; }}
QMenu::item:disabled {{ color: {MUTED}; }}
QMenu::separator {{ height: 1px; background: {EDGE}; margin: 3px 8px; }}
QStatusBar {{ background: {BAND}; }}
QStatusBar QLabel {{ background: transparent; color: {GRAPHITE}; }}
QPushButton, QToolButton, QComboBox {{
  background: {PAPER}; border: 1px solid {EDGE}; border-radius: 2px; padding: 3px 9px; }}
QPushButton:hover, QToolButton:hover, QComboBox:hover {{ background: {WASH}; }}
QPushButton:checked, QToolButton:checked {{ background: {INK}; color: {PAPER}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {PALE}; }}
QPushButton:focus, QComboBox:focus, QLineEdit:focus {{ border-color: {PINE}; }}
QComboBox QAbstractItemView {{ background: {PAPER}; selection-background-color: {WASH}; selection-color: {INK}; }}
QComboBox {{ padding-right: 20px; }}
QComboBox::drop-down {{ border: 0; width: 18px; }}
QComboBox::down-arrow {{ image: url("{(ARROWS / f"arrow-down{SHADE}.svg").as_posix()}"); width: 10px; height: 7px; }}
QLineEdit {{ background: {PAPER}; border: 1px solid {EDGE}; border-radius: 2px; padding: 3px 6px; }}
QAbstractSpinBox {{ background: {PAPER}; border: 1px solid {EDGE}; border-radius: 2px; padding: 0 4px; }}
QAbstractSpinBox:focus {{ border-color: {PINE}; }}
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ border: 0; width: 16px; background: transparent; }}
QAbstractSpinBox::up-arrow {{ image: url("{(ARROWS / f"arrow-up{SHADE}.svg").as_posix()}"); width: 8px; height: 6px; }}
QAbstractSpinBox::down-arrow {{ image: url("{(ARROWS / f"arrow-down{SHADE}.svg").as_posix()}"); width: 8px; height: 6px; }}
QAbstractSpinBox:disabled, QComboBox:disabled {{ color: {PALE}; }}
QTabWidget::pane {{ border: 0; border-top: 1px solid {EDGE}; }}
QTabBar {{ background: {BAND}; qproperty-drawBase: 0; }}
QTabBar::tab {{ background: {BAND}; padding: 5px 6px; border: 0; }}
QTabBar::tab:selected {{ background: {PAPER}; font-weight: bold; }}
QListWidget {{ background: {PAPER}; border: 1px solid {EDGE}; selection-background-color: {WASH}; selection-color: {INK}; }}
QListWidget::item {{ padding: 3px 4px; }}
QListWidget::item:selected {{ background: {WASH}; color: {INK}; }}
QTableView {{ background: {PAPER}; border: 0; gridline-color: {BAND}; selection-background-color: {WASH};
  selection-color: {INK}; alternate-background-color: {PAPER}; }}
QHeaderView::section {{ background: {PAPER}; color: {MUTED}; border: 0; border-bottom: 1px solid {EDGE}; padding: 3px 6px; }}
QSplitter::handle {{ background: {EDGE}; }}
QSplitter::handle:horizontal {{ width: 1px; }}
QSplitter::handle:vertical {{ height: 1px; }}
QScrollBar:vertical {{ background: {PAPER}; width: 11px; }}
QScrollBar:horizontal {{ background: {PAPER}; height: 11px; }}
QScrollBar::handle {{ background: {PALE}; border-radius: 3px; min-height: 24px; min-width: 24px; margin: 2px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QProgressBar {{ border: 1px solid {EDGE}; background: {PAPER}; max-height: 12px; }}
QProgressBar::chunk {{ background: {PINE}; }}
QToolTip {{ background: {PAPER}; color: {INK}; border: 1px solid {EDGE}; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QLabel#title {{ font-size: 16px; font-weight: bold; }}
QLabel#muted {{ color: {MUTED}; }}
QFrame#welcome {{ background: {PAPER}; border: 0; }}
QPushButton#link {{ border: 0; padding: 1px 0; color: {PINE}; text-align: left; background: transparent; }}
QPushButton#link:hover, QPushButton#link:focus {{ text-decoration: underline; }}
QFrame#head {{ background: {PAPER}; border-bottom: 1px solid {EDGE}; }}
QFrame#strip {{ background: {SHEET}; border-bottom: 1px solid {EDGE}; }}
QFrame#strip QLabel {{ background: transparent; }}
QFrame#strip QComboBox {{ padding-left: 5px; padding-right: 16px; }}
"""


def style_of(points: int) -> str:
    """The style sheet for text of a size; widgets that are styled take theirs from it and not from the
    application."""
    return (
        STYLE
        if points == TEXT
        else f"{STYLE}* {{ font-size: {points}pt; }}\nQLabel#title {{ font-size: {1.2 * points:.0f}pt; }}\n"
    )


def blend(share: float) -> str:
    """A colour for a value from -1 (pine) through 0 (sheet) to 1 (rust)."""
    to = PINE if share < 0 else RUST
    size = abs(share) ** 0.8
    mixed = (round(int(SHEET[k : k + 2], 16) * (1 - size) + int(to[k : k + 2], 16) * size) for k in (1, 3, 5))
    return "#" + "".join(f"{v:02x}" for v in mixed)


def dress(app: QApplication) -> None:
    """Fonts that ship with the application, and the style sheet; once, as every widget there is is styled
    anew."""
    if app.styleSheet().startswith(STYLE):
        return
    for path in sorted((Path(__file__).parent.parent / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))
    font = QFont("Lato", TEXT)
    app.setFont(font)
    app.setStyle("Fusion")
    app.setStyleSheet(STYLE)
