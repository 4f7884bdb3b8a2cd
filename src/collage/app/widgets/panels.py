"""Parts that panels are made of."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea


def title(text: str) -> QLabel:
    """A panel's heading."""
    label = QLabel(text)
    label.setObjectName("title")
    return label


def quiet(text: str) -> QLabel:
    """A small caption."""
    label = QLabel(text)
    label.setObjectName("quiet")
    return label


def scroll_area(*, sideways: bool = False) -> QScrollArea:
    """A frameless area that scrolls its contents up and down, and sideways only if asked to."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    if not sideways:
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area
