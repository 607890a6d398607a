"""Widgets and layouts made in one call: what they are stands beside what they say.

Any of Qt's properties can be given by its name (`toolTip=`, `objectName=`, `wordWrap=`), and a signal by what it calls
(`clicked=`). `objectName` is the role that the style sheet knows: "quiet", "warning", "heading", "primary", "inLine".
"""

from __future__ import annotations

from typing import Any, TypeVar

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QBoxLayout, QHBoxLayout, QVBoxLayout, QWidget

W = TypeVar("W", bound=QWidget)
L = TypeVar("L", bound=QBoxLayout)
Margins = tuple[int, int, int, int] | int
"""Pixels at the left, top, right and bottom, or all around."""


def build(kind: type[W], *arguments: Any, **properties: Any) -> W:
    """A widget with its properties and signals."""
    signals = {name for name in properties if isinstance(getattr(kind, name, None), Signal)}
    made = kind(*arguments, **{k: v for k, v in properties.items() if k not in signals})
    for name in signals:
        getattr(made, name).connect(properties[name])
    return made


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
