"""Compare: the developed raw and the phone's picture on one grid, side by side, behind a curtain, alternating or as
difference.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from bruto.app.stage.stage import to_qimage
from bruto.app.stage.stage_bar import StageBar
from bruto.app.widgets import theme
from bruto.app.widgets.plain import Label
from bruto.compare.metrics import Comparison, sentences
from bruto.compare.rendering import SharpPair

MODES = ("Side by side", "Curtain", "Alternate", "Difference")
FULL_DIFFERENCE = 15.0
"""CIEDE2000 shown as the brightest difference."""


def difference_picture(difference: NDArray, valid: NDArray | None = None) -> NDArray[np.uint8]:
    """ΔE00 (H, W) as grey (0 black, `FULL_DIFFERENCE` white), uint8 (H, W, 3)."""
    grey = (np.clip(difference / FULL_DIFFERENCE, 0, 1) * 255).astype(np.uint8)
    if valid is not None:
        grey = np.where(valid, grey, 60).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)


class CompareStage(QWidget):
    """Two pictures of the same grid with linked zoom and pan.

    The whole is shown on the compared grid; zoomed in beyond it, `view_changed` asks for sharp pieces at the raw's
    size.
    """

    view_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Comparison")
        self.mode = MODES[1]
        self.first: QImage | None = None
        self.second: QImage | None = None
        self.difference: QImage | None = None
        self.pieces: tuple[QImage, QImage, QImage] | None = None
        self.piece_rect = QRectF()  # on the compared grid
        self.full_scale = 1.0  # pixels of the raw a pixel of the compared grid
        self.names = ("raw", "phone's picture")
        self.curtain = 0.5
        self.flip = False
        self.fit, self.zoom, self.centre = True, 1.0, QPointF()
        self.message = ""
        self._drag: tuple[str, QPointF] | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(700)
        self._timer.timeout.connect(self._tick)

    def set_comparison(self, c: Comparison | None, names: tuple[str, str] = ("raw", "phone's picture")) -> None:
        self.names = names
        self.pieces = None
        if c is None:
            self.first = self.second = self.difference = None
        else:
            fresh = self.first is None
            self.first, self.second, self.difference = (
                to_qimage(c.first),
                to_qimage(c.second),
                to_qimage(difference_picture(c.map, c.valid)),
            )
            if fresh:
                self.fit = True
        self._refit()
        self.update()

    def set_mode(self, mode: str) -> None:
        self.mode = mode
        self.flip = False
        self._timer.start() if mode == "Alternate" else self._timer.stop()
        self._refit()
        self._moved()

    def hideEvent(self, event: Any) -> None:
        self._timer.stop()

    def showEvent(self, event: Any) -> None:
        if self.mode == "Alternate":
            self._timer.start()

    def _tick(self) -> None:
        self.flip = not self.flip
        self.update()

    def _panes(self) -> list[QRectF]:
        if self.mode == "Side by side":
            half = self.width() / 2
            return [QRectF(0, 0, half - 1, self.height()), QRectF(half + 1, 0, half - 1, self.height())]
        return [QRectF(self.rect())]

    def _refit(self) -> None:
        if self.first is not None and self.fit:
            pane = self._panes()[0]
            self.zoom = min((pane.width() - 16) / self.first.width(), (pane.height() - 16) / self.first.height())
            self.centre = QPointF(self.first.width() / 2, self.first.height() / 2)

    def set_fit(self) -> None:
        self.fit = True
        self._refit()
        self._moved()

    def set_one_to_one(self) -> None:
        """One pixel of the raw on one of the screen."""
        self.fit = False
        self.zoom = self.full_scale / self.devicePixelRatioF()
        self._moved()

    def _moved(self) -> None:
        self.update()
        self.view_changed.emit()

    def wanted_piece(self) -> tuple[int, int, int, int] | None:
        """The visible part (x, y, width, height) in pixels of the raw where the compared grid is too coarse, else
        None.
        """
        if self.first is None or self.zoom * self.devicePixelRatioF() < 1.1 or self.full_scale <= 1.0:
            return None
        pane = self._panes()[0]
        half_w, half_h = pane.width() / 2 / self.zoom, pane.height() / 2 / self.zoom
        g = self.full_scale
        x0, y0 = max(0, int((self.centre.x() - half_w) * g)), max(0, int((self.centre.y() - half_h) * g))
        x1 = min(int(self.first.width() * g), int((self.centre.x() + half_w) * g) + 1)
        y1 = min(int(self.first.height() * g), int((self.centre.y() + half_h) * g) + 1)
        return (x0, y0, x1 - x0, y1 - y0) if x1 - x0 > 8 and y1 - y0 > 8 else None

    def set_pieces(self, pair: SharpPair | None) -> None:
        """Sharp pixels of a part of both, or none."""
        if pair is None:
            self.pieces = None
        else:
            r, g = pair.rect, self.full_scale
            self.pieces = (
                to_qimage(pair.first),
                to_qimage(pair.second),
                to_qimage(difference_picture(pair.difference)),
            )
            self.piece_rect = QRectF(r.x / g, r.y / g, r.width / g, r.height / g)
        self.update()

    def _draw(self, p: QPainter, which: int, target: QRectF) -> None:
        """One of first, second, difference on a pane, with its sharp piece over it."""
        image = (self.first, self.second, self.difference)[which]
        assert image is not None
        p.drawImage(target, image)
        if self.pieces is not None and self.zoom * self.devicePixelRatioF() >= 1.1:
            r = self.piece_rect
            place = QPointF(target.left() + r.left() * self.zoom, target.top() + r.top() * self.zoom)
            p.drawImage(QRectF(place.x(), place.y(), r.width() * self.zoom, r.height() * self.zoom), self.pieces[which])

    def _target(self, pane: QRectF) -> QRectF:
        assert self.first is not None
        x = pane.center().x() - self.centre.x() * self.zoom
        y = pane.center().y() - self.centre.y() * self.zoom
        return QRectF(x, y, self.first.width() * self.zoom, self.first.height() * self.zoom)

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), t.color("surround"))
        if self.first is None or self.second is None or self.difference is None:
            p.setPen(t.color("on_surround"))
            p.setFont(theme.font(13))
            p.drawText(
                QRectF(self.rect()).adjusted(60, 0, -60, 0),
                Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                self.message,
            )
            return
        panes = self._panes()
        if self.mode == "Side by side":
            for which, (pane, name) in enumerate(zip(panes, self.names, strict=True)):
                p.setClipRect(pane)
                self._draw(p, which, self._target(pane))
                self._label(p, name, pane.left() + 10, True)
            return
        pane = panes[0]
        target = self._target(pane)
        if self.mode == "Difference":
            self._draw(p, 2, target)
            self._label(p, f"difference, ΔE00: black 0, white {FULL_DIFFERENCE:.0f} or more", 10, True)
            return
        if self.mode == "Alternate":
            self._draw(p, int(self.flip), target)
            self._label(p, self.names[int(self.flip)], 10, True)
            return
        x = pane.width() * self.curtain
        self._draw(p, 0, target)
        p.setClipRect(QRectF(x, 0, pane.width() - x, pane.height()))
        self._draw(p, 1, target)
        p.setClipping(False)
        p.setPen(QPen(t.color("on_surround"), 2))
        p.drawLine(QPointF(x, 0), QPointF(x, pane.height()))
        p.setBrush(t.color("raised"))
        p.setPen(QPen(t.color("ink"), 1))
        p.drawRoundedRect(QRectF(x - 6, pane.height() / 2 - 16, 12, 32), 4, 4)
        self._label(p, self.names[0], 10, True)
        self._label(p, self.names[1], pane.width() - 10, False)

    def _label(self, p: QPainter, text: str, x: float, left: bool) -> None:
        t = theme.current()
        p.setFont(theme.font(12, bold=True))
        width = p.fontMetrics().horizontalAdvance(text) + 16
        box = QRectF(x if left else x - width, self.height() - 34, width, 24)
        p.fillRect(box, t.color("raised"))
        p.setPen(t.color("ink"))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._refit()
        self.view_changed.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.first is None:
            return
        pane = next((q for q in self._panes() if q.contains(event.position())), self._panes()[0])
        at = event.position() - pane.center()
        place = self.centre + at * (1 / self.zoom)
        self.fit = False
        self.zoom = float(np.clip(self.zoom * 1.2 ** (event.angleDelta().y() / 120), 0.05, 8))
        self.centre = place - at * (1 / self.zoom)
        self._moved()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        near = abs(event.position().x() - self.width() * self.curtain) < 14
        self._drag = ("curtain" if self.mode == "Curtain" and near else "pan", event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        kind, last = self._drag
        if kind == "curtain":
            self.curtain = min(0.98, max(0.02, event.position().x() / self.width()))
        else:
            self.fit = False
            self.centre = self.centre - (event.position() - last) * (1 / self.zoom)
            self.view_changed.emit()
        self._drag = (kind, event.position())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._drag = None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.mode == "Curtain" and event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.curtain = min(0.98, max(0.02, self.curtain + (0.03 if event.key() == Qt.Key.Key_Right else -0.03)))
            self.update()
        else:
            super().keyPressEvent(event)


class ComparePanel(QWidget):
    """The measured table, a plain sentence under each line."""

    push_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(334)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 8)
        title = Label("What it shows")
        title.setObjectName("heading")
        layout.addWidget(title)
        self.note = Label("")
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        layout.addWidget(self.note)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.body = QWidget()
        self.body.setObjectName("panelBody")
        self.grid = QGridLayout(self.body)
        self.grid.setContentsMargins(0, 0, 8, 0)
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(1)
        self.grid.setColumnStretch(0, 1)
        scroll.setWidget(self.body)
        layout.addWidget(scroll, 1)
        self.values: dict[str, tuple[str, str]] = {}

    def set_comparison(self, c: Comparison | None, note: str, columns: tuple[str, str] = ("raw", "phone")) -> None:
        """Fill the table, or empty it and say why."""
        self.note.setText(note)
        while self.grid.count():
            item = self.grid.takeAt(0)
            if item is not None and item.widget() is not None:
                item.widget().setParent(None)  # gone at once, not when the event loop comes round
        self.values = {}
        if c is None:
            return
        for k, text in enumerate(columns):
            label = Label(text)
            label.setObjectName("quiet")
            self.grid.addWidget(label, 0, k + 1, Qt.AlignmentFlag.AlignRight)
        row = 1
        for name, a, b, sentence in sentences(c):
            self.values[name] = (a, b)
            title = Label(name)
            title.setStyleSheet("font-weight: bold;")
            self.grid.addWidget(title, row, 0)
            for k, value in enumerate((a, b)):
                number = Label(value)
                self.grid.addWidget(number, row, k + 1, Qt.AlignmentFlag.AlignRight)
            words = Label(sentence)
            words.setObjectName("quiet")
            words.setWordWrap(True)
            self.grid.addWidget(words, row + 1, 0, 1, 3)
            line = QWidget()
            line.setFixedHeight(1)
            line.setStyleSheet(f"background: {theme.current().line};")
            self.grid.addWidget(line, row + 2, 0, 1, 3)
            row += 3
        self.grid.setRowStretch(row, 1)


class ComparePage(QWidget):
    """Stage with its bar, and the panel."""

    def __init__(self) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        bar = StageBar("COMPARE")
        self.tag = bar.tag
        self.stage = CompareStage()
        self.buttons: dict[str, QPushButton] = {}
        for k, mode in enumerate(MODES):
            button = bar.add(mode, mode, left=True, checkable=True, shortcut=f"Alt+{k + 1}")
            button.clicked.connect(lambda _, m=mode: self.set_mode(m))
            self.buttons[mode] = button
        bar.add("Fit", "Whole picture (Z)").clicked.connect(self.stage.set_fit)
        bar.add("1:1", "One pixel of the raw on one of the screen (Z)").clicked.connect(self.stage.set_one_to_one)
        middle.addWidget(bar)
        middle.addWidget(self.stage, 1)
        layout.addLayout(middle, 1)
        self.panel = ComparePanel()
        layout.addWidget(self.panel)
        self.set_mode("Curtain")

    def set_mode(self, mode: str) -> None:
        for name, button in self.buttons.items():
            button.setChecked(name == mode)
        self.stage.set_mode(mode)

    def show_waiting(self, text: str) -> None:
        self.tag.setText("COMPARE")
        self.stage.message = text
        self.stage.set_comparison(None)
        self.panel.set_comparison(None, "")

    def show_comparison(self, c: Comparison, names: tuple[str, str], full_width: int) -> None:
        """`full_width`: of the raw, pixels."""
        self.stage.full_scale = full_width / c.first.shape[1]
        self.tag.setText(f"ALIGNED within {max(c.alignment.model_px, 0.05):.2f} px")
        self.tag.setToolTip(f"{c.alignment.tracks} places tracked; error left in the fitted model")
        self.stage.set_comparison(c, names)
        self.panel.set_comparison(
            c, "Both at equal size, the phone's picture brought onto the raw. Values of flat and busy places."
        )
