"""Places that are imported and built when they are first shown, so that a window opens without waiting for them."""

from __future__ import annotations

import importlib
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import Signal as Event
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from collage.app.shell.place import Entry, Place
from collage.app.shell.studio import Studio
from collage.core.document.history import History


@dataclass(frozen=True)
class Listed:
    """A place in the list of places.

    source : where its class is, as "package.module:Class". opens : see Place. takes_files : whether files that are
    dropped anywhere may go to it. entries : of the menus, as (menu, label, method of the place, keys, help); for places
    that are built when first shown. at_once : whether it is built with the window, and asked for its own entries.
    """

    title: str
    source: str
    opens: frozenset[str] = frozenset()
    takes_files: bool = False
    entries: tuple[tuple[str, str, str, str, str], ...] = ()
    at_once: bool = False


class LazyPlace:
    """Stands for a place until it is shown; see shell.place.Place."""

    steps_changed = Event()

    def __init__(self, listed: Listed, studio: Studio) -> None:
        self.title, self.opens, self._listed, self._studio = listed.title, listed.opens, listed, studio
        self.widget = QWidget()
        self._column = QVBoxLayout(self.widget)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._place: Place | None = None
        self._sizes: dict[str, list[int]] = {}
        if listed.at_once:
            self.built()

    def built(self) -> Any:
        """The place itself, imported and built if it was not yet."""
        if self._place is None:
            module, _, name = self._listed.source.partition(":")
            self._place = place = getattr(importlib.import_module(module), name)(self._studio)
            self._column.addWidget(place.widget)
            place.steps_changed.connect(self._tell)
            for key, splitter in place.splitters.items():
                if key in self._studio.settings.splitters:
                    splitter.setSizes(self._studio.settings.splitters[key])
        return self._place

    def _tell(self) -> None:
        self.steps_changed.emit()

    @property
    def hint(self) -> str:
        return self._place.hint if self._place is not None else ""

    @property
    def splitters(self) -> dict[str, QSplitter]:
        return dict(self._place.splitters) if self._place is not None else {}

    def entries(self) -> list[Entry]:
        if self._listed.at_once:
            found: list[Entry] = self.built().entries()
            return found
        return [
            Entry(menu, label, partial(self._call, method), keys, help)
            for menu, label, method, keys, help in self._listed.entries
        ]

    def _call(self, method: str) -> None:
        getattr(self.built(), method)()

    @property
    def history(self) -> History[Any]:
        return self._place.history if self._place is not None else self._studio.session.history

    @property
    def settled(self) -> bool:
        return self._place is None or self._place.settled

    def shown(self) -> None:
        self.built().shown()

    def take_files(self, paths: list[Path]) -> bool:
        return self._listed.takes_files and bool(self.built().take_files(paths))

    def close_down(self) -> None:
        if self._place is not None:
            self._place.steps_changed.disconnect(self._tell)
            self._place.close_down()
