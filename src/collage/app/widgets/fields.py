"""Fields for values: numbers that drag, type, wheel and step; vectors; colours; choices; texts; files."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QWidget,
)

from collage.core.document.model import Value
from collage.core.images.colour import linear_to_srgb, srgb_to_linear
from collage.core.nodes.labels import CHOICES
from collage.core.nodes.library import TabDef


class Field(QWidget):
    """A value that can be edited. `edited` carries the value and whether the hand is still on it."""

    edited = Signal(object, bool)
    reset = Signal()

    def set_value(self, value: Value) -> None:
        raise NotImplementedError


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
        step = 1.0 if self._whole else self._span() / 100
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
            scale = self._span() / 160 * self._factor(event.modifiers())
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
        step = 1.0 if self._whole else self._span() / 50
        self._give(self._value + math.copysign(step, event.angleDelta().y()) * self._factor(event.modifiers()), False)

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        share = (self._value - self._soft[0]) / self._span()
        painter = QPainter(self)
        width = round(min(max(share, 0.0), 1.0) * (self.width() - 2))
        painter.fillRect(1, self.height() - 3, width, 2, self.palette().text().color())
        painter.end()


class NumbersField(Field):
    """One number, or several beside each other."""

    def __init__(self, tab: TabDef, count: int, whole: bool = False) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.fields = []
        for _ in range(count):
            field = NumberField(soft=soft_range(tab), hard=(tab.limit("uimin"), tab.limit("uimax")), whole=whole)
            field.edited.connect(self._edited)
            field.reset.connect(self.reset)
            row.addWidget(field)
            self.fields.append(field)
        self._whole = whole

    def _edited(self, _value: float, moving: bool) -> None:
        numbers = tuple(field.value for field in self.fields)
        single: Value = int(numbers[0]) if self._whole else numbers[0]
        self.edited.emit(single if len(numbers) == 1 else numbers, moving)

    def set_value(self, value: Value) -> None:
        numbers = value if isinstance(value, tuple) else (value,)
        for field, number in zip(self.fields, numbers, strict=False):
            field.set_value(float(number))


class ColourField(Field):
    """A colour: a swatch that opens the colour dialog, and its sRGB hex."""

    def __init__(self, channels: int) -> None:
        super().__init__()
        self._channels = channels
        self._value: tuple[float, ...] = (0.0,) * channels
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        self.swatch = QPushButton()
        self.swatch.setFixedSize(44, 22)
        self.swatch.setToolTip("Choose a colour")
        self.swatch.setAccessibleName("Colour")
        self.swatch.clicked.connect(self._choose)
        self.hex = QLineEdit()
        self.hex.setFixedHeight(22)
        self.hex.setMinimumWidth(64)
        self.hex.setToolTip("sRGB hex; or three linear numbers")
        self.hex.editingFinished.connect(self._typed)
        row.addWidget(self.swatch)
        row.addWidget(self.hex, 1)

    def set_value(self, value: Value) -> None:
        if not isinstance(value, tuple):
            return
        self._value = value
        colour = self._qcolour()
        self.swatch.setStyleSheet(f"background: {colour.name()};")
        if not self.hex.hasFocus():
            self.hex.setText(colour.name().upper())

    def _qcolour(self) -> QColor:
        shown = np.clip(linear_to_srgb(np.array(self._value[:3])), 0, 1) * 255
        return QColor(*(int(part + 0.5) for part in shown))

    def _give(self, rgb: tuple[float, ...], moving: bool) -> None:
        value = (*rgb, *self._value[3:])
        if value != self._value or not moving:
            self.set_value(value)
            self.edited.emit(value, moving)

    def _typed(self) -> None:
        text = self.hex.text().strip()
        colour = QColor(text if text.startswith("#") else f"#{text}")
        if colour.isValid():
            if colour != self._qcolour():
                self._give(_linear(colour), False)
        else:
            parts = text.replace(",", " ").split()
            try:
                numbers = tuple(float(part) for part in parts)
            except ValueError:
                numbers = ()
            if len(numbers) == 3:
                self._give(numbers, False)
        self.set_value(self._value)

    def _choose(self) -> None:
        dialog = QColorDialog(self._qcolour(), self)
        dialog.setOption(QColorDialog.ColorDialogOption.DontUseNativeDialog)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        before = self._value
        dialog.currentColorChanged.connect(lambda colour: self._give(_linear(colour), True))
        dialog.accepted.connect(lambda: self.edited.emit(self._value, False))
        dialog.rejected.connect(lambda: self._give(before[:3], False))
        dialog.open()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.reset.emit()


def _linear(colour: QColor) -> tuple[float, ...]:
    encoded = np.array([colour.redF(), colour.greenF(), colour.blueF()])
    return tuple(round(float(part), 5) for part in srgb_to_linear(encoded))


class ChoiceField(Field):
    """One of a few words; the stored value may be a number that stands for it."""

    def __init__(self, tab: TabDef) -> None:
        super().__init__()
        self._values: tuple[str, ...] = tab.choice_values or tab.choices
        self._whole = tab.type == "integer"
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.box = QComboBox()
        self.box.addItems([CHOICES.get(choice, choice.capitalize()) for choice in tab.choices])
        self.box.activated.connect(self._chosen)
        row.addWidget(self.box)

    def _chosen(self, index: int) -> None:
        text = self._values[index]
        self.edited.emit(int(text) if self._whole else text, False)

    def set_value(self, value: Value) -> None:
        text = str(value)
        if text in self._values:
            self.box.setCurrentIndex(self._values.index(text))


class SwitchField(Field):
    """Yes or no."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.box = QCheckBox()
        self.box.toggled.connect(lambda on: self.edited.emit(on, False))
        row.addWidget(self.box)

    def set_value(self, value: Value) -> None:
        self.box.blockSignals(True)
        self.box.setChecked(bool(value))
        self.box.blockSignals(False)


