"""Frames of a set over time, to leave some out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.merge.result import MergeResult
from bruto.shoot.shots import Shot

LANES = (
    ("light", lambda f, top: f.level / max(top, 1e-9)),
    ("sharp", lambda f, top: min(f.sharp, 1.2) / 1.2),
    ("sky", lambda f, top: 1 - f.cloud),
)
"""What is told of each frame of a night, one lane each: its name, and how high it is (0..1) of a `Seen`."""
LANE, HEAD, NAMES = 24.0, 30.0, 52.0


class FrameChart(QWidget):
    """Frames over time as bars of light, those of a night in lanes of what was judged; click or drag over them to leave
    frames out or take them in.
    """

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
        self.judged: dict[str, Any] = {}
        """What is known of frames of a night (`Seen`), by the names of their files."""
        self.by_time = False
        self._paint_to: bool | None = None

    def set_frames(self, shots: tuple[Shot, ...], by_time: bool = False, left_out: int = 0) -> None:
        """Other frames; `by_time`: of a night, which will be judged; the first `left_out` are not used at first."""
        self.shots, self.used, self.result = shots, [k >= left_out for k in range(len(shots))], None
        self.judged, self.by_time = {}, by_time
        self.update()

    def set_judged(self, frames: Sequence[Any]) -> None:
        """What is known of the frames so far."""
        self.judged = {f.path.name: f for f in frames}
        bad = self.bad()
        self.setAccessibleDescription(f"{len(bad)} of {len(self.shots)} frames look bad." if bad else "")
        self.update()

    def bad(self) -> list[int]:
        """Numbers of the frames that look bad."""
        return [k for k, s in enumerate(self.shots) if self.why(k)] if self.judged else []

    def why(self, k: int) -> str:
        """What is wrong with a frame, "" where nothing is, or nothing is known."""
        raw = self.shots[k].raw
        found = self.judged.get(raw.name) if raw is not None else None
        return "" if found is None else str(found.why)

    def take_suggested(self) -> None:
        """Use all frames but those that look bad."""
        bad = set(self.bad())
        self.used = [k not in bad for k in range(len(self.shots))]
        self.chosen_changed.emit()
        self.update()

    def set_result(self, result: MergeResult | None) -> None:
        self.result = result
        self.update()

    def bar(self, k: int) -> QRectF:
        """Rectangle of frame k."""
        n = max(1, len(self.shots))
        if self.by_time:
            step = (self.width() - 40 - NAMES) / n
            return QRectF(20 + NAMES + k * step, HEAD + 3 * LANE + 4, step, 20)
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
            "drag over frames to leave them out or take them in"
            if self.by_time
            else "height: exposure · click to leave out or take in",
        )
        if not self.shots:
            return
        if self.by_time:
            self._paint_night(p)
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

    def _paint_night(self, p: QPainter) -> None:
        t = theme.current()
        seen = [self.judged.get(s.raw.name) if s.raw is not None else None for s in self.shots]
        top = max((f.level for f in seen if f is not None), default=1.0)
        p.setFont(theme.font(12))
        for row, (name, height) in enumerate(LANES):
            box = QRectF(20 + NAMES, HEAD + row * LANE, self.width() - 40 - NAMES, LANE - 5)
            p.setPen(t.color("quiet"))
            p.drawText(QRectF(20, box.top(), NAMES, box.height()), Qt.AlignmentFlag.AlignVCenter, name)
            p.fillRect(box, t.color("panel"))
            p.setPen(QPen(t.color("accent"), 1.5))
            line = QPolygonF()
            for k, found in enumerate(seen):
                if found is None or found.level <= 0:
                    p.drawPolyline(line)
                    line = QPolygonF()
                    continue
                share = min(max(float(height(found, top)), 0.0), 1.0)
                line.append(QPointF(self.bar(k).center().x(), box.bottom() - share * box.height()))
            p.drawPolyline(line)
        for k, found in enumerate(seen):
            box = self.bar(k)
            body = box.adjusted(0, 2, -min(1.0, box.width() / 4), 0)
            bad = found is not None and bool(found.why)
            if self.used[k]:
                p.fillRect(body, t.color("warning" if bad else "accent", 200))
            else:
                p.fillRect(QRectF(body.left(), body.center().y() - 1, body.width(), 2), t.color("warning"))
            if found is not None and found.lines:
                p.fillRect(QRectF(body.left(), box.bottom() + 2, max(body.width(), 2), 4), t.color("suggestion"))
        p.setPen(t.color("quiet"))
        p.drawText(
            QRectF(20, self.bar(0).bottom() + 8, self.width() - 40, 18), Qt.AlignmentFlag.AlignLeft,
            "filled: used · red: looks bad · line: left out · mark below: aircraft or satellite, taken out",
        )  # fmt: skip

    def tip(self, k: int) -> str:
        """What is told of a frame under the pointer."""
        shot = self.shots[k]
        found = self.judged.get(shot.raw.name) if shot.raw is not None else None
        if found is None:
            return shot.name
        told = found.why or f"sharp {100 * min(found.sharp, 1):.0f} %, clouds over {100 * found.cloud:.0f} % of the sky"
        return f"{shot.name}: {told}" + ("; something flies through" if found.lines else "")

    def _at(self, pos: QPointF) -> int | None:
        if self.by_time:
            row = self.bar(0) if self.shots else QRectF()
            if not self.shots or not HEAD <= pos.y() <= row.bottom() + 8:
                return None
            k = math.floor((pos.x() - row.left()) / max(row.width(), 1e-6))
            return k if 0 <= k < len(self.shots) else None
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
        if self.by_time:
            self.setToolTip("" if k is None else self.tip(k))
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
