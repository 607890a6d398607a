"""How an axis of time is drawn: the light, the hours, heights of what is up, and blocks of work."""

from __future__ import annotations

from bisect import bisect_left
from datetime import datetime, timedelta
from itertools import pairwise
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QFontMetricsF, QPainter, QPen, QPolygonF

from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.session.simulated_preview import Axis, Track

LEFT, RIGHT, HOURS, NAMES, BAND, LANE = 34.0, 10.0, 20.0, 18.0, 16.0, 26.0
"""Pixels: margins, the line of hours, of names, the band of light, and a row of blocks."""
LIGHT = (
    (-0.833, tr("day")),
    (-6.0, tr("civil twilight")),
    (-12.0, tr("nautical twilight")),
    (-18.0, tr("astronomical twilight")),
)
"""Height of the sun from which it is so light, and its name."""


TRACKS = {"Sun": tr("Sun"), "Moon": tr("Moon")}
"""Titles of tracks by their identifier; others, such as stars, go by their own name."""


class TimeAxisPainter:
    """Draws a `TimeAxis`, which knows where times and heights lie."""

    def __init__(self, widget: Any, p: QPainter) -> None:
        self.widget, self.p = widget, p

    def paint(self, axis: Axis) -> None:
        """Draw all of it."""
        self._paint_light(axis)
        self._paint_hours(axis)
        self._paint_heights(axis)
        self._paint_blocks()

    def _paint_light(self, axis: Axis) -> None:
        """The band over the heights: the darker, the lower the sun; and where it is dark without a moon."""
        p, w = self.p, self.widget
        t = theme.current()
        width = w.width() - LEFT - RIGHT
        dim = t.name != "light"
        greys = (250, 200, 150, 105, 60) if not dim else (205, 150, 110, 80, 48)
        steps = max(1, int(width // 2))
        for k in range(steps):
            moment = axis.begin + (axis.end - axis.begin) * ((k + 0.5) / steps)
            height = height_at(axis.sun, moment)
            shade = next((n for n, (low, _) in enumerate(LIGHT) if height >= low), len(LIGHT))
            color = t.color("ink")
            color.setRgb(greys[shade], greys[shade], greys[shade])
            x = LEFT + k * width / steps
            p.fillRect(QRectF(x, HOURS, width / steps + 1, BAND), color)
        sky = w.sky_rect()
        for begin, end in axis.dark:
            left, right = w.x_of(begin), w.x_of(end)
            p.fillRect(QRectF(left, sky.top(), right - left, sky.height()), QBrush(t.color("suggestion", 34)))
            p.setPen(QPen(t.color("suggestion", 150), 1))
            for x in (left, right):
                p.drawLine(QPointF(x, HOURS), QPointF(x, sky.bottom()))

    def _paint_hours(self, axis: Axis) -> None:
        p, w = self.p, self.widget
        t = theme.current()
        first = axis.begin.astimezone(w.clock).replace(minute=0, second=0, microsecond=0)
        every = 2 if w.width() > 560 else 4
        sky = w.sky_rect()
        moment = first
        for _ in range(27):
            if axis.begin <= moment <= axis.end and moment.hour % every == 0:
                x = w.x_of(moment)
                p.setPen(QPen(t.color("line"), 1))
                p.drawLine(QPointF(x, sky.top()), QPointF(x, w.height() - 2))
                p.setPen(t.color("quiet"))
                p.drawText(QRectF(x - 24, 1, 48, HOURS - 3), Qt.AlignmentFlag.AlignCenter, f"{moment:%H}")
            moment = (moment.astimezone(axis.begin.tzinfo) + timedelta(hours=1)).astimezone(w.clock)

    def _paint_heights(self, axis: Axis) -> None:
        p, w = self.p, self.widget
        t = theme.current()
        sky = w.sky_rect()
        right_middle = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for height in (0, 30, 60, 90):
            y = w.y_of(height)
            p.setPen(QPen(t.color("line"), 1))
            p.drawLine(QPointF(sky.left(), y), QPointF(sky.right(), y))
            p.setPen(t.color("quiet"))
            p.drawText(QRectF(0, y - 8, LEFT - 5, 16), right_middle, f"{height}°")
        looks = ((Qt.PenStyle.SolidLine, "ink", 2.2), (Qt.PenStyle.DashLine, "suggestion", 1.8))
        names = [n for n in axis.tracks if n != "Moon"] + ["Moon"]
        taken: list[QRectF] = []
        for name in names:
            if name not in axis.tracks:
                continue
            style, role, width = looks[0] if name != "Moon" else looks[1]
            p.setPen(QPen(t.color(role), width, style))
            for part in _above(axis.tracks[name]):
                p.drawPolyline(QPolygonF([QPointF(w.x_of(m), w.y_of(h)) for m, h in part]))
            p.setPen(t.color(role))
            self._name_track(TRACKS.get(name, name), axis.tracks[name], taken)
        p.setPen(t.color("quiet"))
        last = -1e9
        for moment, name in axis.marks:
            text = f"{name} {w.time_text(moment)}"
            width = QFontMetricsF(p.font()).horizontalAdvance(text)
            x = min(max(w.x_of(moment) - width / 2, LEFT), w.width() - RIGHT - width)
            if x > last + 8:
                p.drawText(QRectF(x, sky.bottom() + 1, width + 2, NAMES - 2), Qt.AlignmentFlag.AlignVCenter, text)
                last = x + width
            p.drawLine(QPointF(w.x_of(moment), sky.bottom() - 4), QPointF(w.x_of(moment), sky.bottom() + 2))

    def _name_track(self, name: str, track: Track, taken: list[QRectF]) -> None:
        """The name of what is up, near where it is highest, beside names that are there."""
        p, w = self.p, self.widget
        up = [(m, h) for m, h in track if h > 4]
        if not up:
            return
        moment, height = max(up, key=lambda each: each[1])
        if len(track) == 2:
            moment = track[0][0] + (track[1][0] - track[0][0]) / 6
        width = QFontMetricsF(p.font()).horizontalAdvance(name) + 4
        x = min(max(w.x_of(moment) - width / 2, LEFT + 2), w.width() - RIGHT - width)
        sky = w.sky_rect()
        for dy in (-17, 3, -32, 18):
            y = min(max(w.y_of(height) + dy, sky.top()), sky.bottom() - 15)
            box = QRectF(x, y, width, 15)
            if not any(box.intersects(other) for other in taken):
                break
        taken.append(box)
        ground = theme.current().color("panel", 200)
        p.fillRect(box, ground)
        p.drawText(box, Qt.AlignmentFlag.AlignVCenter, name)

    def _paint_blocks(self) -> None:
        p, w = self.p, self.widget
        t = theme.current()
        top = w.lanes_top()
        p.fillRect(QRectF(0, top, w.width(), w.height() - top), t.color("panel"))
        p.setPen(QPen(t.color("line"), 1))
        p.drawLine(QPointF(0, top), QPointF(w.width(), top))
        if not w.blocks:
            p.setPen(t.color("quiet"))
            p.drawText(
                QRectF(LEFT, top, w.width(), LANE), Qt.AlignmentFlag.AlignVCenter, tr("No shot has a time here.")
            )
        for block in w.blocks:
            box = w.box_of(block)
            here = block.index == w.current
            p.setPen(QPen(t.color("warning" if block.minded else "accent"), 2 if here else 1))
            p.setBrush(t.color("accent") if here else t.color("chosen"))
            p.drawRoundedRect(box, 3, 3)
            metrics = QFontMetricsF(p.font())
            inside = metrics.horizontalAdvance(block.title) + 10 <= box.width()
            p.setPen(t.color("on_accent") if here and inside else t.color("ink"))
            left = box.left() + 5 if inside else box.right() + 4
            free = (box.right() if inside else w.width() - RIGHT) - left
            text = metrics.elidedText(block.title, Qt.TextElideMode.ElideRight, free)
            p.drawText(QRectF(left, box.top(), free, box.height()), Qt.AlignmentFlag.AlignVCenter, text)


def height_at(track: Track, moment: datetime) -> float:
    """Height of a track at a moment, between two of its points."""
    times = [m for m, _ in track]
    k = min(max(bisect_left(times, moment), 1), len(track) - 1)
    (a, h), (b, i) = track[k - 1], track[k]
    share = (moment - a) / (b - a) if b > a else 0.0
    return h + (i - h) * min(max(share, 0.0), 1.0)


def _above(track: Track) -> list[Track]:
    """Parts of a track over the horizon."""
    parts: list[Track] = []
    open_part: Track = []
    for (a, h), (b, i) in pairwise(track):
        if h >= 0 and not open_part:
            open_part = [(a, h)]
        if (h < 0) != (i < 0):
            crossing = a + (b - a) * (h / (h - i))
            if h < 0:
                open_part = [(crossing, 0.0)]
            else:
                parts.append([*open_part, (crossing, 0.0)])
                open_part = []
                continue
        if i >= 0:
            open_part.append((b, i))
    if open_part:
        parts.append(open_part)
    return parts
