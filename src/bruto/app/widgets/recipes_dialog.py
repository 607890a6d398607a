"""Recipes: keep this shot's values under a name, use kept ones, or this shot's, on other shots."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from bruto.app.widgets.build import across, build, down, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.develop.field_ui import GROUPS
from bruto.develop.recipe import Recipe, fields_of
from bruto.develop.recipe_library import NamedRecipe, drop, keep, saved_recipes
from bruto.errors import BrutoError

OWN = tr("The values of this shot")
TARGETS = {
    "shot": tr("this shot"),
    "selection": tr("the selection"),
    "set": tr("its set"),
    "keep_or_best": tr("Keep and Best"),
    "all": tr("all shots"),
}
"""Shots that values are applied to, by the identifiers of `Shoot.targets`."""
PER_SHOT = ("light", "white", "frame")
"""Groups that are mostly each shot's own, and not ticked at first."""


class RecipesDialog(QDialog):
    """Emits `wanted(values, title, target)` to use values on shots."""

    wanted = Signal(dict, str, str)

    def __init__(self, recipe: Recipe, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Recipes"))
        self.setObjectName("panel")
        self.setMinimumWidth(520)
        self.recipe = recipe
        self.found: list[NamedRecipe] = []
        row = across(self, margins=(16, 14, 16, 14), gap=16)
        left = QVBoxLayout()
        self.names = build(QListWidget, accessibleName=tr("Recipes"), currentRowChanged=self._chosen)
        self.delete = build(QPushButton, tr("Delete this recipe"), clicked=self._delete)
        fill(left, Label(tr("Values from")), (self.names, 1), self.delete)
        row.addLayout(left, 1)
        right = down(gap=8)
        right.addWidget(Label(tr("Groups")))
        grid = QGridLayout()
        self.ticks: dict[str, QCheckBox] = {}
        for k, (name, title, _) in enumerate(GROUPS):
            tick = QCheckBox(title)
            self.ticks[name] = tick
            grid.addWidget(tick, k // 2, k % 2)
        hint = Label(
            tr("Light, white and frame usually differ between shots; their suggestions stay as they are."),
            objectName="quiet",
            wordWrap=True,
        )
        fill(right, grid, hint)
        use = QHBoxLayout()
        self.target = build(QComboBox, accessibleName=tr("Apply to"))
        for key, title in TARGETS.items():
            self.target.addItem(title, key)
        self.use = build(QPushButton, tr("Apply to"), objectName="primary", clicked=self._use)
        fill(use, self.use, (self.target, 1))
        line = QHBoxLayout()
        self.name = build(QLineEdit, placeholderText=tr("name of the recipe"), accessibleName=tr("Name of the recipe"))
        self.keep = build(
            QPushButton,
            tr("Save as"),
            toolTip=tr("Save this shot's values of the ticked groups under a name"),
            clicked=self._keep,
        )
        fill(line, self.keep, (self.name, 1))
        self.note = Label("", objectName="warning", wordWrap=True)
        fill(right, use, line, self.note, 1)
        close = build(QPushButton, tr("Close"), clicked=self.accept)
        right.addWidget(close, 0, Qt.AlignmentFlag.AlignRight)
        row.addLayout(right, 2)
        self._fill()

    def _fill(self, choose: str = OWN) -> None:
        self.found, problems = saved_recipes()
        self.names.clear()
        self.names.addItem(OWN)
        self.names.addItems([n.name for n in self.found])
        names = [OWN, *(n.name for n in self.found)]
        self.names.setCurrentRow(names.index(choose) if choose in names else 0)
        self.note.setText(" ".join(problems))

    def _chosen(self, row: int) -> None:
        named = self.found[row - 1] if 0 < row <= len(self.found) else None
        self.delete.setEnabled(named is not None)
        for name, tick in self.ticks.items():
            on = name not in PER_SHOT if named is None else set(fields_of(name)) <= set(named.fields)
            tick.setEnabled(named is None or on)
            tick.setChecked(on)

    def fields(self) -> tuple[str, ...]:
        """The recipe's fields of the ticked groups."""
        return tuple(f for name, tick in self.ticks.items() if tick.isChecked() for f in fields_of(name))

    def _use(self) -> None:
        row = self.names.currentRow()
        source = self.found[row - 1] if row > 0 else NamedRecipe("values of another shot", (), self.recipe)
        values = NamedRecipe(source.name, self.fields(), source.recipe).values()
        if not values:
            self.note.setText(tr("Tick at least one group."))
            return
        self.note.setText("")
        self.wanted.emit(values, source.name, str(self.target.currentData()))

    def _keep(self) -> None:
        if not self.fields():
            self.note.setText(tr("Tick at least one group."))
            return
        try:
            keep(NamedRecipe(self.name.text().strip(), self.fields(), self.recipe))
        except BrutoError as error:
            self.note.setText(str(error))
            return
        self._fill(self.name.text().strip())

    def _delete(self) -> None:
        row = self.names.currentRow()
        try:
            drop(self.found[row - 1].name)
        except BrutoError as error:
            self.note.setText(str(error))
            return
        self._fill()
