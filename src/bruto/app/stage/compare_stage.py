"""The stage of Compare: two pictures of one scene at the same place and size."""

from __future__ import annotations

import math
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QWheelEvent

from bruto.app.stage.image_pyramid import ImagePyramid
from bruto.app.stage.stage import to_qimage
from bruto.app.stage.viewport_widget import ViewportWidget
from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.compare.metrics import Aligned, Comparison
from bruto.compare.sources import SharpPair
from bruto.session.viewport import MOST_PIECE


class CompareMode(StrEnum):
    """How two pictures are compared, by the identifier that code and tests use."""

    REGIONS = "regions"
    SIDE_BY_SIDE = "side_by_side"
    CURTAIN = "curtain"
    ALTERNATE = "alternate"
    DIFFERENCE = "difference"
    SWEEP = "sweep"
    GRID = "grid"


ON_STAGE = (CompareMode.SIDE_BY_SIDE, CompareMode.CURTAIN, CompareMode.ALTERNATE, CompareMode.DIFFERENCE)
"""Modes that the stage itself draws."""
WORTH_TURNING = 1.1
"""How much larger two pictures must be above each other to lie so: lines are easier to compare beside each other."""
FULL_DIFFERENCE = 15.0
"""CIEDE2000 shown as the brightest difference."""


def difference_picture(difference: NDArray, valid: NDArray | None = None) -> NDArray[np.uint8]:
    """ΔE00 (H, W) as grey (0 black, `FULL_DIFFERENCE` white), uint8 (H, W, 3)."""
    grey = (np.clip(difference / FULL_DIFFERENCE, 0, 1) * 255).astype(np.uint8)
    if valid is not None:
        grey = np.where(valid, grey, 60).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)


PACES = (150, 4000)
"""Least and most milliseconds for which one of both is seen where they alternate."""


