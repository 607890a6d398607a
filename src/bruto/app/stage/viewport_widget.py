"""What every stage is: a widget that looks at a frame through a viewport."""

from __future__ import annotations

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from bruto.session.viewport import Viewport


class ViewportWidget(QWidget):
    """`view_changed` tells that other pixels are seen."""

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

    def _fill_pane(self) -> None:
        """Tell the viewport how large it is."""
        self.viewport.set_pane(self.width(), self.height(), self.devicePixelRatioF())

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

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fill_pane()
        self.view_changed.emit()
