"""The rectangle that is kept, drawn over the whole straightened frame and changed by dragging; lines to level by."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

GRIP = 14.0
"""How near to an edge or corner a drag takes hold of it, screen pixels."""
LEAST = 0.02
"""Least width and height, share of what is shown."""
_CURSORS = {
    "left": Qt.CursorShape.SizeHorCursor, "right": Qt.CursorShape.SizeHorCursor, "top": Qt.CursorShape.SizeVerCursor,
    "bottom": Qt.CursorShape.SizeVerCursor, "top left": Qt.CursorShape.SizeFDiagCursor,
    "bottom right": Qt.CursorShape.SizeFDiagCursor, "top right": Qt.CursorShape.SizeBDiagCursor,
    "bottom left": Qt.CursorShape.SizeBDiagCursor, "inside": Qt.CursorShape.SizeAllCursor,
}  # fmt: skip


def dragged(
    crop: tuple[float, float, float, float], part: str, dx: float, dy: float, ratio: float
) -> tuple[float, float, float, float]:
    """A relative rectangle (left, top, right, bottom) after a part of it was moved; `ratio`: relative width over
    relative height that is kept, 0 for none. It stays within 0..1.
    """
    x0, y0, x1, y1 = crop
    if part == "inside":
        dx, dy = min(max(dx, -x0), 1 - x1), min(max(dy, -y0), 1 - y1)
        return x0 + dx, y0 + dy, x1 + dx, y1 + dy
    if "left" in part:
        x0 = min(max(x0 + dx, 0.0), x1 - LEAST)
    if "right" in part:
        x1 = max(min(x1 + dx, 1.0), x0 + LEAST)
    if "top" in part:
        y0 = min(max(y0 + dy, 0.0), y1 - LEAST)
    if "bottom" in part:
        y1 = max(min(y1 + dy, 1.0), y0 + LEAST)
    if ratio:
        w, h = x1 - x0, y1 - y0
        if part in ("left", "right"):
            w, h = w, w / ratio
        elif part in ("top", "bottom"):
            w, h = h * ratio, h
        else:
            w, h = (w, w / ratio) if w / ratio <= h else (h * ratio, h)
        # the side across from the one that is held stays; a side alone grows about its middle
        cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
        free_w = x1 if "left" in part else (1 - x0 if "right" in part else 2 * min(cx, 1 - cx))
        free_h = y1 if "top" in part else (1 - y0 if "bottom" in part else 2 * min(cy, 1 - cy))
        shrink = min(1.0, free_w / w, free_h / h)
        w, h = w * shrink, h * shrink
        x0, x1 = (x1 - w, x1) if "left" in part else ((x0, x0 + w) if "right" in part else (cx - w / 2, cx + w / 2))
        y0, y1 = (y1 - h, y1) if "top" in part else ((y0, y0 + h) if "bottom" in part else (cy - h / 2, cy + h / 2))
    return x0, y0, x1, y1


def lean(x0: float, y0: float, x1: float, y1: float) -> float | None:
    """How far a drawn line (pixels, y down) must be turned clockwise to be level or plumb, degrees; None if it is
    too short.
    """
    if math.hypot(x1 - x0, y1 - y0) < 20:
        return None
    angle = math.degrees(math.atan2(y1 - y0, x1 - x0))
    return -((angle + 45) % 90 - 45)


class CropTool:
    """State of the tool on a stage: `crop` and `outline` (n, 2) are relative to what is shown; `ratio`: relative width
    over height that is kept, 0 for none.
    """

    def __init__(self) -> None:
        self.crop = (0.0, 0.0, 1.0, 1.0)
        self.outline = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], float)
        self.ratio = 0.0
        self.by_line = False
        self.line: tuple[QPointF, QPointF] | None = None
        self._grip: tuple[str, QPointF, tuple[float, float, float, float]] | None = None

    def rect(self, frame: QRectF) -> QRectF:
        """The crop on the screen."""
        x0, y0, x1, y1 = self.crop
        return QRectF(
            frame.left() + x0 * frame.width(), frame.top() + y0 * frame.height(), (x1 - x0) * frame.width(),
            (y1 - y0) * frame.height(),
        )  # fmt: skip

    def part_at(self, at: QPointF, frame: QRectF) -> str:
        """Which part of the rectangle lies under the pointer; "" for none."""
        r = self.rect(frame)
        if not r.adjusted(-GRIP, -GRIP, GRIP, GRIP).contains(at):
            return ""
        inner_x, inner_y = min(GRIP, r.width() / 3), min(GRIP, r.height() / 3)
        across = "left" if at.x() < r.left() + inner_x else ("right" if at.x() > r.right() - inner_x else "")
        along = "top" if at.y() < r.top() + inner_y else ("bottom" if at.y() > r.bottom() - inner_y else "")
        return f"{along} {across}".strip() or "inside"

    def cursor(self, at: QPointF, frame: QRectF) -> Qt.CursorShape:
        if self.by_line:
            return Qt.CursorShape.CrossCursor
        return _CURSORS.get(self.part_at(at, frame), Qt.CursorShape.ArrowCursor)

    def press(self, at: QPointF, frame: QRectF) -> bool:
        """Take hold of a part, or begin a line; whether there was one."""
        if self.by_line:
            self.line = (at, at)
            return True
        part = self.part_at(at, frame)
        if part:
            self._grip = (part, at, self.crop)
        return bool(part)

    def move(self, at: QPointF, frame: QRectF) -> bool:
        """Follow the pointer; whether the rectangle changed."""
        if self.line is not None:
            self.line = (self.line[0], at)
            return False
        if self._grip is None:
            return False
        part, start, crop = self._grip
        dx, dy = (at.x() - start.x()) / frame.width(), (at.y() - start.y()) / frame.height()
        self.crop = dragged(crop, part, dx, dy, self.ratio)
        return True

    def release(self) -> tuple[bool, float | None]:
        """Let go: whether a rectangle was held, and how far a line leans."""
        dragged, line = self._grip is not None, self.line
        self._grip = self.line = None
        if line is None:
            return dragged, None
        return dragged, lean(line[0].x(), line[0].y(), line[1].x(), line[1].y())

    @property
    def holding(self) -> bool:
        return self._grip is not None or self.line is not None

    def paint(self, p: QPainter, frame: QRectF) -> None:
        """Darken what falls away; the rectangle with its thirds and grips."""
        r = self.rect(frame)
        outside = QPainterPath()
        outside.addRect(frame)
        inside = QPainterPath()
        inside.addRect(r)
        p.fillPath(outside - inside, QColor(30, 30, 30, 150))
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        p.setPen(QPen(QColor(255, 255, 255, 90), 1, Qt.PenStyle.DotLine))
        p.drawPolygon(
            QPolygonF([QPointF(frame.left() + x * frame.width(), frame.top() + y * frame.height())
                       for x, y in self.outline])
        )  # fmt: skip
        p.setPen(QPen(QColor(255, 255, 255, 110), 1))
        for k in (1, 2):
            x, y = r.left() + r.width() * k / 3, r.top() + r.height() * k / 3
            p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()))
            p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y))
        p.setPen(QPen(QColor("#FFFFFF"), 1.5))
        p.drawRect(r)
        p.setBrush(QColor("#FFFFFF"))
        p.setPen(QPen(QColor(30, 30, 30, 200), 1))
        for x in (r.left(), r.center().x(), r.right()):
            for y in (r.top(), r.center().y(), r.bottom()):
                if (x, y) != (r.center().x(), r.center().y()):
                    p.drawEllipse(QPointF(x, y), 4.5, 4.5)
        if self.line is not None:
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(QColor(30, 30, 30, 200), 4))
            p.drawLine(*self.line)
            p.setPen(QPen(QColor("#FFFFFF"), 2))
            p.drawLine(*self.line)
