"""Free curves: a joint one and one for each channel, from picture code to picture code."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QPushButton, QSizePolicy, QWidget

from bruto.app.widgets import theme
from bruto.app.widgets.build import across, build, down, fill
from bruto.catalog import tr
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import CURVE_NAMES, Points
from bruto.develop.steps.curves import curve_values

MARGIN = 10
LEAST_APART = 0.02
STRAIGHT: Points = ((0.0, 0.0), (1.0, 1.0))
_ROLES = {"joint": "ink", "red": "red", "green": "green", "blue": "blue"}


class CurvePlot(QWidget):
    """One curve with its points. Click to add a point, drag to move it, Delete or double click to remove it.

    Emits `changed(points, final)`.
    """

    changed = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(190)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Curve"))
        self.setToolTip(
            tr(
                "Click to add a point, drag to move it, double-click or Delete to remove it. Both axes are picture "
                "values."
            )
        )
        self.points: Points = ()
        self.role = "ink"
        self.current = -1
        self._dragging = False

    def sizeHint(self) -> QSize:
        return QSize(280, 190)

    def show_points(self, points: Points, role: str) -> None:
        self.points, self.role = points, role
        if self.current >= len(points):
            self.current = -1
        self.update()

    def box(self) -> QRectF:
        return QRectF(MARGIN, MARGIN, self.width() - 2 * MARGIN, self.height() - 2 * MARGIN)

    def place(self, x: float, y: float) -> QPointF:
        """Where a point of the curve is drawn."""
        b = self.box()
        return QPointF(b.left() + x * b.width(), b.bottom() - y * b.height())

    def value(self, p: QPointF) -> tuple[float, float]:
        b = self.box()
        x, y = (p.x() - b.left()) / b.width(), (b.bottom() - p.y()) / b.height()
        return min(1.0, max(0.0, x)), min(1.0, max(0.0, y))

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme.current(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.box()
        p.fillRect(box, t.color("panel"))
        p.setPen(QPen(t.color("line"), 1))
        for k in range(5):
            p.drawLine(self.place(k / 4, 0), self.place(k / 4, 1))
            p.drawLine(self.place(0, k / 4), self.place(1, k / 4))
        p.setPen(QPen(t.color("quiet"), 1, Qt.PenStyle.DashLine))
        p.drawLine(self.place(0, 0), self.place(1, 1))
        x = np.linspace(0, 1, 129)
        y = np.clip(curve_values(self.points, x), 0, 1)
        p.setPen(QPen(t.color(self.role), 2))
        p.drawPolyline(QPolygonF([self.place(float(a), float(b)) for a, b in zip(x, y, strict=True)]))
        for k, (a, b) in enumerate(self.points):
            p.setPen(QPen(t.color("accent"), 2 if k == self.current else 1.2))
            p.setBrush(t.color("accent") if k == self.current else t.color("raised"))
            p.drawEllipse(self.place(a, b), 5, 5)
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()))

    def _near(self, pos: QPointF) -> int:
        for k, (x, y) in enumerate(self.points):
            d = self.place(x, y) - pos
            if math.hypot(d.x(), d.y()) < 12:
                return k
        return -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self.current = self._near(event.position())
        if self.current < 0 and len(self.points) < 16:
            points = list(self.points or STRAIGHT)
            x, y = self.value(event.position())
            if all(abs(x - a) >= LEAST_APART for a, _ in points):
                points = sorted([*points, (x, y)])
                self.current = points.index((x, y))
                self.points = tuple(points)
        self._dragging = self.current >= 0
        if self._dragging:
            self._move_to(event.position(), False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._move_to(event.position(), False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self._move_to(event.position(), True)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._dragging = False
        self.current = self._near(event.position())
        self._remove()

    def _move_to(self, pos: QPointF, final: bool) -> None:
        x, y = self.value(pos)
        self._set(x, y, final)

    def _set(self, x: float, y: float, final: bool) -> None:
        k, points = self.current, list(self.points)
        low = points[k - 1][0] + LEAST_APART if k else 0.0
        high = points[k + 1][0] - LEAST_APART if k + 1 < len(points) else 1.0
        points[k] = (round(min(max(x, low), high), 4), round(min(max(y, 0.0), 1.0), 4))
        self.points = tuple(points)
        self.update()
        self.changed.emit(self.points, final)

    def _remove(self) -> None:
        if self.current < 0:
            return
        left = tuple(q for k, q in enumerate(self.points) if k != self.current)
        self.current = -1
        self.points = left if len(left) >= 2 and left != STRAIGHT else ()
        self.changed.emit(self.points, True)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 0.01
        moves = {
            Qt.Key.Key_Left: (-step, 0),
            Qt.Key.Key_Right: (step, 0),
            Qt.Key.Key_Up: (0, step),
            Qt.Key.Key_Down: (0, -step),
        }
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._remove()
        elif key in moves and self.current >= 0:
            x, y = self.points[self.current]
            self._set(x + moves[key][0], y + moves[key][1], True)
        else:
            super().keyPressEvent(event)


class CurveEditor(QWidget):
    """Choice of curve, the plot, and a reset. Emits `changed(curves as dict, what, final)`."""

    changed = Signal(dict, str, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.curves = Recipe().curves
        self.which = "joint"
        layout = down(self, margins=(10, 6, 8, 6), gap=4)
        head = across(gap=4)
        self.buttons: dict[str, QPushButton] = {}
        for name in CURVE_NAMES:
            button = build(
                QPushButton,
                name.capitalize(),
                checkable=True,
                toolTip=tr("{name} curve", name=name),
                clicked=lambda _=False, n=name: self.choose(n),
            )
            self.buttons[name] = button
            head.addWidget(button)
        back = build(
            QPushButton,
            "↺",
            objectName="icon",
            toolTip=tr("Reset this curve to a straight line"),
            accessibleName=tr("Reset curve"),
            clicked=lambda: self._changed((), True),
        )
        fill(head, 1, back)
        self.plot = CurvePlot()
        self.plot.changed.connect(self._changed)
        fill(layout, head, self.plot)
        self.choose("joint")

    def choose(self, name: str) -> None:
        """Show another of the curves."""
        self.which = name
        self.plot.current = -1
        self._show()

    def show_recipe(self, recipe: Recipe) -> None:
        self.curves = recipe.curves
        self._show()

    def _show(self) -> None:
        for name, button in self.buttons.items():
            button.setChecked(name == self.which)
        self.plot.show_points(getattr(self.curves, self.which), _ROLES[self.which])

    def _changed(self, points: Points, final: bool) -> None:
        values = {**self.curves.model_dump(), self.which: points}
        self.changed.emit(values, f"{self.which} curve", final)
