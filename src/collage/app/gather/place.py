"""The Gather place: library and folders, the table of sets, the set in hand, and the pages for photographs."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from psygnal import Signal as Event
from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QImage, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from collage.app.gather.derive_page import DerivePage
from collage.app.gather.library_panel import LibraryPanel
from collage.app.gather.page import Page
from collage.app.gather.seamless_page import SeamlessPage
from collage.app.gather.set_panel import SetPanel
from collage.app.gather.sets_table import SetsTable
from collage.app.gather.state import GatherState
from collage.app.preview.images import pixmaps
from collage.app.shell.drops import Drops
from collage.app.shell.place import Entry
from collage.app.shell.studio import Studio
from collage.app.widgets.choosing import choose_folder
from collage.app.widgets.dragged import files_in
from collage.app.widgets.panels import Elided
from collage.app.widgets.progress_line import ProgressLine
from collage.core.assets.stock import Item
from collage.core.document.history import History
from collage.core.gather.names import stem_of
from collage.core.project.folder import MAPS, slug


class GatherPlace(QWidget):
    """Everything that brings maps in; see shell.place.Place."""

    title = "Gather"
    hint = "Drop files or folders here · click a role to correct it · Ctrl+B builds the selected set"
    opens = frozenset({"sets"})
    steps_changed = Event()  # what can be undone here

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.widget = self
        self.studio, self.session = studio, studio.session
        self.drops = Drops(studio)
        self.state = state = GatherState(studio.session.images, studio.jobs, studio.rules_file, self)
        self.setAcceptDrops(True)
        self.library = LibraryPanel(studio, lambda: state.table.rules)
        self.table = SetsTable(state)
        self.set_panel = SetPanel(state, studio.session, studio.renderer, studio.jobs)
        self.seamless = SeamlessPage(self.made_path, studio.jobs)
        self.derive = DerivePage(self.made_path, studio.renderer, studio.jobs)
        self.stack = QStackedWidget()
        self.stack.addWidget(self._table_page())
        self.stack.addWidget(self.seamless)
        self.stack.addWidget(self.derive)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.stack)
        self._connect()
        self._show_table()

    def _table_page(self) -> QWidget:
        middle = QFrame()
        middle.setObjectName("panel")
        column = QVBoxLayout(middle)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        self.folder_label = Elided()
        self.folder_label.setObjectName("title")
        self.bar = ProgressLine()
        self.bar.setFixedWidth(110)
        self.said = QLabel()
        self.said.setObjectName("quiet")
        self.stop = QPushButton("Stop")
        self.stop.setToolTip("Stop reading the folder")
        self.stop.clicked.connect(self.state.stop)
        head.addWidget(self.folder_label, 1)
        for part in (self.said, self.bar, self.stop):
            head.addWidget(part)
            part.hide()
        column.addLayout(head)
        column.addWidget(self.table, 1)
        self.empty = self._empty_page()
        column.addWidget(self.empty, 1)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.splitter.setObjectName("gather")
        self.splitter.setHandleWidth(1)
        self.splitter.setChildrenCollapsible(False)
        self.splitter.addWidget(self.library)
        self.splitter.addWidget(middle)
        self.splitter.addWidget(self.set_panel)
        self.splitter.setSizes([220, 750, 310])
        self.splitter.setStretchFactor(1, 1)
        return self.splitter

    def _empty_page(self) -> QWidget:
        """What to do first."""
        empty = QWidget()
        column = QVBoxLayout(empty)
        column.addStretch(2)
        text = QLabel("Choose a folder with maps, drop files and folders here, or take a set from the library.\n"
                      "Their names and pictures say which belong together and what each is.")  # fmt: skip
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        button = QPushButton("Gather a folder…")
        button.setToolTip("Find the map sets in a folder (Ctrl+Shift+O)")
        button.setObjectName("main")
        button.clicked.connect(self.ask_folder)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(button)
        row.addStretch(1)
        column.addWidget(text)
        column.addLayout(row)
        column.addStretch(3)
        return empty

    def _connect(self) -> None:
        state = self.state
        state.changed.connect(self._show_table)
        state.progress.connect(self._show_progress)
        state.problem.connect(self.studio.tell)
        state.hint.connect(self.studio.hint)
        self.library.read.clicked.connect(self.ask_folder)
        self.library.taken.connect(self.take)
        self.library.gather_wanted.connect(state.read)
        self.library.problem.connect(self.studio.tell)
        self.set_panel.build_wanted.connect(self.build_selected)
        self.studio.maker.kinds_ready.connect(self._show_kinds)
        for source in (self.set_panel, self.table):
            source.seamless_wanted.connect(self.open_seamless)
            source.derive_wanted.connect(self.open_derive)
        self.set_panel.preview.failed.connect(self.studio.tell)
        for page in (self.seamless, self.derive):
            page.left.connect(self.leave_page)
            page.problem.connect(self.studio.tell)
            page.made.connect(self._made)
        for history in (state.history, self.seamless.history, self.derive.history):
            history.steps_changed.connect(self.steps_changed.emit)
        self.stack.currentChanged.connect(self._page_changed)
        build = QShortcut(QKeySequence("Ctrl+B"), self)
        build.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        build.activated.connect(self.build_selected)

    def _page_changed(self, _index: int) -> None:
        self.steps_changed.emit()

    def _show_kinds(self, images: dict[str, QImage]) -> None:
        self.library.set_kind_pictures(pixmaps(images))

    @property
    def splitters(self) -> dict[str, QSplitter]:
        return {"gather": self.splitter}

    def entries(self) -> list[Entry]:
        return []  # those of the list of places

    def gather_folder(self) -> None:
        """Comes to the front and asks for a folder."""
        self.studio.wanted.emit("sets")
        self.ask_folder()

    def close_down(self) -> None:
        for history in (self.state.history, self.seamless.history, self.derive.history):
            history.steps_changed.disconnect(self.steps_changed.emit)
        self.library.close_down()
        self.set_panel.close_down()
        self.seamless.close_down()
        self.derive.close_down()
        self.state.close()

    @property
    def settled(self) -> bool:
        """Whether all pictures of the present state are on the screen."""
        workers = (self.state.worker, self.library.worker, self.library.painter)
        pages = (self.seamless, self.derive, self.set_panel.preview)
        return all(one.idle for one in workers) and all(one.settled for one in pages)

    @property
    def history(self) -> History[Any]:
        """Whose steps Undo takes back here: the page's that is open, or the table's."""
        page = self.stack.currentWidget()
        return page.history if isinstance(page, Page) else self.state.history

    # ---- showing ------------------------------------------------------------------------------

    def shown(self) -> None:
        self.library.start()

    def _show_table(self) -> None:
        found = self.state.found
        there = bool(found.sets or found.leftover)
        self.table.setVisible(there)
        self.empty.setVisible(not there)
        folder = self.state.table.folder
        count = f"{len(found.sets)} map set{'s' if len(found.sets) != 1 else ''}"
        name = folder.name if folder != Path() else ""
        self.folder_label.setText(f"{count}{' in ' + name if name else ''}" if there else "")
        self.folder_label.setToolTip(str(folder))

    def _show_progress(self, text: str, share: float) -> None:
        for part in (self.said, self.bar, self.stop):
            part.setVisible(bool(text))
        self.said.setText(text if len(text) < 40 else text[:38] + "…")
        self.bar.set_share(share)

    # ---- acts ---------------------------------------------------------------------------------

    def ask_folder(self) -> None:
        folder = choose_folder(self, "Gather a folder with maps", self.state.table.folder or self.studio.session.folder)
        if folder is not None:
            self.state.read(folder)

    def take(self, item: Item) -> None:
        """A set or picture from the library goes to the table; the rest becomes part of the project."""
        if item.kind == "map set" and item.found is not None:
            folder = item.path.parent
            names = [file for one in item.found.maps for file in one.files]
            self.state.add([folder] if self._alone(item, folder) else [item.folder / name for name in names])
        elif item.kind == "image":
            self.state.add([item.path])
        elif item.kind == "pattern":
            self._take_pattern(item)
        elif item.kind == "material":
            self.drops.add_materials(item.path)
        elif item.kind == "environment":
            self.drops.light_by(item.path)

    def _take_pattern(self, item: Item) -> None:
        offer = next((one for one in self.studio.offers if one.definition.name == item.file), None)
        if offer is not None:
            self.session.add(offer.definition, (0.0, 0.0))
            self.studio.hint.emit(f"{offer.label} is on the board of “{self.session.material}”.")

    def build_selected(self) -> None:
        """Builds the selected set as the panel says."""
        found, panel = self.state.chosen_set, self.set_panel
        if found is not None:
            folder = self.state.table.folder
            self.drops.build(found, folder, panel.options(), copy=panel.copy.isChecked(), number=panel.part)

    def _alone(self, item: Item, folder: Path) -> bool:
        """Whether a set has its folder to itself, so that the other files in it come along."""
        return folder != item.folder and sum(1 for one in self.library.items if one.path.parent == folder) < 3

    def open_seamless(self) -> None:
        file = self.state.chosen_file
        if file is not None:
            self.seamless.open(file)
            self.studio.hint.emit("Drag to select a region · double-click selects all · Esc goes back to the sets")
            self.stack.setCurrentWidget(self.seamless)

    def open_derive(self) -> None:
        file = self.state.chosen_file
        if file is not None:
            self.derive.open(file)
            self.studio.hint.emit("Drag a value to try it · drag a preview to orbit · Esc goes back to the sets")
            self.stack.setCurrentWidget(self.derive)

    def leave_page(self) -> None:
        self.stack.setCurrentIndex(0)

    def made_path(self, source: Path, role: str) -> Path:
        """Where a map made of a photograph goes: to the project's maps, or beside the photograph."""
        stem = stem_of(source.name)
        root = self.session.folder / MAPS / slug(stem) if self.session.folder is not None else source.parent / stem
        return root / f"{stem}_{role}.png"

    def _made(self, paths: list[Path]) -> None:
        """What a page wrote is gathered with what lies in its folder, and chosen."""
        self.state.add([paths[0].parent])
        self.library.refresh()

    # ---- drops --------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if files_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.take_files(files_in(event.mimeData()))
        event.acceptProposedAction()

    def take_files(self, paths: list[Path]) -> bool:
        self.studio.wanted.emit("sets")
        self.leave_page()
        if len(paths) == 1 and paths[0].is_dir():
            self.state.read(paths[0])
        else:
            self.state.add(paths)
        return True
