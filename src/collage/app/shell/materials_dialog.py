"""The materials of a document that has many: pictures, a search, and a button that takes the chosen ones."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.preview.images import picture_icon, to_image
from collage.app.shell.jobs import Latest
from collage.app.shell.studio import Studio
from collage.core.actions.materials import Offered
from collage.core.base.errors import CollageError
from collage.core.base.text import counted
from collage.core.document.contained import Contained, taken
from collage.core.render.swatch import swatch

PICTURE = QSize(112, 84)  # as it is drawn; it is made twice as large
CELL = QSize(136, 122)
KEY = Qt.ItemDataRole.UserRole


class MaterialsDialog(QDialog):
    """Chooses among the materials of a document."""

    chosen = Signal(list)  # of Contained

    def __init__(self, studio: Studio, offered: Offered, parent: QWidget) -> None:
        super().__init__(parent)
        self.studio, self.offered = studio, offered
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(f"Materials in {offered.file.name}")
        self.resize(740, 560)
        self.line = QLineEdit()
        self.line.setPlaceholderText("Find a material")
        self.line.setAccessibleName("Find a material")
        self.line.setToolTip("Search names and folders")
        self.line.textChanged.connect(self._fill)
        self.list = _list()
        self.list.itemSelectionChanged.connect(self._count)
        self.list.itemDoubleClicked.connect(lambda _: self.accept())
        self.count = QLabel()
        self.count.setObjectName("quiet")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.add = QPushButton("Add")
        self.add.setDefault(True)
        self.add.setToolTip("Add the selected materials to the project")
        buttons.addButton(self.add, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.button(QDialogButtonBox.StandardButton.Cancel).setToolTip("Add nothing")
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        below = QHBoxLayout()
        below.addWidget(self.count, 1)
        below.addWidget(buttons)
        layout = QVBoxLayout(self)
        layout.addWidget(self.line)
        layout.addWidget(self.list, 1)
        layout.addLayout(below)
        self._items: dict[str, QListWidgetItem] = {}
        self.painter = Latest(studio.jobs, self)
        self.painter.answered.connect(self._painted)
        self._make_items()
        self._count()
        self._paint()

    def selected(self) -> list[Contained]:
        """In the order of the document; what the search hides is not among them."""
        return [one for one in self.offered.materials if self._is_chosen(self._items[one.card])]

    @staticmethod
    def _is_chosen(item: QListWidgetItem) -> bool:
        return item.isSelected() and not item.isHidden()

    def accept(self) -> None:
        if self.selected():
            self.chosen.emit(self.selected())
            super().accept()

    def done(self, result: int) -> None:
        self.painter.close()
        super().done(result)

    def _make_items(self) -> None:
        blank = QPixmap(PICTURE * 2)
        blank.fill(Qt.GlobalColor.transparent)
        for one in self.offered.materials:
            item = QListWidgetItem(QIcon(blank), one.title)
            item.setData(KEY, one.card)
            item.setToolTip(f"{one.title}\n{one.folder}" if one.folder else one.title)
            item.setSizeHint(CELL)
            self._items[one.card] = item
            self.list.addItem(item)

    def _fill(self, text: str) -> None:
        words = text.lower().split()
        for one in self.offered.materials:
            self._items[one.card].setHidden(not all(word in one.words for word in words))
        self._count()
        self._paint()

    def _count(self) -> None:
        shown = sum(not item.isHidden() for item in self._items.values())
        chosen = len(self.selected())
        every = len(self._items)
        self.count.setText(counted(every, "material") if shown == every else f"{shown} of {counted(every, 'material')}")
        self.add.setText(f"Add {counted(chosen, 'material')}" if chosen > 1 else "Add")
        self.add.setEnabled(chosen > 0)

    # ---- pictures -----------------------------------------------------------------------------

    def _paint(self) -> None:
        """Makes the pictures that are not there yet; those that the search shows first."""
        waiting = [one.card for one in self.offered.materials if not self._items[one.card].data(KEY + 1)]
        waiting.sort(key=lambda card: self._items[card].isHidden())
        renderer, offered = self.studio.renderer, self.offered
        size = 2 * PICTURE.width(), 2 * PICTURE.height()

        def work(overtaken: Callable[[], bool]) -> Iterator[tuple[str, QImage]]:
            for card in waiting:
                try:
                    document = taken(offered.document, card)
                    yield card, to_image(swatch(renderer, document, offered.file.parent, size, overtaken))
                except CollageError:  # it has no picture, and can be taken all the same
                    continue

        self.painter.ask(work)

    def _painted(self, answer: tuple[str, QImage]) -> None:
        item = self._items[answer[0]]
        item.setIcon(picture_icon(QPixmap.fromImage(answer[1])))
        item.setData(KEY + 1, True)


def _list() -> QListWidget:
    shown = QListWidget()
    shown.setAccessibleName("Materials")
    shown.setViewMode(QListView.ViewMode.IconMode)
    shown.setResizeMode(QListView.ResizeMode.Adjust)
    shown.setMovement(QListView.Movement.Static)
    shown.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    shown.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
    shown.setUniformItemSizes(True)
    shown.setIconSize(PICTURE)
    shown.setGridSize(CELL)
    shown.setWordWrap(True)
    shown.setToolTip("Double-click to add one; Ctrl or Shift to select several")
    return shown
