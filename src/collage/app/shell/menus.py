"""The menu bar, made of what the shell and the places offer."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction, QActionGroup, QKeySequence
from PySide6.QtWidgets import QMenu, QMenuBar

from collage.app.shell.place import SEPARATOR, Entry

MENUS = ("File", "Edit", "Card", "View", "Bench", "Help")
"""In this order; a place may bring more, which stand before Help."""


class Menus(QObject):
    """Fills a menu bar and keeps its ticks right."""

    def __init__(self, bar: QMenuBar) -> None:
        super().__init__(bar)
        self.actions: dict[str, QAction] = {}  # by label, without dots
        self._bar = bar
        self._menus: dict[str, QMenu] = {}
        self._groups: dict[str, QActionGroup] = {}
        self._ticked: list[tuple[QAction, Entry]] = []

    def fill(self, entries: Iterable[Entry]) -> None:
        """Adds entries in their order."""
        entries = list(entries)
        named = [name for name in MENUS if name != "Help"]
        more = dict.fromkeys(one.menu for one in entries if one.menu not in MENUS)
        for name in (*named, *more, "Help"):
            self.menu(name)
        for entry in entries:
            self._add(self.menu(entry.menu), entry)

    def menu(self, name: str) -> QMenu:
        """The menu with a title, made when first asked for."""
        if name not in self._menus:
            menu = self._bar.addMenu(name)
            menu.setToolTipsVisible(True)
            menu.aboutToShow.connect(self.refresh)
            self._menus[name] = menu
        return self._menus[name]

    def _add(self, menu: QMenu, entry: Entry) -> None:
        if entry.label == SEPARATOR:
            menu.addSeparator()
            return
        action = QAction(entry.label, menu)
        if entry.keys:
            action.setShortcuts([QKeySequence(keys) for keys in entry.keys.split("|")])
        if entry.help:
            action.setToolTip(entry.help)
        if entry.ticked is not None:
            action.setCheckable(True)
            self._ticked.append((action, entry))
        if entry.group:
            self._groups.setdefault(entry.group, QActionGroup(self)).addAction(action)
        action.triggered.connect(lambda _=False, run=entry.run: run())
        menu.addAction(action)
        self.actions[entry.label.replace("…", "")] = action

    def refresh(self) -> None:
        """Sets all ticks as things are now."""
        for action, entry in self._ticked:
            if entry.ticked is not None:
                action.setChecked(entry.ticked())
