"""Under the file of an image card: its size, depth and channels, and the colour space it is read in."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from collage.app.widgets.panels import quiet
from collage.core.actions.cards import set_space
from collage.core.actions.session import Session
from collage.core.document.model import Card, Input
from collage.core.gather.spaces import DATA, note_of, reads_colours
from collage.core.images.colour import SPACE_LABELS, SPACES


class SpaceRow(QWidget):
    """Changes the colour space in place; one that is doubtful is marked, and the mark sets the one that fits."""

    def __init__(self, session: Session, card: Card, one: Input) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        note = note_of(session.network, card, one, session.found(str(one.value))) if one.value else None
        self.about = quiet(note.text if note is not None else "")
        self.spaces = QComboBox()
        self.spaces.setAccessibleName("Colour space")
        self.spaces.setToolTip("How the file's numbers are read")
        self.spaces.setFixedHeight(22)
        self.mark = QToolButton()
        self.mark.setFixedHeight(22)
        self.mark.setVisible(False)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.spaces, 1)
        row.addWidget(self.mark)
        column.addWidget(self.about)
        column.addLayout(row)
        if note is None:
            self.setVisible(False)
            return
        for space in (DATA, *SPACES):
            self.spaces.addItem(SPACE_LABELS.get(space, space), space)
        if self.spaces.findData(note.space) < 0:
            self.spaces.addItem(note.space, note.space)
        self.spaces.setCurrentIndex(self.spaces.findData(note.space))
        self.spaces.setEnabled(reads_colours(card, one.name))
        self.spaces.activated.connect(lambda _: set_space(session, card.name, one.name, self.spaces.currentData()))
        if note.doubt:
            self.mark.setText(f"Use {SPACE_LABELS.get(note.wanted, note.wanted)}")
            self.mark.setToolTip(note.doubt)
            self.mark.setVisible(True)
            self.mark.clicked.connect(lambda: set_space(session, card.name, one.name, note.wanted))
