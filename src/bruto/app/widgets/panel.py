"""The panel at the right side of a page."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLayout, QScrollArea, QVBoxLayout, QWidget

from bruto.app.widgets.build import build, down
from bruto.app.widgets.plain_text import Label

WIDTH = 334
"""Pixels."""


def surface(name: str = "panel") -> QWidget:
    """A widget with a background of the style sheet's own."""
    return build(QWidget, objectName=name, attribute=Qt.WidgetAttribute.WA_StyledBackground)


def side_panel(title: str, spacing: int) -> tuple[QWidget, QVBoxLayout]:
    """A panel of the usual width under a heading, and its column."""
    panel = surface()
    panel.setFixedWidth(WIDTH)
    column = down(panel, margins=(12, 8, 12, 10), gap=spacing)
    heading = Label(title, objectName="heading")
    column.addWidget(heading)
    return panel, column


def scrolled(spacing: int) -> tuple[QScrollArea, QVBoxLayout]:
    """A column that scrolls where it is longer than its place, and no stop of the Tab key."""
    scroll = build(
        QScrollArea,
        widgetResizable=True,
        horizontalScrollBarPolicy=Qt.ScrollBarPolicy.ScrollBarAlwaysOff,
        focusPolicy=Qt.FocusPolicy.NoFocus,
    )
    body = build(QWidget, objectName="panelBody")
    column = down(body, margins=(0, 0, 6, 0), gap=spacing)
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
