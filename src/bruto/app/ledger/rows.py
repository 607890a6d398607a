"""Rows of the ledger: one number each, with its unit, a track, the suggestion and the evidence for it."""

from __future__ import annotations

from pydantic.fields import FieldInfo
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QCheckBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from bruto.app.widgets import theme
from bruto.app.widgets.numbers import ValueBox
from bruto.app.widgets.plain import Label
from bruto.develop.shown import KEPT, decimals, limits, shown

FINE = 0.1
"""How fast a value follows the hand while Shift is held."""


class Track(QWidget):
    """A track with a square for the value and a diamond notch for the suggestion; drag (a tenth as fast with Shift) or
    arrow keys.
    """

    moved = Signal(float, bool)

    def __init__(self, low: float, high: float, step: float, mired: bool = False) -> None:
        super().__init__()
        self.low, self.high, self.step, self.mired = low, high, step, mired
        self.value, self.origin = low, low
        self.suggestion: float | None = None
        self._at = self._pointer = 0.0
        self._dragging = False
        self.setFixedHeight(24)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def _share(self, v: float) -> float:
        if self.mired:  # equal steps of reciprocal temperature look equal
            return (1 / self.low - 1 / v) / (1 / self.low - 1 / self.high)
        return (v - self.low) / (self.high - self.low)

    def x_of(self, v: float) -> float:
        return 6 + min(1.0, max(0.0, self._share(v))) * (self.width() - 12)

    def value_at(self, x: float) -> float:
        s = min(1.0, max(0.0, (x - 6) / (self.width() - 12)))
        v = (
            1 / (1 / self.low - s * (1 / self.low - 1 / self.high))
            if self.mired
            else self.low + s * (self.high - self.low)
        )
        return round(v / self.step) * self.step

    def show_values(self, value: float, origin: float, suggestion: float | None) -> None:
        self.value, self.origin, self.suggestion = value, origin, suggestion
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() / 2
        p.setPen(QPen(t.color("track"), 2))
        p.drawLine(QPointF(6, y), QPointF(self.width() - 6, y))
        p.setPen(QPen(t.color("accent"), 2))
        p.drawLine(QPointF(self.x_of(self.origin), y), QPointF(self.x_of(self.value), y))
        if self.suggestion is not None:
            x = self.x_of(self.suggestion)
            p.setPen(QPen(t.color("suggestion"), 1.5))
            p.setBrush(t.color("raised"))
            p.drawPolygon(QPolygonF([QPointF(x, y - 6), QPointF(x + 6, y), QPointF(x, y + 6), QPointF(x - 6, y)]))
        x = self.x_of(self.value)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.color("accent"))
        p.drawRoundedRect(QRectF(x - 4, y - 6, 8, 12), 2, 2)
        if self.hasFocus():
            theme.ring(p, QRectF(self.rect()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self._at = self._pointer = event.position().x()
            self.moved.emit(self.value_at(self._at), False)

    def _drag(self, event: QMouseEvent, final: bool) -> None:
        """With Shift the value follows a tenth as fast."""
        x = event.position().x()
        fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        self._at += (x - self._pointer) * (FINE if fine else 1.0)
        self._pointer = x
        self.moved.emit(self.value_at(self._at), final)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._drag(event, False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self._drag(event, True)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        direction = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_Up: 1}.get(
            Qt.Key(event.key())
        )
        if direction is None:
            super().keyPressEvent(event)
            return
        times = 5 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        self.moved.emit(
            min(self.high, max(self.low, round((self.value + direction * times * self.step) / self.step) * self.step)),
            True,
        )


class Row(QWidget):
    """One correction: name, value with unit, track, evidence, take, reset."""

    changed = Signal(str, float, bool)
    taken = Signal(str)
    reset = Signal(str)
    bypassed = Signal(str, bool)

    def __init__(self, field: str, info: FieldInfo) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.field = field
        said = shown(info)
        assert said is not None
        low, high = limits(info)
        self.said, self.title, self.unit = said, said.title, said.unit
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 5, 8, 4)
        layout.setSpacing(0)
        head = QHBoxLayout()
        head.setSpacing(4)
        self.used = QCheckBox(self.title)
        self.used.setObjectName("rowUsed")
        self.used.setChecked(True)
        self.used.setAccessibleName(f"{self.title} used")
        self.used.setToolTip(f"Untick to leave {self.title.lower()} out for a look; its value is kept")
        self.used.clicked.connect(lambda on: self.bypassed.emit(field, not on))
        name = Label(self.title)
        name.setFont(theme.font(12, bold=True))
        name.setStyleSheet("font-weight: bold;")
        head.addWidget(name if said.neutral is KEPT else self.used)
        self.extra = QHBoxLayout()
        head.addLayout(self.extra)
        head.addStretch(1)
        self.spin = ValueBox(said.signed)
        self.spin.setObjectName("value")
        self.spin.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.spin.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.spin.setRange(low, high)
        self.spin.setDecimals(decimals(said.step))
        self.spin.setSingleStep(said.step)
        self.spin.setSuffix(f" {self.unit}")
        self.spin.setKeyboardTracking(False)
        self.spin.setFixedWidth(98)
        self.spin.setAccessibleName(self.title)
        self.spin.setToolTip(f"{self.title}: {info.description} ({self.unit}). Type a number, or use the arrow keys.")
        head.addWidget(self.spin)
        back = QPushButton("↺")
        back.setObjectName("icon")
        back.setToolTip(f"Reset {self.title.lower()} to its default")
        back.setAccessibleName(f"Reset {self.title}")
        head.addWidget(back)
        layout.addLayout(head)
        track_low, track_high = said.track or (low, high)
        self.track = Track(track_low, track_high, said.step, mired=said.mired)
        self.track.setAccessibleName(f"{self.title} track")
        self.track.setToolTip(f"{info.description}. The diamond is the suggestion.")
        layout.addWidget(self.track)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        self.evidence = Label("measuring …")
        self.evidence.setObjectName("quiet")
        self.evidence.setWordWrap(True)
        self.evidence.setMinimumWidth(40)
        foot.addWidget(self.evidence, 1)
        self.take = QPushButton("take")
        self.take.setObjectName("take")
        self.take.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.take.hide()
        foot.addWidget(self.take, 0, Qt.AlignmentFlag.AlignTop)
        layout.addLayout(foot)
        self.spin.valueChanged.connect(lambda v: self.changed.emit(field, v, True))
        self.track.moved.connect(lambda v, final: self.changed.emit(field, v, final))
        self.take.clicked.connect(lambda: self.taken.emit(field))
        back.clicked.connect(lambda: self.reset.emit(field))

    def text_of(self, value: float) -> str:
        return self.said.text(value)

    def show_used(self, used: bool) -> None:
        """Whether the value counts, or is kept and left out."""
        self.used.setChecked(used)
        for part in (self.spin, self.track, self.take):
            part.setEnabled(used)
        if not used:
            self.evidence.setText("left out; the value is kept")
            self.evidence.setVisible(True)

    def show_values(
        self, value: float, default: float, suggestion: float | None, evidence: str | None, same: bool
    ) -> None:
        """Put values on screen without sending them back."""
        self.spin.blockSignals(True)
        self.spin.setValue(value)
        self.spin.blockSignals(False)
        self.track.show_values(value, default, suggestion)
        if evidence is not None:
            self.evidence.setText(evidence)
            self.evidence.setVisible(bool(evidence))
        self.take.setVisible(suggestion is not None and not same)
        if suggestion is not None:
            self.take.setText(f"take {self.text_of(suggestion)}")
            self.take.setToolTip(f"Take the suggested {self.title.lower()}: {self.text_of(suggestion)} {self.unit}")
