"""The numbered tiles of a map as a grid: which are there, which are missing."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPoint, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QHelpEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from collage.app.theme import font
from collage.core.base.text import counted
from collage.core.evaluate.literals import LOUD
from collage.core.gather.sets import FoundMap, tile_place
from collage.core.images.colour import linear_to_srgb

CELL = 34


class TilesView(QWidget):
    """As tall as the tiles need, and not there where a map has none."""

    def __init__(self) -> None:
        super().__init__()
        self.map: FoundMap | None = None
        self.setAccessibleName("Tiles of the map")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.hide()

    def show_map(self, one: FoundMap | None) -> None:
        self.map = one if one is not None and one.tiles else None
        self.setVisible(self.map is not None)
        self.updateGeometry()
        self.update()

    def _bounds(self) -> tuple[int, int, int, int]:
        """First row, first column, rows, columns."""
        assert self.map is not None
        places = [tile_place(tile) for tile in (*self.map.tiles, *self.map.missing)]
        rows, columns = [row for row, _ in places], [column for _, column in places]
        return min(rows), min(columns), max(rows) - min(rows) + 1, max(columns) - min(columns) + 1

    def sizeHint(self) -> QSize:
        return QSize(200, 20 + min(self._bounds()[2], 4) * CELL if self.map is not None else 0)

    def _cell(self, tile: str) -> QRectF:
        row, column, rows, columns = self._bounds()
        y, x = tile_place(tile)
        size = min(CELL, self.width() / max(columns, 1), (self.height() - 18) / max(rows, 1))
        top = 18 + (rows - 1 - (y - row)) * size  # the first row lies below, as v runs
        return QRectF((x - column) * size, top, size - 3, size - 3)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.map is None:
            return
        painter = QPainter(self)
        painter.setFont(font(11))
        ink = self.palette().text().color()
        painter.setPen(ink)
        lost = f", {len(self.map.missing)} missing" if self.map.missing else ""
        painter.drawText(QRectF(0, 0, self.width(), 16), 0, f"{counted(len(self.map.tiles), 'tile')}{lost}")
        painter.setFont(font(10))
        for tile in self.map.tiles:
            painter.setPen(QPen(ink, 1))
            painter.drawRect(self._cell(tile))
            painter.drawText(self._cell(tile), Qt.AlignmentFlag.AlignCenter, tile)
        loud = QColor.fromRgbF(*(float(part) for part in linear_to_srgb(np.array(LOUD))))
        for tile in self.map.missing:
            painter.fillRect(self._cell(tile), loud)
            painter.setPen(QColor("#FFFFFF"))
            painter.drawText(self._cell(tile), Qt.AlignmentFlag.AlignCenter, tile)
        painter.end()

    def tile_at(self, at: QPoint) -> str:
        if self.map is None:
            return ""
        every = (*self.map.tiles, *self.map.missing)
        return next((tile for tile in every if self._cell(tile).contains(at.toPointF())), "")

    def event(self, event) -> bool:  # type: ignore[no-untyped-def]
        if isinstance(event, QHelpEvent) and self.map is not None:
            tile = self.tile_at(event.pos())
            if tile:
                names = dict(zip(self.map.tiles, self.map.files, strict=False))
                QToolTip.showText(event.globalPos(), names.get(tile, f"Tile {tile} is missing."))
            return True
        return bool(super().event(event))
