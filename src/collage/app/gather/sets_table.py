"""The table of found sets: a line for each map, everything editable in place."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import PurePosixPath
from typing import Any

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, QSize, Qt, Signal
from PySide6.QtGui import QFont, QIcon, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHeaderView,
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from collage.app.gather.state import THUMB, Chosen, GatherState, is_picture
from collage.app.preview.images import to_image
from collage.core.base.text import counted
from collage.core.gather.names import AXES_TEXT, axes_text
from collage.core.gather.sets import FoundMap, FoundSet, Leftover, default_space, in_role
from collage.core.gather.words import LAYOUTS, ROLES, Channels, Role
from collage.core.images.colour import SPACE_LABELS, SPACES

FILE, ROLE, SPACE, SIZE, GREEN, REMARK = range(6)
HEADERS = ("File", "Role", "Colour space", "Size", "Normal Y", "Remarks")
OPEN = 60  # so many sets are shown open at first
FEW = 20  # so many changed sets are shown anew one by one
LINE = 34  # pixels of a line with a picture
PLACE = Qt.ItemDataRole.UserRole  # a Chosen in the first column of every line


class ChoiceDelegate(QStyledItemDelegate):
    """A drop-down where a cell is clicked; what is picked goes to the state at once."""

    def __init__(self, choices: Callable[[Chosen], dict[str, str]], pick: Callable[[Chosen, str], None]) -> None:
        super().__init__()
        self._choices, self._pick = choices, pick

    def createEditor(
        self, parent: QWidget, _option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> QWidget:
        chosen = index.sibling(index.row(), FILE).data(PLACE)
        choices = self._choices(chosen) if isinstance(chosen, Chosen) else {}
        if not choices:
            return None  # type: ignore[return-value]
        box = QComboBox(parent)
        box.setAccessibleName(HEADERS[index.column()])
        for key, label in choices.items():
            box.addItem(label, key)
        now = str(index.data()).lstrip("? ")
        box.setCurrentIndex(max(box.findText(now), 0))
        box.activated.connect(lambda _: self._picked(box, chosen))
        return box

    def _picked(self, box: QComboBox, chosen: Chosen) -> None:
        key = str(box.currentData())
        self.closeEditor.emit(box)
        self._pick(chosen, key)

    def setModelData(self, *_args: Any) -> None:
        """Nothing is written into the table itself; it follows the state."""


class SetsTable(QTreeWidget):
    """Sets with their maps, and what is left over."""

    seamless_wanted = Signal()
    derive_wanted = Signal()

    def __init__(self, state: GatherState) -> None:
        super().__init__()
        self.gathered = state
        self.setObjectName("sets")
        self.setAccessibleName("Found map sets")
        self.setColumnCount(len(HEADERS))
        self.setHeaderLabels(HEADERS)
        self.setIconSize(QSize(*THUMB))
        self.setIndentation(14)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        header = self.header()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)
        for column, width in ((FILE, 262), (ROLE, 112), (SPACE, 88), (SIZE, 80), (GREEN, 58)):
            self.setColumnWidth(column, width)
        self._delegates = {
            ROLE: ChoiceDelegate(self._roles, self._pick_role),
            SPACE: ChoiceDelegate(self._spaces, self._pick_space),
            GREEN: ChoiceDelegate(self._greens, self._pick_green),
        }
        for column, delegate in self._delegates.items():
            self.setItemDelegateForColumn(column, delegate)
        self.itemClicked.connect(self._clicked)
        self.itemChanged.connect(self._checked)
        self.currentItemChanged.connect(lambda item, _: self._current(item))
        state.changed.connect(self.rebuild)
        state.chosen_changed.connect(self._show_chosen)
        self._filling = False
        self._shown: tuple[FoundSet, ...] = ()
        self._shown_left: tuple[Leftover, ...] = ()
        self._shown_thumbs = 0
        self._to_open: list[QTreeWidgetItem] = []
        self.itemExpanded.connect(self._fill)
        self.rebuild()

    # ---- showing ------------------------------------------------------------------------------

    def rebuild(self) -> None:
        """Shows the state anew: only the lines of sets that changed; what was open and in view stays so."""
        found, thumbs = self.gathered.found, len(self.gathered.thumbs)
        same = len(found.sets) == len(self._shown) and found.leftover == self._shown_left
        changed = [at for at, one in enumerate(found.sets) if not same or one is not self._shown[at]]
        bar = self.verticalScrollBar().value()
        self._filling = True
        if not same or thumbs != self._shown_thumbs or len(changed) > FEW:
            self._show_all()
        else:
            for at in changed:
                self._show_again(at, found.sets[at])
        self._shown, self._shown_thumbs, self._shown_left = found.sets, thumbs, found.leftover
        self._filling = False
        self.verticalScrollBar().setValue(bar)
        self._show_chosen()

    def _show_all(self) -> None:
        closed = {top.text(FILE) for top in self._tops() if not top.isExpanded()}
        self.clear()
        many = len(self.gathered.found.sets) > OPEN
        for number, found in enumerate(self.gathered.found.sets):
            self.addTopLevelItem(self._set_item(number, found, filled=not many and found.title not in closed))
        self._open_lines()
        self._add_leftover(closed)

    def _show_again(self, number: int, found: FoundSet) -> None:
        before = self.topLevelItem(number)
        open_ = before is not None and before.isExpanded()
        self.takeTopLevelItem(number)
        self.insertTopLevelItem(number, self._set_item(number, found, filled=open_))
        self._open_lines()

    def _open_lines(self) -> None:
        """Lines can be opened only once they are in the table."""
        for item in self._to_open:
            item.setExpanded(True)
        self._to_open.clear()

    def _fill(self, top: QTreeWidgetItem) -> None:
        """Puts the lines of a set's maps under it, once they are looked for."""
        place = top.data(FILE, PLACE)
        if top.childCount() or not isinstance(place, Chosen) or place.set_number < 0:
            return
        filling, self._filling = self._filling, True
        for at, one in enumerate(self.gathered.found.sets[place.set_number].maps):
            top.addChild(self._map_item(Chosen(place.set_number, at), one))
        self._filling = filling

    def _set_item(self, number: int, found: FoundSet, *, filled: bool) -> QTreeWidgetItem:
        """The line of a set, open with the lines of its maps if it is to be `filled`."""
        unsure = sum(1 for one in found.maps if not one.sure)
        item = QTreeWidgetItem([found.title, counted(len(found.maps), "map")])
        item.setData(FILE, PLACE, Chosen(number))
        item.setSizeHint(FILE, QSize(0, LINE - 6))
        bold = QFont(self.font())
        bold.setBold(True)
        item.setFont(FILE, bold)
        remarks = [*found.remarks, *([f"{unsure} to check"] if unsure else [])]
        item.setText(REMARK, " ".join(remarks))
        item.setToolTip(REMARK, "\n".join(remarks))
        item.setToolTip(FILE, found.folder or "In the folder")
        item.setChildIndicatorPolicy(QTreeWidgetItem.ChildIndicatorPolicy.ShowIndicator)
        if filled:
            self._fill(item)
            self._to_open.append(item)
        return item

    def _map_item(self, place: Chosen, one: FoundMap) -> QTreeWidgetItem:
        name = PurePosixPath(one.files[0]).name
        if one.tiles:
            name = f"{name} and {len(one.files) - 1} more tiles"
        item = QTreeWidgetItem([name, f"{'' if one.sure else '? '}{one.label}"])
        item.setData(FILE, PLACE, place)
        item.setCheckState(FILE, Qt.CheckState.Checked if one.used else Qt.CheckState.Unchecked)
        item.setIcon(FILE, self._icon(one.files[0]))
        item.setSizeHint(FILE, QSize(0, LINE))
        item.setText(SPACE, SPACE_LABELS.get(one.colorspace, one.colorspace))
        if one.size[0]:
            item.setText(SIZE, f"{one.size[0]}×{one.size[1]}")
            item.setToolTip(SIZE, f"{one.bits} bits, {one.depth} channel{'s' if one.depth > 1 else ''}")
        green = one.green if one.green != "unknown" else "? up"
        item.setText(GREEN, axes_text(one.axes, green) if holds_normal(one) else "")
        remarks = [*([f"{one.contents}."] if one.contents else []), *one.remarks]
        item.setText(REMARK, " ".join(remarks))
        item.setToolTip(REMARK, "\n".join(remarks))
        item.setToolTip(FILE, "\n".join(one.files[:12]))
        item.setToolTip(ROLE, f"{one.reason}; {one.confidence:.0%} sure. Click to change.")
        return item

    def _add_leftover(self, closed: set[str]) -> None:
        left = self.gathered.found.leftover
        if not left:
            return
        top = QTreeWidgetItem(["Unused", counted(len(left), "file")])
        top.setData(FILE, PLACE, Chosen())
        self.addTopLevelItem(top)
        for number, one in enumerate(left):
            item = QTreeWidgetItem([PurePosixPath(one.file).name])
            item.setText(REMARK, one.reason[:1].upper() + one.reason[1:])
            item.setData(FILE, PLACE, Chosen(leftover=number))
            item.setIcon(FILE, self._icon(one.file))
            item.setToolTip(FILE, one.file)
            item.setSizeHint(FILE, QSize(0, LINE))
            top.addChild(item)
        top.setExpanded("Unused" not in closed)

    def _icon(self, file: str) -> QIcon:
        picture = self.gathered.thumbs.get(str(self.gathered.path(file)))
        if picture is None:
            blank = QPixmap(*THUMB)
            blank.fill(Qt.GlobalColor.transparent)
            return QIcon(blank)
        return QIcon(QPixmap.fromImage(to_image(picture)))

    def item_of(self, place: Chosen) -> QTreeWidgetItem | None:
        """The line of a set, of a map or of a leftover file."""
        if place == Chosen():
            return None
        for top in self._tops():
            if place.map_number >= 0 and top.data(FILE, PLACE) == Chosen(place.set_number):
                self._fill(top)
            for item in (top, *(top.child(at) for at in range(top.childCount()))):
                if item is not None and item.data(FILE, PLACE) == place:
                    return item
        return None

    def _tops(self) -> list[QTreeWidgetItem]:
        tops = (self.topLevelItem(row) for row in range(self.topLevelItemCount()))
        return [top for top in tops if top is not None]

    def _show_chosen(self) -> None:
        item = self.item_of(self.gathered.chosen)
        if item is not None:
            self._filling = True
            self.setCurrentItem(item)
            self.scrollToItem(item)
            self._filling = False

    # ---- the hand -----------------------------------------------------------------------------

    def _current(self, item: QTreeWidgetItem | None) -> None:
        place = item.data(FILE, PLACE) if item is not None else None
        if not self._filling and isinstance(place, Chosen):
            self.gathered.choose(place)

    def _clicked(self, item: QTreeWidgetItem, column: int) -> None:
        if column in self._delegates:
            self.editItem_(item, column)

    def editItem_(self, item: QTreeWidgetItem, column: int) -> None:
        """Opens the drop-down of a cell; the item is editable only for that long."""
        self._filling = True
        item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
        self.editItem(item, column)
        self._filling = False
        box = self.findChild(QComboBox)
        if box is not None:
            box.showPopup()

    def _checked(self, item: QTreeWidgetItem, column: int) -> None:
        place = item.data(FILE, PLACE)
        if self._filling or column != FILE or not isinstance(place, Chosen) or place.map_number < 0:
            return
        used = item.checkState(FILE) == Qt.CheckState.Checked
        if used != self.gathered.found.sets[place.set_number].maps[place.map_number].used:
            self.gathered.change_map("Use map" if used else "Exclude map", place.set_number, place.map_number,
                                  used=used)  # fmt: skip

    def _map(self, place: Chosen) -> FoundMap | None:
        return self.gathered.found.sets[place.set_number].maps[place.map_number] if place.map_number >= 0 else None

    def _roles(self, place: Chosen) -> dict[str, str]:
        if place.map_number >= 0:
            return {str(role): label for role, label in ROLES.items()}
        left = self.gathered.found.leftover
        if 0 <= place.leftover < len(left) and is_picture(left[place.leftover]):
            return {"": "Not used", **{role: label for role, label in ROLES.items() if role != "packed"}}
        return {}

    def _pick_role(self, place: Chosen, role: str) -> None:
        if place.map_number >= 0:
            self.gathered.set_role(place.set_number, place.map_number, role)  # type: ignore[arg-type]
        elif role:
            self.gathered.take_leftover(place.leftover, -1, role)  # type: ignore[arg-type]

    def _spaces(self, place: Chosen) -> dict[str, str]:
        if self._map(place) is None:
            return {}
        return {space: SPACE_LABELS.get(space, space) for space in ("raw", *SPACES)}

    def _pick_space(self, place: Chosen, space: str) -> None:
        self.gathered.change_map("Colour space", place.set_number, place.map_number, colorspace=space)

    def _greens(self, place: Chosen) -> dict[str, str]:
        one = self._map(place)
        if one is None or not holds_normal(one):
            return {}
        return {f"{axes}|{green}": axes_text(axes, green) for axes in AXES_TEXT for green in ("up", "down")}

    def _pick_green(self, place: Chosen, chosen: str) -> None:
        axes, green = chosen.split("|")
        at = place.set_number, place.map_number
        self.gathered.change_map("Normal map axes", *at, green=green, axes=axes, confidence=1.0)

    def menu_of(self, place: Chosen) -> QMenu:
        """What can be done with a line."""
        menu = QMenu(self)
        menu.setObjectName("line menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        one = self._map(place)
        if one is not None:
            roles = menu.addMenu("Role")
            for role, label in ROLES.items():
                roles.addAction(label, partial(self._pick_role, place, role))
            packed = menu.addMenu("Packed as")
            for text, channels in LAYOUTS.items():
                packed.addAction(text, partial(self._pack, place, channels))
            others = menu.addMenu("Move to")
            for number, found in enumerate(self.gathered.found.sets[:40]):
                if number != place.set_number:
                    move = partial(self.gathered.move_map, place.set_number, place.map_number, number)
                    others.addAction(found.title, move)
            if holds_normal(one):
                menu.addAction(
                    "Flip the green channel", lambda: self.gathered.turn_green(place.set_number, place.map_number)
                )
        if place.leftover >= 0 and is_picture(self.gathered.found.leftover[place.leftover]):
            self._leftover_menu(menu, place)
        if self.gathered.chosen_file is not None:
            menu.addAction("Make it seamless…", self.seamless_wanted.emit)
            menu.addAction("Derive maps from it…", self.derive_wanted.emit)
        return menu

    def _pack(self, place: Chosen, channels: Channels) -> None:
        one = in_role(self.gathered.found.sets[place.set_number].maps[place.map_number], "packed")
        space = default_space("packed", PurePosixPath(one.files[0]).suffix, channels, one.details)
        self.gathered.change_map(
            "Change packing", place.set_number, place.map_number, role="packed", channels=channels,
            colorspace=space, confidence=1.0, reason="set by hand",
        )  # fmt: skip

    def _leftover_menu(self, menu: QMenu, place: Chosen) -> None:
        fresh: Role = "base_color"
        menu.addAction("New set from this map", lambda: self.gathered.take_leftover(place.leftover, -1, fresh))
        into = menu.addMenu("Add to set")
        for number, found in enumerate(self.gathered.found.sets[:40]):
            roles = into.addMenu(found.title)
            for role, label in ROLES.items():
                if role != "packed":
                    roles.addAction(label, partial(self.gathered.take_leftover, place.leftover, number, role))

    def _menu(self, at: QPoint) -> None:
        item = self.itemAt(at)
        place = item.data(FILE, PLACE) if item is not None else None
        if isinstance(place, Chosen):
            self.gathered.choose(place)
            self.menu_of(place).popup(self.viewport().mapToGlobal(at))


def holds_normal(one: FoundMap) -> bool:
    return one.role == "normal" or any(role == "normal" for _, role in one.channels)
