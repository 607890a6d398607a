"""The two wells of Compare: what stands in each, chosen from a list or dragged there."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QWidget

from bruto.app.widgets.build import across, build
from bruto.app.widgets.plain_text import Label
from bruto.app.widgets.source_selector import SourceSelector
from bruto.catalog import tr
from bruto.session.comparison import ComparisonSession


class WellsBar(QWidget):
    """Acts on a comparison; `row` takes more at its end."""

    def __init__(self, comparing: ComparisonSession) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.comparing = comparing
        self.row = across(self, margins=(12, 5, 12, 5), gap=8)
        self.wells = (SourceSelector(), SourceSelector())
        self.swap = build(QPushButton, "⇄", accessibleName=tr("Swap the two"), toolTip=tr("Swap the two"))
        self.swap.setFixedWidth(34)
        self.swap.clicked.connect(self._swap)
        self._parts: list[QWidget] = []
        for k, (well, name) in enumerate(zip(self.wells, (tr("First"), tr("Second")), strict=True)):
            well.setAccessibleName(tr("{name} picture", name=name))
            well.setMinimumWidth(150)
            well.setToolTip(tr("Choose a picture here, or drag a shot here from the list"))
            well.activated.connect(lambda index, k=k: comparing.choose(k, *self.wells[k].itemData(index)))
            well.dropped.connect(lambda path, k=k: comparing.bring(k, path))
            self._parts += [Label(name, objectName="quiet"), well, *([self.swap] if k == 0 else [])]
        for part in self._parts:
            self.row.addWidget(part, 1 if part in self.wells else 0)

    def show_wells(self, on: bool) -> None:
        """Show them, or leave the place to another choice."""
        for part in self._parts:
            part.setVisible(on)

    def fill(self) -> None:
        """Offer what the shown shot has."""
        choices = self.comparing.sources.choices()
        for well, now in zip(self.wells, self.comparing.wells, strict=True):
            items = [c.title for c in choices]
            if items != [well.itemText(k) for k in range(well.count())]:
                well.clear()
                for c in choices:
                    well.addItem(c.title, (c.kind, c.name))
            index = next((k for k, c in enumerate(choices) if (c.kind, c.name) == now), -1)
            well.setCurrentIndex(index)
            well.setEnabled(len(choices) > 1)
        self.swap.setEnabled(len(choices) > 1)

    def _swap(self) -> None:
        first, second = self.comparing.wells
        self.comparing.wells = (second, first)
        self.comparing.show()
