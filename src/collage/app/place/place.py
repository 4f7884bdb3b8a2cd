"""The Place place: the objects at the left, how they look in the middle, where the chosen one stands below."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from psygnal import Signal as Event
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QStackedWidget, QVBoxLayout, QWidget

from collage.app.place.bake_dialog import BakeDialog
from collage.app.place.maps import MapList
from collage.app.place.panel import PlacementPanel
from collage.app.place.pick_strip import WAYS, PickStrip
from collage.app.place.placement_panel import MapPlacement
from collage.app.place.projector_panel import ProjectorPanel
from collage.app.place.tree import ObjectTree
from collage.app.place.uv_page import UvPage
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
        self.maps, self.projector = MapList(studio.session), ProjectorPanel(studio.session)
        self.panel, self.below = PlacementPanel(studio.session), QStackedWidget()
        self.below.addWidget(self.panel)
        self.placement = MapPlacement(studio.session)
        self.below.addWidget(self.projector)
        self.below.addWidget(self.placement)
        self.left = splitter("place left", Qt.Orientation.Vertical, [self.tree, self.maps], [360, 240], stretch=0)
        self.strip = PickStrip(studio.session)
        above = QWidget()
        column = QVBoxLayout(above)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.strip)
        column.addWidget(self.view, 1)
        self.middle = splitter("place middle", Qt.Orientation.Vertical, [above, self.below], [530, 180], stretch=0)
        self.strip.changed.connect(self._faces_picked)
        self.strip.named.connect(self.choose)
        self.strip.way_changed.connect(self._set_way)
        self.view.face_clicked.connect(self._click_face)
        self.view.area_picked.connect(lambda name, picked, adds: self.strip.pick(name, picked, adds=adds))
        self.uvs = UvPage(studio)
        self.widget: QWidget = splitter(
            "place", Qt.Orientation.Horizontal, [self.left, self.middle, self.uvs], [250, 650, 380], stretch=1
        )
        self.uvs.picked.connect(self._uvs_picked)
        self.uvs.edges_picked.connect(self.view.show_edges)
        self.uvs.moving.connect(self.view.show_moving)
        self.view.edge_clicked.connect(self.uvs.pick_edge)
        self.uvs.measured.connect(self.view.show_measure)
        self.uvs.patterned.connect(self.view.show_pattern)
        self.uvs.view.pointed.connect(studio.pixel)
        self.maps.chosen.connect(self.show_projector)
        self.view.hint.connect(studio.hint)
        self.tree.chosen.connect(self.choose)
        self.tree.bake_wanted.connect(self.bake)
        self.panel.bake_wanted.connect(self.bake)
        self.view.picked.connect(self.choose)
        self.view.pixel.connect(studio.pixel)
        self.view.timed.connect(studio.timed)
        self.view.failed.connect(studio.tell)
        studio.theme_changed.connect(self._set_theme)

    @property
    def splitters(self) -> dict[str, QSplitter]:
        assert isinstance(self.widget, QSplitter)
        return {"place": self.widget, "place middle": self.middle, "place left": self.left}

    @property
    def history(self) -> History[Project]:
        return self.session.history

    @property
    def settled(self) -> bool:
        return not self.widget.isVisible() or (self.view.settled and self.uvs.settled)

    def entries(self) -> list[Entry]:
        return []

    def shown(self) -> None:
        self.session.open_group(())  # maps are those of the whole material
        self.view.setFocus()
        self.tree.fill()
        self.maps.fill()

    def take_files(self, paths: list[Path]) -> bool:
        """Meshes come on the bench."""
        meshes = [path for path in paths if is_mesh(path)]
        if meshes:
            self.studio.objects_dropped.emit(meshes)
        return bool(meshes)

    def choose(self, chosen: Chosen | None) -> None:
        """Shows an object, or some faces of it, in tree, picture, fields and UVs; and the maps of a material it has."""
        item = next((one for one in self.session.project.bench.objects if chosen and one.name == chosen[0]), None)
        if item is not None and self.session.material not in item.materials:
            self.session.show_material(item.material)
        self.tree.choose(chosen)
        self.view.choose(chosen)
        self.panel.show_object(chosen[0] if chosen is not None else "")
        self.projector.chosen = chosen
        self.uvs.show_object(*(chosen if chosen is not None else ("", None)))
        if chosen is not None and not self.view.projector:
            self.below.setCurrentWidget(self.panel)

    def bake(self, name: str) -> None:
        """Opens the dialog that bakes maps for an object."""
        BakeDialog(self.studio, name, self.widget).show()

    def _faces_picked(self, picked: np.ndarray | None) -> None:
        """What is picked on the object is picked in its UVs."""
        self.view.show_picked(picked)
        if picked is None or self.strip.name == self.uvs.name:
            self.uvs.pick_faces(picked)

    def _uvs_picked(self, picked: np.ndarray | None) -> None:
        """What is picked in the UVs is picked on the object."""
        self.strip.take(self.uvs.name, picked)
        self.view.show_picked(picked)

    def _set_way(self, way: str) -> None:
        self.view.way = way
        self.studio.hint.emit(WAYS[way][1] if way != "objects" else HINT)  # type: ignore[index]

    def _click_face(self, name: str, triangle: int, adds: bool) -> None:
        item = next((one for one in self.session.bench.objects if one.name == name), None)
        if item is not None:
            self.strip.by_click(name, item.mesh(), triangle, adds=adds)

    def show_projector(self, card: str) -> None:
        """Shows the frame of a projector over the objects, and its numbers below; of any other card nothing."""
        self.uvs.show_map(self.maps.current)
        self.placement.show_map(self.maps.current)
        is_one = self.projector.show_projector(card)
        self.view.show_projector(card if is_one else "")
        self.below.setCurrentWidget(self.projector if is_one else self.placement if self.maps.current else self.panel)

    def _set_theme(self, theme: Theme) -> None:
        self.view.theme = theme
        self.uvs.set_theme(theme)
        self.view.update()

    def close_down(self) -> None:
        self.studio.theme_changed.disconnect(self._set_theme)
        self.tree.close_down()
        self.view.close_down()
        self.panel.close_down()
        self.maps.close_down()
        self.projector.close_down()
        self.placement.close_down()
        self.uvs.close_down()
