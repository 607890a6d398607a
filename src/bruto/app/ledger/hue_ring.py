"""The hue ring: nodes on a ring of hues, each with a width, moved by hand; numbers of the chosen one below."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QConicalGradient, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QWidget

from bruto.app.ledger.rows import Row
from bruto.app.widgets import theme
from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.color.spaces import OKLAB_FROM_LMS, OKLAB_LMS_FROM_XYZ, encode_srgb, working_to, working_to_xyz
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import HueNode

MOST_NODES = 8


def hue_color(degrees: float, light: float = 0.72, chroma: float = 0.11) -> QColor:
    """A colour of that OKLCh hue, for drawing."""
    angle = math.radians(degrees)
    lab = np.array([light, chroma * math.cos(angle), chroma * math.sin(angle)])
    lms = (np.linalg.inv(OKLAB_FROM_LMS) @ lab) ** 3
    rgb = working_to("srgb") @ np.linalg.inv(working_to_xyz()) @ np.linalg.inv(OKLAB_LMS_FROM_XYZ) @ lms
    r, g, b = (round(255 * float(v)) for v in encode_srgb(np.clip(rgb, 0, 1)))
    return QColor(r, g, b)


class HueRing(QWidget):
    """Emits `moved(index, values, final)`, `chosen(index)` and `wanted(hue)` for a click where no node is.

    On the ring a node's centre is dragged; outside of it, at the same angle plus its turn, the small square is.
    """

    moved = Signal(int, dict, bool)
    chosen = Signal(int)
    wanted = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(176)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Hue ring"))
        self.setToolTip(
            tr(
                "Click a hue to add a node, drag a node to move it, drag its square to shift its colours. Arrow keys "
                "shift the selected node's colours."
            )
        )
        self.nodes: tuple[HueNode, ...] = ()
        self.current = -1
        self._drag: tuple[int, str] | None = None

    def sizeHint(self) -> QSize:
        return QSize(280, 176)

    def show_nodes(self, nodes: tuple[HueNode, ...], current: int) -> None:
        self.nodes, self.current = nodes, current
        self.update()

    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2, self.height() / 2)

    def point(self, hue: float, radius: float) -> QPointF:
        """Where a hue lies at a distance from the middle, pixels; red-like hues to the right, counter-clockwise."""
        angle = math.radians(hue)
        return self._middle() + QPointF(radius * math.cos(angle), -radius * math.sin(angle))

    def hue_at(self, p: QPointF) -> float:
        d = p - self._middle()
        return math.degrees(math.atan2(-d.y(), d.x())) % 360

    def radii(self) -> tuple[float, float]:
        """Of the ring's middle, and of the squares outside."""
        outer = self.height() / 2 - 8
        return outer - 22, outer

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme.current(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        ring, outer = self.radii()
        gradient = QConicalGradient(self._middle(), 0)
        for k in range(73):
            gradient.setColorAt(k / 72, hue_color(360 * k / 72))
        p.setPen(QPen(gradient, 18))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(self._middle(), ring, ring)
        box = QRectF(self._middle().x() - ring, self._middle().y() - ring, 2 * ring, 2 * ring)
        for k, node in enumerate(self.nodes):
            here = k == self.current
            p.setPen(QPen(t.color("ink"), 3 if here else 1.5))
            inner = box.adjusted(12, 12, -12, -12)
            p.drawArc(inner, round(16 * (node.hue - node.width)), round(32 * node.width))
            p.setPen(QPen(t.color("ink"), 1.2))
            if node.shift:
                p.drawLine(self.point(node.hue, ring + 9), self.point(node.hue + node.shift, outer))
            p.setBrush(hue_color((node.hue + node.shift) % 360))
            square = self.point(node.hue + node.shift, outer)
            p.drawRect(QRectF(square.x() - 5, square.y() - 5, 10, 10))
            p.setBrush(t.color("raised"))
            p.setPen(QPen(t.color("accent") if here else t.color("ink"), 2.5 if here else 1.5))
            p.drawEllipse(self.point(node.hue, ring), 7, 7)
        p.setPen(t.color("quiet"))
        p.setFont(theme.font(12))
        text = (
            tr("click a hue")
            if not self.nodes
            else tr("{nodes_count} of {MOST_NODES}", nodes_count=len(self.nodes), MOST_NODES=MOST_NODES)
        )
        p.drawText(QRectF(self._middle().x() - 45, self._middle().y() - 10, 90, 20), Qt.AlignmentFlag.AlignCenter, text)
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()))

    def _grabbed(self, pos: QPointF) -> tuple[int, str] | None:
        ring, outer = self.radii()
        best, found = 13.0, None
        for k, node in enumerate(self.nodes):
            for part, place in (
                ("hue", self.point(node.hue, ring)),
                ("shift", self.point(node.hue + node.shift, outer)),
            ):
                d = math.hypot(pos.x() - place.x(), pos.y() - place.y())
                if d < best or (d == best and k == self.current):
                    best, found = d, (k, part)
        return found

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._drag = self._grabbed(event.position())
        if self._drag is not None:
            self.chosen.emit(self._drag[0])
            return
        ring, outer = self.radii()
        d = event.position() - self._middle()
        if ring - 14 < math.hypot(d.x(), d.y()) < outer + 6 and len(self.nodes) < MOST_NODES:
            self.wanted.emit(round(self.hue_at(event.position())) % 360)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._dragged(event.position(), False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._dragged(event.position(), True)
            self._drag = None

    def _dragged(self, pos: QPointF, final: bool) -> None:
        assert self._drag is not None
        k, part = self._drag
        if k >= len(self.nodes):
            return
        hue = self.hue_at(pos)
        if part == "hue":
            self.moved.emit(k, {"hue": round(hue) % 360}, final)
        else:
            turn = (hue - self.nodes[k].hue + 180) % 360 - 180
            self.moved.emit(k, {"shift": float(max(-90, min(90, round(turn))))}, final)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        turn = {Qt.Key.Key_Left: 1, Qt.Key.Key_Right: -1}.get(Qt.Key(event.key()))
        if turn is None or not 0 <= self.current < len(self.nodes):
            super().keyPressEvent(event)
            return
        shift = self.nodes[self.current].shift + turn
        self.moved.emit(self.current, {"shift": float(max(-90, min(90, shift)))}, True)


class HueEditor(QWidget):
    """The ring with the numbers of the chosen node. Emits `changed(nodes, what, final)`."""

    changed = Signal(object, str, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.nodes: tuple[HueNode, ...] = ()
        self.current = -1
        layout = down(self, margins=(10, 6, 8, 6), gap=4)
        head = QHBoxLayout()
        self.pick_button = build(
            QPushButton,
            tr("Pick in picture"),
            objectName="take",
            checkable=True,
            toolTip=tr("Click a colour in the picture to add a node for it (Alt+H)"),
        )
        self.remove = build(
            QPushButton, tr("Remove node"), toolTip=tr("Remove the selected node"), clicked=self._remove
        )
        fill(head, self.pick_button, 1, self.remove)
        self.ring = HueRing()
        self.ring.moved.connect(self._moved)
        self.ring.chosen.connect(self._choose)
        self.ring.wanted.connect(lambda hue: self.add(HueNode(hue=hue)))
        fill(layout, head, self.ring)
        self.rows: dict[str, Row] = {}
        for field, info in HueNode.model_fields.items():
            row = Row.of(field, info)
            row.changed.connect(lambda f, v, final: self._moved(self.current, {f: v}, final))
            row.reset.connect(lambda f: self._moved(self.current, {f: getattr(HueNode(hue=0), f)}, True))
            self.rows[field] = row
            layout.addWidget(row)
        self.hint = Label(
            tr("Click a hue on the ring or a colour in the picture. A node appears with its values here."),
            objectName="quiet",
            wordWrap=True,
        )
        layout.addWidget(self.hint)
        self._show()

    def show_recipe(self, recipe: Recipe) -> None:
        self.nodes = recipe.hue_nodes
        if self.current >= len(self.nodes):
            self.current = len(self.nodes) - 1
        if self.current < 0 and self.nodes:
            self.current = 0
        self._show()

    def add(self, node: HueNode) -> None:
        """Put a new node on the ring and choose it."""
        if len(self.nodes) < MOST_NODES:
            self.current = len(self.nodes)
            self.changed.emit((*self.nodes, node), "hue node", True)

    def _choose(self, k: int) -> None:
        self.current = k
        self._show()

    def _remove(self) -> None:
        if 0 <= self.current < len(self.nodes):
            left = tuple(n for k, n in enumerate(self.nodes) if k != self.current)
            self.changed.emit(left, "remove hue node", True)

    def _moved(self, k: int, values: dict[str, Any], final: bool) -> None:
        if 0 <= k < len(self.nodes):
            if "hue" in values:
                values["hue"] = float(values["hue"]) % 360
            new = self.nodes[k].model_copy(update=values)
            changed = (*self.nodes[:k], new, *self.nodes[k + 1 :])
            self.changed.emit(changed, f"hue node {next(iter(values))}", final)

    def _show(self) -> None:
        self.ring.show_nodes(self.nodes, self.current)
        there = 0 <= self.current < len(self.nodes)
        self.remove.setVisible(there)
        self.hint.setVisible(not there)
        for field, row in self.rows.items():
            row.setVisible(there)
            if there:
                node = self.nodes[self.current]
                origin = getattr(HueNode(hue=node.hue), field)
                row.show_values(getattr(node, field), origin, None, "", True)
