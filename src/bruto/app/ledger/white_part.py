"""Ledger part for white that is no plain number: by the name of a light, or from a surface that is clicked."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from bruto.app.ledger.row_parts import as_row, choice_box, row_name
from bruto.app.widgets.build import across, build, down, fill
from bruto.catalog import tr
from bruto.develop.analysis.white_picker import SIDES, SURFACES
from bruto.develop.illuminants import NAMED, named, values_of
from bruto.develop.recipe import Recipe


class WhitePart(QWidget):
    """Emits `lit(title)` for a light ("" for as shot)."""

    lit = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        layout = down(self, margins=0, gap=6)
        self.lights_row = self._lights_row()
        fill(layout, self._pick_row(), self.lights_row)

    def _pick_row(self) -> QWidget:
        row = QWidget()
        line = across(gap=6)
        as_row(row).addLayout(line)
        self.surface = choice_box(tr("Surface"), tr("What you are about to click"), 6)
        for name, known in SURFACES.items():
            self.surface.addItem(known.title, name)
            self.surface.setItemData(
                self.surface.count() - 1,
                tr("{says}; such surfaces vary by ±{spread:.0f} %", says=known.says, spread=known.spread),
                3,
            )
        self.side = choice_box(tr("Averaged square"), tr("Side of the averaged square in raw pixels"), 4)
        for side in SIDES:
            self.side.addItem(tr("{side} px", side=side), side)
        self.side.setCurrentIndex(1)
        self.button = build(
            QPushButton,
            tr("pick"),
            objectName="take",
            checkable=True,
            toolTip=tr("Click the surface in the picture to make it neutral (Alt+W)"),
        )
        fill(line, row_name(tr("From")), (self.surface, 1), self.side, self.button)
        return row

    def _lights_row(self) -> QWidget:
        row = QWidget()
        line = QHBoxLayout()
        as_row(row).addLayout(line)
        line.addWidget(row_name(tr("Light")))
        self.lights = choice_box(tr("Light"), tr("White balance by a named light; the letters are CIE illuminants"))
        self.lights.addItem(tr("as shot"), "")
        for title, (code, _) in NAMED.items():
            self.lights.addItem(f"{title} ({code}), {values_of(title)[0]:.0f} K", title)
        self.lights.addItem(tr("by hand"), None)
        self.lights.activated.connect(self._light_chosen)
        line.addWidget(self.lights, 1)
        return row

    def _light_chosen(self) -> None:
        title = self.lights.currentData()
        if title is not None:
            self.lit.emit(title)

    def kind(self) -> str:
        """The surface that is clicked."""
        return str(self.surface.currentData())

    def averaged(self) -> int:
        """Side of the square that is averaged, pixels."""
        return int(self.side.currentData())

    def show_recipe(self, recipe: Recipe) -> None:
        known = named(recipe.temperature, recipe.tint)
        plain = recipe.temperature is None and recipe.tint is None and recipe.raw_neutral is None
        last = self.lights.count() - 1
        self.lights.setCurrentIndex(0 if plain else (self.lights.findData(known) if known else last))
