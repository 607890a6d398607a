"""A stage on which an area is painted: what does not belong to it is shaded, a ring shows how wide the brush is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QEvent, QPointF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen

from bruto.app.stage.stage import Stage
from bruto.catalog import tr
from bruto.develop.strokes import Stroke, painted

SHADE = (168, 52, 26)
"""Vermilion of what does not belong to the area, in lines, so that the picture is seen between them."""
LINES, LINE = 9, 2
"""Pixels from one line of the shading to the next, and of a line."""
STEP = 2.0
"""Pixels of the screen that the pointer has moved at least for another point."""


class BrushStage(Stage):
    """The left button paints, the middle one moves the picture, the wheel zooms. `stroked` tells of a stroke (see
    `develop.strokes`; places of the oriented picture).
    """

    stroked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Picture to paint on"))
        self.reach, self.adds = 0.02, True
        self.area: NDArray[np.uint8] | None = None
        self._base_mask: NDArray[np.float32] | None = None
        self._points: list[tuple[float, float]] = []
        self._at: QPointF | None = None
        self._done: NDArray[np.float32] | None = None
        """The area after the strokes that are finished: one that is drawn is painted on it anew at each move."""
        self.setCursor(Qt.CursorShape.CrossCursor)

    def set_area(self, mask: NDArray[np.uint8], strokes: tuple[Stroke, ...]) -> None:
        """Show an area (h, w; 255 = belongs to it) after strokes."""
        self._base_mask = (mask / 255).astype(np.float32)
        self.set_strokes(strokes)

    def set_strokes(self, strokes: tuple[Stroke, ...]) -> None:
        """Show the area after other strokes."""
        if self._base_mask is not None:
            self._done = painted(self._base_mask, strokes)
            self._shade(self._done)

    def _shade(self, share: NDArray[np.float32]) -> None:
        self.area = (255 * share + 0.5).astype(np.uint8)
        h, w = share.shape
        lines = np.add.outer(np.arange(h), np.arange(w)) % LINES < LINE
        marks = np.zeros((h, w, 4), np.uint8)
        marks[..., :3] = SHADE
        marks[..., 3] = (1 - share) * np.where(lines, 170, 50)
        self.set_marks(marks)

    # -- the brush

    def _place(self, at: QPointF) -> tuple[float, float]:
        place = self.to_frame(at)
        w, h = self.frame_size
        return place.x() / max(w, 1), place.y() / max(h, 1)

    def _stroke(self) -> Stroke:
        return Stroke(tuple(self._points), self.reach, self.adds)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._drag = event.position()
        elif event.button() == Qt.MouseButton.LeftButton and self._base_mask is not None:
            self._points, self._at = [self._place(event.position())], event.position()
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            super().mouseMoveEvent(event)
            return
        last, self._at = self._at, event.position()
        if self._points and last is not None:
            if (event.position() - last).manhattanLength() >= STEP:
                self._points.append(self._place(event.position()))
                if self._done is not None:
                    self._shade(painted(self._done, [self._stroke()]))
            else:
                self._at = last
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self._points:
            stroke, self._points = self._stroke(), []
            self.stroked.emit(stroke)
        self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.mousePressEvent(event)  # a dab more, no zoom

    def leaveEvent(self, event: QEvent) -> None:
        self._at = None
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._at is None or self._base_mask is None:
            return
        radius = self.reach * max(self.frame_size) * self.zoom
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for width, color in ((3.0, QColor(0, 0, 0, 160)), (1.2, QColor(255, 255, 255))):
            pen = QPen(color, width)
            if not self.adds:
                pen.setDashPattern([4, 3])
            p.setPen(pen)
            p.drawEllipse(self._at, radius, radius)