class CompareStage(ViewportWidget):
    """Two pictures of one frame with linked zoom and pan, through one viewport.

    The whole is shown on the compared grid; zoomed in beyond it, `view_changed` asks for sharp pieces at the raw's
    size. Coordinates are the raw's full-size pixels.
    """

    pinned = Signal(float, float)
    """A place to keep, as shares of the frame's width and height."""

    def __init__(self) -> None:
        super().__init__(tr("Comparison"))
        self.mode = CompareMode.CURTAIN
        self.first: ImagePyramid | None = None
        self.second: ImagePyramid | None = None
        self.difference: ImagePyramid | None = None
        self.pieces: tuple[QImage, QImage, QImage] | None = None
        self.piece_rect = QRectF()
        self.names = ("raw", tr("phone's picture"))
        self.curtain, self.level = 0.5, 0.5
        """Where the curtain is held, as shares of the width and of the height."""
        self.angle = 0.0
        """Degrees by which the curtain's line leans from the vertical, clockwise."""
        self.exchanged = False
        """Whether the second one stands in the place of the first."""
        self.flip = False
        self._drag: tuple[str, QPointF] | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(700)
        self._timer.timeout.connect(self._tick)

    def set_comparison(
        self,
        c: Comparison | None,
        size: tuple[int, int] = (0, 0),
        names: tuple[str, str] = ("raw", tr("phone's picture")),
    ) -> None:
        """Show a comparison of a raw of a full size (width, height), or none."""
        self.names, self.pieces = names, None
        if c is None:
            self.first = self.second = self.difference = None
        else:
            self.first, self.second, self.difference = ImagePyramid(c.first), ImagePyramid(c.second, c.valid), None
            self.viewport.set_frame(*size)
            self._fill_pane()
        self.update()

    def set_aligned(self, pair: Aligned, size: tuple[int, int], names: tuple[str, str]) -> None:
        """Both, while they are being measured."""
        self.set_pictures(pair.first, pair.second, size, names, pair.valid)

    def set_pictures(
        self,
        first: NDArray[np.uint8],
        second: NDArray[np.uint8],
        size: tuple[int, int],
        names: tuple[str, str],
        valid: NDArray[np.bool_] | None = None,
    ) -> None:
        """Two pictures (H, W, 3) of one frame of a full size (width, height); `valid` (H, W): where there is a second
        one.
        """
        self.names, self.pieces = names, None
        self.first, self.second, self.difference = ImagePyramid(first), ImagePyramid(second, valid), None
        self.viewport.set_frame(*size)
        self._fill_pane()
        self.update()

    def set_difference(self, difference: NDArray, valid: NDArray) -> None:
        """ΔE00 (H, W) of what is shown, and where it holds."""
        self.difference = ImagePyramid(difference_picture(difference, valid))
        self.update()

    def set_first(self, picture: NDArray[np.uint8]) -> None:
        """The first picture anew, on the same grid, while its values are dragged."""
        if self.first is not None:
            self.first, self.pieces = ImagePyramid(picture), None
            self.update()

    def _fill_pane(self) -> None:
        pane = self._panes()[0]
        self.viewport.set_pane(pane.width(), pane.height(), self.devicePixelRatioF())

    def set_mode(self, mode: CompareMode) -> None:
        self.mode = mode
        self.flip = False
        self._timer.start() if mode == CompareMode.ALTERNATE else self._timer.stop()
        self._fill_pane()
        self._moved()

    def hideEvent(self, event: Any) -> None:
        self._timer.stop()

    def showEvent(self, event: Any) -> None:
        if self.mode == CompareMode.ALTERNATE:
            self._timer.start()

    def set_pace(self, milliseconds: float) -> None:
        """How long each of both is seen where they alternate, and let them."""
        self._timer.setInterval(round(min(max(milliseconds, PACES[0]), PACES[1])))
        self._timer.start()
        self.update()

    def _tick(self) -> None:
        self.flip = not self.flip
        self.update()

    def _panes(self) -> list[QRectF]:
        """One for all, or one for each: beside each other or above each other, whichever shows them larger."""
        if self.mode != CompareMode.SIDE_BY_SIDE:
            return [QRectF(self.rect())]
        width, height = self.width() / 2, self.height() / 2
        beside = [QRectF(x, 0, width - 1, self.height()) for x in (0, width + 1)]
        above = [QRectF(0, y, self.width(), height - 1) for y in (0, height + 1)]
        across, down = self.viewport.frame
        if not across or not down:
            return beside
        scales = [min(panes[0].width() / across, panes[0].height() / down) for panes in (beside, above)]
        return above if scales[1] > WORTH_TURNING * scales[0] else beside

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
                to_qimage(pair.second, pair.valid),
                to_qimage(difference_picture(pair.difference), pair.valid),
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
        p.drawImage(target, image.at(target.width() * self.viewport.ratio / image.width()))
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
        if self.mode == CompareMode.SIDE_BY_SIDE:
            for which, (pane, name) in enumerate(zip(panes, self.names, strict=True)):
                p.setClipRect(pane)
                self._draw(p, which, self._target(pane))
                self._label(p, name, pane.left() + 10, True, pane.bottom())
            return
        pane = panes[0]
        target = self._target(pane)
        if self.mode == CompareMode.DIFFERENCE:
            self._draw(p, 2, target)
            self._label(
                p,
                tr("difference in ΔE00: black 0, white {FULL_DIFFERENCE:.0f} or more", FULL_DIFFERENCE=FULL_DIFFERENCE),
                10,
                True,
            )
            return
        if self.mode == CompareMode.ALTERNATE:
            self._draw(p, int(self.flip), target)
            pace = (
                tr("every {interval:.1f} s", interval=self._timer.interval() / 1000)
                if self._timer.isActive()
                else tr("paused")
            )
            self._label(p, self.names[int(self.flip)], 10, True)
            self._label(p, tr("{pace}: + and − change the pace, Space switches", pace=pace), pane.width() - 10, False)
            return
        self._draw(p, 0, target)
        p.setClipPath(self._beyond())
        p.fillRect(self.rect(), t.color("surround"))  # where the second has nothing, the first must not stand for it
        self._draw(p, 1, target)
        p.setClipping(False)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(t.color("on_surround"), 2))
        middle, along = self._middle(), self._along()
        p.drawLine(middle - along * 3000, middle + along * 3000)
        p.setBrush(t.color("raised"))
        p.setPen(QPen(t.color("ink"), 1))
        for turn in self._turners():
            p.drawEllipse(turn, 6, 6)
        p.translate(middle)
        p.rotate(self.angle)
        p.drawRoundedRect(QRectF(-6, -16, 12, 32), 4, 4)
        p.resetTransform()
        self._label(p, self.names[0], 10, True)
        self._label(p, self.names[1], pane.width() - 10, False)

    # -- the curtain

    def _middle(self) -> QPointF:
        """Where the curtain is held."""
        return QPointF(self.width() * self.curtain, self.height() * self.level)

    def _along(self) -> QPointF:
        """Direction of the curtain's line, a unit long."""
        turn = math.radians(self.angle)
        return QPointF(-math.sin(turn), math.cos(turn))

    def _turners(self) -> list[QPointF]:
        """Where the curtain's line is turned: near both its ends."""
        reach = 0.36 * min(self.height(), self.width())
        return [self._middle() - self._along() * reach, self._middle() + self._along() * reach]

    def _beyond(self) -> QPainterPath:
        """What lies right of the curtain's line."""
        middle, along = self._middle(), self._along() * 4000
        right = QPointF(along.y(), -along.x())
        path = QPainterPath(middle - along)
        for corner in (middle - along + right, middle + along + right, middle + along):
            path.lineTo(corner)
        path.closeSubpath()
        return path

    def _grip_at(self, at: QPointF) -> str:
        """What a press does there: moves the curtain, turns it, or pans."""
        if self.mode != CompareMode.CURTAIN:
            return "pan"
        if any((at - turner).manhattanLength() < 16 for turner in self._turners()):
            return "turn"
        away, along = at - self._middle(), self._along()
        return "curtain" if abs(away.x() * along.y() - away.y() * along.x()) < 14 else "pan"

    def turn_to(self, angle: float) -> None:
        """Let the curtain lean by an angle (degrees); near vertical, level and half way it holds there."""
        angle = (angle + 90) % 180 - 90
        near = min((-90.0, -45.0, 0.0, 45.0, 90.0), key=lambda a: abs(a - angle))
        self.angle = near if abs(near - angle) < 3 else angle
        self.update()

    def _label(self, p: QPainter, text: str, x: float, left: bool, bottom: float | None = None) -> None:
        t = theme.current()
        p.setFont(theme.font(12, bold=True))
        width = p.fontMetrics().horizontalAdvance(text) + 16
        box = QRectF(x if left else x - width, (bottom or self.height()) - 34, width, 24)
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
        self._drag = (self._grip_at(event.position()), event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            shapes = {"curtain": Qt.CursorShape.SizeHorCursor, "turn": Qt.CursorShape.CrossCursor}
            self.setCursor(shapes.get(self._grip_at(event.position()), Qt.CursorShape.ArrowCursor))
            return
        kind, last = self._drag
        if kind == "curtain":
            moved = event.position() - last
            self.curtain = min(0.98, max(0.02, self.curtain + moved.x() / self.width()))
            self.level = min(0.9, max(0.1, self.level + moved.y() / self.height()))
        elif kind == "turn":
            away = event.position() - self._middle()
            self.turn_to(math.degrees(math.atan2(-away.x(), away.y())))
        else:
            moved = event.position() - last
            self.viewport.pan(moved.x(), moved.y())
            self.view_changed.emit()
        self._drag = (kind, event.position())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        pane = next((q for q in self._panes() if q.contains(event.position())), self._panes()[0])
        self._pin(event.position() - pane.topLeft())

    def _pin(self, at: QPointF) -> None:
        (x, y), (w, h) = self.viewport.to_frame(at.x(), at.y()), self.viewport.frame
        if self.first is not None and w and 0 <= x <= w and 0 <= y <= h:
            self.pinned.emit(x / w, y / h)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and self.mode == CompareMode.ALTERNATE:
            self._tick()
            self._timer.stop()  # held by hand from now on
            return
        if event.text() in ("[", "]") and self.mode == CompareMode.CURTAIN:
            self.turn_to(self.angle + (15 if event.text() == "]" else -15))
            return
        if event.text() in ("+", "-") and self.mode == CompareMode.ALTERNATE:
            self.set_pace(self._timer.interval() * (2 / 3 if event.text() == "+" else 3 / 2))
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            pane = self._panes()[0]
            self._pin(pane.center() - pane.topLeft())
            return
        if self.mode == CompareMode.CURTAIN and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.curtain = min(0.98, max(0.02, self.curtain + (0.03 if event.key() == Qt.Key.Key_Right else -0.03)))
            self.update()
        else:
            super().keyPressEvent(event)
