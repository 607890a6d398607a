"""Ledger part for the frame: aspect ratio, crop on the picture, levelling by a line, and what is left."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.ledger.row_parts import as_row, choice_box, row_name
from bruto.app.widgets.build import across, build, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.develop.recipe import Recipe

RATIOS = (("1 : 1", 1.0), ("5 : 4", 1.25), ("4 : 3", 4 / 3), ("3 : 2", 1.5), ("16 : 9", 16 / 9), ("2 : 1", 2.0))
"""Wide ratios for sharing and printing; each can stand on its short side too."""


class FramePart(QWidget):
    """Emits `aspect_chosen(width / height, 0 for the frame's own)`, `framing(on)`, `by_line(on)`, `turned(quarters
    clockwise)`, `area(on)` for all that was recorded, and `reset`.
    """

    aspect_chosen = Signal(float)
    framing = Signal(bool)
    by_line = Signal(bool)
    reset = Signal()
    turned = Signal(int)
    area = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        layout = as_row(self, 5)
        head = across(gap=6)
        head.addWidget(row_name(tr("Crop")))
        self.box = choice_box(tr("Aspect ratio"), tr("Width to height of the crop"), 8)
        self.box.addItem(tr("free"), 0.0)
        for text, ratio in RATIOS:
            self.box.addItem(text, ratio)
        self.box.activated.connect(self._chosen)
        self.turn = build(
            QPushButton,
            tr("portrait"),
            objectName="take",
            checkable=True,
            toolTip=tr("Use the ratio in portrait instead of landscape"),
            clicked=self._chosen,
        )
        back = build(
            QPushButton,
            "↺",
            objectName="icon",
            toolTip=tr("Reset to the whole frame"),
            accessibleName=tr("Reset crop"),
            clicked=self.reset,
        )
        fill(head, (self.box, 1), self.turn, back)
        tools = across(gap=6)
        self.frame_button = build(
            QPushButton,
            tr("Crop in the picture"),
            checkable=True,
            toolTip=tr("Show the whole straightened frame and drag the crop (Alt+F)"),
            toggled=self._framing,
        )
        self.line_button = build(
            QPushButton,
            tr("Level by a line"),
            checkable=True,
            toolTip=tr("Draw along something level or vertical in the picture (Alt+L)"),
            toggled=self._by_line,
        )
        tools.addWidget(self.frame_button)
        tools.addWidget(self.line_button)
        tools.addStretch(1)
        fill(layout, head, tools)
        turns = across(gap=6)
        turns.addWidget(row_name(tr("Rotate")))
        self.left_button, self.right_button = QPushButton("↶ 90°"), QPushButton("↷ 90°")
        for button, quarters, tip in (
            (self.left_button, 3, tr("Rotate 90° anticlockwise (Alt+Left)")),
            (self.right_button, 1, tr("Rotate 90° clockwise (Alt+Right)")),
        ):
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _=False, n=quarters: self.turned.emit(n))
            turns.addWidget(button)
        self.area_button = build(
            QPushButton,
            tr("Whole sensor"),
            checkable=True,
            toolTip=tr("Include the recorded margin outside the file's default crop"),
            clicked=lambda on: self.area.emit(bool(on)),
        )
        fill(turns, self.area_button, 1)
        self.left = Label("", objectName="quiet", wordWrap=True)
        fill(layout, turns, self.left)

    def _chosen(self) -> None:
        ratio = float(self.box.currentData())
        self.aspect_chosen.emit(round(1 / ratio, 6) if ratio and self.turn.isChecked() else round(ratio, 6))

    def _framing(self, on: bool) -> None:
        if not on:
            self.line_button.setChecked(False)
        self.framing.emit(on)

    def _by_line(self, on: bool) -> None:
        if on:
            self.frame_button.setChecked(True)
        self.by_line.emit(on)

    def show_recipe(self, recipe: Recipe) -> None:
        """The ratio of a recipe."""
        wide = max(recipe.aspect, 1 / recipe.aspect) if recipe.aspect else 0.0
        index = next((k for k in range(self.box.count()) if abs(self.box.itemData(k) - wide) < 0.002), -1)
        if index < 0:
            while self.box.count() > len(RATIOS) + 1:
                self.box.removeItem(self.box.count() - 1)
            self.box.addItem(f"{wide:.2f} : 1", wide)
            index = self.box.count() - 1
        self.box.setCurrentIndex(index)
        if recipe.aspect:
            self.turn.setChecked(recipe.aspect < 0.999)
        self.area_button.setChecked(recipe.whole_area)
        self.turn.setEnabled(bool(recipe.aspect) and wide > 1.001)

    def show_more(self, more: bool) -> None:
        """Whether the file holds picture outside of its default crop."""
        self.area_button.setVisible(more)

    def show_size(self, size: tuple[int, int], whole: tuple[int, int]) -> None:
        """What is left, oriented pixels, of the whole frame."""
        w, h = size
        share = 100 * w * h / max(whole[0] * whole[1], 1)
        self.left.setText(
            tr("{w} × {h} px, {w2:.1f} MP, {share:.0f} % of the frame", w=w, h=h, w2=w * h / 1000000.0, share=share)
        )
