"""The panel at the right side of a page."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLayout, QScrollArea, QVBoxLayout, QWidget

from bruto.app.widgets.plain_text import Label

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


def scrolled(spacing: int) -> tuple[QScrollArea, QVBoxLayout]:
    """A column that scrolls where it is longer than its place, and no stop of the Tab key."""
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    body = QWidget()
    body.setObjectName("panelBody")
    column = QVBoxLayout(body)
    column.setContentsMargins(0, 0, 6, 0)
    column.setSpacing(spacing)
    scroll.setWidget(body)
    return scroll, column


def clear(layout: QLayout) -> None:
    """Take all out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        widget = None if item is None else item.widget()
        if widget is not None:
            widget.hide()  # one that had no parent would be a window of its own
            widget.setParent(None)
