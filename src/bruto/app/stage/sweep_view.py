"""What survives of both under a push of 0 to 4 EV: a small plot for each measure."""

from __future__ import annotations

import math
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.compare.sweep import STEPS_EV, SWEPT, TITLES, SweepStep

MARGIN = 18.0


class SweepView(QWidget):
    """Lines of both: the first with round marks, the second dashed with square ones."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(tr("What survives a push"))
        self.swept: list[SweepStep] = []
        self.names = ("first", "second")
        self.message = ""

    def begin(self, names: tuple[str, str], message: str) -> None:
        """Nothing is known yet."""
        self.swept, self.names, self.message = [], names, message
        self.update()

    def add(self, found: SweepStep) -> None:
        """One more push."""
        self.swept.append(found)
        parts = (tr("{TITLES} {a:.1f} and {b:.1f}", TITLES=TITLES[k], a=found.a[k], b=found.b[k]) for k in SWEPT)
        self.setAccessibleDescription(tr("At {ev:+.0f} EV: {parts}.", ev=found.ev, parts=", ".join(parts)))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.color("panel"))
        p.setFont(theme.font(12))
        p.setPen(t.color("quiet"))
        done = (
            tr(
                "{swept_count} of {STEPS_EV_count} pushes compared…",
                swept_count=len(self.swept),
                STEPS_EV_count=len(STEPS_EV),
            )
            if len(self.swept) < len(STEPS_EV)
            else ""
        )
        head = QRectF(MARGIN, 8, self.width() - 2 * MARGIN, 20)
        p.drawText(head, Qt.AlignmentFlag.AlignVCenter, self.message or done or tr("The same exposure push on both"))
        self._legend(p)
        w, h = (self.width() - 3 * MARGIN) / 2, (self.height() - 64 - 2 * MARGIN) / 2
        for k, key in enumerate(SWEPT):
            self._plot(p, QRectF(MARGIN + (k % 2) * (w + MARGIN), 62 + (k // 2) * (h + MARGIN), w, h), key)

    def _mark(self, p: QPainter, at: QPointF, which: int) -> None:
        color = theme.current().color("accent" if which == 0 else "suggestion")
        p.setPen(QPen(color, 1.5))
        p.setBrush(color)
        p.drawEllipse(at, 4, 4) if which == 0 else p.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8))

    def _legend(self, p: QPainter) -> None:
        x = MARGIN + 6
        for which, name in enumerate(self.names):
            self._mark(p, QPointF(x, 42), which)
            p.setPen(theme.current().color("ink"))
            p.drawText(QPointF(x + 12, 46), name)
            x += 34 + p.fontMetrics().horizontalAdvance(name)

    def _plot(self, p: QPainter, box: QRectF, key: str) -> None:
        t = theme.current()
        p.setPen(QPen(t.color("line")))
        p.setBrush(t.color("raised"))
        p.drawRoundedRect(box, 4, 4)
        p.setPen(t.color("ink"))
        p.setFont(theme.font(12, bold=True))
        p.drawText(box.adjusted(10, 6, -10, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, TITLES[key])
        p.setFont(theme.font(12))
        inner = box.adjusted(52, 34, -18, -26)
        known = [v for s in self.swept for v in (s.a[key], s.b[key]) if not math.isnan(v)]
        top = max([*known, 1e-3]) * 1.15
        p.setPen(QPen(t.color("track"), 1))
        p.drawLine(inner.bottomLeft(), inner.bottomRight())
        p.drawLine(inner.bottomLeft(), inner.topLeft())
        p.setPen(t.color("quiet"))
        for value in (0.0, top / 1.15):
            y = inner.bottom() - inner.height() * value / top
            text = f"{value:.0f}" if value >= 10 or value == 0 else f"{value:.1f}"
            side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            p.drawText(QRectF(box.left() + 4, y - 9, 42, 18), side, text)
        for ev in STEPS_EV:
            x = inner.left() + inner.width() * ev / STEPS_EV[-1]
            p.drawText(
                QRectF(x - 30, inner.bottom() + 5, 60, 18), Qt.AlignmentFlag.AlignHCenter, tr("{ev:+.0f} EV", ev=ev)
            )
        for which in (0, 1):
            points = [
                QPointF(
                    inner.left() + inner.width() * s.ev / STEPS_EV[-1],
                    inner.bottom() - inner.height() * (s.a if which == 0 else s.b)[key] / top,
                )
                for s in self.swept
                if not math.isnan((s.a if which == 0 else s.b)[key])
            ]
            style = Qt.PenStyle.SolidLine if which == 0 else Qt.PenStyle.DashLine
            p.setPen(QPen(t.color("accent" if which == 0 else "suggestion"), 2, style))
            for one, other in pairwise(points):
                p.drawLine(one, other)
            for point in points:
                self._mark(p, point, which)