class TextField(Field):
    """A line of text."""

    def __init__(self) -> None:
        super().__init__()
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(2)
        self.line = QLineEdit()
        self.line.setFixedHeight(22)
        self.line.editingFinished.connect(self._typed)
        self._value = ""
        self.row.addWidget(self.line)

    def _typed(self) -> None:
        if self.line.text() != self._value:
            self._value = self.line.text()
            self.edited.emit(self._value, False)

    def set_value(self, value: Value) -> None:
        self._value = str(value)
        if not self.line.hasFocus():
            self.line.setText(self._value)
            self.line.setCursorPosition(len(self._value))


class FileField(TextField):
    """A file: its name, and a button to choose another. `relative` turns a path into what is stored."""

    def __init__(self, relative: Callable[[Path], str]) -> None:
        super().__init__()
        self._relative = relative
        button = QPushButton("…")
        button.setFixedSize(24, 22)
        button.setToolTip("Choose a file")
        button.setAccessibleName("Choose a file")
        button.clicked.connect(self._choose)
        self.row.addWidget(button)

    def _choose(self) -> None:
        patterns = "Images (*.png *.jpg *.jpeg *.tif *.tiff *.exr *.hdr)"
        name, _ = QFileDialog.getOpenFileName(self, "Choose an image", "", patterns)
        if name:
            self.set_value(self._relative(Path(name)))
            self.edited.emit(self._value, False)


def soft_range(tab: TabDef) -> tuple[float, float]:
    """The range that a slider covers: the definition's soft range, its hard one, or a guess from the default."""
    low = tab.limit("uisoftmin")
    high = tab.limit("uisoftmax")
    low = tab.limit("uimin") if low is None else low
    high = tab.limit("uimax") if high is None else high
    default = tab.default[0] if isinstance(tab.default, tuple) else tab.default
    number = float(default) if isinstance(default, int | float) else 0.0
    if low is None:
        low = 0.0 if number >= 0 else 2 * number
    if high is None:
        high = max(1.0, 2 * abs(number)) if tab.type != "integer" else max(10.0, 2 * abs(number))
    return (low, high) if high > low else (low, low + 1.0)


def field_for(tab: TabDef, relative: Callable[[Path], str]) -> Field | None:
    """The field that edits an input; None for inputs that only a wire can feed."""
    if tab.choices and tab.type in ("string", "integer"):
        return ChoiceField(tab)
    makers: dict[str, Callable[[], Field]] = {
        "float": lambda: NumbersField(tab, 1),
        "integer": lambda: NumbersField(tab, 1, whole=True),
        "vector2": lambda: NumbersField(tab, 2),
        "vector3": lambda: NumbersField(tab, 3),
        "vector4": lambda: NumbersField(tab, 4),
        "matrix33": lambda: NumbersField(tab, 9),
        "matrix44": lambda: NumbersField(tab, 16),
        "color3": lambda: ColourField(3),
        "color4": lambda: ColourField(4),
        "boolean": SwitchField,
        "string": TextField,
        "geomname": TextField,
        "filename": lambda: FileField(relative),
    }
    make = makers.get(tab.type)
    return make() if make is not None else None
