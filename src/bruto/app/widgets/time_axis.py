"""A night or a day on one axis: how light it is, what is up and how high, and blocks of work that can be moved."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta, tzinfo
from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from bruto.app.widgets import theme
from bruto.app.widgets.plain_text import plain_tooltip
from bruto.catalog import tr
from bruto.session.simulated_preview import Axis, Track

LEFT, RIGHT, HOURS, NAMES, BAND, LANE = 34.0, 10.0, 20.0, 18.0, 16.0, 26.0
"""Pixels: margins, the line of hours, of names, the band of light, and a row of blocks."""
SNAP = timedelta(minutes=5)
LEAST_WIDTH = 14.0
"""Of a block, so that it can be taken hold of, pixels."""
DRAG = 3.0
"""Pixels from which a press is a drag."""
MOST_LANES = 4
LIGHT = (
    (-0.833, tr("day")),
    (-6.0, tr("civil twilight")),
    (-12.0, tr("nautical twilight")),
    (-18.0, tr("astronomical twilight")),
)
"""Height of the sun from which it is so light, and its name."""


TRACKS = {"Sun": tr("Sun"), "Moon": tr("Moon")}
"""Titles of tracks by their identifier; others, such as stars, go by their own name."""


@dataclass(frozen=True)
class Block:
    """A piece of work, `title` from `begin` to `end`; `minded`: something is wrong with it."""

    index: int
    title: str
    begin: datetime
    end: datetime
    minded: bool = False


@dataclass
class _BlockDrag:
    """A block in the hand: how far from its beginning and where it was pressed, and whether it was moved."""

    index: int
    off: timedelta
    pressed: float
    moved: bool = False


class TimeAxis(QWidget):
    """`moved`: a block (by its number) begins at another time, and whether the hand has let it go; `chosen`: a block is
    clicked. With the focus, Left and Right move the chosen block by five minutes, with Shift by an hour; Up and Down
    choose another one.
    """

    moved = Signal(int, object, bool)
    chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.axis: Axis | None = None
        self.clock: tzinfo | None = None
        self.blocks: list[Block] = []
        self.current = -1
        self._lanes: dict[int, int] = {}
        self._drag: _BlockDrag | None = None
        self._pointer: float | None = None
        self.setMinimumHeight(188)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Time axis"))

    def show_axis(self, axis: Axis | None, clock: tzinfo | None, blocks: Sequence[Block], current: int) -> None:
        """Show an axis with blocks; `current`: the number of the chosen one."""
        self.axis, self.clock, self.current = axis, clock, current
        self.blocks = sorted(blocks, key=lambda b: (b.begin, b.index))
        if self._drag is None:
            self._lanes = self._in_lanes()
        description = "; ".join(f"{b.title} {self._time(b.begin)}" for b in self.blocks)
        self.setAccessibleDescription(description or tr("no shots yet"))
        self.update()

    def _in_lanes(self) -> dict[int, int]:
        """A row for each block, so that none hides another."""
        ends: list[float] = []
        found = {}
        for block in self.blocks:
            box = self._span_of(block)
            lane = next((k for k, end in enumerate(ends) if end <= box[0]), None)
            if lane is None:
                lane = len(ends) if len(ends) < MOST_LANES else ends.index(min(ends))
            ends[lane : lane + 1] = [box[1] + 2]
            found[block.index] = lane
        return found

    # -- where things are

    def _time(self, moment: datetime) -> str:
        return f"{moment.astimezone(self.clock):%H:%M}"

    def x_of(self, moment: datetime) -> float:
        assert self.axis is not None
        share = (moment - self.axis.begin) / (self.axis.end - self.axis.begin)
        return LEFT + share * (self.width() - LEFT - RIGHT)

    def moment_at(self, x: float) -> datetime:
        assert self.axis is not None
        share = (x - LEFT) / (self.width() - LEFT - RIGHT)
        return self.axis.begin + share * (self.axis.end - self.axis.begin)

    def _lanes_top(self) -> float:
        lanes = max(self._lanes.values(), default=0) + 1
        return self.height() - lanes * LANE - 4

    def _sky(self) -> QRectF:
        """Where heights are drawn."""
        top = HOURS + BAND + 4
        return QRectF(LEFT, top, self.width() - LEFT - RIGHT, max(self._lanes_top() - NAMES - top, 20))

    def y_of(self, altitude: float) -> float:
        sky = self._sky()
        return sky.bottom() - sky.height() * min(max(altitude, 0.0), 90.0) / 90

    def _span_of(self, block: Block) -> tuple[float, float]:
        if self.axis is None:
            return 0.0, 0.0
        left = self.x_of(block.begin)
        right = max(self.x_of(block.end), left + LEAST_WIDTH)
        text = QFontMetricsF(theme.font(12)).horizontalAdvance(f"{block.title} ") + 8
        return left, max(right, left + text)

    def box_of(self, block: Block) -> QRectF:
        """Where a block stands."""
        left = self.x_of(block.begin)
        right = max(self.x_of(block.end), left + LEAST_WIDTH)
        return QRectF(left, self._lanes_top() + self._lanes.get(block.index, 0) * LANE + 2, right - left, LANE - 4)

    def block_at(self, place: QPointF) -> Block | None:
        """The block at a place, or the one whose name stands there."""
        for block in reversed(self.blocks):
            box, span = self.box_of(block), self._span_of(block)
            if box.united(QRectF(span[0], box.top(), span[1] - span[0], box.height())).contains(place):
                return block
        return None

    # -- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setFont(theme.font(12))
        if self.axis is None:
            p.setPen(t.color("quiet"))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr("calculating the sky…"))
            return
        self._paint_light(p, self.axis)
        self._paint_hours(p, self.axis)
        self._paint_heights(p, self.axis)
        self._paint_blocks(p)
        if self._pointer is not None and self._drag is None:
            p.setPen(QPen(t.color("quiet"), 1, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(self._pointer, HOURS), QPointF(self._pointer, self._lanes_top()))
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()))

    def _paint_light(self, p: QPainter, axis: Axis) -> None:
        """The band over the heights: the darker, the lower the sun; and where it is dark without a moon."""
        t = theme.current()
        width = self.width() - LEFT - RIGHT
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
        sky = self._sky()
        for begin, end in axis.dark:
            left, right = self.x_of(begin), self.x_of(end)
            p.fillRect(QRectF(left, sky.top(), right - left, sky.height()), QBrush(t.color("suggestion", 34)))
            p.setPen(QPen(t.color("suggestion", 150), 1))
            for x in (left, right):
                p.drawLine(QPointF(x, HOURS), QPointF(x, sky.bottom()))

    def _paint_hours(self, p: QPainter, axis: Axis) -> None:
        t = theme.current()
        first = axis.begin.astimezone(self.clock).replace(minute=0, second=0, microsecond=0)
        every = 2 if self.width() > 560 else 4
        sky = self._sky()
        moment = first
        for _ in range(27):
            if axis.begin <= moment <= axis.end and moment.hour % every == 0:
                x = self.x_of(moment)
                p.setPen(QPen(t.color("line"), 1))
                p.drawLine(QPointF(x, sky.top()), QPointF(x, self.height() - 2))
                p.setPen(t.color("quiet"))
                p.drawText(QRectF(x - 24, 1, 48, HOURS - 3), Qt.AlignmentFlag.AlignCenter, f"{moment:%H}")
            moment = (moment.astimezone(axis.begin.tzinfo) + timedelta(hours=1)).astimezone(self.clock)

    def _paint_heights(self, p: QPainter, axis: Axis) -> None:
        t = theme.current()
        sky = self._sky()
        right_middle = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for height in (0, 30, 60, 90):
            y = self.y_of(height)
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
                p.drawPolyline(QPolygonF([QPointF(self.x_of(m), self.y_of(h)) for m, h in part]))
            p.setPen(t.color(role))
            self._name_track(p, TRACKS.get(name, name), axis.tracks[name], taken)
        p.setPen(t.color("quiet"))
        last = -1e9
        for moment, name in axis.marks:
            text = f"{name} {self._time(moment)}"
            width = QFontMetricsF(p.font()).horizontalAdvance(text)
            x = min(max(self.x_of(moment) - width / 2, LEFT), self.width() - RIGHT - width)
            if x > last + 8:
                p.drawText(QRectF(x, sky.bottom() + 1, width + 2, NAMES - 2), Qt.AlignmentFlag.AlignVCenter, text)
                last = x + width
            p.drawLine(QPointF(self.x_of(moment), sky.bottom() - 4), QPointF(self.x_of(moment), sky.bottom() + 2))

    def _name_track(self, p: QPainter, name: str, track: Track, taken: list[QRectF]) -> None:
        """The name of what is up, near where it is highest, beside names that are there."""
        up = [(m, h) for m, h in track if h > 4]
        if not up:
            return
        moment, height = max(up, key=lambda each: each[1])
        if len(track) == 2:
            moment = track[0][0] + (track[1][0] - track[0][0]) / 6
        width = QFontMetricsF(p.font()).horizontalAdvance(name) + 4
        x = min(max(self.x_of(moment) - width / 2, LEFT + 2), self.width() - RIGHT - width)
        sky = self._sky()
        for dy in (-17, 3, -32, 18):
            y = min(max(self.y_of(height) + dy, sky.top()), sky.bottom() - 15)
            box = QRectF(x, y, width, 15)
            if not any(box.intersects(other) for other in taken):
                break
        taken.append(box)
        ground = theme.current().color("panel", 200)
        p.fillRect(box, ground)
        p.drawText(box, Qt.AlignmentFlag.AlignVCenter, name)

    def _paint_blocks(self, p: QPainter) -> None:
        t = theme.current()
        top = self._lanes_top()
        p.fillRect(QRectF(0, top, self.width(), self.height() - top), t.color("panel"))
        p.setPen(QPen(t.color("line"), 1))
        p.drawLine(QPointF(0, top), QPointF(self.width(), top))
        if not self.blocks:
            p.setPen(t.color("quiet"))
            p.drawText(
                QRectF(LEFT, top, self.width(), LANE), Qt.AlignmentFlag.AlignVCenter, tr("No shot has a time here.")
            )
        for block in self.blocks:
            box = self.box_of(block)
            here = block.index == self.current
            p.setPen(QPen(t.color("warning" if block.minded else "accent"), 2 if here else 1))
            p.setBrush(t.color("accent") if here else t.color("chosen"))
            p.drawRoundedRect(box, 3, 3)
            metrics = QFontMetricsF(p.font())
            inside = metrics.horizontalAdvance(block.title) + 10 <= box.width()
            p.setPen(t.color("on_accent") if here and inside else t.color("ink"))
            left = box.left() + 5 if inside else box.right() + 4
            free = (box.right() if inside else self.width() - RIGHT) - left
            text = metrics.elidedText(block.title, Qt.TextElideMode.ElideRight, free)
            p.drawText(QRectF(left, box.top(), free, box.height()), Qt.AlignmentFlag.AlignVCenter, text)

    # -- the hand

    def _snapped(self, moment: datetime) -> datetime:
        assert self.axis is not None
        step = SNAP.total_seconds()
        whole = datetime.fromtimestamp(round(moment.timestamp() / step) * step, self.axis.begin.tzinfo)
        return min(max(whole, self.axis.begin), self.axis.end - SNAP)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.axis is None:
            return
        block = self.block_at(event.position())
        if block is not None:
            x = event.position().x()
            self._drag = _BlockDrag(block.index, self.moment_at(x) - block.begin, x)
            self.chosen.emit(block.index)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.axis is None:
            return
        x, place = event.position().x(), event.globalPosition().toPoint()
        self._pointer = min(max(x, LEFT), self.width() - RIGHT)
        drag = self._drag
        if drag is not None:
            drag.moved = drag.moved or abs(x - drag.pressed) > DRAG
            if drag.moved:
                begin = self._snapped(self.moment_at(x) - drag.off)
                self.moved.emit(drag.index, begin, False)
                QToolTip.showText(place, self._time(begin), self)
        else:
            over = self.block_at(event.position())
            self.setCursor(Qt.CursorShape.SizeHorCursor if over else Qt.CursorShape.ArrowCursor)
            QToolTip.showText(place, plain_tooltip(self._about(over)), self)
        self.update()

    def _about(self, over: Block | None) -> str:
        """What is up at the pointer, or when a block is."""
        assert self.axis is not None and self._pointer is not None
        if over is not None:
            return tr(
                "{title}: {time} to {time2}. Drag to move it.",
                title=over.title,
                time=self._time(over.begin),
                time2=self._time(over.end),
            )
        moment = self.moment_at(self._pointer)
        height = height_at(self.axis.sun, moment)
        light = next((name for low, name in LIGHT if height >= low), "night")
        up = [
            tr("{n} {height_at:.0f}° altitude", n=n, height_at=height_at(track, moment))
            for n, track in self.axis.tracks.items()
        ]
        return ", ".join([f"{self._time(moment)}: {light}", *up]).replace("-", "−")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self._drag = self._drag, None
        if drag is not None:
            if drag.moved:
                self.moved.emit(drag.index, self._snapped(self.moment_at(event.position().x()) - drag.off), True)
            self._lanes = self._in_lanes()
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        order = [b.index for b in self.blocks]
        block = next((b for b in self.blocks if b.index == self.current), None)
        key = event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and block is not None:
            step = timedelta(hours=1) if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else SNAP
            self.moved.emit(
                block.index, self._snapped(block.begin + (step if key == Qt.Key.Key_Right else -step)), True
            )
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and order:
            at = order.index(self.current) if self.current in order else -1
            self.chosen.emit(order[(at + (1 if key == Qt.Key.Key_Down else -1)) % len(order)])
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: object) -> None:
        self.update()

    def focusOutEvent(self, event: object) -> None:
        self.update()


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
