"""How the light strip is drawn: noise floor, histograms, clip points, the picture's range, and the tone handles."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QLinearGradient, QPainter, QPen, QPolygonF

from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.color.spaces import encode_srgb, luminance_of
from bruto.develop.analysis.scene_light import EV_FROM
from bruto.develop.recipe_values import HANDLE_NAMES

LEFT, RIGHT = 14, 14
AXIS_Y, HIST_TOP, HANDLE_Y, SCALE_Y = 14, 42, 108, 140
_GREYS = [(l / 100, int(255 * float(encode_srgb(luminance_of(float(l)))) + 0.5)) for l in range(0, 101, 5)]
"""Place on the L* scale and the grey that has it."""


class LightStripPainter:
    """Draws a `LightStrip`, which knows where light and lightness lie."""

    def __init__(self, strip: Any, p: QPainter) -> None:
        self.strip, self.p, self.theme = strip, p, theme.current()

    def draw_light(self) -> None:
        """Draw what the scene holds."""
        self._draw_floor()
        self._draw_histograms()

    def draw_tone(self) -> None:
        """Draw what becomes of it, over the axis."""
        self._draw_picture_range()
        self._draw_scale()
        self._draw_handles()

    def _draw_floor(self) -> None:
        p, t, w, shift = self.p, self.theme, self.strip, self.strip.recipe.exposure
        if w.light is None:
            return
        x = min(w.x_of(w.light.floor_ev + shift), w.width() - RIGHT)
        if x <= LEFT:
            return
        box = QRectF(LEFT, HIST_TOP, x - LEFT, HANDLE_Y - HIST_TOP)
        p.fillRect(box, QBrush(t.color("line"), Qt.BrushStyle.BDiagPattern))
        p.setPen(QPen(t.color("quiet"), 1, Qt.PenStyle.DashLine))
        p.drawLine(QPointF(x, HIST_TOP), QPointF(x, HANDLE_Y))
        if box.width() > 100:
            p.setPen(t.color("quiet"))
            p.drawText(
                box.adjusted(6, 2, -4, 0), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop, tr("below the noise")
            )

    def _draw_histograms(self) -> None:
        p, t, w, shift = self.p, self.theme, self.strip, self.strip.recipe.exposure
        if w.light is None:
            p.setPen(t.color("quiet"))
            p.drawText(QRectF(0, HIST_TOP, w.width(), 60), Qt.AlignmentFlag.AlignCenter, tr("measuring the light…"))
            return
        p.setClipRect(QRectF(LEFT, HIST_TOP - 2, w.width() - LEFT - RIGHT, HANDLE_Y - HIST_TOP + 2))
        p.drawPixmap(QPointF(w.x_of(EV_FROM + shift) - 2, HIST_TOP - 2), w.drawn_histograms())
        p.setClipping(False)
        order = np.argsort(w.light.clip_ev)
        for c in order:
            x = w.x_of(w.light.clip_ev[c] + shift)
            if x > w.width() - RIGHT:
                continue
            p.setPen(QPen(t.color(("red", "green", "blue")[c]), 2))
            p.drawLine(QPointF(x, HIST_TOP - 6), QPointF(x, HANDLE_Y))
        last = w.x_of(float(w.light.clip_ev.max()) + shift)
        names = ", ".join(("red", "green", "blue")[c] for c in order)
        free = w.width() - RIGHT - last
        p.setPen(t.color("ink"))
        if free > 70:
            p.drawText(
                QRectF(last + 5, HIST_TOP - 8, free - 5, 48),
                Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap,
                tr("clipped: {names}", names=names),
            )

    def _draw_picture_range(self) -> None:
        p, t, w, shift = self.p, self.theme, self.strip, self.strip.recipe.exposure
        if w.light is None or w.light.picture_range_ev is None:
            return
        a, b = (max(LEFT, min(w.width() - RIGHT, w.x_of(v + shift))) for v in w.light.picture_range_ev)
        p.fillRect(QRectF(a, 25, b - a, 4), t.color("quiet"))
        p.setPen(t.color("quiet"))
        text = tr("range of the phone's picture")
        width = p.fontMetrics().horizontalAdvance(text) + 8
        x = min(max(a + 6, LEFT), w.width() - RIGHT - width)
        p.fillRect(QRectF(x - 4, 30, width, 14), t.color("bar", 200))
        p.drawText(QRectF(x, 29, width, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)

    def _draw_scale(self) -> None:
        p, w = self.p, self.strip
        box = QRectF(LEFT, SCALE_Y - 5, w.width() - LEFT - RIGHT, 10)
        gradient = QLinearGradient(box.left(), 0, box.right(), 0)
        for share, level in _GREYS:
            gradient.setColorAt(share, QColor(level, level, level))
        p.fillRect(box, gradient)

    def _draw_handles(self) -> None:
        p, t, w = self.p, self.theme, self.strip
        labels: list[tuple[float, str, str]] = []
        for name in HANDLE_NAMES:
            top, foot = w.handle_point(name), w.foot_point(name)
            value = getattr(w.recipe.tone, name)
            p.setPen(QPen(t.color("accent"), 1.4))
            p.drawLine(top, foot)
            if w.suggested is not None:
                s = getattr(w.suggested, name)
                x = w.x_of(s.ev)
                if abs(s.ev - value.ev) > 0.05 and LEFT <= x <= w.width() - RIGHT:
                    p.setPen(QPen(t.color("suggestion"), 1.4))
                    p.setBrush(t.color("bar"))
                    p.drawPolygon(
                        QPolygonF(
                            [
                                QPointF(x, HANDLE_Y - 5),
                                QPointF(x + 5, HANDLE_Y),
                                QPointF(x, HANDLE_Y + 5),
                                QPointF(x - 5, HANDLE_Y),
                            ]
                        )
                    )
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.color("accent"))
            size = 6.5 if name == w.chosen and w.hasFocus() else 5
            p.drawRoundedRect(QRectF(top.x() - size, top.y() - size - 1, 2 * size, 2 * size + 2), 2, 2)
            p.drawEllipse(foot, size - 0.5, size - 0.5)
            labels.append(
                (top.x(), f"{name.capitalize()} {value.ev:+.1f}".replace("-", "−"), f"L* {value.lightness:.0f}")
            )
        p.setFont(theme.font(12, bold=True))
        end = -1e9
        for (x, text, _), _name in zip(labels, HANDLE_NAMES, strict=True):
            width = p.fontMetrics().horizontalAdvance(text)
            left = min(max(x - width / 2, LEFT, end + 8), w.width() - RIGHT - width)
            row = HANDLE_Y - 22
            if left < end + 4:  # no room beside the last one: above it
                row -= 16
            p.fillRect(QRectF(left - 3, row - 1, width + 6, 15), t.color("bar", 205))
            p.setPen(t.color("accent"))
            p.drawText(
                QRectF(left, row - 2, width + 2, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text
            )
            end = left + width
        p.setFont(theme.font(12))
        p.setPen(t.color("ink"))
        end = -1e9
        for name, (_, _, text) in zip(HANDLE_NAMES, labels, strict=True):
            width = p.fontMetrics().horizontalAdvance(text)
            x = w.foot_point(name).x()
            left = min(max(x - width / 2, LEFT, end + 6), w.width() - RIGHT - width)
            p.drawText(QRectF(left, SCALE_Y + 8, width + 2, 16), Qt.AlignmentFlag.AlignLeft, text)
            end = left + width
