"""The panel at the right side of a page."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from bruto.app.widgets.plain import Label

WIDTH = 334
"""Pixels."""


def surface(name: str = "panel") -> QWidget:
    """A widget with a background of the style sheet's own."""
    found = QWidget()
    found.setObjectName(name)
    found.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    return found


def side_panel(title: str, spacing: int) -> tuple[QWidget, QVBoxLayout]:
    """A panel of the usual width under a heading, and its column."""
    panel = surface()
    panel.setFixedWidth(WIDTH)
    column = QVBoxLayout(panel)
    column.setContentsMargins(12, 8, 12, 10)
    column.setSpacing(spacing)
    heading = Label(title)
    heading.setObjectName("heading")
    column.addWidget(heading)
    return panel, column
