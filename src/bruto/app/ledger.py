"""The ledger: one row a correction, built from the recipe's own field descriptions, with suggestion and evidence."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from bruto.app import theme
from bruto.app.models import Edit
from bruto.app.profile_row import ProfileRow
from bruto.container.rawframe import RawMeta
from bruto.develop.recipe import Recipe, Tone

ROWS = (
    "exposure",
    "temperature",
    "tint",
    "brightness_noise",
    "colour_noise",
    "sharpness",
    "sharpness_radius",
    "chroma",
)
DECIMALS = {
    "exposure": 2,
    "temperature": 0,
    "tint": 4,
    "brightness_noise": 2,
    "colour_noise": 2,
    "sharpness": 2,
    "sharpness_radius": 2,
    "chroma": 2,
}
TRACK_RANGE: dict[str, tuple[float, float]] = {
    "exposure": (-4, 4),
    "temperature": (2000, 12000),
    "tint": (-0.03, 0.03),
    "chroma": (0, 2),
}
NOT_FOR_PICTURES = ("sharpness_radius",)


class Track(QWidget):
    """A track with a square for the value and a diamond notch for the suggestion; drag, wheel or arrow keys."""

    moved = Signal(float, bool)

    def __init__(self, low: float, high: float, step: float, mired: bool = False) -> None:
        super().__init__()
        self.low, self.high, self.step, self.mired = low, high, step, mired
        self.value, self.origin = low, low
        self.suggestion: float | None = None
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
        grow = 1 if self.hasFocus() else 0
        p.drawRoundedRect(QRectF(x - 4 - grow, y - 6 - grow, 8 + 2 * grow, 12 + 2 * grow), 2, 2)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self.moved.emit(self.value_at(event.position().x()), False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self.moved.emit(self.value_at(event.position().x()), False)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self.moved.emit(self.value_at(event.position().x()), True)

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


class ValueBox(QDoubleSpinBox):
    """A number with its unit; minus is written as a minus sign, typed as either."""

    def textFromValue(self, val: float) -> str:
        return super().textFromValue(val).replace("-", "−")

    def valueFromText(self, text: str) -> float:
        return super().valueFromText(text.replace("−", "-"))

    def validate(self, input: str, pos: int) -> object:
        found: Any = super().validate(input.replace("−", "-"), pos)
        return found[0], input, pos


class Row(QWidget):
    """One correction: name, value with unit, track, evidence, take, reset."""

    changed = Signal(str, float, bool)
    taken = Signal(str)
    reset = Signal(str)

    def __init__(self, field: str) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.field = field
        info = Recipe.model_fields[field]
        extra: dict[str, Any] = info.json_schema_extra  # type: ignore[assignment]
        low = next((m.ge for m in info.metadata if hasattr(m, "ge")), 0.0)
        high = next((m.le for m in info.metadata if hasattr(m, "le")), 1.0)
        self.title, self.unit = extra["title"], extra["unit"]
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 6, 8, 5)
        layout.setSpacing(0)
        head = QHBoxLayout()
        head.setSpacing(4)
        name = QLabel(self.title)
        name.setFont(theme.font(12, bold=True))
        name.setStyleSheet("font-weight: bold;")
        head.addWidget(name)
        self.extra = QHBoxLayout()
        head.addLayout(self.extra)
        head.addStretch(1)
        self.spin = ValueBox()
        self.spin.setObjectName("value")
        self.spin.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.spin.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.spin.setRange(low, high)
        self.spin.setDecimals(DECIMALS[field])
        self.spin.setSingleStep(extra["step"])
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
        track_low, track_high = TRACK_RANGE.get(field, (low, high))
        self.track = Track(track_low, track_high, extra["step"], mired=field == "temperature")
        self.track.setAccessibleName(f"{self.title} track")
        self.track.setToolTip(f"{info.description}. The diamond is the suggestion.")
        layout.addWidget(self.track)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        self.evidence = QLabel("measuring …")
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
        sign = "+" if self.field in ("exposure", "tint", "sharpness") and value else ""
        return f"{value:{sign}.{DECIMALS[self.field]}f}".replace("-", "−")

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
        self.take.setVisible(suggestion is not None and not same)
        if suggestion is not None:
            self.take.setText(f"take {self.text_of(suggestion)}")
            self.take.setToolTip(f"Take the suggested {self.title.lower()}: {self.text_of(suggestion)} {self.unit}")


class Ledger(QWidget):
    """All rows of the current shot; shows an `Edit` and sends intents to it."""

    pick_white = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(334)
        self.edit: Edit | None = None
        self.as_shot: tuple[float, float] = (6500.0, 0.0)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(10, 8, 4, 8)
        outer.setSpacing(6)
        head = QHBoxLayout()
        title = QLabel("Ledger")
        title.setObjectName("heading")
        head.addWidget(title)
        head.addStretch(1)
        self.undo_button, self.redo_button = QPushButton("↶"), QPushButton("↷")
        for button, text in ((self.undo_button, "Undo"), (self.redo_button, "Redo")):
            button.setAccessibleName(text)
            button.setFixedWidth(34)
            head.addWidget(button)
        self.all_button = QPushButton("Take all")
        self.all_button.setObjectName("primary")
        self.all_button.setToolTip("Take every suggestion (T)")
        head.addWidget(self.all_button)
        head.addSpacing(6)
        outer.addLayout(head)
        self.scroll_area = scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        body = QWidget()
        body.setObjectName("panelBody")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(6)
        self.rows: dict[str, Row] = {}
        for field in ROWS:
            row = Row(field)
            row.changed.connect(self._changed)
            row.taken.connect(lambda f: self.edit and self.edit.take(f))
            row.reset.connect(lambda f: self.edit and self.edit.reset(f))
            self.rows[field] = row
            column.addWidget(row)
            if field == "tint":
                self.profile = ProfileRow()
                column.addWidget(self.profile)
        self.profile.changed.connect(self._profile_changed)
        self.profile.taken.connect(lambda f: self.edit and self.edit.take(f))
        self.profile.reset.connect(lambda: self.edit and self.edit.reset("profile", "base_look"))
        self.pick_button = QPushButton("pick in picture")
        self.pick_button.setObjectName("take")
        self.pick_button.setCheckable(True)
        self.pick_button.setToolTip("Click something grey in the picture to make it neutral (W)")
        self.pick_button.toggled.connect(self.pick_white)
        self.rows["temperature"].extra.addWidget(self.pick_button)
        self.tone = QWidget()
        self.tone.setObjectName("row")
        self.tone.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        tone_layout = QVBoxLayout(self.tone)
        tone_layout.setContentsMargins(10, 6, 8, 6)
        tone_layout.setSpacing(3)
        tone_head = QHBoxLayout()
        name = QLabel("Tone")
        name.setStyleSheet("font-weight: bold;")
        tone_head.addWidget(name)
        tone_head.addStretch(1)
        self.tone_take = QPushButton("take")
        self.tone_take.setObjectName("take")
        self.tone_take.clicked.connect(lambda: self.edit and self.edit.take("tone"))
        tone_head.addWidget(self.tone_take)
        tone_reset = QPushButton("↺")
        tone_reset.setObjectName("icon")
        tone_reset.setToolTip("Reset tone to its default")
        tone_reset.setAccessibleName("Reset Tone")
        tone_reset.clicked.connect(lambda: self.edit and self.edit.reset("tone"))
        tone_head.addWidget(tone_reset)
        tone_layout.addLayout(tone_head)
        self.tone_now = QLabel("")
        self.tone_evidence = QLabel("measuring …")
        self.tone_evidence.setObjectName("quiet")
        for label in (self.tone_now, self.tone_evidence):
            label.setWordWrap(True)
            tone_layout.addWidget(label)
        column.addWidget(self.tone)
        self.notice = QLabel("")
        self.notice.setObjectName("warning")
        self.notice.setWordWrap(True)
        column.addWidget(self.notice)
        reset_all = QPushButton("Reset all")
        reset_all.setToolTip("Give every row its default value; can be undone")
        reset_all.clicked.connect(lambda: self.edit and self.edit.reset())
        column.addWidget(reset_all, 0, Qt.AlignmentFlag.AlignLeft)
        column.addStretch(1)
        scroll.setWidget(body)
        outer.addWidget(scroll)
        self.all_button.clicked.connect(lambda: self.edit and self.edit.take_all())
        self.undo_button.clicked.connect(lambda: self.edit and self.edit.undo())
        self.redo_button.clicked.connect(lambda: self.edit and self.edit.redo())

    def _changed(self, field: str, value: float, final: bool) -> None:
        if self.edit is not None:
            self.edit.change(self.rows[field].title.lower(), final=final, **{field: value})

    def _profile_changed(self, field: str, value: Any) -> None:
        if self.edit is not None:
            self.edit.change(field.replace("_", " "), **{field: value})

    def show_edit(
        self,
        edit: Edit | None,
        as_shot: tuple[float, float] | None = None,
        notice: str = "",
        meta: RawMeta | None = None,
    ) -> None:
        """Another shot, or values of the file that became known; `meta` of a raw that is open."""
        self.edit = edit
        self.profile.show_meta(meta)
        if as_shot is not None:
            self.as_shot = as_shot
        self.notice.setText(notice)
        self.notice.setVisible(bool(notice))
        self.refresh()

    def _shown(self, field: str, value: float | None) -> float:
        if value is None:
            return self.as_shot[0] if field == "temperature" else self.as_shot[1]
        return value

    def refresh(self) -> None:
        """Bring all rows up to date with the edit."""
        edit = self.edit
        self.setEnabled(edit is not None)
        if edit is None:
            self.all_button.setText("Take all")
            return
        default = Recipe()
        for field, row in self.rows.items():
            value = self._shown(field, getattr(edit.recipe, field))
            found = edit.suggestions.get(field)
            suggestion = None if found is None else self._shown(field, found.value)
            evidence = (
                found.evidence
                if found
                else ("measuring …" if not edit.suggestions else "your choice; nothing to measure")
            )
            same = suggestion is not None and row.text_of(suggestion) == row.text_of(value)
            row.show_values(value, self._shown(field, getattr(default, field)), suggestion, evidence, same)
        self.profile.show_values(edit.recipe, edit.suggestions.get("base_look"))
        tone = edit.recipe.tone
        self.tone_now.setText(
            f"shadow to L* {tone.shadow.lightness:.0f}, bright to L* {tone.bright.lightness:.0f}, white from "
            f"{tone.white.ev:+.1f} EV; set on the light strip".replace("-", "−")
        )
        found = edit.suggestions.get("tone")
        self.tone_evidence.setText(found.evidence if found else "measuring …")
        self.tone_take.setVisible(found is not None and isinstance(found.value, Tone) and found.value != tone)
        self.tone_take.setText("take handles")
        still = len(
            [
                f
                for f in edit.open_suggestions()
                if f not in self.rows or self.rows[f].take.isVisibleTo(self) or f == "tone"
            ]
        )
        self.all_button.setText(f"Take all {still}" if still else "All taken")
        self.all_button.setEnabled(bool(still))
        self.undo_button.setEnabled(edit.can_undo)
        self.redo_button.setEnabled(edit.can_redo)
        history = edit.sidecar.history
        self.undo_button.setToolTip(f"Undo {history[-1][0]} (Ctrl+Z)" if history else "Nothing to undo")
        self.redo_button.setToolTip(
            f"Redo {edit.sidecar.future[-1][0]} (Ctrl+Shift+Z)" if edit.can_redo else "Nothing to redo"
        )
