"""The light strip: scene light in stops with the three channels, noise floor and clipping points, and the five tone
handles
that say where scene light lands in the picture. Handles are dragged sideways on the light, their lower ends on the L*
scale."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from bruto.app.stage.light_strip_painter import AXIS_Y, HANDLE_Y, HIST_TOP, LEFT, RIGHT, SCALE_Y, LightStripPainter
from bruto.app.widgets import theme
from bruto.catalog import tr
from bruto.develop.analysis.scene_light import BINS, EV_FROM, EV_TO, SceneLight
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import HANDLE_NAMES, Tone

VIEW_FROM, VIEW_TO = -9.5, 5.0
"""The least that the axis covers, EV from grey; it goes on to the noise and to where the last channel is clipped."""
GRAB = 13
SEEN = 0.02
"""Share of the highest of a histogram from which there is light to be seen."""
FINE = 0.1
"""How fast a handle follows the hand while Shift is held."""


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
        self.chosen = "grey"
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
        painter = LightStripPainter(self, p)
        painter.draw_light()
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
        painter.draw_tone()
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()))

    def drawn_histograms(self) -> QPixmap:
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
                self.chosen = self._drag[0]
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
        k = HANDLE_NAMES.index(self.chosen)
        value = getattr(self.recipe.tone, self.chosen)
        key = event.key()
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        if step and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.chosen = HANDLE_NAMES[(k + step) % 5]
            self.update()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._moved(self.chosen, True, ev=value.ev + (0.1 if key == Qt.Key.Key_Right else -0.1))
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._moved(self.chosen, True, lightness=value.lightness + (1 if key == Qt.Key.Key_Up else -1))
        else:
            super().keyPressEvent(event)
