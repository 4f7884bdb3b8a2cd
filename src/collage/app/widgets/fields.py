"""Fields for values: vectors, colours, choices, texts, files; angles, seeds and places with more than a number."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImageReader, QMouseEvent, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QWidget,
)

from collage.app.widgets.choosing import IMAGES, choose_file
from collage.app.widgets.colour_editor import ColourEditor
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.small import Dial, Dice, Pad
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

    def leave_menu_to_parent(self) -> None:
        """A right click anywhere on it is for the menu of the value, not for the text in a part of it."""
        for part in (self, *self.findChildren(QWidget)):
            part.setContextMenuPolicy(Qt.ContextMenuPolicy.NoContextMenu)

    def setAccessibleName(self, name: str) -> None:
        """Names the parts that the keyboard reaches too."""
        super().setAccessibleName(name)
        parts = self._reached()
        for number, part in enumerate(parts):
            if not part.accessibleName():
                part.setAccessibleName(f"{name} {COMPONENTS[number]}" if 1 < len(parts) <= len(COMPONENTS) else name)

    def setToolTip(self, text: str) -> None:
        super().setToolTip(text)
        for part in self._reached():
            if not part.toolTip():
                part.setToolTip(text)

    def _reached(self) -> list[QWidget]:
        return [part for part in self.findChildren(QWidget) if part.focusPolicy() != Qt.FocusPolicy.NoFocus]


COMPONENTS = "xyzw"


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
        self._more = _more_for(tab, count, whole)
        if self._more is not None:
            self._more.edited.connect(self._given)
            row.addWidget(self._more)

    def _given(self, value: Value, moving: bool) -> None:
        """From the dial, the dice or the pad beside the numbers."""
        self.set_value(value)
        self._edited(0.0, moving)

    def _edited(self, _value: float, moving: bool) -> None:
        if isinstance(self._more, Dial | Pad):
            self._more.set_value(tuple(field.value for field in self.fields))
        numbers = tuple(field.value for field in self.fields)
        single: Value = int(numbers[0]) if self._whole else numbers[0]
        self.edited.emit(single if len(numbers) == 1 else numbers, moving)

    def set_value(self, value: Value) -> None:
        numbers = value if isinstance(value, tuple) else (value,)
        for field, number in zip(self.fields, numbers, strict=False):
            field.set_value(float(number))
        if isinstance(self._more, Dial | Pad):
            self._more.set_value(tuple(float(number) for number in numbers))


_ANGLES = {"rotate", "rotation", "angle", "amount"}
_PLACES = {"offset", "uvoffset", "pivot", "center", "centre"}


def _more_for(tab: TabDef, count: int, whole: bool) -> Dial | Pad | Dice | None:
    """What stands beside the numbers of an input: a dial for an angle, dice for a seed, a pad for a place."""
    if whole and count == 1 and "seed" in tab.name:
        return Dice()
    if count == 1 and (tab.attributes.get("unittype") == "angle" or tab.name in _ANGLES - {"amount"}):
        return Dial()
    if count == 2 and tab.name in _PLACES:
        return Pad(soft_range(tab))
    return None


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
        self.swatch.setToolTip("Pick a colour")
        self.swatch.setAccessibleName("Colour")
        self.swatch.clicked.connect(self._choose)
        self.hex = QLineEdit()
        self.hex.setFixedHeight(22)
        self.hex.setMinimumWidth(64)
        self.hex.setToolTip("sRGB hex, or three linear numbers")
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
        """Opens the colour editor below the swatch."""
        self.editor = ColourEditor(self._value[:3], self)  # type: ignore[arg-type]
        self.editor.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.editor.edited.connect(self._give)
        self.editor.adjustSize()
        at = self.mapToGlobal(QPoint(0, self.height() + 2))
        room = self.screen().availableGeometry()
        x = min(at.x(), room.right() - self.editor.width())
        y = at.y() if at.y() + self.editor.height() < room.bottom() else at.y() - self.editor.height() - 28
        self.editor.move(max(x, 0), max(y, 0))
        self.editor.show()

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
    """A file: its picture and name, and a button to choose another.

    relative : turns a path into what is stored. found : turns what is stored into a path, for the picture.
    """

    def __init__(self, relative: Callable[[Path], str], found: Callable[[str], Path] | None = None) -> None:
        super().__init__()
        self._relative, self._found = relative, found
        self.picture = QLabel()
        self.picture.setFixedSize(28, 22)
        self.picture.setScaledContents(True)
        self.picture.setVisible(False)
        self.row.insertWidget(0, self.picture)
        button = QPushButton("…")
        button.setFixedSize(24, 22)
        button.setToolTip("Choose a file")
        button.setAccessibleName("Choose a file")
        button.clicked.connect(self._choose)
        self.row.addWidget(button)

    def set_value(self, value: Value) -> None:
        super().set_value(value)
        pixmap = _small(self._found(str(value))) if self._found is not None and value else QPixmap()
        self.picture.setVisible(not pixmap.isNull())
        self.picture.setPixmap(pixmap)

    def _choose(self) -> None:
        before = self._found(str(self._value)).parent if self._found is not None and self._value else None
        file = choose_file(self, "Choose an image", before, IMAGES)
        if file is not None:
            self.set_value(self._relative(file))
            self.edited.emit(self._value, False)


def _small(path: Path) -> QPixmap:
    """A small picture of an image file, read at that size; none of kinds that Qt does not read."""
    reader = QImageReader(str(path))
    reader.setScaledSize(QSize(56, 44))
    return QPixmap.fromImage(reader.read()) if reader.canRead() else QPixmap()


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


def field_for(tab: TabDef, relative: Callable[[Path], str], found: Callable[[str], Path] | None = None) -> Field | None:
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
        "filename": lambda: FileField(relative, found),
    }
    make = makers.get(tab.type)
    return make() if make is not None else None
