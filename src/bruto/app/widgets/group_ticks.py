"""Which groups of values are copied."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtWidgets import QCheckBox, QDialog, QGridLayout, QHBoxLayout, QPushButton, QWidget

from bruto.app.widgets.build import down
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.develop.field_ui import GROUPS


class GroupTicks(QDialog):
    """Ticks for the groups of the ledger; accepted to copy."""

    def __init__(self, parent: QWidget, ticked: Iterable[str]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Copy values"))
        self.setObjectName("question")
        column = down(self, margins=(20, 16, 20, 16), gap=10)
        heading = Label(tr("Groups to copy"), objectName="heading")
        column.addWidget(heading)
        grid = QGridLayout()
        self.ticks: dict[str, QCheckBox] = {}
        now = set(ticked)
        for k, (name, title, _) in enumerate(GROUPS):
            tick = self.ticks[name] = QCheckBox(title)
            tick.setChecked(name in now)
            grid.addWidget(tick, k // 2, k % 2)
        column.addLayout(grid)
        row = QHBoxLayout()
        row.addStretch(1)
        leave, copy = QPushButton(tr("Cancel")), QPushButton(tr("Copy"))
        copy.setObjectName("primary")
        copy.setDefault(True)
        leave.clicked.connect(self.reject)
        copy.clicked.connect(self.accept)
        for button in (leave, copy):
            button.setMinimumWidth(88)
            row.addWidget(button)
        column.addLayout(row)

    def chosen(self) -> tuple[str, ...]:
        """The groups that are ticked."""
        return tuple(name for name, tick in self.ticks.items() if tick.isChecked())
