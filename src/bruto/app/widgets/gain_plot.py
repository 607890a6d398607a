"""How much lower the noise becomes with the number of frames: what is to be had, and what was reached."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.catalog import items, tr

HEIGHT = 118
MOST_DOTS = 24
"""Most dots that can be told apart."""
LEFT, BOTTOM, TOP, RIGHT = 30.0, 34.0, 10.0, 10.0


class GainPlot(QWidget):
    """Gain over the number of frames: the root of their number as a thin line, what the method should reach for the
    chosen ones as an open ring, and what was reached as dots.
    """

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("Noise by number of frames"))
        self.count = 0
        self.expected: Callable[[int], float] | None = None
        self.reached: tuple[tuple[int, float], ...] = ()

    def show_gain(
        self, count: int, expected: Callable[[int], float] | None, reached: tuple[tuple[int, float], ...] = ()
    ) -> None:
        """So many chosen frames, what a method should gain of a number of them, and what was gained of how many."""
        self.count, self.expected, self.reached = count, expected, reached
        self.setVisible(expected is not None and count >= 2)
        if expected is not None and count >= 2:
            description = tr(
                "expect {expected:.1f} × less noise from {count} frames", expected=expected(count), count=count
            )
            self.setAccessibleDescription(
                items(description, tr("{reached:.1f} × reached", reached=reached[-1][1]) if reached else "")
            )
        self.update()

    def at(self, frames: float, gain: float) -> QPointF:
        """Where a gain of a number of frames stands."""
        most = max(self.count, *(n for n, _ in self.reached), 2)
        high = math.sqrt(most) * 1.08
        w, h = self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM
        return QPointF(LEFT + w * (frames - 1) / (most - 1), TOP + h * (1 - (gain - 1) / (high - 1)))

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.expected is None or self.count < 2:
            return
        most = max(self.count, *(n for n, _ in self.reached), 2)
        p.setFont(theme.font(12))
        box = QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)
        p.setPen(QPen(t.color("line"), 1))
        p.drawLine(box.bottomLeft(), box.bottomRight())
        p.setPen(t.color("quiet"))
        top = math.floor(math.sqrt(most))
        for gain in {1, top}:
            y = self.at(1, gain).y()
            p.drawText(
                QRectF(0, y - 8, LEFT - 6, 16), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{gain} ×"
            )
        for frames in {1, most}:
            side = Qt.AlignmentFlag.AlignLeft if frames == 1 else Qt.AlignmentFlag.AlignRight
            word = tr("1 frame") if frames == 1 else str(frames)
            p.drawText(QRectF(box.left(), box.bottom() + 2, box.width(), 15), side, word)
        line = QPolygonF([self.at(n, math.sqrt(n)) for n in _steps(most)])
        p.setPen(QPen(t.color("quiet"), 1, Qt.PenStyle.DashLine))
        p.drawPolyline(line)
        p.setPen(QPen(t.color("suggestion"), 1.8))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(self.at(self.count, self.expected(self.count)), 5, 5)
        if self.reached:
            p.setPen(QPen(t.color("accent"), 1.6))
            p.drawPolyline(QPolygonF([self.at(n, height) for n, height in self.reached]))
            p.setBrush(t.color("accent"))
            p.setPen(Qt.PenStyle.NoPen)
            for n, height in self.reached if len(self.reached) <= MOST_DOTS else self.reached[-1:]:
                p.drawEllipse(self.at(n, height), 3, 3)
        p.setPen(t.color("quiet"))
        text = tr("dashed: √N · ring: expected · dots: reached") if self.reached else tr("dashed: √N · ring: expected")
        p.setFont(theme.font(12))
        text = p.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, self.width())
        p.drawText(QRectF(0, self.height() - 16, self.width(), 16), Qt.AlignmentFlag.AlignLeft, text)


def _steps(most: int) -> list[float]:
    return [1 + (most - 1) * k / 40 for k in range(41)]
