"""Parts that panels are made of."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QFrame, QLabel, QLayout, QScrollArea, QSizePolicy, QSplitter, QWidget


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


def splitter(
    name: str, direction: Qt.Orientation, parts: list[QWidget], sizes: list[int] | None = None, stretch: int = -1
) -> QSplitter:
    """Parts side by side or below each other, with a line between that can be moved. stretch : which part grows."""
    made = QSplitter(direction)
    made.setObjectName(name)
    made.setHandleWidth(1)
    made.setChildrenCollapsible(False)
    for part in parts:
        made.addWidget(part)
    if sizes is not None:
        made.setSizes(sizes)
    if stretch >= 0:
        made.setStretchFactor(stretch, 1)
    return made


def scroll_area(*, sideways: bool = False) -> QScrollArea:
    """A frameless area that scrolls its contents up and down, and sideways only if asked to."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it takes the keyboard
    if not sideways:
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area


def fill(area: QScrollArea, inside: QWidget) -> None:
    """Puts a widget into a scroll area. What was there goes once its events are done: one may have asked for this.

    If the keyboard was in it, it is nowhere then: else it would go to the next field, which would take what is typed.
    """
    before = area.widget()
    if before is not None:
        typed_into = QApplication.focusWidget()
        if typed_into is not None and before.isAncestorOf(typed_into):
            typed_into.clearFocus()
        area.takeWidget()
        before.hide()
        before.deleteLater()
    area.setWidget(inside)


def empty(layout: QLayout) -> None:
    """Takes all widgets out of a layout, and lets go of them."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item is not None else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()


class Elided(QLabel):
    """A line of text that ends in dots where the room does; it never widens what it lies in."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), text)
