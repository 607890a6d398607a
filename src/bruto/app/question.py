"""A question with two answers, in plain text."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMessageBox, QWidget


def ask_user(parent: QWidget, question: str, text: str, yes: str, no: str) -> bool:
    """Whether the user answered `yes`; closing the box counts as `no`."""
    box = QMessageBox(parent)
    box.setTextFormat(Qt.TextFormat.PlainText)  # names of files stand in it
    box.setWindowTitle("Bruto")
    box.setText(question)
    box.setInformativeText(text)
    accept = box.addButton(yes, QMessageBox.ButtonRole.AcceptRole)
    refuse = box.addButton(no, QMessageBox.ButtonRole.RejectRole)
    box.setDefaultButton(refuse)
    box.setEscapeButton(refuse)
    box.exec()
    return box.clickedButton() is accept
