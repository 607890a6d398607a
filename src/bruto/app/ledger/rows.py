"""Rows of the ledger: one number each, with its unit, a track, the suggestion and the evidence for it."""

from __future__ import annotations

from functools import cache

from pydantic.fields import FieldInfo
from PySide6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QMenu,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from bruto.app.widgets import theme
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.plain_text import Label, plain_tooltip
from bruto.app.widgets.value_box import ValueBox
from bruto.catalog import tr
from bruto.develop.field_ui import NO_NEUTRAL, FieldUi, decimals, limits, shown
from bruto.develop.recipe import FIELDS

NAME, VALUE, SAYS = 112, 86, 66
"""Widths of the columns beside the track, pixels."""
KEYPAD = Qt.KeyboardModifier.KeypadModifier.value | Qt.KeyboardModifier.ShiftModifier.value
FINE = 0.1
"""How fast a value follows the hand while Shift is held."""
TICK = 22
"""What the tick box takes before a name, pixels."""


@cache
def name_width() -> int:
    """Width of the column of names, pixels: as wide as the longest name needs in the language of the user."""
    metrics = QFontMetrics(QApplication.font())
    return max(NAME, *(metrics.horizontalAdvance(ui.title) + TICK for ui in FIELDS.values()))


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
        self.moved.emit(min(self.high, max(self.low, self.nudged(direction * times))), True)

    def nudged(self, steps: int) -> float:
        """The value that many steps further on."""
        return round((self.value + steps * self.step) / self.step) * self.step


