"""A question with two answers, in plain text."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QWidget

from bruto.app.widgets.build import down, fill
from bruto.app.widgets.plain_text import Label

WIDTH = 420
"""Of the text, pixels."""


class Question(QDialog):
    """Accepted with `yes`; closing it, Escape and Enter mean `no`."""

    def __init__(self, parent: QWidget, question: str, text: str, yes: str, no: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bruto")
        self.setObjectName("question")
        self.setModal(True)
        column = down(self, margins=(24, 20, 24, 20), gap=12)
        heading, words = Label(question), Label(text)
        heading.setObjectName("heading")
        words.setWordWrap(True)
        words.setFixedWidth(WIDTH)
        fill(column, heading, words)
        row = QHBoxLayout()
        row.addStretch(1)
        self.yes, self.no = QPushButton(yes), QPushButton(no)
        self.no.setObjectName("primary")
        self.no.setDefault(True)
        self.yes.setAutoDefault(False)
        self.yes.clicked.connect(self.accept)
        self.no.clicked.connect(self.reject)
        for button in (self.yes, self.no):
            button.setMinimumWidth(88)
            row.addWidget(button)
        column.addLayout(row)
        self.no.setFocus(Qt.FocusReason.OtherFocusReason)


def ask_user(parent: QWidget, question: str, text: str, yes: str, no: str) -> bool:
    """Whether the user answered `yes`."""
    return Question(parent, question, text, yes, no).exec() == QDialog.DialogCode.Accepted
