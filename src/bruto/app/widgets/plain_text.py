"""Text that comes from files and users is data: labels and tooltips show it as it is, never as markup.

Qt guesses markup in any text that looks like it, and opens what its image tags name. `Label` never guesses. Tooltips
have no such switch: what holds words of a file or of the user goes through `plain_tooltip`.
"""

from __future__ import annotations

import html
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QSizePolicy, QWidget

LEAST = 56
"""Width, pixels, below which a shortened line of text is not shown."""


class Label(QLabel):
    """A label of plain text."""

    def __init__(self, text: str = "", parent: QWidget | None = None, **properties: Any) -> None:
        super().__init__(parent, **properties)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


class ElidedLabel(Label):
    """A line of text that takes what width is left and ends in "…" where that is too little; the tip has all of it."""

    def __init__(self, text: str = "", **properties: Any) -> None:
        super().__init__(text, **properties)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setToolTip(plain_tooltip(text))

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.width() < LEAST:  # a letter or two say nothing
            return
        painter = QPainter(self)
        painter.setPen(self.palette().color(self.foregroundRole()))
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | self.alignment(), text)


def plain_tooltip(text: str) -> str:
    """A text as a tooltip shows it, letter by letter and wrapped at the edge of the tooltip.

    >>> plain_tooltip("a < b")
    '<p style="white-space: pre-wrap">a &lt; b</p>'
    """
    return f'<p style="white-space: pre-wrap">{html.escape(text)}</p>' if text else ""
