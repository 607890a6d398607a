"""What stands in the middle of a page on which there is nothing yet: what it is for, and what to do first."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from bruto.app.widgets.build import fill
from bruto.app.widgets.plain_text import Label

WIDTH = 520
"""Pixels."""


class EmptyState(QWidget):
    """A text, and buttons with what they do; the first is the usual one."""

    def __init__(self, text: str, *doing: tuple[str, Callable[[], object]]) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        self.text = Label(text, wordWrap=True, alignment=Qt.AlignmentFlag.AlignCenter)
        self.text.setFixedWidth(WIDTH)
        self.buttons: list[QPushButton] = []
        row = QHBoxLayout()
        row.addStretch(1)
        for k, (name, act) in enumerate(doing):
            button = QPushButton(name)
            if k == 0:
                button.setObjectName("primary")
            button.clicked.connect(lambda _=False, act=act: act())
            row.addWidget(button)
            self.buttons.append(button)
        row.addStretch(1)
        line = QHBoxLayout()  # in a line of its own a text of several rows gets the height it needs
        fill(line, 1, self.text, 1)
        fill(column, 1, line)
        column.addSpacing(8)
        fill(column, row, 1)
