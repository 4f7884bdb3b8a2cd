"""Scopes: how bright a picture is, as a histogram and as a waveform."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from collage.app.judge.view import JudgeView
from collage.app.theme import Theme
from collage.core.images.colour import LUMINANCE
from collage.core.render.request import Picture

BINS = 128
COLUMNS, LEVELS = 160, 64  # of the waveform


def brightness(picture: Picture) -> tuple[np.ndarray, np.ndarray]:
    """(h, w) 0 to 255 as shown, and whether each pixel shows an object; all count where none does."""
    bright = picture.display @ LUMINANCE
    if picture.objects.shape == bright.shape and (picture.objects >= 0).any():
        return bright, picture.objects >= 0
    return bright, np.ones(bright.shape, bool)


class Scope(QWidget):
    """Something that is drawn of the view's picture, anew with each."""

    def __init__(self, view: JudgeView, name: str, tip: str, height: int) -> None:
        super().__init__()
        self.view, self.theme = view, view.theme
        self.setFixedHeight(height)
        self.setToolTip(tip)
        self.setAccessibleName(name)
        view.shown_changed.connect(self.update)

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.update()


class Histogram(Scope):
    """How many pixels are how bright, as shown, dark at the left."""

    def __init__(self, view: JudgeView) -> None:
        super().__init__(view, "Histogram", "Brightness as shown, without the surround", 72)

    def counts(self) -> np.ndarray:
        """(BINS,) shares of the fullest bin; pixels that show no object are left out."""
        if self.view.picture is None:
            return np.zeros(BINS)
        bright, there = brightness(self.view.picture)
        found = np.bincount((bright[there] * (BINS / 256)).astype(int), minlength=BINS)[:BINS]
        return np.asarray(found / max(found.max(), 1))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.card))
        high, wide = self.height() - 2, self.width() / (BINS - 1)
        line = [QPointF(at * wide, high - share**0.5 * (high - 4)) for at, share in enumerate(self.counts())]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.theme.line))
        painter.drawPolygon(QPolygonF([QPointF(0, high), *line, QPointF(self.width(), high)]))
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()


class Waveform(Scope):
    """For every column of the picture how many of its pixels are how bright, as shown, dark at the bottom."""

    def __init__(self, view: JudgeView) -> None:
        super().__init__(view, "Waveform", "Brightness across the picture, as shown, without the surround", 96)

    def counts(self) -> np.ndarray:
        """(LEVELS, COLUMNS): bright at the top, shares of the fullest cell."""
        out = np.zeros((LEVELS, COLUMNS))
        if self.view.picture is None:
            return out
        bright, there = brightness(self.view.picture)
        row, column = np.nonzero(there)
        level = LEVELS - 1 - (bright[row, column] * (LEVELS / 256)).astype(int)
        np.add.at(out, (level, column * COLUMNS // bright.shape[1]), 1)
        return np.asarray(out / max(out.max(), 1))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        card, ink = QColor(self.theme.card), QColor(self.theme.ink)
        ends = [np.array([one.red(), one.green(), one.blue()]) for one in (card, ink)]
        share = (self.counts() ** 0.4)[:, :, None]
        pixels = np.ascontiguousarray(ends[0] * (1 - share) + ends[1] * share, np.uint8)
        image = QImage(pixels.data, COLUMNS, LEVELS, 3 * COLUMNS, QImage.Format.Format_RGB888)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.rect(), image)
        painter.setPen(QPen(QColor(self.theme.line), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()
