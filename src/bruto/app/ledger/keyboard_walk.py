"""Walking through the ledger by keys: it is one stop of the Tab key, and Up and Down go from row to row inside it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QAbstractSpinBox, QLineEdit, QPlainTextEdit, QScrollArea, QWidget

from bruto.app.ledger.curve_editor import CurvePlot
from bruto.app.ledger.hue_ring import HueRing

OWN_ARROWS = (CurvePlot, HueRing)
"""Widgets that move something by Up and Down; there Ctrl goes on."""


class KeyboardWalk(QObject):
    """An event filter on all that can be focused in `body`."""

    def __init__(self, body: QWidget, parent: QWidget) -> None:
        super().__init__(parent)
        self.body = body
        self.here: QWidget | None = None
        """The stop that Tab comes to."""
        for widget in body.findChildren(QWidget):
            if self._stops(widget):
                widget.installEventFilter(self)
                widget.setProperty("stop", True)
                widget.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        first = self.stops()
        if first:
            self._come_to(first[0])

    @staticmethod
    def _stops(widget: QWidget) -> bool:
        """Whether keys should get to a widget; the field of a number is reached from its row or box."""
        return bool(widget.focusPolicy().value & Qt.FocusPolicy.TabFocus.value) and not (
            isinstance(widget, QScrollArea)
            or (isinstance(widget, QLineEdit) and isinstance(widget.parentWidget(), QAbstractSpinBox))
        )

    def stops(self) -> list[QWidget]:
        """What can be gone to now, from top to bottom."""
        found = [
            w for w in self.body.findChildren(QWidget)
            if w.focusPolicy() in (Qt.FocusPolicy.ClickFocus, Qt.FocusPolicy.StrongFocus)
            and w.isVisibleTo(self.body) and w.isEnabled() and w.property("stop")
        ]  # fmt: skip
        return sorted(found, key=self._place)

    def _place(self, widget: QWidget) -> tuple[int, int]:
        at = widget.mapTo(self.body, QPoint(0, widget.height() // 2))
        return at.y() // 12, at.x()

    def _come_to(self, widget: QWidget) -> None:
        if self.here is not None:
            self.here.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.here = widget
        widget.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def step(self, widget: QWidget, by: int) -> bool:
        """Go to the next stop, or the one before; whether there is one."""
        stops = self.stops()
        if widget not in stops:
            return False
        k = stops.index(widget) + by
        if not 0 <= k < len(stops):
            return False
        stops[k].setFocus(Qt.FocusReason.TabFocusReason)
        pane = self.body.parentWidget()
        area = None if pane is None else pane.parentWidget()
        if isinstance(area, QScrollArea):
            area.ensureWidgetVisible(stops[k], 0, 24)
        return True

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(watched, QWidget):
            if event.type() == QEvent.Type.FocusIn:
                self._come_to(watched)
            elif isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
                by = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()), 0)
                modifiers = event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
                plain = modifiers == Qt.KeyboardModifier.NoModifier and not isinstance(
                    watched, (*OWN_ARROWS, QAbstractSpinBox, QPlainTextEdit)
                )
                if by and (plain or modifiers == Qt.KeyboardModifier.ControlModifier):
                    self.step(watched, by)
                    return True
        return super().eventFilter(watched, event)
