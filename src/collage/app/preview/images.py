"""Pixels as Qt's images."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QIcon, QImage, QPixmap


def to_image(pixels: np.ndarray) -> QImage:
    """A picture (h, w, 3) uint8 as Qt's, with pixels of its own."""
    height, width = pixels.shape[:2]
    data = np.ascontiguousarray(pixels)
    return QImage(data.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def picture_icon(pixmap: QPixmap) -> QIcon:
    """A picture as an icon whose colours stay when it is selected."""
    icon = QIcon(pixmap)
    icon.addPixmap(pixmap, QIcon.Mode.Selected)
    return icon


def pixmaps(images: dict[str, QImage]) -> dict[str, QPixmap]:
    return {name: QPixmap.fromImage(image) for name, image in images.items()}
