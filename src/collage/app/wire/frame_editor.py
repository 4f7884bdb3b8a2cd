"""A line over a frame's title, or a field over a note, to write in."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QPlainTextEdit

from collage.app.wire.board_view import BoardView
from collage.app.wire.frame_item import BAR, FrameItem


class FrameEditor(QPlainTextEdit):
    """Enter (in a note Ctrl+Enter) or a click elsewhere keeps what was written, Escape drops it."""

    done = Signal(str)

    def __init__(self, item: FrameItem, board: BoardView) -> None:
        super().__init__(board.viewport())
        self.setObjectName("frame editor")
        self._note = item.is_note
        self._open = True
        self.setPlainText(item.frame.text if self._note else item.frame.title)
        self.setAccessibleName("Note text" if self._note else "Box title")
        width, height = item.size
        box = board.mapFromScene(item.mapRectToScene(QRectF(0, 0, width, height if self._note else BAR))).boundingRect()
        self.setGeometry(box.x(), box.y(), max(box.width(), 160), max(box.height(), 30))
        self.installEventFilter(self)

    def open(self) -> None:
        self.selectAll()
        self.show()
        self.setFocus()

    def _end(self, keep: bool) -> None:
        if self._open:
            self._open = False
            if keep:
                self.done.emit(self.toPlainText().strip())
            self.deleteLater()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.KeyPress and isinstance(event, QKeyEvent):
            if event.key() == Qt.Key.Key_Escape:
                self._end(False)
                return True
            enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if enter and (not self._note or event.modifiers() & Qt.KeyboardModifier.ControlModifier):
                self._end(True)
                return True
        if event.type() == QEvent.Type.FocusOut:
            self._end(True)
        return super().eventFilter(watched, event)
