"""Where a map or pattern gets its coordinates, and what lies outside its tile: lists in the controls."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from collage.app.widgets.outside_list import OutsideList
from collage.app.widgets.panels import quiet
from collage.core.actions.coordinates import coordinates_for, coordinates_of, set_coordinates
from collage.core.actions.projectors import images_behind
from collage.core.actions.session import Session
from collage.core.document.model import MAP_SET, Card
from collage.core.nodes.coordinates import COORDINATES, place_of
from collage.core.nodes.library import TabDef
from collage.core.nodes.wiring import origin

WIRED = "Wired card"


def takes_coordinates(session: Session, card: Card, tab: TabDef) -> bool:
    """Whether coordinates can be chosen at an input: of a map or pattern, or of its placement."""
    if tab.name not in COORDINATES or card.network is not None:
        return False
    return place_of(session.library, session.network, card.name) is not None


class CoordinatesField(QWidget):
    """The list, and a button that goes to the card that gives them."""

    def __init__(self, session: Session, card: Card, tab: TabDef) -> None:
        super().__init__()
        self.session, self.card = session, card.name
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.list = QComboBox()
        self.list.setFixedHeight(22)
        self.list.setAccessibleName("Coordinates")
        self.list.setToolTip("Where the map or pattern gets its coordinates")
        now = coordinates_of(session, card.name)
        if now is None:
            self.list.addItem(WIRED, "")
        for one in coordinates_for(session):
            self.list.addItem(one.label, one.key)
            self.list.setItemData(self.list.count() - 1, one.help, Qt.ItemDataRole.ToolTipRole)
        self.list.setCurrentIndex(max(self.list.findData(now.key if now is not None else ""), 0))
        self.list.activated.connect(self._choose)
        row.addWidget(self.list, 1)
        source = self._source(card, tab)
        if source:
            go = QToolButton()
            go.setText("›")
            go.setFixedSize(22, 22)
            go.setToolTip(f"Go to “{session.title(source)}”")
            go.setAccessibleName("Go to the card of the coordinates")
            go.clicked.connect(lambda: session.select([source]))
            row.addWidget(go)

    def _source(self, card: Card, tab: TabDef) -> str:
        one = card.inputs.get(tab.name)
        return origin(self.session.network, one.wire)[0].card if one is not None and one.wire is not None else ""

    def _choose(self, _row: int) -> None:
        key = self.list.currentData()
        if key:
            set_coordinates(self.session, self.card, key)


PLACED = ("place2d", "clg_projector", "clg_vary_uv", "clg_crops")
"""Categories of cards, beside map sets, at which it is chosen what lies outside the tile of all their images."""


def places_images(session: Session, card: Card) -> bool:
    """Whether it is chosen at a card what lies outside the tile of the images behind it."""
    placed = card.category in PLACED or card.attributes.get(MAP_SET) == "true"
    return placed and bool(images_behind(session.network, card.name))


class OutsideField(QWidget):
    """What lies outside the tile, for all images behind a card."""

    def __init__(self, session: Session, card: Card) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addWidget(quiet("Outside the tile"))
        self.list = OutsideList(session)
        self.list.show_card(card.name)
        column.addWidget(self.list)
        self.setFixedWidth(136)
