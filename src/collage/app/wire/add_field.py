"""The add field: type what is wanted, and it stands on the board where the pointer was."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QListWidgetItem, QWidget

from collage.app.widgets.search_popup import SearchPopup
from collage.core.nodes.labels import TYPE_WORDS, Offer, search
from collage.core.nodes.library import Library
from collage.core.nodes.wiring import fits


class AddField(SearchPopup):
    """A search over all kinds of cards, with their pictures. `chosen` is called with an offer and an input."""

    def __init__(self, library: Library, every: list[Offer], pictures: dict[str, QPixmap], parent: QWidget) -> None:
        super().__init__(parent, 280)
        self._library, self._every, self._pictures = library, every, pictures
        self._source_type = ""
        self._chosen: Callable[[Offer, str], None] = lambda _offer, _input: None
        self.line.setPlaceholderText("Add a card: noise, mix, ramp, normal …")
        self.line.setAccessibleName("Search for a card to add")

    def set_pictures(self, pictures: dict[str, QPixmap]) -> None:
        """Pictures of kinds, by category."""
        self._pictures.update(pictures)

    def ask(self, at: QPoint, chosen: Callable[[Offer, str], None], source_type: str = "") -> None:
        """Opens at a point of the parent; with a source type only what can take it is shown."""
        self._chosen, self._source_type = chosen, source_type
        self.open_at(at)

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

    def search(self, text: str) -> None:
        self.found.clear()
        found = search(self._every, text)
        if self._source_type:  # what takes the wire as it is comes before what converts it
            found = [offer for offer in found if self.target_input(offer)]
            found.sort(key=self._converts)
        for offer in found:
            word = TYPE_WORDS.get(offer.definition.type, offer.definition.type)
            tip = offer.definition.help or f"{offer.definition.category} of the standard library"
            picture = self._pictures.get(offer.definition.category)
            self.add_row(f"{offer.label}  ·  {word}", offer, picture, tip)
        self.found.setCurrentRow(0)

    def _converts(self, offer: Offer) -> bool:
        return offer.definition.inputs[self.target_input(offer)].type != self._source_type

    def take(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        offer: Offer = item.data(Qt.ItemDataRole.UserRole)
        self.leave()
        self._chosen(offer, self.target_input(offer))
