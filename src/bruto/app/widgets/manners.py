"""Manners of the whole window: the wheel scrolls, and changes a number only where it has the focus; Return presses the
button that has the focus, unless a tool is in use, which it ends.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractSlider, QAbstractSpinBox, QComboBox, QPushButton, QScrollBar, QWidget

HELD = (QAbstractSpinBox, QComboBox, QAbstractSlider)


class Manners(QObject):
    """An event filter for the application."""

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind = event.type()
        if kind == QEvent.Type.Polish and isinstance(watched, HELD):
            if watched.focusPolicy() == Qt.FocusPolicy.WheelFocus:
                watched.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        elif kind == QEvent.Type.Wheel and isinstance(watched, QWidget):
            held = watched if isinstance(watched, HELD) else watched.parentWidget()
            if isinstance(held, QComboBox) or (
                isinstance(held, HELD) and not isinstance(held, QScrollBar) and not held.hasFocus()
            ):
                event.ignore()  # it goes on to what scrolls
                return True
        elif kind == QEvent.Type.KeyPress and isinstance(watched, QPushButton) and isinstance(event, QKeyEvent):
            busy = getattr(watched.window(), "in_tool", None)
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not (busy is not None and busy()):
                watched.click()
                return True
        return False
