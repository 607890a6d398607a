"""Keys that are no commands: held for the picture before, Escape out of what is in use, Return for a button."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QPushButton

from bruto.tasks import Task


class WindowKeys:
    """The keys of one window."""

    def __init__(self, window: Any) -> None:
        self.window = window

    def press(self, event: QKeyEvent) -> bool:
        """A key is pressed; whether it meant something here."""
        if self._is_hold_key(event) and self.window.task() == Task.CORRECT:
            self.window.correct.show_before(True)
        elif event.key() == Qt.Key.Key_Escape and self.leave():
            pass
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            focus = QApplication.focusWidget()
            if self.in_tool():
                self.window.correct.leave_tool()
            elif isinstance(focus, QPushButton):  # which only answers to Space by itself
                focus.click()
        else:
            return False
        return True

    def release(self, event: QKeyEvent) -> bool:
        """A key is let go; whether it meant something here."""
        if self._is_hold_key(event):
            self.window.correct.show_before(False)
            return True
        return False

    def _is_hold_key(self, event: QKeyEvent) -> bool:
        return not event.isAutoRepeat() and event.keyCombination().toCombined() in self.window.commands.hold_keys

    def in_tool(self) -> bool:
        """Whether a tool is in use on the picture, which Return and Escape end."""
        return self.window.task() == Task.CORRECT and self.window.correct.in_tool()

    def leave(self) -> bool:
        """Escape: out of the tool in use, else close the drawer, else let the picture have the keys. Whether there was
        something to leave.
        """
        if self.window.task() == Task.CORRECT and self.window.correct.leave_tool():
            return True
        if self.window.status_bar.drawer.isVisible():
            self.window.status_bar.drawer.hide()
            return True
        stage = getattr(self.window.page(self.window.task()), "stage", None)
        if stage is not None and not stage.hasFocus():
            stage.setFocus()
            return True
        return False
