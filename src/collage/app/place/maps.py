"""The maps and patterns of the material in hand, and the coordinates of each."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import QComboBox, QFrame, QHeaderView, QMenu, QTreeWidget, QTreeWidgetItem, QVBoxLayout

from collage.app.widgets.panels import title
from collage.core.actions.coordinates import coordinates_for, coordinates_of, set_coordinates
from collage.core.actions.session import Session
from collage.core.document.model import MAP_SET, Card, Network
from collage.core.nodes.coordinates import chosen, place_of
from collage.core.nodes.projectors import PROJECTORS
from collage.core.nodes.wiring import origin
from collage.core.project.state import Project

SHOWN = ("texture2d", "texture3d", "procedural2d", "procedural3d")
"""Groups of the library whose cards are maps and patterns."""

Listed = tuple[str, tuple[str, ...], list[tuple[str, str, str]]]
"""The material in hand, all there are, and card, title and coordinates of each of its maps."""


class MapList(QFrame):
    """Choosing a map shows its projector; its coordinates are changed by its menu or with Enter."""

    chosen = Signal(str)  # the card that gives a map its coordinates; empty for none

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session = session
        self._shown: Listed | None = None
        self.heading = title("Maps")
        self.material = QComboBox()
        self.material.setAccessibleName("Material")
        self.material.setToolTip("The material whose maps are listed")
        self.material.activated.connect(self._switch)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Maps")
        self.tree.setToolTip("Maps and patterns, and where they get their coordinates; right-click to change")
        self.tree.setHeaderLabels(["Map", "Coordinates"])
        self.tree.setRootIsDecorated(False)
        self.tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.tree.header().setStretchLastSection(False)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setColumnWidth(1, 128)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._menu_at)
        self.tree.itemActivated.connect(lambda item, _: self._menu(item, self._below(item)))
        self.tree.currentItemChanged.connect(self._current_changed)
        self.tree.itemClicked.connect(self._current_changed)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 8, 8)
        column.addWidget(self.heading)
        column.addWidget(self.material)
        column.addWidget(self.tree, 1)
        session.changed.connect(self._on_changed)
        session.opened.connect(self.fill)
        session.material_changed.connect(self.fill)
        self.fill()

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.session.opened.disconnect(self.fill)
        self.session.material_changed.disconnect(self.fill)

    def _on_changed(self, before: Project, after: Project) -> None:
        name = self.session.material
        same = before.materials.get(name) is after.materials.get(name) and before.bench.objects is after.bench.objects
        same = same and list(before.materials) == list(after.materials)
        if self.isVisible() and not same:
            found = self._found()
            if found != self._shown:
                self._list(found)

    def _found(self) -> Listed:
        """The material in hand, all there are, and the lines of its maps."""
        return self.session.material, tuple(self.session.project.materials), self._lines()

    def _lines(self) -> list[tuple[str, str, str]]:
        """Card, title and coordinates of each map and pattern."""
        network, library, found = self.session.network, self.session.library, []
        every = coordinates_for(self.session)
        for name, card in network.cards.items():
            if is_map(self.session, card) and place_of(library, network, name) is not None:
                now = chosen(library, network, name, every)
                found.append((name, self.session.title(name), now.label if now is not None else "other cards"))
        return found

    def fill(self) -> None:
        """Lists all anew; what was chosen stays so."""
        self._list(self._found())

    def _list(self, found: Listed) -> None:
        now, self._shown = self.current, found
        material, materials, lines = found
        self.material.clear()
        self.material.addItems(list(materials))
        self.material.setCurrentText(material)
        self.tree.blockSignals(True)
        self.tree.clear()
        for name, label, coordinates in lines:
            line = QTreeWidgetItem([label, coordinates])
            line.setData(0, Qt.ItemDataRole.UserRole, name)
            line.setToolTip(0, label)
            line.setToolTip(1, coordinates)
            self.tree.addTopLevelItem(line)
            if name == now or self.tree.currentItem() is None:
                self.tree.setCurrentItem(line)
        self.tree.blockSignals(False)
        self._current_changed()

    @property
    def current(self) -> str:
        """The chosen map; empty for none."""
        item = self.tree.currentItem()
        return item.data(0, Qt.ItemDataRole.UserRole) if item is not None else ""

    def choose(self, name: str) -> None:
        """Chooses a map."""
        for row in range(self.tree.topLevelItemCount()):
            item = self.tree.topLevelItem(row)
            if item is not None and item.data(0, Qt.ItemDataRole.UserRole) == name:
                self.tree.setCurrentItem(item)

    def _current_changed(self, *_items: object) -> None:
        self.chosen.emit(source_of(self.session, self.current))

    def _switch(self, _row: int) -> None:
        self.session.show_material(self.material.currentText())

    # ---- its menu -----------------------------------------------------------------------------

    def _menu_at(self, at: QPoint) -> None:
        item = self.tree.itemAt(at)
        if item is not None:
            self._menu(item, self.tree.viewport().mapToGlobal(at))

    def _below(self, item: QTreeWidgetItem) -> QPoint:
        return self.tree.viewport().mapToGlobal(self.tree.visualItemRect(item).bottomLeft())

    def _menu(self, item: QTreeWidgetItem, at: QPoint) -> None:
        menu = self.menu_of(item.data(0, Qt.ItemDataRole.UserRole))
        menu.popup(at)

    def menu_of(self, card: str) -> QMenu:
        """All coordinates there are, the present ones ticked."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.setToolTipsVisible(True)
        now = coordinates_of(self.session, card)
        for choice in coordinates_for(self.session):
            action = menu.addAction(choice.label)
            action.setToolTip(choice.help)
            action.setCheckable(True)
            action.setChecked(choice == now)
            action.triggered.connect(partial(self._set, card, choice.key))
        return menu

    def _set(self, card: str, key: str, _checked: bool = False) -> None:
        self.session.attempt(lambda: set_coordinates(self.session, card, key))


def is_map(session: Session, card: Card) -> bool:
    """Whether a card is a map, a map set or a pattern that a person has put on the board."""
    if card.helper:
        return False
    if card.network is not None:
        return card.attributes.get(MAP_SET) == "true"
    definition = session.definition(card.name)
    return definition is not None and definition.group in SHOWN


def source_of(session: Session, name: str) -> str:
    """The card that gives a map its coordinates, or the map itself if it has a frame; empty where the mesh does."""
    network: Network = session.network
    if name not in network.cards:
        return ""
    if network.cards[name].category in PROJECTORS:  # it has a frame of its own
        return name
    place = place_of(session.library, network, name)
    one = network.cards[place.card].inputs.get(place.tab.name) if place is not None else None
    return origin(network, one.wire)[0].card if one is not None and one.wire is not None else ""
