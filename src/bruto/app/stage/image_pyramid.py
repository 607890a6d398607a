"""A picture at several sizes: drawn much smaller than it is, its fine lines would break up otherwise."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QImage, QPainter

SMALLEST = 64
"""Short edge, pixels, below which no smaller size is made."""


def to_qimage(picture: NDArray[np.uint8], valid: NDArray[np.bool_] | None = None) -> QImage:
    """A QImage that owns its pixels, from (H, W, 3) uint8; nothing where `valid` (H, W) says that nothing is there."""
    h, w = picture.shape[:2]
    if valid is None or valid.all():
        data = np.ascontiguousarray(picture)
        return QImage(data.data, w, h, 3 * w, QImage.Format.Format_RGB888).copy()
    data = np.dstack([picture, np.full((h, w), 255, np.uint8)])
    data[~valid] = 0
    return QImage(data.data, w, h, 4 * w, QImage.Format.Format_RGBA8888_Premultiplied).copy()


def draw_image(p: QPainter, rect: QRectF, image: QImage) -> None:
    """An image over a rectangle; one of just its size on whole pixels of the screen, where it needs no scaling,
    which is slow and soft.
    """
    ratio = p.device().devicePixelRatioF()
    fits = abs(image.width() - rect.width() * ratio) < 1 and abs(image.height() - rect.height() * ratio) < 1
    image.setDevicePixelRatio(ratio if fits else 1)
    if fits:
        p.drawImage(QPointF(round(rect.left() * ratio) / ratio, round(rect.top() * ratio) / ratio), image)
    else:
        p.drawImage(rect, image)


class ImagePyramid:
    """A picture (H, W, 3; uint8) at its size and at halves of it, made when they are first drawn.

    `valid` (H, W): where it has something; elsewhere nothing is drawn.
    """

    def __init__(self, picture: NDArray[np.uint8], valid: NDArray[np.bool_] | None = None) -> None:
        self._pictures, self._valid = [picture], valid
        self._images: dict[int, QImage] = {}

    def width(self) -> int:
        """Pixels across, at its own size."""
        return int(self._pictures[0].shape[1])

    def at(self, scale: float) -> QImage:
        """The smallest size that is not enlarged where a pixel of the picture takes `scale` pixels of the screen."""
        level = 0
        while scale <= 0.5 and min(self._pictures[0].shape[:2]) >> (level + 1) >= SMALLEST:
            scale, level = scale * 2, level + 1
        while len(self._pictures) <= level:
            last = self._pictures[-1]
            size = (last.shape[1] // 2, last.shape[0] // 2)
            self._pictures.append(cv2.resize(last, size, interpolation=cv2.INTER_AREA))
        if level not in self._images:
            self._images[level] = to_qimage(self._pictures[level], self._valid_at(level))
        return self._images[level]

    def _valid_at(self, level: int) -> NDArray[np.bool_] | None:
        if self._valid is None or level == 0:
            return self._valid
        height, width = self._pictures[level].shape[:2]
        share = cv2.resize(self._valid.astype(np.float32), (width, height), interpolation=cv2.INTER_AREA)
        return np.asarray(share > 0.99)
