"""The search for commands: a few letters find what can be done now, Return does it."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QWidget

from bruto.app.widgets.build import build, down, fill
from bruto.catalog import tr

Entry = tuple[str, str, str, bool]
"""Id, title, keys, and whether it can be done now."""


class CommandSearch(QDialog):
    """Calls `act` with the id of the chosen command."""

    def __init__(self, parent: QWidget, entries: Iterable[Entry], act: Callable[[str], None]) -> None:
        super().__init__(parent)
        self.setObjectName("question")
        self.setWindowTitle(tr("Find a command"))
        self.entries, self.act = list(entries), act
        self.resize(520, 380)
        column = down(self, margins=(14, 14, 14, 14), gap=8)
        self.words = build(
            QLineEdit,
            placeholderText=tr("what do you want to do?"),
            accessibleName=tr("Find a command"),
            textChanged=self.fill,
        )
        self.words.installEventFilter(self)
        self.names = build(
            QListWidget, accessibleName=tr("Commands"), focusPolicy=Qt.FocusPolicy.NoFocus, itemClicked=self._chosen
        )
        fill(column, self.words, self.names)
        self.fill()
        self.words.setFocus()

    def fill(self) -> None:
        """Commands that hold every word; those that can be done now come first."""
        words = self.words.text().lower().split()
        self.names.clear()
        found = [e for e in self.entries if all(w in f"{e[1]} {e[2]}".lower() for w in words)]
        for name, title, keys, now in sorted(found, key=lambda e: not e[3]):
            item = QListWidgetItem(f"{title.rstrip('…')}   {keys}" if keys else title)
            item.setData(Qt.ItemDataRole.UserRole, name)
            if not now:
                item.setText(tr("{text}   (not available now)", text=item.text()))
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.names.addItem(item)
        if self.names.count() and self.names.item(0).flags() & Qt.ItemFlag.ItemIsEnabled:
            self.names.setCurrentRow(0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Up, Down and Return in the field act on the list."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                row = self.names.currentRow() + step
                if 0 <= row < self.names.count() and self.names.item(row).flags() & Qt.ItemFlag.ItemIsEnabled:
                    self.names.setCurrentRow(row)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._chosen(self.names.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _chosen(self, item: QListWidgetItem | None) -> None:
        if item is None or not item.flags() & Qt.ItemFlag.ItemIsEnabled:
            return
        self.accept()
        self.act(item.data(Qt.ItemDataRole.UserRole))
