"""What is shown while nothing is open: the paper board, with cards for what one can begin with."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QImage, QResizeEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from collage.app.shell.pinned import SIZE, Pinned
from collage.app.shell.studio import Studio
from collage.app.theme import ASSETS, Theme
from collage.app.widgets.dragged import files_in
from collage.app.widgets.panels import title
from collage.core.project.folder import is_project
from collage.demo import SAMPLES
from collage.demo.folder import demo_folder

GAP = 18
MARGIN = 40
MOST_RECENT = 7  # projects that have a card


class StartPage(QScrollArea):
    """Says what is wanted; the window does it."""

    gather_wanted = Signal()
    ball_wanted = Signal()
    walk_wanted = Signal()
    sample_wanted = Signal(str)
    project_wanted = Signal(object)  # Path of its folder
    files_dropped = Signal(list)  # of Path

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.studio = studio
        self.cards: list[Pinned] = []
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAcceptDrops(True)
        self.setObjectName("startPage")
        board = QWidget()
        board.setObjectName("startPage")
        self.setWidget(board)
        self._rows: list[tuple[QGridLayout, list[Pinned]]] = []
        self._columns = 0
        self._column = QVBoxLayout(board)
        self._column.setContentsMargins(MARGIN, 28, MARGIN, 20)
        self._column.setSpacing(10)
        self.refresh()

    def refresh(self) -> None:
        """Lays the cards out anew: projects come and go."""
        while (item := self._column.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.cards, self._rows, self._columns = [], [], 0
        self._add_row("Start", self._beginnings())
        self._add_row("Samples and recent projects", [*self._samples(), *self._recent()])
        hint = QLabel("Drop a folder of maps, pictures, a material or a project anywhere on this page.")
        hint.setObjectName("quiet")
        self._column.addSpacing(6)
        self._column.addWidget(hint)
        self._column.addStretch(1)
        self._flow()

    def set_theme(self, theme: Theme) -> None:
        for card in self.cards:
            card.theme = theme
            card.update()

    # ---- cards --------------------------------------------------------------------------------

    def _beginnings(self) -> list[Pinned]:
        return [
            self._card("Gather a folder…", "Find the map sets in it", "gather", self.gather_wanted.emit),
            self._card("New material on a ball", "Drop your own maps on it", "ball", self.ball_wanted.emit),
            self._card("First walk", "The sample, step by step", "walk", self.walk_wanted.emit),
        ]

    def _samples(self) -> list[Pinned]:
        name = "potting-shed"
        return [self._card("Potting shed", "Sample", name, partial(self.sample_wanted.emit, name), SAMPLES[name])]

    def _recent(self) -> list[Pinned]:
        found = [Path(text) for text in self.studio.settings.recent if Path(text) != demo_folder()]
        cards = []
        for folder in [one for one in found if is_project(one)][:MOST_RECENT]:
            image = self.studio.kept_pictures.newest(folder)
            card = Pinned(self.studio.theme, folder.name, when(folder / "project.json"), image, str(folder))
            card.chosen.connect(partial(self.project_wanted.emit, folder))
            cards.append(card)
        return cards

    def _card(self, name: str, note: str, picture: str, chosen: Callable[[], None], tip: str = "") -> Pinned:
        card = Pinned(self.studio.theme, name, note, picture_of(picture), tip)
        card.chosen.connect(chosen)
        return card

    def _add_row(self, heading: str, cards: list[Pinned]) -> None:
        holder = QWidget()
        grid = QGridLayout(holder)
        grid.setContentsMargins(0, 0, 0, 8)
        grid.setSpacing(GAP)
        self._column.addWidget(title(heading))
        self._column.addWidget(holder)
        self._rows.append((grid, cards))
        self.cards += cards

    def _flow(self) -> None:
        """As many cards side by side as fit."""
        columns = max(1, (self.width() - 2 * MARGIN + GAP) // (SIZE.width() + GAP))
        if columns == self._columns:
            return
        self._columns = columns
        for grid, cards in self._rows:
            for number, card in enumerate(cards):
                grid.addWidget(card, number // columns, number % columns)
            for column in range(columns + 1):
                grid.setColumnStretch(column, int(column == columns))

    # ---- Qt -----------------------------------------------------------------------------------

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._flow()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if files_in(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.files_dropped.emit(files_in(event.mimeData()))


def picture_of(name: str) -> QImage:
    """A picture that comes with the program."""
    image = QImage()
    image.loadFromData((ASSETS / "start" / f"{name}.png").read_bytes())
    return image


def when(file: Path, today: date | None = None) -> str:
    """When a file was last changed, as people say it."""
    changed = datetime.fromtimestamp(file.stat().st_mtime)
    days = ((today or date.today()) - changed.date()).days
    if days <= 1:
        return f"{'Today' if days <= 0 else 'Yesterday'}, {changed:%H:%M}"
    return f"{changed.day} {changed:%B %Y}"
