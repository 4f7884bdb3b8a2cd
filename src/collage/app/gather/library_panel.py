"""The library and the folders: found by words and kind, with pictures, favourites; everything can be dragged out."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QMimeData, QPoint, QSize, Qt, QTimer, QUrl, Signal
from PySide6.QtGui import QIcon, QKeyEvent, QMouseEvent, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
)

from collage.app.preview.images import picture_icon, to_image
from collage.app.shell.jobs import Latest, Ticket
from collage.app.shell.settings import Settings
from collage.app.shell.studio import Studio
from collage.app.widgets.choosing import choose_folder
from collage.app.widgets.dragged import OFFER_FORMAT, start_drag
from collage.app.widgets.panels import quiet, title
from collage.core.assets.stock import KINDS, PICTURE, Item, Kind, Pictures, default_folder, items, search, stamp
from collage.core.base.errors import CollageError
from collage.core.gather.build import files_of
from collage.core.gather.sets import Rules
from collage.core.nodes.labels import PATTERNS, Offer
from collage.demo.library import is_made, library_steps

ITEM = Qt.ItemDataRole.UserRole
WATCH = 2000  # milliseconds between two looks at the folders
KIND_LABELS: dict[Kind, str] = {
    "map set": "Map sets", "image": "Images", "pattern": "Patterns", "material": "Materials",
    "environment": "Environments",
}  # fmt: skip


class LibraryList(QListWidget):
    """The items; a drag carries their files out."""

    taken = Signal(object)  # Item

    def __init__(self) -> None:
        super().__init__()
        self.setIconSize(QSize(64, 48))
        self.setSpacing(1)
        self.setUniformItemSizes(True)
        self.setAccessibleName("Library")
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self._press = QPoint()
        self.itemDoubleClicked.connect(lambda item: self.taken.emit(item.data(ITEM)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentItem() is not None:
            self.taken.emit(self.currentItem().data(ITEM))
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.position().toPoint()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        far = (event.position().toPoint() - self._press).manhattanLength()
        item = self.itemAt(self._press)
        if event.buttons() & Qt.MouseButton.LeftButton and item is not None and far > QApplication.startDragDistance():
            start_drag(self, mime_of(item.data(ITEM)), item.icon().pixmap(64, 48))


def mime_of(item: Item) -> QMimeData:
    """What is carried: the files of an item, or the kind of card that a pattern is."""
    mime = QMimeData()
    if item.kind == "pattern":
        mime.setData(OFFER_FORMAT, item.file.encode())
    else:
        names = files_of(item.found) if item.found is not None else [item.file]
        mime.setUrls([QUrl.fromLocalFile(str((item.folder / name).resolve())) for name in names])
    return mime


class LibraryPanel(QFrame):
    """At the left of the Gather place."""

    taken = Signal(object)  # Item
    gather_wanted = Signal(object)  # Path of a folder
    problem = Signal(object)

    def __init__(self, studio: Studio, rules: Callable[[], Rules]) -> None:
        super().__init__()
        self.studio, self._rules = studio, rules
        self.renderer = studio.renderer
        self._patterns = _patterns(studio.offers)
        self.setObjectName("panel")
        self.setMinimumWidth(220)
        self.items: list[Item] = []
        self.pictures = Pictures()
        self._icons: dict[str, QIcon] = {}
        self._stamps: dict[Path, str] = {}
        self.jobs = jobs = studio.jobs
        self._making: Ticket | None = None
        self.worker, self.painter = Latest(jobs, self), Latest(jobs, self)
        self.worker.answered.connect(self._take)
        self.worker.failed.connect(self.problem)
        self.painter.answered.connect(self._painted)
        self._lay_out()
        self._watch = QTimer(self)
        self._watch.setInterval(WATCH)
        self._watch.timeout.connect(self._look)

    @property
    def settings(self) -> Settings:
        return self.studio.settings

    def _lay_out(self) -> None:
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find in the library")
        self.search.setAccessibleName("Find in the library")
        self.search.setToolTip("Search the library by name and kind")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._show)
        self.kind = QComboBox()
        self.kind.setAccessibleName("Kind")
        self.kind.setToolTip("Show only one kind")
        self.kind.addItem("All kinds", None)
        for kind in KINDS:
            self.kind.addItem(KIND_LABELS[kind], kind)
        self.kind.addItem("Favourites", "favourites")
        self.kind.activated.connect(self._show)
        self.list = LibraryList()
        self.list.setToolTip("Double-click to use, right-click for more")
        self.list.taken.connect(self.taken)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._menu)
        self.count = quiet("")
        self.offer = QPushButton("Make the sample library")
        self.offer.setToolTip("Generates ten map sets, photographs and environments; takes half a minute")
        self.offer.clicked.connect(self.make_samples)
        folders = QToolButton()
        folders.setText("Folders")
        folders.setToolTip("Folders shown in the library")
        folders.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.folders_menu = QMenu(folders)
        self.folders_menu.aboutToShow.connect(self._fill_folders)
        folders.setMenu(self.folders_menu)
        self.read = QPushButton("Gather a folder…")
        self.read.setToolTip("Find the map sets in a folder (Ctrl+Shift+O)")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 8, 8)
        column.setSpacing(6)
        column.addWidget(self.read)
        head = QHBoxLayout()
        head.addWidget(title("Library"), 1)
        head.addWidget(folders)
        column.addLayout(head)
        column.addWidget(self.search)
        column.addWidget(self.kind)
        column.addWidget(self.list, 1)
        column.addWidget(self.count)
        column.addWidget(self.offer)

    def close_down(self) -> None:
        self._watch.stop()
        for one in (self.worker, self.painter):
            one.close()

    # ---- reading ------------------------------------------------------------------------------

    @property
    def folders(self) -> list[Path]:
        """The sample library's folder, and those that the person added."""
        return [default_folder(), *(Path(one) for one in self.settings.library_folders)]

    def start(self) -> None:
        """Called when the place is first shown."""
        if not self._watch.isActive():
            self._watch.start()
            self.refresh()

    def refresh(self) -> None:
        """Reads all folders anew, on a thread."""
        folders, rules = self.folders, self._rules()

        def work(_cancelled: Callable[[], bool]) -> Iterator[Any]:
            there = [folder for folder in folders if folder.is_dir()]
            stamps = {folder: stamp(folder) for folder in there}
            yield stamps, [item for folder in there for item in items(folder, rules)]

        self.worker.ask(work)

    def _look(self) -> None:
        """Whether anything came or went; only then is it read again."""
        if not self.worker.idle or not self.isVisible():
            return
        folders, known, rules = self.folders, self._stamps, self._rules()

        def work(_cancelled: Callable[[], bool]) -> Iterator[Any]:
            there = [folder for folder in folders if folder.is_dir()]
            stamps = {folder: stamp(folder) for folder in there}
            if stamps != known:
                yield stamps, [item for folder in there for item in items(folder, rules)]

        self.worker.ask(work)

    def make_samples(self) -> None:
        """Writes the sample library, saying how far it is."""
        folder = default_folder()

        self.offer.setEnabled(False)
        self._making = self.jobs.queue(
            "Making the sample library",
            lambda _cancelled: library_steps(folder),
            lambda _: self.refresh(),
            self._failed,
        )

    def _failed(self, error: CollageError) -> None:
        self.offer.setEnabled(True)
        self.problem.emit(error)

    def _take(self, answer: Any) -> None:
        self._stamps, found = answer
        self.items = [*found, *self._patterns]
        self._show()

    # ---- showing ------------------------------------------------------------------------------

    @property
    def shown(self) -> list[Item]:
        """The items that the search leaves."""
        kind = self.kind.currentData()
        only = frozenset(self.settings.favourites) if kind == "favourites" else None
        return search(self.items, self.search.text(), None if only is not None else kind, only)

    def _show(self, *_: object) -> None:
        shown = self.shown
        self.list.clear()
        blank = QPixmap(*PICTURE)
        blank.fill(Qt.GlobalColor.lightGray)
        for one in shown[:600]:
            star = " ★" if one.key in self.settings.favourites else ""
            item = QListWidgetItem(self._icons.get(one.key) or QIcon(blank), f"{one.name}{star}\n{_note(one)}")
            item.setData(ITEM, one)
            item.setToolTip(f"{one.path}\nDouble-click to use it, or drag it to the board or onto an object.")
            self.list.addItem(item)
        made = is_made(default_folder())
        self.offer.setVisible(not made)
        self.offer.setEnabled(self._making not in self.jobs.tickets)
        self.count.setText(f"{len(shown)} of {len(self.items)}" if self.items else "The library is empty.")
        self._paint([one for one in shown if one.key not in self._icons])

    def _paint(self, wanted: list[Item]) -> None:
        pictures, renderer = self.pictures, self.renderer

        def work(cancelled: Callable[[], bool]) -> Iterator[tuple[str, np.ndarray]]:
            for one in wanted:
                if cancelled():
                    return
                picture = pictures.picture(one, renderer, cancelled) if one.kind != "pattern" else None
                if picture is not None:
                    yield one.key, picture

        if wanted:
            self.painter.ask(work)

    def _painted(self, answer: tuple[str, np.ndarray]) -> None:
        self.set_picture(answer[0], QPixmap.fromImage(to_image(answer[1])))

    def set_picture(self, key: str, pixmap: QPixmap) -> None:
        self._icons[key] = picture_icon(pixmap)
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item.data(ITEM).key == key:
                item.setIcon(self._icons[key])

    def set_kind_pictures(self, pictures: dict[str, QPixmap]) -> None:
        """Pictures of patterns, by category."""
        for one in self._patterns:
            if one.words.split()[0] in pictures:
                self.set_picture(one.key, pictures[one.words.split()[0]])

    # ---- the hand -----------------------------------------------------------------------------

    def menu_of(self, item: Item) -> QMenu:
        menu = QMenu(self)
        menu.setObjectName("library menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Use", lambda: self.taken.emit(item))
        if item.kind != "pattern":
            menu.addAction("Gather this folder", lambda: self.gather_wanted.emit(item.path.parent))
        favourite = item.key in self.settings.favourites
        text = "Remove from favourites" if favourite else "Add to favourites"
        menu.addAction(text, partial(self.toggle_favourite, item))
        return menu

    def _menu(self, at: QPoint) -> None:
        item = self.list.itemAt(at)
        if item is not None:
            self.menu_of(item.data(ITEM)).popup(self.list.viewport().mapToGlobal(at))

    def toggle_favourite(self, item: Item) -> None:
        kept = [key for key in self.settings.favourites if key != item.key]
        if len(kept) == len(self.settings.favourites):
            kept.append(item.key)
        self._set(favourites=kept)
        self._show()

    def _set(self, **changed: Any) -> None:
        self.studio.remember(**changed)

    def _fill_folders(self) -> None:
        self.folders_menu.clear()
        for folder in self.settings.library_folders:
            self.folders_menu.addAction(f"Remove {Path(folder).name} from library", partial(self.drop_folder, folder))
        self.folders_menu.addAction("Add a folder…", self._ask_folder)

    def _ask_folder(self) -> None:
        folder = choose_folder(self, "Add a folder to the library")
        if folder is not None:
            self.add_folder(folder)

    def add_folder(self, folder: Path) -> None:
        """Shows a folder in the library from now on."""
        text = str(folder.resolve())
        if not folder.is_dir():
            self.problem.emit(CollageError("There is no such folder.", about=folder.name))
        elif text not in self.settings.library_folders:
            self._set(library_folders=[*self.settings.library_folders, text])
            self.refresh()

    def drop_folder(self, folder: str) -> None:
        kept = [one for one in self.settings.library_folders if one != folder]
        self._set(library_folders=kept)
        self.refresh()


def _patterns(every: list[Offer]) -> list[Item]:
    """The patterns of the program as items."""
    by_category = {
        offer.definition.category: offer for offer in reversed(every) if offer.definition.category in PATTERNS
    }
    return [
        Item("pattern", offer.label, Path(), offer.definition.name, None,
             f"{category} {offer.label} pattern {offer.definition.help}".lower())
        for category, offer in by_category.items()
    ]  # fmt: skip


def _note(item: Item) -> str:
    if item.found is not None:
        missing = any(one.missing for one in item.found.maps)
        count = len(item.found.maps)
        return f"{count} map{'s' if count > 1 else ''}" + (", tiles missing" if missing else "")
    return item.kind
