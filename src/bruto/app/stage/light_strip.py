"""The light strip: scene light in stops with the three channels, noise floor and clipping points, and the five tone
handles
that say where scene light lands in the picture. Handles are dragged sideways on the light, their lower ends on the L*
scale."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QBrush,
    QColor,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.color.spaces import encode_srgb, luminance_of
from bruto.develop.analysis.scene_light import BINS, EV_FROM, EV_TO, SceneLight
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import HANDLE_NAMES, Tone

VIEW_FROM, VIEW_TO = -9.5, 5.0
"""The least that the axis covers, EV from grey; it goes on to the noise and to where the last channel is clipped."""
LEFT, RIGHT = 14, 14
AXIS_Y, HIST_TOP, HANDLE_Y, SCALE_Y = 14, 42, 108, 140
GRAB = 13
SEEN = 0.02
"""Share of the highest of a histogram from which there is light to be seen."""
FINE = 0.1
"""How fast a handle follows the hand while Shift is held."""
_GREYS = [(l / 100, int(255 * float(encode_srgb(luminance_of(float(l)))) + 0.5)) for l in range(0, 101, 5)]
"""Place on the L* scale and the grey that has it."""


class LightStrip(QWidget):
    """Emits `handle_moved(tone values as dict, final)`."""

    handle_moved = Signal(dict, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(166)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Light strip"))
        self.light: SceneLight | None = None
        self.view = VIEW_FROM, VIEW_TO
        """What the axis covers, EV from grey: set with the light of a shot, so that it stands still in a drag."""
        self._cached_shapes: tuple[tuple, QPixmap] | None = None
        self.recipe = Recipe()
        self.suggested: Tone | None = None
        self._drag: tuple[str, str] | None = None
        self._at_x = self._pointer = 0.0
        self._chosen = "grey"
        self.setToolTip(
            tr(
                "Drag a handle sideways to choose the scene light, its lower end to choose how light it becomes; "
                "hold Shift for fine steps. Arrow keys move the selected handle, Ctrl+arrows select another."
            )
        )

    def set_light(self, light: SceneLight | None) -> None:
        self.light = light
        low, high = VIEW_FROM, VIEW_TO
        if light is not None:
            shift = self.recipe.exposure
            there = np.flatnonzero(light.histograms.max(axis=0) > SEEN)
            darkest = EV_FROM + (there[0] if len(there) else BINS) * (EV_TO - EV_FROM) / BINS
            low = max(min(low, float(np.floor(max(light.floor_ev, darkest) + shift)) - 0.5), EV_FROM)
            high = min(max(high, float(np.ceil(light.clip_ev.max() + shift)) + 0.5), EV_TO)
        self.view = low, high
        self.update()

    def set_recipe(self, recipe: Recipe) -> None:
        self.recipe = recipe
        self.update()

    def set_suggested(self, tone: Tone | None) -> None:
        self.suggested = tone
        self.update()

    # -- geometry

    def x_of(self, ev: float) -> float:
        low, high = self.view
        return LEFT + (ev - low) / (high - low) * (self.width() - LEFT - RIGHT)

    def ev_of(self, x: float) -> float:
        low, high = self.view
        return low + (x - LEFT) / (self.width() - LEFT - RIGHT) * (high - low)

    def scale_x(self, lightness: float) -> float:
        return LEFT + lightness / 100 * (self.width() - LEFT - RIGHT)

    def handle_point(self, name: str) -> QPointF:
        """Where a handle's upper end is drawn (for the pointer and for tests)."""
        return QPointF(self.x_of(max(self.view[0], min(self.view[1], getattr(self.recipe.tone, name).ev))), HANDLE_Y)

    def foot_point(self, name: str) -> QPointF:
        """Where a handle's lower end is drawn."""
        return QPointF(self.scale_x(getattr(self.recipe.tone, name).lightness), SCALE_Y)

    # -- drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.color("bar"))
        p.setFont(theme.font(12))
        shift = self.recipe.exposure
        self._draw_floor(p, t, shift)
        self._draw_histograms(p, t, shift)
        p.setPen(t.color("line"))
        p.drawLine(QPointF(LEFT, HANDLE_Y), QPointF(self.width() - RIGHT, HANDLE_Y))
        p.setPen(t.color("ink"))
        low, high = self.view
        every = 1 if self.x_of(1) - self.x_of(0) >= 30 else 2
        for ev in range(int(low), int(high) + 1):
            if ev % every:
                continue
            text = tr("grey") if ev == 0 else f"{ev:+d}".replace("-", "−")
            p.drawText(QRectF(self.x_of(ev) - 24, AXIS_Y - 12, 48, 16), Qt.AlignmentFlag.AlignCenter, text)
        self._draw_picture_range(p, t, shift)
        self._draw_scale(p)
        self._draw_handles(p, t)
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()))

    def _draw_floor(self, p: QPainter, t: theme.Theme, shift: float) -> None:
        if self.light is None:
            return
        x = min(self.x_of(self.light.floor_ev + shift), self.width() - RIGHT)
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

    def _drawn_histograms(self) -> QPixmap:
        """The three histograms before exposure from `EV_FROM` on, kept until the light, the width or the theme
        changes.
        """
        assert self.light is not None
        ratio = self.devicePixelRatioF()
        key = (id(self.light), self.width(), self.view, theme.current().name, ratio)
        if self._cached_shapes is None or self._cached_shapes[0] != key:
            xs = [self.x_of(e) for e in np.linspace(EV_FROM, EV_TO, BINS)]
            shapes = []
            for values in (HANDLE_Y - self.light.histograms * (HANDLE_Y - HIST_TOP)).tolist():
                points = [QPointF(x, y) for x, y in zip(xs, values, strict=True)]
                shapes.append(QPolygonF([QPointF(xs[0], HANDLE_Y), *points, QPointF(xs[-1], HANDLE_Y)]))
            left, size = xs[0], QSizeF(xs[-1] - xs[0] + 4, HANDLE_Y - HIST_TOP + 4) * ratio
            drawn = QPixmap(size.toSize())
            drawn.setDevicePixelRatio(ratio)
            drawn.fill(Qt.GlobalColor.transparent)
            p = QPainter(drawn)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            p.translate(2 - left, 2 - HIST_TOP)
            t = theme.current()
            for role, shape in zip(("red", "green", "blue"), shapes, strict=True):
                p.setPen(QPen(t.color(role), 1.2))
                p.setBrush(t.color(role, 95))
                p.drawPolygon(shape)
            p.end()
            self._cached_shapes = (key, drawn)
        return self._cached_shapes[1]

    def _draw_histograms(self, p: QPainter, t: theme.Theme, shift: float) -> None:
        if self.light is None:
            p.setPen(t.color("quiet"))
            p.drawText(QRectF(0, HIST_TOP, self.width(), 60), Qt.AlignmentFlag.AlignCenter, tr("measuring the light…"))
            return
        p.setClipRect(QRectF(LEFT, HIST_TOP - 2, self.width() - LEFT - RIGHT, HANDLE_Y - HIST_TOP + 2))
        p.drawPixmap(QPointF(self.x_of(EV_FROM + shift) - 2, HIST_TOP - 2), self._drawn_histograms())
        p.setClipping(False)
        order = np.argsort(self.light.clip_ev)
        for c in order:
            x = self.x_of(self.light.clip_ev[c] + shift)
            if x > self.width() - RIGHT:
                continue
            p.setPen(QPen(t.color(("red", "green", "blue")[c]), 2))
            p.drawLine(QPointF(x, HIST_TOP - 6), QPointF(x, HANDLE_Y))
        last = self.x_of(float(self.light.clip_ev.max()) + shift)
        names = ", ".join(("red", "green", "blue")[c] for c in order)
        free = self.width() - RIGHT - last
        p.setPen(t.color("ink"))
        if free > 70:
            p.drawText(
                QRectF(last + 5, HIST_TOP - 8, free - 5, 48),
                Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap,
                tr("clipped: {names}", names=names),
            )

    def _draw_picture_range(self, p: QPainter, t: theme.Theme, shift: float) -> None:
        if self.light is None or self.light.picture_range_ev is None:
            return
        a, b = (max(LEFT, min(self.width() - RIGHT, self.x_of(v + shift))) for v in self.light.picture_range_ev)
        p.fillRect(QRectF(a, 25, b - a, 4), t.color("quiet"))
        p.setPen(t.color("quiet"))
        text = tr("range of the phone's picture")
        width = p.fontMetrics().horizontalAdvance(text) + 8
        x = min(max(a + 6, LEFT), self.width() - RIGHT - width)
        p.fillRect(QRectF(x - 4, 30, width, 14), t.color("bar", 200))
        p.drawText(QRectF(x, 29, width, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)

    def _draw_scale(self, p: QPainter) -> None:
        box = QRectF(LEFT, SCALE_Y - 5, self.width() - LEFT - RIGHT, 10)
        gradient = QLinearGradient(box.left(), 0, box.right(), 0)
        for share, level in _GREYS:
            gradient.setColorAt(share, QColor(level, level, level))
        p.fillRect(box, gradient)

    def _draw_handles(self, p: QPainter, t: theme.Theme) -> None:
        labels: list[tuple[float, str, str]] = []
        for name in HANDLE_NAMES:
            top, foot = self.handle_point(name), self.foot_point(name)
            value = getattr(self.recipe.tone, name)
            p.setPen(QPen(t.color("accent"), 1.4))
            p.drawLine(top, foot)
            if self.suggested is not None:
                s = getattr(self.suggested, name)
                x = self.x_of(s.ev)
                if abs(s.ev - value.ev) > 0.05 and LEFT <= x <= self.width() - RIGHT:
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
            size = 6.5 if name == self._chosen and self.hasFocus() else 5
            p.drawRoundedRect(QRectF(top.x() - size, top.y() - size - 1, 2 * size, 2 * size + 2), 2, 2)
            p.drawEllipse(foot, size - 0.5, size - 0.5)
            labels.append(
                (top.x(), f"{name.capitalize()} {value.ev:+.1f}".replace("-", "−"), f"L* {value.lightness:.0f}")
            )
        p.setFont(theme.font(12, bold=True))
        end = -1e9
        for (x, text, _), _name in zip(labels, HANDLE_NAMES, strict=True):
            width = p.fontMetrics().horizontalAdvance(text)
            left = min(max(x - width / 2, LEFT, end + 8), self.width() - RIGHT - width)
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
            x = self.foot_point(name).x()
            left = min(max(x - width / 2, LEFT, end + 6), self.width() - RIGHT - width)
            p.drawText(QRectF(left, SCALE_Y + 8, width + 2, 16), Qt.AlignmentFlag.AlignLeft, text)
            end = left + width

    # -- input

    def _at(self, pos: QPointF) -> tuple[str, str] | None:
        best, found = float(GRAB), None
        for name in HANDLE_NAMES:
            for end, point in (("top", self.handle_point(name)), ("foot", self.foot_point(name))):
                d = (pos - point).manhattanLength()
                if d < best:
                    best, found = d, (name, end)
        return found

    def _moved(self, name: str, final: bool, ev: float | None = None, lightness: float | None = None) -> None:
        tone: dict[str, Any] = self.recipe.tone.model_dump()
        k = HANDLE_NAMES.index(name)
        if ev is not None:
            low = tone[HANDLE_NAMES[k - 1]]["ev"] + 0.1 if k else -14.0
            high = tone[HANDLE_NAMES[k + 1]]["ev"] - 0.1 if k < 4 else 8.0
            tone[name]["ev"] = round(min(max(ev, low), high), 2)
        if lightness is not None:
            low = tone[HANDLE_NAMES[k - 1]]["lightness"] if k else 0.0
            high = tone[HANDLE_NAMES[k + 1]]["lightness"] if k < 4 else 100.0
            tone[name]["lightness"] = round(min(max(lightness, low), high), 1)
        self.handle_moved.emit(tone, final)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._drag = self._at(event.position())
            if self._drag:
                self._chosen = self._drag[0]
                self._at_x = self._pointer = event.position().x()
                self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            self.setCursor(Qt.CursorShape.SizeHorCursor if self._at(event.position()) else Qt.CursorShape.ArrowCursor)
            return
        self._drag_to(event, False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._drag_to(event, True)
            self._drag = None

    def _drag_to(self, event: QMouseEvent, final: bool) -> None:
        assert self._drag is not None
        name, end = self._drag
        fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        self._at_x += (event.position().x() - self._pointer) * (FINE if fine else 1.0)
        self._pointer = event.position().x()
        x = self._at_x
        if end == "top":
            self._moved(name, final, ev=self.ev_of(x))
        else:
            self._moved(name, final, lightness=(x - LEFT) / (self.width() - LEFT - RIGHT) * 100)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        k = HANDLE_NAMES.index(self._chosen)
        value = getattr(self.recipe.tone, self._chosen)
        key = event.key()
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        if step and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._chosen = HANDLE_NAMES[(k + step) % 5]
            self.update()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._moved(self._chosen, True, ev=value.ev + (0.1 if key == Qt.Key.Key_Right else -0.1))
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._moved(self._chosen, True, lightness=value.lightness + (1 if key == Qt.Key.Key_Up else -1))
        else:
            super().keyPressEvent(event)
