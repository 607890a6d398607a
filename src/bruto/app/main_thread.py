"""Calls brought to the interface thread from any other."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, QTimer, Signal


class MainThreadCalls(QObject):
    """`post(call)` runs a call on the thread that made this object, when its event loop comes round."""

    _wanted = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._wanted.connect(self._do, Qt.ConnectionType.QueuedConnection)

    def post(self, call: Callable[[], None]) -> None:
        self._wanted.emit(call)

    def _do(self, call: Callable[[], None]) -> None:
        call()


def single_shot(owner: QObject, after_ms: int, call: Callable[[], None]) -> QTimer:
    """A timer that calls once, so long after it was last started."""
    timer = QTimer(owner)
    timer.setSingleShot(True)
    timer.setInterval(after_ms)
    timer.timeout.connect(call)
    return timer
