"""Manners of the window: the wheel scrolls, never changes a choice, and a number only where it has the focus."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QAbstractSlider, QAbstractSpinBox, QComboBox, QScrollBar, QWidget

GUARDED = (QAbstractSpinBox, QComboBox, QAbstractSlider)


class WheelGuard(QObject):
    """An event filter of fields, choice boxes and sliders; one for the whole application would slow down all else."""

    def attach(self, root: QWidget) -> None:
        """Teach all in a widget."""
        for widget in root.findChildren(QWidget):
            if isinstance(widget, GUARDED) and not isinstance(widget, QScrollBar):
                if widget.focusPolicy() == Qt.FocusPolicy.WheelFocus:
                    widget.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
                widget.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        wheel = event.type() == QEvent.Type.Wheel and isinstance(watched, GUARDED)
        if wheel and (isinstance(watched, QComboBox) or not watched.hasFocus()):  # type: ignore[attr-defined]
            event.ignore()  # it goes on to what scrolls
            return True
        return False
