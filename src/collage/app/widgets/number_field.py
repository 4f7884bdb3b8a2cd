"""A field for one number."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PySide6.QtWidgets import QLineEdit, QWidget


class NumberField(QLineEdit):
    """A number: drag it, type it, wheel it, step it with the arrows; a double-click brings the default.

    Shift is fine, Ctrl is coarse. A bar below shows where it lies in its soft range, which it may leave.
    """

    edited = Signal(float, bool)
    reset = Signal()

    def __init__(
        self,
        value: float = 0.0,
        *,
        soft: tuple[float, float] = (0.0, 1.0),
        hard: tuple[float | None, float | None] = (None, None),
        whole: bool = False,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._value, self._soft, self._hard, self._whole = value, soft, hard, whole
        self._press: QPointF | None = None
        self._from, self._dragging = value, False
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setMinimumWidth(44)
        self.setFixedHeight(22)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setReadOnly(True)
        self.editingFinished.connect(self._typed)
        self._show()

    @property
    def value(self) -> float:
        return self._value

    def set_value(self, value: float) -> None:
        self._value = value
        if self.isReadOnly():
            self._show()
        self.update()

    def _show(self) -> None:
        self.setText(
            str(round(self._value))
            if self._whole
            else f"{self._value:.3f}"
            if abs(self._value) < 1e5
            else f"{self._value:.4g}"
        )

    def _span(self) -> float:
        span = self._soft[1] - self._soft[0]
        return span if span > 0 else 1.0

    def _reach(self, value: float) -> float:
        """How far the hand's way across a field goes: the slider's range, or the value where that is beyond it."""
        return max(self._span(), abs(value))

    def _kept(self, value: float) -> float:
        low, high = self._hard
        value = max(value, low) if low is not None else value
        value = min(value, high) if high is not None else value
        return float(round(value)) if self._whole else round(value, 6)

    def _give(self, value: float, moving: bool) -> None:
        value = self._kept(value)
        if value != self._value or not moving:
            self._value = value
            if self.isReadOnly():
                self._show()
            self.update()
            self.edited.emit(value, moving)

    @staticmethod
    def _factor(modifiers: Qt.KeyboardModifier) -> float:
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            return 0.1
        return 10.0 if modifiers & Qt.KeyboardModifier.ControlModifier else 1.0

    # ---- typing -------------------------------------------------------------------------------

    def _begin_typing(self) -> None:
        self.setReadOnly(False)
        self.setCursor(Qt.CursorShape.IBeamCursor)
        self.selectAll()

    def _end_typing(self) -> None:
        self.setReadOnly(True)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.deselect()
        self._show()

    def _typed(self) -> None:
        if self.isReadOnly():
            return
        text = self.text().strip().replace(",", ".")
        try:
            value = float(text)
        except ValueError:
            value = self._value
        self._end_typing()
        if math.isfinite(value) and value != self._value:
            self._give(value, False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 1.0 if self._whole else self._reach(self._value) / 100
        keys = {Qt.Key.Key_Up: 1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Left: -1}
        if self.isReadOnly() and event.key() in keys:
            self._give(self._value + keys[Qt.Key(event.key())] * step * self._factor(event.modifiers()), False)
        elif self.isReadOnly() and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._begin_typing()
        elif self.isReadOnly() and event.text() and event.text() in "0123456789-.,":
            self._begin_typing()
            self.setText(event.text())
        elif event.key() == Qt.Key.Key_Escape and not self.isReadOnly():
            self._end_typing()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._typed()

    # ---- dragging -----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.isReadOnly():
            super().mousePressEvent(event)
            return
        if event.button() == Qt.MouseButton.LeftButton:
            self._press, self._from, self._dragging = event.globalPosition(), self._value, False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            super().mouseMoveEvent(event)
            return
        gone = event.globalPosition().x() - self._press.x()
        if self._dragging or abs(gone) > 3:
            self._dragging = True
            scale = self._reach(self._from) / 160 * self._factor(event.modifiers())
            self._give(self._from + gone * max(scale, 0.02) if self._whole else self._from + gone * scale, True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is None:
            super().mouseReleaseEvent(event)
            return
        self._press = None
        if self._dragging:
            self._dragging = False
            self.edited.emit(self._value, False)
        else:
            self.setFocus()
            self._begin_typing()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._press = None
        self._end_typing()
        self.reset.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if not self.hasFocus():  # a wheel over a list of fields must scroll the list
            event.ignore()
            return
        step = 1.0 if self._whole else self._reach(self._value) / 50
        self._give(self._value + math.copysign(step, event.angleDelta().y()) * self._factor(event.modifiers()), False)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        share = (self._value - self._soft[0]) / self._span()
        painter = QPainter(self)
        width = round(min(max(share, 0.0), 1.0) * (self.width() - 2))
        painter.fillRect(1, self.height() - 3, width, 2, self.palette().text().color())
        painter.end()
