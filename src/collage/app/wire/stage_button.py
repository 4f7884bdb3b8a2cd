"""What the material in hand is shown on: the bench, or a stock shape of some size."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QInputDialog, QMenu, QToolButton

from collage.app.wire.preview import Preview
from collage.core.scene.stage import LABELS, Stage, length_text

SIZES = (0.1, 0.2, 0.5, 1.0, 3.0)  # metres of stock shapes that are offered


class StageButton(QToolButton):
    """Over the picture's upper right corner: what the material is shown on."""

    def __init__(self, preview: Preview) -> None:
        super().__init__(preview)
        self.preview = preview
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.setToolTip("Show the material on the bench, or on a stock shape")
        self.setAccessibleName("Shown on")
        menu = QMenu(self)
        menu.setObjectName("shown on menu")
        menu.aboutToShow.connect(self.fill)
        self.setMenu(menu)
        preview.stage_changed.connect(self.refresh)
        preview.installEventFilter(self)
        self.refresh()

    def refresh(self) -> None:
        """Says what the material is on at present."""
        stage = self.preview.stage
        self.setText(f"{stage.label if stage is not None else 'Bench'}  ▾")
        self.adjustSize()
        self.move(self.preview.width() - self.width() - 8, 8)

    def fill(self) -> None:
        """The bench and its objects, the stock shapes, and sizes."""
        preview, menu = self.preview, self.menu()
        menu.clear()
        stage = preview.stage
        _tick(menu, "Bench", partial(preview.show_on, None), stage is None)
        for number, item in enumerate(preview.session.project.bench.objects):
            menu.addAction(f"Frame {item.name}", partial(self._frame, number))
        menu.addSeparator()
        metres = stage.metres if stage is not None else Stage().metres
        for shape, label in LABELS.items():
            ticked = stage is not None and stage.shape == shape
            _tick(menu, label, partial(preview.show_on, Stage(shape=shape, metres=metres)), ticked)
        menu.addSeparator()
        shape = stage.shape if stage is not None else Stage().shape
        for size in SIZES:
            ticked = stage is not None and stage.metres == size
            _tick(menu, length_text(size), partial(preview.show_on, Stage(shape=shape, metres=size)), ticked)
        menu.addAction("Other size…", partial(self._ask_size, shape, metres))

    def _frame(self, number: int) -> None:
        self.preview.show_on(None)
        self.preview.frame(number)

    def _ask_size(self, shape: str, metres: float) -> None:
        size, good = QInputDialog.getDouble(self, "Size", "Largest extent in cm", metres * 100, 0.5, 5000, 1)
        if good:
            self.preview.show_on(Stage(shape=shape, metres=size / 100))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Resize:
            self.refresh()
        return super().eventFilter(watched, event)


def _tick(menu: QMenu, text: str, run: Callable[[], None], ticked: bool) -> None:
    action = menu.addAction(text, run)
    action.setCheckable(True)
    action.setChecked(ticked)
