"""The stage of Compare: two pictures of one scene at the same place and size."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent

from bruto.app.stage.curtain import Curtain
from bruto.app.stage.image_pyramid import ImagePyramid, to_qimage
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
        self.curtain = Curtain(self)
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

    def panes(self) -> list[QRectF]:
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
        if image is not None:
            piece = self.pieces[which] if self.pieces is not None and self._coarse else None
            self.draw_layers(p, target, image, piece, self.piece_rect)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.begin_paint()
        if self.first is None or self.second is None:
            self.draw_text(p, self.message)
            return
        panes = self.panes()
        if self.mode == CompareMode.SIDE_BY_SIDE:
            for which, (pane, name) in enumerate(zip(panes, self.names, strict=True)):
                p.setClipRect(pane)
                self._draw(p, which, self.target(pane))
                self.draw_label(p, name, pane.left() + 10, pane.bottom())
            return
        target, right, bottom = self.target(panes[0]), panes[0].width() - 10, self.height()
        if self.mode == CompareMode.DIFFERENCE:
            self._draw(p, 2, target)
            words = tr(
                "difference in ΔE00: black 0, white {FULL_DIFFERENCE:.0f} or more", FULL_DIFFERENCE=FULL_DIFFERENCE
            )
            self.draw_label(p, words, 10, bottom)
        elif self.mode == CompareMode.ALTERNATE:
            self._draw(p, int(self.flip), target)
            self.draw_label(p, self.names[int(self.flip)], 10, bottom)
            self.draw_label(p, self._pace_text(), right, bottom, left=False)
        else:
            self._draw(p, 0, target)
            p.setClipPath(self.curtain.beyond())
            p.fillRect(self.rect(), theme.current().color("surround"))  # where the second has nothing, nothing is seen
            self._draw(p, 1, target)
            p.setClipping(False)
            self.curtain.paint(p)
            self.draw_label(p, self.names[0], 10, bottom)
            self.draw_label(p, self.names[1], right, bottom, left=False)

    def _pace_text(self) -> str:
        pace = (
            tr("every {interval:.1f} s", interval=self._timer.interval() / 1000)
            if self._timer.isActive()
            else tr("paused")
        )
        return tr("{pace}: + and − change the pace, Space switches", pace=pace)

    def _grip_at(self, at: QPointF) -> str:
        """What a press does there: "move" or "turn" the curtain, or "" to move the pictures."""
        return self.curtain.grip_at(at) if self.mode == CompareMode.CURTAIN else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._drag = (self._grip_at(event.position()), event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag is None:
            shapes = {"move": Qt.CursorShape.SizeHorCursor, "turn": Qt.CursorShape.CrossCursor}
            self.setCursor(shapes.get(self._grip_at(at), Qt.CursorShape.ArrowCursor))
            return
        grip, last = self._drag
        self._drag = (grip, at)
        if grip:
            self.curtain.drag(grip, at, at - last)
            self.update()
        else:
            self.pan_by(at - last)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._pin(self.in_pane(event.position()))

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
            self.curtain.turn_to(self.curtain.angle + (15 if event.text() == "]" else -15))
            self.update()
            return
        if event.text() in ("+", "-") and self.mode == CompareMode.ALTERNATE:
            self.set_pace(self._timer.interval() * (2 / 3 if event.text() == "+" else 3 / 2))
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._pin(self.in_pane(self.panes()[0].center()))
            return
        if self.mode == CompareMode.CURTAIN and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.curtain.move_by(0.03 if event.key() == Qt.Key.Key_Right else -0.03)
            self.update()
        else:
            super().keyPressEvent(event)
