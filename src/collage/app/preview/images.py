"""Pixels as Qt's images."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QImage, QPixmap


def to_image(pixels: np.ndarray) -> QImage:
    """A picture (h, w, 3) uint8 as Qt's, with pixels of its own."""
    height, width = pixels.shape[:2]
    data = np.ascontiguousarray(pixels)
    return QImage(data.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def pixmaps(images: dict[str, QImage]) -> dict[str, QPixmap]:
    return {name: QPixmap.fromImage(image) for name, image in images.items()}
