"""A paper card pinned to the start page: a picture, a name, and a line about it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QEnterEvent, QFocusEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from collage.app.theme import Theme, font

SIZE = QSize(220, 196)
EDGE = 8  # pixels of paper around the picture
PICTURE = QSize(SIZE.width() - 2 * EDGE, 132)
PIN = 7


class Pinned(QWidget):
    """Chosen by a click, by Enter or by Space."""

    chosen = Signal()

    def __init__(self, theme: Theme, name: str, note: str, image: QImage | None = None, tip: str = "") -> None:
        super().__init__()
        self.theme, self.name, self.note, self.image = theme, name, note, image
        self._under = False
        self.setFixedSize(SIZE)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(name)
        self.setToolTip(tip or note)

    def paintEvent(self, event: QPaintEvent) -> None:
        theme, painter = self.theme, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        paper = QRect(0, PIN // 2, self.width() - 1, self.height() - PIN // 2 - 2)
        painter.fillRect(paper.translated(1, 1), QColor(theme.shade))
        painter.fillRect(paper, QColor(theme.card))
        marked = self._under or self.hasFocus()
        painter.setPen(QPen(QColor(theme.accent if marked else theme.line), 1))
        painter.drawRect(paper)
        place = QRect(EDGE, paper.top() + EDGE, PICTURE.width(), PICTURE.height())
        self._draw_picture(painter, place)
        painter.fillRect(QRect(self.width() // 2 - PIN // 2, 0, PIN, PIN), QColor(theme.ink))
        below = QRect(EDGE, place.bottom() + 6, PICTURE.width(), 20)
        self._draw_line(painter, below, self.name, theme.ink, 13, bold=True)
        self._draw_line(painter, below.translated(0, 19), self.note, theme.quiet, 11)
        painter.end()

    def _draw_picture(self, painter: QPainter, place: QRect) -> None:
        if self.image is None or self.image.isNull():
            painter.fillRect(place, QColor(self.theme.panel))
            painter.setFont(font(12))
            painter.setPen(QColor(self.theme.quiet))
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, "No picture yet")
            return
        shape, image = place.width() / place.height(), self.image  # its middle, cut to the card's shape
        width, height = min(image.width(), image.height() * shape), min(image.height(), image.width() / shape)
        cut = QRectF((image.width() - width) / 2, (image.height() - height) / 2, width, height)
        painter.drawImage(QRectF(place), image, cut)

    @staticmethod
    def _draw_line(painter: QPainter, place: QRect, text: str, colour: str, size: int, *, bold: bool = False) -> None:
        painter.setFont(font(size, bold=bold))
        painter.setPen(QColor(colour))
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, place.width())
        painter.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)

    # ---- the hand -----------------------------------------------------------------------------

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.rect().contains(event.position().toPoint()):
            self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit()
        else:
            super().keyPressEvent(event)

    def enterEvent(self, event: QEnterEvent) -> None:
        self._under = True
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self._under = False
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()
