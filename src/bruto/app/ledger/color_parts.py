"""Ledger parts for colour that are no single number: monochrome, channels, tints of dark, middle and bright tones."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QLinearGradient, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QWidget,
)

from bruto.app.ledger.hue_ring import hue_color
from bruto.app.ledger.row_parts import as_row, choice_box, row_name
from bruto.app.ledger.rows import Track
from bruto.app.widgets import theme
from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.plain_text import Label
from bruto.app.widgets.value_box import ValueBox
from bruto.catalog import tr
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_values import IDENTITY, SWAP_RED_BLUE, Zone

CHANNELS = {
    tr("as they are"): IDENTITY,
    tr("red and blue exchanged"): SWAP_RED_BLUE,
    tr("red from green, green from blue"): (0.0, 1.0, 0.0, 0.0, 0.0, 1.0, 1.0, 0.0, 0.0),
}
OWN_MIX = "own"
"""Data of the choice that stands for a channel matrix by hand."""
ZONES = (("shadows", tr("Shadows")), ("midtones", tr("Midtones")), ("highlights", tr("Highlights")))


class ColorSwitches(QWidget):
    """Monochrome and the channel matrix. Emits `changed(field, value, what, final)`."""

    changed = Signal(str, object, str, bool)

    def __init__(self) -> None:
        super().__init__()
        layout = as_row(self)
        self.mono = build(
            QPushButton,
            tr("Monochrome"),
            checkable=True,
            toolTip=tr("Black and white. The hue ring then sets how light each colour becomes."),
            clicked=lambda on: self.changed.emit("monochrome", bool(on), "monochrome", True),
        )
        line = QHBoxLayout()
        fill(line, self.mono, 1)
        layout.addLayout(line)
        row = across(gap=6)
        row.addWidget(row_name(tr("Channels")))
        tip = tr(
            "How red, green and blue are mixed from the camera's own; for infrared, red and blue are usually swapped"
        )
        self.box = choice_box(tr("Channels"), tip)
        for text, matrix in CHANNELS.items():
            self.box.addItem(text, matrix)
        self.box.activated.connect(self._chosen)
        row.addWidget(self.box, 1)
        layout.addLayout(row)
        grid = QGridLayout()
        grid.setSpacing(3)
        self.cells: list[QDoubleSpinBox] = []
        for k, name_ in enumerate((tr("red"), tr("green"), tr("blue"))):
            label = Label(f"{name_} =", objectName="quiet")
            grid.addWidget(label, k, 0)
            for c, source in enumerate(("r", "g", "b")):
                cell = ValueBox()
                cell.setRange(-3, 3)
                cell.setSingleStep(0.05)
                cell.setDecimals(2)
                cell.setPrefix("")
                cell.setSuffix(f" {source}")
                cell.setKeyboardTracking(False)
                cell.setAccessibleName(tr("{name_} from {source}", name_=name_, source=source))
                cell.valueChanged.connect(self._typed)
                self.cells.append(cell)
                grid.addWidget(cell, k, c + 1)
        layout.addLayout(grid)

    def _chosen(self, index: int) -> None:
        matrix = self.box.itemData(index)
        if matrix is not None:
            self.changed.emit("channel_matrix", tuple(matrix), "channel_matrix", True)

    def _typed(self) -> None:
        self.changed.emit("channel_matrix", tuple(round(c.value(), 2) for c in self.cells), "channel_matrix", True)

    def show_recipe(self, recipe: Recipe) -> None:
        self.mono.setChecked(recipe.monochrome)
        known = next((k for k, m in enumerate(CHANNELS.values()) if m == recipe.channel_matrix), -1)
        own = self.box.findData(OWN_MIX)
        if known < 0 and own < 0:
            self.box.addItem(tr("own mix"), OWN_MIX)
            own = self.box.count() - 1
        self.box.setCurrentIndex(known if known >= 0 else own)
        for cell, value in zip(self.cells, recipe.channel_matrix, strict=True):
            cell.blockSignals(True)
            cell.setValue(value)
            cell.blockSignals(False)


class HueTrack(Track):
    """A track over the hues, drawn in their colours."""

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        y = self.height() / 2
        gradient = QLinearGradient(6, 0, self.width() - 6, 0)
        for k in range(25):
            gradient.setColorAt(k / 24, hue_color(360 * k / 24))
        p.setPen(QPen(gradient, 8))
        p.drawLine(QPointF(6, y), QPointF(self.width() - 6, y))
        p.end()
        super().paintEvent(event)


class SplitTintEditor(QWidget):
    """A hue and an amount for dark, middle and bright tones. Emits `changed(split_tint as dict, what, final)`."""

    changed = Signal(dict, str, bool)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.balance = Recipe().split_tint
        layout = down(self, margins=(10, 6, 8, 6), gap=2)
        self.hues: dict[str, HueTrack] = {}
        self.amounts: dict[str, Track] = {}
        self.texts: dict[str, Label] = {}
        for zone, title in ZONES:
            head = QHBoxLayout()
            name = Label(title)
            name.setFont(theme.font(12, bold=True))
            name.setStyleSheet("font-weight: bold;")
            head.addWidget(name)
            head.addStretch(1)
            self.texts[zone] = Label("")
            head.addWidget(self.texts[zone])
            back = build(
                QPushButton,
                "↺",
                objectName="icon",
                toolTip=tr("Remove the tint of {title}", title=title.lower()),
                accessibleName=tr("Reset {title}", title=title),
                clicked=lambda _=False, z=zone: self._changed(z, {"amount": 0.0}, True),
            )
            head.addWidget(back)
            layout.addLayout(head)
            hue, amount = HueTrack(0, 359, 1), Track(0, 0.1, 0.002)
            hue.setAccessibleName(tr("{title}: hue of the tint, degrees", title=title))
            hue.setToolTip(tr("Hue of the tint in degrees on the hue ring"))
            amount.setAccessibleName(tr("{title}: amount of the tint", title=title))
            amount.setToolTip(tr("Chroma of the tint; 0.03 is clearly visible"))
            hue.moved.connect(lambda v, final, z=zone: self._changed(z, {"hue": float(v) % 360}, final))
            amount.moved.connect(lambda v, final, z=zone: self._changed(z, {"amount": round(v, 3)}, final))
            self.hues[zone], self.amounts[zone] = hue, amount
            layout.addWidget(hue)
            layout.addWidget(amount)

    def _changed(self, zone: str, values: dict[str, Any], final: bool) -> None:
        data = self.balance.model_dump()
        data[zone] = {**data[zone], **values}
        self.changed.emit(data, f"tint of {zone} tones", final)

    def show_recipe(self, recipe: Recipe) -> None:
        self.balance = recipe.split_tint
        for zone, _ in ZONES:
            value: Zone = getattr(recipe.split_tint, zone)
            self.hues[zone].show_values(value.hue, value.hue, None)
            self.amounts[zone].show_values(value.amount, 0.0, None)
            self.texts[zone].setText(
                tr("{amount:.3f} towards {hue:.0f}°", amount=value.amount, hue=value.hue)
                if value.amount
                else tr("no tint")
            )
