"""The stage of Compare: two pictures of one scene at the same place and size."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent

from bruto.app.stage.stage import to_qimage
from bruto.app.stage.viewing import Viewing
from bruto.app.widgets import theme
from bruto.compare.metrics import Aligned, Comparison
from bruto.compare.sides import SharpPair
from bruto.session.viewport import MOST_PIECE

MODES = ("Side by side", "Curtain", "Alternate", "Difference")
FULL_DIFFERENCE = 15.0
"""CIEDE2000 shown as the brightest difference."""


def difference_picture(difference: NDArray, valid: NDArray | None = None) -> NDArray[np.uint8]:
    """ΔE00 (H, W) as grey (0 black, `FULL_DIFFERENCE` white), uint8 (H, W, 3)."""
    grey = (np.clip(difference / FULL_DIFFERENCE, 0, 1) * 255).astype(np.uint8)
    if valid is not None:
        grey = np.where(valid, grey, 60).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)


class CompareStage(Viewing):
    """Two pictures of one frame with linked zoom and pan, through one viewport.

    The whole is shown on the compared grid; zoomed in beyond it, `view_changed` asks for sharp pieces at the raw's
    size. Coordinates are the raw's full-size pixels.
    """

    def __init__(self) -> None:
        super().__init__("Comparison")
        self.mode = MODES[1]
        self.first: QImage | None = None
        self.second: QImage | None = None
        self.difference: QImage | None = None
        self.pieces: tuple[QImage, QImage, QImage] | None = None
        self.piece_rect = QRectF()
        self.names = ("raw", "phone's picture")
        self.curtain = 0.5
        self.exchanged = False
        """Whether the second one stands in the place of the first."""
        self.flip = False
        self._drag: tuple[str, QPointF] | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(700)
        self._timer.timeout.connect(self._tick)

    def set_comparison(
        self, c: Comparison | None, size: tuple[int, int] = (0, 0), names: tuple[str, str] = ("raw", "phone's picture")
    ) -> None:
        """Show a comparison of a raw of a full size (width, height), or none."""
        self.names, self.pieces = names, None
        if c is None:
            self.first = self.second = self.difference = None
        else:
            self.first, self.second, self.difference = to_qimage(c.first), to_qimage(c.second), None
            self._fill_pane()
            self.viewport.set_frame(*size)
        self.update()

    def set_aligned(self, pair: Aligned, size: tuple[int, int], names: tuple[str, str]) -> None:
        """Both, while they are being measured."""
        self.names, self.pieces = names, None
        self.first, self.second, self.difference = to_qimage(pair.first), to_qimage(pair.second), None
        self._fill_pane()
        self.viewport.set_frame(*size)
        self.update()

    def set_difference(self, difference: NDArray, valid: NDArray) -> None:
        """ΔE00 (H, W) of what is shown, and where it holds."""
        self.difference = to_qimage(difference_picture(difference, valid))
        self.update()

    def set_first(self, picture: NDArray[np.uint8]) -> None:
        """The first picture anew, on the same grid, while its values are dragged."""
        if self.first is not None:
            self.first, self.pieces = to_qimage(picture), None
            self.update()

    def _fill_pane(self) -> None:
        pane = self._panes()[0]
        self.viewport.set_pane(pane.width(), pane.height(), self.devicePixelRatioF())

    def set_mode(self, mode: str) -> None:
        self.mode = mode
        self.flip = False
        self._timer.start() if mode == "Alternate" else self._timer.stop()
        self._fill_pane()
        self._moved()

    def hideEvent(self, event: Any) -> None:
        self._timer.stop()

    def showEvent(self, event: Any) -> None:
        if self.mode == "Alternate":
            self._timer.start()

    def _tick(self) -> None:
        self.flip = not self.flip
        self.update()

    def _panes(self) -> list[QRectF]:
        if self.mode == "Side by side":
            half = self.width() / 2
            return [QRectF(0, 0, half - 1, self.height()), QRectF(half + 1, 0, half - 1, self.height())]
        return [QRectF(self.rect())]

    @property
    def _coarse(self) -> bool:
        """Whether the compared grid is coarser than the screen shows the raw."""
        if self.first is None or not self.viewport.frame[0]:
            return False
        grid = self.first.width() / self.viewport.frame[0]
        return grid < 1 and self.viewport.zoom * self.viewport.ratio >= 1.1 * grid

    def wanted_piece(self) -> tuple[int, int, int, int] | None:
        """The visible part (x, y, width, height) in pixels of the raw where the compared grid is too coarse, else
        None.
        """
        x, y, w, h = self.viewport.visible()
        return (x, y, w, h) if self._coarse and w > 8 and h > 8 and w * h <= MOST_PIECE else None

    def set_pieces(self, pair: SharpPair | None) -> None:
        """Sharp pixels of a part of both, or none."""
        if pair is None:
            self.pieces = None
        else:
            r = pair.rect
            self.pieces = (
                to_qimage(pair.first),
                to_qimage(pair.second),
                to_qimage(difference_picture(pair.difference)),
            )
            self.piece_rect = QRectF(r.x, r.y, r.width, r.height)
        self.update()

    def _draw(self, p: QPainter, which: int, target: QRectF) -> None:
        """One of first, second, difference on a pane, with its sharp piece over it."""
        if self.exchanged and which < 2:
            which = 1 - which
        image = (self.first, self.second, self.difference)[which]
        if image is None:
            return
        p.drawImage(target, image)
        if self.pieces is not None and self._coarse:
            r = self.piece_rect
            place = QPointF(target.left() + r.left() * self.zoom, target.top() + r.top() * self.zoom)
            p.drawImage(QRectF(place.x(), place.y(), r.width() * self.zoom, r.height() * self.zoom), self.pieces[which])

    def _target(self, pane: QRectF) -> QRectF:
        """Where the frame lies on a pane."""
        (x, y), (w, h) = self.viewport.to_pane(0, 0), self.viewport.frame
        return QRectF(pane.left() + x, pane.top() + y, w * self.zoom, h * self.zoom)

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), t.color("surround"))
        if self.first is None or self.second is None:
            p.setPen(t.color("on_surround"))
            p.setFont(theme.font(13))
            p.drawText(
                QRectF(self.rect()).adjusted(60, 0, -60, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.message,
            )
            return
        panes = self._panes()
        if self.mode == "Side by side":
            for which, (pane, name) in enumerate(zip(panes, self.names, strict=True)):
                p.setClipRect(pane)
                self._draw(p, which, self._target(pane))
                self._label(p, name, pane.left() + 10, True)
            return
        pane = panes[0]
        target = self._target(pane)
        if self.mode == "Difference":
            self._draw(p, 2, target)
            self._label(p, f"difference, ΔE00: black 0, white {FULL_DIFFERENCE:.0f} or more", 10, True)
            return
        if self.mode == "Alternate":
            self._draw(p, int(self.flip), target)
            self._label(p, self.names[int(self.flip)], 10, True)
            return
        x = pane.width() * self.curtain
        self._draw(p, 0, target)
        p.setClipRect(QRectF(x, 0, pane.width() - x, pane.height()))
        self._draw(p, 1, target)
        p.setClipping(False)
        p.setPen(QPen(t.color("on_surround"), 2))
        p.drawLine(QPointF(x, 0), QPointF(x, pane.height()))
        p.setBrush(t.color("raised"))
        p.setPen(QPen(t.color("ink"), 1))
        p.drawRoundedRect(QRectF(x - 6, pane.height() / 2 - 16, 12, 32), 4, 4)
        self._label(p, self.names[0], 10, True)
        self._label(p, self.names[1], pane.width() - 10, False)

    def _label(self, p: QPainter, text: str, x: float, left: bool) -> None:
        t = theme.current()
        p.setFont(theme.font(12, bold=True))
        width = p.fontMetrics().horizontalAdvance(text) + 16
        box = QRectF(x if left else x - width, self.height() - 34, width, 24)
        p.fillRect(box, t.color("raised"))
        p.setPen(t.color("ink"))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.first is None:
            return
        pane = next((q for q in self._panes() if q.contains(event.position())), self._panes()[0])
        at = event.position() - pane.topLeft()
        self.viewport.zoom_to(self.zoom * 1.2 ** (event.angleDelta().y() / 120), at.x(), at.y())
        self._moved()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        near = abs(event.position().x() - self.width() * self.curtain) < 14
        self._drag = ("curtain" if self.mode == "Curtain" and near else "pan", event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        kind, last = self._drag
        if kind == "curtain":
            self.curtain = min(0.98, max(0.02, event.position().x() / self.width()))
        else:
            moved = event.position() - last
            self.viewport.pan(moved.x(), moved.y())
            self.view_changed.emit()
        self._drag = (kind, event.position())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.mode == "Curtain" and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.curtain = min(0.98, max(0.02, self.curtain + (0.03 if event.key() == Qt.Key.Key_Right else -0.03)))
            self.update()
        else:
            super().keyPressEvent(event)
