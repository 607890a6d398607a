"""The stage: the picture on a neutral surround, with smooth zoom at the pointer, pan, and a point picker."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from bruto.app.stage.crop_tool import CropTool
from bruto.app.stage.image_pyramid import draw_image, to_qimage
from bruto.app.stage.viewport_widget import ViewportWidget
from bruto.app.widgets import theme
from bruto.catalog import tr

PAN_STEP = 60
"""Screen pixels that an arrow key moves the picture by."""


class Stage(ViewportWidget):
    """Shows a coarse picture of the whole frame and, zoomed in, a sharp piece of it.

    Coordinates of the frame are full-size pixels of the oriented picture. `view_changed` asks for new pixels; `picked`
    gives relative frame coordinates of a click in picking mode; `lifted` tells in lifting mode where a drag began
    (relative) and how far up it went (screen pixels); `pointed` follows the pointer. With a crop tool `cropped` tells
    that its rectangle was moved (and whether it was let go), `leaned` by how many degrees a drawn line leans.
    """

    picked = Signal(float, float)
    lifted = Signal(float, float, float, bool)
    pointed = Signal(float, float)
    cropped = Signal(bool)
    leaned = Signal(float)

    def __init__(self) -> None:
        super().__init__(tr("Picture"))
        self.base: QImage | None = None
        self.piece: QImage | None = None
        self.piece_rect = QRectF()
        self.before: QImage | None = None
        self.before_piece: QImage | None = None
        self.before_rect = QRectF()
        self.show_before = False
        self.beside = ""
        self.marks: QImage | None = None
        self.picking = False
        self.lifting = False
        self.crop: CropTool | None = None
        self._lift: tuple[QPointF, QPointF] | None = None
        self._drag: QPointF | None = None

    # -- geometry

    @property
    def frame_size(self) -> tuple[int, int]:
        return self.viewport.frame

    def set_frame(self, width: int, height: int) -> None:
        """Start with another picture of a full size; the zoom is kept when sizes agree."""
        self._fill_pane()
        self.viewport.set_frame(width, height)
        self.base = self.piece = self.before = self.before_piece = self.marks = None
        self.update()

    def resize_frame(self, width: int, height: int) -> None:
        """The same picture in another frame: what is shown stays until there is better."""
        if (width, height) != self.frame_size:
            self.viewport.resize_frame(width, height)
            self.piece = self.before = self.before_piece = self.marks = None
            self.update()

    def to_frame(self, p: QPointF) -> QPointF:
        return QPointF(*self.viewport.to_frame(p.x(), p.y()))

    def to_widget(self, x: float, y: float) -> QPointF:
        return QPointF(*self.viewport.to_pane(x, y))

    def frame_rect(self) -> QRectF:
        """Where the frame lies in the widget."""
        w, h = self.frame_size
        return QRectF(self.to_widget(0, 0), self.to_widget(w, h))

    def visible(self) -> tuple[int, int, int, int]:
        """Visible part of the frame (x, y, width, height) in full-size pixels."""
        return self.viewport.visible()

    # -- pictures

    def set_base(self, picture: NDArray[np.uint8]) -> None:
        self.base = to_qimage(picture)
        self.update()

    def set_piece(self, picture: NDArray[np.uint8] | None, rect: tuple[int, int, int, int] = (0, 0, 0, 0)) -> None:
        if picture is None and self.piece is None:
            return  # nothing to take away, nothing to paint again
        self.piece = None if picture is None else to_qimage(picture)
        self.piece_rect = QRectF(*rect)
        self.update()

    def set_before(self, picture: NDArray[np.uint8] | None, rect: tuple[int, int, int, int] | None = None) -> None:
        """What is compared with: of the whole frame, or a sharp part of it at a rectangle of the frame."""
        image = None if picture is None else to_qimage(picture)
        if rect is None:
            self.before = image
            self.before_piece = None if image is None else self.before_piece
        else:
            self.before_piece, self.before_rect = image, QRectF(*rect)
        self.update()

    def set_beside(self, title: str) -> None:
        """What is compared with, under a title, in the left half and the picture in the right one, at the same place
        and size; "" for the picture alone.
        """
        self.beside = title
        self.update()

    def set_marks(self, marks: NDArray[np.uint8] | None) -> None:
        """A drawing (h, w, 4) RGBA over the whole frame; None takes it away."""
        if marks is None:
            self.marks = None
        else:
            data = np.ascontiguousarray(marks)
            h, w = data.shape[:2]
            self.marks = QImage(data.data, w, h, 4 * w, QImage.Format.Format_RGBA8888).copy()
        self.update()

    # -- events

    def paintEvent(self, event: QPaintEvent) -> None:
        p = self.begin_paint()
        t = theme.current()
        rect = self.frame_rect()
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.zoom * self.devicePixelRatioF() < 2.5)
        if not self.show_before or self.before is None:
            self._draw(p, rect, self.base, self.piece, self.piece_rect)
            if self.marks is not None:
                p.drawImage(rect, self.marks)
        if self.before is not None and (self.show_before or self.beside):
            half = QRectF(0, 0, self.width() / 2 if not self.show_before else self.width(), self.height())
            p.save()
            p.setClipRect(half)
            p.fillRect(half, t.color("surround"))
            self._draw(p, rect, self.before, self.before_piece, self.before_rect)
            p.restore()
            if not self.show_before:
                p.setPen(QPen(QColor(255, 255, 255, 220), 1))
                p.drawLine(QPointF(half.right(), 0), QPointF(half.right(), self.height()))
                p.setFont(theme.font(12))
                for text, left in ((self.beside, 8.0), ("NOW", half.right() + 8)):
                    width = p.fontMetrics().horizontalAdvance(text) + 12
                    p.fillRect(QRectF(left, self.height() - 30, width, 22), QColor(40, 40, 40, 225))
                    p.setPen(QPen(QColor("#FFFFFF")))
                    p.drawText(QRectF(left + 6, self.height() - 30, width, 22), Qt.AlignmentFlag.AlignVCenter, text)
        if self.crop is not None and not self.show_before:
            self.crop.paint(p, rect)
            p.setBrush(Qt.BrushStyle.NoBrush)
        if self.message:
            p.setFont(theme.font(13))
            box = QRectF(self.rect()).adjusted(60, 40, -60, -40)
            used = p.boundingRect(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)
            p.fillRect(used.adjusted(-14, -10, 14, 10), QColor(40, 40, 40, 235))
            p.setPen(QPen(QColor("#FFFFFF")))
            p.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.message)
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()), on_surround=True)

    def _draw(self, p: QPainter, rect: QRectF, whole: QImage | None, piece: QImage | None, part: QRectF) -> None:
        """A picture of the frame, kept in its own shape, and a sharp part of it."""
        if whole is None:
            return
        shape = whole.width() / max(whole.height(), 1) * rect.height() / max(rect.width(), 1e-6)
        if abs(shape - 1) > 0.03:  # another shot's picture of another shape
            w, h = rect.width() * min(shape, 1.0), rect.height() * min(1 / shape, 1.0)
            rect = QRectF(rect.center().x() - w / 2, rect.center().y() - h / 2, w, h)
        seen = rect.intersected(QRectF(self.rect()))
        sharp = QRectF(self.to_widget(part.left(), part.top()), self.to_widget(part.right(), part.bottom()))
        if piece is None or not sharp.adjusted(-1, -1, 1, 1).contains(seen):  # else nothing of it would be seen
            draw_image(p, rect, whole)
        if piece is not None:
            draw_image(p, sharp, piece)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self.crop is not None and self.crop.press(event.position(), self.frame_rect()):
            return
        if self.picking:
            place = self.to_frame(event.position())
            w, h = self.frame_size
            if 0 <= place.x() < w and 0 <= place.y() < h:
                self.picked.emit(place.x() / w, place.y() / h)
            return
        if self.lifting and self.frame_rect().contains(event.position()):
            place = self.to_frame(event.position())
            w, h = self.frame_size
            self._lift = (event.position(), QPointF(place.x() / w, place.y() / h))
            return
        self._drag = event.position()
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        place = self.to_frame(event.position())
        w, h = self.frame_size
        if w and h:
            self.pointed.emit(place.x() / w, place.y() / h)
        if self.crop is not None:
            if self.crop.holding:
                if self.crop.move(event.position(), self.frame_rect()):
                    self.cropped.emit(False)
                self.update()
                return
            self.setCursor(self.crop.cursor(event.position(), self.frame_rect()))
        if self._lift is not None:
            self._lifted(event, False)
        if self._drag is not None:
            self.pan_by(event.position() - self._drag)
            self._drag = event.position()

    def _lifted(self, event: QMouseEvent, final: bool) -> None:
        assert self._lift is not None
        start, place = self._lift
        self.lifted.emit(place.x(), place.y(), start.y() - event.position().y(), final)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.crop is not None and self.crop.holding:
            dragged, angle = self.crop.release()
            if dragged:
                self.cropped.emit(True)
            if angle is not None:
                self.leaned.emit(angle)
            self.update()
            return
        if self._lift is not None:
            self._lifted(event, True)
            self._lift = None
        self._drag = None
        self._set_cursor()

    def _set_cursor(self) -> None:
        shape = Qt.CursorShape.CrossCursor if self.picking else Qt.CursorShape.ArrowCursor
        self.setCursor(Qt.CursorShape.SizeVerCursor if self.lifting and not self.picking else shape)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.picking and not self.lifting and self.crop is None:
            self.set_one_to_one(event.position()) if self.fit else self.set_fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {
            Qt.Key.Key_Left: (PAN_STEP, 0),
            Qt.Key.Key_Right: (-PAN_STEP, 0),
            Qt.Key.Key_Up: (0, PAN_STEP),
            Qt.Key.Key_Down: (0, -PAN_STEP),
        }
        if event.key() in moves and not self.fit:
            self.pan_by(QPointF(*moves[Qt.Key(event.key())]))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(1.25)
        elif event.key() == Qt.Key.Key_Minus:
            self.zoom_by(1 / 1.25)
        else:
            super().keyPressEvent(event)

    def set_crop(self, tool: CropTool | None) -> None:
        """Show a crop tool over the picture, or take it away."""
        self.crop = tool
        self._set_cursor()
        self.update()

    def set_picking(self, on: bool) -> None:
        self.picking = on
        self._set_cursor()

    def set_lifting(self, on: bool) -> None:
        """Drags up and down change tone instead of moving the picture."""
        self.lifting = on
        self._set_cursor()
