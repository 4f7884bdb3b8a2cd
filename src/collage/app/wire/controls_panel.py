"""The controls: the values of the chosen card, side by side in columns under the board."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.preview.images import to_image
from collage.app.shell.jobs import Jobs, Latest
from collage.app.widgets.card_editors import CardEditor, Histogram
from collage.app.widgets.crops_editor import CropsEditor
from collage.app.widgets.depth_field import DepthField, is_strength
from collage.app.widgets.editors import editor_for
from collage.app.widgets.fields import Field, field_for
from collage.app.widgets.panels import Elided, fill, quiet, scroll_area
from collage.app.widgets.tile_field import TileField, is_tile_size
from collage.app.wire.card_tabs import card_tabs
from collage.app.wire.coordinates_field import CoordinatesField, OutsideField, places_images, takes_coordinates
from collage.app.wire.layers_editor import GroupEditor, LayersEditor
from collage.app.wire.space_row import SpaceRow
from collage.app.wire.value_menu import value_menu
from collage.core.actions import patterns
from collage.core.actions.projectors import images_behind
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.text import counted
from collage.core.document import edits, links
from collage.core.document.model import MAP_SET, Card, Network, Value, inside
from collage.core.images.store import ImageRef
from collage.core.images.tiles import is_pattern
from collage.core.nodes import ramps, stacks
from collage.core.nodes.labels import TYPE_WORDS, input_label, label_of, tab_label, title_of
from collage.core.nodes.library import TabDef
from collage.core.nodes.wiring import origin
from collage.core.project.folder import material_folder
from collage.core.render.cards import image_picture
from collage.core.scene.relief import Span, tile_metres, uv_span

ROWS = 4
MAP_PICTURE = 400  # pixels of the longer side of a map that an editor draws on

UNEVEN = 0.05  # from which on it is said how much UVs vary


class ControlsPanel(QFrame):
    """Shows the first chosen card; says what to do where there is none."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self.session = session
        self._maps = Latest(jobs, self)  # pictures of maps that an editor draws on
        self._maps.answered.connect(self._show_map)
        self.setObjectName("panel")
        self.fields: dict[str, Field] = {}
        self._card: Card | None = None
        self.in_range: QCheckBox | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 4)
        layout.setSpacing(4)
        head = QHBoxLayout()
        self.title = QLineEdit()
        self.title.setFrame(False)
        self.title.setStyleSheet("background: transparent; border: none; font-weight: bold; padding: 0;")
        self.title.setAccessibleName("Name of the card")
        self.title.setToolTip("Card name; type to rename")
        self.title.setFixedWidth(150)
        self.title.editingFinished.connect(self._rename)
        self.kind = Elided()
        self.kind.setObjectName("quiet")
        self.value_text = QLabel()
        self.value_text.setObjectName("quiet")
        head.addWidget(self.title)
        head.addWidget(self.kind, 1)
        head.addWidget(self.value_text)
        layout.addLayout(head)
        self._area = scroll_area(sideways=True)
        self.picture = QLabel()
        self.picture.setFixedSize(171, 102)
        self.picture.setScaledContents(True)
        self.picture.setAccessibleName("Output of the card")
        self._images: dict[str, QImage] = {}
        self._values: Mapping[str, np.ndarray] = {}
        self.histogram = Histogram()
        self.editor: CardEditor | None = None
        self.layers: LayersEditor | GroupEditor | None = None
        left = QVBoxLayout()
        left.setSpacing(3)
        left.addWidget(self.picture)
        left.addWidget(self.histogram)
        left.addStretch(1)
        body = QHBoxLayout()
        body.setSpacing(12)
        body.addLayout(left)
        body.addWidget(self._area, 1)
        layout.addLayout(body, 1)
        session.selection_changed.connect(self._rebuild)
        session.changed.connect(self._on_changed)
        self._rebuild()

    def close_down(self) -> None:
        self.session.selection_changed.disconnect(self._rebuild)
        self.session.changed.disconnect(self._on_changed)
        self._maps.close()

    def show_pictures(self, images: dict[str, QImage], values: Mapping[str, np.ndarray] | None = None) -> None:
        """New pictures of the cards and the numbers behind them; the chosen one's stand beside its controls."""
        self._images = images
        self._values = values if values is not None else self._values
        value = self._values.get(self._card.name) if self._card is not None else None
        self.histogram.show_values(value)
        if self.editor is not None:
            self.editor.show_values(self._input_values())
        image = images.get(self._card.name) if self._card is not None else None
        self.picture.setVisible(image is not None)
        if image is not None:
            self.picture.setPixmap(QPixmap.fromImage(image))

    # ---- following the document ---------------------------------------------------------------

    def _chosen(self) -> Card | None:
        names = self.session.selection
        return self.session.network.cards.get(names[0]) if names else None

    def _shape(self, card: Card) -> tuple[object, ...]:
        """What the controls are made of; as long as it stays, only values are put in."""
        wired = tuple((name, one.wire) for name, one in card.inputs.items() if one.wire is not None)
        network = self.session.network
        shared = tuple(pair for pair in links.follows(network).items() if pair[0].card == card.name)
        shown = tuple((one.name, one.interface) for one in card.inputs.values())
        if ramps.is_long(card) or card.category == "ramp":  # short or long, it is edited in the same way
            return card.name, "ramp", wired, shared
        inputs = card.inputs.values()
        files = tuple((one.value, one.attributes.get("colorspace")) for one in inputs if one.type == "filename")
        return card.name, card.category, card.type, wired, shared, shown if card.network is not None else (), files

    def _on_changed(self, _before: object, _after: object) -> None:
        card = self._chosen()
        if card is None and self._card is None:
            return
        if card is None or self._card is None or self._shape(card) != self._shape(self._card):
            self._rebuild()
        elif card is not self._card or links.follows(self.session.network):
            self._card = card
            self._show_values()
        self._show_range()

    def _show_range(self) -> None:
        if self._card is not None and self.in_range is not None:
            self.in_range.setChecked(patterns.range_card(self.session.network, self._card.name) is not None)

    def _show_values(self) -> None:
        card = self._card
        if card is None:
            return
        self.title.setText(title_of(card))
        if self.layers is not None:
            self.layers.show_card(card)
        if self.editor is not None:
            self.editor.show_card(card, self._all_values(card))
        for tab in card_tabs(self.session, card):
            field = self.fields.get(tab.name)
            value = self.session.value_of(card, tab)
            if field is not None and value is not None:
                field.set_value(value)

    def _rebuild(self) -> None:
        self.fields = {}
        self._card = self._chosen()
        self._make_editor()
        inside = QWidget()
        inside.setObjectName("panel")
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(14)
        grid.setVerticalSpacing(3)
        self.title.setVisible(self._card is not None)
        if self._card is None:
            self.kind.setText("Select a card to see its controls. Press Enter on the board to add one.")
        else:
            self._head(self._card)
            covered = self.editor.covers if self.editor is not None else ()
            tabs = [tab for tab in card_tabs(self.session, self._card) if tab.name not in covered]
            if ramps.is_long(self._card):
                tabs = [tab for tab in tabs if tab.name == "texcoord"]
            if stacks.is_stack(self._card):
                tabs = []  # all in the rows of the layers
            made = self.editor or self.layers
            if made is not None:
                grid.addWidget(made, 0, 0, ROWS + 1, 1, Qt.AlignmentFlag.AlignTop)
            cells = [*self._range_cell(self._card), *(cell for tab in tabs for cell in self._cells(self._card, tab))]
            if places_images(self.session, self._card):
                cells.append(OutsideField(self.session, self._card))
            for number, cell in enumerate(cells):
                row, column = number % ROWS, number // ROWS
                grid.addWidget(cell, row, column + 1, Qt.AlignmentFlag.AlignTop)
            grid.setColumnStretch(max(len(cells) - 1, 0) // ROWS + 2, 1)
        grid.setRowStretch(ROWS, 1)
        fill(self._area, inside)
        self._show_values()
        self.show_pictures(self._images)

    def _make_editor(self) -> None:
        """The editor that the chosen kind of card has besides or instead of its fields."""
        card, before = self._card, self.layers
        self.editor = self.layers = None
        if card is None:
            return
        row = before.row if before is not None and before.name == card.name else 0
        if stacks.is_stack(card):
            self.layers = LayersEditor(self.session, card, row)
        elif card.network is not None and card.inputs and not ramps.is_long(card):
            self.layers = GroupEditor(self.session, card, row)
        else:
            self.editor = editor_for(card)
        if self.editor is not None:
            self.editor.edited.connect(self._edited_together)
            self.editor.show_values(self._input_values())
        if isinstance(self.editor, CropsEditor):
            self._ask_map(card)

    def _ask_map(self, card: Card) -> None:
        """Draws an image that a card gives coordinates to, of colours if one is; its file is read beside the window."""
        images, folder = self.session.images, material_folder(self.session.base_folder)
        found = images_behind(self.session.network, card.name)
        of = next(iter(sorted(found, key=lambda one: not one.type.startswith("color"))), None)
        file = of.inputs.get("file") if of is not None else None
        if file is None or not isinstance(file.value, str) or not file.value or is_pattern(file.value):
            return
        ref = ImageRef(str(folder / file.value), file.attributes.get("colorspace", "lin_rec709"))

        def work(_overtaken: Callable[[], bool]) -> Iterator[tuple[str, QImage]]:
            yield card.name, to_image(image_picture(images, ref, MAP_PICTURE))

        self._maps.ask(work)

    def _show_map(self, answer: tuple[str, QImage]) -> None:
        if isinstance(self.editor, CropsEditor) and self._card is not None and self._card.name == answer[0]:
            self.editor.show_image(answer[1])

    def _all_values(self, card: Card) -> dict[str, Value]:
        found = {tab.name: self.session.value_of(card, tab) for tab in card_tabs(self.session, card)}
        return {name: value for name, value in found.items() if value is not None}

    def _input_values(self) -> np.ndarray | None:
        """The numbers that the chosen card takes in, if another card gives them."""
        one = self._card.inputs.get("in") if self._card is not None else None
        if one is None or one.wire is None:
            return None
        return self._values.get(origin(self.session.network, one.wire)[0].card)

    def _edited_together(self, values: Mapping[str, Value], moving: bool) -> None:
        """Several inputs changed by one movement of the hand."""
        card, editor = self._card, self.editor
        if card is None or editor is None:
            return
        types = {tab.name: tab.type for tab in card_tabs(self.session, card)}

        def change(network: Network) -> Network:
            return network.with_card(editor.changed_card(network.cards[card.name], values, types))

        label = f"Set {title_of(card)}"
        self.session.edit(label, change, merge=f"{self.session.material}/{self.session.path}/{card.name} editor")
        if not moving:
            self.session.history.close_merge()

    def _head(self, card: Card) -> None:
        kind = label_of(card.category, card.type)
        text = f"{card.category}" if kind.lower() == card.category else f"{kind} · {card.category}"
        note = ""
        if card.network is None:
            try:
                definition = self.session.library.definition(card)
                text += f" · {TYPE_WORDS.get(definition.type, definition.type)}"
                note = definition.help
            except CollageError as error:
                text = str(error)
        else:
            text = "Map set" if card.attributes.get(MAP_SET) == "true" else "Group"
            text = "Stack" if stacks.is_stack(card) else "Ramp with stops" if ramps.is_long(card) else text
            text += f" · {counted(len(card.network.cards), 'card')} · double-click to open"
        self.kind.setText(f"{text} · {note}" if note else text)
        self.kind.setToolTip(note)

    def _range_cell(self, card: Card) -> list[QWidget]:
        """The switch of a pattern that brings it to 0 to 1."""
        session, self.in_range = self.session, None
        if not patterns.is_pattern(session, card.name):
            return []
        switch = QCheckBox("Range 0 to 1")
        switch.setToolTip("From its lowest to its highest value, for all that it is wired to")
        switch.setChecked(patterns.range_card(session.network, card.name) is not None)
        switch.clicked.connect(lambda on: patterns.set_range(session, card.name, on))
        self.in_range = switch
        return [switch]

    def _cells(self, card: Card, tab: TabDef) -> list[QWidget]:
        """The cell of an input; the size of a tile has its repeats below it, strength of relief its depth."""
        cells, field = [self._cell(card, tab)], self.fields.get(tab.name)
        more: list[tuple[str, QWidget]] = []
        if isinstance(field, DepthField):
            more.append(("Depth (mm)", field.beside))
        elif isinstance(field, TileField):
            more.append(("Repeats", field.beside))
            span = self._span() if "(m)" not in tab.attributes.get("uiname", "") else None  # those are metres already
            if span is not None:
                uneven = f" · UVs vary by {span.uneven:.0%}" if span.uneven > UNEVEN else ""
                more.append((f"Tile (cm){uneven}", field.real))
        for text, widget in more:
            below = QWidget()
            column = QVBoxLayout(below)
            column.setContentsMargins(0, 0, 0, 2)
            column.setSpacing(1)
            column.addWidget(quiet(text))
            column.addWidget(widget)
            below.setFixedWidth(cells[0].width())
            cells.append(below)
        return cells

    def _cell(self, card: Card, tab: TabDef) -> QWidget:
        cell = QWidget()
        column = QVBoxLayout(cell)
        column.setContentsMargins(0, 0, 0, 2)
        column.setSpacing(1)
        tile = is_tile_size(card, tab)
        own = tab.attributes.get("uiname", "Tile size" if tile else "")
        label = tab_label(card.category, tab.name, own)
        caption = quiet(label)
        caption.setToolTip(tab.help)
        column.addWidget(caption)
        one = card.inputs.get(tab.name)
        place = links.Place(card.name, tab.name)
        link = links.link_of(self.session.network, place) if one is not None else None
        cell.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        cell.customContextMenuRequested.connect(lambda at: self._open_menu(cell, at, card, tab, label))
        if link is not None:
            column.addWidget(self._linked(card, tab, label, link))
        elif takes_coordinates(self.session, card, tab) and not (one is not None and one.interface is not None):
            column.addWidget(CoordinatesField(self.session, card, tab))
        elif one is not None and one.wire is not None:
            column.addWidget(self._wired(card, tab))
        elif one is not None and one.interface is not None:
            follows = QLabel(f"from {self._group_input(one.interface)}")
            follows.setFixedHeight(22)
            follows.setToolTip("Group input; set its value on the group card")
            column.addWidget(follows)
        else:
            field = self._field(card, tab)
            if tab.geometry or field is None:
                from_surface = QLabel("from the mesh")
                from_surface.setFixedHeight(22)
                from_surface.setToolTip("Wire a card here to set it")
                column.addWidget(from_surface)
            else:
                self._connect(field, card, tab, label)
                column.addWidget(field)
                if tab.type == "filename" and one is not None:
                    column.addWidget(SpaceRow(self.session, card, one))
        wide = {
            "vector3": 184,
            "vector4": 244,
            "color4": 176,
            "filename": 236,
            "vector2": 176 if tab.name == "texcoord" else 136,
            "float": 112,
            "integer": 112,
            "boolean": 112,
        }
        cell.setFixedWidth(wide.get(tab.type, 136))
        return cell

    def _field(self, card: Card, tab: TabDef) -> Field | None:
        if is_tile_size(card, tab):
            return TileField(self._span)
        if is_strength(card, tab) and self._tile_metres() is not None:
            return DepthField(self._tile_metres)
        return field_for(tab, self.session.relative, self.session.found)

    def _span(self) -> Span | None:
        """How far a unit of UV goes on the object that has the material."""
        try:
            return uv_span(self.session.bench, self.session.material)
        except CollageError:
            return None

    def _tile_metres(self) -> float | None:
        return tile_metres(self.session.bench, self.session.material)

    def _open_menu(self, over: QWidget, at: QPoint, card: Card, tab: TabDef, label: str) -> None:
        menu = value_menu(self, self.session, card, tab, label)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(over.mapToGlobal(at))

    def _linked(self, card: Card, tab: TabDef, label: str, link: links.Link) -> QWidget:
        """A field whose value others share, with a mark that says so."""
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        field = field_for(tab, self.session.relative, self.session.found)
        assert field is not None
        self._connect(field, card, tab, label)
        mark = QToolButton()
        mark.setText("⇆")
        mark.setFixedSize(22, 22)
        here = links.Place(card.name, tab.name)
        others = [one for one in links.places_of(self.session.network, link.holder) if one != here]
        names = ", ".join(f"{self.session.title(one.card)} · {input_label(one.input).lower()}" for one in others)
        how = "" if (link.factor, link.offset) == (1.0, 0.0) else f" × {link.factor:g} + {link.offset:g}"
        mark.setToolTip(f"Linked with {names}{how}; click for more")
        mark.setAccessibleName(f"Link of {label}")
        mark.clicked.connect(lambda: self._open_menu(mark, mark.rect().bottomLeft(), card, tab, label))
        layout.addWidget(field, 1)
        layout.addWidget(mark)
        return row

    def _group_input(self, name: str) -> str:
        """What the open group calls one of its inputs."""
        outer = inside(self.session.document, self.session.path[:-1]).cards.get((self.session.path or ("",))[-1])
        one = outer.inputs.get(name) if outer is not None else None
        return input_label(name, one.attributes.get("uiname", "") if one is not None else "")

    def _connect(self, field: Field, card: Card, tab: TabDef, label: str) -> None:
        field.setObjectName(f"{card.name}.{tab.name}")
        field.setAccessibleName(label)
        field.leave_menu_to_parent()
        default = "" if tab.default is None else f"Default {tab.default}. "
        field.setToolTip(f"{tab.help}\n{default}Drag, type or use the arrows; Shift fine, Ctrl coarse.".strip())
        self.fields[tab.name] = field

        def edited(value: object, moving: bool) -> None:
            self.session.set_value(card.name, tab.name, tab.type, value, label=label.lower(), merge=True)  # type: ignore[arg-type]
            if not moving:
                self.session.history.close_merge()

        field.edited.connect(edited)
        field.reset.connect(lambda: self.session.reset_value(card.name, tab.name))

    def _wired(self, card: Card, tab: TabDef) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        wire = card.inputs[tab.name].wire
        assert wire is not None
        source = origin(self.session.network, wire)[0].card
        go = QPushButton(self.session.title(source))
        go.setFixedHeight(22)
        go.setToolTip("Wired from another card; click to go there")
        go.clicked.connect(lambda: self.session.select([source]))
        cut = QPushButton("✕")
        cut.setFixedSize(22, 22)
        cut.setStyleSheet("padding: 0;")
        cut.setToolTip("Cut this wire")
        cut.setAccessibleName(f"Cut the wire of {tab.name}")
        cut.clicked.connect(lambda: self.session.unwire(card.name, tab.name))
        layout.addWidget(go, 1)
        layout.addWidget(cut)
        return row

    # ---- writing ------------------------------------------------------------------------------

    def _rename(self) -> None:
        card = self._card
        if card is None:
            return
        text = self.title.text().strip()
        if text and text != title_of(card):
            self.session.edit(f"Name {text}", lambda network: edits.set_attribute(network, card.name, "uiname", text))
