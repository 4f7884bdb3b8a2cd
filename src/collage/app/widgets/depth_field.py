"""How strong bump is, and how many millimetres deep that is on the object: two ways to say the same."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QHBoxLayout

from collage.app.widgets.fields import Field
from collage.app.widgets.number_field import NumberField
from collage.core.document.model import Card, Value
from collage.core.nodes.adding import RELIEF
from collage.core.nodes.library import TabDef
from collage.core.scene.relief import depth_of, scale_of


def is_strength(card: Card, tab: TabDef) -> bool:
    """Whether an input of a card is how strong its relief is."""
    return card.category in RELIEF and tab.name == "scale" and tab.type == "float"


class DepthField(Field):
    """The value is the strength. beside : the field of the millimetres, to be laid out where it is wanted.

    tile : how many metres the UV square is wide on the object.
    """

    def __init__(self, tile: Callable[[], float | None]) -> None:
        super().__init__()
        self._tile = tile
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.strength = self._number("Strength", (-1.0, 1.0))
        self.beside = self._number("Depth in millimetres", (-50.0, 50.0))
        row.addWidget(self.strength)
        self.strength.edited.connect(self._changed)
        self.beside.edited.connect(self._deepened)

    def _number(self, name: str, soft: tuple[float, float]) -> NumberField:
        field = NumberField(0.0, soft=soft)
        field.setAccessibleName(name)
        field.setToolTip(f"{name}. Drag, type or use the arrows; Shift fine, Ctrl coarse. Below 0 turns it inside out.")
        field.reset.connect(self.reset)
        return field

    def _changed(self, strength: float, moving: bool) -> None:
        self.set_value(strength)
        self.edited.emit(strength, moving)

    def _deepened(self, millimetres: float, moving: bool) -> None:
        metres = self._tile()
        if metres:
            self._changed(scale_of(millimetres / 1000, metres), moving)

    def set_value(self, value: Value) -> None:
        if not isinstance(value, int | float):
            return
        self.strength.set_value(float(value))
        metres = self._tile()
        self.beside.setEnabled(metres is not None)
        self.beside.set_value(1000 * depth_of(float(value), metres) if metres else 0.0)
