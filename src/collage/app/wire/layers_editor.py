"""The layers of a stack, the top one first: mode, opacity, mask, on and off; reordered by dragging."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QDropEvent, QFontMetrics
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.widgets.fields import ColourField
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import quiet
from collage.core.actions import groups as groups_acts
from collage.core.actions import layers as layers_acts
from collage.core.actions.session import Session
from collage.core.document.groups import hide_input, name_input, order_inputs
from collage.core.document.model import Card, Input, Value
from collage.core.nodes import stacks
from collage.core.nodes.labels import input_label
from collage.core.nodes.wiring import origin

ROW = 30


class _List(QListWidget):
    """Tells when rows have been dragged to another order."""

    def __init__(self, editor: LayersEditor) -> None:
        super().__init__()
        self._editor = editor
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setAccessibleName("Layers, top first")

    def dropEvent(self, event: QDropEvent) -> None:
        before = self.currentRow()
        at = self.indexAt(event.position().toPoint()).row()
        to = at if at >= 0 else self.count() - 1
        event.ignore()  # the document moves the layer, and the rows follow it
        self._editor.move_layer(before, to)


class LayersEditor(QWidget):
    """Shows one stack; every act is one step."""

    def __init__(self, session: Session, card: Card, row: int = 0) -> None:
        super().__init__()
        self.session, self.name, self.row = session, card.name, row
        self._shape: list[stacks.Layer] = []  # what the rows were made for, without values
        # of each row: opacity, and the plain value
        self._fields: list[tuple[NumberField, ColourField | NumberField | None]] = []
        self.rows = _List(self)
        self.rows.setMinimumWidth(396)
        self.rows.setMaximumWidth(470)
        self.rows.setFixedHeight(124)
        self.add, self.drop = QPushButton("Add"), QPushButton("Remove")
        self.up, self.down = QPushButton("Up"), QPushButton("Down")
        for button, work, tip in (
            (self.add, self.add_layer, "Add a layer on top"),
            (self.drop, self.remove_layer, "Remove the selected layer"),
            (self.up, lambda: self.step(-1), "Move the selected layer up"),
            (self.down, lambda: self.step(1), "Move the selected layer down"),
        ):
            button.clicked.connect(work)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.setFixedSize(64, 22)
        acts = QHBoxLayout()
        acts.setSpacing(4)
        for button in (self.add, self.drop, self.up, self.down):
            acts.addWidget(button)
        acts.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(acts)
        layout.addWidget(self.rows, 1)
        self.show_card(card)
        self.rows.currentRowChanged.connect(self._keep_row)

    def show_card(self, card: Card) -> None:
        """Makes the rows anew where more than values changed: a field in hand stays."""
        layers = stacks.layers(card)[::-1]
        shape = [_without_values(layer) for layer in layers]
        if shape != self._shape:
            self._shape = shape
            self._make_rows(layers)
        for layer, (opacity, plain) in zip(layers, self._fields, strict=True):
            opacity.set_value(_value(layer.opacity))
            value = layer.source.value
            if isinstance(plain, NumberField):
                plain.set_value(_value(layer.source))
            elif plain is not None and value is not None:
                plain.set_value(value)

    def _make_rows(self, layers: list[stacks.Layer]) -> None:
        self.rows.clear()
        self._fields = []
        for layer in layers:
            item = QListWidgetItem()
            row = self._row(self.rows.count(), layer)
            item.setSizeHint(QSize(0, row.sizeHint().height()))  # as wide as the list
            self.rows.addItem(item)
            self.rows.setItemWidget(item, row)
        self.rows.setCurrentRow(min(max(self.row, 0), self.rows.count() - 1))

    def _keep_row(self, row: int) -> None:
        if row >= 0:
            self.row = row

    def _row(self, row: int, layer: stacks.Layer) -> QWidget:
        widget = QWidget()
        widget.setFixedHeight(ROW)
        box = QHBoxLayout(widget)
        box.setContentsMargins(4, 2, 4, 2)
        box.setSpacing(5)
        shown = QCheckBox()
        shown.setChecked(layer.on)
        shown.setToolTip("Show this layer")
        shown.setAccessibleName(f"Show {layer.title}")
        shown.toggled.connect(lambda on: self._change(row, f"Show {layer.title}", replace(layer, on=on)))
        title = QLineEdit(layer.title)
        title.setMinimumWidth(56)  # it gives way where the window is narrow
        title.setCursorPosition(0)
        title.setAccessibleName("Name of the layer")
        title.editingFinished.connect(lambda: self._rename(row, layer, title.text()))
        mode = QComboBox()
        mode.addItems(list(stacks.MODES.values()))
        mode.setCurrentText(stacks.MODES[layer.mode])
        mode.setFixedWidth(84)
        mode.setToolTip("Blend mode")
        mode.setAccessibleName(f"Blend mode of {layer.title}")
        names = list(stacks.MODES)
        mode.activated.connect(lambda at: self._change(row, "Blend mode", replace(layer, mode=names[at])))
        opacity = NumberField(_value(layer.opacity), soft=(0.0, 1.0), hard=(0.0, 1.0))
        opacity.setFixedWidth(52)
        opacity.setToolTip("Opacity")
        opacity.setAccessibleName(f"Opacity of {layer.title}")
        opacity.setEnabled(layer.opacity.wire is None)
        opacity.edited.connect(lambda value, moving: self._give(row, "opacity", "float", "opacity", value, moving))
        source, plain = self._source_field(row, layer)
        self._fields.append((opacity, plain))
        mask = _short(self._source(layer.mask, "no mask"), 58)
        mask.setToolTip("Mask; wire a card to the mask input")
        box.addWidget(shown)
        box.addWidget(title, 1)
        box.addWidget(mode)
        box.addWidget(opacity)
        box.addWidget(source)
        box.addWidget(mask)
        return widget

    def _source_field(self, row: int, layer: stacks.Layer) -> tuple[QWidget, ColourField | NumberField | None]:
        """What a layer shows: the name of a card, or a field for the plain value."""
        kind = stacks.kind_of(self.session.network.cards[self.name])
        if layer.source.wire is not None:
            shown = _short(self._source(layer.source, ""), 68)
            shown.setToolTip("Source of the layer; wire another card to its input to change it")
            return shown, None
        field: ColourField | NumberField
        if kind == "float":
            field = NumberField(soft=(0.0, 1.0))
        else:
            field = ColourField(3)
            field.hex.hide()
            field.swatch.setFixedWidth(68)
        field.setFixedWidth(68)
        field.setAccessibleName(f"Value of {layer.title}")
        field.edited.connect(lambda value, moving: self._give(row, "layer", kind, "a layer's value", value, moving))
        return field, field

    def _source(self, one: Input, otherwise: str) -> str:
        if one.wire is None:
            return otherwise
        return self.session.title(origin(self.session.network, one.wire)[0].card)

    # ---- acts ---------------------------------------------------------------------------------

    def _at(self, row: int, count: int) -> int:
        """Rows are counted from the top, layers from the bottom."""
        return count - 1 - row

    def _change(self, row: int, label: str, new: stacks.Layer) -> None:
        def change(layers: list[stacks.Layer]) -> list[stacks.Layer]:
            at = self._at(row, len(layers))
            return [new if number == at else layer for number, layer in enumerate(layers)]

        layers_acts.change_layers(self.session, self.name, label, change)

    def _rename(self, row: int, layer: stacks.Layer, title: str) -> None:
        if title.strip() and title != layer.title:
            self._change(row, "Name a layer", replace(layer, title=title.strip()))

    def _give(self, row: int, what: str, kind: str, label: str, value: Value, moving: bool) -> None:
        """Sets one of a layer's inputs: what is `layer` or `opacity`."""
        card = self.session.network.cards[self.name]
        number = self._at(row, len(stacks.layers(card))) + 1
        self.session.set_value(self.name, f"{what}_{number}", kind, value, label=label, merge=True)
        if not moving:
            self.session.history.close_merge()

    def add_layer(self) -> None:
        def change(layers: list[stacks.Layer]) -> list[stacks.Layer]:
            title = stacks.fresh_title(self.session.network.cards[self.name])
            kind = stacks.kind_of(self.session.network.cards[self.name])
            value: float | tuple[float, ...] = 0.8 if kind == "float" else (0.8, 0.8, 0.8)
            return [*layers, stacks.Layer(title, Input("layer", kind, value))]

        layers_acts.change_layers(self.session, self.name, "Add a layer", change)

    def remove_layer(self) -> None:
        row = self.rows.currentRow()

        def change(layers: list[stacks.Layer]) -> list[stacks.Layer]:
            at = self._at(row, len(layers))
            return [layer for number, layer in enumerate(layers) if number != at]

        layers_acts.change_layers(self.session, self.name, "Remove a layer", change)

    def step(self, by: int) -> None:
        """Moves the chosen layer by rows."""
        row = self.rows.currentRow()
        if 0 <= row + by < self.rows.count():
            self.move_layer(row, row + by)

    def move_layer(self, row: int, to: int) -> None:
        """Moves a layer from one row to another."""
        if row == to:
            return

        def change(layers: list[stacks.Layer]) -> list[stacks.Layer]:
            rows = layers[::-1]
            rows.insert(to, rows.pop(row))
            return rows[::-1]

        self.row = to  # the panel makes the rows anew, and chooses this one
        layers_acts.change_layers(self.session, self.name, "Reorder layers", change)


