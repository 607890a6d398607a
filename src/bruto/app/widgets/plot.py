"""A plot of what was measured against a setting: dots for shots, a line for what is learnt."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.app.widgets.plain_text import plain_tooltip

LEFT, RIGHT, TOP, BOTTOM = 52.0, 14.0, 44.0, 38.0
MOST_DOTS = 4000
Points = Sequence[tuple[float, float]]


@dataclass(frozen=True)
class Scale:
    """From `low` to `high`, with `ticks` (value and text); `even`: equal steps instead of equal factors."""

    low: float
    high: float
    ticks: tuple[tuple[float, str], ...]
    even: bool = False

    def share(self, value: float) -> float:
        """Where a value stands, 0..1 inside."""
        if self.even:
            return (value - self.low) / (self.high - self.low)
        return math.log(max(value, 1e-30) / self.low) / math.log(self.high / self.low)


def doublings(low: float, high: float, most: int = 6, text: str = "{:g}") -> Scale:
    """A scale whose ticks are twice, or four or eight times as much as the one before."""
    low, high = low / 1.25, high * 1.25
    first = 2.0 ** math.ceil(math.log2(low / 50)) * 50
    every = [first * 2**k for k in range(64) if first * 2**k <= high]
    step = max(1, math.ceil(len(every) / most))
    return Scale(low, high, tuple((v, text.format(v)) for v in every[::step]))


class Plot(QWidget):
    """`dots`: x, y and whether they count (those that do not are open); `lines`: points of what is learnt, the first
    one full and the others dashed; `rings`: what is expected; `empty`: what is said where there is nothing.
    """

    def __init__(self, title: str = "", joined: bool = False) -> None:
        """Without a `title` there is no head; `joined`: a line goes from dot to dot."""
        super().__init__()
        self.title, self.caption, self.empty, self.joined = title, "", "", joined
        self.top = TOP if title else 10.0
        self.across: Scale | None = None
        self.upward: Scale | None = None
        self.x_name = self.y_name = ""
        self.dots: Sequence[tuple[float, float, bool]] = ()
        self.lines: Sequence[Points] = ()
        self.rings: Points = ()
        self.setMinimumSize(190, 140)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(title)

    def show_plot(
        self, x: Scale, y: Scale, names: tuple[str, str], dots: Sequence[tuple[float, float, bool]],
        lines: Sequence[Points], caption: str, rings: Points = (),
    ) -> None:  # fmt: skip
        """Show dots and lines; `names` of both scales with their units; `caption`: the result in a sentence."""
        self.across, self.upward, self.empty = x, y, ""
        self.x_name, self.y_name = names
        self.dots, self.lines, self.rings, self.caption = dots[:MOST_DOTS], lines, rings, caption
        self.setAccessibleDescription(caption)
        self.setToolTip(plain_tooltip(caption))
        self.update()

    def show_nothing(self, why: str) -> None:
        """Say why there is nothing, and what to do."""
        self.across = self.upward = None
        self.caption, self.empty = "", why
        self.setAccessibleDescription(why)
        self.setToolTip("")
        self.update()

    def at(self, x: float, y: float) -> QPointF:
        """Where values stand in the widget."""
        assert self.across is not None and self.upward is not None
        w, h = self.width() - LEFT - RIGHT, self.height() - self.top - BOTTOM
        return QPointF(LEFT + w * self.across.share(x), self.top + h * (1 - self.upward.share(y)))

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(13, True))
        p.setPen(t.color("ink"))
        if self.title:
            p.drawText(QRectF(8, 4, self.width() - 16, 20), Qt.AlignmentFlag.AlignVCenter, self.title)
        p.setFont(theme.font(12))
        p.setPen(t.color("quiet"))
        if self.across is None or self.upward is None:
            box = QRectF(16, self.top, self.width() - 32, self.height() - self.top - 8)
            p.drawText(box, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.empty)
            return
        caption = (
            ""
            if not self.title
            else p.fontMetrics().elidedText(self.caption, Qt.TextElideMode.ElideRight, self.width() - 16)
        )
        p.drawText(QRectF(8, 22, self.width() - 16, 18), Qt.AlignmentFlag.AlignVCenter, caption)
        right_middle = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        box = QRectF(LEFT, self.top, self.width() - LEFT - RIGHT, self.height() - self.top - BOTTOM)
        last = -math.inf  # where the text before ends; one that would touch it is left out
        for value, text in sorted(self.across.ticks):
            x = self.at(value, self.upward.low).x()
            p.setPen(QPen(t.color("line"), 1))
            p.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            p.setPen(t.color("quiet"))
            half = p.fontMetrics().horizontalAdvance(text) / 2
            if x - half > last + 4:
                p.drawText(QRectF(x - 40, box.bottom() + 2, 80, 16), Qt.AlignmentFlag.AlignHCenter, text)
                last = x + half
        for value, text in self.upward.ticks:
            y = self.at(self.across.low, value).y()
            p.setPen(QPen(t.color("line"), 1))
            p.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
            p.setPen(t.color("quiet"))
            p.drawText(QRectF(0, y - 8, LEFT - 5, 16), right_middle, text)
        p.setPen(t.color("quiet"))
        p.drawText(QRectF(LEFT, self.height() - 19, box.width(), 16), Qt.AlignmentFlag.AlignRight, self.x_name)
        free = int(self.width() - 30 - p.fontMetrics().horizontalAdvance(self.x_name))
        name = p.fontMetrics().elidedText(self.y_name, Qt.TextElideMode.ElideRight, free)
        p.drawText(QRectF(8, self.height() - 19, free, 16), Qt.AlignmentFlag.AlignLeft, name)
        p.setClipRect(box.adjusted(-7, -7, 7, 7))  # a ring at the edge is whole
        if self.joined:
            p.setPen(QPen(t.color("accent"), 1.6))
            p.drawPolyline(QPolygonF([self.at(x, y) for x, y, _ in self.dots]))
        for x, y, counts in self.dots:
            p.setPen(QPen(t.color("accent" if counts else "warning"), 1.4))
            p.setBrush(t.color("accent", 130) if counts else Qt.BrushStyle.NoBrush)
            p.drawEllipse(self.at(x, y), 3.2, 3.2)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for k, line in enumerate(self.lines):
            style = Qt.PenStyle.DashLine if k else Qt.PenStyle.SolidLine
            p.setPen(QPen(t.color("suggestion"), 1.0 if k else 1.8, style))
            p.drawPolyline(QPolygonF([self.at(x, y) for x, y in line]))
        p.setPen(QPen(t.color("suggestion"), 1.8))
        for x, y in self.rings:
            p.drawEllipse(self.at(x, y), 5, 5)
