"""A night or a day on one axis: how light it is, what is up and how high, and blocks of work that can be moved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta, tzinfo

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from bruto.app.widgets import theme
from bruto.app.widgets.plain_text import plain_tooltip
from bruto.app.widgets.time_axis_painter import BAND, HOURS, LANE, LEFT, LIGHT, NAMES, RIGHT, TimeAxisPainter, height_at
from bruto.catalog import tr
from bruto.session.simulated_preview import Axis

SNAP = timedelta(minutes=5)
LEAST_WIDTH = 14.0
"""Of a block, so that it can be taken hold of, pixels."""
DRAG = 3.0
"""Pixels from which a press is a drag."""
MOST_LANES = 4


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
        self.empty = ""
        """What is written where there is no axis."""
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
        description = "; ".join(f"{b.title} {self.time_text(b.begin)}" for b in self.blocks)
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

    def time_text(self, moment: datetime) -> str:
        return f"{moment.astimezone(self.clock):%H:%M}"

    def x_of(self, moment: datetime) -> float:
        assert self.axis is not None
        share = (moment - self.axis.begin) / (self.axis.end - self.axis.begin)
        return LEFT + share * (self.width() - LEFT - RIGHT)

    def moment_at(self, x: float) -> datetime:
        assert self.axis is not None
        share = (x - LEFT) / (self.width() - LEFT - RIGHT)
        return self.axis.begin + share * (self.axis.end - self.axis.begin)

    def lanes_top(self) -> float:
        lanes = max(self._lanes.values(), default=0) + 1
        return self.height() - lanes * LANE - 4

    def sky_rect(self) -> QRectF:
        """Where heights are drawn."""
        top = HOURS + BAND + 4
        return QRectF(LEFT, top, self.width() - LEFT - RIGHT, max(self.lanes_top() - NAMES - top, 20))

    def y_of(self, altitude: float) -> float:
        sky = self.sky_rect()
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
        return QRectF(left, self.lanes_top() + self._lanes.get(block.index, 0) * LANE + 2, right - left, LANE - 4)

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
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.empty)
            return
        TimeAxisPainter(self, p).paint(self.axis)
        if self._pointer is not None and self._drag is None:
            p.setPen(QPen(t.color("quiet"), 1, Qt.PenStyle.DotLine))
            p.drawLine(QPointF(self._pointer, HOURS), QPointF(self._pointer, self.lanes_top()))
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()))

    # -- the hand

    @property
    def dragging(self) -> bool:
        """Whether a shot is being moved."""
        return self._drag is not None

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
                QToolTip.showText(place, self.time_text(begin), self)
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
                time=self.time_text(over.begin),
                time2=self.time_text(over.end),
            )
        moment = self.moment_at(self._pointer)
        height = height_at(self.axis.sun, moment)
        light = next((name for low, name in LIGHT if height >= low), "night")
        up = [
            tr("{n} {height_at:.0f}° altitude", n=n, height_at=height_at(track, moment))
            for n, track in self.axis.tracks.items()
        ]
        return ", ".join([f"{self.time_text(moment)}: {light}", *up]).replace("-", "−")

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
