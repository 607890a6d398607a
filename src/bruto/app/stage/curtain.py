"""The curtain between two pictures: a line that is moved and turned by hand."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from bruto.app.widgets import theme

HOLDS = (-90.0, -45.0, 0.0, 45.0, 90.0)
"""Angles at which the line holds, degrees."""
FAR = 4000.0
"""Screen pixels beyond any window."""


class Curtain:
    """A line over a widget: `place` and `level` of where it is held, as shares of its width and height; `angle` in
    degrees by which it leans from the vertical, clockwise.
    """

    def __init__(self, widget: QWidget) -> None:
        self.widget = widget
        self.place, self.level, self.angle = 0.5, 0.5, 0.0

    def middle(self) -> QPointF:
        """Where it is held."""
        return QPointF(self.widget.width() * self.place, self.widget.height() * self.level)

    def along(self) -> QPointF:
        """Direction of its line, a unit long."""
        turn = math.radians(self.angle)
        return QPointF(-math.sin(turn), math.cos(turn))

    def turners(self) -> list[QPointF]:
        """Where its line is turned: near both its ends."""
        reach = 0.36 * min(self.widget.height(), self.widget.width())
        return [self.middle() - self.along() * reach, self.middle() + self.along() * reach]

    def beyond(self) -> QPainterPath:
        """What lies right of its line."""
        middle, along = self.middle(), self.along() * FAR
        right = QPointF(along.y(), -along.x())
        path = QPainterPath(middle - along)
        for corner in (middle - along + right, middle + along + right, middle + along):
            path.lineTo(corner)
        path.closeSubpath()
        return path

    def grip_at(self, at: QPointF) -> str:
        """What a press does there: "move", "turn", or "" for nothing of the curtain's."""
        if any((at - turner).manhattanLength() < 16 for turner in self.turners()):
            return "turn"
        away, along = at - self.middle(), self.along()
        return "move" if abs(away.x() * along.y() - away.y() * along.x()) < 14 else ""

    def drag(self, grip: str, at: QPointF, moved: QPointF) -> None:
        """Follow the hand."""
        if grip == "move":
            self.move_by(moved.x() / self.widget.width(), moved.y() / self.widget.height())
        else:
            away = at - self.middle()
            self.turn_to(math.degrees(math.atan2(-away.x(), away.y())))

    def move_by(self, across: float, down: float = 0.0) -> None:
        """Move it, by shares of the width and height."""
        self.place = min(0.98, max(0.02, self.place + across))
        self.level = min(0.9, max(0.1, self.level + down))

    def turn_to(self, angle: float) -> None:
        """Let it lean by an angle; near vertical, level and half way it holds there."""
        angle = (angle + 90) % 180 - 90
        near = min(HOLDS, key=lambda a: abs(a - angle))
        self.angle = near if abs(near - angle) < 3 else angle

    def paint(self, p: QPainter) -> None:
        """Draw the line and its grips."""
        t = theme.current()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(t.color("on_surround"), 2))
        middle, along = self.middle(), self.along()
        p.drawLine(middle - along * FAR, middle + along * FAR)
        p.setBrush(t.color("raised"))
        p.setPen(QPen(t.color("ink"), 1))
        for turn in self.turners():
            p.drawEllipse(turn, 6, 6)
        p.translate(middle)
        p.rotate(self.angle)
        p.drawRoundedRect(QRectF(-6, -16, 12, 32), 4, 4)
        p.resetTransform()
