"""Frames of a set over time, to leave some out."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.catalog import clauses, items, tr
from bruto.merge.result import MergeResult, reference_file
from bruto.shoot.shots import Shot

NIGHT = (
    ("light", lambda f, top: f.level / max(top, 1e-9)),
    ("sharp", lambda f, top: min(f.sharp, 1.2) / 1.2),
    ("sky", lambda f, top: 1 - f.cloud),
)
"""What is reported of each frame of a night, one lane each: its name, and how high it is (0..1) of a `Seen`."""
HAND = (
    ("light", lambda f, top: 1 + max(-6.0, _log2(f.level / max(top, 1e-9))) / 6),
    ("sharp", lambda f, top: min(f.sharp, 1.0)),
    ("shift", lambda f, top: min(f.shift_px / SHIFT_PX, 1.0)),
)
"""The same of a burst or bracket (`BurstAssessment`): light in stops below the lightest frame."""
SHIFT_PX = 40.0
"""Movement that fills its lane, pixels."""
LANE, HEAD, NAMES = 24.0, 30.0, 52.0
ROW, HEIGHT = 20.0, 150
THUMB, LEAST_WINDOW = 44.0, 740
"""Height of the thumbnails under the chart, and of the window from which there is room for them, pixels."""


class FrameChart(QWidget):
    """Frames over time in lanes of what was judged; click or drag over them to choose those that are used."""

    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT)
        self.thumbs: dict[str, tuple[QImage, str]] = {}
        self.with_thumbs = False
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Frames over time"))
        self.shots: tuple[Shot, ...] = ()
        self.used: list[bool] = []
        self.result: MergeResult | None = None
        self.judged: dict[str, Any] = {}
        """What is known of frames of a night (`Seen`), by the names of their files."""
        self.by_time = False
        self._paint_to: bool | None = None

    def set_frames(self, shots: tuple[Shot, ...], by_time: bool = False, left_out: int = 0) -> None:
        """Other frames; `by_time`: of a night; the first `left_out` are not used at first."""
        self.shots, self.used, self.result = shots, [k >= left_out for k in range(len(shots))], None
        self.judged, self.by_time = {}, by_time
        self.update()

    def set_judged(self, frames: Sequence[Any]) -> None:
        """What is known of the frames so far."""
        self.judged = {f.path.name: f for f in frames}
        bad = self.bad()
        self.setAccessibleDescription(
            tr("{bad_count} of {shots_count} frames look bad.", bad_count=len(bad), shots_count=len(self.shots))
            if bad
            else ""
        )
        self.update()

    def bad(self) -> list[int]:
        """Numbers of the frames that look bad."""
        return [k for k, s in enumerate(self.shots) if self.why(k)] if self.judged else []

    def why(self, k: int) -> str:
        """What is wrong with a frame, "" where nothing is, or nothing is known."""
        raw = self.shots[k].raw
        found = self.judged.get(raw.name) if raw is not None else None
        return "" if found is None or not found.why else found.why  # with its kind

    def take_suggested(self) -> None:
        """Use all frames but those that look bad."""
        bad = set(self.bad())
        self.used = [k not in bad for k in range(len(self.shots))]
        self.chosen_changed.emit()
        self.update()

    def set_result(self, result: MergeResult | None) -> None:
        self.result = result
        self.update()

    @property
    def lanes(self) -> tuple[Any, ...]:
        return NIGHT if self.by_time else HAND

    def bar(self, k: int) -> QRectF:
        """Rectangle of frame k in the row of verdicts."""
        n = max(1, len(self.shots))
        step = (self.width() - 40 - NAMES) / n
        return QRectF(20 + NAMES + k * step, HEAD + 3 * LANE + 4, step, ROW)

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.color("bar"))
        p.setFont(theme.font(12, bold=True))
        p.setPen(t.color("ink"))
        p.drawText(QRectF(20, 6, 200, 18), Qt.AlignmentFlag.AlignLeft, tr("Frames over time"))
        p.setFont(theme.font(12))
        p.setPen(t.color("quiet"))
        words = tr("drag over frames to exclude or include them")
        p.drawText(QRectF(self.width() - 420, 6, 400, 18), Qt.AlignmentFlag.AlignRight, words)
        if not self.shots:
            return
        self._paint_lanes(p)
        self._paint_row(p)
        self._paint_thumbs(p)

    def _paint_lanes(self, p: QPainter) -> None:
        t = theme.current()
        seen = [self.judged.get(s.raw.name) if s.raw is not None else None for s in self.shots]
        top = max((f.level for f in seen if f is not None), default=1.0)
        few = self.bar(0).width() > 14
        for row, (name, height) in enumerate(self.lanes):
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
                line.append(QPointF(self.bar(k).center().x(), box.bottom() - 1 - share * (box.height() - 2)))
                if few:
                    p.fillRect(QRectF(line.last().x() - 2.5, line.last().y() - 2.5, 5, 5), t.color("accent"))
            p.drawPolyline(line)

    def _paint_row(self, p: QPainter) -> None:
        """Which frames are used, and which look bad."""
        t = theme.current()
        verdicts = {Path(f.file).name: f for f in self.result.frames} if self.result else {}
        for k, shot in enumerate(self.shots):
            box = self.bar(k)
            found = self.judged.get(shot.raw.name) if shot.raw is not None else None
            body = box.adjusted(0, 2, -min(1.0, box.width() / 4), 0)
            bad = found is not None and bool(found.why)
            note = verdicts.get(shot.raw.name) if shot.raw is not None else None
            if self.used[k]:
                p.fillRect(body, t.color("warning" if bad or (note is not None and not note.used) else "accent", 200))
            else:
                p.fillRect(QRectF(body.left(), body.center().y() - 1, body.width(), 2), t.color("warning"))
            if found is not None and found.lines:
                p.fillRect(QRectF(body.left(), box.bottom() + 2, max(body.width(), 2), 4), t.color("suggestion"))
            if box.width() > 40 and self.used[k]:
                p.setPen(t.color("on_accent"))
                p.drawText(body, Qt.AlignmentFlag.AlignCenter, self._caption(k, note))
        p.setPen(t.color("quiet"))
        below = tr("mark below: aircraft or satellite, removed") if self.by_time else self._below()
        p.drawText(
            QRectF(20, self.bar(0).bottom() + 8, self.width() - 40, 18),
            Qt.AlignmentFlag.AlignLeft,
            tr("filled: used · red: looks bad · outline: excluded · {below}", below=below),
        )

    def _below(self) -> str:
        if self.result is not None:
            return tr("movement against {reference_of}", reference_of=reference_file(self.result).stem)
        return tr("exposure time of each frame")

    def _caption(self, k: int, note: Any) -> str:
        """What stands in a wide enough cell of a frame: how it moved once it was merged, else its time."""
        if note is not None:
            return tr("{hypot:.1f} px", hypot=math.hypot(*note.shift_px)) if note.used else tr("excluded")
        shot = self.shots[k]
        seconds = shot.meta.exposure_s if shot.meta else None
        return "" if not seconds else (f"1/{1 / seconds:.0f}" if seconds < 0.3 else f"{seconds:g} s")

    def _paint_thumbs(self, p: QPainter) -> None:
        """Thumbnails of as many frames as have room, where they stand in the chart."""
        if not self.with_thumbs:
            return
        top = self.bar(0).bottom() + 30
        free = 20 + NAMES
        for k, shot in enumerate(self.shots):
            image, _ = self.thumbs.get(str(shot.main), (None, ""))
            if image is None or image.isNull():
                continue
            width = THUMB * image.width() / image.height()
            left = self.bar(k).center().x() - width / 2
            if left < free - 0.5 and k:
                continue
            left = min(max(left, 20 + NAMES), self.width() - 20 - width)
            p.drawImage(QRectF(left, top, width, THUMB), image)
            if not self.used[k]:
                p.fillRect(QRectF(left, top, width, THUMB), theme.current().color("bar", 170))
            free = left + width + 4

    def show_thumbs(self, thumbs: dict[str, tuple[QImage, str]], on: bool) -> None:
        """Thumbnails by the paths of shots, and whether they are shown."""
        self.thumbs, self.with_thumbs = thumbs, on
        self.setFixedHeight(round(HEIGHT + (THUMB + 8 if on else 0)))
        self.update()

    def tip(self, k: int) -> str:
        """What is reported of a frame under the pointer."""
        shot = self.shots[k]
        found = self.judged.get(shot.raw.name) if shot.raw is not None else None
        if found is None:
            return shot.name
        if found.why:
            note = found.why
        elif self.by_time:
            note = tr(
                "sharpness {sharp:.0f} %, clouds over {cloud:.0f} % of the sky",
                sharp=100 * min(found.sharp, 1),
                cloud=100 * found.cloud,
            )
        else:
            note = tr(
                "sharpness {sharp:.0f} %, moved {shift_px:.1f} px, rotated {turn_deg:.2f}°",
                sharp=100 * found.sharp,
                shift_px=found.shift_px,
                turn_deg=found.turn_deg,
            )
            if found.blur is not None:
                note = items(note, tr("blurred along {blur}°", blur=round(found.blur) % 180))
        note = clauses(note, tr("aircraft or satellite") if found.lines else "")
        return tr("{name}: {note}", name=shot.name, note=note)

    def _at(self, pos: QPointF) -> int | None:
        if not self.shots:
            return None
        row = self.bar(0)
        if not HEAD <= pos.y() <= row.bottom() + 8:
            return None
        k = math.floor((pos.x() - row.left()) / max(row.width(), 1e-6))
        return k if 0 <= k < len(self.shots) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        k = self._at(event.position())
        if k is not None:
            self._paint_to = not self.used[k]
            self.used[k] = self._paint_to
            self.chosen_changed.emit()
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        k = self._at(event.position())
        self.setToolTip("" if k is None else self.tip(k))
        if self._paint_to is not None and k is not None and self.used[k] != self._paint_to:
            self.used[k] = self._paint_to
            self.chosen_changed.emit()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._paint_to = None


def _log2(x: float) -> float:
    return math.log2(x) if x > 0 else -9.0