def _without_values(layer: stacks.Layer) -> stacks.Layer:
    def bare(one: Input) -> Input:
        return replace(one, value=None)

    return replace(layer, source=bare(layer.source), opacity=bare(layer.opacity), mask=bare(layer.mask))


def _short(text: str, width: int) -> QLabel:
    """A caption that ends in dots where its room does."""
    label = quiet("")
    label.setFixedWidth(width)
    label.setText(QFontMetrics(label.font()).elidedText(text, Qt.TextElideMode.ElideRight, width))
    return label


def _value(one: Input) -> float:
    return float(one.value) if isinstance(one.value, int | float) else 1.0


class GroupEditor(QWidget):
    """The inputs that a group shows: their order, their names, and which are hidden again."""

    def __init__(self, session: Session, card: Card, row: int = 0) -> None:
        super().__init__()
        self.session, self.name, self.row = session, card.name, row
        self.rows = QListWidget()
        self.rows.setFixedSize(180, 142)
        self.rows.setAccessibleName("Inputs of the group")
        self.rows.setToolTip("Inputs shown on the group · F2 or double-click renames")
        self.up, self.down, self.hide_one = QPushButton("Up"), QPushButton("Down"), QPushButton("Hide")
        for button, work, tip in (
            (self.up, lambda: self.step(-1), "Move up"),
            (self.down, lambda: self.step(1), "Move down"),
            (self.hide_one, self.hide_input, "Hide; the value inside is kept"),
        ):
            button.setToolTip(tip)
            button.clicked.connect(work)
        side = QVBoxLayout()
        side.addWidget(self.up)
        side.addWidget(self.down)
        side.addWidget(self.hide_one)
        side.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.rows)
        layout.addLayout(side)
        self.rows.itemChanged.connect(self._named)
        self._filling = False
        self.show_card(card)
        self.rows.currentRowChanged.connect(self._keep_row)

    def show_card(self, card: Card) -> None:
        self._filling = True
        self.rows.clear()
        for one in card.inputs.values():
            item = QListWidgetItem(input_label(one.name, one.attributes.get("uiname", "")))
            item.setData(Qt.ItemDataRole.UserRole, one.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            self.rows.addItem(item)
        self.rows.setCurrentRow(min(max(self.row, 0), self.rows.count() - 1))
        self._filling = False

    def _keep_row(self, row: int) -> None:
        if row >= 0:
            self.row = row

    def _chosen(self) -> str:
        item = self.rows.currentItem()
        return str(item.data(Qt.ItemDataRole.UserRole)) if item is not None else ""

    def step(self, by: int) -> None:
        row = self.rows.currentRow()
        if not 0 <= row + by < self.rows.count():
            return

        def change(card: Card) -> Card:
            names = list(card.inputs)
            names.insert(row + by, names.pop(row))
            return order_inputs(card, names)

        self.row = row + by
        groups_acts.change_group(self.session, self.name, "Order inputs", change)

    def hide_input(self) -> None:
        name = self._chosen()
        if name:
            groups_acts.change_group(self.session, self.name, "Hide an input", lambda card: hide_input(card, name))

    def _named(self, item: QListWidgetItem) -> None:
        if not self._filling:
            name, text = str(item.data(Qt.ItemDataRole.UserRole)), item.text().strip()
            groups_acts.change_group(
                self.session, self.name, "Name an input", lambda card: name_input(card, name, text)
            )
