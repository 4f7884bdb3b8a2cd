"""How the chosen map is placed: how often it repeats, how wide it is on the object, moved, turned and mirrored."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from collage.app.widgets.number_field import NumberField
from collage.app.widgets.outside_list import OutsideList
from collage.app.widgets.panels import quiet, title
from collage.app.widgets.tile_field import TileField
from collage.core.actions import coordinates as acts
from collage.core.actions.registry import action_of
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.model import Card, Value
from collage.core.nodes.coordinates import placement_of
from collage.core.nodes.library import shown_value, tabs_of
from collage.core.scene.relief import Span, uv_span
from collage.core.scene.stage import length_text

PAIRS = (
    ("offset", "Offset", "How far it is moved, in tiles"),
    ("pivot", "Pivot", "What it is turned and scaled about"),
)


class MapPlacement(QFrame):
    """Fields for the placement of one map of the material in hand; a button where it has none yet."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session, self.map, self.name = session, "", ""
        self.heading, self.about = title("Placement"), quiet("")
        self.tile = TileField(self._span)
        self.tile.setAccessibleName("Tile size")
        self.tile.edited.connect(lambda value, moving: self._put("scale", "vector2", value, moving))
        self.rotate = NumberField(0.0, soft=(-180.0, 180.0))
        self.rotate.edited.connect(lambda value, moving: self._put("rotate", "float", value, moving))
        self.pairs: dict[tuple[str, int], NumberField] = {}
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(3)
        self.rows: list[QWidget] = []
        for column, (label, widget) in enumerate(
            (("Repeats", self.tile.beside), ("Tile on the object (cm)", self.tile.real), ("Tile size", self.tile))
        ):
            self._cell(0, column, label, widget, 150)
        self._cell(2, 0, "Rotation (°)", self._named(self.rotate, "Rotation (°)", "Counter-clockwise"), 150)
        for column, (key, label, tip) in enumerate(PAIRS, 1):
            self._cell(2, column, label, self._pair(key, label, tip), 150)
        self.outside = OutsideList(session)
        self._cell(0, 3, "Outside the tile", self.outside, 120)
        self.buttons: dict[str, QPushButton] = {}
        help_ = action_of(acts.share_placement).help
        mirror = QWidget()
        row = QHBoxLayout(mirror)
        row.setContentsMargins(0, 0, 0, 0)
        for axis, label in (("u", "Across"), ("v", "Up")):
            row.addWidget(self._button(axis, label, f"Mirrors it {label.lower()}", partial(self._mirror, axis)))
        self._cell(2, 3, "Mirror", mirror, 120)
        acts_row = QHBoxLayout()
        acts_row.addWidget(self._button("add", "Add placement", help_, self._add))
        acts_row.addWidget(self._button("all", "Use for all maps", help_, self._share))
        acts_row.addStretch(1)
        head = QHBoxLayout()
        head.addWidget(self.heading)
        head.addSpacing(12)
        head.addWidget(self.about, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 12, 8)
        whole.addLayout(head)
        whole.addLayout(self.grid)
        whole.addLayout(acts_row)
        whole.addStretch(1)
        self.grid.setColumnStretch(4, 1)
        session.changed.connect(self._on_changed)
        self._show()

    def _named(self, field: NumberField, name: str, tip: str) -> NumberField:
        field.setAccessibleName(name)
        field.setToolTip(f"{tip}. Drag, type or use the arrows; Shift fine, Ctrl coarse.")
        return field

    def _pair(self, key: str, label: str, tip: str) -> QWidget:
        pair = QWidget()
        row = QHBoxLayout(pair)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        for at, letter in enumerate("UV"):
            field = self.pairs[key, at] = self._named(NumberField(0.0, soft=(-1.0, 1.0)), f"{label} {letter}", tip)
            field.edited.connect(partial(self._moved, key, at))
            row.addWidget(field)
        return pair

    def _cell(self, row: int, column: int, label: str, widget: QWidget, wide: int) -> None:
        caption = quiet(label)
        widget.setFixedWidth(wide)
        self.grid.addWidget(caption, row, column)
        self.grid.addWidget(widget, row + 1, column)
        self.rows += [caption, widget]

    def _button(self, key: str, label: str, tip: str, take: Callable[..., None]) -> QPushButton:
        button = self.buttons[key] = QPushButton(label)
        button.setToolTip(tip)
        button.setFixedHeight(22)
        button.clicked.connect(take)
        return button

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)

    # ---- showing ------------------------------------------------------------------------------

    def show_map(self, name: str) -> None:
        """Shows another map of the material in hand."""
        self.map = name
        self._show()

    def _on_changed(self, _before: object, _after: object) -> None:
        if self.isVisible():
            self._show()

    @property
    def card(self) -> Card | None:
        return self.session.network.cards.get(self.name)

    def _span(self) -> Span | None:
        try:
            return uv_span(self.session.bench, self.session.material)
        except CollageError:
            return None

    def _show(self) -> None:
        network = self.session.network
        there = self.map in network.cards
        self.name = placement_of(network, self.map) if there else ""
        card = self.card
        for widget in self.rows:
            widget.setVisible(card is not None)
        flat = there and "texcoord" in tabs_of(self.session.library, network.cards[self.map])
        self.buttons["add"].setVisible(card is None and flat)
        self.buttons["all"].setVisible(card is not None and card.category == "place2d")
        self.heading.setText(self.session.title(self.map) if there else "Placement")
        if card is None:
            self.about.setText(
                "Not placed yet" if flat else "It has no placement" if there else "Choose a map to place it"
            )
            return
        scale = self._value(card, "scale")
        if isinstance(scale, tuple):
            self.tile.set_value(scale)
            self.about.setText(self._words(scale))
        rotate = self._value(card, "rotate")
        self.rotate.set_value(float(rotate) if isinstance(rotate, int | float) else 0.0)
        for key, _, _ in PAIRS:
            pair = self._value(card, key)
            for at in range(2):
                field = self.pairs[key, at]
                field.setEnabled(isinstance(pair, tuple))
                field.set_value(float(pair[at]) if isinstance(pair, tuple) else 0.0)
        self.outside.show_card(self.name)

    def _value(self, card: Card, name: str) -> Value | None:
        tab = tabs_of(self.session.library, card).get(name)
        return shown_value(card, tab) if tab is not None else None

    def _words(self, scale: tuple[float, ...]) -> str:
        """How often it repeats, and how large a tile is: more repeats are a smaller pattern."""
        u, v = (1 / abs(one) if abs(one) > 1e-6 else 0.0 for one in scale[:2])
        span, size = self._span(), ""
        if span is not None:
            wide, high = (length_text(max(abs(one), 1e-6)) for one in (scale[0] * span.u, scale[1] * span.v))
            size = f", each tile {wide} × {high}"
        return f"{u:.3g} × {v:.3g} repeats{size}"

    # ---- changing -----------------------------------------------------------------------------

    def _put(self, name: str, kind: str, value: object, moving: bool) -> None:
        if self.card is None:
            return
        self.session.set_value(self.name, name, kind, value, label=name, merge=True)  # type: ignore[arg-type]
        if not moving:
            self.session.history.close_merge()

    def _moved(self, key: str, at: int, value: float, moving: bool) -> None:
        card = self.card
        pair = self._value(card, key) if card is not None else None
        if isinstance(pair, tuple):
            self._put(key, "vector2", tuple(value if number == at else one for number, one in enumerate(pair)), moving)

    def _mirror(self, axis: str, _checked: bool = False) -> None:
        self.session.attempt(lambda: acts.mirror(self.session, self.name, axis))  # type: ignore[arg-type]

    def _add(self, _checked: bool = False) -> None:
        self.session.attempt(lambda: acts.share_placement(self.session, [self.map]))

    def _share(self, _checked: bool = False) -> None:
        """All images of the material that are laid out flat get this placement."""
        network = self.session.network
        images = [name for name, card in network.cards.items() if card.category in ("image", "tiledimage")]
        names = list(dict.fromkeys((self.map, *images)))
        self.session.attempt(lambda: acts.share_placement(self.session, names))