class Row(QWidget):
    """One correction on one line: name, track, value with unit, and what was measured; the evidence stands below while
    the row has the focus. Left and Right change the value, a figure or Return types it, = takes the suggestion, Space
    leaves the row out, Backspace gives it its default.
    """

    changed = Signal(str, float, bool)
    taken = Signal(str)
    reset = Signal(str)
    bypassed = Signal(str, bool)
    FOUND = tr("measured")
    """How what is suggested came to be; pixels of the name."""

    @staticmethod
    def name_width() -> int:
        """Width of the column of names, pixels: as wide as the longest name needs."""
        return name_width()

    @classmethod
    def of(cls, field: str, info: FieldInfo) -> Row:
        """The row of a field of the recipe."""
        ui = shown(info)
        assert ui is not None
        return cls(field, ui, limits(info), info.description or "")

    def __init__(
        self, field: str, ui: FieldUi, span: tuple[float, float], about: str, track: Track | None = None,
        box: ValueBox | None = None,
    ) -> None:  # fmt: skip
        """`span`: least and greatest value; `about`: what it is, in words; `track` and `box`: others than usual."""
        super().__init__()
        self.setObjectName("ledgerRow")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.field = field
        low, high = span
        self.ui, self.title, self.unit = ui, ui.title, ui.unit
        layout = down(self, margins=(6, 2, 4, 2), gap=0)
        line = across(gap=4)
        self.used = build(QCheckBox, self.title, objectName="rowUsed")
        self.used.setChecked(True)
        self.used.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.used.setAccessibleName(tr("{title} on", title=self.title))
        self.used.setToolTip(tr("{about}. Untick to switch it off for now; the value is kept.", about=about))
        self.used.clicked.connect(lambda on: self.bypassed.emit(field, not on))
        name: QWidget = self.used
        if ui.neutral is NO_NEUTRAL:
            name = Label(self.title, toolTip=f"{about}.")
        name.setFixedWidth(self.name_width())
        track_low, track_high = ui.track or (low, high)
        self.track = track or Track(track_low, track_high, ui.step, mired=ui.mired)
        self.track.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.track.setAccessibleName(tr("{title} track", title=self.title))
        self.track.setToolTip(
            tr(
                "{about}. The diamond marks the {FOUND} value; hold Shift for fine steps.",
                about=about,
                FOUND=self.FOUND,
            )
        )
        unit = self.unit.removesuffix(" σ")
        unit_text = f" ({self.unit})" if self.unit else ""
        self.spin = box or ValueBox(ui.signed)
        self.spin.setObjectName("value")
        self.spin.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.spin.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.spin.setRange(low, high)
        self.spin.setDecimals(decimals(ui.step))
        self.spin.setSingleStep(ui.step)
        self.spin.setSuffix(f" {unit}" if unit else "")
        self.spin.setFixedWidth(VALUE)
        self.spin.setAccessibleName(self.title)
        self.spin.setToolTip(
            tr(
                "{title}: {about}{unit_text}. Type a number or use the arrow keys.",
                title=self.title,
                about=about,
                unit_text=unit_text,
            )
        )
        self.take = build(QPushButton, "", objectName="take", focusPolicy=Qt.FocusPolicy.NoFocus, fixedWidth=SAYS)
        fill(line, name, (self.track, 1), self.spin, self.take)
        self.evidence = Label(tr("measuring…"), objectName="quiet", wordWrap=True)
        self.evidence.setContentsMargins(2, 0, 2, 2)
        self.evidence.hide()
        fill(layout, line, self.evidence)
        self.spin.valueChanged.connect(lambda v: self.changed.emit(field, v, True))
        self.spin.lineEdit().returnPressed.connect(lambda: self.setFocus(Qt.FocusReason.OtherFocusReason))
        self.track.moved.connect(lambda v, final: self.changed.emit(field, v, final))
        self.take.clicked.connect(lambda: self.taken.emit(field))
        for part in (self.spin.lineEdit(), self.track):
            part.installEventFilter(self)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)

    def text_of(self, value: float) -> str:
        return self.ui.text(value)

    def show_used(self, used: bool) -> None:
        """Whether the value counts, or is kept and left out."""
        self.used.setChecked(used)
        for part in (self.spin, self.track):
            part.setEnabled(used)
        if not used:
            self.evidence.setText(tr("off; the value is kept"))
            self.take.setText(tr("off"))
        self.take.setEnabled(used and self.take.isEnabled())

    def show_values(
        self, value: float, default: float, suggestion: float | None, evidence: str | None, same: bool,
        certain: bool = True,
    ) -> None:  # fmt: skip
        """Put values on screen without sending them back; `certain`: whether nothing is assumed for the suggestion."""
        if not self.spin.hasFocus() or not self.spin.lineEdit().isModified():
            self.spin.blockSignals(True)
            self.spin.setValue(value)
            self.spin.blockSignals(False)
        self.track.show_values(value, default, suggestion)
        if evidence is not None:
            self.evidence.setText(evidence)
            self._show_evidence()
        offered = suggestion is not None and not same
        self.take.setEnabled(offered)
        self.take.setText(
            self.text_of(suggestion)
            if suggestion is not None and not same
            else ("✓" if certain else "?")
            if same
            else ""
        )
        words = f"{self.evidence.text()}. " if self.evidence.text() else ""
        if suggestion is not None and offered:
            ui = tr(
                "{capitalize}: {words}Apply {text_of} {unit}",
                capitalize=self.FOUND.capitalize(),
                words=words,
                text_of=self.text_of(suggestion),
                unit=self.unit,
            ).rstrip()
            self.take.setAccessibleName(
                tr("Apply the suggested {title}, {text_of}", title=self.title.lower(), text_of=self.text_of(suggestion))
            )
        else:
            ui = (
                tr("Measured: {words}The value equals the suggestion", words=words)
                if same
                else words or tr("No suggestion for this shot")
            )
            self.take.setAccessibleName(tr("{title}: nothing to apply", title=self.title))
        self.take.setToolTip(plain_tooltip(ui))

    # -- focus and keys

    def _show_evidence(self) -> None:
        inside = QApplication.focusWidget()
        here = inside is not None and (inside is self or self.isAncestorOf(inside))
        self.evidence.setVisible(here and bool(self.evidence.text()))

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._show_evidence()
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        if event.reason() not in (Qt.FocusReason.PopupFocusReason, Qt.FocusReason.ActiveWindowFocusReason):
            QTimer.singleShot(0, self._show_evidence)
        self.update()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The evidence follows the focus; a press on the track gives the row the focus, a double one its default."""
        if watched is self.track:
            if event.type() == QEvent.Type.MouseButtonPress:
                self.setFocus(Qt.FocusReason.MouseFocusReason)
            elif event.type() == QEvent.Type.MouseButtonDblClick:
                self.reset.emit(self.field)
                return True
        elif event.type() in (QEvent.Type.FocusIn, QEvent.Type.FocusOut):
            QTimer.singleShot(0, self._show_evidence)
        return super().eventFilter(watched, event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.setFocus(Qt.FocusReason.MouseFocusReason)

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.evidence.isVisible() or self.hasFocus():
            p = QPainter(self)
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            if self.hasFocus():
                theme.ring(p, QRectF(self.rect()))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, text = event.key(), event.text()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and self.used.isChecked():
            self.track.keyPressEvent(event)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.spin.isEnabled():
            self.spin.setFocus(Qt.FocusReason.OtherFocusReason)
        elif key == Qt.Key.Key_Space and self.ui.neutral is not NO_NEUTRAL:
            self.used.click()
        elif key in (Qt.Key.Key_Backspace, Qt.Key.Key_Delete):
            self.reset.emit(self.field)
        elif text == "=" and self.take.isEnabled():
            self.taken.emit(self.field)
        elif key == Qt.Key.Key_Escape and self.spin.hasFocus():
            self.setFocus(Qt.FocusReason.OtherFocusReason)
        elif text and text in "0123456789+-−.," and self.spin.isEnabled() and not event.modifiers().value & ~KEYPAD:
            self.spin.setFocus(Qt.FocusReason.OtherFocusReason)
            self.spin.selectAll()
            QApplication.sendEvent(self.spin, event)
        else:
            super().keyPressEvent(event)

    def _menu(self, place: QPoint) -> None:
        menu = QMenu(self)
        offered = tr("Apply {text} {unit}", text=self.take.text(), unit=self.unit).rstrip()
        take = menu.addAction(offered if self.take.isEnabled() else tr("Nothing to apply"))
        take.setEnabled(self.take.isEnabled())
        take.triggered.connect(lambda: self.taken.emit(self.field))
        menu.addAction(tr("Reset to default")).triggered.connect(lambda: self.reset.emit(self.field))
        if self.ui.neutral is not NO_NEUTRAL:
            used = self.used.isChecked()
            menu.addAction(tr("Switch off") if used else tr("Switch on")).triggered.connect(self.used.click)
        menu.popup(self.mapToGlobal(place))
