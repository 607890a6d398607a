"""What every stage is: a widget that looks at a frame through a viewport, on one pane or the same on several."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from bruto.app.stage.image_pyramid import ImagePyramid
from bruto.app.widgets import theme
from bruto.session.viewport import Viewport

WHEEL = 1.2
"""How much one notch of the wheel enlarges."""
CENTRED = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap


class ViewportWidget(QWidget):
    """`view_changed` tells that other pixels are seen. A stage of several pictures shows each on a pane of its own, all
    through one viewport: coordinates of the viewport's pane are those within any of them.
    """

    view_changed = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(200, 150)
        self.setAccessibleName(name)
        self.viewport = Viewport()
        self.message = ""

    @property
    def fit(self) -> bool:
        return self.viewport.fit

    @property
    def zoom(self) -> float:
        return self.viewport.zoom

    @property
    def centre(self) -> QPointF:
        return QPointF(*self.viewport.centre)

    # -- panes

    def panes(self) -> list[QRectF]:
        """Where each picture stands; one for all where they lie on each other."""
        return [QRectF(self.rect())]

    def pane_at(self, position: QPointF) -> int | None:
        """The pane under a place of the widget."""
        return next((k for k, pane in enumerate(self.panes()) if pane.contains(position)), None)

    def in_pane(self, position: QPointF) -> QPointF:
        """A place of the widget in the pane that is under it, or else in the first."""
        return position - self.panes()[self.pane_at(position) or 0].topLeft()

    def target(self, pane: QRectF) -> QRectF:
        """Where the frame lies on a pane."""
        (x, y), (w, h) = self.viewport.to_pane(0, 0), self.viewport.frame
        return QRectF(pane.left() + x, pane.top() + y, w * self.zoom, h * self.zoom)

    def _fill_pane(self) -> None:
        """Tell the viewport how large a pane is."""
        panes = self.panes()
        if panes:
            self.viewport.set_pane(panes[0].width(), panes[0].height(), self.devicePixelRatioF())

    # -- what is seen

    def _moved(self) -> None:
        self.update()
        self.view_changed.emit()

    def set_fit(self) -> None:
        """Show the whole frame."""
        self._fill_pane()
        self.viewport.set_fit()
        self._moved()

    def set_one_to_one(self, at: QPointF | None = None) -> None:
        """One frame pixel on one screen pixel, keeping the place under `at` (widget position) or the middle."""
        self._fill_pane()
        self.viewport.one_to_one(*((at.x(), at.y()) if at is not None else ()))
        self._moved()

    def zoom_by(self, times: float, at: QPointF | None = None) -> None:
        """Enlarge about a place of the widget, or the middle."""
        place = QPointF(self.viewport.pane[0] / 2, self.viewport.pane[1] / 2) if at is None else self.in_pane(at)
        self.viewport.zoom_to(self.zoom * times, place.x(), place.y())
        self._moved()

    def pan_by(self, moved: QPointF) -> None:
        """Move what is seen by a way on the screen."""
        self.viewport.pan(moved.x(), moved.y())
        self._moved()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fill_pane()
        self.view_changed.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.panes() and self.viewport.frame[0]:
            self.zoom_by(WHEEL ** (event.angleDelta().y() / 120), event.position())

    # -- drawing

    def begin_paint(self) -> QPainter:
        """A painter on the neutral surround."""
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), theme.current().color("surround"))
        return p

    def draw_layers(
        self, p: QPainter, target: QRectF, whole: ImagePyramid, piece: QImage | None = None, rect: QRectF | None = None
    ) -> None:
        """A whole picture over a target, and a sharp piece of it (`rect` in pixels of the frame)."""
        p.drawImage(target, whole.at(target.width() * self.viewport.ratio / whole.width()))
        if piece is not None and rect is not None:
            place = QPointF(target.left() + rect.left() * self.zoom, target.top() + rect.top() * self.zoom)
            p.drawImage(QRectF(place.x(), place.y(), rect.width() * self.zoom, rect.height() * self.zoom), piece)

    def draw_text(self, p: QPainter, text: str, box: QRectF | None = None, size: int = 13) -> None:
        """Words on the surround, where there is no picture."""
        p.setPen(theme.current().color("on_surround"))
        p.setFont(theme.font(size))
        p.drawText(QRectF(self.rect()).adjusted(60, 0, -60, 0) if box is None else box, CENTRED, text)

    def draw_label(self, p: QPainter, text: str, x: float, bottom: float, *, left: bool = True) -> None:
        """A name on a picture, at the left of `x` or ending there."""
        t = theme.current()
        p.setFont(theme.font(12, bold=True))
        width = p.fontMetrics().horizontalAdvance(text) + 16
        box = QRectF(x if left else x - width, bottom - 34, width, 24)
        p.fillRect(box, t.color("raised"))
        p.setPen(t.color("ink"))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
