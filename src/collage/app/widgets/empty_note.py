"""What stands in the middle of an empty panel: a line that says what belongs there, and the button that does it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget


class EmptyNote(QWidget):
    """Lies over a widget; its owner says when it is shown."""

    def __init__(self, over: QWidget, text: str, button: str) -> None:
        super().__init__(over)
        self._over = over
        label = QLabel(text)
        label.setObjectName("quiet")
        label.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.button = QPushButton(button)
        self.button.setToolTip(text)
        column = QVBoxLayout(self)
        column.addWidget(label)
        column.addWidget(self.button, 0, Qt.AlignmentFlag.AlignHCenter)
        over.installEventFilter(self)
        self.hide()

    def show_when(self, empty: bool) -> None:
        """Shows it, or hides it."""
        if empty:
            self._centre()
        self.setVisible(empty)

    def _centre(self) -> None:
        self.adjustSize()
        self.move((self._over.width() - self.width()) // 2, (self._over.height() - self.height()) // 2)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self._centre()
        return super().eventFilter(watched, event)
