"""Frames of a set over time, to leave some out."""

from __future__ import annotations

import math
from pathlib import Path

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.merge.result import MergeResult
from bruto.shoot.shots import Shot


class FrameChart(QWidget):
    """Frames over time as bars of light; click or drag over them to leave frames out or take them in."""

    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(150)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Frames over time")
        self.shots: tuple[Shot, ...] = ()
        self.used: list[bool] = []
        self.result: MergeResult | None = None
        self._paint_to: bool | None = None

    def set_frames(self, shots: tuple[Shot, ...]) -> None:
        self.shots, self.used, self.result = shots, [True] * len(shots), None
        self.update()

    def set_result(self, result: MergeResult | None) -> None:
        self.result = result
        self.update()

    def bar(self, k: int) -> QRectF:
        """Rectangle of frame k."""
        n = max(1, len(self.shots))
        step = min(64.0, (self.width() - 40) / n)
        return QRectF(20 + k * step, 34, max(4.0, step - 6), 62)

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.color("bar"))
        p.setFont(theme.font(12, bold=True))
        p.setPen(t.color("ink"))
        p.drawText(QRectF(20, 6, 300, 18), Qt.AlignmentFlag.AlignLeft, "Frames over time")
        p.setFont(theme.font(12))
        p.setPen(t.color("quiet"))
        p.drawText(
            QRectF(self.width() - 420, 6, 400, 18),
            Qt.AlignmentFlag.AlignRight,
            "height: exposure · click to leave out or take in",
        )
        if not self.shots:
            return
        light = [(s.meta.exposure_s or 0) * (s.meta.iso or 0) if s.meta else 0 for s in self.shots]
        top = max(light) or 1
        verdicts = {Path(f.file).name: f for f in self.result.frames} if self.result else {}
        for k, shot in enumerate(self.shots):
            box = self.bar(k)
            height = 14 + 48 * (1 + max(-4.0, _log2(light[k] / top)) / 5) if light[k] else 14
            body = QRectF(box.left(), box.bottom() - height, box.width(), height)
            if self.used[k]:
                p.fillRect(body, t.color("accent", 200))
            else:
                p.setPen(QPen(t.color("warning"), 1.5, Qt.PenStyle.DashLine))
                p.drawRect(body)
            if box.width() > 30:
                p.setPen(t.color("on_accent") if self.used[k] else t.color("warning"))
                p.drawText(body, Qt.AlignmentFlag.AlignCenter, str(k + 1) if self.used[k] else "out")
                found = verdicts.get(shot.raw.name) if shot.raw else None
                p.setPen(t.color("quiet"))
                if found is not None:
                    text = (
                        f"{(found.shift_px[0] ** 2 + found.shift_px[1] ** 2) ** 0.5:.1f} px"
                        if found.used
                        else "left out"
                    )
                else:
                    seconds = shot.meta.exposure_s if shot.meta else None
                    text = "" if not seconds else (f"1/{1 / seconds:.0f}" if seconds < 0.3 else f"{seconds:g} s")
                p.drawText(
                    QRectF(box.left() - 4, box.bottom() + 4, box.width() + 8, 16), Qt.AlignmentFlag.AlignCenter, text
                )
        p.setPen(t.color("quiet"))
        p.drawText(
            QRectF(20, 122, self.width() - 40, 18),
            Qt.AlignmentFlag.AlignLeft,
            f"movement against {reference_of(self.result)}" if self.result else "shutter time of each frame, seconds",
        )

    def _at(self, pos: QPointF) -> int | None:
        return next((k for k in range(len(self.shots)) if self.bar(k).adjusted(-3, -8, 3, 8).contains(pos)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        k = self._at(event.position())
        if k is not None:
            self._paint_to = not self.used[k]
            self.used[k] = self._paint_to
            self.chosen_changed.emit()
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        k = self._at(event.position())
        if self._paint_to is not None and k is not None and self.used[k] != self._paint_to:
            self.used[k] = self._paint_to
            self.chosen_changed.emit()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._paint_to = None


def reference_of(result: MergeResult) -> str:
    """Name of the frame that the others were laid on."""
    still = next((f for f in result.frames if f.used and tuple(f.shift_px) == (0.0, 0.0)), None)
    return Path(still.file).stem if still is not None else "the first frame"


def _log2(x: float) -> float:
    return math.log2(x) if x > 0 else -9.0
