"""The tone handles in the ledger: what they do now, what is suggested, and the buttons for both."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.ledger.row_parts import as_row, row_name
from bruto.app.widgets.build import across, build, fill
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.develop.recipe import Recipe
from bruto.develop.recipe_text import sentence
from bruto.develop.recipe_values import Tone


class TonePart(QWidget):
    """Emits `taken` and `reset`."""

    taken = Signal()
    reset = Signal()

    def __init__(self) -> None:
        super().__init__()
        column = as_row(self, 3)
        head = across()
        self.take = build(QPushButton, tr("apply handles"), objectName="take", clicked=lambda: self.taken.emit())
        back = build(
            QPushButton,
            "↺",
            objectName="icon",
            toolTip=tr("Reset tone to its default"),
            accessibleName=tr("Reset tone"),
            clicked=lambda: self.reset.emit(),
        )
        fill(head, row_name(tr("Handles")), 1, self.take, back)
        column.addLayout(head)
        self.now = Label("", wordWrap=True)
        self.evidence = Label(tr("measuring…"), objectName="quiet", wordWrap=True)
        for label in (self.now, self.evidence):
            column.addWidget(label)

    def show_recipe(self, recipe: Recipe, found: Any) -> None:
        """Show the handles, and what is suggested for them."""
        self.now.setText(sentence("tone", recipe))
        self.evidence.setText(found.evidence if found else tr("measuring…"))
        self.take.setVisible(found is not None and isinstance(found.value, Tone) and found.value != recipe.tone)
