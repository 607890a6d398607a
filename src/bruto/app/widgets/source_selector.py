"""What a side of a comparison is chosen in: a list, and a place to drop a shot on."""

from __future__ import annotations

from PySide6.QtCore import QMimeData, Signal
from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDropEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QComboBox

from bruto.app.widgets import theme
from bruto.shoot.shots import Shot

DRAGGED = "application/x-bruto-shot"
"""Kind of what is dragged out of a list of shots: the path of a shot's main file."""


def dragged(shot: Shot) -> QMimeData:
    """A shot on its way from one part of the window to another."""
    data = QMimeData()
    data.setData(DRAGGED, str(shot.main).encode())
    return data


class SourceSelector(QComboBox):
    """Emits `dropped` with the path of the shot that was dropped on it."""

    dropped = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAcceptDrops(True)
        self._over = False

    def _set_over(self, on: bool) -> None:
        self._over = on
        self.update()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(DRAGGED):
            self._set_over(True)
            event.acceptProposedAction()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        self._set_over(False)

    def dropEvent(self, event: QDropEvent) -> None:
        self._set_over(False)
        event.acceptProposedAction()
        self.dropped.emit(bytes(event.mimeData().data(DRAGGED).data()).decode())

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._over:
            theme.ring(QPainter(self), self.rect().toRectF().adjusted(2, 2, -2, -2))
