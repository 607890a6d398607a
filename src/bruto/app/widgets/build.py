"""Widgets and layouts made in one call: what they are stands beside what they say.

What Qt sets can be given by its name (`toolTip=`, `objectName=`, `range=`), and a signal by what it calls
(`clicked=`). `objectName` is the role that the style sheet knows: "quiet", "warning", "heading", "primary", "inLine".
"""

from __future__ import annotations

from typing import Any, TypeVar

from PySide6.QtCore import SignalInstance
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

W = TypeVar("W", bound=QWidget)
L = TypeVar("L", bound=QBoxLayout)
H = TypeVar("H", bound=QBoxLayout | QStackedWidget | QSplitter)
Margins = tuple[int, int, int, int] | int
"""Pixels at the left, top, right and bottom, or all around."""


def build(kind: type[W], *arguments: Any, **properties: Any) -> W:
    """A widget with its properties and signals: a tuple is several arguments of a setter, as in `range=(0, 100)`."""
    made = kind(*arguments)
    signals = {name for name in properties if isinstance(getattr(made, name, None), SignalInstance)}
    for name, value in properties.items():
        if name not in signals:
            setter = getattr(made, f"set{name[0].upper()}{name[1:]}")
            setter(*value) if isinstance(value, tuple) else setter(value)
    for name in signals:
        getattr(made, name).connect(properties[name])
    return made


def fill(holder: H, *items: QWidget | QLayout | int | tuple[QWidget | QLayout, int]) -> H:
    """Put widgets and layouts into a row, a column or a stack in this order; a number is room that stretches by it."""
    one: Any
    for item in items:
        one, stretch = item if isinstance(item, tuple) else (item, 0)
        if not isinstance(holder, QBoxLayout):
            holder.addWidget(one)
        elif isinstance(one, int):
            holder.addStretch(one)
        else:
            (holder.addWidget if isinstance(one, QWidget) else holder.addLayout)(one, stretch)
    return holder


def _laid(layout: L, margins: Margins | None, gap: int | None) -> L:
    if margins is not None:
        layout.setContentsMargins(*(margins if isinstance(margins, tuple) else (margins,) * 4))
    if gap is not None:
        layout.setSpacing(gap)
    return layout


def across(parent: QWidget | None = None, *, margins: Margins | None = None, gap: int | None = None) -> QHBoxLayout:
    """A row; without `margins` or `gap` those of the style."""
    return _laid(QHBoxLayout() if parent is None else QHBoxLayout(parent), margins, gap)


def down(parent: QWidget | None = None, *, margins: Margins | None = None, gap: int | None = None) -> QVBoxLayout:
    """A column; without `margins` or `gap` those of the style."""
    return _laid(QVBoxLayout() if parent is None else QVBoxLayout(parent), margins, gap)
