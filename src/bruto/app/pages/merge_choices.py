"""What a merge method leaves to its user, as ticks and tracks."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QSlider, QWidget

from bruto.app.widgets.build import build, down, fill
from bruto.app.widgets.panel import clear
from bruto.app.widgets.plain_text import Label
from bruto.catalog import tr
from bruto.merge.methods import METHODS
from bruto.merge.methods.method import MethodOption

ROW = 24
"""Height of a method in the list of methods, pixels."""


class MethodBox(QComboBox):
    """The methods for a kind of set."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Method"))

    def show_methods(self, kind: str, first: str = "") -> None:
        """List them without telling of it; `first`: the one that is chosen, where it is among them."""
        self.blockSignals(True)
        self.clear()
        for method in METHODS:
            if kind in method.sets:
                self.addItem(method.title, method.key)
        self.view().setMinimumHeight(ROW * self.count() + 8)  # else the last one is cut
        self.setCurrentIndex(max(self.findData(first), 0))
        self.blockSignals(False)


class MethodChoices(QWidget):
    """One row for each choice."""

    def __init__(self) -> None:
        super().__init__()
        self.rows = down(self, margins=0, gap=4)
        self._values: dict[str, Callable[[], bool | float]] = {}

    def show_choices(self, choices: Sequence[MethodOption]) -> None:
        """Show other choices, at their usual values."""
        clear(self.rows)
        self._values = {}
        for choice in choices:
            if isinstance(choice.usual, bool):
                box = build(QCheckBox, choice.title, checked=choice.usual, toolTip=choice.tip)
                self.rows.addWidget(box)
                self._values[choice.key] = box.isChecked
            else:
                self._add_amount(choice)
        self.setVisible(bool(choices))

    def _add_amount(self, choice: MethodOption) -> None:
        """A share that is set on a track."""
        title, track = Label(""), QSlider(Qt.Orientation.Horizontal)
        track.setRange(0, 100)
        track.setSingleStep(5)
        track.setAccessibleName(choice.title)
        track.setToolTip(choice.tip)
        track.valueChanged.connect(
            lambda value: title.setText(
                f"{choice.title}: {value} %" if value else tr("{title}: off", title=choice.title)
            )
        )
        track.setValue(1)  # so that the first value is reported
        track.setValue(round(100 * float(choice.usual)))
        fill(self.rows, title, track)
        self._values[choice.key] = lambda: track.value() / 100

    def values(self) -> dict[str, bool | float]:
        """The choices as they stand."""
        return {key: value() for key, value in self._values.items()}
