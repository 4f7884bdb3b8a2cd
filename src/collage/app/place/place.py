"""The Place place: the objects at the left, how they look in the middle, where the chosen one stands below."""

from __future__ import annotations

from pathlib import Path

from psygnal import Signal as Event
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QWidget

from collage.app.place.panel import PlacementPanel
from collage.app.place.tree import ObjectTree
from collage.app.place.view import HINT, Chosen, ObjectView
from collage.app.shell.place import Entry
from collage.app.shell.studio import Studio
from collage.app.theme import Theme
from collage.app.widgets.panels import splitter
from collage.core.document.history import History
from collage.core.project.objects import is_mesh
from collage.core.project.state import Project


class PlacePlace:
    """See shell.place.Place."""

    title = "Place"
    hint = HINT
    opens = frozenset[str]()
    steps_changed = Event()

    def __init__(self, studio: Studio) -> None:
        self.studio, self.session = studio, studio.session
        self.tree, self.view = ObjectTree(studio.session), ObjectView(studio)
        self.panel = PlacementPanel(studio.session)
        self.middle = splitter("place middle", Qt.Orientation.Vertical, [self.view, self.panel], [560, 150], stretch=0)
        self.widget: QWidget = splitter(
            "place", Qt.Orientation.Horizontal, [self.tree, self.middle], [260, 1020], stretch=1
        )
        self.tree.chosen.connect(self.choose)
        self.view.picked.connect(self.choose)
        self.view.pixel.connect(studio.pixel)
        self.view.timed.connect(studio.timed)
        self.view.failed.connect(studio.tell)
        studio.theme_changed.connect(self._set_theme)

    @property
    def splitters(self) -> dict[str, QSplitter]:
        assert isinstance(self.widget, QSplitter)
        return {"place": self.widget, "place middle": self.middle}

    @property
    def history(self) -> History[Project]:
        return self.session.history

    @property
    def settled(self) -> bool:
        return not self.widget.isVisible() or self.view.settled

    def entries(self) -> list[Entry]:
        return []

    def shown(self) -> None:
        self.view.setFocus()
        self.tree.fill()

    def take_files(self, paths: list[Path]) -> bool:
        """Meshes come on the bench."""
        meshes = [path for path in paths if is_mesh(path)]
        if meshes:
            self.studio.objects_dropped.emit(meshes)
        return bool(meshes)

    def choose(self, chosen: Chosen | None) -> None:
        """Shows an object, or some faces of it, in the tree, in the picture and in the fields."""
        self.tree.choose(chosen)
        self.view.choose(chosen)
        self.panel.show_object(chosen[0] if chosen is not None else "")

    def _set_theme(self, theme: Theme) -> None:
        self.view.theme = theme
        self.view.update()

    def close_down(self) -> None:
        self.studio.theme_changed.disconnect(self._set_theme)
        self.tree.close_down()
        self.view.close_down()
        self.panel.close_down()
