"""The menu bar and the menu of what is picked: what can be used now, and what the rest needs."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu

from .commands import command as needs
from .commands.command import NEEDS, Command
from .commands.registry import COMMANDS, MENUS

# Commands that stand in a menu of their own within their menu.
GROUPS: dict[str, tuple[str, ...]] = {
    "Write": ("file.export", "file.model_tables", "file.hand_back", "file.hand_back_results", "file.corrected", "file.takeoff",
              "file.workbook",              "file.table", "file.pictures", "file.picture"),
    "Rules and settings": ("file.rules", "file.settings", "file.settings_write"),
    "Look": ("view.3d", "view.plan", "view.south", "view.east", "view.fit"),
    "Tables and text": ("view.tables", "view.tables_height", "view.tables_apart", "view.larger", "view.smaller", "view.usual", "view.theme"),
    "Isolate": ("view.isolate", "view.isolate_line", "view.isolate_frame", "view.isolate_chosen", "view.all"),
    "Select": ("view.words", "view.invert", "view.group", "view.take_group", "view.dissolve"),
    "Select what is alike": ("edit.alike_section", "edit.alike_material", "edit.alike_storey", "edit.alike_line"),
    "Supports and releases": ("model.support", "model.free", "model.hold", "model.hold_edges", "model.bed", "model.bed_zone", "model.lifting", "model.no_lifting", "model.standing", "model.joined", "model.leaning", "model.joined_sides", "model.limit",
                              "model.pin_start", "model.pin_end", "model.release"),
    "Sections and materials": ("model.section", "model.own_section", "model.taper", "model.material", "model.own_material", "model.thickness", "model.elements", "model.map", "model.map_material"),
    "Joints": ("model.join", "model.tie", "model.cross", "model.keep_start", "model.keep_end", "model.apart_start", "model.apart_end"),
    "Add": ("model.draw", "model.draw_slab", "model.draw_wall", "model.add", "model.paste", "model.add_slab", "model.add_wall", "model.drawing", "model.open", "model.close"),
    "Place and shape": ("model.copy", "model.mirror", "model.offset", "model.move", "model.split", "model.merge", "model.reverse", "model.turn"),
    "One way": ("model.tension", "model.compression", "model.both_ways"),
    "This case": ("loads.change", "loads.weight", "loads.turn", "loads.scale", "loads.patterns", "loads.delete"),
    "Loads": ("loads.put", "loads.paste", "loads.temperature", "loads.settlement", "loads.remove", "loads.span"),
    "Horizontal loads": ("loads.notional", "loads.storeys", "loads.wind_en", "loads.wind_asce", "loads.lateral_en", "loads.lateral_asce"),
    "Spectra and mass": ("loads.spectrum_en", "loads.spectrum_asce", "loads.spectrum_paste", "loads.mass"),
    "Displacements": ("run.animate", "run.larger", "run.smaller", "run.own_scale", "run.scale", "run.largest", "run.motions"),
    "Storeys, stacks, modes": ("run.storeys", "run.storey_cuts", "run.node", "run.member", "run.stacks", "run.centres", "run.modes"),
    "Slabs and walls": ("run.elements", "run.plates", "run.range", "run.averaged", "run.plates_high", "run.plates_low", "run.principal",
                        "run.stiff", "run.slack", "run.limit", "run.panel_sheet", "run.panel_sheets"),
    "Cuts": ("run.cuts", "run.wall_cut", "run.move_cut", "run.cuts_again", "run.print_cuts", "run.delete_cuts"),
}  # fmt: skip
GROUP_OF = {ident: title for title, ids in GROUPS.items() for ident in ids}
# Commands about what is picked, which its own menu offers.
PICKED = (needs.has_members, needs.one_member, needs.has_surfaces, needs.has_parts, needs.picked)
FIRST = ("view.there", "run.member", "view.isolate", "view.isolate_frame")
LAST = ("model.delete",)


def _line(menu: QMenu, text: str) -> None:
    """A line that says something and does nothing."""
    action = QAction(text, menu)
    action.setEnabled(False)
    menu.addAction(action)


class Menus:
    """The menus of one window. `actions` are its commands by id, each in the menu bar once."""

    def __init__(self, window: Any) -> None:
        self.window = window
        self.actions: dict[str, QAction] = {}
        self._needs: dict[str, list[QMenu]] = {}
        self._groups: list[tuple[QMenu, list[str]]] = []
        self.opened: QMenu | None = None  # the menu of what is picked
        bar = window.menuBar()
        assert bar is not None
        menus: dict[str, QMenu] = {}
        for name in MENUS:
            menu = menus[name] = QMenu(f"&{name}", window)
            bar.addMenu(menu)
            menu.aboutToShow.connect(lambda n=name, m=menu: self._show(n, m))
        inner: dict[tuple[str, str], tuple[QMenu, list[str]]] = {}
        for command in COMMANDS:
            menu, group = menus[command.menu], GROUP_OF.get(command.id)
            if command.separator and group is None:
                menu.addSeparator()
            if group is not None:
                if (command.menu, group) not in inner:
                    own = QMenu(group, menu)
                    menu.addMenu(own)
                    inner[command.menu, group] = own, []
                menu, ids = inner[command.menu, group]
                ids.append(command.id)
            action = QAction(command.title, window)
            action.setStatusTip(command.help or command.title)
            action.triggered.connect(lambda _=False, c=command: window.do(c))
            menu.addAction(action)
            self.actions[command.id] = action
            if command.id == "file.revision":
                self.recent = QMenu("Open again", menu)
                menu.addMenu(self.recent)
                self.recent.aboutToShow.connect(self.fill_recent)
            if command.id == "view.keep":
                kept = QMenu("Kept views", menu)
                menu.addMenu(kept)
                kept.aboutToShow.connect(lambda m=kept: window.picture_desk.fill_menu(m))
        self._groups = list(inner.values())
        self.fill_recent()

    def refresh(self) -> None:
        """Enable what can be used now; the rest is not in the way."""
        for command in COMMANDS:
            action = self.actions[command.id]
            # a shortcut whose action is disabled is dead: this one must be there whenever a job is
            usable = True if command.id == "run.cancel" else bool(command.when(self.window))
            action.setEnabled(usable)
            action.setVisible(usable or command.when not in NEEDS)
        for menu, ids in self._groups:
            shown = menu.menuAction()
            assert shown is not None
            shown.setVisible(any(self.actions[i].isVisible() for i in ids))

    def fill_recent(self) -> None:
        self.recent.clear()
        paths = self.window.session.memory.recent()
        for path in paths:
            action = self.recent.addAction(path)
            assert action is not None
            action.triggered.connect(lambda _=False, p=path: self.window.session.open(Path(p)))
        self.recent.setEnabled(bool(paths))

    def _show(self, name: str, menu: QMenu) -> None:
        """Before a menu is seen: its commands as they are now, and below them how many more there are with
        what."""
        self.window._refresh()
        for last in self._needs.pop(name, []):
            action = last.menuAction()
            assert action is not None
            menu.removeAction(action)
            last.deleteLater()
        missing: dict[str, list[Command]] = {}
        for c in COMMANDS:
            if c.menu == name and not self.actions[c.id].isVisible():
                missing.setdefault(NEEDS[c.when] if self._opened() else "a model", []).append(c)
        for words in (w for w in ("a model", *NEEDS.values()) if w in missing):
            more = QMenu(f"With {words}: {len(missing[words])} more", menu)
            for c in missing[words]:
                _line(more, c.title)
            menu.addMenu(more)
            self._needs.setdefault(name, []).append(more)

    def _opened(self) -> bool:
        return self.window.state.review is not None

    def of_picked(self) -> QMenu | None:
        """The menu of what is picked: what is usual first, the rest by what it is about; None where nothing
        is picked."""
        state = self.window.state
        if not self._opened() or state.picked is None:
            return None
        self.window._refresh()
        usable = [c for c in COMMANDS if c.when in PICKED and c.when(self.window)]
        menu = QMenu(self.window)
        _line(menu, self._title())
        menu.addSeparator()
        for ident in FIRST:
            if any(c.id == ident for c in usable):
                menu.addAction(self.actions[ident])
        menu.addSeparator()
        inner: dict[str, QMenu] = {}
        for c in usable:
            if c.id in (*FIRST, *LAST):
                continue
            group = GROUP_OF.get(c.id)
            if group is None:
                menu.addAction(self.actions[c.id])
                continue
            if group not in inner:
                inner[group] = QMenu(group, menu)
                menu.addMenu(inner[group])
            inner[group].addAction(self.actions[c.id])
        menu.addSeparator()
        for ident in LAST:
            if any(c.id == ident for c in usable):
                menu.addAction(self.actions[ident])
        return menu

    def _title(self) -> str:
        """Return what is picked: one thing by its name, several counted by class."""
        state = self.window.state
        model = state.review.model
        chosen = list(dict.fromkeys([state.picked, *state.selected]))
        if len(chosen) == 1:
            kind, ident = chosen[0]
            part = model.part(ident)
            return f"{part.cls} {part.name or part.id}" if part is not None else f"{kind} {ident}"
        counts: dict[str, int] = {}
        for kind, ident in chosen:
            part = model.part(ident)
            cls = part.cls if part is not None else kind
            counts[cls] = counts.get(cls, 0) + 1
        return ", ".join(f"{n} {cls}{'s' if n > 1 else ''}" for cls, n in counts.items())

    def ask(self, at: QPoint) -> None:
        """Show the menu of what is picked at a place of the screen."""
        self.opened = self.of_picked()
        if self.opened is not None:
            self.opened.popup(at)
