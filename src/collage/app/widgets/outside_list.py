"""What lies outside the tile of the images that a card places: a list."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from collage.core.actions.projectors import images_behind, outside_of, set_outside
from collage.core.actions.session import Session

LABELS = {"repeat": "Repeat", "mirror": "Mirror", "hold": "Hold the border", "once": "Once only"}


class OutsideList(QComboBox):
    """Shows and changes it for one card of the open network."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session, self.name = session, ""
        for key, label in LABELS.items():
            self.addItem(label, key)
        self.setFixedHeight(22)
        self.setAccessibleName("Outside the tile")
        self.setToolTip("What lies outside the tile of all images placed here")
        self.activated.connect(self._choose)

    def show_card(self, name: str) -> None:
        """Shows another card."""
        self.name = name
        network = self.session.network
        now = outside_of(self.session, name) if name in network.cards else None
        self.setEnabled(name in network.cards and bool(images_behind(network, name)))
        self.setCurrentIndex(self.findData(now) if now is not None else -1)

    def _choose(self, _row: int) -> None:
        self.session.attempt(lambda: set_outside(self.session, self.name, self.currentData()))
