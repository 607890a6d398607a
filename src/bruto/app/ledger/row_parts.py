"""Pieces that rows of the ledger are built of when they are no plain number."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from bruto.app.widgets.build import build, down
from bruto.app.widgets.plain_text import Label


def as_row(widget: QWidget, spacing: int = 4) -> QVBoxLayout:
    """Make a widget look like a row of the ledger; returns its layout."""
    widget.setObjectName("row")
    widget.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    return down(widget, margins=(10, 6, 8, 6), gap=spacing)


def row_name(text: str) -> Label:
    """The name that stands first in a row."""
    label = Label(text)
    label.setStyleSheet("font-weight: bold;")
    return label


def choice_box(name: str, tip: str, letters: int = 12) -> QComboBox:
    """A box of choices that may be narrower than its longest one."""
    box = build(QComboBox, accessibleName=name, toolTip=tip)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(letters)
    return box
