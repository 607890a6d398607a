"""The same push on both sides of a comparison: by sliders, and by a kept recipe."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QResizeEvent
from PySide6.QtWidgets import QComboBox, QGridLayout, QPushButton, QSlider, QWidget

from bruto.app.widgets.build import build
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.compare.push import cannot_act, tone_moved
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_library import NamedRecipe, saved_recipes

PUSHES: dict[str, tuple[str, int, int, float, str]] = {
    "exposure": (tr("Exposure"), -20, 40, 0.1, "EV"),
    "shadows": (tr("Shadows"), -20, 40, 1.0, "L*"),
    "highlights": (tr("Highlights"), -40, 20, 1.0, "L*"),
    "local_contrast": (tr("Local contrast"), -50, 150, 1.0, "%"),
    "chroma": (tr("Chroma"), -50, 150, 1.0, "%"),
}
"""Pushes: title, least and most, what a step of the slider is, and its unit."""
IN_ROW = 3
PUSH_AFTER_MS = 350
NO_RECIPE = tr("none")


class RecipeBox(QComboBox):
    """Kept recipes, read when it is opened."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Recipe on both"))
        self.setToolTip(tr("Saved recipes (Ctrl+E) can act on both, too"))
        self.setMinimumWidth(70)
        self.found: list[NamedRecipe] = []
        self.addItem(NO_RECIPE)

    def fill(self) -> None:
        """Read what is kept, with what is chosen still chosen."""
        chosen = self.currentText()
        self.found = saved_recipes()[0]
        self.blockSignals(True)
        self.clear()
        self.addItems([NO_RECIPE, *(n.name for n in self.found)])
        self.setCurrentIndex(max(self.findText(chosen), 0))
        self.blockSignals(False)

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.fill()  # keys choose without opening it
        super().focusInEvent(event)

    def showPopup(self) -> None:
        self.fill()
        super().showPopup()

    def recipe(self) -> Recipe:
        """What is chosen."""
        named = next((n for n in self.found if n.name == self.currentText()), None)
        return Recipe() if named is None else Recipe().changed(**named.values())


class PushRow(QWidget):
    """The same push on both sides. Emits `changed` with a recipe when it is let go."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.grid = grid = QGridLayout(self)
        grid.setContentsMargins(12, 4, 12, 4)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(0)
        self.title = title = Label(tr("Same push\non both"), objectName="quiet")
        grid.addWidget(title, 0, 0, 2, 1)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PUSH_AFTER_MS)
        self._timer.timeout.connect(lambda: self.changed.emit(self.recipe()))
        self.sliders: dict[str, QSlider] = {}
        self.values: dict[str, Label] = {}
        for k, (name, (text, low, high, _, _)) in enumerate(PUSHES.items()):
            row, column = k // IN_ROW, 1 + 3 * (k % IN_ROW)
            grid.addWidget(Label(text), row, column)
            slider = self.sliders[name] = QSlider(Qt.Orientation.Horizontal)
            slider.setRange(low, high)
            slider.setSingleStep(5)
            slider.setMinimumHeight(26)
            slider.setMinimumWidth(36)
            slider.setAccessibleName(tr("Push of {text} on both", text=text.lower()))
            slider.valueChanged.connect(self._moved)
            grid.addWidget(slider, row, column + 1)
            value = self.values[name] = Label("", minimumWidth=52)
            grid.addWidget(value, row, column + 2)
            grid.setColumnStretch(column + 1, 1)
        last = 1 + 3 * (len(PUSHES) % IN_ROW)
        grid.addWidget(Label(tr("Recipe")), 1, last)
        self.recipe_box = RecipeBox()
        self.recipe_box.currentIndexChanged.connect(self._moved)
        grid.addWidget(self.recipe_box, 1, last + 1)
        self.none = build(QPushButton, tr("None"), toolTip=tr("Remove the push"), clicked=self.reset)
        grid.addWidget(self.none, 1, last + 2)
        self.warning = Label("", objectName="warning", wordWrap=True)
        self.warning.hide()
        grid.addWidget(self.warning, 2, 0, 1, grid.columnCount())
        self._explain()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What the row is for gives way to its controls where there is little room."""
        super().resizeEvent(event)
        hidden = 0 if self.title.isVisibleTo(self) else self.title.sizeHint().width() + 8
        self.title.setVisible(self.grid.totalMinimumSize().width() + hidden <= self.width())

    def recipe(self) -> Recipe:
        """The push as values."""
        by = {name: slider.value() for name, slider in self.sliders.items()}
        base = self.recipe_box.recipe()
        up, down = by["shadows"], by["highlights"]
        moves = {"black": (0.0, up / 4), "shadow": (0.0, up), "bright": (0.0, down), "white": (0.0, down / 4)}
        return base.changed(
            exposure=base.exposure + by["exposure"] / 10,
            tone=tone_moved(base.tone, moves),
            local_contrast_medium=base.local_contrast_medium * (1 + by["local_contrast"] / 100),
            chroma=base.chroma * (1 + by["chroma"] / 100),
        )

    def reset(self) -> None:
        """No push."""
        self.recipe_box.setCurrentIndex(0)
        for slider in self.sliders.values():
            slider.setValue(0)

    def _explain(self) -> None:
        for name, (_, _, _, step, unit) in PUSHES.items():
            value = self.sliders[name].value() * step
            text = f"{value:+.1f} {unit}" if step < 1 else f"{value:+.0f} {unit}"
            self.values[name].setText(text.replace("-", "−"))
        self.none.setEnabled(any(s.value() for s in self.sliders.values()) or self.recipe_box.currentIndex() > 0)
        cannot = cannot_act(self.recipe_box.recipe())
        self.warning.setText(
            tr("Not possible on a finished picture, so ignored: {cannot}.", cannot=", ".join(cannot)) if cannot else ""
        )
        self.warning.setVisible(bool(cannot))

    def _moved(self, _: int) -> None:
        self._explain()
        self._timer.start()
