"""Up to nine pictures at the same place and size, through one viewport; each with its title and settings."""

from __future__ import annotations

import math
from typing import Any

from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from bruto.app.stage.image_pyramid import ImagePyramid, to_qimage
from bruto.app.stage.viewport_widget import ViewportWidget
from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.session.grid import MOST, Cell, Rect
from bruto.session.viewport import MOST_PIECE, SHARP_FROM

GAP, WORDS = 3.0, 40.0
"""Pixels between cells, and of the two lines under each."""
NO_PIECE: tuple[QImage | None, Rect] = (None, (0.0, 0.0, 0.0, 0.0))
PADDING = 3
"""Pixels left free around a picture that is fitted."""


def columns_for(count: int, width: float, height: float, aspect: float) -> int:
    """Columns in which as many pictures of an aspect (width by height) are largest.

    >>> columns_for(4, 900, 700, 4 / 3), columns_for(3, 1200, 400, 4 / 3)
    (2, 3)
    """

    def scale(columns: int) -> float:
        rows = math.ceil(count / columns)
        return min(width / columns / aspect, height / rows - WORDS)

    return max(range(1, max(count, 1) + 1), key=scale)


class GridView(ViewportWidget):
    """Coordinates are full-size pixels of the first cell; the others are shown at its size. Emits `chosen` with the
    number of a cell that is to stand beside the first.
    """

    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__(tr("Pictures at once"))
        self.cells: list[Cell] = []
        self.images: dict[int, ImagePyramid] = {}
        self.pieces: dict[int, tuple[QImage, Rect]] = {}
        self.pushes: dict[int, float] = {}
        self.problems: dict[int, str] = {}
        self.current = 0
        self._drag: QPointF | None = None
        self.viewport.padding = PADDING

    def set_cells(self, cells: list[Cell]) -> None:
        """Other cells; their pictures follow."""
        same = [c.title for c in cells] == [c.title for c in self.cells]
        if not same:
            self.images, self.current = {}, 0
        self.cells, self.pieces, self.pushes, self.problems = cells[:MOST], {}, {}, {}
        self._describe()
        self._fill_pane()
        self.update()

    def set_picture(self, k: int, picture: NDArray, size: tuple[int, int], ev: float) -> None:
        """The whole picture of a cell, its full size, and the push that made it as bright as the first."""
        self.images[k], self.pushes[k] = ImagePyramid(picture), ev
        self.problems.pop(k, None)
        self.pieces.pop(k, None)
        if k == 0:
            self.viewport.set_frame(*size)
            self._fill_pane()
        self._describe()
        self._moved()

    def set_problem(self, k: int, why: str) -> None:
        """Why a cell has no picture."""
        self.problems[k] = why
        self.update()

    def set_piece(self, k: int, pixels: NDArray, place: Rect) -> None:
        """Sharp pixels of a cell."""
        self.pieces[k] = (to_qimage(pixels), place)
        self.update()

    def _describe(self) -> None:
        self.setAccessibleDescription(" ".join(f"{c.title}: {self.words(k)}." for k, c in enumerate(self.cells)))

    def words(self, k: int) -> str:
        """How a cell was taken, or what its values do, and its push."""
        ev = self.pushes.get(k, 0.0)
        pushed = tr("{ev:+.1f} EV for equal brightness", ev=ev) if abs(ev) >= 0.05 else ""
        return ", ".join(filter(None, (self.cells[k].settings, pushed)))

    def panes(self) -> list[QRectF]:
        """Where each picture stands, without the words under it."""
        count = len(self.cells)
        if not count:
            return []
        w, h = self.viewport.frame
        columns = columns_for(count, self.width(), self.height(), w / h if h else 4 / 3)
        rows = math.ceil(count / columns)
        across, down = (self.width() - (columns - 1) * GAP) / columns, (self.height() - (rows - 1) * GAP) / rows
        return [
            QRectF((k % columns) * (across + GAP), (k // columns) * (down + GAP), across, max(down - WORDS, 10.0))
            for k in range(count)
        ]

    def wanted_piece(self) -> Rect | None:
        """The visible part as shares of the frame, where the whole pictures are too coarse for it."""
        view = self.viewport
        first = self.images.get(0)
        if first is None or not view.frame[0]:
            return None
        x, y, w, h = view.visible()
        grid = first.width() / view.frame[0]
        if view.zoom * view.ratio < max(1.1 * grid, SHARP_FROM) or w * h > MOST_PIECE / max(len(self.cells), 1):
            return None
        return x / view.frame[0], y / view.frame[1], w / view.frame[0], h / view.frame[1]

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.begin_paint()
        if not self.cells:
            self.draw_text(p, self.message)
        for k, pane in enumerate(self.panes()):
            self._draw(p, k, pane)

    def _draw(self, p: QPainter, k: int, pane: QRectF) -> None:
        t, image = theme.current(), self.images.get(k)
        p.setClipRect(pane)
        if image is None:
            self.draw_text(p, self.problems.get(k, tr("Developing …")), pane.adjusted(8, 8, -8, -8), 12)
        else:
            w, h = self.viewport.frame
            piece, (x, y, across, down) = self.pieces.get(k, NO_PIECE) if self.wanted_piece() else NO_PIECE
            self.draw_layers(p, self.target(pane), image, piece, QRectF(x * w, y * h, across * w, down * h))
        p.setClipping(False)
        if self.hasFocus() and k == self.current and len(self.cells) > 1:
            theme.ring(p, pane.adjusted(2, 2, -2, -2))
        line = QRectF(pane.left() + 8, pane.bottom() + 2, pane.width() - 12, WORDS / 2 - 2)
        for row, (text, bold) in enumerate(((self.cells[k].title, True), (self.words(k), False))):
            p.setFont(theme.font(12, bold=bold))
            p.setPen(QPen(t.color("on_surround")))
            shortened = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(line.width()))
            p.drawText(line.translated(0, row * (WORDS / 2 - 2)), Qt.AlignmentFlag.AlignVCenter, shortened)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = event.position()
        k = self.pane_at(event.position())
        if k is not None:
            self.current = k
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        k = self.pane_at(event.position())
        if k:
            self.chosen.emit(k)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        k = self.pane_at(event.position())
        tip = "" if k is None else f"{self.cells[k].title}\n{self.words(k)}"
        if tip != self.toolTip():
            self.setToolTip(tip)
        if self._drag is not None:
            self.pan_by(event.position() - self._drag)
            self._drag = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step: dict[Any, int] = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}
        if event.key() in step and self.cells:
            self.current = max(0, min(len(self.cells) - 1, self.current + step[event.key()]))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.current:
            self.chosen.emit(self.current)
        else:
            super().keyPressEvent(event)
