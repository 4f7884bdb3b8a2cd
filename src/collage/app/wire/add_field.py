"""The add field: type what is wanted, and it stands on the board where the pointer was."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, QPoint, QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent, QPixmap
from PySide6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from collage.core.nodes.labels import TYPE_WORDS, Offer, search
from collage.core.nodes.library import Library
from collage.core.nodes.wiring import fits


class AddField(QFrame):
    """A search over all kinds of cards, with their pictures. `chosen` is called with an offer and an input."""

    def __init__(self, library: Library, every: list[Offer], pictures: dict[str, QPixmap], parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("popup")
        self._board = parent
        self._library, self._every, self._pictures = library, every, pictures
        self._source_type = ""
        self._chosen: Callable[[Offer, str], None] = lambda _offer, _input: None
        self.line = QLineEdit()
        self.line.setPlaceholderText("Add a card: noise, mix, ramp, normal …")
        self.line.setAccessibleName("Search for a card to add")
        self.line.textChanged.connect(self._search)
        self.line.installEventFilter(self)
        self.found = QListWidget()
        self.found.setObjectName("found")
        self.found.setIconSize(QSize(40, 24))
        self.found.setUniformItemSizes(True)
        self.found.itemClicked.connect(self._take)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 6, 6, 6)
        layout.addWidget(self.line)
        layout.addWidget(self.found)
        self.setFixedSize(280, 320)
        self.hide()

    def set_pictures(self, pictures: dict[str, QPixmap]) -> None:
        """Pictures of kinds, by category."""
        self._pictures.update(pictures)

    def ask(self, at: QPoint, chosen: Callable[[Offer, str], None], source_type: str = "") -> None:
        """Opens at a point of the parent; with a source type only what can take it is shown."""
        self._chosen, self._source_type = chosen, source_type
        room = self._board.rect()
        x = min(max(at.x() - 20, 4), room.width() - self.width() - 4)
        y = min(max(at.y() - 12, 4), room.height() - self.height() - 4)
        self.move(x, y)
        self.line.clear()
        self._search("")
        self.show()
        self.raise_()
        self.line.setFocus()

    def target_input(self, offer: Offer) -> str:
        """The input that a wire of the source's type would end at; empty if there is none."""
        kind = self._source_type
        if not kind:
            return ""
        inputs = [tab for tab in offer.definition.inputs.values() if not tab.uniform]
        main = offer.definition.main_input
        exact = [tab.name for tab in inputs if tab.type == kind]
        if main is not None and main in exact:
            return main
        if exact:
            return exact[0]
        loose = [tab.name for tab in inputs if fits(self._library, kind, tab.type)]
        return loose[0] if loose else ""

    def _search(self, text: str) -> None:
        self.found.clear()
        found = search(self._every, text)
        if self._source_type:  # what takes the wire as it is comes before what converts it
            found = [offer for offer in found if self.target_input(offer)]
            found.sort(key=self._converts)
        for offer in found:
            word = TYPE_WORDS.get(offer.definition.type, offer.definition.type)
            item = QListWidgetItem(f"{offer.label}  ·  {word}")
            item.setData(Qt.ItemDataRole.UserRole, offer)
            item.setToolTip(offer.definition.help or f"{offer.definition.category} of the standard library")
            picture = self._pictures.get(offer.definition.category)
            if picture is not None:
                icon = QIcon(picture)
                icon.addPixmap(picture, QIcon.Mode.Selected)  # chosen rows keep the picture's colours
                item.setIcon(icon)
            self.found.addItem(item)
        self.found.setCurrentRow(0)

    def _converts(self, offer: Offer) -> bool:
        return offer.definition.inputs[self.target_input(offer)].type != self._source_type

    def _take(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        offer: Offer = item.data(Qt.ItemDataRole.UserRole)
        self.hide()
        self._board.setFocus()
        self._chosen(offer, self.target_input(offer))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.found.setCurrentRow(min(max(self.found.currentRow() + step, 0), self.found.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take(self.found.currentItem())
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.hide()
                self._board.setFocus()
                return True
        if event.type() == QEvent.Type.FocusOut and not self.found.hasFocus():
            self.hide()
        return super().eventFilter(watched, event)
