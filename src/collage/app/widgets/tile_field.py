"""How large a tile is, how often it repeats, and how wide it is on the object: three ways to say the same."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from collage.app.theme import icon_pixmap
from collage.app.widgets.fields import Field
from collage.app.widgets.number_field import NumberField
from collage.core.document.model import MAP_SET, Card, Value
from collage.core.nodes.library import TabDef
from collage.core.scene.relief import Span

LEAST = 1e-6  # of the UV square, a tile's size


def is_tile_size(card: Card, tab: TabDef) -> bool:
    """Whether an input of a card is the size of a tile."""
    placed = card.category == "place2d" or card.attributes.get(MAP_SET) == "true"
    return placed and tab.name == "scale" and tab.type == "vector2"


class TileField(Field):
    """The value is the size, in shares of the UV square; repeats are 1 / size. Locked, both directions go together.

    beside : the fields of the repeats, to be laid out where they are wanted. real : those of the width on the object.
    span : how far a unit of u and of v goes on the object; None where there is no object.
    """

    def __init__(self, span: Callable[[], Span | None] = lambda: None) -> None:
        super().__init__()
        self._span = span
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self.sizes = [self._number("Tile size", one, (0.0, 2.0)) for one in ("U", "V")]
        self.lock = QToolButton()
        self.lock.setObjectName("plain")
        self.lock.setIcon(QIcon(icon_pixmap("lock", self.palette().text().color().name())))
        self.lock.setCheckable(True)
        self.lock.setChecked(True)
        self.lock.setFixedSize(22, 22)
        self.lock.setToolTip("Lock: U and V change together")
        self.lock.setAccessibleName("Lock U and V")
        self.repeats = [self._number("Repeats", one, (0.0, 10.0)) for one in ("U", "V")]
        self.widths = [self._number("Width on the object in centimetres", one, (0.0, 100.0)) for one in ("U", "V")]
        self.beside, self.real = _side_by_side(self.repeats), _side_by_side(self.widths)
        for part in (*self.sizes, self.lock):
            row.addWidget(part)
        self._value = (1.0, 1.0)
        self._known = False
        for at in range(2):
            self.sizes[at].edited.connect(lambda value, moving, at=at: self._resized(at, value, moving))
            self.repeats[at].edited.connect(lambda value, moving, at=at: self._repeated(at, value, moving))
            self.widths[at].edited.connect(lambda value, moving, at=at: self._widened(at, value, moving))

    def _number(self, name: str, direction: str, soft: tuple[float, float]) -> NumberField:
        field = NumberField(1.0, soft=soft)
        field.setAccessibleName(f"{name} {direction}")
        field.setToolTip(f"{name} in {direction}. Drag, type or use the arrows; Shift fine, Ctrl coarse.")
        field.reset.connect(self.reset)
        return field

    def _repeated(self, at: int, repeats: float, moving: bool) -> None:
        self._resized(at, 1 / repeats if abs(repeats) > LEAST else 1 / LEAST, moving)

    def _widened(self, at: int, centimetres: float, moving: bool) -> None:
        """One width for both directions, while they are locked: a tile that is square on the object."""
        span = self._span()
        if span is None:
            return
        sizes = [centimetres / 100 / one for one in (span.u, span.v)]
        if not self.lock.isChecked():
            sizes[1 - at] = self._value[1 - at]
        self._show((sizes[0], sizes[1]))
        self.edited.emit(self._value, moving)

    def _resized(self, at: int, size: float, moving: bool) -> None:
        sizes = list(self._value)
        if self.lock.isChecked():
            factor = size / sizes[at] if abs(sizes[at]) > LEAST else 1.0
            sizes[1 - at] *= factor
        sizes[at] = size
        self._show((sizes[0], sizes[1]))
        self.edited.emit(self._value, moving)

    def set_value(self, value: Value) -> None:
        if not isinstance(value, tuple) or len(value) != 2:
            return
        if not self._known:  # a tile that is not square was made so on purpose
            self._known = True
            self.lock.setChecked(value[0] == value[1])
        self._show((float(value[0]), float(value[1])))

    def _show(self, sizes: tuple[float, float]) -> None:
        self._value = sizes
        for field, size in zip(self.sizes, sizes, strict=True):
            field.set_value(size)
        for field, size in zip(self.repeats, sizes, strict=True):
            field.set_value(1 / size if abs(size) > LEAST else 0.0)
        span = self._span()
        for field, size, metres in zip(self.widths, sizes, (span.u, span.v) if span else (0.0, 0.0), strict=True):
            field.setEnabled(span is not None)
            field.set_value(100 * size * metres)


def _side_by_side(fields: list[NumberField]) -> QWidget:
    widget = QWidget()
    row = QHBoxLayout(widget)
    row.setContentsMargins(0, 0, 24, 0)  # as wide as the lock above
    row.setSpacing(2)
    for field in fields:
        row.addWidget(field)
    return widget
