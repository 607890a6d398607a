"""Light in stops, channel by channel, with the place where each is clipped: a small chart for reading, not for
editing."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.sensor.report import LIGHT_EV

FROM_EV, TO_EV = -8.0, 5.0
HEAD, FOOT = 18, 18


class LightBars(QWidget):
    """`set_light` gives the shares of each channel in the steps of `LIGHT_EV`, and the EV at which each is clipped."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title, self.note, self.warns = title, "", False
        self.light: np.ndarray | None = None
        self.clip_ev: tuple[float, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(98)
        self.setAccessibleName(title)

    def sizeHint(self) -> QSize:
        return QSize(320, 98)

    def set_light(self, light: tuple, clip_ev: tuple[float, ...], note: str, warns: bool) -> None:
        """`note`: what is clipped, at the right of the title; empty light shows a plain sentence."""
        # codes lie apart in deep shadows: smoothed over half a stop they do not look like teeth
        soft = [np.convolve(row, (0.25, 0.5, 0.25), "same") for row in light]
        self.light = np.array(soft) if len(light) else None
        self.clip_ev, self.note, self.warns = clip_ev, note, warns
        self.setAccessibleDescription(note)
        self.update()

    def x_of(self, ev: float) -> float:
        return 1 + (ev - FROM_EV) / (TO_EV - FROM_EV) * (self.width() - 2)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme.current(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(12, bold=True))
        p.setPen(t.color("ink"))
        left = p.fontMetrics().horizontalAdvance(self.title)
        p.drawText(
            QRectF(0, 0, self.width(), HEAD - 2), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self.title
        )
        p.setFont(theme.font(12))
        p.setPen(t.color("warning" if self.warns else "quiet"))
        free = self.width() - left - 10
        note = p.fontMetrics().elidedText(self.note, Qt.TextElideMode.ElideRight, free)
        p.drawText(
            QRectF(left + 10, 0, free, HEAD - 2), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, note
        )
        box = QRectF(0.5, HEAD + 0.5, self.width() - 1, self.height() - HEAD - FOOT)
        p.fillRect(box, t.color("raised"))
        if self.light is not None:
            self._draw_channels(p, box)
        p.setPen(t.color("line"))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(box)
        p.setPen(t.color("quiet"))
        for ev in range(-8, 5, 2):
            text = tr("grey") if ev == 0 else f"{ev:+d}".replace("-", "−")
            x = min(max(self.x_of(ev), 14), self.width() - 14)
            p.drawText(QRectF(x - 24, self.height() - FOOT + 1, 48, FOOT - 1), Qt.AlignmentFlag.AlignCenter, text)

    def _draw_channels(self, p: QPainter, box: QRectF) -> None:
        assert self.light is not None
        t = theme.current()
        middles = (LIGHT_EV[:-1] + LIGHT_EV[1:]) / 2
        shown = (middles > FROM_EV) & (middles < TO_EV)
        top = float(np.quantile(self.light[:, shown], 0.985)) or 1e-6
        p.save()
        p.setClipRect(box)
        for role, row in zip(("red", "green", "blue"), self.light, strict=True):
            points = [
                QPointF(self.x_of(e), box.bottom() - min(v / top, 1.0) * (box.height() - 6))
                for e, v in zip(middles, row, strict=True)
            ]
            shape = QPolygonF([QPointF(points[0].x(), box.bottom()), *points, QPointF(points[-1].x(), box.bottom())])
            p.setPen(QPen(t.color(role), 1.2))
            p.setBrush(t.color(role, 90))
            p.drawPolygon(shape)
        for k, ev in enumerate(self.clip_ev):
            if ev < TO_EV:
                p.setPen(QPen(t.color(("red", "green", "blue")[k] if len(self.clip_ev) == 3 else "warning"), 1.6))
                p.drawLine(QPointF(self.x_of(ev), box.top()), QPointF(self.x_of(ev), box.bottom()))
        p.restore()
