"""The sources: map sets, patterns and materials to take from, with a search over them."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QMimeData, QPoint, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QFontMetrics,
    QMouseEvent,
    QPixmap,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from collage.app.shell.acts import add
from collage.app.theme import ASSETS, font
from collage.app.widgets.dragged import (
    EFFECT_FORMAT,
    KEPT_FORMAT,
    MATERIAL_FORMAT,
    OFFER_FORMAT,
    SET_FORMAT,
    start_drag,
)
from collage.app.widgets.panels import fill, quiet, scroll_area, title
from collage.core.actions import materials as materials_acts
from collage.core.actions.registry import action_of
from collage.core.actions.session import Session
from collage.core.assets.shelf import Shelf
from collage.core.base.text import counted
from collage.core.document.model import MAP_SET, Card
from collage.core.nodes.effects import EFFECTS
from collage.core.nodes.labels import PATTERNS, Offer, label_of, search, title_of
from collage.core.project.references import file_inputs


def in_two_lines(text: str, metrics: QFontMetrics, width: int) -> list[str]:
    """A name in one line if it fits, else broken at a space or a hyphen; what still does not fit ends in dots."""
    if metrics.horizontalAdvance(text) <= width:
        return [text]
    starts = [text[: number + 1].strip() for number, letter in enumerate(text) if letter in " -"]
    fitting = [start for start in starts if metrics.horizontalAdvance(start) <= width]
    lines = [fitting[-1], text[len(fitting[-1]) :].strip()] if fitting else [text]
    return [metrics.elidedText(line, Qt.TextElideMode.ElideRight, width) for line in lines]


class Tile(QFrame):
    """A picture with a name: double-click or Enter takes it, a drag carries it to the board."""

    taken = Signal()
    menu_wanted = Signal(QPoint)  # where on the screen

    def __init__(
        self, label: str, note: str, tip: str, offer: str = "", *, wide: bool = False, kind: str = OFFER_FORMAT
    ) -> None:
        super().__init__()
        self._offer, self._kind, self._press = offer, kind, QPoint()
        self._mark: QLabel | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(tip)
        self.setAccessibleName(label)
        self.picture = QLabel()
        self.picture.setFixedSize(44, 34) if wide else self.picture.setFixedSize(58, 42)
        self.picture.setScaledContents(True)
        self.picture.setStyleSheet("background: #8A8A8A;")
        name = QLabel(label)
        name.setFixedHeight(14 if not wide else 16)
        layout: QHBoxLayout | QVBoxLayout = QHBoxLayout(self) if wide else QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 2)
        layout.setSpacing(6 if wide else 2)
        layout.addWidget(self.picture)
        if wide:
            text = QVBoxLayout()
            text.setSpacing(0)
            text.addWidget(name)
            note_label = quiet(note)
            text.addWidget(note_label)
            layout.addLayout(text)
            layout.addStretch(1)
        else:
            face = font(10)
            name.setFont(face)
            name.setStyleSheet("font-size: 10px;")
            lines = in_two_lines(label, QFontMetrics(face), 62)
            name.setText("\n".join(lines))
            name.setFixedSize(62, 14 * len(lines))
            layout.addWidget(name)
            layout.addStretch(1)

    @property
    def unused(self) -> bool:
        """Whether it is marked as being on no object."""
        return self._mark is not None

    def mark_unused(self) -> None:
        """A word on the picture says that the material is on no object."""
        self._mark = QLabel("unused", self.picture)
        self._mark.setObjectName("onPicture")
        self._mark.adjustSize()
        self._mark.move(self.picture.width() - self._mark.width(), self.picture.height() - self._mark.height())

    def set_picture(self, pixmap: QPixmap) -> None:
        self.picture.setPixmap(pixmap)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()
        self.setFocus()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        far = (event.position().toPoint() - self._press).manhattanLength()
        if self._offer and far > QApplication.startDragDistance():
            mime = QMimeData()
            mime.setData(self._kind, self._offer.encode())
            start_drag(self, mime, self.picture.pixmap())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.taken.emit()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu_wanted.emit(event.globalPos())

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
        else:
            super().keyPressEvent(event)


class SourcesPanel(QFrame):
    """The drawer at the left."""

    take_offer = Signal(object)  # Offer
    take_set = Signal(str, str)  # material, card: a map set to copy here
    take_kept = Signal(str)  # a group from the shelf
    take_effect = Signal(str)

    def __init__(self, session: Session, every: list[Offer], shelf: Shelf) -> None:
        super().__init__()
        self.session, self._every, self.shelf = session, every, shelf
        self.setObjectName("panel")
        self.setMinimumWidth(220)  # three pictures side by side and a scroll bar
        self._pictures: dict[str, QPixmap] = {}
        self._material_pictures: dict[str, QPixmap] = {}
        self._tiles: dict[str, Tile] = {}
        self._late = False  # whether its tiles wait until it is seen
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 8, 8)
        layout.setSpacing(6)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find maps, patterns, cards")
        self.search.setAccessibleName("Find sources")
        self.search.setToolTip("Search maps, patterns, cards and materials")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.rebuild)
        layout.addWidget(title("Sources"))
        layout.addWidget(self.search)
        self._area = scroll_area()
        layout.addWidget(self._area, 1)
        session.changed.connect(self._on_changed)
        self.rebuild()

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)

    def _on_changed(self, before: object, after: object) -> None:
        if self._key() != self._shown_key:
            self.rebuild()

    def _key(self) -> tuple[object, ...]:
        project = self.session.project
        worn = tuple(item.materials for item in project.bench.objects)
        return (tuple(project.materials), tuple(project.unread), tuple(self._sets()), worn)

    def set_kind_pictures(self, pictures: dict[str, QPixmap]) -> None:
        self._pictures.update(pictures)
        for name, tile in self._tiles.items():
            if name in pictures:
                tile.set_picture(pictures[name])

    def set_set_picture(self, key: str, pixmap: QPixmap) -> None:
        self._pictures[key] = pixmap
        if key in self._tiles:
            self._tiles[key].set_picture(pixmap)

    def set_material_picture(self, name: str, pixmap: QPixmap) -> None:
        self._material_pictures[name] = pixmap
        tile = self._tiles.get(f"material {name}")
        if tile is not None:
            tile.set_picture(pixmap)

    def _sets(self) -> dict[tuple[str, str], Card]:
        """The map sets of all materials, by material and card."""
        return {
            (material, card.name): card
            for material, network in self.session.project.materials.items()
            for card in network.cards.values()
            if card.attributes.get(MAP_SET) == "true"
        }

    # ---- building -----------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._late:
            self.rebuild()

    def rebuild(self) -> None:
        self._shown_key = self._key()
        self._late = not self.isVisible()
        if self._late:
            return
        self._tiles = {}
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 4, 0)
        column.setSpacing(3)
        text = self.search.text().strip().lower()
        self._add_sets(column, text)
        if text:
            self._add_steps(column, search(self._every, text)[:24])
        else:
            self._add_patterns(column)
        self._add_effects(column, text)
        self._add_kept(column, text)
        self._add_materials(column, text)
        column.addStretch(1)
        fill(self._area, inside)

    @staticmethod
    def _heading(column: QVBoxLayout, text: str) -> None:
        label = quiet(text)
        label.setContentsMargins(0, 6, 0, 0)
        column.addWidget(label)

    def _add_sets(self, column: QVBoxLayout, text: str) -> None:
        sets = {key: card for key, card in self._sets().items() if text in title_of(card).lower()}
        if not sets:
            return
        self._heading(column, "Map sets")
        for (material, name), card in sets.items():
            count = len({one.value for _, _, one in file_inputs(card.network)}) if card.network else 0
            tip, key = "Double-click it, or drag it to the board, to add a copy", f"{material}\n{name}"
            tile = Tile(title_of(card), counted(count, "map"), tip, key, wide=True, kind=SET_FORMAT)
            tile.taken.connect(lambda material=material, name=name: self.take_set.emit(material, name))
            self._register(f"set {material} {name}", tile)
            column.addWidget(tile)

    def _add_patterns(self, column: QVBoxLayout) -> None:
        self._heading(column, "Patterns")
        offers = {offer.definition.category: offer for offer in self._every if offer.definition.type in ("float",)}
        fallback = {offer.definition.category: offer for offer in reversed(self._every)}
        grid = QGridLayout()
        grid.setSpacing(2)
        for number, category in enumerate(PATTERNS):
            offer = offers.get(category) or fallback.get(category)
            if offer is not None:
                grid.addWidget(self._kind_tile(offer), number // 3, number % 3)
        column.addLayout(grid)

    def _add_steps(self, column: QVBoxLayout, offers: list[Offer]) -> None:
        self._heading(column, "Cards")
        grid = QGridLayout()
        grid.setSpacing(2)
        shown: list[str] = []
        for offer in offers:
            if offer.definition.category not in shown:
                grid.addWidget(self._kind_tile(offer), len(shown) // 3, len(shown) % 3)
                shown.append(offer.definition.category)
        for column_number in range(3):
            grid.setColumnStretch(column_number, 1)
        column.addLayout(grid)

    def _kind_tile(self, offer: Offer) -> Tile:
        label = offer.label if offer.definition.category == "constant" else label_of(offer.definition.category)
        tile = Tile(
            label,
            "",
            f"{label}. {offer.definition.help}\nDouble-click or drag it to the board.".strip(),
            offer.definition.name,
        )
        tile.taken.connect(lambda: self.take_offer.emit(offer))
        self._register(offer.definition.category, tile)
        return tile

    def _add_effects(self, column: QVBoxLayout, text: str) -> None:
        """Effects that go over a material as it is."""
        found = [one for one in EFFECTS.values() if text in f"{one.title} {one.help}".lower()]
        if not found:
            return
        self._heading(column, "Effects")
        grid = QGridLayout()
        grid.setSpacing(2)
        for number, one in enumerate(found):
            tip = f"{one.title}: {one.help}.\nDouble-click it, or drag it to the board or onto an object."
            tile = Tile(one.title, "", tip, one.name, kind=EFFECT_FORMAT)
            tile.taken.connect(partial(self.take_effect.emit, one.name))
            tile.set_picture(QPixmap(str(ASSETS / "effects" / f"{one.name}.png")))  # the same in every project
            self._register(f"effect {one.name}", tile)
            grid.addWidget(tile, number // 3, number % 3)
        for column_number in range(3):
            grid.setColumnStretch(column_number, 1)
        column.addLayout(grid)

    def _add_kept(self, column: QVBoxLayout, text: str) -> None:
        """Groups that were kept, to use in any material."""
        names = [name for name in self.shelf.names() if text in name.lower()]
        if not names:
            return
        self._heading(column, "Saved groups")
        for name in names:
            tip = f"{name}. Double-click it, or drag it to the board, to add a copy."
            tile = Tile(name, "group", tip, name, wide=True, kind=KEPT_FORMAT)
            tile.taken.connect(partial(self.take_kept.emit, name))
            tile.menu_wanted.connect(partial(self._kept_menu, name))
            self._register(f"kept {name}", tile)
            column.addWidget(tile)

    def _kept_menu(self, name: str, at: QPoint) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Add a copy to the board", partial(self.take_kept.emit, name))
        menu.addAction("Delete saved group", partial(self._drop, name))
        menu.popup(at)

    def _drop(self, name: str) -> None:
        self.shelf.drop(name)
        self.rebuild()

    def material_menu(self, name: str) -> QMenu:
        """What can be done with a material."""
        session, menu = self.session, QMenu(self)
        menu.setObjectName("material menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Edit", partial(session.show_material, name))
        wear = menu.addMenu(action_of(materials_acts.assign_material).label.replace("…", ""))
        for part, item in enumerate(session.project.bench.objects):
            action = wear.addAction(item.name, partial(materials_acts.assign_material, session, part, name))
            action.setCheckable(True)
            action.setChecked(item.material == name)
        menu.addSeparator()
        add(menu, materials_acts.new_material_named, partial(materials_acts.new_material_named, session))
        add(menu, materials_acts.duplicate_material, partial(materials_acts.duplicate_material, session, name))
        add(menu, materials_acts.rename_material, partial(self.rename, name))
        add(menu, materials_acts.delete_material, partial(materials_acts.delete_material, session, name))
        return menu

    def _material_menu(self, name: str, at: QPoint) -> None:
        self.material_menu(name).popup(at)

    def rename(self, name: str) -> None:
        """Writes another name over the material's tile."""
        tile = self._tiles.get(f"material {name}")
        if tile is None:
            return
        line = QLineEdit(name, tile)
        line.setObjectName("rename")
        line.setAccessibleName("Name of the material")
        line.setGeometry(0, tile.height() - 24, tile.width(), 22)
        line.returnPressed.connect(lambda: materials_acts.rename_material(self.session, name, line.text()))
        line.editingFinished.connect(line.deleteLater)
        line.selectAll()
        line.show()
        line.setFocus()

    def _add_materials(self, column: QVBoxLayout, text: str) -> None:
        names = [name for name in self.session.project.materials if text in name.lower()]
        if not names:
            return
        self._heading(column, "Materials")
        grid = QGridLayout()
        grid.setSpacing(2)
        for number, name in enumerate(names):
            wearers = self.session.project.wearers(name)
            worn = f"Assigned to {', '.join(wearers)}." if wearers else "Not assigned yet."
            tip = f"{name}. {worn}\nDouble-click to edit it, or drag it onto an object to assign it."
            tile = Tile(name, "", tip, name, kind=MATERIAL_FORMAT)
            if not wearers:
                tile.mark_unused()
            tile.taken.connect(partial(self.session.show_material, name))
            tile.menu_wanted.connect(partial(self._material_menu, name))
            self._register(f"material {name}", tile)
            if name in self._material_pictures:
                tile.set_picture(self._material_pictures[name])
            grid.addWidget(tile, number // 3, number % 3)
        for column_number in range(3):
            grid.setColumnStretch(column_number, 1)
        column.addLayout(grid)
        for name, one in self.session.project.unread.items():
            missing = quiet(f"{name}: cannot be read")
            missing.setToolTip(one.reason)
            missing.setWordWrap(True)
            column.addWidget(missing)

    def _register(self, key: str, tile: Tile) -> None:
        self._tiles[key] = tile
        if key in self._pictures:
            tile.set_picture(self._pictures[key])
